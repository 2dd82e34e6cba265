// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"

#include "core/base/say.h"

#include <algorithm>
#include <cctype>
#include <cstdint>
#include <utility>

namespace bindrel {

namespace {

// The C locale's rules on purpose: output must not depend on the user's locale.
char lowerAscii(char c)
{
    return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
}
char upperAscii(char c)
{
    return c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
}
bool isDigit(char c)
{
    return c >= '0' && c <= '9';
}

/// Insertions, deletions, substitutions and swaps of neighbours, each counting one.
size_t editDistance(std::string_view a, std::string_view b)
{
    std::vector<size_t> older, row(b.size() + 1), next(b.size() + 1);
    for (size_t j = 0; j <= b.size(); ++j)
        row[j] = j;
    for (size_t i = 1; i <= a.size(); ++i) {
        next[0] = i;
        for (size_t j = 1; j <= b.size(); ++j) {
            const char x = lowerAscii(a[i - 1]);
            const char y = lowerAscii(b[j - 1]);
            next[j] = std::min({row[j - 1] + (x == y ? 0 : 1), row[j] + 1, next[j - 1] + 1});
            if (i > 1 && j > 1 && x == lowerAscii(b[j - 2]) && lowerAscii(a[i - 2]) == y)
                next[j] = std::min(next[j], older[j - 2] + 1);
        }
        older = std::exchange(row, next);
    }
    return row[b.size()];
}

} // namespace

std::string lowered(std::string_view text)
{
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(), lowerAscii);
    return out;
}

std::string uppered(std::string_view text)
{
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(), upperAscii);
    return out;
}

std::string_view trimmed(std::string_view text)
{
    const auto isSpace = [](char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; };
    while (!text.empty() && isSpace(text.front()))
        text.remove_prefix(1);
    while (!text.empty() && isSpace(text.back()))
        text.remove_suffix(1);
    return text;
}

std::vector<std::string> splitted(std::string_view text, char separator)
{
    std::vector<std::string> parts;
    size_t start = 0;
    for (size_t at; (at = text.find(separator, start)) != std::string_view::npos; start = at + 1)
        parts.emplace_back(text.substr(start, at - start));
    parts.emplace_back(text.substr(start));
    return parts;
}

std::string joined(const std::vector<std::string>& parts, std::string_view separator)
{
    std::string out;
    for (size_t i = 0; i < parts.size(); ++i) {
        if (i > 0)
            out += separator;
        out += parts[i];
    }
    return out;
}

std::string listed(const std::vector<std::string>& parts)
{
    if (parts.empty())
        return {};
    if (parts.size() == 1)
        return parts.front();
    const std::vector<std::string> head(parts.begin(), parts.end() - 1);
    return joined(head, ", ") + say(" and {}", parts.back());
}

std::string counted(long number, std::string_view what)
{
    return std::to_string(number) + " " + std::string(what) + (number == 1 ? "" : "s");
}

bool isUtf8(std::string_view text)
{
    for (size_t i = 0; i < text.size();) {
        const auto lead = static_cast<uint8_t>(text[i]);
        int more = 0;
        uint32_t code = 0;
        if (lead < 0x80) {
            ++i;
            continue;
        }
        if (lead >= 0xC2 && lead <= 0xDF) {
            more = 1;
            code = lead & 0x1Fu;
        } else if (lead >= 0xE0 && lead <= 0xEF) {
            more = 2;
            code = lead & 0x0Fu;
        } else if (lead >= 0xF0 && lead <= 0xF4) {
            more = 3;
            code = lead & 0x07u;
        } else {
            return false;
        }
        if (i + static_cast<size_t>(more) >= text.size())
            return false;
        for (int k = 1; k <= more; ++k) {
            const auto byte = static_cast<uint8_t>(text[i + static_cast<size_t>(k)]);
            if ((byte & 0xC0u) != 0x80u)
                return false;
            code = code << 6 | (byte & 0x3Fu);
        }
        if ((more == 2 && (code < 0x800 || (code >= 0xD800 && code <= 0xDFFF))) ||
            (more == 3 && (code < 0x10000 || code > 0x10FFFF)))
            return false;
        i += static_cast<size_t>(more) + 1;
    }
    return true;
}

std::string nearest(std::string_view word, const std::vector<std::string>& candidates)
{
    // A long word is never compared: the distance is quadratic and input is not to be trusted.
    if (word.empty() || word.size() > 64)
        return {};
    const size_t allowed = std::max<size_t>(1, word.size() / 3);
    size_t best = allowed + 1;
    std::string found;
    for (const std::string& candidate : candidates) {
        if (candidate.size() > 64)
            continue;
        const size_t distance = editDistance(word, candidate);
        if (distance < best) {
            best = distance;
            found = candidate;
        }
    }
    return found;
}

std::string didYouMean(std::string_view word, const std::vector<std::string>& candidates)
{
    const std::string found = nearest(word, candidates);
    return found.empty() ? std::string() : say(" Did you mean \"") + found + "\"?";
}

bool naturalLess(std::string_view a, std::string_view b)
{
    size_t i = 0;
    size_t j = 0;
    while (i < a.size() && j < b.size()) {
        if (isDigit(a[i]) && isDigit(b[j])) {
            const auto digits = [](std::string_view s, size_t& at) {
                while (at < s.size() && s[at] == '0')
                    ++at;
                const size_t start = at;
                while (at < s.size() && isDigit(s[at]))
                    ++at;
                return s.substr(start, at - start);
            };
            const std::string_view x = digits(a, i);
            const std::string_view y = digits(b, j);
            if (x.size() != y.size())
                return x.size() < y.size();
            if (x != y)
                return x < y;
            continue;
        }
        if (a[i] != b[j])
            return a[i] < b[j];
        ++i;
        ++j;
    }
    if ((i < a.size()) != (j < b.size()))
        return j < b.size();
    return a < b; // "PA01" and "PA1" differ only here
}

std::string withLineFeeds(std::string_view text)
{
    std::string out;
    out.reserve(text.size());
    for (std::size_t i = 0; i < text.size(); ++i)
        if (text[i] != '\r' || i + 1 == text.size() || text[i + 1] != '\n')
            out += text[i];
    return out;
}

std::string withLineEndsOf(std::string_view like, std::string text)
{
    std::size_t all = 0, returns = 0;
    for (std::size_t i = 0; i < like.size(); ++i)
        if (like[i] == '\n') {
            ++all;
            returns += i > 0 && like[i - 1] == '\r';
        }
    if (returns * 2 <= all)
        return text;
    std::string out;
    out.reserve(text.size() + all);
    for (const char c : text) {
        if (c == '\n')
            out += '\r';
        out += c;
    }
    return out;
}

namespace {

/// Length of the well-formed UTF-8 sequence that begins `text`, and its character; length 0 when there is none.
std::pair<std::size_t, char32_t> firstCharacter(std::string_view text)
{
    const auto lead = static_cast<unsigned char>(text.front());
    const std::size_t length = lead < 0x80 ? 1 : lead < 0xE0 ? 2 : lead < 0xF0 ? 3 : 4;
    if (text.size() < length || !isUtf8(text.substr(0, length)))
        return {0, 0};
    char32_t out = length == 1 ? lead : lead & (0xFFu >> (length + 1));
    for (std::size_t i = 1; i < length; ++i)
        out = out << 6 | (static_cast<unsigned char>(text[i]) & 0x3Fu);
    return {length, out};
}

/// Unicode's controls, separators of lines and paragraphs, and the marks, embeddings, overrides and isolates of the
/// bidirectional algorithm (UAX 9), with the byte order mark and other invisible formats.
bool isHidden(char32_t c)
{
    return c < 0x20 || (c >= 0x7F && c <= 0x9F) || c == 0x61C || (c >= 0x200B && c <= 0x200F) ||
           (c >= 0x2028 && c <= 0x202E) || (c >= 0x2060 && c <= 0x206F) || c == 0xFEFF || (c >= 0xFFF9 && c <= 0xFFFB);
}

} // namespace

std::string printable(std::string_view text, bool allowLineFeeds)
{
    constexpr const char* kDigits = "0123456789abcdef";
    std::string out;
    out.reserve(text.size());
    while (!text.empty()) {
        const auto [length, c] = firstCharacter(text);
        if (length == 0 || (length == 1 && isHidden(c) && !(allowLineFeeds && c == '\n'))) {
            const auto byte = static_cast<unsigned char>(text.front());
            out.append("\\x") += kDigits[byte >> 4];
            out += kDigits[byte & 15u];
            text.remove_prefix(1);
        } else {
            if (length > 1 && isHidden(c)) {
                out.append("\\u");
                for (int shift = 12; shift >= 0; shift -= 4)
                    out += kDigits[(c >> shift) & 15u];
            } else {
                out.append(text.substr(0, length));
            }
            text.remove_prefix(length);
        }
    }
    return out;
}

bool isPrintable(std::string_view text)
{
    // Nearly all texts are plain ASCII, and there are many.
    return std::ranges::all_of(text, [](char c) { return c >= ' ' && c <= '~'; }) || printable(text) == text;
}

} // namespace bindrel
