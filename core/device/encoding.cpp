// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/encoding.h"

#include <algorithm>

namespace bindrel {

namespace {

std::uint32_t toBcd(std::uint32_t value)
{
    std::uint32_t code = 0;
    for (int digit = 0; digit < 8; ++digit, value /= 10)
        code |= value % 10 << 4 * digit;
    return code;
}

constexpr std::uint32_t kLargestBcd = 99'999'999;

} // namespace

std::optional<std::uint32_t> Encoding::encode(std::int64_t value) const
{
    const auto fits = [](std::int64_t code) { return code >= 0 && code <= UINT32_MAX; };
    switch (kind) {
    case Kind::AsIs:
        return fits(value) ? std::optional(static_cast<std::uint32_t>(value)) : std::nullopt;
    case Kind::MinusOne:
        return fits(value - 1) ? std::optional(static_cast<std::uint32_t>(value - 1)) : std::nullopt;
    case Kind::PowerOfTwo:
        for (std::uint32_t code = 0; code < 62; ++code)
            if (std::int64_t(1) << code == value)
                return code;
        return std::nullopt;
    case Kind::Bcd:
        return value >= 0 && value <= kLargestBcd ? std::optional(toBcd(static_cast<std::uint32_t>(value)))
                                                  : std::nullopt;
    case Kind::Table:
        for (const auto& [listed, code] : table)
            if (listed == value)
                return code;
        return std::nullopt;
    case Kind::Piecewise:
        for (const Segment& s : segments) {
            const std::int64_t steps = (value - s.base) / s.step;
            if (value >= s.base && (value - s.base) % s.step == 0 && steps <= s.lastCode - s.firstCode)
                return s.firstCode + static_cast<std::uint32_t>(steps);
        }
        return std::nullopt;
    }
    return std::nullopt;
}

std::optional<std::int64_t> Encoding::decode(std::uint32_t code) const
{
    switch (kind) {
    case Kind::AsIs:
        return code;
    case Kind::MinusOne:
        return std::int64_t(code) + 1;
    case Kind::PowerOfTwo:
        return code < 62 ? std::optional(std::int64_t(1) << code) : std::nullopt;
    case Kind::Bcd: {
        std::int64_t value = 0;
        for (int digit = 7; digit >= 0; --digit) {
            const std::uint32_t one = code >> 4 * digit & 15;
            if (one > 9)
                return std::nullopt;
            value = value * 10 + one;
        }
        return value;
    }
    case Kind::Table:
        for (const auto& [value, listed] : table)
            if (listed == code)
                return value;
        return std::nullopt;
    case Kind::Piecewise:
        for (const Segment& s : segments)
            if (code >= s.firstCode && code <= s.lastCode)
                return s.base + s.step * (std::int64_t(code) - s.firstCode);
        return std::nullopt;
    }
    return std::nullopt;
}

std::optional<std::int64_t> Encoding::atLeast(std::int64_t least, std::uint32_t maxCode) const
{
    // No field holds more than 32 bits, piecewise steps included; what lies far beyond would only overflow below.
    if (least > std::int64_t(1) << 62)
        return std::nullopt;
    std::optional<std::int64_t> best;
    const auto offer = [&](std::int64_t value) {
        const auto code = encode(value);
        if (value >= least && code && *code <= maxCode && (!best || value < *best))
            best = value;
    };
    switch (kind) {
    case Kind::AsIs:
    case Kind::Bcd:
        offer(std::max<std::int64_t>(least, 0));
        break;
    case Kind::MinusOne:
        offer(std::max<std::int64_t>(least, 1));
        break;
    case Kind::PowerOfTwo:
        for (std::uint32_t code = 0; code < 62 && code <= maxCode; ++code)
            offer(std::int64_t(1) << code);
        break;
    case Kind::Table:
        for (const auto& [value, code] : table)
            offer(value);
        break;
    case Kind::Piecewise:
        for (const Segment& s : segments) {
            const std::int64_t over = std::max<std::int64_t>(0, least - s.base);
            offer(s.base + (over + s.step - 1) / s.step * s.step);
        }
        break;
    }
    return best;
}

std::optional<std::int64_t> Encoding::nearest(std::int64_t wanted, std::uint32_t maxCode) const
{
    const auto above = atLeast(wanted, maxCode);
    std::optional<std::int64_t> below;
    // The values are dense or listed, so the next one below is found from the neighbourhood of `wanted`.
    switch (kind) {
    case Kind::AsIs:
    case Kind::MinusOne:
    case Kind::Bcd:
        below = std::min(wanted, largest(maxCode));
        if (!encode(*below))
            below.reset();
        break;
    case Kind::PowerOfTwo:
        for (std::uint32_t code = 0; code < 62 && code <= maxCode; ++code)
            if (std::int64_t(1) << code <= wanted)
                below = std::int64_t(1) << code;
        break;
    case Kind::Table:
        for (const auto& [value, code] : table)
            if (value <= wanted && code <= maxCode && (!below || value > *below))
                below = value;
        break;
    case Kind::Piecewise:
        for (const Segment& s : segments) {
            if (wanted < s.base || s.firstCode > maxCode)
                continue;
            const std::int64_t steps =
                std::min<std::int64_t>((wanted - s.base) / s.step, std::min(s.lastCode, maxCode) - s.firstCode);
            below = std::max(below.value_or(INT64_MIN), s.base + steps * s.step);
        }
        break;
    }
    if (!above || !below)
        return above ? above : below;
    return wanted - *below < *above - wanted ? below : above;
}

std::int64_t Encoding::largest(std::uint32_t maxCode) const
{
    switch (kind) {
    case Kind::AsIs:
        return maxCode;
    case Kind::MinusOne:
        return std::int64_t(maxCode) + 1;
    case Kind::PowerOfTwo:
        return std::int64_t(1) << std::min<std::uint32_t>(maxCode, 61);
    case Kind::Bcd: {
        // Codes rise with their values.
        std::int64_t low = 0, high = kLargestBcd;
        while (low < high) {
            const std::int64_t middle = (low + high + 1) / 2;
            if (toBcd(static_cast<std::uint32_t>(middle)) <= maxCode)
                low = middle;
            else
                high = middle - 1;
        }
        return low;
    }
    case Kind::Table:
    case Kind::Piecewise:
        break;
    }
    std::int64_t best = 0;
    for (const auto& [value, code] : table)
        if (code <= maxCode)
            best = std::max(best, value);
    for (const Segment& s : segments)
        if (s.firstCode <= maxCode)
            best = std::max(best, s.base + s.step * (std::int64_t(std::min(s.lastCode, maxCode)) - s.firstCode));
    return best;
}

std::string Encoding::formula() const
{
    switch (kind) {
    case Kind::AsIs:
        return "n";
    case Kind::MinusOne:
        return "n - 1";
    case Kind::PowerOfTwo:
        return "log2 n";
    case Kind::Bcd:
        return "BCD";
    case Kind::Table:
        return "by table";
    case Kind::Piecewise:
        return "piecewise";
    }
    return {};
}

} // namespace bindrel
