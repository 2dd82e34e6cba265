// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/trial.h"
#include "core/pins/placement.h"
#include "core/plan/clock_decision.h"
#include "tests/support/fixtures.h"

#include <random>

namespace bindrel::test {

/// Plans of a demo whose clocks are all inside their limits: a random walk over decisions and operating ranges.
inline std::vector<Plan> validPlans(const LoadedPlan& work, unsigned seed, size_t count)
{
#ifdef __SANITIZE_ADDRESS__
    count = std::min<size_t>(count, 5);
#endif
    std::mt19937 random(seeded(seed));
    const auto s = run(work);
    const Device& device = *s->device;
    std::vector<Plan> out{work.plan};
    for (int round = 0; round < 60'000 && out.size() < count; ++round) {
        Plan plan = out[random() % out.size()];
        for (unsigned changes = 1 + random() % 5; changes > 0; --changes) {
            const ClockIndex clock = random() % device.clocks.size();
            const std::vector<ClockDecision> choices = clockChoices(device, clock);
            if (choices.empty() || device.clocks[clock].tier == "source")
                continue;
            plan.clocks[device.clocks[clock].id] = choices[random() % choices.size()];
        }
        if (random() % 3 == 0)
            plan.range = device.ranges[random() % device.ranges.size()].id;
        ClockTrial trial(device, *s->board, plan, s->bindings);
        bool valid = trial.supplyFits(trial.range()) && trial.forbiddenNow().empty();
        for (ClockIndex i = 0; i < int(trial.size()) && valid; ++i)
            valid = !trial.breaks(i) && !(trial.clocks[i].used && trial.clocks[i].rate.value.isZero());
        const bool news = valid && std::none_of(out.begin(), out.end(), [&](const Plan& other) {
                              const ClockTrial known(device, *s->board, other, s->bindings);
                              return known.clocks[device.cpuClock()].rate == trial.clocks[device.cpuClock()].rate;
                          });
        if (news)
            out.push_back(std::move(plan));
    }
    return out;
}

/// The plan with some of its needs, each bound anew to one of the places that are free for it, drawn by lot.
inline LoadedPlan shuffled(LoadedPlan work, unsigned seed)
{
    std::mt19937 random(seeded(seed));
    Plan& plan = work.plan;
    plan.holds.clear();
    std::erase_if(plan.needs, [&random](const Need&) { return random() % 4 == 0; });
    for (Need& need : plan.needs)
        need.binding = {};
    std::vector<int> order(plan.needs.size());
    for (size_t n = 0; n < order.size(); ++n)
        order[n] = int(n);
    std::shuffle(order.begin(), order.end(), random);
    for (const NeedIndex n : order) {
        PlacementRequest request;
        request.needs = {n};
        request.count = 12;
        const std::vector<Placement> ways = place(*work.device, *work.board, plan, request).ways;
        if (!ways.empty())
            if (const Placement& way = ways[random() % ways.size()]; !way.bindings.empty())
                plan.needs[n].binding = way.bindings.front().second;
    }
    std::erase_if(plan.needs, [&](const Need& need) { return need.binding == Binding(); });
    return work;
}

} // namespace bindrel::test
