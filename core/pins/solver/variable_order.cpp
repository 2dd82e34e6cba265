// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/solver/variable_order.h"

#include <utility>

namespace bindrel {

namespace {

constexpr double kDecay = 1.0 / 0.95;
constexpr double kTooActive = 1e100;

} // namespace

void VariableOrder::add()
{
    const int variable = int(activity_.size());
    activity_.push_back(0);
    place_.push_back(-1);
    putBack(variable);
}

void VariableOrder::start(int variable, double activity)
{
    activity_[std::size_t(variable)] = activity;
    siftUp(place_[std::size_t(variable)]);
}

void VariableOrder::decay() { step_ *= kDecay; }

void VariableOrder::bump(int variable)
{
    double& activity = activity_[std::size_t(variable)];
    activity += step_;
    if (activity > kTooActive) {
        for (double& each : activity_)
            each /= kTooActive;
        step_ /= kTooActive;
    }
    if (place_[std::size_t(variable)] >= 0)
        siftUp(place_[std::size_t(variable)]);
}

void VariableOrder::putBack(int variable)
{
    if (place_[std::size_t(variable)] >= 0)
        return;
    place_[std::size_t(variable)] = int(heap_.size());
    heap_.push_back(variable);
    siftUp(place_[std::size_t(variable)]);
}

void VariableOrder::siftUp(int position)
{
    while (position > 0) {
        const int above = (position - 1) / 2;
        const int a = heap_[std::size_t(position)], b = heap_[std::size_t(above)];
        if (activity_[std::size_t(a)] <= activity_[std::size_t(b)])
            return;
        std::swap(heap_[std::size_t(position)], heap_[std::size_t(above)]);
        place_[std::size_t(a)] = above;
        place_[std::size_t(b)] = position;
        position = above;
    }
}

void VariableOrder::siftDown(int position)
{
    const int size = int(heap_.size());
    for (;;) {
        int most = position;
        for (const int below : {2 * position + 1, 2 * position + 2})
            if (below < size && activity_[std::size_t(heap_[std::size_t(below)])] > activity_[std::size_t(heap_[std::size_t(most)])])
                most = below;
        if (most == position)
            return;
        std::swap(heap_[std::size_t(position)], heap_[std::size_t(most)]);
        place_[std::size_t(heap_[std::size_t(position)])] = position;
        place_[std::size_t(heap_[std::size_t(most)])] = most;
        position = most;
    }
}

int VariableOrder::takeMostActive()
{
    if (heap_.empty())
        return -1;
    const int variable = heap_.front();
    heap_.front() = heap_.back();
    place_[std::size_t(heap_.front())] = 0;
    heap_.pop_back();
    place_[std::size_t(variable)] = -1;
    if (!heap_.empty())
        siftDown(0);
    return variable;
}

} // namespace bindrel
