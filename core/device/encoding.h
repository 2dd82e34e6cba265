// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace bindrel {

/// How a quantity that the arithmetic computes ("÷27", "104 ticks") is put into the bits of a register field.
struct Encoding {
    enum class Kind {
        AsIs,       ///< code = value
        MinusOne,   ///< code = value - 1
        PowerOfTwo, ///< code = log2(value)
        Bcd,        ///< four bits a decimal digit
        Table,      ///< listed pairs of value and code
        Piecewise,  ///< segments of codes, each with its own step
    };

    struct Segment {
        std::uint32_t firstCode = 0;
        std::uint32_t lastCode = 0;
        std::int64_t base = 0; ///< value of firstCode
        std::int64_t step = 1; ///< value per code
    };

    Kind kind = Kind::AsIs;
    std::vector<std::pair<std::int64_t, std::uint32_t>> table; ///< value, code; Table only
    std::vector<Segment> segments;                             ///< rising in code and value; Piecewise only

    /// The code of exactly this value, when it has one. The field's width is not looked at here.
    std::optional<std::uint32_t> encode(std::int64_t value) const;
    /// The value of a code, when the code means one.
    std::optional<std::int64_t> decode(std::uint32_t code) const;
    /// The smallest value >= `least` that has a code of at most `maxCode`.
    std::optional<std::int64_t> atLeast(std::int64_t least, std::uint32_t maxCode) const;
    /// The nearest value (the larger one of two as near) that has a code of at most `maxCode`.
    std::optional<std::int64_t> nearest(std::int64_t wanted, std::uint32_t maxCode) const;
    /// The largest value with a code of at most `maxCode`, 0 when there is none.
    std::int64_t largest(std::uint32_t maxCode) const;

    /// "n", "n - 1", "log2 n", "table", "piecewise": for people.
    std::string formula() const;
};

} // namespace bindrel
