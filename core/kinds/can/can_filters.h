// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <cstddef>
#include <cstdint>
#include <string_view>
#include <vector>

namespace bindrel {

/// Identifiers from the first to the last, of 11 bits or (extended) of 29.
struct CanRange {
    std::uint32_t first = 0, last = 0;
    bool extended = false;
};

/// "0x120, 0x200-0x20F, 0x18FF50E5, x0x100": numbers or ranges with commas or blanks between; hexadecimal with 0x, else
/// decimal. More than 11 bits, or an x in front, make it extended. Ranges that touch or overlap become one; in rising
/// order, extended ones last. At most 64.
Expected<std::vector<CanRange>> parseCanFilters(std::string_view text);

/// Lets a frame through when the bits of its identifier that count are those of `id`.
struct CanFilter {
    std::uint32_t id = 0, mask = 0; ///< a one in the mask: the bit counts
    bool extended = false;
    bool passes(std::uint32_t other, bool isExtended) const
    {
        return isExtended == extended && ((other ^ id) & mask) == 0;
    }
};

struct CanFilters {
    std::vector<CanFilter> filters;
    std::uint64_t more = 0; ///< identifiers that pass beside those asked for, at most
    bool counted = true;    ///< and no fewer
};

/// Filters that let all ranges through and nothing else, where `most` suffice; else as many as there are, and as few
/// others as a merge of the nearest pairs gives. REQUIRES: most > 0 and ranges of parseCanFilters
CanFilters coverByMasks(const std::vector<CanRange>& ranges, std::size_t most);

} // namespace bindrel
