// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

namespace bindrel {

/// Of keys that searches remember answers by: rates, settings and clocks as a row of numbers.
struct WordsHash {
    std::size_t operator()(const std::vector<std::int64_t>& key) const
    {
        std::size_t hash = key.size();
        for (const std::int64_t word : key)
            hash = (hash ^ std::size_t(word)) * 0x9E3779B97F4A7C15u + (hash >> 29);
        return hash;
    }
};

} // namespace bindrel
