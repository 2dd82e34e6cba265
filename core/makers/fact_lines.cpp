// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/fact_lines.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/json/json_scan.h"
#include "core/makers/fact_words.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace bindrel {

std::vector<std::pair<std::string, int>> FactLines::cut(std::string_view text, char sign, int column)
{
    std::vector<std::pair<std::string, int>> out;
    std::size_t begin = 0;
    int depth = 0;
    bool quoted = false;
    const auto push = [&](std::size_t end) {
        std::string_view piece = text.substr(begin, end - begin);
        std::size_t skip = 0;
        while (skip < piece.size() && (piece[skip] == ' ' || piece[skip] == '\t'))
            ++skip;
        out.emplace_back(std::string(trimmed(piece)), column + int(begin + skip));
    };
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted) {
            if (c == '\\')
                ++i;
            else if (c == '"')
                quoted = false;
        } else if (c == '"') {
            quoted = true;
        } else if (c == '{' || c == '[') {
            ++depth;
        } else if (c == '}' || c == ']') {
            --depth;
        } else if (c == sign && depth <= 0) {
            push(i);
            begin = i + 1;
        }
    }
    push(text.size());
    return out;
}

FactLine FactLines::factOf(const std::string& line, int number)
{
    FactLine fact;
    fact.line = number;
    const auto colon = cut(line, ':', 1);
    fact.head = colon.front().first;
    if (colon.size() > 1) {
        fact.hasColon = true;
        // Only the first colon parts; those behind it belong to bits and texts.
        const std::size_t at = std::size_t(colon[1].second) - 1;
        std::size_t begin = at;
        while (begin > 0 && line[begin - 1] != ':')
            --begin;
        for (auto& [text, column] : cut(std::string_view(line).substr(begin), ',', int(begin) + 1)) {
            // "at most 48 MHz because …" are two clauses.
            const std::size_t quote = text.find('"');
            if (const std::size_t because = text.find(" because ");
                because != std::string::npos && (quote == std::string::npos || because < quote)) {
                fact.parts.push_back(text.substr(0, because));
                fact.columns.push_back(column);
                column += int(because) + 1;
                text = text.substr(because + 1);
            }
            fact.parts.push_back(std::move(text));
            fact.columns.push_back(column);
        }
    }
    return fact;
}

void FactLines::fail(int line, int column, std::string message)
{
    if (failed_)
        return;
    failed_ = problemOf(std::move(message));
    failed_->file = name_;
    failed_->line = line;
    failed_->column = column;
}

std::string FactLines::withoutComment(std::string line)
{
    if (!line.empty() && line.back() == '\r')
        line.pop_back();
    bool quoted = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        if (line[i] == '\\' && quoted)
            ++i;
        else if (line[i] == '"')
            quoted = !quoted;
        else if (line[i] == '#' && !quoted && (i == 0 || line[i - 1] == ' ' || line[i - 1] == '\t'))
            return line.substr(0, i);
    }
    return line;
}

std::pair<std::string, std::string> FactLines::idAndName(const std::string& text)
{
    const std::size_t quote = text.find('"');
    if (quote == std::string::npos)
        return {text, ""};
    const std::size_t end = text.rfind('"');
    std::string name;
    try {
        name = Json::parse(text.substr(quote, end - quote + 1)).get<std::string>();
    } catch (const Json::exception&) {
        name = text.substr(quote + 1, end > quote ? end - quote - 1 : 0);
    }
    return {std::string(trimmed(std::string_view(text).substr(0, quote))), name};
}

std::optional<FactLines::Json> FactLines::json(const std::string& text, const FactLine& fact, int column)
{
    if (const JsonScan scan = scanJson(text, "\n", 64); scan.tooDeep || scan.duplicate || scan.tooMany) {
        fail(fact.line, column, say("this value is too deep, too long, or has a key twice."));
        return std::nullopt;
    }
    try {
        return Json::parse(text);
    } catch (const Json::exception&) {
        fail(fact.line, column,
             say("\"{}\" is not a value in JSON; write a text in quotes, a number, [list] or {{object}}.",
                 printable(text.substr(0, 60))));
        return std::nullopt;
    }
}

std::vector<FactClause> FactLines::clauses(const FactLine& fact, std::size_t from, const std::vector<std::string>& keys)
{
    std::vector<FactClause> out;
    for (std::size_t i = from; i < fact.parts.size(); ++i) {
        const std::string& part = fact.parts[i];
        const std::string* key = nullptr;
        for (const std::string& known : keys)
            if (startsWithWord(part, known) && (!key || known.size() > key->size()))
                key = &known;
        if (key) {
            out.push_back({*key, {}, fact.columns[i]});
            if (const std::string rest(trimmed(std::string_view(part).substr(key->size()))); !rest.empty())
                out.back().items.push_back(rest);
        } else if (!out.empty()) {
            out.back().items.push_back(part);
        } else {
            const std::string first = part.substr(0, part.find(' '));
            fail(fact.line, fact.columns[i],
                 say("\"{}\" begins no clause; here stand {}.{}", printable(first.substr(0, 40)), listed(keys),
                     didYouMean(first, keys)));
            return out;
        }
    }
    return out;
}

std::string FactLines::only(const FactClause& clause, const FactLine& fact)
{
    if (clause.items.size() != 1)
        fail(fact.line, clause.column, say("\"{}\" takes one value.", clause.key));
    return clause.items.empty() ? std::string() : clause.items.front();
}

FactLines::Json FactLines::encoding(const FactClause& clause, const FactLine& fact)
{
    const bool table = std::any_of(clause.items.begin(), clause.items.end(),
                                   [](const std::string& item) { return item.find('=') != std::string::npos; });
    if (!table)
        return only(clause, fact);
    Json rows = Json::array();
    for (const std::string& item : clause.items) {
        const auto pair = assigned(item);
        const auto value = pair ? number(pair->first, fact, clause.column) : std::nullopt;
        const auto code = value ? number(pair->second, fact, clause.column) : std::nullopt;
        if (!code) {
            fail(fact.line, clause.column, say("write a table as: code 8 = 0, 7 = 1."));
            return {};
        }
        rows.push_back(Json::array({*value, *code}));
    }
    return Json{{"table", std::move(rows)}};
}

bool FactLines::with(const FactClause& clause, const FactLine& fact, Json& into)
{
    if (clause.key != "with")
        return false;
    const std::string text = joined(clause.items, ", ");
    const std::size_t blank = text.find(' ');
    if (blank == std::string::npos) {
        fail(fact.line, clause.column, say("\"with\" takes a key of the device file and its value in JSON."));
        return true;
    }
    if (std::optional<Json> value =
            json(std::string(trimmed(std::string_view(text).substr(blank))), fact, clause.column))
        into[text.substr(0, blank)] = *std::move(value);
    return true;
}

FactLines::Json FactLines::textOf(const std::string& text)
{
    if (text.size() >= 2 && text.front() == '"' && text.back() == '"')
        try {
            return Json::parse(text);
        } catch (const Json::exception&) {
        }
    return text;
}

FactLines::Json FactLines::factor(const std::string& text)
{
    std::int64_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error == std::errc() && end == text.data() + text.size())
        return value;
    return text;
}

std::optional<std::int64_t> FactLines::number(const std::string& text, const FactLine& fact, int column)
{
    std::int64_t value = 0;
    const bool hex = text.starts_with("0x");
    const char* begin = text.data() + (hex ? 2 : 0);
    const auto [end, error] = std::from_chars(begin, text.data() + text.size(), value, hex ? 16 : 10);
    if (error != std::errc() || end != text.data() + text.size() || text.empty()) {
        fail(fact.line, column, say("\"{}\" is not a whole number.", printable(text.substr(0, 40))));
        return std::nullopt;
    }
    return value;
}

FactLines::Json FactLines::pairs(const std::vector<std::string>& items, const FactLine& fact, int column,
                                 bool codeFirst)
{
    Json out = Json::object();
    for (const std::string& item : items) {
        const std::size_t equals = item.rfind('=');
        if (equals == std::string::npos) {
            fail(fact.line, column,
                 say("\"{}\" must be written as {}.", printable(item.substr(0, 60)),
                     codeFirst ? say("CODE = SIGNAL") : say("NAME = CODE")));
            return out;
        }
        const std::string left(trimmed(std::string_view(item).substr(0, equals)));
        const std::string right(trimmed(std::string_view(item).substr(equals + 1)));
        if (out.contains(left) && codeFirst) {
            // Several signals at one code.
            if (!out[left].is_array())
                out[left] = Json::array({out[left]});
            out[left].push_back(right);
        } else if (out.contains(left)) {
            fail(fact.line, column, say("{} is given twice.", printable(left)));
        } else if (codeFirst) {
            out[left] = right;
        } else if (const std::optional<std::int64_t> code = number(right, fact, column)) {
            out[left] = *code;
        }
    }
    return out;
}

FactLines::Json& FactLines::itemOf(Json& list, const std::string& id)
{
    if (!list.is_array())
        list = Json::array();
    if (list.size() >= kMaxEntries)
        fail(1, 1, say("lists more than {} things of one sort; Bindrel reads no more.", kMaxEntries));
    for (Json& item : list)
        if (item.contains("id") && item["id"] == id)
            return item;
    list.push_back(Json{{"id", id}});
    return list.back();
}

std::optional<std::pair<std::string, std::string>> FactLines::assigned(const std::string& text)
{
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos)
        return std::nullopt;
    return std::pair{std::string(trimmed(text.substr(0, equals))), std::string(trimmed(text.substr(equals + 1)))};
}

} // namespace bindrel
