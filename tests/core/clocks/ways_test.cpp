// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/modes.h"
#include "core/clocks/repair.h"
#include "core/clocks/trial.h"
#include "core/plan/clock_decision.h"
#include "core/quantity/format.h"
#include "core/tuning/clock_goals.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Ways on the shipped chips, held against the pipeline itself; repairs, low-power modes and crystals.
class WaysTest : public QObject {
    Q_OBJECT

    static bool broken(const Snapshot& s, ClockIndex clock)
    {
        const ClockState& c = s.rates.clocks[clock];
        return c.running && (c.used || s.device->clocks[clock].tier != "kernel") &&
               (limitBreak(c) || (int(clock) == s.device->flashClock && !s.rates.waitStates));
    }

private Q_SLOTS:
    void everyWayDoesWhatItSays_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QStringList>("wants");
        QTest::newRow("three at once") << "sluice-node-c-done"
                                       << QStringList{"USBK=48MHz\u00b10.25%", "CPU=max", "CANK=30MHz"};
        QTest::newRow("slower") << "sluice-node-c-done" << QStringList{"CPU<=100MHz"};
        QTest::newRow("another rate") << "sluice-node-c-done" << QStringList{"SYS=135MHz"};
        QTest::newRow("fraction") << "pump-hall-a-done" << QStringList{"R.OUT=163.84MHz\u00b160ppm"};
        QTest::newRow("three PLLs") << "pump-hall-a-done" << QStringList{"USBK=48MHz\u00b10.25%", "LEAD=max"};
        QTest::newRow("FLL") << "rain-post-b-done" << QStringList{"CORE>=6MHz"};
        QTest::newRow("generators") << "ditch-meter-d-done" << QStringList{"CPU=80MHz"};
    }
    void everyWayDoesWhatItSays()
    {
        QFETCH(QString, name);
        QFETCH(QStringList, wants);
        const LoadedPlan work = demo(name.toStdString());
        const auto s = run(work);
        ReachRequest request;
        for (const QString& want : wants)
            request.targets.push_back(*readReachTarget(*s->device, want.toStdString()));
        request.missedGoals = newlyMissed(*s->device, s->plan, s->bindings, s->rates);
#ifdef __SANITIZE_ADDRESS__
        request.ranges.push_back(s->rates.range); // the others only take longer
#else
        for (int range = 0; range < int(s->device->ranges.size()); ++range)
            request.ranges.push_back(range);
#endif
        const ReachResult result = reach(*s->device, *s->board, s->plan, s->bindings, request);
        QVERIFY(result.complete);
        QVERIFY(!result.ways.empty());
        for (const ClockSolution& way : result.ways) {
            LoadedPlan then = work;
            then.plan = *applied(work.plan, way.edit);
            const auto after = run(then);
            const std::string where = wayText(*s->device, way);
            std::set<int> listed;
            for (const RateChanged& other : way.others)
                listed.insert(other.clock);
            for (size_t t = 0; t < request.targets.size(); ++t) {
                QVERIFY2(after->rates.clocks[request.targets[t].clock].rate == way.achieved[t], where.c_str());
                listed.insert(request.targets[t].clock);
            }
            for (const ClockIndex i : s->device->clocks.indices()) {
                const ClockState& is = after->rates.clocks[i];
                const ClockState& was = s->rates.clocks[i];
                QVERIFY2(!broken(*after, i) || (broken(*s, i) && is.rate == was.rate),
                         (where + ", " + s->device->clocks[i].id).c_str());
                if (was.used && is.rate != was.rate)
                    QVERIFY2(listed.contains(int(i)), (where + ", " + s->device->clocks[i].id).c_str());
            }
            QVERIFY2(needsThatMiss(*after->device, after->plan, after->bindings, after->rates).empty(), where.c_str());
            QVERIFY2(inverse(work.plan, way.edit).changes.size() >= way.edit.changes.size(), where.c_str());
            QVERIFY(*applied(then.plan, inverse(work.plan, way.edit)) == work.plan);
        }
    }

    /// A repair of one change is found exactly when trying every single decision finds one; each repair leaves nothing
    /// wrong.
    void repairsMendWithTheFewestChanges()
    {
        std::mt19937 random(seeded(5));
        int single = 0;
        for (int round = 0; round < 24; ++round) {
            LoadedPlan work = demo();
            for (int i = 0; i < 1 + round % 2; ++i) {
                const char* nodes[]{"BUS1", "BUS2", "CPU", "PLLA.VCO", "PLLA.MAIN", "ADC", "PLLA.IN"};
                const std::string node = nodes[random() % 7];
                const auto choices = clockChoices(*work.device, work.device->findClock(node));
                work.plan.clocks[node] = choices[random() % choices.size()];
            }
            const auto s = run(work);
            const auto wrong = [&](const Plan& plan) {
                const ClockTrial trial(*s->device, *s->board, plan, s->bindings);
                for (size_t i = 0; i < trial.size(); ++i)
                    if (trial.breaks(i))
                        return true;
                return !needsThatMiss(*s->device, plan, s->bindings,
                                      computeRates(*s->device, *s->board, plan, s->bindings))
                            .empty();
            };
            RepairRequest request;
            request.most = 50;
            request.missedGoals = [&](const Rates& rates) {
                return needsThatMiss(*s->device, s->plan, s->bindings, rates);
            };
            const RepairResult result = repairClocks(*s->device, *s->board, s->plan, s->bindings, request);
            QCOMPARE(result.wrong.empty(), !wrong(s->plan));
            if (result.wrong.empty())
                continue;
            bool byOne = false;
            for (ClockIndex i = 0; i < int(s->device->clocks.size()) && !byOne; ++i)
                for (const ClockDecision& choice : clockChoices(*s->device, i)) {
                    Plan plan = s->plan;
                    plan.clocks[s->device->clocks[i].id] = choice;
                    byOne = byOne || !wrong(plan);
                }
            for (const OperatingRange& range : s->device->ranges) {
                Plan plan = s->plan;
                plan.range = range.id;
                byOne = byOne || (s->rates.supply >= range.supplyMin && !wrong(plan));
            }
            size_t fewest = 99;
            for (const ClockSolution& way : result.ways)
                if (result.left.empty()) {
                    fewest = std::min(fewest, way.edit.changes.size());
                    QVERIFY(!wrong(*applied(s->plan, way.edit)));
                }
            QCOMPARE(fewest == 1, byOne);
            single += byOne;
        }
        QVERIFY(single >= 5);
    }

    /// A new plan, bound and nothing decided of its clocks: more is wrong than a few changes mend. In turn most of it
    /// is, nothing new is wrong, and what is told as left is all that is.
    void manyThingsAreMendedInTurn()
    {
        LoadedPlan work = demo();
        work.plan.clocks.clear();
        work.plan.range.clear();
        const auto s = run(work);
        RepairRequest request;
        request.missedGoals = [&](const Rates& rates) {
            return needsThatMiss(*s->device, s->plan, s->bindings, rates);
        };
        const RepairResult result = repairClocks(*s->device, *s->board, s->plan, s->bindings, request);
        QVERIFY(result.wrong.size() > 2);
        QVERIFY(!result.ways.empty() && result.inTurn);
        const Expected<Plan> mended = applied(s->plan, result.ways.front().edit);
        QVERIFY(mended);
        const RepairResult after = repairClocks(*s->device, *s->board, *mended, s->bindings, request);
        QVERIFY(after.wrong.size() < result.wrong.size());
        QCOMPARE(after.wrong.size(), result.left.size());
    }

    void lowestRangeCarriesTheRates()
    {
        const auto s = run(demo());
        // 160 MHz only in range 1.
        COMPARE_TEXT(s->device->ranges[size_t(lowestRange(*s->device, *s->board, s->plan, s->bindings))].id, "R1");
        Plan slow = s->plan;
        slow.clocks["SYS"] = clockSaid("HFX");
        slow.clocks["CANK"] = clockSaid("none");
        slow.clocks["BUS1"] = slow.clocks["BUS2"] = clockSaid("1");
        COMPARE_TEXT(s->device->ranges[size_t(lowestRange(*s->device, *s->board, slow, s->bindings))].id, "R3");
    }

    void lowPowerModesKeepWhatTheySay()
    {
        const auto s = run(demo());
        const LowPowerMode& sleep = s->device->modes[0];
        const LowPowerMode& stop = s->device->modes[1];
        const ModeState asleep = modeState(*s->device, s->plan, s->bindings, s->rates, sleep);
        for (const ClockIndex i : s->device->clocks.indices())
            QCOMPARE(bool(asleep.alive[i]), s->rates.clocks[i].running);
        QVERIFY(asleep.restarted.empty());
        const ModeState stopped = modeState(*s->device, s->plan, s->bindings, s->rates, stop);
        const auto alive = [&](const char* id) { return bool(stopped.alive[size_t(s->device->findClock(id))]); };
        QVERIFY(alive("LFX") && alive("RTCK") && alive("SLEEPERK") && alive("WDGK"));
        QVERIFY(!alive("HFX") && !alive("CPU") && !alive("PLLA.VCO") && !alive("UART1K"));
        // 9 us to wake, 2 ms for the crystal, 45 us for the PLL after it.
        COMPARE_TEXT(format(stopped.fullTime), "2.054 ms");
        COMPARE_TEXT(format(stopped.wakeTime), "9 \u00b5s");
    }

    void crystalsGetTheirCapacitors()
    {
        const auto s = run(demo());
        // 10 pF load, 3 pF stray: 2 x 7 pF at each pad. 7 pF, 2 pF stray: 2 x 5 pF.
        QCOMPARE(loadCapacitor(s->rates.clocks[s->device->findClock("HFX")])->value, Rational(14, 1'000'000'000'000));
        QCOMPARE(loadCapacitor(s->rates.clocks[s->device->findClock("LFX")])->value, Rational(10, 1'000'000'000'000));
        QVERIFY(!loadCapacitor(s->rates.clocks[s->device->findClock("HFI")]));
    }

    void headRoomIsToTheNearerLimit()
    {
        ClockState clock;
        clock.running = true;
        clock.rate = megahertz(8);
        QVERIFY(!headRoom(clock));
        clock.max = megahertz(10);
        QCOMPARE(headRoom(clock)->value, Rational(1, 5));
        clock.min = Frequency(Rational(7'500'000));
        QCOMPARE(headRoom(clock)->value, Rational(1, 15));
        clock.rate = megahertz(11);
        QCOMPARE(headRoom(clock)->value, Rational(-1, 10));
    }

    void modesAreKeptInTheFile()
    {
        const LoadedPlan work = with(with(demo(), SetMode{"STOP", true}), SetMode{"SLEEP", true});
        const Expected<LoadedPlan> back = parsePlan(planText(work.plan), "modes.bindrel", library());
        QVERIFY(back && back->plan == work.plan);
        const Edit edit = editOf("stop", SetMode{"STOP", false});
        QVERIFY(*applied(*applied(work.plan, edit), inverse(work.plan, edit)) == work.plan);
        QVERIFY(*applied(work.plan, difference(work.plan, demo().plan, "none")) == demo().plan);
        std::string text = planText(work.plan);
        text.replace(text.find("STOP"), 4, "DOZE");
        const Expected<LoadedPlan> wrong = parsePlan(text, "modes.bindrel", library());
        QVERIFY(!wrong);
        QVERIFY2(wrong.problem().text().find("SLEEP and STOP") != std::string::npos, wrong.problem().text().c_str());
    }

    void slowSettingsAreKeptInTheFile()
    {
        LoadedPlan work = demo();
        work.plan.slow = ClockSet{"R2", {{"SYS", InputDecision{"HFI"}}, {"BUS1", FactorDecision{1}}}};
        const Expected<LoadedPlan> back = parsePlan(planText(work.plan), "slow.bindrel", library());
        QVERIFY2(back.ok(), back.ok() ? "" : back.problem().text().c_str());
        QVERIFY(back->plan == work.plan);
        const auto s = run(work);
        QVERIFY(s->image.slowRates && !s->image.toSlow.empty() && !s->image.toFull.empty());
        bool pair = false;
        for (const SourceFile& file : s->source().files)
            pair = pair || (file.text().find("_clocks_slow(void)") != std::string::npos &&
                            file.text().find("_clocks_full(void)") != std::string::npos);
        QVERIFY(pair);
        work.plan.slow->clocks["SYS"] = clockSaid("nothing");
        QVERIFY(!parsePlan(planText(work.plan), "slow.bindrel", library()).ok());
    }
};

BINDREL_TEST(WaysTest)
#include "ways_test.moc"
