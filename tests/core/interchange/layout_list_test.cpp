// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/layout_list.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// What whoever draws the board gets from a plan: pins by net, and what the schematic must follow.
class LayoutListTest : public QObject {
    Q_OBJECT

    static long routed(const Snapshot& s)
    {
        return std::count_if(s.findings.begin(), s.findings.end(),
                             [](const Finding& finding) { return finding.rule == "PIN-06"; });
    }

private Q_SLOTS:
    /// Each pad in use and each net stands there once, by net; the nameless ones come last.
    void everyPadOnce()
    {
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done"}) {
            const auto s = run(demo(plan));
            const std::vector<NetPin> pins = pinsByNet(*s);
            std::set<std::string> pads, wanted;
            bool nameless = false;
            for (const NetPin& pin : pins) {
                QVERIFY2(pads.insert(pin.pad).second, pin.pad.c_str());
                QVERIFY(!pin.net.empty() || !pin.signal.empty());
                QVERIFY(!nameless || pin.net.empty());
                nameless = nameless || pin.net.empty();
            }
            for (const Need& need : s->plan.needs)
                for (const auto& [signal, pad] : need.binding.pads)
                    wanted.insert(pad);
            for (const auto& [pad, net] : s->board->nets)
                wanted.insert(pad);
            QVERIFY(pads == wanted);
        }
    }

    /// Signals change places on a routed board; when the schematic does what is listed, every pad carries its own net
    /// again.
    void theSchematicFollows()
    {
        std::mt19937 random(seeded(353));
        int moves = 0;
        for (int round = 0; round < 30; ++round) {
            // A board that is routed as the plan has it, each signal with a net of its own.
            LoadedPlan work = demo();
            std::vector<NeedIndex> free;
            Plan plan = work.plan;
            for (const NeedIndex n : plan.needs.indices()) {
                Need& need = plan.needs[n];
                for (const auto& [signal, pad] : need.binding.pads)
                    if (work.board->nets.find(pad) == work.board->nets.end()) {
                        const std::string net = "N_" + std::to_string(n) + "_" + signal;
                        plan.nets[pad] = net;
                        need.pins[signal]["net"] = net;
                    }
                if (need.kind == "gpio" && need.binding.pads.size() == 1)
                    free.push_back(n);
            }
            work.plan = plan;
            const auto drawn = run(work);
            QCOMPARE(routed(*drawn), 0);
            QVERIFY(movedSignals(*drawn, *drawn).empty());
            // Any signal of a port's bit can be on any of their pads.
            std::vector<std::string> pads;
            for (const NeedIndex n : free)
                pads.push_back(plan.needs[n].binding.pads.begin()->second);
            std::shuffle(pads.begin(), pads.end(), random);
            for (std::size_t i = 0; i < free.size(); ++i)
                plan.needs[free[i]].binding.pads.begin()->second = pads[i];
            work.plan = plan;
            const auto now = run(work);
            const std::vector<MovedSignal> moved = movedSignals(*drawn, *now);
            int changed = 0;
            for (const NeedIndex n : free)
                changed += plan.needs[n].binding.pads != drawn->plan.needs[n].binding.pads;
            QCOMPARE(int(moved.size()), changed);
            QVERIFY(changed == 0 || routed(*now) > 0);
            for (const MovedSignal& one : moved)
                plan.nets[one.fromPad] = "";
            for (const MovedSignal& one : moved) {
                QVERIFY(!one.net.empty());
                QCOMPARE(one.toPin, now->device->pinOf(now->device->findPad(one.toPad)));
                plan.nets[one.toPad] = one.net;
            }
            work.plan = plan;
            const auto followed = run(work);
            QVERIFY2(routed(*followed) == 0, findingsText(*followed).c_str());
            moves += changed;
        }
        QVERIFY(moves > 30);
    }
};

BINDREL_TEST(LayoutListTest)
#include "layout_list_test.moc"
