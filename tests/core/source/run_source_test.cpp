// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/chip_memory.h"
#include "tests/support/register_decoder.h"

#include <cmath>

using namespace bindrel;
using namespace bindrel::test;

/// The written C is compiled for this machine and run on plain memory that lies where the chip's registers would be;
/// what it leaves there is decoded by hand-written tables. So the C itself is judged, not the steps that it was written
/// from.
class RunSourceTest : public QObject {
    Q_OBJECT

    static constexpr uint32_t kStat = Se43::kClk + 8, kPwrStat = Se43::kRegulator + 8;
    /// Everything ready at once, and SYS confirming the PLL.
    static void everythingReady()
    {
        Chip::at(kStat) = 0x0003'0313u | 2u << 20;
        Chip::at(kPwrStat) = 1;
    }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    void theCodeLeavesTheRegistersAsPlanned_data()
    {
        QTest::addColumn<LoadedPlan>("work");
        QTest::newRow("done") << demo();
        QTest::newRow("other clocks") << with(
            with(with(demo(), SetClock{"PLLA.VCO", clockSaid("45")}), SetClock{"BUS1", clockSaid("4")}),
            SetClock{"UART1K", clockSaid("HFI")});
        QTest::newRow("other goals") << with(
            with(with(demo(), SetGoal{"uplink", "frame", "8E2"}), SetGoal{"gate-bridge", "fault", "active high"}),
            SetGoal{"gate-bridge", "idle", "high"});
        QTest::newRow("slow bus") << with(with(demo(), SetGoal{"level-probes", "class", "standard"}),
                                          SetGoal{"level-probes", "rate", "100 kHz"});
        QTest::newRow("edge aligned") << with(with(demo(), SetGoal{"gate-bridge", "alignment", "edge"}),
                                              SetGoal{"gate-bridge", "dead", "3 us"});
    }
    void theCodeLeavesTheRegistersAsPlanned()
    {
        QFETCH(LoadedPlan, work);
        const auto s = run(work);
        // Idle levels that switch the bridge on are a fault of the plan, not of the code that does as it says.
        for (const Finding& finding : s->findings)
            QVERIFY2(finding.rule == "PAD-05", findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        everythingReady();
        QCOMPARE(code.find<int()>("sluice_bring_up")(), 0);

        // Safe before start: no output of a bridge, no interrupt.
        QCOMPARE(Chip::at(Se43::kMotor + 0x20) & 1u, 0u);
        QCOMPARE(Chip::at(Se43::kEdges + 0x48), 0u);
        code.startAll(*s);

        // Every register that the plan decides holds the value that the window shows.
        for (const RegisterValue& value : s->image.registers) {
            uint32_t kept = 0; // a key leaves no trace in a chip
            for (const Field& field : s->device->blockOf(value.instance).registers[value.reg].fields)
                kept |= field.keepsWrites() ? field.mask() : 0;
            QCOMPARE(Chip::at(s->device->addressOf(value.instance, value.reg)) & kept, value.value & kept);
        }
        // And by hand-written tables it means what was asked for.
        const Se43 meaning(chip.words());
        QCOMPARE(meaning.cpu(), hertz(*s, "CPU"));
        QCOMPARE(meaning.bus1(), hertz(*s, "BUS1"));
        const double uartClock = work.plan.clocks.contains("UART1K") ? 20e6 : meaning.bus2();
        QVERIFY(std::abs(meaning.uartBaud(Se43::kUart1, uartClock) / 460.8e3 - 1) < 0.02);
        QVERIFY(std::abs(meaning.motorFrequency(meaning.drive()) / 24e3 - 1) < 0.001);
        QVERIFY(meaning.motorDeadTime(meaning.drive()) >= 650e-9 - 1e-12);
        QCOMPARE(Chip::at(Se43::kClk), 0x5E430001u);
    }

    void aClockThatNeverComesIsReported()
    {
        const auto s = run(demo());
        const Compiled code(*s);
        // The first wait that cannot end decides which status comes back; the order of the enumeration is that of the
        // waits.
        const auto bringUp = code.find<int()>("sluice_bring_up");
        for (const auto& [stat, pwr, expected] : std::vector<std::tuple<uint32_t, uint32_t, int>>{{0x00230313, 0, 1},
                                                                                                  {0x00230113, 1, 2},
                                                                                                  {0x00230311, 1, 3},
                                                                                                  {0x00230303, 1, 4},
                                                                                                  {0x00220313, 1, 5},
                                                                                                  {0x00130313, 1, 6},
                                                                                                  {0x00230213, 1, 7}}) {
            const Chip chip(*s->device);
            Chip::at(kStat) = stat;
            Chip::at(kPwrStat) = pwr;
            QCOMPARE(bringUp(), expected);
            // Outputs have their safe levels whatever fails: the heater's pad is an output, low.
            const std::string heater = s->plan.need("frost-heater")->binding.pads.at("pin");
            const uint32_t port = Se43::kPorts + Se43::kPortStride * uint32_t(heater[1] - 'A'),
                           bit = uint32_t(std::stoi(heater.substr(2)));
            QCOMPARE(Chip::at(port + 4 * bit) & 0x1Fu, 0x11u);
            QCOMPARE(Chip::at(port + 0x40) >> bit & 1u, 0u);
            // A fast clock that fails ends it: no peripheral gets a pad to drive. The slow crystal (the last) is missed
            // by its own needs only.
            const bool up = expected == 7;
            QCOMPARE(Chip::at(Se43::kPorts + 3 * Se43::kPortStride) & 0xFu, up ? 8u : 0u); // PD0 to UART1.TX
            QCOMPARE(Chip::at(Se43::kClk + 0x30) >> 12 & 1u, 0u);                          // the calendar's gate
            QCOMPARE(Chip::at(Se43::kClk + 0x2C) >> 8 & 1u, up ? 1u : 0u);                 // the modem's port
        }
    }

    void stopTakesBackWhatStartDid()
    {
        const auto s = run(demo());
        const Compiled code(*s);
        const Chip chip(*s->device);
        everythingReady();
        code.find<int()>("sluice_bring_up")();
        const auto before = chip.words();
        for (const char* need : {"gate_bridge", "beacon", "lid_switch"}) {
            code.find<void()>((std::string("sluice_") + need + "_start").c_str())();
            code.find<void()>((std::string("sluice_") + need + "_stop").c_str())();
        }
        auto after = chip.words();
        after[0xE000E100] = before.at(0xE000E100); // the core's own enable bits are shared and stay
        QVERIFY(after == before);
    }

    void helpersDoWhatTheySay()
    {
        const auto s = run(demo());
        const Compiled code(*s);
        const Chip chip(*s->device);
        everythingReady();
        code.find<int()>("sluice_bring_up")();

        // Duty in per mille on the channels that carry the two outputs.
        const auto& bridge = s->bindings.needs[needIndex(s->plan, "gate-bridge")];
        const int channel = bridge.seats[0].channel;
        for (const auto& [perMille, ticks] : {std::pair{0u, 0u}, {500u, 1563u}, {1000u, 3125u}, {5000u, 3125u}}) {
            code.find<void(uint32_t)>("sluice_gate_bridge_set_duty1")(perMille);
            QCOMPARE(Chip::at(Se43::kMotor + 8 + 4u * uint32_t(channel)), ticks);
        }
        Chip::at(Se43::kMotor + 0x28) = 2;
        QVERIFY(code.find<bool()>("sluice_gate_bridge_fault")());

        // A byte out, a byte in.
        Chip::at(Se43::kUart1 + 0xC) = 2;
        code.find<void(uint8_t)>("sluice_uplink_send")(0xA5);
        QCOMPARE(Chip::at(Se43::kUart1 + 0x10), 0xA5u);
        uint8_t byte = 0;
        QVERIFY(!code.find<bool(uint8_t*)>("sluice_uplink_receive")(&byte));
        Chip::at(Se43::kUart1 + 0xC) = 3;
        QVERIFY(code.find<bool(uint8_t*)>("sluice_uplink_receive")(&byte));
        QCOMPARE(int(byte), 0xA5);

        // A pad: set, clear, read.
        const std::string pad = s->plan.need("frost-heater")->binding.pads.at("pin");
        const uint32_t port = Se43::kPorts + Se43::kPortStride * uint32_t(pad[1] - 'A'),
                       bit = 1u << std::stoi(pad.substr(2));
        code.find<void(bool)>("sluice_frost_heater_set")(true);
        QCOMPARE(Chip::at(port + 0x48), bit);
        code.find<void(bool)>("sluice_frost_heater_set")(false);
        QCOMPARE(Chip::at(port + 0x4C), bit);
        QVERIFY(!code.find<bool()>("sluice_frost_heater_is_high")());
        Chip::at(port + 0x44) = bit;
        QVERIFY(code.find<bool()>("sluice_frost_heater_is_high")());

        // The line's handler clears just its own flag, by writing a one.
        const int line = std::stoi(s->plan.need("lid-switch")->binding.pads.at("pin").substr(2));
        Chip::at(Se43::kEdges + 0x4C) = 1u << line | 1u << 5;
        code.find<void()>("sluice_on_EDGES_line")();
        QCOMPARE(Chip::at(Se43::kEdges + 0x4C), 1u << line);

        // The bus: a transfer that nobody acknowledges fails and does not hang.
        QVERIFY(code.find<int(uint8_t, const uint8_t*, uint32_t)>("sluice_level_probes_write")(0x40, &byte, 1) != 0);
    }
};

BINDREL_TEST(RunSourceTest)
#include "run_source_test.moc"
