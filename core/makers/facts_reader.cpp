// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/json_scan.h"
#include "core/base/text.h"
#include "core/makers/fact_words.h"
#include "core/makers/makers_file.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <charconv>
#include <functional>
#include <map>
#include <optional>

// One line a fact: "clock BUS: system divide SYS by 1, 2, 4, set by CLK.DIV.BUS, code in order, at most 48 MHz".
// A line begins with what it is about; behind the colon stand clauses, parted by commas. What has no words here is said
// as "with KEY VALUE", the value in JSON, so that every device file can be written so.

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kMaxLines = 20'000;

/// One clause of a line: its words with their place, the first being the keyword.
struct Clause {
    std::string key;                ///< "set by"
    std::vector<std::string> items; ///< what stands behind it, parted by commas
    int column = 1;
};

struct Fact {
    std::string head;               ///< before the colon; quotes and all
    std::vector<std::string> parts; ///< behind it, parted by commas
    std::vector<int> columns;
    int line = 0;
    bool hasColon = false;
};

/// Cuts at a sign that stands outside of quotes and brackets.
std::vector<std::pair<std::string, int>> cut(std::string_view text, char sign, int column)
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

class FactsReader {
public:
    FactsReader(const std::string& text, const std::string& name) : text_(text), name_(name)
    {
        file_ = out_.sections.addFile(name);
    }

    Expected<MakersFile> read()
    {
        if (!isUtf8(text_)) {
            fail(1, 1, "is not UTF-8 text; save it as UTF-8.");
            return *failed_;
        }
        int number = 0;
        Fact pending;
        const std::vector<std::string> lines = splitted(text_, '\n');
        if (lines.size() > kMaxLines) {
            fail(1, 1, "has more lines than any description of a chip.");
            return *failed_;
        }
        for (std::size_t i = 0; i < lines.size() && !failed_; ++i) {
            number = int(i) + 1;
            std::string line = withoutComment(lines[i]);
            // A line that ends with a comma goes on in the next.
            const int first = number;
            while (trimmed(line).ends_with(',') && i + 1 < lines.size()) {
                ++i;
                line = std::string(trimmed(line)) + " " + std::string(trimmed(withoutComment(lines[i])));
            }
            if (!trimmed(line).empty())
                readLine(line, first);
        }
        if (failed_)
            return *failed_;
        return std::move(out_);
    }

private:
    void fail(int line, int column, std::string message)
    {
        if (failed_)
            return;
        failed_ = problemOf(std::move(message));
        failed_->file = name_;
        failed_->line = line;
        failed_->column = column;
    }

    static std::string withoutComment(std::string line)
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

    Json& root() { return out_.sections.value(); }
    void place(const std::string& pointer, const Fact& fact) { out_.sections.put(pointer, file_, fact.line, 1); }

    void readLine(const std::string& line, int number)
    {
        Fact fact;
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
        using Reader = void (FactsReader::*)(const Fact&, const std::string&);
        static const std::vector<std::pair<std::string, Reader>> kinds{
            {"name", &FactsReader::readName},
            {"about", &FactsReader::readAbout},
            {"clock", &FactsReader::readClock},
            {"core clock", &FactsReader::readCoreClock},
            {"wait states of", &FactsReader::readWaitStates},
            {"ranges", &FactsReader::readRangeControl},
            {"range", &FactsReader::readRange},
            {"instance", &FactsReader::readInstance},
            {"pad", &FactsReader::readPad},
            {"kind", &FactsReader::readKind},
            {"role", &FactsReader::readRole},
            {"ability", &FactsReader::readAbility},
            {"memory", &FactsReader::readMemory},
            {"supply", &FactsReader::readSupply},
            {"temperature", &FactsReader::readTemperature},
            {"lines", &FactsReader::readLines},
            {"interrupt controller", &FactsReader::readController},
            {"set", &FactsReader::readSet},
            {"correct", &FactsReader::readCorrect},
        };
        const std::pair<std::string, Reader>* best = nullptr;
        for (const auto& kind : kinds)
            if (startsWithWord(fact.head, kind.first) && (!best || kind.first.size() > best->first.size()))
                best = &kind;
        if (!best) {
            std::vector<std::string> known;
            for (const auto& [word, reader] : kinds)
                known.push_back(word);
            const std::string first = fact.head.substr(0, fact.head.find(' '));
            return fail(number, 1,
                        fmt::format("\"{}\" begins no fact; a line begins with {}.{}", printable(first.substr(0, 40)),
                                    listed(known), didYouMean(first, known)));
        }
        (this->*best->second)(fact, std::string(trimmed(std::string_view(fact.head).substr(best->first.size()))));
    }

    // Helpers.

    /// "HFX "HF crystal"" as id and name.
    static std::pair<std::string, std::string> idAndName(const std::string& text)
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

    std::optional<Json> json(const std::string& text, const Fact& fact, int column)
    {
        if (const JsonScan scan = scanJson(text, "\n", 64); scan.tooDeep || scan.duplicate || scan.tooMany) {
            fail(fact.line, column, "this value is too deep, too long, or has a key twice.");
            return std::nullopt;
        }
        try {
            return Json::parse(text);
        } catch (const Json::exception&) {
            fail(fact.line, column,
                 fmt::format("\"{}\" is not a value in JSON; write a text in quotes, a number, [list] or {{object}}.",
                             printable(text.substr(0, 60))));
            return std::nullopt;
        }
    }

    /// Puts the clauses of a line together: one that begins with no keyword belongs to the one before.
    std::vector<Clause> clauses(const Fact& fact, std::size_t from, const std::vector<std::string>& keys)
    {
        std::vector<Clause> out;
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
                     fmt::format("\"{}\" begins no clause; here stand {}.{}", printable(first.substr(0, 40)),
                                 listed(keys), didYouMean(first, keys)));
                return out;
            }
        }
        return out;
    }

    /// The one item of a clause.
    std::string only(const Clause& clause, const Fact& fact)
    {
        if (clause.items.size() != 1)
            fail(fact.line, clause.column, fmt::format("\"{}\" takes one value.", clause.key));
        return clause.items.empty() ? std::string() : clause.items.front();
    }

    /// "power of two", or a table: "8 = 0, 7 = 1".
    Json encoding(const Clause& clause, const Fact& fact)
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
                fail(fact.line, clause.column, "write a table as: code 8 = 0, 7 = 1.");
                return {};
            }
            rows.push_back(Json::array({*value, *code}));
        }
        return Json{{"table", std::move(rows)}};
    }

    bool with(const Clause& clause, const Fact& fact, Json& into)
    {
        if (clause.key != "with")
            return false;
        const std::string text = joined(clause.items, ", ");
        const std::size_t blank = text.find(' ');
        if (blank == std::string::npos) {
            fail(fact.line, clause.column, "\"with\" takes a key of the device file and its value in JSON.");
            return true;
        }
        if (std::optional<Json> value =
                json(std::string(trimmed(std::string_view(text).substr(blank))), fact, clause.column))
            into[text.substr(0, blank)] = *std::move(value);
        return true;
    }

    /// A text without quotes is a text; with them it is read as JSON.
    static Json textOf(const std::string& text)
    {
        if (text.size() >= 2 && text.front() == '"' && text.back() == '"')
            try {
                return Json::parse(text);
            } catch (const Json::exception&) {
            }
        return text;
    }

    /// A number where it is one, else a text: "2", "2.5".
    static Json factor(const std::string& text)
    {
        std::int64_t value = 0;
        const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (error == std::errc() && end == text.data() + text.size())
            return value;
        return text;
    }

    std::optional<std::int64_t> number(const std::string& text, const Fact& fact, int column)
    {
        std::int64_t value = 0;
        const bool hex = text.starts_with("0x");
        const char* begin = text.data() + (hex ? 2 : 0);
        const auto [end, error] = std::from_chars(begin, text.data() + text.size(), value, hex ? 16 : 10);
        if (error != std::errc() || end != text.data() + text.size() || text.empty()) {
            fail(fact.line, column, fmt::format("\"{}\" is not a whole number.", printable(text.substr(0, 40))));
            return std::nullopt;
        }
        return value;
    }

    /// "HFI = 0, HFX = 1" as an object with numbers.
    Json pairs(const std::vector<std::string>& items, const Fact& fact, int column, bool codeFirst)
    {
        Json out = Json::object();
        for (const std::string& item : items) {
            const std::size_t equals = item.rfind('=');
            if (equals == std::string::npos) {
                fail(fact.line, column,
                     fmt::format("\"{}\" must be written as {}.", printable(item.substr(0, 60)),
                                 codeFirst ? "CODE = SIGNAL" : "NAME = CODE"));
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
                fail(fact.line, column, fmt::format("{} is given twice.", printable(left)));
            } else if (codeFirst) {
                out[left] = right;
            } else if (const std::optional<std::int64_t> code = number(right, fact, column)) {
                out[left] = *code;
            }
        }
        return out;
    }

    /// The item of a list of objects with ids; made when it is not there.
    Json& itemOf(Json& list, const std::string& id)
    {
        if (!list.is_array())
            list = Json::array();
        if (list.size() >= kMaxEntries)
            fail(1, 1, fmt::format("lists more than {} things of one sort; Bindrel reads no more.", kMaxEntries));
        for (Json& item : list)
            if (item.contains("id") && item["id"] == id)
                return item;
        list.push_back(Json{{"id", id}});
        return list.back();
    }

    // Kinds of lines.

    void readName(const Fact& fact, const std::string& rest)
    {
        root()["name"] = textOf(rest);
        place("/name", fact);
    }
    void readAbout(const Fact& fact, const std::string& rest)
    {
        root()["about"] = textOf(rest);
        place("/about", fact);
    }
    void readCoreClock(const Fact& fact, const std::string& rest)
    {
        root()["cpu_clock"] = rest;
        place("/cpu_clock", fact);
    }
    void readLines(const Fact& fact, const std::string& rest)
    {
        root()["lines"] = rest;
        place("/lines", fact);
    }
    void readController(const Fact& fact, const std::string& rest)
    {
        root()["interrupt_controller"] = rest;
        place("/interrupt_controller", fact);
    }
    /// "wait states of CPU in FLASH.CTL.WS"
    void readWaitStates(const Fact& fact, const std::string& rest)
    {
        const std::size_t in = rest.find(" in ");
        if (in == std::string::npos)
            return fail(fact.line, 1, "write it as: wait states of CLOCK in FIELD.");
        root()["flash_timing"] = Json{{"clock", std::string(trimmed(rest.substr(0, in)))},
                                      {"field", std::string(trimmed(rest.substr(in + 4)))}};
        place("/flash_timing", fact);
    }
    static std::optional<std::pair<std::string, std::string>> fromTo(const std::string& text)
    {
        const std::size_t to = text.find(" to ");
        if (to == std::string::npos)
            return std::nullopt;
        return std::pair{std::string(trimmed(text.substr(0, to))), std::string(trimmed(text.substr(to + 4)))};
    }
    void readSupply(const Fact& fact, const std::string& rest)
    {
        const auto ends = fromTo(rest);
        if (!ends)
            return fail(fact.line, 1, "write it as: supply 1.8 V to 3.6 V.");
        root()["supply"] = Json::array({ends->first, ends->second});
        place("/supply", fact);
    }
    void readTemperature(const Fact& fact, const std::string& rest)
    {
        const auto ends = fromTo(rest);
        if (!ends)
            return fail(fact.line, 1, "write it as: temperature -40 to 85.");
        const auto low = number(ends->first, fact, 1), high = number(ends->second, fact, 1);
        if (low && high)
            root()["temperature"] = Json::array({*low, *high});
        place("/temperature", fact);
    }
    /// "memory flash at 0x0800 0000, 262144 bytes" (or KiB)
    void readMemory(const Fact& fact, const std::string& rest)
    {
        const auto parts = cut(rest, ',', 1);
        const std::size_t at = parts[0].first.find(" at ");
        if (parts.size() != 2 || at == std::string::npos)
            return fail(fact.line, 1, "write it as: memory flash at 0x0000 0000, 256 KiB.");
        std::string size = parts[1].first;
        std::int64_t unit = 1;
        for (const auto& [word, bytes] : {std::pair{" KiB", 1024}, {" MiB", 1024 * 1024}, {" bytes", 1}})
            if (size.ends_with(word)) {
                unit = bytes;
                size.resize(size.size() - std::string_view(word).size());
                break;
            }
        if (const std::optional<std::int64_t> bytes = number(size, fact, parts[1].second);
            bytes && *bytes < (1ll << 40)) {
            const std::string area(trimmed(parts[0].first.substr(0, at)));
            root()["memory"][area] = Json::array({std::string(trimmed(parts[0].first.substr(at + 4))), *bytes * unit});
            place("/memory/" + pointerWord(area), fact);
        }
    }
    /// "range FULL "full": supply 2.4 V to 3.6 V, code 3, wait states 32 MHz, 64 MHz"
    void readRange(const Fact& fact, const std::string& rest)
    {
        const auto [id, name] = idAndName(rest);
        Json& range = itemOf(root()["ranges"]["list"], id);
        if (!name.empty())
            range["name"] = name;
        for (const Clause& clause : clauses(fact, 0, {"supply", "code", "wait states", "draws", "with"})) {
            if (with(clause, fact, range))
                continue;
            if (clause.key == "supply") {
                const auto ends = fromTo(only(clause, fact));
                if (!ends)
                    return fail(fact.line, clause.column, "write it as: supply 1.8 V to 3.6 V.");
                range["supply"] = Json::array({ends->first, ends->second});
            } else if (clause.key == "code") {
                if (const auto code = number(only(clause, fact), fact, clause.column))
                    range["code"] = *code;
            } else if (clause.key == "wait states") {
                range["wait_states"] = clause.items;
            } else {
                range["draws"] = only(clause, fact);
            }
        }
        place("/ranges/list/" + std::to_string(root()["ranges"]["list"].size() - 1), fact);
    }
    /// "ranges: set by SUP.CTL.RANGE, shown by …, ready …, after reset ECO"
    void readRangeControl(const Fact& fact, const std::string&)
    {
        Json& ranges = root()["ranges"];
        for (const Clause& clause : clauses(fact, 0, {"set by", "shown by", "ready", "after reset", "with"})) {
            if (with(clause, fact, ranges))
                continue;
            ranges[clause.key == "set by"     ? "control"
                   : clause.key == "shown by" ? "status"
                   : clause.key == "ready"    ? "ready"
                                              : "reset"] = only(clause, fact);
        }
        place("/ranges", fact);
    }

    void readClock(const Fact& fact, const std::string& rest)
    {
        const auto [id, name] = idAndName(rest);
        if (id.empty() || !fact.hasColon)
            return fail(fact.line, 1, "write it as: clock ID \"name\": source crystal 4 MHz to 40 MHz, on FIELD.");
        Json& clock = itemOf(root()["clocks"], id);
        if (!name.empty())
            clock["name"] = name;
        std::size_t used = 0;
        if (!readClockType(fact, clock, used))
            return;
        for (const Clause& clause : clauses(fact, used, clockKeys())) {
            if (failed_)
                return;
            if (with(clause, fact, clock))
                continue;
            const auto limit = [&clock]() -> Json& { return clock["limit"]; };
            if (clause.key == "set by")
                clock["control"] = only(clause, fact);
            else if (clause.key == "shown by")
                clock["status"] = only(clause, fact);
            else if (clause.key == "code")
                clock["encoding"] = encoding(clause, fact);
            else if (clause.key == "on")
                clock["enable"] = only(clause, fact);
            else if (clause.key == "ready")
                clock["ready"] = only(clause, fact);
            else if (clause.key == "starts in")
                clock["startup"] = only(clause, fact);
            else if (clause.key == "frozen by")
                clock["frozen_by"] = clause.items.size() == 1 ? Json(clause.items.front()) : Json(clause.items);
            else if (clause.key == "at most")
                limit()["max"] = only(clause, fact);
            else if (clause.key == "at least")
                limit()["min"] = only(clause, fact);
            else if (clause.key == "from") {
                const auto ends = fromTo(only(clause, fact));
                if (!ends)
                    return fail(fact.line, clause.column, "write it as: from 200 MHz to 420 MHz.");
                limit()["min"] = ends->first;
                limit()["max"] = ends->second;
            } else if (clause.key == "because")
                limit()["because"] = textOf(joined(clause.items, ", "));
            else if (clause.key == "tolerance")
                clock["tolerance"] = only(clause, fact);
            else
                clock["draws"] = only(clause, fact);
        }
        const Json& list = root()["clocks"];
        for (std::size_t i = 0; i < list.size(); ++i)
            if (list[i]["id"] == id)
                place("/clocks/" + std::to_string(i), fact);
    }

    /// "source crystal 4 MHz to 40 MHz", "system select HFI = 0, HFX = 1", "kernel divide BUS by 1, 2, 4": the parts
    /// that belong to the type. A line that only adds to a clock begins with a clause.
    bool readClockType(const Fact& fact, Json& clock, std::size_t& used)
    {
        std::string first = fact.parts.empty() ? std::string() : fact.parts[0];
        const auto word = [&first]() -> std::string {
            const std::string out = first.substr(0, first.find(' '));
            return out;
        };
        const auto drop = [&first](const std::string& taken) {
            first = std::string(trimmed(std::string_view(first).substr(taken.size())));
        };
        bool any = false;
        if (const std::string tier = word();
            tier == "source" || tier == "multiplier" || tier == "system" || tier == "kernel") {
            clock["tier"] = tier;
            drop(tier);
            any = true;
        }
        static const std::vector<std::string> types{"oscillator", "crystal",  "external", "select",
                                                    "divide",     "multiply", "follow",   "gate"};
        const std::string type = word();
        if (std::find(types.begin(), types.end(), type) == types.end()) {
            if (any) {
                fail(fact.line, fact.columns[0],
                     fmt::format("\"{}\" is not a type of clock; use {}.{}", printable(type.substr(0, 40)),
                                 listed(types), didYouMean(type, types)));
                return false;
            }
            return true;
        }
        clock["type"] = type;
        drop(type);
        std::vector<std::string> items{first};
        used = 1;
        const auto keyword = [](const std::string& part) {
            return std::any_of(clockKeys().begin(), clockKeys().end(),
                               [&part](const std::string& key) { return startsWithWord(part, key); });
        };
        while (used < fact.parts.size() && !keyword(fact.parts[used]))
            items.push_back(fact.parts[used++]);
        if (items.size() == 1 && items[0].empty())
            items.clear();
        const int column = fact.columns[0];
        if (type == "oscillator") {
            if (items.size() == 1)
                clock["rate"] = items[0];
            else if (!items.empty())
                fail(fact.line, column, "an oscillator has one rate; several are said as: with rates [...].");
        } else if (type == "crystal" || type == "external") {
            if (items.empty())
                return true;
            const auto ends = items.size() == 1 ? fromTo(items[0]) : std::nullopt;
            if (!ends) {
                fail(fact.line, column, fmt::format("write it as: {} 4 MHz to 40 MHz.", type));
                return false;
            }
            clock["crystal"] = Json::array({ends->first, ends->second});
        } else if (type == "select") {
            if (!items.empty())
                clock["inputs"] = pairs(items, fact, column, false);
        } else if (type == "divide" || type == "multiply") {
            if (items.empty())
                return true;
            const std::size_t by = items[0].find(" by ");
            clock["from"] = std::string(trimmed(items[0].substr(0, by)));
            if (by != std::string::npos) {
                items[0] = std::string(trimmed(items[0].substr(by + 4)));
                if (items.size() == 1 && items[0].find("..") != std::string::npos) {
                    clock["factors"] = items[0];
                } else {
                    Json list = Json::array();
                    for (const std::string& item : items)
                        list.push_back(factor(item));
                    clock["factors"] = std::move(list);
                }
            }
        } else if (items.size() == 1) {
            clock["from"] = items[0];
        } else if (!items.empty()) {
            fail(fact.line, column, fmt::format("a clock of type {} comes from one other.", type));
        }
        return !failed_;
    }

    void readInstance(const Fact& fact, const std::string& id)
    {
        if (root()["instances"].size() >= kMaxEntries)
            return fail(fact.line, 1,
                        fmt::format("there are more than {} instances; Bindrel reads no more.", kMaxEntries));
        Json& instance = root()["instances"][id];
        if (instance.is_null())
            instance = Json::object();
        for (const Clause& clause : clauses(fact, 0, instanceKeys())) {
            if (failed_)
                return;
            if (with(clause, fact, instance))
                continue;
            if (clause.key == "signals") {
                for (const std::string& item : clause.items) {
                    const std::size_t blank = item.rfind(' ');
                    if (blank == std::string::npos)
                        return fail(fact.line, clause.column, "write signals as: TX out, RX in.");
                    instance["signals"][std::string(trimmed(item.substr(0, blank)))] = item.substr(blank + 1);
                }
            } else if (clause.key == "interrupts") {
                for (const std::string& item : clause.items) {
                    const std::size_t blank = item.rfind(' ');
                    const auto value =
                        blank == std::string::npos ? std::nullopt : number(item.substr(blank + 1), fact, clause.column);
                    if (!value)
                        return fail(fact.line, clause.column, "write interrupts as: event 12, receive 13.");
                    instance["interrupts"][std::string(trimmed(item.substr(0, blank)))] = *value;
                }
            } else {
                instance[clause.key == "at"      ? "base"
                         : clause.key == "clock" ? "kernel"
                                                 : clause.key.c_str()] = only(clause, fact);
            }
        }
        place("/instances/" + pointerWord(id), fact);
    }

    void readPad(const Fact& fact, const std::string& id)
    {
        if (root()["pads"].size() >= kMaxEntries)
            return fail(fact.line, 1, fmt::format("there are more than {} pads; Bindrel reads no more.", kMaxEntries));
        Json& pad = root()["pads"][id];
        if (pad.is_null())
            pad = Json::object();
        for (const Clause& clause : clauses(fact, 0, padKeys())) {
            if (failed_)
                return;
            if (with(clause, fact, pad))
                continue;
            if (clause.key == "port")
                pad["at"] = only(clause, fact);
            else if (clause.key == "line") {
                if (const auto line = number(only(clause, fact), fact, clause.column))
                    pad["line"] = *line;
            } else if (clause.key == "bank")
                pad["bank"] = only(clause, fact);
            else if (clause.key == "carries")
                pad["routes"] = pairs(clause.items, fact, clause.column, true);
            else if (clause.key == "fixed")
                pad["fixed"] = clause.items;
            else
                pad["at_reset"] = only(clause, fact);
        }
        place("/pads/" + pointerWord(id), fact);
    }

    static std::optional<std::pair<std::string, std::string>> assigned(const std::string& text)
    {
        const std::size_t equals = text.find('=');
        if (equals == std::string::npos)
            return std::nullopt;
        return std::pair{std::string(trimmed(text.substr(0, equals))), std::string(trimmed(text.substr(equals + 1)))};
    }

    /// "kind serial = uart"
    void readKind(const Fact& fact, const std::string& rest)
    {
        const auto pair = assigned(rest);
        if (!pair)
            return fail(fact.line, 1, "write it as: kind BLOCK = uart.");
        root()["blocks"][pair->first]["kind"] = pair->second;
        place("/blocks/" + pointerWord(pair->first) + "/kind", fact);
    }

    /// "role serial baud = RATE.DIV: code minus one"
    void readRole(const Fact& fact, const std::string& rest)
    {
        const auto pair = assigned(rest);
        const std::size_t blank = pair ? pair->first.find(' ') : std::string::npos;
        if (!pair || blank == std::string::npos)
            return fail(fact.line, 1, "write it as: role BLOCK ROLE = REGISTER.FIELD.");
        const std::string block = pair->first.substr(0, blank), role(trimmed(pair->first.substr(blank)));
        Json& roles = root()["blocks"][block]["roles"];
        Json value;
        if (fact.parts.empty()) {
            value = pair->second;
        } else {
            value["field"] = pair->second;
            for (const Clause& clause : clauses(fact, 0, {"code", "with"}))
                if (!with(clause, fact, value))
                    value["encoding"] = encoding(clause, fact);
        }
        roles[role] = std::move(value);
        place("/blocks/" + pointerWord(block) + "/roles/" + pointerWord(role), fact);
    }

    /// "ability serial oversampling = 16, 8"
    void readAbility(const Fact& fact, const std::string& rest)
    {
        const auto pair = assigned(rest);
        const std::size_t blank = pair ? pair->first.find(' ') : std::string::npos;
        if (!pair || blank == std::string::npos)
            return fail(fact.line, 1, "write it as: ability BLOCK ABILITY = 16, 8.");
        Json list = Json::array();
        for (const auto& [item, column] : cut(pair->second, ',', 1))
            if (const auto value = number(item, fact, column))
                list.push_back(*value);
        const std::string block = pair->first.substr(0, blank), ability(trimmed(pair->first.substr(blank)));
        root()["blocks"][block]["abilities"][ability] = std::move(list);
        place("/blocks/" + pointerWord(block) + "/abilities/" + pointerWord(ability), fact);
    }

    /// "set /package/kind "quad flat""
    void readSet(const Fact& fact, const std::string&)
    {
        const std::string rest = whole(fact).substr(3);
        const auto [pointer, value] = pointerAndValue(std::string(trimmed(rest)), fact);
        if (failed_)
            return;
        try {
            root()[Json::json_pointer(pointer)] = value;
        } catch (const Json::exception&) {
            return fail(fact.line, 5, fmt::format("{} leads through a value that is no object.", printable(pointer)));
        }
        place(pointer, fact);
    }

    /// The line as it was, with its colon.
    std::string whole(const Fact& fact) const
    {
        std::string text = fact.head;
        if (fact.hasColon)
            text += ":" + joined(fact.parts, ", ");
        return text;
    }

    std::pair<std::string, Json> pointerAndValue(const std::string& text, const Fact& fact)
    {
        const std::size_t blank = text.find(' ');
        if (!text.starts_with('/') || blank == std::string::npos) {
            fail(fact.line, 1, "write it as: set /POINTER VALUE, the value in JSON.");
            return {};
        }
        std::optional<Json> value = json(std::string(trimmed(std::string_view(text).substr(blank))), fact, 1);
        return {text.substr(0, blank), value ? *std::move(value) : Json()};
    }

    /// "correct /blocks/serial/registers/CTL/offset: was "0x08", is "0x04", because "erratum 3"".
    void readCorrect(const Fact& fact, const std::string& pointer)
    {
        Json patch{{"at", pointer}};
        for (const Clause& clause : clauses(fact, 0, {"was", "is", "because"})) {
            const std::string text = joined(clause.items, ", ");
            if (clause.key == "because") {
                patch["because"] = textOf(text);
            } else if (std::optional<Json> value = json(text, fact, clause.column)) {
                patch[clause.key] = *std::move(value);
            }
        }
        if (failed_)
            return;
        if (!patch.contains("is") || !patch.contains("because"))
            return fail(fact.line, 1, "a correction says what the value is, and because of what.");
        Json& list = root()["patches"];
        if (!list.is_array())
            list = Json::array();
        list.push_back(std::move(patch));
        place("/patches/" + std::to_string(list.size() - 1), fact);
    }

    const std::string& text_;
    const std::string& name_;
    MakersFile out_;
    int file_ = 0;
    std::optional<Problem> failed_;
};

} // namespace

Expected<MakersFile> readFacts(const std::string& text, const std::string& name)
{
    return FactsReader(text, name).read();
}

} // namespace bindrel
