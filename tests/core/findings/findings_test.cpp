// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/crystal_text.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

/// Each rule has a plan that triggers it and one that nearly does.
class FindingsTest : public QObject {
    Q_OBJECT

    static LoadedPlan moved(const char* need, const char* signal, const char* pad, const LoadedPlan& work = demo())
    {
        Binding binding = work.plan.need(need)->binding;
        binding.pads[signal] = pad;
        return with(work, SetBinding{need, binding});
    }

    /// Slow settings like the full ones, but for one clock of which they say nothing.
    static ClockSet withoutClock(const char* clock)
    {
        ClockSet set = demo().plan.clockSet();
        set.clocks.erase(clock);
        return set;
    }

    static LoadedPlan without(const char* need, const char* signal)
    {
        const LoadedPlan work = demo();
        Binding binding = work.plan.need(need)->binding;
        binding.pads.erase(signal);
        return with(work, SetBinding{need, binding});
    }

    static LoadedPlan twice(const char* need)
    {
        const LoadedPlan work = demo();
        Need copy = *work.plan.need(need);
        copy.id += "-2";
        copy.title += " 2";
        copy.binding.pads.clear();
        return with(work, InsertNeed{99, copy});
    }

    /// Stopped at the lowest range, running from the crystal divided or not; it wakes on 20 MHz, divided as much.
    static LoadedPlan slowly(const char* divider)
    {
        LoadedPlan work = with(with(demo(), SetText{SetText::What::Range, "R3"}), SetMode{"STOP", true});
        return with(with(with(with(work, SetClock{"SYS", clockSaid("HFX")}), SetClock{"CPU", clockSaid(divider)}),
                         SetClock{"BUS1", clockSaid("1")}),
                    SetClock{"BUS2", clockSaid("1")});
    }

    /// A tick and a port that interrupt by one number; the tick with or without a flag of its own.
    static LoadedPlan oneVector(bool flagless)
    {
        LoadedPlan work = with(demo(), SetGoal{"uplink", "interrupt", "receive"});
        const auto s = run(work);
        const Setting& tick = s->settings[needIndex(work.plan, "tick")];
        Device device = *work.device;
        const InstanceIndex port = s->bindings.needs[needIndex(work.plan, "uplink")].instance,
                            timer = tick.events.at(0).instance;
        for (auto& [event, number] : device.instances[timer].interrupts)
            number = device.instances[port].interrupts.begin()->second;
        if (flagless)
            device.blocks[device.instances[timer].block].roles.erase(tick.events.at(0).flag);
        work.device = std::make_shared<const Device>(std::move(device));
        return work;
    }

    static LoadedPlan noCrystalNeed() { return with(demo(), RemoveNeed{"hf-crystal"}); }

private Q_SLOTS:
    void theFinishedPlanIsClean()
    {
        const auto s = run(demo());
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
    }

    void everyRuleFiresAndNearlyFires_data()
    {
        QTest::addColumn<QString>("rule");
        QTest::addColumn<std::shared_ptr<const Snapshot>>("fires");
        QTest::addColumn<std::shared_ptr<const Snapshot>>("nearly");
        const auto row = [](const char* rule, const LoadedPlan& fires, const LoadedPlan& nearly) {
            QTest::newRow(rule) << rule << run(fires) << run(nearly);
        };
        row("PIN-01", moved("lid-switch", "pin", "PD0"), moved("lid-switch", "pin", "PA2"));
        row("PIN-02", twice("uplink"), twice("lid-switch"));
        // Ring sits on bit 6, and so on line 6; PA6 is the same bit, PA5 is not. The heater on PA6 takes no line.
        row("PIN-03", moved("lid-switch", "pin", "PA6"), moved("frost-heater", "pin", "PA6"));
        row("PIN-04", moved("uplink", "tx", "PA2"), moved("uplink", "tx", "PA12"));
        row("PIN-05", moved("frost-heater", "pin", "PD12"), moved("frost-heater", "pin", "PD9"));
        row("PIN-06", moved("frost-heater", "pin", "PC11"), moved("frost-heater", "pin", "PC8"));
        row("NEED-01", without("uplink", "cts"), demo());
        row("CLK-01", with(demo(), SetClock{"BUS1", clockSaid("1")}), with(demo(), SetClock{"BUS1", clockSaid("2")}));
        row("CLK-02", with(demo(), SetClock{"PLLA.VCO", clockSaid("33")}),
            with(demo(), SetClock{"PLLA.VCO", clockSaid("34")}));
        row("CLK-03",
            with(with(with(demo(), SetClock{"PLLA.SRC", clockSaid("HFI")}), SetClock{"PLLA.IN", clockSaid("4")}),
                 SetClock{"PLLA.VCO", clockSaid("60")}),
            demo());
        row("CLK-04", with(demo(), SetClock{"UART1K", clockSaid("LFX")}), demo());
        row("GOAL-04", oneVector(true), oneVector(false));
        // Both are told by the interrupt of all lines.
        const auto urgent = [](const char* one, const char* other) {
            return with(with(demo(), SetGoal{"modem-ring", "priority", one}),
                        SetGoal{"probe-alert", "priority", other});
        };
        row("GOAL-05", urgent("3", "5"), urgent("5", "5"));
        const auto hush = [](const char* core) {
            LoadedPlan work = with(demo("pump-hall-a-done"), SetMode{"HUSH", true});
            work.plan.need("level")->core = core;
            return work;
        };
        const auto fenced = [](const char* admits) {
            LoadedPlan work = demo("pump-hall-a-done");
            Device device = *work.device;
            // The set point is the helper's.
            device.instances[device.findInstance("LVL0")].fences.front().admits = {{0, {"LEAD"}}, {1, {admits}}};
            work.device = std::make_shared<const Device>(std::move(device));
            return work;
        };
        row("NEED-02", fenced("LEAD"), fenced("HELP"));
        row("MODE-04", hush("HELP"), hush("LEAD"));
        row("NVM-01", with(demo(), SetStored{"BOOT.DOG", "never"}), with(demo(), SetStored{"BOOT.DOG", "by reset"}));
        row("NVM-02", with(with(demo(), SetStored{"BOOT.LEVEL", "2.75 V"}), SetText{SetText::What::Supply, "2.75 V"}),
            with(with(demo(), SetStored{"BOOT.LEVEL", "2.75 V"}), SetText{SetText::What::Supply, "2.76 V"}));
        row("NVM-02", with(demo(), SetStored{"BOOT.LEVEL", "2.4 V"}), with(demo(), SetStored{"BOOT.LEVEL", "2.75 V"}));
        // A timer that takes PLL A's second output in both sets, and a first output that one of them changes.
        const auto timerOnPll = [](const char* main) {
            LoadedPlan work = with(demo(), SetClock{"TIM1K", clockSaid("PLLA.AUX")});
            ClockSet slow = work.plan.clockSet();
            slow.clocks["SYS"] = clockSaid("HFX");
            slow.clocks["PLLA.MAIN"] = clockSaid(main);
            slow.clocks["CANK"] = clockSaid("BUS1");
            return with(work, SetSlow{slow});
        };
        row("CLK-14", timerOnPll("4"), timerOnPll("2"));
        row("CLK-13", with(with(demo(), SetClock{"PLLA.MAIN", clockSaid("2.5")}), SetClock{"BUS2", clockSaid("1")}),
            with(with(demo(), SetClock{"PLLA.MAIN", clockSaid("2.5")}), SetClock{"BUS2", clockSaid("2")}));
        row("CLK-12", with(demo(), SetOnFailure{OnFailure::FallBack}), with(demo(), SetOnFailure{OnFailure::GoOn}));
        row("CLK-05", with(demo(), SetText{SetText::What::Range, "R2"}),
            with(with(demo(), SetText{SetText::What::Range, "R2"}), SetClock{"PLLA.MAIN", clockSaid("5")}));
        row("CLK-15", with(demo(), SetText{SetText::What::Temperature, "-60 to 70 °C"}),
            with(demo(), SetText{SetText::What::Temperature, "-40 to 105 °C"}));
        const auto crystal = [](std::optional<Tolerance> tolerance) {
            return with(demo(), SetCrystal{"HFX", FittedCrystal(CrystalFact{megahertz(12), tolerance, {}, {}, false})});
        };
        row("CLK-16", crystal({}), crystal(Tolerance::symmetric(Rational(20))));
        row("CLK-17", with(demo(), SetClock{"BUS1", FactorDecision{77}}),
            with(demo(), SetClock{"BUS1", FactorDecision{2}}));
        row("CLK-06", with(demo(), SetText{SetText::What::Supply, "2.69 V"}),
            with(demo(), SetText{SetText::What::Supply, "2.7 V"}));
        row("CLK-07", noCrystalNeed(), demo());
        // A pad of the crystal under a lamp: that is no caution any more.
        row("CLK-07", moved("frost-heater", "pin", "PC11", noCrystalNeed()), demo());
        row("MODE-03", with(demo(), SetSlow{withoutClock("RTCK")}), with(demo(), SetSlow{demo().plan.clockSet()}));
        row("CLK-08", with(demo(), SetClock{"HFX", clockSaid("off")}), with(demo(), SetClock{"LFX", clockSaid("off")}));
        row("CLK-11", with(with(demo(), SetClock{"UOSC", std::nullopt}), SetClock{"USBK", clockSaid("UOSC")}),
            with(demo(), SetClock{"USBK", clockSaid("UOSC")}));
        row("MODE-02", slowly("1"), slowly("2"));
        row("MODE-03", with(demo(), SetSlow{ClockSet{"R3", demo().plan.clocks}}),
            with(demo(), SetSlow{demo().plan.clockSet()}));
        const auto from = [](Origin origin, bool shadows, const char* tools) {
            LoadedPlan work = demo();
            work.provenance = {origin, origin, "/there/se4332-c64.json", "", shadows, false};
            Device device = *work.device;
            device.cores.front().toolPrefix = tools;
            work.device = std::make_shared<const Device>(std::move(device));
            return work;
        };
        row("DEV-01", from(Origin::BesidePlan, true, "arm-none-eabi-"),
            from(Origin::BesidePlan, false, "arm-none-eabi-"));
        row("DEV-02", from(Origin::User, false, "other-"), from(Origin::Shipped, false, "other-"));
        row("GOAL-01", with(demo(), SetGoal{"gate-bridge", "dead", "4.59 us"}),
            with(demo(), SetGoal{"gate-bridge", "dead", "4.58 us"}));
        row("GOAL-02", with(demo(), SetGoal{"beacon", "frequency", "90 MHz"}),
            with(demo(), SetGoal{"beacon", "frequency", "20 kHz"}));
    }
    void everyRuleFiresAndNearlyFires()
    {
        QFETCH(QString, rule);
        QFETCH(std::shared_ptr<const Snapshot>, fires);
        QFETCH(std::shared_ptr<const Snapshot>, nearly);
        if (rule == "CLK-04") {
            // A kernel clock that is set to a source that is switched off.
            LoadedPlan off =
                with(with(demo(), SetClock{"UART1K", clockSaid("LFX")}), SetClock{"LFX", clockSaid("off")});
            fires = run(off);
        }
        QVERIFY2(hasFinding(*fires, rule.toStdString()), findingsText(*fires).c_str());
        QVERIFY2(!hasFinding(*nearly, rule.toStdString()), findingsText(*nearly).c_str());
        for (const Finding& f : fires->findings) {
            QVERIFY(!f.text.text().empty() && f.text.text().ends_with("."));
            QVERIFY2(f.text.text().find("undefined") == std::string::npos, f.text.text().c_str());
        }
    }

    void everyRuleIsTested()
    {
        std::string tests;
        for (const auto& entry :
             std::filesystem::recursive_directory_iterator(std::string(BINDREL_SOURCE_ROOT) + "/tests"))
            if (entry.path().extension() == ".cpp")
                tests += textOf(entry.path());
        std::set<std::string> ids;
        for (const Rule& rule : rules()) {
            QVERIFY2(ids.insert(rule.id).second, rule.id.c_str());
            QVERIFY2(!rule.about.empty(), rule.id.c_str());
            QVERIFY2(tests.find("\"" + rule.id + "\"") != std::string::npos, (rule.id + " is in no test").c_str());
        }
    }

    /// The slow clocks are told apart from the full ones, and a fix of the full ones is not offered for them.
    void slowClocksAreHeldToTheSameLimits()
    {
        ClockSet slow = demo().plan.clockSet();
        slow.clocks["BUS1"] = clockSaid("1");
        const auto s = run(with(demo(), SetSlow{slow}));
        QVERIFY(!hasFinding(*s, "CLK-01"));
        const auto found =
            std::find_if(s->findings.begin(), s->findings.end(), [](const Finding& f) { return f.rule == "MODE-03"; });
        QVERIFY(found != s->findings.end());
        COMPARE_TEXT(found->place.id, "BUS1");
        QVERIFY2(found->text.text().starts_with("With the low-speed clocks: Bus 1 runs at 150 MHz"),
                 found->text.text().c_str());
        QVERIFY(found->fixTitle.empty() && !found->ways);
        slow.range = "R2";
        QVERIFY(findingsText(*run(with(demo(), SetSlow{slow})))
                    .find("With the low-speed clocks: The flash is too slow for") != std::string::npos);
    }

    /// With nothing bound that runs on or watches a pad, the chip would sleep for good.
    void aModeThatNothingEnds()
    {
        LoadedPlan work = with(demo("sluice-node-c-start"), SetMode{"STOP", true});
        QVERIFY(!hasFinding(*run(with(demo(), SetMode{"STOP", true})), "MODE-01", "STOP"));
        for (Need& need : work.plan.needs)
            need.binding = {};
        QVERIFY(hasFinding(*run(work), "MODE-01", "STOP"));
        // A button that is watched is enough.
        Need button;
        button.id = "button";
        button.title = "Button";
        button.kind = "gpio";
        button.goals = {{"direction", "input"}, {"edges", "falling"}};
        button.binding.pads = {{"pin", "PA5"}};
        QVERIFY(!hasFinding(*run(with(work, InsertNeed{0, button})), "MODE-01", "STOP"));
    }

    void everyFixThatIsOfferedMendsItsFinding()
    {
        const std::vector<LoadedPlan> troubled{demo("sluice-node-c-tangled"),
                                               demo("sluice-node-c-start"),
                                               moved("lid-switch", "pin", "PD0"),
                                               with(twice("level-probes"), RemoveNeed{"frost-heater"}),
                                               moved("uplink", "tx", "PA2"),
                                               moved("frost-heater", "pin", "PC11"),
                                               with(demo(), SetClock{"BUS1", clockSaid("1")}),
                                               with(demo(), SetClock{"PLLA.VCO", clockSaid("23")})};
        int fixes = 0;
        for (const LoadedPlan& work : troubled) {
            const auto s = run(work);
            for (const Finding& finding : s->findings) {
                if (finding.fixTitle.empty())
                    continue;
                const Expected<Edit> edit = fixFor(s->facts(), finding);
                QVERIFY2(edit.ok(), (finding.text.text() + ": " + (edit.ok() ? "" : edit.problem().text())).c_str());
                LoadedPlan after = work;
                after.plan = *applied(work.plan, *edit);
                const auto t = run(after);
                for (const Finding& left : t->findings)
                    QVERIFY2(!(left.rule == finding.rule && left.place == finding.place), finding.text.text().c_str());
                ++fixes;
            }
        }
        QVERIFY(fixes > 20);
    }

    void tangledPlanCanBeClearedByItsFixesAlone()
    {
        LoadedPlan work = demo("sluice-node-c-tangled");
        for (int i = 0; i < 20; ++i) {
            const auto s = run(work);
            const auto fixable = std::find_if(s->findings.begin(), s->findings.end(),
                                              [](const Finding& f) { return !f.fixTitle.empty(); });
            if (fixable == s->findings.end())
                break;
            const Expected<Edit> edit = fixFor(s->facts(), *fixable);
            QVERIFY2(edit.ok(), edit.ok() ? "" : edit.problem().text().c_str());
            work.plan = *applied(work.plan, *edit);
        }
        // The dead time that is out of reach is the person's to decide.
        const auto s = run(work);
        QVERIFY2(s->findings.size() == 1 && s->findings[0].rule == "GOAL-01", findingsText(*s).c_str());
    }
};

BINDREL_TEST(FindingsTest)
#include "findings_test.moc"
