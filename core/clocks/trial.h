// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/clocks/rates.h"

#include <algorithm>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// How one clock is set in a trial, and what follows.
struct TrialClock {
    std::int64_t setting = 0; ///< as ClockState::setting
    bool trimmed = false;
    bool off = false; ///< kept off by decision
    Frequency rate;   ///< 0 Hz when nothing can make it run
    double hertz = 0; ///< the rate in floating point, for quick answers
    Tolerance tolerance;
    bool accurate = true;    ///< the tolerance is small enough for quick answers
    bool withinSlack = true; ///< and so small that limits allow for it, see Device::limitSlack
    bool used = false;
    bool running = false;

    bool sameDecision(const TrialClock& other) const
    {
        return setting == other.setting && trimmed == other.trimmed && off == other.off;
    }
};

/// One way to set all clocks: computeRates() for searches, which look at many thousands of ways. It knows no texts and
/// no reasons, and changes in place. For the same decisions both give the same rates, users and broken limits.
class ClockTrial {
public:
    ClockTrial(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings);

    const Device& device() const { return *device_; }
    std::size_t size() const { return clocks.size(); }

    /// The operating range counts in all limits.
    void setRange(int range);
    int range() const { return range_; }
    bool supplyFits(int range) const;

    /// Rate and tolerance of one clock from its setting and its inputs, which must have been computed.
    void compute(ClockIndex clock);
    void computeAll();
    /// Who is used and who runs, from the settings of all.
    void settle();
    /// REQUIRES: computed. Whether rate or tolerance lies outside the limits, whoever uses it.
    /// Limits that another clock sets count only when `relative`.
    bool outside(ClockIndex clock, bool relative = true) const;
    /// REQUIRES: both clocks computed. Whether it is too fast beside the other.
    bool exceeds(ClockIndex clock, const RelativeLimit& limit) const;
    /// Whether clocks stand as forbidden together, by their settings; those that cannot run do not count.
    bool forbidden(const ClockCombination& combination) const;
    /// REQUIRES: settled. The combinations that are forbidden and count, since all their clocks run, peripherals' ones
    /// in use: indices into Device::neverTogether. `wanted`: clocks that count whether something uses them yet or not;
    /// empty: none.
    std::vector<int> forbiddenNow(const std::vector<bool>& wanted = {}) const;
    /// REQUIRES: both settled. How many of them are not so in the other.
    int forbiddenBeyond(const ClockTrial& other, const std::vector<bool>& wanted) const;
    /// REQUIRES: settled. Whether that counts: it runs, and something uses it or it is no kernel.
    bool breaks(ClockIndex clock) const
    {
        return clocks[clock].running && (clocks[clock].used || !kernel_[clock]) && outside(clock) && isSet(clock);
    }
    /// REQUIRES: settled. See isSet() of rates.
    bool isSet(ClockIndex clock) const
    {
        const std::vector<ClockIndex>& by = device_->clocks[clock].frozenBy;
        return clocks[clock].used || (clocks[clock].running && !kernel_[clock] &&
                                      (by.empty() || std::any_of(by.begin(), by.end(), [this](ClockIndex one) {
                                           return clocks[one].running;
                                       })));
    }
    std::optional<Frequency> min(ClockIndex clock) const { return limits_[clock].min; }
    const std::optional<Frequency>& absoluteMax(ClockIndex clock) const { return limits_[clock].max; }
    /// The clocks of which this one must not be faster than a part.
    const std::vector<RelativeLimit>& relative(ClockIndex clock) const { return limits_[clock].relative; }
    /// Also what another clock's rate demands, and the flash's most wait states.
    std::optional<Frequency> max(ClockIndex clock) const;

    /// The source that a clock comes from under the present settings.
    int sourceOf(ClockIndex clock) const;

    /// REQUIRES: settled. Of the running clocks, as far as the device says what they draw.
    Current current() const;
    /// REQUIRES: settled. The fastest multiplier that runs; 0 Hz when none does.
    Frequency fastestMultiplier() const;

    /// The node that a select or any other clock comes from under its present setting; -1 for none.
    ClockIndex inputOf(ClockIndex clock) const;
    /// Whether a search may decide it: it has something to decide and nobody holds it.
    bool free(ClockIndex clock) const { return free_[clock]; }
    void hold(ClockIndex clock) { free_[clock] = false; }
    /// Whether a source or PLL can be made to run: fitted, and not kept off by a decision that is held.
    bool canRun(ClockIndex clock) const { return canRun_[clock]; }
    /// Settings that can be listed: factors in 1/unit (whole ones only when there are too many), inputs, rates.
    const std::vector<std::int64_t>& settings(ClockIndex clock) const { return (*settings_)[clock]; }
    /// A fraction with more settings than are listed.
    bool hasFineSteps(ClockIndex clock) const { return fine_[clock]; }
    /// A clock of peripherals' work, which counts only when something uses it.
    bool isKernel(ClockIndex clock) const { return kernel_[clock]; }
    /// Needs whose instances run from it, or the chip itself.
    bool isRoot(ClockIndex clock) const { return root_[clock]; }

    /// The decisions that make this trial from the plan's own: changes in the order of the clocks, and the range.
    std::vector<std::pair<std::string, std::optional<ClockDecision>>> decisions(const ClockTrial& before,
                                                                                const Plan& plan) const;

    IndexVector<ClockIndex, TrialClock> clocks;

private:
    void computeExactly(ClockIndex clock);
    void use(ClockIndex clock);

    const Device* device_;
    const Board* board_;
    int range_ = 0;
    Voltage supply_;
    Frequency flashMost_; ///< with the most wait states
    std::vector<RateLimit> limits_;
    /// The same in floating point, a little within: an accurate rate between them is surely
    /// inside, and nothing exact need be computed.
    struct InnerLimits {
        double min = 0, max = 0;
    };
    std::vector<InnerLimits> innerLimits_;
    std::vector<bool> free_, canRun_, fine_, root_, kernel_, monitored_;
    std::shared_ptr<const std::vector<std::vector<std::int64_t>>> settings_; ///< shared: trials are copied often
    std::vector<int> roots_;
};

} // namespace bindrel
