// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assignment.h"
#include "core/pins/stated_need.h"
#include "core/plan/board_facts.h"
#include "core/plan/crystal_text.h"
#include "core/plan/kind.h"
#include "core/plan/pin_property.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// What is typed as WHAT=VALUE does what it says, can be undone, and says what it does not understand.
class AssignmentTest : public QObject {
    Q_OBJECT

    static LoadedPlan bare(const std::string& chip = "SE4332-C64")
    {
        LoadedPlan work;
        work.device = *library().device(chip);
        work.board = std::make_shared<const Board>(bareBoard(*work.device));
        work.plan.name = "bare";
        work.plan.device = chip;
        return work;
    }
    static LoadedPlan after(LoadedPlan work, const std::string& assignment)
    {
        const Expected<Edit> edit = readAssignment(work, assignment);
        if (!edit)
            qFatal("%s: %s", assignment.c_str(), edit.problem().message.c_str());
        const Expected<Plan> next = applied(work.plan, *edit);
        if (!next)
            qFatal("%s: %s", assignment.c_str(), next.problem().message.c_str());
        const Expected<Plan> back = applied(*next, inverse(work.plan, *edit));
        if (!back || !(*back == work.plan))
            qFatal("%s cannot be undone", assignment.c_str());
        const Expected<Plan> again = applied(work.plan, difference(work.plan, *next, "again"));
        if (!again || !(*again == *next))
            qFatal("%s is not in the difference", assignment.c_str());
        work.plan = *next;
        return work;
    }
    static QString refused(const LoadedPlan& work, const std::string& assignment)
    {
        const Expected<Edit> edit = readAssignment(work, assignment);
        return edit ? QString("accepted") : QString::fromStdString(edit.problem().message);
    }

private Q_SLOTS:
    void everyGoalOfEveryPlanCanBeSet()
    {
        for (const auto& entry : std::filesystem::directory_iterator(BINDREL_EXAMPLES)) {
            if (entry.path().extension() != ".bindrel")
                continue;
            const LoadedPlan work = demo(entry.path().stem().string());
            // Where needs are in conflict a pad cannot be had at no cost to another.
            if (bind(*work.device, work.plan).count(BoundNeed::State::Contested) > 0)
                continue;
            for (const Need& need : work.plan.needs) {
                for (const auto& [goal, value] : need.goals) {
                    if (!matters(need, goal))
                        continue;
                    LoadedPlan less = work;
                    Plan& plan = less.plan;
                    plan.need(need.id)->goals.state(goal, value);
                    const LoadedPlan set = after(less, need.id + "." + goal + "=" + value);
                    QCOMPARE(goalText(*set.plan.need(need.id), goal), value);
                }
                for (const auto& [signal, pad] : need.binding.pads) {
                    const LoadedPlan same = after(work, need.id + "." + signal + "=" + pad);
                    QVERIFY2(same.plan.need(need.id)->binding.pads == need.binding.pads, need.id.c_str());
                    if (findKind(need.kind)->goal(signal))
                        continue; // nothing behind = is the goal's default
                    const LoadedPlan open = after(work, need.id + "." + signal + "=");
                    QVERIFY(!open.plan.need(need.id)->binding.pads.contains(signal));
                    const LoadedPlan again = after(open, need.id + "." + signal + "=" + pad);
                    QCOMPARE(again.plan.need(need.id)->binding.pads.at(signal), pad);
                }
            }
            for (const auto& [clock, setting] : work.plan.clocks)
                QVERIFY(after(work, clock + "=" + clockDecisionText(setting)).plan.clocks == work.plan.clocks);
        }
    }

    void aBareChipGetsItsCrystal()
    {
        LoadedPlan work = after(bare(), "HFX=12 MHz, 20 ppm, load 10 pF, stray 3 pF");
        work = after(work, "SYS=HFX");
        const auto s = computeSnapshot(work);
        const ClockIndex sys = s->device->findClock("SYS");
        QCOMPARE(s->rates.clocks[sys].rate, Frequency(Rational(12'000'000)));
        QCOMPARE(s->count(Finding::Severity::Error), 0);
        // It is in the file, and comes back.
        const Expected<LoadedPlan> read = parsePlan(planText(work.plan), "x.bindrel", library());
        QVERIFY2(read, read ? "" : read.problem().message.c_str());
        QVERIFY(read->plan == work.plan);
        // A board's own crystal can be told otherwise, also that it is not fitted.
        const LoadedPlan board = after(demo(), "HFX=not fitted");
        QVERIFY(!computeSnapshot(board)->board->crystals.contains("HFX"));
        QVERIFY(computeSnapshot(after(board, "HFX="))->board->crystals.contains("HFX"));
        QVERIFY(refused(work, "HFX=12 MHz, soon").contains("soon"));
        QVERIFY(refused(work, "SYS=48 MHz").contains("rate"));
    }

    void crystalsAreWrittenExactly()
    {
        std::mt19937 random(seeded(3));
        for (int round = 0; round < 2000; ++round) {
            CrystalFact fact;
            fact.rate = Frequency(Rational(1 + long(random() % 50'000'000), 1 + random() % 2 * 3));
            if (random() % 4)
                fact.tolerance = Tolerance::symmetric(Rational(long(random() % 2000), 10));
            fact.external = random() % 3 == 0;
            if (!fact.external && random() % 2)
                fact.load = Capacitance(Rational(long(1 + random() % 400), 10'000'000'000'000));
            if (random() % 2)
                fact.stray = Capacitance(Rational(long(1 + random() % 90), 10'000'000'000'000));
            // Rates that were typed are decimals.
            if (!fact.rate.value.isInteger())
                fact.rate = Frequency(Rational(fact.rate.value.num(), 10));
            const std::string text = crystalText(fact);
            const Expected<FittedCrystal> read = parseCrystal(text);
            QVERIFY2(read && *read && **read == fact, text.c_str());
        }
        for (const char* wrong : {"", "20 ppm", "12 MHz 20 ppm 30 ppm", "12 MHz 11 MHz 3 ppm", "12 MHz 20 ppm x",
                                  "external 8 MHz 5 ppm load 3 pF", "0 Hz 20 ppm", "12 MHz 20 %", "-3 MHz 20 ppm"})
            QVERIFY2(!parseCrystal(wrong), wrong);
        QVERIFY(*parseCrystal("12MHz \u00b120ppm 10pF") == *parseCrystal("load 10 pF, 20 ppm, 12 MHz"));
    }

    void aLineWithPadsIsBoundThere()
    {
        const LoadedPlan work = bare();
        const auto add = [&](const std::string& line) -> Expected<Plan> {
            const Expected<StatedNeed> stated = parseNeedLine(line, *work.device, *work.board);
            if (!stated)
                return stated.problem();
            const Expected<Edit> edit = addStated(*stated, work.plan, *work.device, *work.board);
            return edit ? applied(work.plan, *edit) : Expected<Plan>(edit.problem());
        };
        // Every pair of pads that a UART can have, in both orders.
        int placed = 0;
        for (const Pad& a : work.device->pads)
            for (const Pad& b : work.device->pads) {
                if (&a == &b || (placed > 6 && (&a - &b) % 7))
                    continue;
                const Expected<Plan> plan = add("uart 9600 on " + a.name + "/" + b.name);
                if (!plan)
                    continue;
                ++placed;
                std::set<std::string> on;
                for (const auto& [signal, pad] : plan->needs.front().binding.pads)
                    on.insert(pad);
                QVERIFY(on == (std::set<std::string>{a.name, b.name}) && !plan->needs.front().binding.instance.empty());
                QVERIFY(plan->holds.empty());
            }
        QVERIFY2(placed > 6, qPrintable(QString::number(placed)));
        QVERIFY(!add("uart on " + work.device->pads[PadIndex(0)].name + "/" + work.device->pads[PadIndex(1)].name +
                     "/" + work.device->pads[PadIndex(2)].name));
    }

    void whatIsNotUnderstoodIsNamed()
    {
        const LoadedPlan work = demo();
        const std::string need = work.plan.needs.front().id;
        QVERIFY(refused(work, "x").contains("WHAT=VALUE"));
        QVERIFY(refused(work, "SYSS=3").contains("\"SYS\""));
        QVERIFY(refused(work, need + ".nothing=3").contains("no goal and no signal"));
        QVERIFY(refused(work, "supply=much").contains("3.3 V"));
        QVERIFY(refused(work, "net.QQ=A").contains("not a pad"));
        QVERIFY(refused(work, "mode.NAP=yes").contains("low-power mode"));
        QVERIFY(refused(work, "range=R99").contains("range"));
        QVERIFY(refused(work, "prefix=9").contains("prefix"));
        QVERIFY(refused(work, "hold.nothing=yes").contains("neither"));
        QVERIFY(refused(work, "nonvolatile.NO.WAY=1").contains("not a setting"));
        QVERIFY(refused(work, "on_failure=panic").contains("fall back"));
        // Any text at all: a message or an edit that applies.
        std::mt19937 random(seeded(5));
        const std::string letters = "SYHFX.=netuplink 019,_-%MHz\n\xff";
        for (int round = 0; round < 3000; ++round) {
            std::string text = round % 2 ? need + "." : "";
            for (int n = int(random() % 24); n > 0; --n)
                text += letters[random() % letters.size()];
            const Expected<Edit> edit = readAssignment(work, text);
            if (edit)
                QVERIFY2(applied(work.plan, *edit), text.c_str());
        }
    }
};

BINDREL_TEST(AssignmentTest)
#include "assignment_test.moc"
