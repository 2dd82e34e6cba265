// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <set>
#include <string>
#include <vector>

namespace bindrel {

/// The frequency axis of the ladder: logarithmic within each decade, but a decade in which many clocks lie is wider.
class FrequencyAxis {
public:
    /// Covers all given rates, at least 10 kHz to 100 MHz. Rates are in hertz and above zero.
    FrequencyAxis(const std::vector<double>& rates, double left, double right);

    /// Shows only the part around a place: `scale` times as wide, with `shift` pixels of it beyond the left end.
    void zoom(double scale, double shift);
    double x(double hertz) const; ///< clamped to the axis
    double hertz(double x) const;
    int firstDecade() const { return first_; }
    int lastDecade() const { return first_ + int(starts_.size()) - 1; } ///< right end of the axis

private:
    int first_ = 3;
    std::vector<double> starts_; ///< x of each power of ten, the last is the right end
    double left_ = 0, right_ = 0;
};

/// One rung of the ladder as it is drawn.
struct Rung {
    ClockIndex clock = -1;          ///< -1: stands for `folded`
    bool tierBegins = false;        ///< a gap goes before it
    std::vector<ClockIndex> folded; ///< clocks of a tier that nothing uses
    std::vector<ClockIndex> alike;  ///< others that say the same as `clock`
    std::string tier;               ///< of a folded rung
};

/// All clocks, by tier in the order sources, multipliers, system, kernels, and within a tier as the device lists them.
/// In the tiers named, clocks that nothing uses are folded into one rung at the tier's end, unless there are fewer than
/// three, and those that are alike into the first of them. What is in `keep` is not folded.
std::vector<Rung> rungsOf(const Device& device, const Rates& rates, const std::set<std::string>& foldedTiers,
                          const std::vector<ClockIndex>& keep);

} // namespace bindrel
