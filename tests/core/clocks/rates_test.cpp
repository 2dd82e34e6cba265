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
        // 12 MHz / 3 = 4 MHz, x 80 = 320 MHz, / 2 = 160 MHz.
        QCOMPARE(hertz(*s, "PLLA.IN"), 4e6);
        QCOMPARE(hertz(*s, "PLLA.VCO"), 320e6);
        QCOMPARE(hertz(*s, "CPU"), 160e6);
        QCOMPARE(hertz(*s, "BUS1"), 80e6);
        QCOMPARE(hertz(*s, "TIM1"), 160e6); // twice the bus, since its divider is not 1
        QCOMPARE(*s->rates.waitStates, 4);
        const ClockState& cpu = s->rates.clocks[size_t(s->device->findClock("CPU"))];
        QCOMPARE(cpu.tolerance.worst().value, Rational(20));
    }

    void timersFollowTheirBusDivider()
    {
        const auto s = run(with(with(demo(), SetClock{"BUS2", "1"}), SetClock{"BUS1", "4"}));
        QCOMPARE(hertz(*s, "TIM2"), 160e6);
        QCOMPARE(hertz(*s, "TIM1"), 80e6);
    }

    void resetTreeIsWhatTheChipWakesWith()
    {
        Workpiece work = demo();
        work.plan.clocks.clear();
        work.plan.range.clear();
        const auto s = run(work);
        QCOMPARE(hertz(*s, "CPU"), 16e6);
        QCOMPARE(*s->rates.waitStates, 0);
        COMPARE_TEXT(s->device->ranges[size_t(s->rates.range)].id, "R2");
        QVERIFY(!s->rates.clocks[size_t(s->device->findClock("PLLA.VCO"))].running);
    }

    void sourcesRunOnlyWhenUsed()
    {
        const auto s = run(demo());
        QVERIFY(!s->rates.clocks[size_t(s->device->findClock("HFI"))].running);
        const auto forced = run(with(demo(), SetClock{"UOSC", "on"}));
        QVERIFY(forced->rates.clocks[size_t(forced->device->findClock("UOSC"))].running);
        const auto off = run(with(demo(), SetClock{"HFX", "off"}));
        QVERIFY(!off->rates.clocks[size_t(off->device->findClock("CPU"))].running);
        QVERIFY(hasFinding(*off, "CLK-08"));
        QVERIFY(hasFinding(*off, "CLK-04", "UART1K"));
    }

    void crystalThatIsNotFittedCannotRun()
    {
        Workpiece work = demo();
        Board board = *work.board;
        board.crystals.erase("HFX");
        work.board = std::make_shared<const Board>(board);
        const auto s = run(work);
        QVERIFY(s->rates.clocks[size_t(s->device->findClock("SYS"))].stopped.find("no crystal") != std::string::npos);
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
        // 4 MHz x mul / 4: 36 MHz at 36.
        QTest::newRow("36 MHz") << 36 << 0;
        QTest::newRow("37 MHz") << 37 << 1;
        QTest::newRow("72 MHz") << 72 << 1;
        QTest::newRow("73 MHz") << 73 << 2;
    }
    void waitStatesChangeExactlyAtTheirLimits()
    {
        QFETCH(int, mul);
        const auto s = run(with(with(demo(), SetClock{"PLLA.VCO", std::to_string(mul)}), SetClock{"PLLA.MAIN", "4"}));
        QCOMPARE(hertz(*s, "CPU"), mul * 1e6);
        QTEST(*s->rates.waitStates, "states");
    }

    void toleranceCrossingALimitIsACautionOnceAChain()
    {
        // 16 MHz +-1 % x 80 / 8: exactly 160 MHz, but as much as 161.6 MHz.
        Workpiece work = with(with(demo(), SetClock{"PLLA.SRC", "HFI"}), SetClock{"PLLA.IN", "4"});
        const auto s = run(work);
        QCOMPARE(hertz(*s, "CPU"), 160e6);
        QVERIFY(!hasFinding(*s, "CLK-01"));
        QVERIFY(hasFinding(*s, "CLK-03", "PLLA.MAIN"));
        QVERIFY(!hasFinding(*s, "CLK-03", "CPU"));
        // At 140 MHz there is room.
        QVERIFY(!hasFinding(*run(with(work, SetClock{"PLLA.VCO", "70"})), "CLK-03", "PLLA.MAIN"));
    }

    void whatIsTypedOnAClock()
    {
        const auto s = run(demo());
        const auto type = [&](const char* clock, const char* text) { return readClockEntry(*s->device, s->device->findClock(clock), text); };
        QCOMPARE(std::get<SetClock>(type("BUS1", "\u00f78")->edit.changes[0]), (SetClock{"BUS1", "8"}));
        QCOMPARE(std::get<SetClock>(type("BUS1", "4")->edit.changes[0]), (SetClock{"BUS1", "4"}));
        QCOMPARE(std::get<SetClock>(type("UART1K", "HFI")->edit.changes[0]), (SetClock{"UART1K", "HFI"}));
        QCOMPARE(std::get<SetClock>(type("BUS1", "")->edit.changes[0]), (SetClock{"BUS1", std::nullopt}));
        using Kind = ReachTarget::Kind;
        const int cpu = s->device->findClock("CPU");
        QCOMPARE(*type("CPU", "144M")->wish, (ReachTarget{cpu, Kind::Rate, megahertz(144), Ppm(), false}));
        QCOMPARE(*type("CPU", "157 MHz \u00b11 %")->wish, (ReachTarget{cpu, Kind::Rate, megahertz(157), Ppm(10'000), true}));
        QCOMPARE(*type("CPU", ">= 100 MHz")->wish, (ReachTarget{cpu, Kind::AtLeast, megahertz(100), Ppm(), false}));
        QCOMPARE(*type("CPU", "max")->wish, (ReachTarget{cpu, Kind::Fastest, Frequency(), Ppm(), false}));
        QCOMPARE(*type("CPU", "max <= 100 MHz")->wish, (ReachTarget{cpu, Kind::Fastest, megahertz(100), Ppm(), false}));
        QVERIFY(!type("BUS1", "3").ok());
        QVERIFY(!type("BUS1", "0 MHz").ok());
        QVERIFY(!type("BUS1", ">= 1 MHz \u00b11 %").ok());
        QVERIFY(!type("BUS1", "quick").ok());
    }
};

BINDREL_TEST(RatesTest)
#include "rates_test.moc"
