// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/csv.h"

#include <algorithm>

namespace bindrel {

namespace {

/// A sign, digits, and a unit of letters: nothing that a spreadsheet could work out or call.
bool isSignedQuantity(std::string_view text)
{
    text.remove_prefix(1);
    const std::size_t digits = std::min(text.find_first_not_of("0123456789.,"), text.size());
    if (digits == 0)
        return false;
    text.remove_prefix(digits);
    return std::all_of(text.begin(), text.end(), [](char c) { return c == ' ' || c == '%' || c == '/' || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || static_cast<unsigned char>(c) >= 0x80; });
}

} // namespace

std::string cellText(std::string_view text)
{
    if (text.empty())
        return {};
    const char first = text.front();
    const bool formula = first == '=' || first == '@' || first == '\t' || first == '\r' || first == '\n' || ((first == '+' || first == '-') && text.size() > 1 && !isSignedQuantity(text));
    return (formula ? "'" : "") + std::string(text);
}

std::string csvLine(const std::vector<std::string>& cells)
{
    std::string out;
    for (std::size_t i = 0; i < cells.size(); ++i) {
        const std::string text = cellText(cells[i]);
        out += i ? "," : "";
        if (text.find_first_of(",\"\r\n") == std::string::npos) {
            out += text;
            continue;
        }
        out += '"';
        for (const char c : text)
            out.append(c == '"' ? "\"\"" : std::string(1, c));
        out += '"';
    }
    return out + "\r\n";
}

} // namespace bindrel
