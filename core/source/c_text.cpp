// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/c_text.h"

#include "core/base/text.h"

#include <algorithm>
#include <array>
#include <utility>

namespace bindrel {

namespace {
void replaceAll(std::string& text, std::string_view from, std::string_view to)
{
    for (std::size_t at = 0; (at = text.find(from, at)) != std::string::npos; at += to.size())
        text.replace(at, from.size(), to);
}

constexpr std::array<std::pair<std::string_view, std::string_view>, 11> kAscii{{{"\u00b1", "+-"}, {"\u00f7", "/"}, {"\u00d7", "x"},
    {"\u00b5", "u"}, {"\u03bc", "u"}, {"\u2265", ">="}, {"\u2264", "<="}, {"\u2026", "..."}, {"\u2192", "->"}, {"\u2009", " "}, {"\u2212", "-"}}};

constexpr std::array<std::string_view, 44> kKeywords{{"auto", "break", "case", "char", "const", "continue", "default", "do", "double",
    "else", "enum", "extern", "float", "for", "goto", "if", "inline", "int", "long", "register", "restrict", "return", "short",
    "signed", "sizeof", "static", "struct", "switch", "typedef", "union", "unsigned", "void", "volatile", "while", "bool", "true",
    "false", "main", "asm", "typeof", "alignas", "alignof", "noreturn", "errno"}};
} // namespace

std::string commentText(std::string_view given)
{
    std::string text(given);
    for (const auto& [from, to] : kAscii)
        replaceAll(text, from, to);
    std::string out;
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte >= 0x80) {
            if ((byte & 0xC0u) != 0x80u) // one mark for a whole character
                out += '?';
        } else if (byte < 0x20 || byte == 0x7F) {
            out += ' ';
        } else {
            out += c == '\\' ? '/' : c; // a backslash at the end of a line would swallow the next
        }
    }
    // Pairs are broken up until none is left, since breaking one cannot make another.
    for (const auto& [from, to] : {std::pair<std::string_view, std::string_view>{"*/", "* /"}, {"/*", "/ *"}, {"?" "?", "? ?"}})
        for (std::size_t at; (at = out.find(from)) != std::string::npos;)
            out.replace(at, from.size(), to);
    return out;
}

std::string identifierOf(std::string_view text)
{
    std::string out;
    for (const char c : lowered(text)) {
        if ((c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'))
            out += c;
        else if (!out.empty() && out.back() != '_')
            out += '_';
        if (out.size() >= 40)
            break;
    }
    while (!out.empty() && out.back() == '_')
        out.pop_back();
    if (out.empty())
        out = "plan";
    if (out.front() >= '0' && out.front() <= '9')
        out.insert(out.begin(), 'n');
    return out;
}

std::string Identifiers::take(std::string_view wanted)
{
    const std::string base = identifierOf(wanted);
    std::string name = base;
    if (std::find(kKeywords.begin(), kKeywords.end(), name) != kKeywords.end())
        name += "_";
    for (int n = 2; !used_.insert(name).second; ++n)
        name = base + "_" + std::to_string(n);
    return name;
}

} // namespace bindrel
