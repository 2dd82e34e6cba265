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
    return std::all_of(text.begin(), text.end(), [](char c) {
        return c == ' ' || c == '%' || c == '/' || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
               static_cast<unsigned char>(c) >= 0x80;
    });
}

/// Blanks of all sorts that readers pass over before they look for a formula, and the signs that begin one, also in
/// full width.
constexpr std::string_view kBlanks[] = {" ",      "\"",     "\t",     "\r",     "\n",     "\v",     "\f",
                                        "\u00a0", "\u2002", "\u2003", "\u2009", "\u202f", "\u3000", "\ufeff"};
constexpr std::string_view kSigns[] = {"=", "@", "+", "-", "\uff1d", "\uff20", "\uff0b", "\uff0d"};

/// The bytes at the beginning of the text that are one of the list; 0: none.
template <std::size_t N> std::size_t startsWithOne(std::string_view text, const std::string_view (&list)[N])
{
    for (const std::string_view one : list)
        if (text.starts_with(one))
            return one.size();
    return 0;
}

/// Whether what stands here would be worked out by a reader that begins a cell here.
bool beginsFormula(std::string_view text)
{
    while (const std::size_t blank = startsWithOne(text, kBlanks))
        text.remove_prefix(blank);
    const std::size_t sign = startsWithOne(text, kSigns);
    if (sign == 0)
        return false;
    // "-40 °C" is a quantity and "-" nothing at all: no reader calls them.
    const std::string_view cell = text.substr(0, text.find_first_of(";\t,|\r\n"));
    const bool plus = text.front() == '+' || text.front() == '-';
    return !plus || (cell.size() > sign && !isSignedQuantity(cell));
}

} // namespace

std::string cellText(std::string_view text)
{
    std::string out;
    // A reader may separate by another character than we do: what follows any of them begins a cell to somebody.
    for (std::size_t at = 0; at < text.size(); ++at) {
        const bool begins = at == 0 || std::string_view(";\t,|\r\n").find(text[at - 1]) != std::string_view::npos;
        if (begins && beginsFormula(text.substr(at)))
            out += '\'';
        out += text[at];
    }
    // Text that begins with a tab or an end of line is one that somebody wants to be taken for more than one cell.
    if (!text.empty() && (text.front() == '\t' || text.front() == '\r' || text.front() == '\n') && out.front() != '\'')
        out.insert(out.begin(), '\'');
    return out;
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
