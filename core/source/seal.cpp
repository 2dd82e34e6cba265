// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/seal.h"

#include "core/base/checksum.h"
#include "core/source/keep_regions.h"

namespace bindrel {

namespace {

constexpr std::string_view kWord = "Bindrel seal ";
constexpr std::size_t kDigits = 16;
constexpr std::size_t kHead = 4000; ///< bytes in which the seal must stand

/// Where the digest's digits begin; npos without a seal.
std::size_t digitsAt(std::string_view text)
{
    const std::size_t at = text.substr(0, kHead).find(kWord);
    return at == std::string_view::npos || at + kWord.size() + kDigits + 4 > text.size() ? std::string_view::npos
                                                                                         : at + kWord.size();
}

std::string digestOf(std::string_view text)
{
    std::string bare = withoutRegions(text);
    if (const std::size_t at = digitsAt(bare); at != std::string::npos)
        bare.replace(at, kDigits, kDigits, '0');
    return checksum(bare).substr(0, kDigits);
}

/// What stands before the end of a string of JSON.
std::string unquoted(std::string_view text)
{
    std::string out;
    for (std::size_t i = 0; i < text.size() && text[i] != '"'; ++i) {
        i += text[i] == '\\' && i + 1 < text.size();
        out += text[i];
    }
    return out;
}

} // namespace

std::string sealLine(std::string_view plan, std::string_view digest)
{
    return std::string(kWord).append(digest).append(" of ").append(plan);
}

std::optional<Seal> sealOf(std::string_view text)
{
    const std::size_t at = digitsAt(text);
    if (at == std::string_view::npos)
        return std::nullopt;
    std::string_view rest = text.substr(at + kDigits);
    if (!rest.starts_with(" of "))
        return std::nullopt;
    rest.remove_prefix(4);
    rest = rest.substr(0, rest.find('\n'));
    if (rest.ends_with(" */"))
        rest.remove_suffix(3);
    const std::size_t begin = at - kWord.size();
    const bool quoted = begin > 0 && text[begin - 1] == '"';
    return Seal{std::string(text.substr(at, kDigits)), quoted ? unquoted(rest) : std::string(rest)};
}

std::string sealed(std::string text)
{
    if (const std::size_t at = digitsAt(text); at != std::string::npos)
        text.replace(at, kDigits, digestOf(text));
    return text;
}

bool isUntouched(std::string_view text)
{
    const std::optional<Seal> seal = sealOf(text);
    return seal && seal->digest == digestOf(text);
}

} // namespace bindrel
