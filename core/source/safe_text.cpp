// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/safe_text.h"

#include "core/base/text.h"

#include <fmt/format.h>

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

constexpr std::array<std::pair<std::string_view, std::string_view>, 11> kAscii{{{"\u00b1", "+-"},
                                                                                {"\u00f7", "/"},
                                                                                {"\u00d7", "x"},
                                                                                {"\u00b5", "u"},
                                                                                {"\u03bc", "u"},
                                                                                {"\u2265", ">="},
                                                                                {"\u2264", "<="},
                                                                                {"\u2026", "..."},
                                                                                {"\u2192", "->"},
                                                                                {"\u2009", " "},
                                                                                {"\u2212", "-"}}};

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
    for (const auto& [from, to] : {std::pair<std::string_view, std::string_view>{"*/", "* /"},
                                   {"/*", "/ *"},
                                   {"?"
                                    "?",
                                    "? ?"}})
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

Word Word::spelled(std::string_view text)
{
    std::string out;
    for (const char c : text.substr(0, 64))
        out += (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ? c : '_';
    if (out.empty())
        out = "_";
    return Word(std::move(out));
}

Word Word::upper() const
{
    return Word(uppered(text_));
}

Code cComment(std::string_view text)
{
    return Code::trusted("/* " + commentText(text) + " */");
}

Code cString(std::string_view given)
{
    std::string text(given);
    for (const auto& [from, to] : kAscii)
        replaceAll(text, from, to);
    std::string out = "\"";
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte < 0x20 || byte >= 0x7F)
            out += fmt::format("\\{:03o}", byte); // three digits: a digit behind it is not taken for a part of it
        else if (c == '"' || c == '\\' || c == '?')
            out.append("\\") += c;
        else
            out += c;
    }
    return Code::trusted(out + "\"");
}

Piece<Language::Markdown> markdownText(std::string_view text)
{
    std::string out;
    for (const char c : commentText(text)) {
        if (c == '<' || c == '>' || c == '&') {
            out += c == '<' ? "&lt;" : c == '>' ? "&gt;" : "&amp;";
            continue;
        }
        if (std::string_view("\\`*_[]|~#!").find(c) != std::string_view::npos)
            out += '\\';
        out += c;
    }
    return Piece<Language::Markdown>::trusted(std::move(out));
}

Piece<Language::CMake> cmakeComment(std::string_view text)
{
    return Piece<Language::CMake>::trusted("# " + commentText(text));
}

Piece<Language::Shell> shellWord(std::string_view text)
{
    const auto plain = [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
               std::string_view("_-./=+,:@%").find(c) != std::string_view::npos;
    };
    if (!text.empty() && std::all_of(text.begin(), text.end(), plain))
        return Piece<Language::Shell>::trusted(std::string(text));
    std::string out = "'";
    for (const char c : text)
        out += c == '\'' ? std::string("'\\''") : std::string(1, c);
    return Piece<Language::Shell>::trusted(out + "'");
}

Code joinedCode(const std::vector<Code>& parts, const char* separator)
{
    std::string out;
    for (std::size_t i = 0; i < parts.size(); ++i)
        out.append(i == 0 ? "" : separator).append(parts[i].text());
    return Code::trusted(std::move(out));
}

} // namespace bindrel
