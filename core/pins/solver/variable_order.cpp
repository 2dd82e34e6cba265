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

void VariableOrder::conflictIsOver() { ++conflicts_; }

void VariableOrder::bump(int variable)
{
    double& activity = activity_[std::size_t(variable)];
    activity = (activity + conflicts_) / 2;
    if (place_[std::size_t(variable)] >= 0)
        siftUp(place_[std::size_t(variable)]);
}

void VariableOrder::putBack(int variable)
{
    if (place_[std::size_t(variable)] >= 0)
        return;
    if (!isQuiet(variable)) {
        heap_.push_back(variable);
        siftUp(int(heap_.size()) - 1);
    } else if (const int place = placeInEarly_[std::size_t(variable)]; place >= 0) {
        nextEarly_ = std::min(nextEarly_, std::size_t(place));
    } else {
        next_ = std::min(next_, std::size_t(variable));
    }
}

void VariableOrder::put(int variable, int position)
{
    heap_[std::size_t(position)] = variable;
    place_[std::size_t(variable)] = position;
}

void VariableOrder::siftUp(int position)
{
    const int variable = heap_[std::size_t(position)];
    const double activity = activity_[std::size_t(variable)];
    while (position > 0) {
        const int above = (position - 1) / 2;
        if (activity <= activity_[std::size_t(heap_[std::size_t(above)])])
            break;
        put(heap_[std::size_t(above)], position);
        position = above;
    }
    put(variable, position);
}

void VariableOrder::siftDown(int position)
{
    const int size = int(heap_.size());
    const int variable = heap_[std::size_t(position)];
    const double activity = activity_[std::size_t(variable)];
    for (;;) {
        int below = 2 * position + 1;
        if (below >= size)
            break;
        if (below + 1 < size && activity_[std::size_t(heap_[std::size_t(below + 1)])] > activity_[std::size_t(heap_[std::size_t(below)])])
            ++below;
        if (activity_[std::size_t(heap_[std::size_t(below)])] <= activity)
            break;
        put(heap_[std::size_t(below)], position);
        position = below;
    }
    put(variable, position);
}

int VariableOrder::takeMostActive()
{
    if (!heap_.empty()) {
        const int variable = heap_.front();
        const int last = heap_.back();
        heap_.pop_back();
        place_[std::size_t(variable)] = -1;
        if (!heap_.empty()) {
            put(last, 0);
            siftDown(0);
        }
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
