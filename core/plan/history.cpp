// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/history.h"

namespace bindrel {

Outcome History::apply(const Edit& edit)
{
    Expected<Plan> next = applied(plan_, edit);
    if (!next)
        return next.problem();
    if (*next == plan_)
        return {};
    if (saved_ > static_cast<long>(done_.size()))
        saved_ = -1;
    done_.push_back({edit, inverse(plan_, edit)});
    undone_.clear();
    plan_ = *std::move(next);
    return {};
}

bool History::undo()
{
    if (done_.empty())
        return false;
    Expected<Plan> before = applied(plan_, done_.back().back);
    if (!before)
        return false;
    plan_ = *std::move(before);
    undone_.push_back(std::move(done_.back()));
    done_.pop_back();
    return true;
}

bool History::redo()
{
    if (undone_.empty())
        return false;
    Expected<Plan> after = applied(plan_, undone_.back().forth);
    if (!after)
        return false;
    plan_ = *std::move(after);
    done_.push_back(std::move(undone_.back()));
    undone_.pop_back();
    return true;
}

std::vector<std::string> History::titles() const
{
    std::vector<std::string> out;
    for (const Step& step : done_)
        out.push_back(step.forth.title);
    return out;
}

} // namespace bindrel
