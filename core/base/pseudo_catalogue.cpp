// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/pseudo_catalogue.h"

#include <array>

namespace bindrel {

namespace {

constexpr std::array<const char*, 26> kSmall{"å", "ƀ", "ç", "ð", "é", "ƒ", "ĝ", "ĥ", "î", "ĵ", "ķ", "ļ", "ɱ",
                                             "ñ", "ô", "þ", "ǫ", "ŕ", "š", "ţ", "û", "ṽ", "ŵ", "ẋ", "ý", "ž"};
constexpr std::array<const char*, 26> kLarge{"Å", "Ɓ", "Ç", "Ð", "É", "Ƒ", "Ĝ", "Ĥ", "Î", "Ĵ", "Ķ", "Ļ", "Ṁ",
                                             "Ñ", "Ô", "Þ", "Ǫ", "Ŕ", "Š", "Ţ", "Û", "Ṽ", "Ŵ", "Ẋ", "Ý", "Ž"};

bool isLetter(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}

/// Length of what must stay as it is at the beginning of `rest`; 0: nothing.
std::size_t kept(std::string_view rest)
{
    const auto through = [&](char end) {
        const std::size_t at = rest.find(end);
        return at == std::string_view::npos ? 0 : at + 1;
    };
    if (rest.starts_with("{{") || rest.starts_with("}}"))
        return 2;
    if (rest[0] == '{')
        return through('}');
    if (rest[0] == '<' && rest.size() > 1 && (isLetter(rest[1]) || rest[1] == '/'))
        return through('>');
    if (rest.starts_with("(*"))
        return through(')');
    if (rest.starts_with("--")) { // an option of a program
        std::size_t end = 2;
        while (end < rest.size() && (isLetter(rest[end]) || rest[end] == '-'))
            ++end;
        return end;
    }
    if (rest[0] == '&') {
        std::size_t end = 1;
        while (end < rest.size() && isLetter(rest[end]))
            ++end;
        if (end > 1 && end < rest.size() && rest[end] == ';') // "&nbsp;"
            return end + 1;
        return rest.size() > 1 ? 2 : 1; // the letter of a shortcut
    }
    if (rest[0] == '%')
        return rest.size() > 1 ? 2 : 1;
    return 0;
}

} // namespace

std::string PseudoCatalogue::accented(std::string_view english)
{
    std::string out;
    for (std::size_t i = 0; i < english.size();) {
        if (const std::size_t same = kept(english.substr(i)); same > 0) {
            out += english.substr(i, same);
            i += same;
            continue;
        }
        const char c = english[i++];
        if (c >= 'a' && c <= 'z') {
            out += kSmall[std::size_t(c - 'a')];
            if (c == 'a' || c == 'e' || c == 'o')
                out += kSmall[std::size_t(c - 'a')];
        } else
            out += c >= 'A' && c <= 'Z' ? kLarge[std::size_t(c - 'A')] : std::string(1, c);
    }
    return out;
}

const char* PseudoCatalogue::find(const char* english) const
{
    const std::lock_guard lock(mutex_);
    auto& text = texts_[english];
    if (!text)
        text = std::make_unique<std::string>(accented(english));
    return text->c_str();
}

const char* PseudoCatalogue::find(const char* one, const char* many, long number) const
{
    return find(number == 1 ? one : many);
}

} // namespace bindrel
