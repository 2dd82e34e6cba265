// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "tests/support/fixtures.h"

#include <set>

using namespace bindrel;
using namespace bindrel::test;

class PinsTest : public QObject {
    Q_OBJECT

    /// The device file's own rule, told apart from the code under test: does a row of "pads" connect these two?
    static bool connected(const Device& device, const std::string& pad, const std::string& signal)
    {
        for (const Route& route : device.routes)
            if (device.pads[route.pad].name == pad && device.signalName(route) == signal)
                return true;
        return false;
    }

private Q_SLOTS:
    void bindsTheWholeBoardFromNothing()
    {
        LoadedPlan work = demo("sluice-node-c-start");
        const Expected<Edit> edit = bindAllOpen(*work.device, *work.board, work.plan);
        QVERIFY2(edit.ok(), edit.ok() ? "" : edit.problem().text().c_str());
        work.plan = *applied(work.plan, *edit);
        const auto s = run(work);
        QCOMPARE(s->bindings.count(BoundNeed::State::Bound), int(work.plan.needs.size()));
        QVERIFY(s->bindings.contests.empty());
        // Checked by hand-written rules: no pad twice, every signal on a pad that the chip connects it to.
        std::set<std::string> pads;
        for (const Need& need : work.plan.needs)
            for (const auto& [signal, pad] : need.binding.pads) {
                QVERIFY2(pads.insert(pad).second, pad.c_str());
                if (need.kind == "uart" || need.kind == "i2c")
                    QVERIFY(connected(*work.device, pad, need.binding.instance + "." + uppered(signal)));
            }
        const Binding& bridge = work.plan.need("gate-bridge")->binding;
        for (const char* pair : {"out1", "out2"}) {
            bool sameChannel = false;
            for (const char* channel : {"CH1", "CH2", "CH3"})
                sameChannel =
                    sameChannel || (connected(*work.device, bridge.pads.at(pair), bridge.instance + "." + channel) &&
                                    connected(*work.device, bridge.pads.at(std::string(pair) + "n"),
                                              bridge.instance + "." + channel + "N"));
            QVERIFY(sameChannel);
        }
        // The debug port and the crystals sit where the board has them.
        COMPARE_TEXT(work.plan.need("debug")->binding.pads.at("clk"), "PD12");
        COMPARE_TEXT(work.plan.need("hf-crystal")->binding.instance, "HFX");
    }

    void bindingIsDeterministic()
    {
        const LoadedPlan work = demo("sluice-node-c-start");
        QVERIFY(*bindAllOpen(*work.device, *work.board, work.plan) ==
                *bindAllOpen(*work.device, *work.board, work.plan));
    }

    /// What has no place stays open and is named; it does not keep the others from theirs.
    void whatHasNoPlaceStaysOpenAlone()
    {
        LoadedPlan work = demo("sluice-node-c-start");
        const size_t wanted = work.plan.needs.size();
        // One that no instance of the chip can be, and more ports of one kind than there are.
        Need clocked;
        clocked.id = clocked.title = "clocked";
        clocked.kind = "uart";
        clocked.goals = {{"line", "synchronous"}};
        work.plan.needs.insert(work.plan.needs.begin() + 2, clocked);
        const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
        QVERIFY2(all.ok(), all.ok() ? "" : all.problem().text().c_str());
        QCOMPARE(all->left.size(), size_t(1));
        QCOMPARE(all->left.front().first, NeedIndex(2));
        QVERIFY2(all->left.front().second.find("clock (CK)") != std::string::npos, all->left.front().second.c_str());
        work.plan = *applied(work.plan, all->edit);
        QCOMPARE(run(work)->bindings.count(BoundNeed::State::Bound), int(wanted));

        LoadedPlan many = demo("sluice-node-c-start");
        for (int i = 0; i < 8; ++i) {
            Need port;
            port.id = port.title = "port" + std::to_string(i);
            port.kind = "can";
            many.plan.needs.push_back(port);
        }
        const Expected<BoundAll> some = bindAll(*many.device, *many.board, many.plan, {});
        QVERIFY2(some.ok(), some.ok() ? "" : some.problem().text().c_str());
        // Leaving out fewer of them would not do, and the board's own need is not the one that stays open.
        int controllers = 0;
        for (const Instance& instance : many.device->instances)
            controllers += instance.block >= 0 && many.device->blocks[instance.block].kind == "can";
        QCOMPARE(int(some->left.size()), 9 - controllers);
        for (const auto& [need, why] : some->left)
            QVERIFY(many.plan.needs[need].id.starts_with("port"));
    }

    void bindLeavesOthersAlone()
    {
        LoadedPlan work = demo();
        work = with(work, SetBinding{"level-probes", {}});
        const Expected<Edit> edit = bindNeed(*work.device, *work.board, work.plan, "level-probes");
        QVERIFY(edit.ok());
        const Plan after = *applied(work.plan, *edit);
        for (const Need& need : work.plan.needs)
            if (need.id != "level-probes")
                QVERIFY(*after.need(need.id) == need);
        QVERIFY(!after.need("level-probes")->binding.pads.empty());
    }

    void waysAgreeWithEnumeration()
    {
        // Every pair of pads for an I2C need, by brute force over the device's routes.
        const LoadedPlan work = demo("sluice-node-c-start");
        std::set<std::string> expected;
        for (const char* instance : {"I2C1", "I2C2"})
            for (const Pad& scl : work.device->pads)
                for (const Pad& sda : work.device->pads)
                    if (connected(*work.device, scl.name, std::string(instance) + ".SCL") &&
                        connected(*work.device, sda.name, std::string(instance) + ".SDA") &&
                        !work.board->nets.contains(scl.name) && !work.board->nets.contains(sda.name))
                        expected.insert(std::string(instance) + " " + scl.name + " " + sda.name);
        std::set<std::string> found;
        for (const Binding& way :
             waysToBind(*work.device, *work.board, work.plan, needIndex(work.plan, "level-probes")))
            found.insert(way.instance + " " + way.pads.at("scl") + " " + way.pads.at("sda"));
        QCOMPARE(found.size(), expected.size());
        QVERIFY(found == expected);
    }

    void contentionIsFoundOnPadsInstancesAndLines()
    {
        const auto s = run(demo("sluice-node-c-tangled"));
        std::set<std::string> contested;
        for (const Contest& contest : s->bindings.contests)
            contested.insert(nameOf(*s->device, contest.resource));
        QVERIFY(contested == (std::set<std::string>{"PD3", "PD12", "interrupt line 6"}));

        LoadedPlan two = demo();
        Need copy = *two.plan.need("uplink");
        copy.id = "second";
        copy.binding.pads.clear();
        two = with(two, InsertNeed{99, copy});
        const auto t = run(two);
        QCOMPARE(t->bindings.contests.size(), size_t(1));
        COMPARE_TEXT(nameOf(*t->device, t->bindings.contests[0].resource),
                     QString::fromStdString(copy.binding.instance));
        QCOMPARE(t->bindings.needs[needIndex(two.plan, "uplink")].state, BoundNeed::State::Contested);
    }

    void pairMustShareAChannel()
    {
        LoadedPlan work = demo();
        Binding binding = work.plan.need("gate-bridge")->binding;
        binding.pads["out1"] = "PC0"; // CH1, while out1n stays on another channel
        work = with(work, SetBinding{"gate-bridge", binding});
        const auto s = run(work);
        QVERIFY(hasFinding(*s, "PIN-04", "gate-bridge"));
        QCOMPARE(s->bindings.needs.front().state, BoundNeed::State::Open);
    }

    void optionsNameEveryPadOnceWithItsCost()
    {
        const LoadedPlan work = demo();
        const auto s = run(work);
        const int need = needIndex(work.plan, "uplink");
        std::set<std::string> expected;
        for (const Route& route : work.device->routes)
            if (work.device->instances[route.instance].name.starts_with("UART") &&
                work.device->signalName(route).ends_with(".CTS"))
                expected.insert(work.device->pads[route.pad].name + " " + work.device->instances[route.instance].name);
        std::set<std::string> found;
        for (const Option& o : optionsFor(*s->device, *s->board, s->plan, s->bindings, need, "cts")) {
            found.insert(work.device->pads[o.pad].name + " " + work.device->instances[o.instance].name);
            QVERIFY(!o.reason.empty());
            // What an option promises is what taking it does.
            if (o.cost == Option::Cost::Free || o.cost == Option::Cost::Moves) {
                LoadedPlan taken = work;
                taken.plan =
                    *applied(work.plan, takeOption(*s->device, *s->board, s->plan, s->bindings, need, "cts", o));
                QVERIFY(run(taken)->bindings.contests.empty());
            }
            if (o.cost == Option::Cost::Contends) {
                LoadedPlan taken = work;
                taken.plan =
                    *applied(work.plan, takeOption(*s->device, *s->board, s->plan, s->bindings, need, "cts", o));
                QVERIFY(!run(taken)->bindings.contests.empty());
            }
        }
        QVERIFY(found == expected);
    }

    void boardNetsAndHoldsAreRespected()
    {
        LoadedPlan work = demo("sluice-node-c-start");
        const auto s = run(work);
        for (const Option& o :
             optionsFor(*s->device, *s->board, s->plan, s->bindings, needIndex(work.plan, "lid-switch"), "pin"))
            if (s->board->nets.contains(s->device->pads[o.pad].name))
                QCOMPARE(o.cost, Option::Cost::Impossible);
        work = with(demo(), SetHold{holdOfNeed("uplink"), true});
        const auto held = run(work);
        for (const Option& o :
             optionsFor(*held->device, *held->board, held->plan, held->bindings, needIndex(work.plan, "uplink"), "tx"))
            QVERIFY(o.cost == Option::Cost::Current || o.cost == Option::Cost::Impossible);
    }

    void saysWhyNothingFits()
    {
        LoadedPlan work = with(demo(), SetBinding{"level-probes", {}});
        for (int i = 0; i < 3; ++i) {
            Need need = *work.plan.need("level-probes");
            need.id = "extra-" + std::to_string(i);
            need.binding = {};
            work = with(work, InsertNeed{99, need});
        }
        const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
        QVERIFY2(all.ok(), all ? "" : all.problem().message.c_str());
        QCOMPARE(all->left.size(), size_t(3));
        // Three of the four: as few as say it. One is bound.
        const std::string& why = all->left.front().second;
        QVERIFY2(why.find("Level probes, Level probes and Level probes do not all fit on "
                          "SE4332-C64: only I2C1 and I2C2 can serve them.") == 0,
                 why.c_str());
    }

    void untanglingMovesTheFewest()
    {
        const LoadedPlan work = demo("sluice-node-c-tangled");
        const Untangling out = untangle(*work.device, *work.board, work.plan, 5);
        QVERIFY(out.proven && out.why.empty());
        QCOMPARE(out.ways.size(), size_t(5));
        QCOMPARE(out.ways.front().cost.moved, 3);
        std::set<std::set<std::string>> movers;
        for (const Untangling::ConflictSolution& way : out.ways) {
            std::set<std::string> who;
            for (const Change& change : way.edit.changes)
                who.insert(std::get<SetBinding>(change).need);
            QCOMPARE(who.size(), size_t(way.cost.moved));
            // Each is another answer to the question who has to give way.
            QVERIFY(movers.insert(who).second);
            LoadedPlan after = work;
            after.plan = *applied(work.plan, way.edit);
            QVERIFY(run(after)->bindings.contests.empty());
            // One undo step, there and back.
            QVERIFY(*applied(after.plan, inverse(work.plan, way.edit)) == work.plan);
        }
        COMPARE_TEXT(untangle(*demo().device, *demo().board, demo().plan, 5).why, "nothing is in conflict.");
        LoadedPlan held = work;
        for (const Need& need : held.plan.needs)
            held.plan.holds.insert(holdOfNeed(need.id));
        const Untangling none = untangle(*held.device, *held.board, held.plan, 5);
        QVERIFY(none.ways.empty() && !none.why.empty());
    }
};

BINDREL_TEST(PinsTest)
#include "pins_test.moc"
