// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/findings/interrupt_times.h"
#include "core/pins/placement.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// How late a handler is through: against a simulation of the worst case, event by event.
class InterruptTimesTest : public QObject {
    Q_OBJECT

    /// Pre-emption by whatever is as urgent or more: all are released at once, and each comes again as soon as it may.
    /// Times in nanoseconds. Empty when it is not through within a second.
    static std::optional<std::int64_t> simulated(const std::vector<InterruptTime>& all, size_t of, std::int64_t blocked)
    {
        const auto nanoseconds = [](const Duration& time) { return (time.value * Rational(1'000'000'000)).ceil(); };
        struct Job {
            std::int64_t takes, every, left = 0, next = 0;
        };
        std::vector<Job> above;
        for (size_t k = 0; k < all.size(); ++k)
            if (k != of && all[k].core == all[of].core && all[k].level <= all[of].level)
                above.push_back({nanoseconds(all[k].takes),
                                 all[k].every ? nanoseconds(*all[k].every) : INT64_C(1'000'000'000'000)});
        std::int64_t own = nanoseconds(all[of].takes) + blocked, at = 0;
        while (at < 1'000'000'000) {
            std::int64_t until = INT64_MAX;
            for (Job& job : above) {
                while (job.next <= at)
                    job.left += job.takes, job.next += job.every;
                until = std::min(until, job.next);
            }
            const auto busy = std::find_if(above.begin(), above.end(), [](const Job& job) { return job.left > 0; });
            std::int64_t& runs = busy == above.end() ? own : busy->left;
            const std::int64_t slice = std::min(runs, until - at);
            runs -= slice;
            at += slice;
            if (own == 0)
                return at;
        }
        return std::nullopt;
    }

private Q_SLOTS:
    void agreesWithASimulation()
    {
        std::mt19937 random(seeded(3606));
        int compared = 0, unbounded = 0;
        for (const char* plan : {"pump-hall-a-done", "sluice-node-c-done", "rain-post-b-done"})
            for (int round = 0; round < 40; ++round) {
                LoadedPlan work = demo(plan);
                for (Need& need : work.plan.needs) {
                    const KindSpec* kind = findKind(need.kind);
                    if (kind->goal("takes") && random() % 3 != 0)
                        need.goals.state("takes", std::to_string(1 + random() % 400) + " us");
                    if (kind->goal("priority") && random() % 2 == 0)
                        need.goals.state("priority", std::to_string(random() % 4));
                    for (const char* goal : {"interrupt"})
                        if (const GoalSpec* spec = kind->goal(goal); spec && random() % 2 == 0)
                            need.goals.state(goal, spec->choices[random() % spec->choices.size()]);
                }
                const auto s = run(work);
                const std::vector<InterruptTime> times = interruptTimes(s->facts());
                for (size_t i = 0; i < times.size(); ++i) {
                    const auto nano = [](const Duration& time) {
                        return (time.value * Rational(1'000'000'000)).ceil();
                    };
                    const std::optional<std::int64_t> seen =
                        simulated(times, i, times[i].blocked ? nano(*times[i].blocked) : 0);
                    if (!times[i].worst) {
                        ++unbounded;
                        continue;
                    }
                    ++compared;
                    QVERIFY2(seen.has_value(), plan);
                    // Rounding each piece up to a nanosecond adds a few.
                    QVERIFY2(std::abs(*seen - nano(*times[i].worst)) <= 200,
                             qPrintable(QString("%1: %2 and %3").arg(plan).arg(*seen).arg(nano(*times[i].worst))));
                }
            }
        QVERIFY2(compared > 100, qPrintable(QString::number(compared)));
    }

    /// With a stated time that is too long it is a finding; without one nothing is claimed.
    void whatIsLateIsTold()
    {
        LoadedPlan work = demo();
        const auto add = [&](const char* id, const char* period, const char* takes) {
            Need need;
            need.id = id;
            need.title = id;
            need.kind = "interval";
            need.goals.state("period", period);
            if (*takes)
                need.goals.state("takes", takes);
            work.plan.needs.push_back(need);
        };
        work.plan.needs.clear();
        work.plan.holds.clear();
        add("loop", "100 us", "");
        add("slow", "10 ms", "");
        for (const char* id : {"loop", "slow"}) {
            PlacementRequest request;
            request.needs = {needIndex(work.plan, id)};
            request.count = 1;
            const std::vector<Placement> ways = place(*work.device, *work.board, work.plan, request).ways;
            QVERIFY2(!ways.empty() && !ways.front().bindings.empty(), id);
            work.plan.need(id)->binding = ways.front().bindings.front().second;
        }
        const auto late = [](const Snapshot& s) {
            return std::count_if(s.findings.begin(), s.findings.end(),
                                 [](const Finding& f) { return f.rule == "GOAL-09"; });
        };
        QCOMPARE(late(*run(work)), 0);
        work.plan.need("loop")->goals.state("takes", "90 us");
        work.plan.need("loop")->goals.state("priority", "1");
        work.plan.need("slow")->goals.state("takes", "50 us");
        work.plan.need("slow")->goals.state("priority", "0");
        QVERIFY(late(*run(work)) > 0);
        work.plan.need("slow")->goals.state("takes", "1 us");
        work.plan.need("loop")->goals.state("takes", "10 us");
        QCOMPARE(late(*run(work)), 0);
    }
};

BINDREL_TEST(InterruptTimesTest)
#include "interrupt_times_test.moc"
