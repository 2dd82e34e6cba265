// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <charconv>
#include <cstdint>
#include <optional>
#include <string_view>

namespace bindrel {

/// A number in decimal digits, and nothing else; empty for any other text and above `most`.
inline std::optional<std::int64_t> wholeNumber(std::string_view text, std::int64_t most = INT64_MAX)
{
    std::int64_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    const bool whole = error == std::errc() && end == text.data() + text.size() && text.front() != '-';
    return whole && value <= most ? std::optional(value) : std::nullopt;
}

} // namespace bindrel
