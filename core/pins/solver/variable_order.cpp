// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/solver/variable_order.h"

#include <algorithm>

namespace bindrel {

void VariableOrder::reserve(std::size_t variables)
{
    activity_.reserve(variables);
    place_.reserve(variables);
    early_.reserve(variables);
    placeInEarly_.reserve(variables);
}

void VariableOrder::add()
{
    activity_.push_back(0);
    place_.push_back(-1);
    placeInEarly_.push_back(-1);
}

void VariableOrder::comesEarly(int variable)
{
    int& place = placeInEarly_[std::size_t(variable)];
    if (place >= 0)
        return;
    place = int(early_.size());
    early_.push_back(variable);
}

void VariableOrder::conflictIsOver()
{
    ++conflicts_;
}

void VariableOrder::bump(int variable)
{
    double& activity = activity_[std::size_t(variable)];
    activity = (activity + conflicts_) / 2;
    if (const int place = place_[std::size_t(variable)]; place >= 0)
        siftUp(place, {activity, variable});
}

void VariableOrder::putBack(int variable)
{
    if (place_[std::size_t(variable)] >= 0)
        return;
    if (!isQuiet(variable)) {
        heap_.emplace_back();
        siftUp(int(heap_.size()) - 1, {activity_[std::size_t(variable)], variable});
    } else if (const int place = placeInEarly_[std::size_t(variable)]; place >= 0) {
        nextEarly_ = std::min(nextEarly_, std::size_t(place));
    } else {
        next_ = std::min(next_, std::size_t(variable));
    }
}

void VariableOrder::siftUp(int position, Node node)
{
    while (position > 0) {
        const int above = (position - 1) / 2;
        if (node.activity <= heap_[std::size_t(above)].activity)
            break;
        put(heap_[std::size_t(above)], position);
        position = above;
    }
    put(node, position);
}

void VariableOrder::siftDown(int position, Node node)
{
    const int size = int(heap_.size());
    for (;;) {
        int below = 2 * position + 1;
        if (below >= size)
            break;
        if (below + 1 < size && heap_[std::size_t(below) + 1].activity > heap_[std::size_t(below)].activity)
            ++below;
        if (heap_[std::size_t(below)].activity <= node.activity)
            break;
        put(heap_[std::size_t(below)], position);
        position = below;
    }
    put(node, position);
}

int VariableOrder::takeMostActive()
{
    if (!heap_.empty()) {
        const int variable = heap_.front().variable;
        const Node last = heap_.back();
        heap_.pop_back();
        place_[std::size_t(variable)] = -1;
        if (!heap_.empty())
            siftDown(0, last);
        return variable;
    }
    while (nextEarly_ < early_.size())
        if (const int variable = early_[nextEarly_++]; isQuiet(variable))
            return variable;
    while (next_ < activity_.size())
        if (const int variable = int(next_++); isQuiet(variable) && placeInEarly_[std::size_t(variable)] < 0)
            return variable;
    return -1;
}

} // namespace bindrel
