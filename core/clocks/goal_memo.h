// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/trial.h"
#include "core/clocks/words_hash.h"

#include <functional>
#include <unordered_map>

namespace bindrel {

/// Needs that miss goals in a trial. What a need achieves follows from the clocks that its instance runs from; few of
/// these differ from way to way, so most answers are known already.
class GoalMemo {
public:
    using Function = std::function<std::vector<NeedIndex>(const Rates&)>;
    GoalMemo(Rates now, Function function) : rates_(std::move(now)), function_(std::move(function)) {}

    /// REQUIRES: settled.
    const std::vector<NeedIndex>& missed(const ClockTrial& trial);

private:
    Rates rates_;
    Function function_;
    std::unordered_map<std::vector<std::int64_t>, std::vector<NeedIndex>, WordsHash> known_;
    std::vector<NeedIndex> none_;
};

} // namespace bindrel
