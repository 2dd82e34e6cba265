// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/fixtures.h"
#include "tests/support/register_decoder.h"

#include <cmath>
#include <set>

using namespace bindrel;
using namespace bindrel::test;

/// Register words decoded by hand-written tables (register_decoder.h) must mean what the plan says, and the order of
/// the bring-up must keep every rule of the data sheet at every step.
class ImageTest : public QObject {
    Q_OBJECT

    static Se43 decode(const Snapshot& s)
    {
        std::map<uint32_t, uint32_t> words;
        for (const RegisterValue& value : s.image.registers)
            words[s.device->addressOf(value.instance, value.reg)] = value.value;
        return Se43(words);
    }

private Q_SLOTS:
    void decodedWordsMeanThePlan()
    {
        const auto s = run(demo());
        const Se43 chip = decode(*s);
        QCOMPARE(chip.vcoA(), 300e6);
        QCOMPARE(chip.cpu(), 150e6);
        QCOMPARE(chip.bus1(), 75e6);
        QCOMPARE(chip.bus2(), 75e6);
        QCOMPARE(chip.waitStates(), 4u);
        QCOMPARE(chip.range(), 2u);
        QVERIFY(std::abs(chip.uartBaud(Se43::kUart1, chip.bus2()) / 460.8e3 - 1) < 0.003);
        QVERIFY(std::abs(chip.motorFrequency(chip.drive()) / 24e3 - 1) < 0.0002);
        QVERIFY(chip.motorDeadTime(chip.drive()) >= 650e-9 && chip.motorDeadTime(chip.drive()) < 650e-9 + 4 / 150e6);
        QVERIFY(chip.i2cLow(Se43::kI2c2, chip.bus1()) > 1.3e-6 && chip.i2cHigh(Se43::kI2c2, chip.bus1()) > 0.6e-6);
        // FLTON and OUTEN, 8N1 with handshake.
        QCOMPARE(chip.bits(Se43::kMotor + 0x20, 1, 0), 3u);
        QCOMPARE(chip.bits(Se43::kUart1, 11, 0), 0xC17u);
    }

    void padsAreSwitchedToWhatTheyCarry()
    {
        const auto s = run(demo());
        const Se43 chip = decode(*s);
        const auto at = [&](const char* need, const char* signal) {
            const std::string pad = s->plan.need(need)->binding.pads.at(signal);
            return std::pair(pad[1] - 'A', std::stoi(pad.substr(2)));
        };
        // The pad table of the data sheet, by hand, for the pads of the shipped plan.
        const std::map<std::string, uint32_t> sheet{{"PD0", 8}, {"PD1", 8},  {"PD2", 8},
                                                    {"PD3", 8}, {"PB8", 11}, {"PB9", 11}};
        for (const auto& [need, signal] : {std::pair{"uplink", "tx"},
                                           {"uplink", "rx"},
                                           {"uplink", "cts"},
                                           {"uplink", "rts"},
                                           {"level-probes", "scl"},
                                           {"level-probes", "sda"}}) {
            const auto [port, bit] = at(need, signal);
            QCOMPARE(chip.function(port, bit), sheet.at(s->plan.need(need)->binding.pads.at(signal)));
        }
        const auto [port, bit] = at("frost-heater", "pin");
        QCOMPARE(chip.padBits(port, bit, 4, 0), 0x11u); // port function, output
        QVERIFY(!chip.level(port, bit));
        const auto [keyPort, keyBit] = at("modem-key", "pin");
        QVERIFY(chip.level(keyPort, keyBit));
        QCOMPARE(chip.padBits(keyPort, keyBit, 7, 7), 1u); // open drain
    }

    void everyDecodedRateMatchesForManyPlans()
    {
        int tried = 0;
        for (const char* in : {"2", "3", "4"})
            for (const char* mul : {"48", "60", "79"})
                for (const char* main : {"2", "3", "5"})
                    for (const char* bus : {"1", "2", "4"}) {
                        const auto s = run(with(with(with(with(demo(), SetClock{"PLLA.IN", clockSaid(in)}),
                                                          SetClock{"PLLA.VCO", clockSaid(mul)}),
                                                     SetClock{"PLLA.MAIN", clockSaid(main)}),
                                                SetClock{"BUS1", clockSaid(bus)}));
                        const Se43 chip = decode(*s);
                        QVERIFY(std::abs(chip.cpu() - hertz(*s, "CPU")) < 1);
                        QVERIFY(std::abs(chip.bus1() - hertz(*s, "BUS1")) < 1);
                        QVERIFY(std::abs(chip.timers1() - hertz(*s, "TIM1K")) < 1);
                        ++tried;
                    }
        QCOMPARE(tried, 81);
    }

    void bringUpBreaksNoRuleAtAnyStep_data()
    {
        QTest::addColumn<QString>("range");
        QTest::addColumn<QString>("mul");
        QTest::addColumn<QString>("source");
        QTest::newRow("fast") << "R1"
                              << "50"
                              << "HFX";
        QTest::newRow("middle") << "R2"
                                << "42"
                                << "HFX";
        QTest::newRow("internal") << "R1"
                                  << "26"
                                  << "HFI";
        QTest::newRow("slow") << "R3"
                              << "26"
                              << "HFX";
    }
    /// A small model of the chip steps through the operations: what is locked, what is frozen, what is ready, and the
    /// limits of wait states, regulator and buses at that moment.
    void bringUpBreaksNoRuleAtAnyStep()
    {
        QFETCH(QString, range);
        QFETCH(QString, mul);
        QFETCH(QString, source);
        LoadedPlan work = with(with(with(demo(), SetText{SetText::What::Range, range.toStdString()}),
                                    SetClock{"PLLA.VCO", clockSaid(mul.toStdString())}),
                               SetClock{"PLLA.SRC", clockSaid(source.toStdString())});
        // The bus is too slow for the crystal's rate at some of these, so the CAN has none.
        work = with(work, SetClock{"CANK", clockSaid("none")});
        if (range == "R2")
            work = with(work, SetClock{"PLLA.MAIN", clockSaid("3")});
        if (range == "R3")
            work = with(with(work, SetClock{"PLLA.MAIN", clockSaid("6")}), SetClock{"PLLA.AUX", clockSaid("6")});
        const auto s = run(work);
        QVERIFY2(!hasFinding(*s, "CLK-01"), findingsText(*s).c_str());

        std::map<uint32_t, uint32_t> words{
            {0x4D000004, 1}, {0x4D000D04, 1}, {0x4D000010, 0x0A00}, {0x4D000018, 0x0600}, {0x4D000014, 0x0101}};
        bool clkOpen = false, pwrOpen = false, pllLocked = false;
        std::map<int, bool> ready{{0, true}};
        for (const Step& step : s->image.steps) {
            if (step.phase != Step::Phase::Unlock && step.phase != Step::Phase::Clocks &&
                step.phase != Step::Phase::Late)
                continue;
            const uint32_t address = s->device->addressOf(step.instance, step.reg);
            const std::string why = step.why + " at " + QString::number(address, 16).toStdString();
            if (step.kind == Step::Kind::Wait) {
                QVERIFY(step.timeout.value > Rational(0));
                if (address == 0x4D000008)
                    for (int bit = 0; bit < 10; ++bit)
                        if (step.mask >> bit & 1) {
                            QVERIFY2(words[0x4D000004] >> bit & 1, why.c_str()); // never polled unless switched on
                            ready[bit] = true;
                        }
                if (address == 0x4D000008 && step.mask >> 16 & 1)
                    pllLocked = true;
                continue;
            }
            if (address == 0x4D000000)
                clkOpen = step.value == 0x5E430001;
            else if (address == 0x4D000D00)
                pwrOpen = step.value == 0x5E430002;
            else if (address < 0x4D000D00)
                QVERIFY2(clkOpen, why.c_str());
            else if (address == 0x4D000D04)
                QVERIFY2(pwrOpen, why.c_str());
            if (address == 0x4D000010 || address == 0x4D000014)
                QVERIFY2(!(words[0x4D00000C] & 1), why.c_str()); // the PLL is off while it is set
            const uint32_t mask = step.kind == Step::Kind::Write ? ~0u : step.mask;
            words[address] = (words[address] & ~mask) | (step.value & mask);

            const Se43 now(words);
            if ((words[0x4D00001C] & 7) == 2)
                QVERIFY2(pllLocked, why.c_str());
            if ((words[0x4D00001C] & 7) == 1)
                QVERIFY2(ready[1], why.c_str());
            if ((words[0x4D00001C] & 7) == 0)
                QVERIFY2(words[0x4D000004] & 1, why.c_str());
            // Limits at this moment, by hand from the data sheet.
            const double top[] = {30e6, 90e6, 150e6}, bus1[] = {30e6, 45e6, 75e6}, bus2[] = {30e6, 90e6, 150e6};
            const std::vector<double> flash[] = {
                {15e6, 30e6}, {25e6, 50e6, 75e6, 90e6}, {34e6, 68e6, 102e6, 136e6, 150e6}};
            const uint32_t r = now.range();
            QVERIFY2(now.cpu() <= top[r] + 1 && now.bus1() <= bus1[r] + 1 && now.bus2() <= bus2[r] + 1, why.c_str());
            QVERIFY2(now.waitStates() < flash[r].size() && now.cpu() <= flash[r][now.waitStates()] + 1, why.c_str());
        }
        QVERIFY(std::abs(Se43(words).cpu() - hertz(*s, "CPU")) < 1);
    }

    void outputsHaveTheirLevelBeforeTheyDriveAndBridgesStayOff()
    {
        const auto s = run(demo());
        std::map<int, bool> levelSet;
        bool started = false;
        for (const Step& step : s->image.steps) {
            started = started || step.phase == Step::Phase::Start;
            for (const FieldWrite& write : step.fields) {
                const std::string name = s->device->nameOf(write.ref);
                if (name.find(".LEVEL.") != std::string::npos)
                    levelSet[write.ref.instance] = true;
                if (name.find(".CFG") != std::string::npos && name.ends_with(".OUT") && write.code == 1)
                    QVERIFY(levelSet[write.ref.instance]);
                if (name == "DRIVE1.SAFE.OUTEN" || name == "DRIVE1.CTL.ON" || name.starts_with("EDGES.IEN"))
                    QVERIFY(started);
            }
        }
        QVERIFY(started);
    }

    void gatesOpenBeforeRegistersAreWritten()
    {
        const auto s = run(demo());
        std::set<int> open;
        for (const Step& step : s->image.steps) {
            for (const FieldWrite& write : step.fields)
                for (const InstanceIndex i : s->device->instances.indices())
                    if (s->device->instances[i].gate.valid() &&
                        s->device->instances[i].gate == FieldCode{write.ref, write.code})
                        open.insert(int(i));
            if (s->device->instances[step.instance].gate.valid())
                QVERIFY2(open.contains(step.instance), step.why.c_str());
        }
    }

    /// What a peripheral drives is led to its pad after all of its registers are set; until then nobody drives it.
    void outputsAreHandedOverWhenTheirPeripheralIsSet()
    {
        for (const char* name : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            const auto s = run(demo(name));
            int handed = 0;
            for (const PadSetup& setup : s->pads) {
                if (!isHandedOver(s->bindings, s->settings, setup))
                    continue;
                const FieldRef function = s->device->pads[setup.pad].function;
                const int instance = s->bindings.needs[setup.need].instance;
                bool led = false;
                for (const Step& step : s->image.steps) {
                    for (const FieldWrite& write : step.fields)
                        led = led || (function.valid() && write.ref == function);
                    if (led && step.instance == instance && step.need == setup.need)
                        QVERIFY2(step.phase == Step::Phase::Start, name);
                }
                handed += led;
            }
            QVERIFY(handed > 0);
        }
    }

    /// Nothing but what comes from it waits for a source that takes longer than 10 ms.
    void slowSourcesHoldUpNothing()
    {
        for (const char* name : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            const auto s = run(demo(name));
            QVERIFY(!s->image.lateSources.empty());
            int late = 0;
            for (const Step& step : s->image.steps)
                if (step.kind == Step::Kind::Wait) {
                    QVERIFY2(step.phase == Step::Phase::Late || step.timeout.value <= Rational(1, 50),
                             step.why.c_str());
                    late += step.phase == Step::Phase::Late;
                }
            QVERIFY(late > 0);
        }
    }

    void openNeedsAreLeftOut()
    {
        const auto s = run(demo("sluice-node-c-start"));
        for (const Step& step : s->image.steps)
            QVERIFY(step.phase == Step::Phase::Unlock || step.phase == Step::Phase::Clocks ||
                    step.phase == Step::Phase::Late);
    }
};

BINDREL_TEST(ImageTest)
#include "image_test.moc"
