// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_words.h"
#include "core/pins/sides.h"
#include "core/pins/swaps.h"
#include "core/plan/board_facts.h"
#include "core/plan/plan_file.h"
#include "tests/support/fixtures.h"

#include <numeric>
#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Terminals that may be swapped, and parts whose signals follow the order in which they stand.
class SwapsTest : public QObject {
    Q_OBJECT

    /// A bare plan for the main example's chip, with a part in a row that inputs lead to, one a terminal.
    static LoadedPlan withRow(size_t terminals)
    {
        LoadedPlan work = demo("sluice-node-c-start");
        work.plan.needs.clear();
        work.plan.holds.clear();
        Part tap{"tap", "Tap", "", {}, true, {}, {}};
        for (size_t t = 0; t < terminals; ++t) {
            Need need;
            need.id = need.title = "in-" + std::to_string(t);
            need.kind = "gpio";
            need.part = tap.id;
            const std::string signal = signalsOf(need).front().id;
            need.terminals[signal] = "t" + std::to_string(t);
            tap.terminals.push_back(need.terminals[signal]);
            work.plan.needs.push_back(need);
        }
        work.plan.parts = {tap};
        return work;
    }
    static std::string swapOf(const std::vector<std::string>& terminals)
    {
        std::string out;
        for (const std::string& terminal : terminals)
            out += (out.empty() ? "part tap." : ", part tap.") + terminal;
        return out + " may be swapped";
    }

    /// Wires of the row that cross, counted from the pins.
    static int crossed(const LoadedPlan& work, const Plan& plan)
    {
        const Package& package = work.device->package;
        std::map<std::string, int> pinOf;
        for (const Need& need : plan.needs)
            for (const auto& [signal, name] : need.binding.pads)
                for (const PinIndex i : package.pins.indices())
                    if (package.pins[i].name == name)
                        pinOf[need.terminals.at(signal)] = int(i);
        int up = 0, down = 0;
        const std::vector<std::string>& row = plan.parts.front().terminals;
        for (size_t later = 0; later < row.size(); ++later)
            for (size_t earlier = 0; earlier < later; ++earlier)
                if (pinOf.contains(row[earlier]) && pinOf.contains(row[later])) {
                    const int one = pinOf[row[earlier]], other = pinOf[row[later]];
                    if (sideOf(package, one) == sideOf(package, other))
                        (one < other ? up : down) += 1;
                }
        return std::min(up, down);
    }

private Q_SLOTS:
    /// Among all orders of what may be swapped there is none with fewer crossings.
    void dealtOutTerminalsCrossAsLittleAsAnyOrder()
    {
        std::mt19937 random(seeded(11));
        int better = 0, split = 0;
        for (int round = 0; round < 300; ++round) {
            LoadedPlan work = withRow(4 + random() % 3);
            std::vector<int> pads;
            for (const PadIndex p : work.device->pads.indices())
                if (work.device->pads[p].port >= 0 && sideOf(work.device->package, pinOf(*work.device, p)) == 0)
                    pads.push_back(int(p));
            std::shuffle(pads.begin(), pads.end(), random);
            std::vector<std::string> named;
            for (const NeedIndex n : work.plan.needs.indices()) {
                Need& need = work.plan.needs[n];
                need.binding.pads[signalsOf(need).front().id] = work.device->pads[PadIndex(pads[size_t(int(n))])].name;
                if (random() % 4 != 0)
                    named.push_back("t" + std::to_string(int(n)));
            }
            if (named.size() < 2)
                continue;
            work = with(std::move(work), SetWish{swapOf(named), WishStrength::Wish});
            const Board board = boardWithPlan(*work.board, *work.device, work.plan);
            std::vector<NeedIndex> all;
            for (const NeedIndex n : work.plan.needs.indices())
                all.push_back(n);
            const std::vector<SwapRun> runs = swapRuns(*work.device, board, work.plan, all);
            split += runs.size() > 1;

            // Every order of every run, by brute force.
            int least = crossed(work, work.plan);
            std::function<void(size_t, Plan&)> each = [&](size_t at, Plan& plan) {
                if (at == runs.size()) {
                    least = std::min(least, crossed(work, plan));
                    return;
                }
                std::vector<size_t> order(runs[at].signals.size());
                std::iota(order.begin(), order.end(), 0);
                do {
                    for (size_t i = 0; i < order.size(); ++i)
                        plan.needs[runs[at].signals[i].first].terminals[runs[at].signals[i].second] =
                            runs[at].terminals[order[i]];
                    each(at + 1, plan);
                } while (std::next_permutation(order.begin(), order.end()));
            };
            Plan trial = work.plan;
            each(0, trial);

            Placement way;
            way.terminals = bestTerminals(*work.device, board, work.plan, runs);
            const Plan after = withPlacement(work.plan, way);
            QCOMPARE(crossed(work, after), least);
            better += least < crossed(work, work.plan);
            // Each terminal still has one signal, and only named ones have another.
            std::set<std::string> led;
            for (const NeedIndex n : after.needs.indices())
                for (const auto& [signal, terminal] : after.needs[n].terminals) {
                    QVERIFY(led.insert(terminal).second);
                    if (terminal != work.plan.needs[n].terminals.at(signal))
                        QVERIFY(std::ranges::find(named, terminal) != named.end());
                }
        }
        QVERIFY2(better > 100 && split > 5, qPrintable(QString("%1 %2").arg(better).arg(split)));
    }

    void aSearchSwapsAndItIsOneStep()
    {
        LoadedPlan work = withRow(5);
        // Held in the middle of the row, on a pad with the others: its wire stays where it is.
        std::vector<std::string> ports;
        for (const Pad& pad : work.device->pads)
            if (pad.port >= 0)
                ports.push_back(pad.name);
        work.plan.needs[NeedIndex(2)].binding.pads[signalsOf(work.plan.needs[NeedIndex(2)]).front().id] = ports[6];
        work.plan.holds.insert(holdOfNeed("in-2"));
        work = with(std::move(work), SetWish{swapOf({"t0", "t1", "t2", "t3", "t4"}), WishStrength::Wish});
        const Board board = boardWithPlan(*work.board, *work.device, work.plan);
        const std::vector<NeedIndex> open{NeedIndex(0), NeedIndex(1), NeedIndex(3), NeedIndex(4)};
        const std::vector<SwapRun> runs = swapRuns(*work.device, board, work.plan, open);
        QCOMPARE(int(runs.size()), 2); // on either side of what is held
        const PlacementResult result = place(*work.device, board, work.plan, {.needs = open});
        QVERIFY(!result.ways.empty());
        const Edit edit = editOfPlacement(work.plan, result.ways.front(), "Bind");
        const Expected<Plan> after = applied(work.plan, edit);
        QVERIFY(after.ok());
        QCOMPARE(crossed(work, *after), 0);
        QCOMPARE(after->needs[NeedIndex(2)].terminals.begin()->second, std::string("t2"));
        // The file says the same, and undo takes all of it back.
        const std::string text = planText(*after);
        const Expected<LoadedPlan> again = parsePlan(text, "swapped.bindrel", library());
        QVERIFY2(again.ok(), again ? "" : again.problem().text().c_str());
        QCOMPARE(planText(again->plan), text);
        const Edit back = difference(*after, work.plan, "Undo");
        QCOMPARE(planText(*applied(*after, back)), planText(work.plan));
    }

    void whatCannotBeSwappedSaysWhy()
    {
        LoadedPlan work = withRow(3);
        const auto whyNot = [&work](const std::string& sentence) {
            const LoadedPlan asked = with(work, SetWish{sentence, WishStrength::Wish});
            const Board board = boardWithPlan(*asked.board, *asked.device, asked.plan);
            for (const WishReading::Unclear& unclear : resolveWishes(*asked.device, board, asked.plan).unclear)
                if (unclear.text == sentence)
                    return unclear.why;
            return std::string();
        };
        QCOMPARE(whyNot(swapOf({"t0", "t1"})), std::string());
        QVERIFY(QString::fromStdString(whyNot(swapOf({"t0", "t9"}))).contains("no terminal t9"));
        work.plan.parts.front().facts["t1"].pull = TerminalFact::Level::High;
        QVERIFY(QString::fromStdString(whyNot(swapOf({"t0", "t1"}))).contains("differs"));
        work.plan.parts.front().row = false;
        QVERIFY(QString::fromStdString(whyNot(swapOf({"t0", "t2"}))).contains("row"));
        // A terminal that another wish names keeps its signal.
        work.plan.parts.front().row = true;
        work.plan.parts.front().facts.clear();
        work = with(std::move(work), SetWish{swapOf({"t0", "t1", "t2"}), WishStrength::Wish});
        work = with(std::move(work), SetWish{"part tap.t2 on the left side", WishStrength::Wish});
        const Board board = boardWithPlan(*work.board, *work.device, work.plan);
        const std::vector<SwapRun> runs =
            swapRuns(*work.device, board, work.plan, {NeedIndex(0), NeedIndex(1), NeedIndex(2)});
        QCOMPARE(int(runs.size()), 1);
        QCOMPARE(runs.front().terminals, (std::vector<std::string>{"t0", "t1"}));
    }

    /// As seen from the chip: whichever way it is turned, from above or from below.
    void whoComesFirstFollowsFromWhereTheyStand()
    {
        const auto at = [](int x, int y) { return BoardPlace{x * 1000, y * 1000, 0, false}; };
        BoardPlace chip = at(50, 50);
        // Pins on the left run downwards, at the bottom to the right, on the right upwards, at the top to the left.
        QCOMPARE(inTurn(chip, at(10, 60), at(10, 40)), 1);
        QCOMPARE(inTurn(chip, at(40, 10), at(60, 10)), 1);
        QCOMPARE(inTurn(chip, at(90, 40), at(90, 60)), 1);
        QCOMPARE(inTurn(chip, at(60, 90), at(40, 90)), 1);
        QCOMPARE(inTurn(chip, at(20, 60), at(10, 64)), 0); // behind each other
        std::mt19937 random(seeded(13));
        for (int i = 0; i < 2000; ++i) {
            const BoardPlace one = at(int(random() % 2000), int(random() % 2000));
            const BoardPlace other = at(int(random() % 2000), int(random() % 2000));
            chip = at(int(random() % 2000), int(random() % 2000));
            const int turn = inTurn(chip, one, other);
            QCOMPARE(inTurn(chip, other, one), -turn);
            chip.turn = 90 * int(random() % 4);
            QCOMPARE(inTurn(chip, one, other), turn);
            chip.below = true;
            QCOMPARE(inTurn(chip, one, other), -turn);
        }
    }

    /// Two parts left of the chip: their signals come in the order in which they stand, not crossing on the way.
    void partsOfOneSideComeInTheirOrder()
    {
        for (const bool swapped : {false, true}) {
            LoadedPlan work = demo("sluice-node-c-start");
            work.plan.needs.clear();
            work.plan.holds.clear();
            work.plan.chipPlace = "50, 50 mm";
            work.plan.outline = "100 x 100 mm";
            for (const char* id : {"above", "below"}) {
                work.plan.parts.push_back({id, id, "", {"a", "b", "c"}, false, {}, {}});
                for (const char* terminal : {"a", "b", "c"}) {
                    Need need;
                    need.id = need.title = std::string(id) + "-" + terminal;
                    need.kind = "gpio";
                    need.part = id;
                    need.terminals[signalsOf(need).front().id] = terminal;
                    work.plan.needs.push_back(need);
                }
            }
            work.plan.places["above"] = swapped ? "10, 40 mm" : "10, 60 mm";
            work.plan.places["below"] = swapped ? "10, 60 mm" : "10, 40 mm";
            std::vector<NeedIndex> open;
            for (const NeedIndex n : work.plan.needs.indices())
                open.push_back(n);
            const Board board = boardWithPlan(*work.board, *work.device, work.plan);
            const PlacementResult result = place(*work.device, board, work.plan, {.needs = open});
            QVERIFY(!result.ways.empty());
            QCOMPARE(result.ways.front().cost.stands, 0);
            const Plan after = withPlacement(work.plan, result.ways.front());
            for (const Need& one : after.needs)
                for (const Need& other : after.needs) {
                    const int first = int(pinOf(*work.device, work.device->findPad(one.binding.pads.begin()->second)));
                    const int second =
                        int(pinOf(*work.device, work.device->findPad(other.binding.pads.begin()->second)));
                    QCOMPARE(sideOf(work.device->package, first), 0);
                    if (one.part == "above" && other.part == "below")
                        QVERIFY2(swapped ? first > second : first < second, (one.id + " " + other.id).c_str());
                }
        }
    }

private:
    static PinIndex pinOf(const Device& device, PadIndex pad)
    {
        for (const PinIndex i : device.package.pins.indices())
            if (device.package.pins[i].pad == pad)
                return i;
        return PinIndex(0);
    }
};

BINDREL_TEST(SwapsTest)
#include "swaps_test.moc"
