// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/board_facts.h"
#include "core/plan/pin_property.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

/// What pads and the board do to each other: each rule with a plan that breaks it and one that nearly does.
class PadRulesTest : public QObject {
    Q_OBJECT

    /// The finished plan with something else known of a terminal.
    static LoadedPlan knowing(const char* part, const char* terminal, const TerminalFact& fact,
                              LoadedPlan work = demo())
    {
        Board board = *work.board;
        for (Part& p : board.parts)
            if (p.id == part)
                p.facts[terminal] = fact;
        work.board = std::make_shared<const Board>(board);
        return work;
    }
    static LoadedPlan said(const char* need, const char* signal, const char* property, const char* value,
                           LoadedPlan work = demo())
    {
        const Need* found = work.plan.need(need);
        return with(work, pinPropertyChange(*found, signal, property, value));
    }
    static const PadSetup* setupOf(const Snapshot& s, const char* need, const char* signal)
    {
        for (const PadSetup& setup : s.pads)
            if (s.plan.needs[setup.need].id == need &&
                s.bindings.needs[setup.need].seats[size_t(setup.seat)].signal.id == signal)
                return &setup;
        return nullptr;
    }
    static bool mended(const Snapshot& s, const std::string& rule)
    {
        for (const Finding& finding : s.findings) {
            if (finding.rule != rule || finding.fixTitle.empty())
                continue;
            const Expected<Edit> edit = fixFor(s.facts(), finding);
            const Expected<Plan> next = edit ? applied(s.plan, *edit) : Expected<Plan>(edit.problem());
            return next && !hasFinding(*computeSnapshot(s.with(*next)), rule);
        }
        return false;
    }
    using Level = TerminalFact::Level;

private Q_SLOTS:
    void pullAgainstPull()
    {
        TerminalFact down;
        down.pull = Level::Low;
        TerminalFact up;
        up.pull = Level::High;
        const auto s = run(knowing("uplink-modem", "txd", down)); // the chip's receiver idles high, by its own pull-up
        QVERIFY2(hasFinding(*s, "PAD-01", "uplink"), findingsText(*s).c_str());
        QVERIFY(mended(*s, "PAD-01"));
        QVERIFY(!hasFinding(*run(knowing("uplink-modem", "txd", up)), "PAD-01"));
        QVERIFY(
            !hasFinding(*run(said("uplink", "rx", "pull", "none", knowing("uplink-modem", "txd", down))), "PAD-01"));
    }

    void drivesFollowTheRateUntilSomebodySaysOtherwise()
    {
        // 60 MHz at 16 mA: 7.5 MHz at 2 mA, 30 MHz at 8 mA. The flash wants 20 MHz at most and gets 18.75 MHz.
        const auto s = run(demo());
        QCOMPARE(setupOf(*s, "log-flash", "sck")->drive, PadSetup::Drive::Medium);
        QVERIFY(setupOf(*s, "log-flash", "sck")->because.find("18.75 MHz") != std::string::npos);
        QCOMPARE(setupOf(*s, "uplink", "tx")->drive, PadSetup::Drive::Weak);
        QVERIFY(!hasFinding(*s, "PAD-02"));
        const auto weak = run(said("log-flash", "sck", "drive", "weak"));
        QVERIFY2(hasFinding(*weak, "PAD-02", "log-flash"), findingsText(*weak).c_str());
        QVERIFY(findingsText(*weak).find("7.5 MHz") != std::string::npos);
        QVERIFY(mended(*weak, "PAD-02"));
        // The pad toggles at the rate that is achieved: 7.5 MHz until a goal of 9.375 MHz lets it be more.
        for (const auto& [rate, tooFast] :
             {std::pair{"7.5 MHz", false}, {"7.51 MHz", false}, {"9.37 MHz", false}, {"9.4 MHz", true}})
            QCOMPARE(
                hasFinding(*run(with(said("log-flash", "sck", "drive", "weak"), SetGoal{"log-flash", "rate", rate})),
                           "PAD-02"),
                tooFast);
        // As much as the bus clock gives is too much for the medium drive.
        const auto most = run(with(demo(), SetGoal{"log-flash", "rate", "61 MHz"}));
        QCOMPARE(setupOf(*most, "log-flash", "sck")->drive, PadSetup::Drive::Strong);
        QVERIFY(!hasFinding(*most, "PAD-02"));
    }

    void edgesAreFastOnlyWhereTheyMustBe()
    {
        // The pump hall's chip slows its edges at 14 MHz.
        const LoadedPlan work = demo("pump-hall-a-done");
        const auto s = run(work);
        QVERIFY(setupOf(*s, "log-flash", "sck")->fast); // 40 MHz
        QVERIFY(!setupOf(*run(with(work, SetGoal{"log-flash", "rate", "14 MHz"})), "log-flash", "sck")->fast);
        const auto fast = run(with(work, SetGoal{"log-flash", "rate", "21 MHz"}));
        QVERIFY(setupOf(*fast, "log-flash", "sck")->fast);
        // The field follows.
        const FieldRef edges = fast->device->roleField(
            fast->device->pads[setupOf(*fast, "log-flash", "sck")->pad].port,
            "speed" + std::to_string(fast->device->pads[setupOf(*fast, "log-flash", "sck")->pad].bit));
        QVERIFY(edges.valid());
        QCOMPARE(fast->image.codeOf(*fast->device, edges), 0u);
        const auto slow =
            run(said("log-flash", "sck", "speed", "slow", with(work, SetGoal{"log-flash", "rate", "21 MHz"})));
        QVERIFY(hasFinding(*slow, "PAD-02") && mended(*slow, "PAD-02"));
    }

    void netsAboveWhatThePadBears()
    {
        TerminalFact volts;
        volts.volts = Voltage(Rational(36, 10)); // 3.3 V and a diode, just
        QVERIFY(!hasFinding(*run(knowing("uplink-modem", "txd", volts)), "PAD-03"));
        volts.volts = Voltage(Rational(361, 100));
        const auto s = run(knowing("uplink-modem", "txd", volts));
        QCOMPARE(hasFinding(*s, "PAD-03", "uplink"), !s->device->pads[setupOf(*s, "uplink", "rx")->pad].fiveVolt);
        // A tolerant pad bears 5.5 V, and no more.
        LoadedPlan tolerant = demo();
        Device device = *tolerant.device;
        for (Pad& pad : device.pads)
            pad.fiveVolt = true;
        tolerant.device = std::make_shared<const Device>(device);
        volts.volts = Voltage(Rational(11, 2));
        QVERIFY(!hasFinding(*run(knowing("uplink-modem", "txd", volts, tolerant)), "PAD-03"));
        volts.volts = Voltage(Rational(56, 10));
        QVERIFY(hasFinding(*run(knowing("uplink-modem", "txd", volts, tolerant)), "PAD-03"));
        // As an analog input it bears its supply.
        volts.volts = Voltage(Rational(5));
        QVERIFY(hasFinding(*run(knowing("supply-sense", "battery", volts, tolerant)), "PAD-03"));
        // A bank of its own voltage counts with that.
        Device low = *demo().device;
        for (Pad& pad : low.pads) {
            pad.bank = "LOW";
            pad.fiveVolt = false;
        }
        low.banks["LOW"] = Voltage(Rational(18, 10));
        LoadedPlan lowered = demo();
        lowered.device = std::make_shared<const Device>(low);
        volts.volts = Voltage(Rational(33, 10));
        QVERIFY(hasFinding(*run(knowing("uplink-modem", "txd", volts, lowered)), "PAD-03"));
    }

    void loadsBeyondTheDrive()
    {
        TerminalFact load;
        load.current = Current(Rational(2, 1000));
        QVERIFY(!hasFinding(*run(knowing("uplink-modem", "rxd", load)), "PAD-04"));
        load.current = Current(Rational(3, 1000));
        const auto s = run(knowing("uplink-modem", "rxd", load));
        QVERIFY(hasFinding(*s, "PAD-04", "uplink") && s->count(Finding::Severity::Error) == 0);
        QVERIFY(mended(*s, "PAD-04"));
        load.current = Current(Rational(17, 1000));
        const auto hopeless = run(knowing("uplink-modem", "rxd", load));
        QVERIFY(hopeless->count(Finding::Severity::Error) == 1 && !mended(*hopeless, "PAD-04"));
        // A pad of the weak supply domain: 3 mA whatever the drive says.
        load.current = Current(Rational(4, 1000));
        LoadedPlan work = demo("pump-hall-a-done");
        const PadIndex free = work.device->findPad("W24");
        QVERIFY(free >= 0 && work.device->pads[free].weak);
        for (Need& need : work.plan.needs)
            if (need.kind == "gpio" && goalIs(need, "direction", "output")) {
                need.binding.pads["pin"] = "W24";
                const auto weak = run(knowing(need.part.c_str(), need.terminals.at("pin").c_str(), load, work));
                QVERIFY2(hasFinding(*weak, "PAD-04", need.id) &&
                             findingsText(*weak).find("weak supply VLOW") != std::string::npos,
                         findingsText(*weak).c_str());
                break;
            }
    }

    void whatMustBeOffIsOffFromResetOn()
    {
        // The heater: off when low, held low by a resistor.
        QVERIFY(!hasFinding(*run(demo()), "PAD-05"));
        const auto high = run(with(demo(), SetGoal{"frost-heater", "level", "high"}));
        QVERIFY2(hasFinding(*high, "PAD-05", "frost-heater") && mended(*high, "PAD-05"), findingsText(*high).c_str());
        const auto bridge = run(with(demo(), SetGoal{"gate-bridge", "idle", "high"}));
        QVERIFY(hasFinding(*bridge, "PAD-05", "gate-bridge") && mended(*bridge, "PAD-05"));
        TerminalFact off;
        off.off = Level::Low;
        const auto floating = run(knowing("frost-heater", "on", off));
        QVERIFY(hasFinding(*floating, "PAD-05", "frost-heater") && floating->count(Finding::Severity::Error) == 0);
        off.pull = Level::High;
        QVERIFY(run(knowing("frost-heater", "on", off))->count(Finding::Severity::Error) == 1);
        off.off = Level::High;
        QVERIFY(hasFinding(*run(knowing("frost-heater", "on", off)), "PAD-05")); // starts low, which is on
        QVERIFY(!hasFinding(*run(with(knowing("frost-heater", "on", off), SetGoal{"frost-heater", "level", "high"})),
                            "PAD-05"));
        // A debug pad moves between reset and bring-up.
        LoadedPlan debug = with(demo(), RemoveNeed{"debug"});
        debug.plan.need("frost-heater")->binding.pads["pin"] = "PD12";
        QVERIFY(hasFinding(*run(debug), "PAD-05", "frost-heater"));
    }

    void aBoardForAnotherChipIsSaid()
    {
        Board board = *demo().board;
        board.device = "SE4332-C100";
        LoadedPlan work = demo();
        work.board = std::make_shared<const Board>(board);
        const auto s = run(work);
        QVERIFY(hasFinding(*s, "BRD-01") && s->board->nets.empty());
        QVERIFY(!hasFinding(*run(demo()), "BRD-01"));
    }

    void namesOfNetsBindToTheirPads()
    {
        // The log flash's clock is on PA6. With the net known elsewhere it must go there; with the same net it is at
        // home.
        const auto netOn = [](LoadedPlan work, const char* pad, const char* net) {
            return with(std::move(work), SetNet{pad, net});
        };
        const LoadedPlan named = said("log-flash", "sck", "net", "FL_SCK");
        QVERIFY(!hasFinding(*run(named), "PIN-06"));
        QVERIFY(!hasFinding(*run(netOn(named, "PA6", "FL_SCK")), "PIN-06"));
        const auto other = run(netOn(named, "PA6", "SOMETHING"));
        QVERIFY2(hasFinding(*other, "PIN-06", "log-flash") &&
                     findingsText(*other).find("routed to SOMETHING") != std::string::npos,
                 findingsText(*other).c_str());
        const auto elsewhere = run(netOn(named, "PA7", "FL_SCK"));
        QVERIFY(hasFinding(*elsewhere, "PIN-06", "log-flash") &&
                findingsText(*elsewhere).find("FL_SCK is routed to PA7") != std::string::npos);
        // A net that nobody names keeps everything off but the pad's own fixed function, as before.
        QVERIFY(hasFinding(*run(netOn(demo(), "PA6", "FL_SCK")), "PIN-06", "log-flash"));
        // Options and the search know it too.
        const auto s = run(netOn(said("lid-switch", "pin", "net", "LID"), "PA2", "LID"));
        const int lid = needIndex(s->plan, "lid-switch");
        for (const Option& option : optionsFor(*s->device, *s->board, s->plan, s->bindings, lid, "pin"))
            if (option.cost == Option::Cost::Free)
                COMPARE_TEXT(s->device->pads[option.pad].name, "PA2");
        Plan open = s->plan;
        open.need("lid-switch")->binding = {};
        const Expected<Edit> bound = bindNeed(*s->device, *s->board, open, "lid-switch");
        QVERIFY(bound);
        COMPARE_TEXT(std::get<SetBinding>(bound->changes[0]).binding.pads.at("pin"), "PA2");
        // What the board's file tells can be told otherwise.
        const auto freed = run(netOn(demo(), "PC9", ""));
        QVERIFY(!freed->board->nets.contains("PC9") && freed->filedBoard->nets.contains("PC9"));
    }

    void whatIsSaidGoesIntoTheRegistersAndBack()
    {
        const auto s = run(said("uplink", "tx", "open_drain", "yes", said("uplink", "rx", "pull", "down")));
        QCOMPARE(setupOf(*s, "uplink", "rx")->pull, PadSetup::Pull::Down);
        QVERIFY(setupOf(*s, "uplink", "tx")->openDrain && setupOf(*s, "uplink", "tx")->isSaid("open_drain") &&
                !setupOf(*s, "uplink", "tx")->isSaid("pull"));
        const PadIndex pad = setupOf(*s, "uplink", "rx")->pad;
        const FieldRef pull =
            s->device->roleField(s->device->pads[pad].port, "pull" + std::to_string(s->device->pads[pad].bit));
        QCOMPARE(s->image.codeOf(*s->device, pull), 2u);
        // For a port's bit the same words are the need's own goals: one truth.
        const Need& lid = *s->plan.need("lid-switch");
        const Change change = pinPropertyChange(lid, "pin", "pull", "none");
        QVERIFY(std::holds_alternative<SetGoal>(change));
        QVERIFY(pinProperty(lid, "pin", "pull") == "up" && !pinProperty(lid, "pin", "net"));
    }
};

BINDREL_TEST(PadRulesTest)
#include "pad_rules_test.moc"
