// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/ladder_layout.h"
#include "app/frame/goto_targets.h"
#include "app/wiring/chip_layout.h"
#include "tests/support/fixtures.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>
#include <set>

using namespace bindrel;
using namespace bindrel::test;

/// Properties of the pictures, for the demo plans and for random bindings.
class LayoutTest : public QObject {
    Q_OBJECT

    /// The plan's chip in another package: its pads at random pins, supplies at the rest.
    static LoadedPlan packed(LoadedPlan work, Package::Kind kind, size_t pins, unsigned seed)
    {
        Device device = *work.device;
        Package package;
        package.kind = kind;
        package.name = "made up";
        const std::string letters = "ABCDEFGHJKLMNPRTUVWY";
        const size_t columns = size_t(std::ceil(std::sqrt(double(pins))));
        for (size_t i = 0; i < pins; ++i)
            package.pins.push_back({kind == Package::Kind::BallGrid
                                        ? letters[i / columns] + std::to_string(i % columns + 1)
                                        : std::to_string(i + 1),
                                    PackagePin::Kind::Supply, -1, "VDD"});
        std::vector<size_t> places(pins);
        std::iota(places.begin(), places.end(), size_t(0));
        std::shuffle(places.begin(), places.end(), std::mt19937(seed));
        for (PadIndex p = 0; p < int(device.pads.size()) && p < int(pins); ++p)
            package.pins[PinIndex(places[p])] = {package.pins[PinIndex(places[p])].number, PackagePin::Kind::Pad,
                                                 int(p), device.pads[p].name};
        device.package = package;
        work.device = std::make_shared<const Device>(device);
        return work;
    }

    static void checkLayout(const Snapshot& s, int turns = 0)
    {
        const ChipLayout layout = layOut(s, turns);
        for (const PinIndex a : layout.pins.indices())
            for (PinIndex b = 0; b < a; ++b)
                QVERIFY(!layout.pins[a].box.intersects(layout.pins[b].box));
        for (size_t i = 0; i < layout.cards.size(); ++i) {
            QVERIFY(!layout.cards[i].box.intersects(layout.body.adjusted(-9, -9, 9, 9)));
            for (size_t k = 0; k < i; ++k)
                QVERIFY(!layout.cards[i].box.intersects(layout.cards[k].box));
        }
        int seats = 0;
        for (const BoundNeed& need : s.bindings.needs)
            for (const Seat& seat : need.seats)
                seats += seat.pad >= 0;
        QVERIFY2(int(layout.wires.size()) == seats,
                 fmt::format("{}: {} wires of {}", s.plan.name, layout.wires.size(), seats).c_str());
        for (size_t w = 0; w < layout.wires.size(); ++w) {
            const auto& wire = layout.wires[w];
            QCOMPARE(wire.path.last(), layout.pins[wire.pin].tip);
            const auto* terminal = layout.terminalOf(wire.need, wire.seat);
            QVERIFY(terminal && wire.path.first() == terminal->tip);
            for (qsizetype i = 0; i + 1 < wire.path.size(); ++i) {
                const QPointF a = wire.path[i], b = wire.path[i + 1];
                QVERIFY2(std::abs(a.x() - b.x()) < 1e-6 || std::abs(a.y() - b.y()) < 1e-6, "a wire runs askew");
                // No wire crosses the chip.
                QVERIFY(!layout.body.adjusted(2, 2, -2, -2).contains((a + b) / 2));
            }
        }
        QVERIFY(layout.bounds.contains(layout.body));
    }

private Q_SLOTS:
    void demoPlansAreLaidOutWell()
    {
        for (const char* name : {"sluice-node-c-start", "sluice-node-c-done", "sluice-node-c-tangled"})
            checkLayout(*run(demo(name)));
    }

    void everyPackageIsInEveryOrientation()
    {
        const LoadedPlan large = demo("pump-hall-a-done");
        const LoadedPlan small = demo("rain-post-b-done");
        for (int turns = 0; turns < 4; ++turns) {
            for (const char* name :
                 {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"})
                checkLayout(*run(demo(name)), turns);
            for (unsigned seed = 1; seed <= 3; ++seed) {
                checkLayout(*run(packed(large, Package::Kind::BallGrid, 324, seed)), turns);
                checkLayout(*run(packed(large, Package::Kind::BallGrid, 225, seed)), turns);
                checkLayout(*run(packed(large, Package::Kind::QuadFlat, 208, seed)), turns);
                checkLayout(*run(packed(small, Package::Kind::DualRow, 48, seed)), turns);
                checkLayout(*run(packed(small, Package::Kind::DualRow, 56, seed)), turns);
                checkLayout(*run(packed(small, Package::Kind::NoLead, 48, seed)), turns);
            }
        }
    }

    void turningGoesRoundAndKeepsTheOrder()
    {
        for (const char* name : {"sluice-node-c-done", "pump-hall-a-done"}) {
            const auto s = run(demo(name));
            const ChipLayout home = layOut(*s);
            const auto cross = [](const ChipLayout& l, PinIndex a, PinIndex b) {
                const QPointF c = l.body.center();
                const QPointF p = l.pins[a].box.center() - c, q = l.pins[b].box.center() - c;
                return p.x() * q.y() - p.y() * q.x();
            };
            for (int turns = 1; turns < 4; ++turns) {
                const ChipLayout turned = layOut(*s, turns);
                // A turn, no mirror: the sense of going from pin to pin stays, and so do distances.
                for (PinIndex i = 1; i < int(turned.pins.size()); ++i) {
                    QVERIFY(cross(home, 0, i) * cross(turned, 0, i) >= -1e-6);
                    const QPointF was = home.pins[i].box.center() - home.pins[PinIndex(0)].box.center();
                    const QPointF is = turned.pins[i].box.center() - turned.pins[PinIndex(0)].box.center();
                    QVERIFY(std::abs(std::hypot(was.x(), was.y()) - std::hypot(is.x(), is.y())) < 1e-6);
                }
                QCOMPARE(layOut(*s, turns + 4).pins[PinIndex(5)].box, turned.pins[PinIndex(5)].box);
            }
        }
    }

    void randomBindingsAreToo()
    {
        std::mt19937 random(29);
        for (int i = 0; i < 60; ++i) {
            LoadedPlan work = demo();
            for (Need& need : work.plan.needs)
                if (need.kind == "gpio")
                    need.binding.pads["pin"] = work.device->pads[PadIndex(random() % work.device->pads.size())].name;
            checkLayout(*run(work));
        }
    }

    void pinsStandAsTheDataSheetHasThem()
    {
        const auto s = run(demo());
        const ChipLayout layout = layOut(*s);
        // Counter-clockwise from the top of the left side.
        QVERIFY(layout.pins[PinIndex(0)].side == ChipLayout::Side::Left &&
                layout.pins[PinIndex(15)].side == ChipLayout::Side::Left);
        QVERIFY(layout.pins[PinIndex(0)].tip.y() < layout.pins[PinIndex(15)].tip.y());
        QVERIFY(layout.pins[PinIndex(16)].side == ChipLayout::Side::Bottom &&
                layout.pins[PinIndex(16)].tip.x() < layout.pins[PinIndex(31)].tip.x());
        QVERIFY(layout.pins[PinIndex(32)].side == ChipLayout::Side::Right &&
                layout.pins[PinIndex(32)].tip.y() > layout.pins[PinIndex(47)].tip.y());
        QVERIFY(layout.pins[PinIndex(48)].side == ChipLayout::Side::Top &&
                layout.pins[PinIndex(48)].tip.x() > layout.pins[PinIndex(63)].tip.x());
    }

    void aDualRowHasTwoSides()
    {
        const Library bench(std::string(BINDREL_SOURCE_ROOT) + "/tests/data/library");
        LoadedPlan work;
        work.device = bench.device("RD1016-D16").value();
        work.board = std::make_shared<const Board>(bench.board("bench").value());
        work.plan = emptyPlan(*work.board);
        Need need;
        need.id = need.title = "terminal";
        need.part = "terminal";
        need.kind = "uart";
        work.plan.needs.push_back(need);
        work.plan = *applied(work.plan, *bindAllOpen(*work.device, *work.board, work.plan));
        const auto s = run(work);
        checkLayout(*s);
        const ChipLayout layout = layOut(*s);
        QCOMPARE(layout.pins.size(), size_t(16));
        // Pin 1 at the top left, 8 below it, 9 at the bottom right, 16 at the top right.
        for (const PinIndex i : layout.pins.indices())
            QCOMPARE(layout.pins[i].side, i < 8 ? ChipLayout::Side::Left : ChipLayout::Side::Right);
        QVERIFY(layout.pins[PinIndex(0)].tip.y() < layout.pins[PinIndex(7)].tip.y());
        QCOMPARE(layout.pins[PinIndex(7)].tip.y(), layout.pins[PinIndex(8)].tip.y());
        QCOMPARE(layout.pins[PinIndex(0)].tip.y(), layout.pins[PinIndex(15)].tip.y());
        for (const auto& pin : layout.pins)
            QVERIFY(layout.bounds.contains(pin.box));
    }

    void aBallGridIsAGrid()
    {
        LoadedPlan work = demo("pump-hall-a-done");
        work.device = shippedDevice("AL7654-B176");
        const auto s = run(work);
        QCOMPARE(s->bindings.count(BoundNeed::State::Bound), int(work.plan.needs.size()));
        const ChipLayout layout = layOut(*s);
        QVERIFY(layout.grid);
        QCOMPARE(layout.pins.size(), size_t(176));
        QCOMPARE(layout.rulers.size(), size_t(28));
        const auto at = [&](const char* ball) -> const ChipLayout::Pin& {
            for (const PinIndex i : layout.pins.indices())
                if (s->device->package.pins[i].number == ball)
                    return layout.pins[i];
            qFatal("no ball %s", ball);
        };
        // A4 at the top left, P11 at the bottom right (the corners are cut); rows go down, columns to the right.
        QVERIFY(at("A4").box.center().x() < at("A5").box.center().x() &&
                at("D1").box.center().y() < at("E1").box.center().y());
        QVERIFY(at("P11").box.center().x() > at("A4").box.center().x() &&
                at("P11").box.center().y() > at("A4").box.center().y());
        for (const PinIndex i : layout.pins.indices()) {
            const ChipLayout::Pin& pin = layout.pins[i];
            QVERIFY(layout.body.contains(pin.box) && !layout.hole.intersects(pin.box));
            QCOMPARE(pin.escape.last(), pin.box.center());
            // The way out touches no other ball.
            for (const PinIndex k : layout.pins.indices())
                for (qsizetype n = 0; k != i && n + 1 < int(pin.escape.size()); ++n) {
                    const QRectF run =
                        QRectF(pin.escape[n], pin.escape[n + 1]).normalized().adjusted(-0.1, -0.1, 0.1, 0.1);
                    QVERIFY2(!run.intersects(layout.pins[k].box), s->device->package.pins[i].number.c_str());
                }
        }
        // Every wire ends where its ball's way out begins.
        for (const auto& wire : layout.wires)
            QCOMPARE(wire.path.last(), layout.pins[wire.pin].tip);
    }

    void aSmallChangeMovesFewThings()
    {
        const ChipLayout before = layOut(*run(demo()));
        LoadedPlan work = demo();
        work.plan.need("lid-switch")->binding.pads["pin"] = "PD9";
        const ChipLayout after = layOut(*run(work));
        int moved = 0;
        for (size_t i = 0; i < before.cards.size(); ++i)
            moved += std::abs(before.cards[i].box.top() - after.cards[i].box.top()) > 1;
        QVERIFY(moved <= 2);
    }

    void axisIsMonotonousAndInvertible()
    {
        const auto s = run(demo());
        std::vector<double> rates;
        for (const ClockState& c : s->rates.clocks)
            if (c.rate.toDouble() > 0)
                rates.push_back(c.rate.toDouble());
        const FrequencyAxis axis(rates, 200, 900);
        double last = 199;
        for (double hz = 1e4; hz < 1e9; hz *= 1.07) {
            QVERIFY(axis.x(hz) > last);
            last = axis.x(hz);
            QVERIFY(std::abs(axis.hertz(axis.x(hz)) / hz - 1) < 1e-6);
        }
        // The decade in which most clocks lie has more width than an empty one.
        QVERIFY(axis.x(1e9) - axis.x(1e8) > axis.x(1e6) - axis.x(1e5));
        QCOMPARE(axis.x(0), 200.0);
    }

    void ladderShowsEveryClockOnce()
    {
        const auto s = run(demo());
        std::set<int> seen;
        for (const Rung& rung : rungsOf(*s->device, s->rates, {}, {}))
            QVERIFY(seen.insert(rung.clock).second);
        QCOMPARE(seen.size(), s->device->clocks.size());
        // Folded, each is still there once, and what is used or kept is no part of a fold.
        seen.clear();
        const int kept = s->device->findClock("UART2K");
        for (const Rung& rung : rungsOf(*s->device, s->rates, {"kernel", "multiplier"}, {kept})) {
            QVERIFY(rung.clock < 0 || seen.insert(rung.clock).second);
            QVERIFY(rung.clock >= 0 || rung.folded.size() >= 3);
            for (const ClockIndex clock : rung.folded) {
                QVERIFY(clock != kept && !s->rates.clocks[clock].used);
                QVERIFY(seen.insert(clock).second);
            }
            for (const ClockIndex clock : rung.alike) {
                QVERIFY(clock != kept && rung.clock != kept);
                QVERIFY(s->rates.clocks[clock].rate == s->rates.clocks[rung.clock].rate &&
                        s->rates.clocks[clock].input == s->rates.clocks[rung.clock].input);
                QVERIFY(seen.insert(clock).second);
            }
        }
        QCOMPARE(seen.size(), s->device->clocks.size());
    }

    /// A large tree folds to what differs: fewer rungs than half a screen more, none lost.
    void alikeRungsOfALargeTreeFold()
    {
        const auto s = run(demo("pump-hall-a-done"));
        const std::vector<Rung> all = rungsOf(*s->device, s->rates, {}, {});
        const std::vector<Rung> folded =
            rungsOf(*s->device, s->rates, {"source", "multiplier", "system", "kernel"}, {});
        QVERIFY2(folded.size() + 10 < all.size(), std::to_string(folded.size()).c_str());
        size_t stands = 0;
        for (const Rung& rung : folded)
            stands += (rung.clock >= 0) + rung.alike.size() + rung.folded.size();
        QCOMPARE(stands, s->device->clocks.size());
        QVERIFY(std::any_of(folded.begin(), folded.end(), [](const Rung& rung) { return rung.alike.size() >= 2; }));
    }

    void goToFindsThingsByAnyName()
    {
        const auto s = run(demo());
        const auto targets = gotoTargets(*s);
        const auto first = [&](const char* typed) { return matchTargets(targets, typed, 5).at(0); };
        COMPARE_TEXT(first("pd3").kind, "pad");
        COMPARE_TEXT(first("uplink").kind, "need");
        COMPARE_TEXT(first("pll a vco").place.id, "PLLA.VCO");
        COMPARE_TEXT(first("DRIVE1.SAFE").kind, "register");
        COMPARE_TEXT(first("dbg_clk").place.id, "PD12");
        QVERIFY(matchTargets(targets, "  ", 5).empty());
        QVERIFY(matchTargets(targets, "zzzz", 5).empty());
    }
};

BINDREL_TEST(LayoutTest)
#include "layout_test.moc"
