// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <vector>

namespace bindrel {

/// The variables that may be decided, the one that was most part of conflicts first; the latest conflicts count most (exponential
/// decay, by raising the step instead of lowering all). A binary heap.
class VariableOrder {
public:
    /// The next variable; it waits to be taken.
    void add();
    double activityOf(int variable) const { return activity_[std::size_t(variable)]; }
    /// For a variable that waits and that this makes no less active.
    void start(int variable, double activity);
    void bump(int variable);
    void decay();
    void putBack(int variable); ///< nothing when it waits already
    int takeMostActive();       ///< -1: none waits

private:
    void siftUp(int position);
    void siftDown(int position);

    std::vector<double> activity_;
    std::vector<int> heap_, place_; ///< -1: taken
    double step_ = 1.0;
};

} // namespace bindrel
