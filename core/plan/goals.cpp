// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/goals.h"

#include "core/plan/kind.h"

namespace bindrel {

Goals& Goals::operator=(const Goals& other)
{
    texts_ = other.texts_;
    read_.store(other.read_.load());
    return *this;
}

Goals& Goals::operator=(Goals&& other) noexcept
{
    texts_ = std::move(other.texts_);
    read_.store(other.read_.load());
    other.forget();
    return *this;
}

void Goals::state(std::string_view goal, std::string text)
{
    texts_.insert_or_assign(std::string(goal), std::move(text));
    forget();
}

void Goals::erase(std::string_view goal)
{
    if (const auto said = texts_.find(goal); said != texts_.end())
        texts_.erase(said);
    forget();
}

std::shared_ptr<const GoalValues> Goals::valuesFor(const KindSpec& kind) const
{
    std::shared_ptr<const GoalValues> known = read_.load(std::memory_order_acquire);
    if (known && known->kind == &kind)
        return known;
    auto made = std::make_shared<GoalValues>();
    made->kind = &kind;
    made->values.reserve(kind.goals.size());
    for (const GoalSpec& goal : kind.goals) {
        const auto said = texts_.find(goal.id);
        if (said == texts_.end()) {
            made->values.push_back(goal.fallbackValue);
            continue;
        }
        Expected<GoalValue> value = parseGoal(goal, said->second);
        made->values.push_back(value ? std::move(*value) : GoalValue());
    }
    // Of two threads that parse at once, one has its own stay, and both use that.
    if (read_.compare_exchange_strong(known, made, std::memory_order_acq_rel))
        return made;
    return known && known->kind == &kind ? known : made;
}

} // namespace bindrel
