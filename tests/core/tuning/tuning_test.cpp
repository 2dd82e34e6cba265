// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/parse.h"
#include "tests/support/fixtures.h"

#include <cmath>

using namespace bindrel;
using namespace bindrel::test;

/// The arithmetic against enumeration of all register values in floating point, and against the bus specification's
/// numbers.
class TuningTest : public QObject {
    Q_OBJECT

    static const Setting& settingOf(const Snapshot& s, const char* need) { return s.settings[needIndex(s.plan, need)]; }

private Q_SLOTS:
    void noOtherUartSettingLeavesMoreMargin_data()
    {
        QTest::addColumn<QString>("baud");
        for (const char* baud : {"9600", "115.2k", "460.8k", "921.6k", "1M", "3M", "31250", "123456", "5M", "300"})
            QTest::newRow(baud) << baud;
    }
    void noOtherUartSettingLeavesMoreMargin()
    {
        QFETCH(QString, baud);
        const auto s = run(with(demo(), SetGoal{"uplink", "baud", baud.toStdString()}));
        const Setting& setting = settingOf(*s, "uplink");
        QVERIFY(setting.computed);
        const double kernel = 75e6, wanted = parseFrequency(baud.toStdString())->toDouble();
        double best = -1e9;
        for (const double samples : {16.0, 8.0})
            for (double divider = 16; divider < 1 << 20; ++divider)
                best = std::max(best,
                                (0.5 - 2 / samples) / 9.5 - std::abs(kernel * 16 / (samples * divider) / wanted - 1));
        const double samples = double(*setting.role("oversampling"));
        const double chosen = (0.5 - 2 / samples) / 9.5 -
                              std::abs(kernel * 16 / (samples * double(*setting.role("divider"))) / wanted - 1);
        QVERIFY2(chosen >= best - 1e-9, qPrintable(QString("%1 against %2").arg(chosen).arg(best)));
    }

    void uartBudgetCountsBothClocks()
    {
        // 9.5 bit times, 16 samples: (1/2 - 1/8) / 9.5 = 3.947 %; the divider is 0.147 % off, the other end 1 %.
        QVERIFY(!hasFinding(*run(demo()), "GOAL-01"));
        QVERIFY(!hasFinding(*run(with(demo(), SetGoal{"uplink", "peer", "\u00b13.7 %"})), "GOAL-01"));
        QVERIFY(hasFinding(*run(with(demo(), SetGoal{"uplink", "peer", "\u00b13.8 %"})), "GOAL-01", "uplink"));
        // A longer frame tolerates less: 11 bits, (3/8) / 10.5 = 3.571 %.
        LoadedPlan parity =
            with(with(demo(), SetGoal{"uplink", "peer", "\u00b13.5 %"}), SetGoal{"uplink", "frame", "8E1"});
        QVERIFY(hasFinding(*run(parity), "GOAL-01", "uplink"));
        // The internal oscillator's 1.2 % counts.
        LoadedPlan internal =
            with(with(demo(), SetClock{"UART1K", clockSaid("HFI")}), SetGoal{"uplink", "baud", "100k"});
        QVERIFY(!hasFinding(*run(with(internal, SetGoal{"uplink", "peer", "2.7 %"})), "GOAL-01"));
        QVERIFY(hasFinding(*run(with(internal, SetGoal{"uplink", "peer", "2.78 %"})), "GOAL-01"));
    }

    void i2cKeepsThePhaseMinimaOfTheSpecification_data()
    {
        QTest::addColumn<QString>("speed");
        QTest::addColumn<QString>("rate");
        QTest::addColumn<double>("low");
        QTest::addColumn<double>("high");
        QTest::newRow("standard") << "standard"
                                  << "100 kHz" << 4.7e-6 << 4.0e-6;
        QTest::newRow("fast") << "fast"
                              << "400 kHz" << 1.3e-6 << 0.6e-6;
        QTest::newRow("fast plus") << "fast plus"
                                   << "1 MHz" << 0.5e-6 << 0.26e-6;
        QTest::newRow("slow") << "fast"
                              << "33 kHz" << 1.3e-6 << 0.6e-6;
    }
    void i2cKeepsThePhaseMinimaOfTheSpecification()
    {
        QFETCH(QString, speed);
        QFETCH(QString, rate);
        QFETCH(double, low);
        QFETCH(double, high);
        LoadedPlan work = with(with(with(demo(), SetGoal{"level-probes", "class", speed.toStdString()}),
                                    SetGoal{"level-probes", "rate", rate.toStdString()}),
                               SetGoal{"level-probes", "rise", "100 ns"});
        for (const char* divider : {"2", "3", "4", "8"}) {
            const auto s = run(with(work, SetClock{"BUS1", clockSaid(divider)}));
            const Setting& setting = settingOf(*s, "level-probes");
            QVERIFY(setting.computed);
            const double f = hertz(*s, "I2C2K");
            const double tick = double(*setting.role("prescaler")) / f;
            const double sync = double(3 + *setting.role("filter")) / f;
            const double lowTime = tick * double(*setting.role("low")) - 20e-9;
            const double highTime = tick * double(*setting.role("high")) + sync;
            const double period = tick * double(*setting.role("low") + *setting.role("high")) + sync + 100e-9;
            QVERIFY(lowTime >= low - 1e-12 && highTime >= high - 1e-12);
            QVERIFY(1 / period <= parseFrequency(rate.toStdString())->toDouble() * 1.0000001);
            // And no slower than it must be: one tick less in both phases would break the rate or a minimum.
            const double lessPeriod = period - 2 * tick;
            QVERIFY(1 / lessPeriod > parseFrequency(rate.toStdString())->toDouble() || lowTime - tick < low ||
                    highTime - tick < high);
        }
    }

    void pwmIsTheBestOfAllPrescalers_data()
    {
        QTest::addColumn<QString>("frequency");
        QTest::addColumn<QString>("alignment");
        for (const char* f : {"24 kHz", "20 kHz", "200 Hz", "7 Hz", "1 Hz", "333 Hz", "50 kHz", "17.3 kHz"})
            for (const char* a : {"edge", "centre"})
                QTest::addRow("%s %s", f, a) << QString(f) << QString(a);
    }
    void pwmIsTheBestOfAllPrescalers()
    {
        QFETCH(QString, frequency);
        QFETCH(QString, alignment);
        const auto s = run(with(with(demo(), SetGoal{"gate-bridge", "frequency", frequency.toStdString()}),
                                SetGoal{"gate-bridge", "alignment", alignment.toStdString()}));
        const Setting& setting = settingOf(*s, "gate-bridge");
        QVERIFY(setting.computed);
        const double wanted = parseFrequency(frequency.toStdString())->toDouble(),
                     slopes = alignment == "centre" ? 2 : 1;
        const auto errorOf = [&](double prescaler, double top) {
            return std::abs(150e6 / (prescaler * top * slopes) / wanted - 1);
        };
        double best = 1;
        for (double prescaler = 1; prescaler <= 65536; ++prescaler) {
            const double top = std::round(150e6 / (wanted * slopes * prescaler));
            if (top >= 256 && top <= 65535)
                best = std::min(best, errorOf(prescaler, top));
        }
        QVERIFY(errorOf(double(*setting.role("prescaler")), double(*setting.role("period"))) <= best + 1e-12);
        QVERIFY(*setting.role("period") <= 65535);
    }

    void deadTimeIsNeverShorterAndAtMostOneStepLonger()
    {
        for (const char* asked :
             {"0 ns", "1 ns", "100 ns", "650 ns", "793 ns", "800 ns", "1.234 us", "1.6 us", "3.3 us", "4.58 us"}) {
            const auto s = run(with(demo(), SetGoal{"gate-bridge", "dead", std::string(asked)}));
            const double ticks = double(*settingOf(*s, "gate-bridge").role("dead_time"));
            // Long enough at the fastest rate: a crystal of 20 ppm.
            const double ideal = parseDuration(asked)->toDouble() * 150e6 * (1 + 20e-6);
            const double step = ideal <= 63 ? 1 : ideal <= 188 ? 4 : 16;
            QVERIFY2(ticks >= ideal - 1e-6 && ticks < ideal + step, asked);
        }
        QVERIFY(hasFinding(*run(with(demo(), SetGoal{"gate-bridge", "dead", "4.6 us"})), "GOAL-01", "gate-bridge"));
    }

    void aPulseShorterThanTheDeadTimeIsFound()
    {
        // 41.66 us x 2 % = 833 ns is longer than 650 ns; 1.5 % = 625 ns is not.
        QVERIFY(!hasFinding(*run(with(demo(), SetGoal{"gate-bridge", "duty1", "2 %"})), "GOAL-01"));
        QVERIFY(hasFinding(*run(with(demo(), SetGoal{"gate-bridge", "duty1", "1.5 %"})), "GOAL-01", "gate-bridge"));
        QVERIFY(!hasFinding(*run(with(demo(), SetGoal{"gate-bridge", "duty1", "0 %"})), "GOAL-01"));
    }

    void waveformIsToScale()
    {
        const auto s = run(demo());
        const Waveform wave = *s->lookAt(needIndex(s->plan, "gate-bridge")).waveform;
        QCOMPARE(wave.traces.size(), size_t(4));
        // Time that a trace is high over the period is its duty, less what the dead time takes.
        const auto highTime = [&](const Waveform::Trace& trace) {
            double sum = 0, at = 0;
            bool level = trace.high;
            for (const auto& edge : trace.edges) {
                sum += level ? edge.at.toDouble() - at : 0;
                at = edge.at.toDouble();
                level = edge.high;
            }
            return sum + (level ? wave.span.toDouble() - at : 0);
        };
        const double dead = double(*settingOf(*s, "gate-bridge").role("dead_time")) / 150e6;
        const double period = 2 * 3125 / 150e6;
        QVERIFY(std::abs(highTime(wave.traces[0]) - (period * 1250 / 3125 - dead)) < 1e-12);
        QVERIFY(std::abs(highTime(wave.traces[1]) - (period * 1875 / 3125 - dead)) < 1e-12);
    }

    /// Every picture of every plan: what is drawn lies inside it, in its order, and spans follow each other.
    void picturesHoldTogether()
    {
        int pictures = 0, bands = 0, handles = 0;
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"}) {
            const auto s = run(demo(plan));
            for (const NeedIndex n : s->plan.needs.indices()) {
                const Look look = s->lookAt(n);
                if (!look.waveform)
                    continue;
                const Waveform& wave = *look.waveform;
                const char* need = s->plan.needs[n].id.c_str();
                ++pictures;
                QVERIFY2(wave.span > Duration(), need);
                for (const Waveform::Trace& trace : wave.traces)
                    for (size_t e = 0; e < trace.edges.size(); ++e) {
                        QVERIFY2(!(trace.edges[e].at < Duration()) && !(trace.edges[e].at > wave.span), need);
                        QVERIFY2(e == 0 || !(trace.edges[e].at < trace.edges[e - 1].at), need);
                    }
                for (const Waveform::Handle& handle : wave.handles) {
                    ++handles;
                    QVERIFY2(!(handle.at < Duration()) && !(handle.at > wave.span), need);
                    QVERIFY2(findKind(s->plan.needs[n].kind)->goal(handle.goal), handle.goal.c_str());
                }
                for (const Waveform::Band& band : wave.bands) {
                    ++bands;
                    for (size_t p = 0; p < band.parts.size(); ++p) {
                        QVERIFY2(band.parts[p].from < band.parts[p].to && !(band.parts[p].to > wave.span), need);
                        QVERIFY2(p == 0 || !(band.parts[p].from < band.parts[p - 1].to), need);
                    }
                }
            }
        }
        QVERIFY(pictures > 45 && bands > 20 && handles > 30);
    }

    /// A CAN bit from its fields: sync, segments and sample point where the register says.
    void aCanBitIsToScale()
    {
        const auto s = run(demo());
        const NeedIndex need = needIndex(s->plan, "moss-bus");
        const InstanceIndex can = s->bindings.needs[need].instance;
        const auto field = [&](const char* name) {
            return s->image.codeOf(*s->device, *s->device->findField("CAN1.BIT." + std::string(name)));
        };
        const Rational kernel = s->rates.clocks[s->device->instances[can].kernel].rate.value;
        const Rational quantum = Rational(field("PRE") + 1) / kernel;
        const std::int64_t before = 1 + field("SEG1") + 1, after = field("SEG2") + 1;
        const Waveform wave = *s->lookAt(need).waveform;
        QVERIFY(wave.span.value == quantum * Rational(before + after));
        QVERIFY(wave.handles.front().at.value == quantum * Rational(before));
        QVERIFY(wave.bands[0].parts.back().from.value == quantum * Rational(before));
        QVERIFY(wave.bands[1].parts.size() == size_t(before + after));
    }

    /// An ADC's sample time from its clock.
    void aConversionIsToScale()
    {
        const auto s = run(demo());
        const Waveform wave = *s->lookAt(needIndex(s->plan, "shunt-amplifier")).waveform;
        const Setting& setting = settingOf(*s, "shunt-amplifier");
        const Rational kernel = s->rates.clocks[setting.kernel].rate.value;
        QVERIFY(wave.bands[0].parts[0].to.value == Rational(2) / kernel);
        QVERIFY(wave.span.value == Rational(15) / kernel); // 400 ns at 37.5 MHz
    }

    void anUnreachableRateIsSaidNotGuessed()
    {
        const auto s = run(with(demo(), SetGoal{"gate-bridge", "frequency", "100 MHz"}));
        QVERIFY(!settingOf(*s, "gate-bridge").computed);
        QVERIFY(hasFinding(*s, "GOAL-02", "gate-bridge"));
        for (const char* silly : {"0.000000001 Hz", "999 GHz", "1/999999999999 Hz"})
            for (const char* goal : {"frequency"})
                (void)run(with(demo(), SetGoal{"gate-bridge", goal, std::string(silly)}));
    }

    void padsGetWhatTheirSignalNeeds()
    {
        const auto s = run(demo());
        for (const PadSetup& setup : s->pads) {
            const Need& need = s->plan.needs[setup.need];
            const std::string& signal = s->bindings.needs[setup.need].seats[size_t(setup.seat)].signal.id;
            if (need.kind == "uart")
                QCOMPARE(setup.pull == PadSetup::Pull::Up, signal == "rx" || signal == "cts");
            if (need.kind == "i2c")
                QVERIFY(setup.openDrain);
            if (need.id == "frost-heater")
                QVERIFY(setup.output && !setup.levelHigh);
            if (need.id == "lid-switch")
                QVERIFY(setup.rising && setup.falling && setup.line == s->device->pads[setup.pad].bit);
        }
    }
};

BINDREL_TEST(TuningTest)
#include "tuning_test.moc"
