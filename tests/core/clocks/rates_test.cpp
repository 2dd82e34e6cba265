// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/clock_entry.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

class RatesTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void theDemoTreeByHand()
    {
        const auto s = run(demo());
        // 12 MHz / 2 = 6 MHz, x 50 = 300 MHz, / 2 = 150 MHz.
        QCOMPARE(hertz(*s, "PLLA.IN"), 6e6);
        QCOMPARE(hertz(*s, "PLLA.VCO"), 300e6);
        QCOMPARE(hertz(*s, "CPU"), 150e6);
        QCOMPARE(hertz(*s, "BUS1"), 75e6);
        QCOMPARE(hertz(*s, "TIM1K"), 75e6); // its bus, as it is
        QCOMPARE(hertz(*s, "DRIVEK"), 150e6);
        QCOMPARE(*s->rates.waitStates, 4);
        const ClockState& cpu = s->rates.clocks[s->device->findClock("CPU")];
        QCOMPARE(cpu.tolerance.worst().value, Rational(20));
    }

    void halfStepsDivideExactly()
    {
        for (const auto& [factor, rate] : {std::pair("2", Rational(150'000'000)),
                                           {"2.5", 120'000'000},
                                           {"3.5", Rational(600'000'000, 7)},
                                           {"8", 37'500'000}}) {
            const auto s = run(with(demo(), SetClock{"PLLA.MAIN", clockSaid(factor)}));
            QVERIFY2(s->rates.clocks[s->device->findClock("CPU")].rate.value == rate, factor);
        }
    }

    /// A clock that doubles its bus unless the bus's divider is 1: no shipped chip has one.
    void aClockCanFollowWhetherAnotherDividerIsOne()
    {
        LoadedPlan work = demo();
        Device device = *work.device;
        ClockNode twice;
        twice.id = twice.name = "TWICE";
        twice.tier = "kernel";
        twice.type = ClockNode::Type::Follow;
        twice.onAtReset = true;
        twice.inputs = {{device.findClock("BUS1"), 0}};
        twice.follows = device.findClock("BUS1");
        twice.factorElse = 2;
        device.clocks.push_back(twice);
        work.device = std::make_shared<const Device>(std::move(device));
        QCOMPARE(hertz(*run(with(work, SetClock{"BUS1", clockSaid("2")})), "TWICE"), 150e6);
        QCOMPARE(hertz(*run(with(work, SetClock{"BUS1", clockSaid("4")})), "TWICE"), 75e6);
        QCOMPARE(hertz(*run(with(work, SetClock{"BUS1", clockSaid("1")})), "TWICE"), 150e6);
    }

    void resetTreeIsWhatTheChipWakesWith()
    {
        LoadedPlan work = demo();
        work.plan.clocks.clear();
        work.plan.range.clear();
        const auto s = run(work);
        QCOMPARE(hertz(*s, "CPU"), 20e6);
        QCOMPARE(*s->rates.waitStates, 0);
        COMPARE_TEXT(s->device->ranges[size_t(s->rates.range)].id, "R2");
        QVERIFY(!s->rates.clocks[s->device->findClock("PLLA.VCO")].running);
    }

    void sourcesRunOnlyWhenUsed()
    {
        const auto s = run(demo());
        QVERIFY(!s->rates.clocks[s->device->findClock("HFI")].running);
        const auto forced = run(with(demo(), SetClock{"UOSC", clockSaid("on")}));
        QVERIFY(forced->rates.clocks[forced->device->findClock("UOSC")].running);
        const auto off = run(with(demo(), SetClock{"HFX", clockSaid("off")}));
        QVERIFY(!off->rates.clocks[off->device->findClock("CPU")].running);
        QVERIFY(hasFinding(*off, "CLK-08"));
        QVERIFY(hasFinding(*off, "CLK-04", "UART1K"));
    }

    void crystalThatIsNotFittedCannotRun()
    {
        LoadedPlan work = demo();
        Board board = *work.board;
        board.crystals.erase("HFX");
        work.board = std::make_shared<const Board>(board);
        const auto s = run(work);
        QVERIFY(s->rates.clocks[s->device->findClock("SYS")].stopped.find("no crystal") != std::string::npos);
    }

    void limitsFollowTheOperatingRange()
    {
        QVERIFY(!hasFinding(*run(demo()), "CLK-01"));
        const auto slow = run(with(demo(), SetText{SetText::What::Range, "R2"}));
        QVERIFY(hasFinding(*slow, "CLK-01", "CPU"));
        QVERIFY(hasFinding(*slow, "CLK-05"));
        const auto supply = run(with(demo(), SetText{SetText::What::Supply, "2.0 V"}));
        QVERIFY(hasFinding(*supply, "CLK-06"));
    }

    void waitStatesChangeExactlyAtTheirLimits_data()
    {
        QTest::addColumn<int>("mul");
        QTest::addColumn<int>("states");
        // 3 MHz x mul / 3 / 2: 34 MHz at 68.
        QTest::newRow("34 MHz") << 68 << 0;
        QTest::newRow("34.5 MHz") << 69 << 1;
        QTest::newRow("51 MHz, 68 / 2 states") << 102 << 1;
    }
    void waitStatesChangeExactlyAtTheirLimits()
    {
        QFETCH(int, mul);
        const auto s = run(with(
            with(with(with(demo(), SetClock{"PLLA.IN", clockSaid("4")}), SetClock{"PLLA.VCO", FactorDecision{mul}}),
                 SetClock{"PLLA.MAIN", clockSaid("3")}),
            SetClock{"CPU", clockSaid("2")}));
        QCOMPARE(hertz(*s, "CPU"), mul * 0.5e6);
        QTEST(*s->rates.waitStates, "states");
    }

    void toleranceCrossingALimitIsACautionOnceAChain()
    {
        // 20 MHz +-1.2 % x 60 / 8: exactly 150 MHz, but as much as 151.8 MHz.
        LoadedPlan work =
            with(with(with(demo(), SetClock{"PLLA.SRC", clockSaid("HFI")}), SetClock{"PLLA.IN", clockSaid("4")}),
                 SetClock{"PLLA.VCO", clockSaid("60")});
        const auto s = run(work);
        QCOMPARE(hertz(*s, "CPU"), 150e6);
        QVERIFY(!hasFinding(*s, "CLK-01"));
        QVERIFY(hasFinding(*s, "CLK-03", "PLLA.MAIN"));
        QVERIFY(!hasFinding(*s, "CLK-03", "CPU"));
        // At 147.5 MHz there is room.
        QVERIFY(!hasFinding(*run(with(work, SetClock{"PLLA.VCO", clockSaid("59")})), "CLK-03", "PLLA.MAIN"));
    }

    void whatIsTypedOnAClock()
    {
        const auto s = run(demo());
        const auto type = [&](const char* clock, const char* text) {
            return readClockEntry(*s->device, s->device->findClock(clock), text);
        };
        QCOMPARE(std::get<SetClock>(type("BUS1", "\u00f78")->edit.changes[0]), (SetClock{"BUS1", clockSaid("8")}));
        QCOMPARE(std::get<SetClock>(type("BUS1", "4")->edit.changes[0]), (SetClock{"BUS1", clockSaid("4")}));
        QCOMPARE(std::get<SetClock>(type("UART1K", "HFI")->edit.changes[0]), (SetClock{"UART1K", clockSaid("HFI")}));
        QCOMPARE(std::get<SetClock>(type("BUS1", "")->edit.changes[0]), (SetClock{"BUS1", std::nullopt}));
        using Kind = ReachTarget::Kind;
        const int cpu = s->device->findClock("CPU");
        QCOMPARE(*type("CPU", "144M")->wish, (ReachTarget{cpu, Kind::Rate, megahertz(144), Ppm(), false}));
        QCOMPARE(*type("CPU", "157 MHz \u00b11 %")->wish,
                 (ReachTarget{cpu, Kind::Rate, megahertz(157), Ppm(10'000), true}));
        QCOMPARE(*type("CPU", ">= 100 MHz")->wish, (ReachTarget{cpu, Kind::AtLeast, megahertz(100), Ppm(), false}));
        QCOMPARE(*type("CPU", "max")->wish, (ReachTarget{cpu, Kind::Fastest, Frequency(), Ppm(), false}));
        QCOMPARE(*type("CPU", "max <= 100 MHz")->wish, (ReachTarget{cpu, Kind::Fastest, megahertz(100), Ppm(), false}));
        QVERIFY(!type("BUS1", "5").ok());
        QVERIFY(!type("PLLA.MAIN", "/ 4.5").ok());
        QCOMPARE(std::get<SetClock>(type("PLLA.MAIN", "/ 3.5")->edit.changes[0]),
                 (SetClock{"PLLA.MAIN", clockSaid("3.5")}));
        QVERIFY(!type("BUS1", "0 MHz").ok());
        QVERIFY(!type("BUS1", ">= 1 MHz \u00b11 %").ok());
        QVERIFY(!type("BUS1", "quick").ok());
    }
};

BINDREL_TEST(RatesTest)
#include "rates_test.moc"
