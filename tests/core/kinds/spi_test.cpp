// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/spi/spi.h"
#include "core/quantity/parse.h"
#include "tests/support/chip_memory.h"

#include <cmath>
#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// SPI on all four families: the divider against enumeration, registers by hand-written addresses and bits, the C run.
class SpiTest : public QObject {
    Q_OBJECT

    static const Setting& settingOf(const Snapshot& s, const char* need) { return s.settings[needIndex(s.plan, need)]; }
    static uint32_t bits(uint32_t address, int high, int low)
    {
        return Chip::at(address) >> low & ((1u << (high - low + 1)) - 1);
    }

    /// A plan of each family with an SPI need that is bound.
    static LoadedPlan flashOf(const std::string& plan)
    {
        LoadedPlan work = demo(plan);
        if (plan != "rain-post-b-done")
            return work;
        Need need;
        need.id = need.title = "log-flash";
        need.kind = "spi";
        // The post has no pads to spare; alone the port finds its own.
        work.plan.needs = {need};
        work.plan.holds.clear();
        const auto found = waysToBind(*work.device, *work.board, work.plan, int(work.plan.needs.size()) - 1);
        if (found.empty())
            qFatal("no place for SPI");
        work.plan.needs.back().binding = found.front();
        return work;
    }

    /// What each family's divider can do, from the pages of its manual: factors of the kernel clock.
    static std::vector<double> factorsOf(const std::string& plan)
    {
        std::vector<double> out;
        if (plan == "pump-hall-a-done")
            for (int scale = 1; scale <= 8; ++scale)
                for (int by = 2; by <= 65; ++by)
                    out.push_back(double(scale) * by); // PACE.SCALE, three bits, and PACE.BY, six
        else if (plan == "rain-post-b-done")
            for (int code = 0; code < 8; ++code)
                out.push_back(std::pow(2, code + 1)); // 2, 4, … 256
        else if (plan == "sluice-node-c-done")
            for (int n = 1; n <= 256; ++n)
                out.push_back(2.0 * n); // RATE.DIV, eight bits
        else
            for (int n = 1; n <= 1024; ++n)
                out.push_back(2.0 * n); // STEP.N, ten bits
        return out;
    }

private Q_SLOTS:
    void noOtherDividerIsFasterAndNotAbove_data()
    {
        QTest::addColumn<QString>("plan");
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"})
            QTest::newRow(plan) << plan;
    }
    void noOtherDividerIsFasterAndNotAbove()
    {
        QFETCH(QString, plan);
        const LoadedPlan work = flashOf(plan.toStdString());
        std::mt19937 random(seeded(3));
        for (int round = 0; round < 60; ++round) {
            const double wanted = std::pow(10, 3.5 + double(random() % 10000) / 10000 * 4.3);
            const auto s = run(with(work, SetGoal{"log-flash", "rate", std::to_string(long(wanted)) + " Hz"}));
            const Setting& setting = settingOf(*s, "log-flash");
            const ClockState& kernel = s->rates.clocks[setting.kernel];
            const double fastest = kernel.rate.toDouble() * (1 + kernel.tolerance.high.value.toDouble() * 1e-6);
            double best = 0;
            for (const double factor : factorsOf(plan.toStdString()))
                if (fastest / factor <= double(long(wanted)))
                    best = std::max(best, kernel.rate.toDouble() / factor);
            if (best == 0) {
                QVERIFY(!setting.computed && setting.notComputed.find("cannot be divided down") != std::string::npos);
                continue;
            }
            QVERIFY2(setting.computed, setting.notComputed.c_str());
            const auto half = setting.role("half_period");
            const double chosen =
                kernel.rate.toDouble() /
                double(half ? 2 * *half : *setting.role("divider") * setting.role("prescaler").value_or(1));
            QVERIFY2(std::abs(chosen - best) < 1e-6 * best,
                     qPrintable(QString("%1 Hz wanted, %2 against %3").arg(wanted).arg(chosen).arg(best)));
        }
    }

    void marginDecidesTheSampleDelay()
    {
        // 75 MHz / 6: half a period is 40 ns, a kernel cycle 13.3 ns, and SAMPLE counts to 3.
        for (const auto& [valid, cycles, ok] : {std::tuple{"0 s", 0, true},
                                                {"39 ns", 0, true},
                                                {"41 ns", 1, true},
                                                {"53 ns", 1, true},
                                                {"54 ns", 2, true},
                                                {"66 ns", 2, true},
                                                {"67 ns", 3, false},
                                                {"90 ns", 3, false}}) {
            const auto s =
                run(with(with(demo(), SetGoal{"log-flash", "rate", "13 MHz"}), SetGoal{"log-flash", "valid", valid}));
            QCOMPARE(settingOf(*s, "log-flash").role("sample_delay").value_or(-1), std::int64_t(cycles));
            QVERIFY2(hasFinding(*s, "GOAL-01", "log-flash") != ok, valid);
        }
    }

    void findingsForWhatTheBlockCannot()
    {
        QVERIFY(hasFinding(*run(with(demo(), SetGoal{"log-flash", "word", "24"})), "GOAL-01", "log-flash"));
        QVERIFY(!hasFinding(*run(with(demo(), SetGoal{"log-flash", "word", "16"})), "GOAL-01", "log-flash"));
        // The Rill's unit has no field for the bit order.
        QVERIFY(hasFinding(*run(with(demo("ditch-meter-d-done"), SetGoal{"log-flash", "order", "least first"})),
                           "GOAL-03"));
        QVERIFY(!applied(demo().plan, editOf("", SetGoal{"log-flash", "word", "33"})).ok());
    }

    void orderAndDmaReachTheRegister()
    {
        LoadedPlan work =
            with(with(demo(), SetGoal{"log-flash", "order", "least first"}), SetGoal{"log-flash", "dma", "transmit"});
        work.plan.need("log-flash")->binding.dma = {{"TX", 5}};
        const auto s = run(work);
        QVERIFY(s->bindings.needs[needIndex(s->plan, "log-flash")].state == BoundNeed::State::Bound);
        const std::string instance = s->plan.need("log-flash")->binding.instance;
        for (const auto& [field, code] : {std::pair{".CTL.LSBF", 1u}, {".CTL.TXDMA", 1u}, {".CTL.RXDMA", 0u}})
            QCOMPARE(s->image.codeOf(*s->device, *s->device->findField(instance + field)), code);
    }

    void aPeripheralTurnsItsWiresRound()
    {
        Need need;
        need.kind = "spi";
        need.goals = {{"role", "peripheral"}, {"data", "out"}};
        using D = SignalSpec::Direction;
        std::map<std::string, D> wires;
        for (const SignalSpec& signal : signalsOf(need))
            wires[signal.id] = signal.direction;
        QVERIFY((wires == std::map<std::string, D>{{"cs", D::In}, {"miso", D::Out}, {"sck", D::In}}));
        const auto s = run(with(demo(), SetGoal{"log-flash", "role", "peripheral"}));
        QCOMPARE(settingOf(*s, "log-flash").role("host").value_or(-1), std::int64_t(0));
    }

    void modesAndWordsInTheRegisters_data()
    {
        QTest::addColumn<QString>("mode");
        for (const char* mode : {"0", "1", "2", "3"})
            QTest::newRow(mode) << mode;
    }
    void modesAndWordsInTheRegisters()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
        QFETCH(QString, mode);
        const auto s = run(
            with(with(demo(), SetGoal{"log-flash", "mode", mode.toStdString()}), SetGoal{"log-flash", "word", "12"}));
        const Compiled code(*s);
        const Chip chip(*s->device);
        const uint32_t base = s->device->instances[s->bindings.needs[needIndex(s->plan, "log-flash")].instance].base;
        Chip::at(base + 8) = 3; // RXF and TXE
        code.find<void()>("sluice_log_flash_bring_up")();
        QCOMPARE(bits(base, 0, 0), 0u); // off before start
        QCOMPARE(bits(base, 1, 1), 1u); // controller
        QCOMPARE(bits(base, 2, 2), uint32_t(mode.toInt() >> 1));
        QCOMPARE(bits(base, 3, 3), uint32_t(mode.toInt() & 1));
        QCOMPARE(bits(base, 11, 8), 11u);
        QCOMPARE(bits(base, 12, 12), 1u);   // select by the port
        QCOMPARE(bits(base + 4, 7, 0), 1u); // 75 MHz / (2 x 2), not above 20 MHz
        code.find<void()>("sluice_log_flash_start")();
        QCOMPARE(bits(base, 0, 0), 1u);
        // The memory gives back what was sent, as a loop of wire would.
        const uint16_t out[]{0x123, 0x456, 0x789};
        uint16_t in[3]{};
        QCOMPARE(code.find<int(const uint16_t*, uint16_t*, uint32_t)>("sluice_log_flash_transfer")(out, in, 3), 0);
        QVERIFY(in[0] == 0x123 && in[1] == 0x456 && in[2] == 0x789);
        QCOMPARE(code.find<int(const uint16_t*, uint16_t*, uint32_t)>("sluice_log_flash_transfer")(nullptr, nullptr, 2),
                 0);
        // A word that never comes ends in a time-out.
        Chip::at(base + 8) = 2;
        QVERIFY(code.find<int(const uint16_t*, uint16_t*, uint32_t)>("sluice_log_flash_transfer")(out, in, 3) != 0);
        Chip::at(base + 8) = 1;
        QVERIFY(code.find<int(const uint16_t*, uint16_t*, uint32_t)>("sluice_log_flash_transfer")(out, in, 3) != 0);
        code.find<void()>("sluice_log_flash_stop")();
        QCOMPARE(bits(base, 0, 0), 0u);
    }

    void itsCCompilesOnEveryFamily()
    {
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"})
            for (const char* role : {"controller", "peripheral"}) {
                LoadedPlan work = with(flashOf(plan), SetGoal{"log-flash", "role", role});
                const auto s = run(work);
                QVERIFY2(settingOf(*s, "log-flash").computed, settingOf(*s, "log-flash").notComputed.c_str());
                QTemporaryDir dir;
                const auto preview = previewOutput(s->source(), dir.path().toStdString());
                QVERIFY(preview.ok() && writeOutput(s->source(), dir.path().toStdString(), *preview).ok());
                QProcess shell;
                shell.setWorkingDirectory(dir.path());
                shell.setProcessChannelMode(QProcess::MergedChannels);
                shell.start("sh", {"-c", QString::fromStdString(s->source().buildCommand)});
                QVERIFY(shell.waitForFinished(120'000));
                const QByteArray output = shell.readAll();
                QVERIFY2(shell.exitCode() == 0 && output.isEmpty(), output.constData());
            }
    }
};

BINDREL_TEST(SpiTest)
#include "spi_test.moc"
