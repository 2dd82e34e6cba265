// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/chip_memory.h"

#include <cmath>

using namespace bindrel;
using namespace bindrel::test;

/// The shipped plan of each family: its C is run, and what it leaves in the registers is read by hand, from the tables
/// that a person with the data sheet would look into. Addresses and bits stand here as numbers on purpose.
class FamiliesRunTest : public QObject {
    Q_OBJECT

    static uint32_t bits(uint32_t address, int high, int low)
    {
        return Chip::at(address) >> low & ((1u << (high - low + 1)) - 1);
    }

    /// Every register that the plan decides holds, in the bits that keep what is written, what the window shows.
    static void compareWithImage(const Snapshot& s, const std::set<std::string>& except = {})
    {
        for (const RegisterValue& value : s.image.registers) {
            const Register& reg = s.device->blockOf(value.instance).registers[value.reg];
            const std::string name = s.device->instances[value.instance].name + "." + reg.name;
            uint32_t kept = 0;
            for (const Field& field : reg.fields)
                kept |= field.keepsWrites() ? field.mask() : 0;
            if (!except.contains(name))
                QVERIFY2((Chip::at(s.device->addressOf(value.instance, value.reg)) & kept) == (value.value & kept),
                         name.c_str());
        }
    }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    /// The functions for low-power modes, run: the mode is set while the core waits, and when the hardware has left
    /// only what the mode keeps, all of the clocks' registers come back to what they were.
    void modesAreEnteredAndLeft_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QString>("mode");
        QTest::addColumn<QString>("prefix");
        QTest::newRow("sluice") << "sluice-node-c-done"
                                << "STOP"
                                << "sluice";
        QTest::newRow("rain") << "rain-post-b-done"
                              << "DEEP"
                              << "rain";
        QTest::newRow("pump") << "pump-hall-a-done"
                              << "STILL"
                              << "pump";
        QTest::newRow("ditch") << "ditch-meter-d-done"
                               << "DOZE"
                               << "ditch";
    }
    void modesAreEnteredAndLeft()
    {
        QFETCH(QString, name);
        QFETCH(QString, mode);
        QFETCH(QString, prefix);
        const auto s = run(with(demo(name.toStdString()), SetMode{mode.toStdString(), true}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Device& device = *s->device;
        const Compiled code(*s);
        const Chip chip(device);
        static const Device* hardware;
        static const LowPowerMode* entered;
        static int waits;
        static bool wasSet;
        hardware = &device;
        entered = &device.modes[size_t(device.findMode(mode.toStdString()))];
        waits = 0;
        wasSet = true;
        static const auto field = [](const FieldRef& ref) -> uint32_t {
            return Chip::at(hardware->addressOf(ref.instance, ref.reg)) >> hardware->fieldOf(ref).lsb &
                   hardware->fieldOf(ref).maxCode();
        };
        static const auto put = [](const FieldRef& ref, uint32_t value) {
            volatile uint32_t& word = Chip::at(hardware->addressOf(ref.instance, ref.reg));
            word = (word & ~hardware->fieldOf(ref).mask()) | value << hardware->fieldOf(ref).lsb;
        };
        // All that is waited for has come, and stays so.
        for (const std::vector<Step>* list : s->image.allSteps())
            for (const Step& step : *list)
                if (step.kind == Step::Kind::Wait)
                    put(step.fields.front().ref, step.fields.front().code);
        QCOMPARE(code.find<int()>((prefix + "_bring_up").toLatin1())(), 0);
        const std::map<uint32_t, uint32_t> before = chip.words();
        *code.find<void (*)(bool)>((prefix + "_waiting").toLatin1()) = [](bool) {
            ++waits;
            for (const FieldCode& enters : entered->enters)
                wasSet = wasSet && field(enters.ref) == enters.code;
            for (const ClockIndex i : hardware->clocks.indices()) {
                const ClockNode& node = hardware->clocks[i];
                const bool kept =
                    std::find(entered->keeps.begin(), entered->keeps.end(), int(i)) != entered->keeps.end();
                if (node.enable.valid() && (node.isSource() || node.type == ClockNode::Type::Multiply) && !kept)
                    put(node.enable.ref, int(i) == entered->wakesOn ? node.enable.code : node.enable.code ? 0 : 1);
            }
        };
        QCOMPARE(code.find<int()>((prefix + "_enter_" + mode.toLower()).toLatin1())(), 0);
        QCOMPARE(waits, 1);
        QVERIFY(wasSet);
        const std::map<uint32_t, uint32_t> after = chip.words();
        for (size_t i = 0; i < device.instances.size(); ++i)
            for (const RegisterIndex r : device.blockOf(i).registers.indices()) {
                uint32_t kept = 0; // a key leaves no trace in a chip
                for (const Field& part : device.blockOf(i).registers[r].fields)
                    kept |= part.keepsWrites() ? part.mask() : 0;
                const uint32_t address = device.addressOf(i, int(r));
                QVERIFY2((before.at(address) & kept) == (after.at(address) & kept),
                         qPrintable(QString("%1 was %2, is %3")
                                        .arg(address, 8, 16)
                                        .arg(before.at(address), 8, 16)
                                        .arg(after.at(address), 8, 16)));
            }
    }

    void rainPost()
    {
        const auto s = run(demo("rain-post-b-done"));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        Chip::at(0x48000018) = 3;    // both oscillators run
        Chip::at(0x48000208) = 0x5A; // what the factory wrote for 8 MHz
        QCOMPARE(code.find<int()>("rain_bring_up")(), 0);
        QCOMPARE(Chip::at(0x480002A8) | Chip::at(0x48000328), 0u); // no edge is let through before start
        code.startAll(*s);
        compareWithImage(*s, {"CKU.RCO"}); // its trim is known to the chip alone

        // Oscillators: crystal on with 9 pF and watched, RC in the 8 MHz band with the factory's trim.
        QCOMPARE(bits(0x48000000, 0, 0), 1u);
        QCOMPARE(bits(0x48000000, 2, 1), 1u);
        QCOMPARE(bits(0x48000000, 4, 4), 1u);
        QCOMPARE(bits(0x48000004, 10, 8), 2u);
        QCOMPARE(bits(0x48000004, 7, 0), 0x5Au);
        // Main is the RC, the core half of it, the bus the same; slow is the crystal.
        QCOMPARE(bits(0x48000014, 2, 0), 0u);
        const double core = 8e6 / (1u << bits(0x48000014, 6, 4));
        const double bus = core / (1u << bits(0x48000014, 9, 8));
        QCOMPARE(core, 4e6);
        QCOMPARE(bus, 4e6);
        QCOMPARE(bits(0x48000014, 12, 12), 1u);
        QCOMPARE(bits(0x48000100, 0, 0), 0u); // no wait state below 4 MHz
        // Converter at a megahertz, display at 1024 Hz, the clock's gate open.
        QCOMPARE(bus / (bits(0x48000020, 4, 0) + 1), 1e6);
        QCOMPARE(32768.0 / (bits(0x48000020, 13, 8) + 1), 1024.0);
        QCOMPARE(bits(0x48000024, 13, 13), 1u);
        // Clocked: SYS, UART0, I2C0, CNT0, converter, display, clock, ports; a timer for the tick.
        for (const int gate : {0, 1, 2, 5, 8, 9, 11, 12, 15})
            QCOMPARE(bits(0x48000024, gate, gate), 1u);
        QVERIFY(bits(0x48000024, 7, 6) == 1 || bits(0x48000024, 7, 6) == 2);
        // Remaps: UART0 and I2C0 in set 0, the counter in set 0.
        QCOMPARE(Chip::at(0x48000180) & 0x431u, 0u);
        // Port A: 4 and 5 (UART), 6 and 7 (I2C) belong to peripherals, 2 (radio wake) does not and is pulled down.
        QCOMPARE(Chip::at(0x48000280), 0xF0u);
        QCOMPARE(bits(0x48000298, 5, 4), 2u);
        QCOMPARE(bits(0x48000298, 11, 10), 3u); // the receiver idles high
        QCOMPARE(Chip::at(0x4800029C) & 0xC0u, 0xC0u);
        // The radio's line: 9600 baud within a per cent, eight bits, both ways.
        QVERIFY(std::abs(4e6 * 8 / (16.0 * bits(0x48000504, 18, 0)) / 9600 - 1) < 0.01);
        QCOMPARE(Chip::at(0x48000500) & 0xFFu, 0x1Du); // on, send, receive, eight bits, one stop, no parity
        // The probe's bus: at most 100 kHz, low phase at least 4.7 us with 20 ns of fall taken off.
        const double low = bits(0x48000684, 8, 0) + 1.0;
        const double high = bits(0x48000688, 8, 0) + 1.0;
        const double late = 2.0 + bits(0x48000680, 6, 4);
        QVERIFY(1 / ((low + high + late) / 4e6 + 400e-9) <= 100e3);
        QVERIFY(low / 4e6 - 20e-9 >= 4.7e-6);
        QVERIFY((high + late) / 4e6 >= 4.0e-6);
        // The button's falling edge.
        QCOMPARE(bits(0x48000324, 4, 4), 1u);
        QCOMPARE(bits(0x48000328, 4, 4), 1u);
        QVERIFY(Chip::at(0xE000E100) != 0);
    }

    void pumpHall()
    {
        const auto s = run(demo("pump-hall-a-done"));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        Chip::at(0x47000004) = 0xFF000000; // all run
        // What each domain takes is confirmed: the codes that the plan asks for, written down from the tree.
        for (const auto& [domain, asked] : {std::pair(0x20u, 3u), std::pair(0x24u, 4u), std::pair(0x28u, 4u),
                                            std::pair(0x2Cu, 4u), std::pair(0x30u, 4u), std::pair(0x34u, 3u)})
            Chip::at(0x47000000 + domain) = Chip::at(0x47000000 + domain) | asked << 8;
        Chip::at(0x4700070C) = 1;    // the swift part has power
        Chip::at(0x47000704) = 0x62; // the regulator has reached "quick"
        QCOMPARE(code.find<int()>("pump_bring_up")(), 0);
        QCOMPARE(bits(0x47001500, 31, 31), 0u);
        code.find<void()>("pump_release_help")();
        QCOMPARE(bits(0x47001500, 31, 31), 1u);
        QCOMPARE(code.find<int()>("pump_help_bring_up")(), 0);
        code.startAll(*s);
        compareWithImage(*s);

        // The regulator was opened with its key and set to quick.
        QCOMPARE(Chip::at(0x47000700), 0x0707A1DEu);
        QCOMPARE(bits(0x47000704, 2, 0), 6u);
        // PLLs P and Q from the 25 MHz crystal, R off.
        const auto vco = [](uint32_t at) {
            return 25e6 / (bits(at, 6, 4) + 1) * bits(at, at == 0x47000008 ? 15 : 14, 8);
        };
        for (const uint32_t at : {0x47000008u, 0x47000010u}) {
            QCOMPARE(bits(at, 31, 31), 1u);
            QCOMPARE(bits(at, 1, 0), 2u);
        }
        QCOMPARE(bits(0x47000018, 31, 31), 0u);
        QCOMPARE(bits(0x47000010, 25, 16), 0u); // no thousandths
        QCOMPARE(vco(0x47000008), 560e6);
        QCOMPARE(vco(0x47000010), 480e6);
        // The outputs of P go by halves, in the order of the manual's table.
        const double halves[] = {1, 1.5, 2, 3, 4, 6};
        const double pa = vco(0x47000008) / halves[bits(0x4700000C, 2, 0)],
                     pb = vco(0x47000008) / halves[bits(0x4700000C, 6, 4)];
        const double qa = vco(0x47000010) / (bits(0x47000014, 4, 0) + 1),
                     qb = vco(0x47000010) / (bits(0x47000014, 12, 8) + 1);
        const double inputs[] = {24e6, 25e6, 0, pa, pb, qa, qb, 0};
        const auto domain = [&inputs](uint32_t offset) {
            return inputs[bits(0x47000000 + offset, 2, 0)] / (bits(0x47000000 + offset, 7, 4) + 1);
        };
        QCOMPARE(domain(0x20), 280e6); // lead
        QCOMPARE(domain(0x24), 140e6); // helper
        QCOMPARE(domain(0x28), 140e6); // memory
        QCOMPARE(domain(0x2C), 140e6); // fast
        QCOMPARE(domain(0x30), 70e6);  // slow
        QCOMPARE(bits(0x47000034, 1, 0), 3u);
        QCOMPARE(bits(0x47000E00, 2, 0), 3u); // 140 MHz of memory needs three wait states
        // USB at 48 MHz from PLL Q A.
        QCOMPARE(bits(0x47000038, 21, 20), 2u);
        QCOMPARE(qa, 48e6);

        // The pump: 16 kHz centred, three pairs, dead time of at least 1.2 us by mantissa and exponent, live only after
        // start.
        QCOMPARE(bits(0x47000038, 13, 12), 0u);
        const double motor = domain(0x2C);
        const double ticks = 2.0 * bits(0x4700C408, 15, 0) * (bits(0x4700C404, 15, 0) + 1);
        QVERIFY(std::abs(motor / ticks / 16e3 - 1) < 0.001);
        const double deadTicks = (32.0 + bits(0x4700C42C, 4, 0)) * (1u << bits(0x4700C42C, 7, 5)) - 32;
        QVERIFY2(deadTicks / motor >= 1.2e-6 - 1e-12 && deadTicks / motor < 1.3e-6, std::to_string(deadTicks).c_str());
        QCOMPARE(bits(0x4700C42C, 31, 30), 3u);
        for (const uint32_t output : {0x4700C41Cu, 0x4700C420u, 0x4700C424u})
            QCOMPARE(bits(output, 31, 30), 3u);
        // West edge: 12 to 17 carry the pairs (function 4), 19 the fault, pulled up.
        for (int pad = 12; pad <= 17; ++pad)
            QCOMPARE(bits(0x47003800 + 4 * uint32_t(pad), 3, 0), 4u);
        QCOMPARE(bits(0x47003800 + 4 * 19, 9, 8), 3u);
        // The crystals' and converters' pads are analog, function 15.
        QCOMPARE(bits(0x47002300 + 4 * 26, 3, 0), 15u);

        // Station bus, on the helper: 38.4 kBd 8E1 from PLL Q B at 80 MHz, received by DMA (request 1).
        QCOMPARE(bits(0x47000038, 2, 0), 1u);
        QCOMPARE(qb, 80e6);
        const uint32_t port = 0x47005B00;
        const double samples = bits(port, 28, 28) ? 7 : 14;
        QVERIFY(std::abs(qb * 64 / (samples * bits(port + 4, 19, 0)) / 38.4e3 - 1) < 0.002);
        QCOMPARE(bits(port, 5, 4), 3u); // even
        bool served = false;
        for (uint32_t channel = 0; channel < 14; ++channel)
            served = served || bits(0x47004D00 + 16 * channel, 10, 4) == 1;
        QVERIFY(served);
        // The panel's alert goes to the helper, not to the lead.
        QCOMPARE(Chip::at(0x47004678), 0u);
        QVERIFY(Chip::at(0x4700467C) != 0);
    }

    void namesOfCoresAreKeptApart()
    {
        // A need that is called like a core does not get its files into that core's program.
        LoadedPlan work = demo("pump-hall-a-done");
        work.plan.need("alarm")->id = "help-alarm";
        const auto s = run(work);
        QVERIFY(s->source().find("pump_need_help_alarm.c") && !s->source().find("pump_help_alarm.c"));
        QVERIFY(hasFinding(*s, "SRC-01", "help-alarm"));
    }

    void ditchMeter()
    {
        const auto s = run(demo("ditch-meter-d-done"));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        Chip::at(0x7C000014) = 0x1E;     // everything runs
        Chip::at(0x7C000C00) = 2u << 20; // tap 0 confirms the PLL
        QCOMPARE(code.find<int()>("ditch_bring_up")(), 0);
        code.startAll(*s);
        compareWithImage(*s);

        // PLL: 16 MHz / 2 x 24 = 192 MHz, half of it is the CPU's.
        QCOMPARE(bits(0x7C00000C, 1, 1), 0u);
        const double pll =
            16e6 / (bits(0x7C00000C, 6, 4) + 1) * (bits(0x7C000010, 9, 4) + bits(0x7C000010, 3, 0) / 16.0);
        QCOMPARE(pll, 192e6);
        QCOMPARE(bits(0x7C000C00, 2, 0), 2u);
        const double cpu = pll / 2 / (bits(0x7C000C00, 15, 8) + 1);
        QCOMPARE(cpu, 96e6);
        QCOMPARE(bits(0x7C002400, 1, 0), 2u);
        QCOMPARE(bits(0x7C001800, 1, 0), 3u);
        const double bus = cpu / (1u << bits(0x7C000C10, 1, 0));
        QCOMPARE(bus, 48e6);
        // The RC is trimmed and runs tap 2 at 12 MHz; the crystal is guarded.
        QCOMPARE(bits(0x7C000004, 4, 4), 1u);
        QCOMPARE(48e6 / (bits(0x7C000C08, 15, 8) + 1), 12e6);
        QCOMPARE(bits(0x7C000C08, 4, 4), 1u);
        QCOMPARE(bits(0x7C000008, 4, 4), 1u);

        // Serial 0 is a UART with lanes 3 (transmit on 1, receive on 0), let out of reset, 38.4 kBd even.
        QCOMPARE(bits(0x7C006C00, 3, 2), 1u);
        QCOMPARE(bits(0x7C006C00, 6, 4), 3u);
        QCOMPARE(bits(0x7C000C20, 4, 4), 0u);
        QCOMPARE(bits(0x7C006C00, 0, 0), 1u);
        const double samples = bits(0x7C006C04, 8, 8) ? 8 : 16;
        QVERIFY(std::abs(bus * 64 / (samples * bits(0x7C006C08, 21, 0)) / 38.4e3 - 1) < 0.002);
        QCOMPARE(bits(0x7C006C04, 6, 5), 2u);
        // Its pads: PB9 with function 2 (lane 1), PA6 with function 3 (lane 0).
        QCOMPARE(bits(0x7C004804, 19, 15), 2u);
        QCOMPARE(bits(0x7C003C04, 4, 0), 3u);
        // Serial 1 is an SPI, serial 2 a two-wire controller; serial 3 stays in reset.
        QCOMPARE(bits(0x7C009000, 3, 2), 2u);
        QCOMPARE(bits(0x7C00B400, 3, 2), 3u);
        QCOMPARE(bits(0x7C000C20, 7, 7), 1u);
        // The low serial port through the west matrix: pad 11 is driven by signal 7, its input listens to pad 9.
        QCOMPARE(bits(0x7C006040 + 4 * 11, 3, 0), 7u);
        QCOMPARE(bits(0x7C006000 + 4 * 6, 3, 0), 9u);
        QCOMPARE(bits(0x7C003C04, 29, 25), 4u); // PA11: the matrix
        QVERIFY(std::abs(bus * 8 / (8.0 * bits(0x7C00F004, 17, 0)) / 9600 - 1) < 0.002);
        // The small sluice through the east matrix: pad 2 is driven by signal 1, 2 kHz from generator 2.
        QCOMPARE(bits(0x7C006080 + 4 * 2, 3, 0), 1u);
        static const double prescalers[]{1, 4, 16, 64, 256, 1024};
        const double ticks = prescalers[bits(0x7C010800, 11, 8)] * (bits(0x7C010804, 15, 0) + 1.0);
        QVERIFY(std::abs(12e6 / ticks / 2e3 - 1) < 0.001);
        QCOMPARE(bits(0x7C000C18, 3, 2), 2u);
    }
};

BINDREL_TEST(FamiliesRunTest)
#include "families_run_test.moc"
