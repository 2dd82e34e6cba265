// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/common/division.h"

#include "core/pins/overrides.h"

#include <algorithm>
#include <cmath>

namespace bindrel {

namespace {

/// More prescalers than these have no chip; the bound keeps a hostile file from stalling the pipeline.
constexpr int kMostPrescalers = 131'072;

/// Values that a role can have: one value of 1 where the block has no such role, the one that is set by hand where it
/// is.
class Factor {
public:
    /// `heeds`: what is set by hand.
    Factor(const TuningContext& c, bool heeds, std::string_view role, std::int64_t most = INT64_MAX)
        : has_(c.has(role)), encoding_(c.encoding(role)), maxCode_(c.maxCode(role)), most_(most),
          only_(heeds ? c.byHand(role) : std::nullopt)
    {
    }

    std::optional<std::int64_t> atLeast(std::int64_t least) const
    {
        if (!has_)
            return least <= 1 ? std::optional<std::int64_t>(1) : std::nullopt;
        if (only_)
            return *only_ >= least ? only_ : std::nullopt;
        return within(encoding_.atLeast(std::max<std::int64_t>(least, 1), maxCode_));
    }
    std::optional<std::int64_t> nearest(std::int64_t wanted) const
    {
        if (!has_)
            return 1;
        if (only_)
            return only_;
        const std::optional<std::int64_t> found = encoding_.nearest(std::min(wanted, most_), maxCode_);
        return !found || *found <= most_ ? found : largest() > 0 ? std::optional(largest()) : std::nullopt;
    }
    /// The largest that it can be; of one that is bounded from elsewhere as well, the largest within that.
    std::int64_t largest() const
    {
        if (!has_)
            return 1;
        if (only_)
            return *only_;
        const std::int64_t all = encoding_.largest(maxCode_);
        if (all <= most_)
            return all;
        // Downwards from the bound to the next value that there is: dense codes have it at once.
        for (std::int64_t value = most_; value >= 1 && value > most_ - 4096; --value)
            if (const auto found = encoding_.atLeast(value, maxCode_); found && *found <= most_)
                return *found;
        return 0;
    }
    /// Whether it can be every whole number from 1 to its largest.
    bool dense() const
    {
        return !has_ ||
               (!only_ && (encoding_.kind == Encoding::Kind::AsIs || encoding_.kind == Encoding::Kind::MinusOne));
    }

private:
    std::optional<std::int64_t> within(std::optional<std::int64_t> value) const
    {
        return value && *value <= most_ ? value : std::nullopt;
    }

    bool has_;
    const Encoding& encoding_;
    std::uint32_t maxCode_;
    std::int64_t most_;
    std::optional<std::int64_t> only_; ///< set by hand
};

/// The number of cycles to the 2^30th part of one, where it is a fraction of more than 64 bits: nothing is decided by
/// less.
Rational manageable(const Rational& cycles)
{
    constexpr std::int64_t kParts = INT64_C(1) << 30;
    return !cycles.defined() || cycles.fits64() ? cycles : Rational((cycles * kParts).round(), kParts);
}

/// How far `cycles` is from `wanted`, as a fraction whose parts fit 128 bits for all registers of 32 bits.
struct Distance {
    __int128 num = 0, den = 1;

    Distance(const Rational& wanted, __int128 cycles, DividedBy::Error error)
    {
        num = cycles * wanted.den() - wanted.num();
        num = num < 0 ? -num : num;
        den = error == DividedBy::Error::OfRate ? cycles : __int128(1);
    }
    bool operator<(const Distance& other) const
    {
        // Cross products may leave 128 bits for absurd numbers; doubles are near enough for these.
        if (num < (__int128(1) << 62) && other.num < (__int128(1) << 62) && den < (__int128(1) << 62) &&
            other.den < (__int128(1) << 62))
            return num * other.den < other.num * den;
        return double(num) / double(den) < double(other.num) / double(other.den);
    }
};

/// Where prescaler and count can be any whole number, few products are tried: outwards from the wanted one, each for
/// divisors that a prescaler can have. The first product that has some is the nearest there is. Empty: none was found
/// within the bounds.
std::vector<Division> nearestProducts(const Rational& cycles, std::int64_t first, std::int64_t last,
                                      std::int64_t leastCount, std::int64_t mostCount, DividedBy::Error error,
                                      std::size_t most)
{
    constexpr int kMostTries = 20'000; ///< divisions of a product by a prescaler, in thousands
    std::vector<Division> out;
    std::int64_t below = cycles.floor(), above = below + 1;
    for (std::int64_t work = 0; out.size() < most && work < std::int64_t(kMostTries) * 1000;) {
        const bool down = below >= 1 && !(Distance(cycles, above, error) < Distance(cycles, below, error));
        const std::int64_t product = down ? below-- : above++;
        const std::int64_t from = std::max(first, (product + mostCount - 1) / mostCount),
                           to = std::min(last, product / leastCount);
        // Of two factors one is no larger than the root: where the range of prescalers is wide, these are fewer.
        const auto root = static_cast<std::int64_t>(std::sqrt(static_cast<double>(product))) + 1;
        std::vector<std::int64_t> prescalers;
        const auto take = [&](std::int64_t prescaler) {
            if (prescaler >= from && prescaler <= to)
                prescalers.push_back(prescaler);
        };
        if (to - from <= root) {
            for (std::int64_t prescaler = from; prescaler <= to; ++prescaler)
                if (product % prescaler == 0)
                    take(prescaler);
        } else {
            for (std::int64_t divisor = 1; divisor <= root; ++divisor)
                if (product % divisor == 0) {
                    take(divisor);
                    take(product / divisor);
                }
        }
        std::sort(prescalers.begin(), prescalers.end());
        prescalers.erase(std::unique(prescalers.begin(), prescalers.end()), prescalers.end());
        for (const std::int64_t prescaler : prescalers)
            if (out.size() < most)
                out.push_back({prescaler, product / prescaler});
        work += std::min(std::max<std::int64_t>(to - from, 0), root) + 1;
    }
    return out;
}

} // namespace

namespace {
std::vector<Division> divisionsAmong(const Factor& prescalers, const Factor& counts, const Rational& cycles,
                                     const DividedBy& divider, std::size_t most)
{
    const std::int64_t last =
        std::max<std::int64_t>(1, (cycles / std::max<std::int64_t>(divider.leastCount, 1)).floor());
    // A smaller prescaler than this cannot reach the time, however far it counts; the one before the first that can is
    // still tried.
    const std::int64_t first =
        std::max<std::int64_t>(1, (cycles / std::max<std::int64_t>(counts.largest(), 1)).floor());
    constexpr std::int64_t kFew = 256; // are tried one by one
    const std::int64_t mostCounts = counts.largest(), end = std::min(last, prescalers.largest());
    if (prescalers.dense() && counts.dense() && end - first > kFew && cycles.ceil() < (std::int64_t(1) << 52) &&
        cycles <= Rational(prescalers.largest()) * mostCounts)
        if (std::vector<Division> products = nearestProducts(
                cycles, 1, end, std::max<std::int64_t>(divider.leastCount, 1), mostCounts, divider.error, most);
            !products.empty())
            return products;
    std::optional<std::int64_t> prescaler = prescalers.atLeast(first);
    if (!prescaler)
        prescaler = prescalers.nearest(prescalers.largest());
    std::vector<std::pair<Distance, Division>> found;
    bool exact = false;
    for (int tried = 0; prescaler && tried < kMostPrescalers && !(exact && found.size() >= most); ++tried) {
        const __int128 part = __int128(cycles.den()) * *prescaler;
        const std::int64_t below = std::int64_t(cycles.num() / part), above = below + (cycles.num() % part != 0);
        std::optional<std::pair<Distance, Division>> best;
        for (const std::optional<std::int64_t>& count :
             {counts.nearest(std::max<std::int64_t>(below, 1)), counts.nearest(std::max<std::int64_t>(above, 1)),
              counts.atLeast(std::max(above, divider.leastCount))}) {
            if (!count || *count < divider.leastCount)
                continue;
            const Distance distance(cycles, __int128(*prescaler) * *count, divider.error);
            if (!best || distance < best->first)
                best = {distance, {*prescaler, *count}};
        }
        if (best) {
            exact = exact || best->first.num == 0;
            found.push_back(*best);
        }
        if (*prescaler > last)
            break;
        prescaler = prescalers.atLeast(*prescaler + 1);
    }
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<Division> out;
    for (const auto& [distance, division] : found)
        if (out.size() < most)
            out.push_back(division);
    return out;
}

} // namespace

std::vector<Division> divisionsNear(const TuningContext& c, const Rational& given, const DividedBy& divider,
                                    std::size_t most)
{
    const Rational cycles = manageable(given);
    if (!cycles.defined() || cycles < Rational(1))
        return {};
    std::vector<Division> out;
    // What no division has beside it is not heeded here; what is achieved is then not known.
    for (const bool heeds : {true, false})
        if (out.empty() && (heeds || hasOverrides(c.plan)))
            out = divisionsAmong(Factor(c, heeds, divider.prescaler),
                                 Factor(c, heeds, divider.count, divider.mostCount), cycles, divider, most);
    return out;
}

std::optional<Division> divisionAtLeast(const TuningContext& c, const Rational& cycles, const DividedBy& divider)
{
    if (!cycles.defined())
        return std::nullopt;
    const Factor prescalers(c, true, divider.prescaler), counts(c, true, divider.count, divider.mostCount);
    std::optional<Division> best;
    std::optional<std::int64_t> prescaler = prescalers.atLeast(1);
    for (int tried = 0; prescaler && tried < kMostPrescalers; ++tried) {
        const std::int64_t least = std::max(divider.leastCount, (cycles / *prescaler).ceil());
        if (const std::optional<std::int64_t> count = counts.atLeast(least);
            count && (!best || __int128(*prescaler) * *count < __int128(best->prescaler) * best->count))
            best = Division{*prescaler, *count};
        if (Rational(*prescaler) >= cycles)
            break;
        prescaler = prescalers.atLeast(*prescaler + 1);
    }
    return best;
}

Division longestDivision(const TuningContext& c, const DividedBy& divider)
{
    return {std::max<std::int64_t>(1, Factor(c, true, divider.prescaler).largest()),
            std::max<std::int64_t>(1, Factor(c, true, divider.count).largest())};
}

} // namespace bindrel
