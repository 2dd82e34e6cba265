// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can_filters.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <charconv>
#include <optional>
#include <tuple>

namespace bindrel {

namespace {

constexpr std::size_t kMostRanges = 64;
/// With more blocks than this each range is first taken as a whole, by what its ends have in common.
constexpr std::size_t kMostBlocks = 128;
/// Pieces into which filters are split to count what passes.
constexpr int kMostPieces = 20'000;
constexpr std::uint32_t kStandard = 0x7FF, kExtended = 0x1FFFFFFF;

std::uint32_t allBits(bool extended)
{
    return extended ? kExtended : kStandard;
}

std::optional<std::uint32_t> numberIn(std::string_view text)
{
    const bool hex = text.starts_with("0x") || text.starts_with("0X");
    if (hex)
        text.remove_prefix(2);
    std::uint32_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, hex ? 16 : 10);
    return error == std::errc() && end == text.data() + text.size() && !text.empty() && value <= kExtended
               ? std::optional(value)
               : std::nullopt;
}

/// Aligned blocks of a power of two that make up a range.
void blocksOf(const CanRange& range, std::vector<CanFilter>& out)
{
    std::uint64_t at = range.first;
    const std::uint64_t end = std::uint64_t(range.last) + 1;
    while (at < end) {
        std::uint64_t size = at == 0 ? std::uint64_t(allBits(range.extended)) + 1 : at & (~at + 1);
        while (at + size > end)
            size /= 2;
        out.push_back({std::uint32_t(at), allBits(range.extended) & ~std::uint32_t(size - 1), range.extended});
        at += size;
    }
}

/// The smallest filter that passes what either does.
CanFilter united(const CanFilter& a, const CanFilter& b)
{
    const std::uint32_t mask = a.mask & b.mask & ~(a.id ^ b.id);
    return {a.id & mask, mask, a.extended};
}

std::uint64_t sizeOf(const CanFilter& filter)
{
    return std::uint64_t(1) << std::popcount(allBits(filter.extended) & ~filter.mask);
}

bool covers(const CanFilter& a, const CanFilter& b)
{
    return a.extended == b.extended && (a.mask & ~b.mask) == 0 && ((a.id ^ b.id) & a.mask) == 0;
}

void dropCovered(std::vector<CanFilter>& filters)
{
    for (std::size_t i = 0; i < filters.size(); ++i)
        for (std::size_t k = 0; k < filters.size(); ++k)
            if (i != k && covers(filters[k], filters[i])) {
                filters.erase(filters.begin() + std::ptrdiff_t(i--));
                break;
            }
}

/// Pairs that differ in one bit are one filter that does not look at it: nothing else passes.
void joinExactly(std::vector<CanFilter>& filters)
{
    for (bool again = true; again;) {
        again = false;
        for (std::size_t i = 0; i < filters.size() && !again; ++i)
            for (std::size_t k = i + 1; k < filters.size() && !again; ++k)
                if (filters[i].extended == filters[k].extended && filters[i].mask == filters[k].mask &&
                    std::popcount(filters[i].id ^ filters[k].id) == 1) {
                    filters[i] = united(filters[i], filters[k]);
                    filters.erase(filters.begin() + std::ptrdiff_t(k));
                    again = true;
                }
    }
}

/// How many identifiers pass, each counted once: by splitting what two filters share off one of them.
/// Empty when that takes too many.
std::optional<std::uint64_t> passing(const std::vector<CanFilter>& filters)
{
    std::vector<std::pair<CanFilter, std::size_t>>
        waiting; // with the first of `filters` that it is not known to be apart from
    for (std::size_t i = filters.size(); i-- > 0;)
        waiting.emplace_back(filters[i], i + 1);
    std::uint64_t sum = 0;
    for (int pieces = 0; !waiting.empty(); ++pieces) {
        if (pieces > kMostPieces)
            return std::nullopt;
        auto [filter, next] = waiting.back();
        waiting.pop_back();
        for (; next < filters.size(); ++next) {
            const CanFilter& other = filters[next];
            if (other.extended != filter.extended || ((other.id ^ filter.id) & other.mask & filter.mask) != 0)
                continue;
            if (covers(other, filter))
                break;
            // A bit that only the other looks at: the half that it lets through waits, the other half is apart from it.
            const std::uint32_t bit = std::bit_floor(other.mask & ~filter.mask);
            CanFilter inside = filter, outside = filter;
            inside.mask = outside.mask = filter.mask | bit;
            inside.id = (filter.id & ~bit) | (other.id & bit);
            outside.id = (filter.id & ~bit) | (~other.id & bit);
            waiting.emplace_back(inside, next);
            filter = outside;
        }
        if (next >= filters.size())
            sum += sizeOf(filter);
    }
    return sum;
}

} // namespace

Expected<std::vector<CanRange>> parseCanFilters(std::string_view text)
{
    std::vector<CanRange> out;
    std::string plain(text);
    std::replace(plain.begin(), plain.end(), ',', ' ');
    for (const std::string& word : splitted(plain, ' ')) {
        if (word.empty())
            continue;
        std::string_view rest = word;
        bool extended = false;
        if (rest.front() == 'x' || rest.front() == 'X') {
            extended = true;
            rest.remove_prefix(1);
        }
        const size_t dash = rest.find('-');
        const std::optional<std::uint32_t> first = numberIn(rest.substr(0, dash)),
                                           last =
                                               dash == std::string_view::npos ? first : numberIn(rest.substr(dash + 1));
        if (!first || !last)
            return problemOf(say(
                "\"{}\" is neither an identifier nor a range; write 0x120, 0x200-0x20F or x0x100 for an extended one.",
                word));
        if (*last < *first)
            return problemOf(say("\"{}\": the range ends before it begins.", word));
        out.push_back({*first, *last, extended || *last > kStandard});
    }
    std::sort(out.begin(), out.end(), [](const CanRange& a, const CanRange& b) {
        return std::tuple(a.extended, a.first) < std::tuple(b.extended, b.first);
    });
    std::vector<CanRange> merged;
    for (const CanRange& range : out)
        if (!merged.empty() && merged.back().extended == range.extended &&
            range.first <= std::uint64_t(merged.back().last) + 1)
            merged.back().last = std::max(merged.back().last, range.last);
        else
            merged.push_back(range);
    if (merged.size() > kMostRanges)
        return problemOf(say(
            "{} identifiers and ranges exceed the limit of {}; use a wider range and check the rest in the program.",
            merged.size(), kMostRanges));
    return merged;
}

CanFilters coverByMasks(const std::vector<CanRange>& ranges, std::size_t most)
{
    CanFilters out;
    std::uint64_t asked = 0;
    for (const CanRange& range : ranges) {
        blocksOf(range, out.filters);
        asked += std::uint64_t(range.last) - range.first + 1;
    }
    if (out.filters.size() > kMostBlocks) {
        out.filters.clear();
        for (const CanRange& range : ranges)
            out.filters.push_back(united({range.first, allBits(range.extended), range.extended},
                                         {range.last, allBits(range.extended), range.extended}));
        // What the ends have in common are upper bits; below the first that differs all count for nothing.
        for (CanFilter& filter : out.filters) {
            const std::uint32_t differs = allBits(filter.extended) & ~filter.mask;
            filter.mask &= ~(differs == 0 ? 0u : std::bit_ceil(differs + 1u) - 1u);
            filter.id &= filter.mask;
        }
        dropCovered(out.filters);
    }
    joinExactly(out.filters);
    while (out.filters.size() > most) {
        std::optional<std::tuple<std::uint64_t, std::size_t, std::size_t>> best;
        for (std::size_t i = 0; i < out.filters.size(); ++i)
            for (std::size_t k = i + 1; k < out.filters.size(); ++k)
                if (out.filters[i].extended == out.filters[k].extended) {
                    const std::uint64_t size = sizeOf(united(out.filters[i], out.filters[k]));
                    const std::uint64_t both = sizeOf(out.filters[i]) + sizeOf(out.filters[k]);
                    const std::tuple candidate{size > both ? size - both : 0, i, k};
                    if (!best || candidate < *best)
                        best = candidate;
                }
        if (!best)
            break; // one of each sort: they cannot be one
        const auto [cost, i, k] = *best;
        out.filters[i] = united(out.filters[i], out.filters[k]);
        out.filters.erase(out.filters.begin() + std::ptrdiff_t(k));
        dropCovered(out.filters);
        joinExactly(out.filters);
    }
    const std::optional<std::uint64_t> passes = passing(out.filters);
    out.counted = passes.has_value();
    std::uint64_t sum = 0;
    for (const CanFilter& filter : out.filters)
        sum += sizeOf(filter);
    out.more = passes.value_or(sum) - asked;
    return out;
}

} // namespace bindrel
