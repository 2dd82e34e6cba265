// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <vector>

namespace bindrel {

/// The variables that may be decided: the one that was most part of late conflicts first (half of what it had and half
/// the number of the conflict: the average conflict-index of Biere and Fröhlich, 2015); then those that were in none,
/// in a fixed order. The first are a binary heap; the others, most of a large model, only a list and a place in it.
class VariableOrder {
public:
    void reserve(std::size_t variables);
    /// The next variable; it waits to be taken.
    void add();
    /// Of those that were in no conflict, the ones named here come first, in this order.
    void comesEarly(int variable);
    double activityOf(int variable) const { return activity_[std::size_t(variable)]; }
    void bump(int variable);
    void conflictIsOver();
    void putBack(int variable); ///< nothing when it waits already
    int takeMostActive();       ///< -1: none waits

private:
    /// The activity stands in the heap as well, since it is compared far more often than it changes.
    struct Node {
        double activity;
        int variable;
    };
    void siftUp(int position, Node node);
    void siftDown(int position, Node node);
    void put(Node node, int position)
    {
        heap_[std::size_t(position)] = node;
        place_[std::size_t(node.variable)] = position;
    }
    bool isQuiet(int variable) const { return activity_[std::size_t(variable)] <= 0; }

    std::vector<double> activity_;
    std::vector<Node> heap_; ///< of the active ones
    std::vector<int> place_; ///< -1: not in it
    double conflicts_ = 1;   ///< with the present one
    /// Quiet ones: `early_` before all, each from where one may wait.
    std::vector<int> early_, placeInEarly_;
    std::size_t nextEarly_ = 0, next_ = 0;
};

} // namespace bindrel
