// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/format.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

/// Pictures say what the numbers of their settings say; each is worked out here from registers, clocks and goals.
class PicturesTest : public QObject {
    Q_OBJECT

    static Waveform pictureOf(const Snapshot& s, NeedIndex need)
    {
        const Look look = s.lookAt(need);
        if (!look.waveform)
            qFatal("%s has no picture", s.plan.needs[need].id.c_str());
        return *look.waveform;
    }
    static NeedIndex firstOf(const Snapshot& s, std::string_view kind)
    {
        for (const NeedIndex n : s.plan.needs.indices())
            if (s.plan.needs[n].kind == kind)
                return n;
        return -1;
    }
    static Rational kernelOf(const Snapshot& s, NeedIndex need)
    {
        return s.rates.clocks[s.settings[need].kernel].rate.value;
    }
    static int marksOf(const Waveform& wave, const std::string& label)
    {
        return int(std::count_if(wave.marks.begin(), wave.marks.end(),
                                 [&label](const Waveform::Mark& mark) { return mark.label == label; }));
    }

private Q_SLOTS:
    /// What is left of a bit's width when both clocks are off by all that they may be, from the divider's error and
    /// both tolerances: the last bit's part of the eye is the narrowest.
    void theEyeClosesWithTheClocks()
    {
        for (const char* peer : {"0 ppm", "10000 ppm"}) {
            const auto s = run(with(demo(), SetGoal{"uplink", "peer", std::string(peer)}));
            const NeedIndex need = needIndex(s->plan, "uplink");
            const Waveform wave = pictureOf(*s, need);
            const Setting& setting = s->settings[need];
            const std::int64_t samples = *setting.role("oversampling"), divider = *setting.role("divider");
            const Rational unit = std::int64_t(1)
                                  << s->device->ability(s->bindings.needs[need].instance, "fraction_bits", 0);
            const Rational baud = kernelOf(*s, need) * unit / (Rational(samples) * divider);
            const Rational wanted = goalAs<Frequency>(s->plan.needs[need], "baud")->value;
            const Rational off = (baud / wanted - Rational(1)).abs() +
                                 s->rates.clocks[setting.kernel].tolerance.worst().value / 1'000'000 +
                                 goalAs<Ppm>(s->plan.needs[need], "peer")->value / 1'000'000;
            const std::vector<Waveform::Band::Part>& eye = wave.bands.front().parts;
            QCOMPARE(eye.size(), 10u); // start, eight bits, stop
            for (std::size_t bit = 0; bit < eye.size(); ++bit) {
                const Rational open = (eye[bit].to.value - eye[bit].from.value) * baud;
                const Rational expected =
                    Rational(1) - (off * (Rational(1, 2) + Rational(std::int64_t(bit))) + Rational(1) / samples) * 2;
                QVERIFY2(open == expected,
                         qPrintable(
                             QString("%1: %2 rather than %3").arg(bit).arg(open.toDouble()).arg(expected.toDouble())));
            }
            QVERIFY(eye.back().strong);
        }
    }

    void chainOfTheClock()
    {
        const auto s = run(demo());
        const NeedIndex need = firstOf(*s, "rtc");
        const Waveform wave = pictureOf(*s, need);
        const Setting& setting = s->settings[need];
        const Rational kernel = kernelOf(*s, need);
        QVERIFY(wave.span.value ==
                Rational(setting.role("coarse").value_or(1)) * setting.role("fine").value_or(1) / kernel);
        const std::string periods = std::to_string((wave.span.value * kernel).round()) + " periods";
        QVERIFY2(wave.bands.front().parts.front().label.starts_with(periods), periods.c_str());
        const Tolerance& off = s->rates.clocks[setting.kernel].tolerance;
        const std::string day = format(Duration(off.high.value * 86'400 / 1'000'000), 3);
        QVERIFY2(wave.bands.back().parts.front().label.find(day) != std::string::npos, day.c_str());
    }

    /// A spike that is ignored is as long as the filter is at its shortest; what is counted comes after its longest.
    void aFilterHoldsBackPulses()
    {
        const auto s = run(with(demo(), SetGoal{"rain-tipper", "filter", "50 us"}));
        const NeedIndex need = firstOf(*s, "count");
        const Waveform wave = pictureOf(*s, need);
        const Setting& setting = s->settings[need];
        const std::int64_t cycles = setting.role("filter").value_or(0);
        const ClockState& clock = s->rates.clocks[setting.kernel];
        const Duration pulse(Rational(1, 2) / goalAs<Frequency>(s->plan.needs[need], "most")->value);
        QVERIFY(wave.traces[0].edges.front().at == pulse);
        QVERIFY(wave.traces[1].edges.front().at.value ==
                pulse.value + Rational(cycles) / shifted(clock.rate, clock.tolerance.low).value);
        for (const Waveform::Mark& mark : wave.marks)
            if (mark.label.starts_with("ignored"))
                QVERIFY((mark.to.value - mark.from.value) ==
                        Rational(cycles) / shifted(clock.rate, clock.tolerance.high).value);
    }

    void anEncoderCountsFourTimesALine()
    {
        for (const char* index : {"none", "pad"}) {
            const auto s = run(with(demo(), SetGoal{"gate-encoder", "index", std::string(index)}));
            const NeedIndex need = firstOf(*s, "quadrature");
            if (!s->settings[need].computed)
                continue;
            const Waveform wave = pictureOf(*s, need);
            const std::int64_t filter = s->settings[need].role("input_filter").value_or(0);
            const Duration step(Rational(std::max<std::int64_t>(2, filter + 1)) / kernelOf(*s, need));
            QCOMPARE(wave.traces[0].edges.size() + wave.traces[1].edges.size(), 8u);
            QVERIFY(wave.traces[0].edges[1].at - wave.traces[0].edges[0].at == step * Rational(2));
            QVERIFY(wave.ramp->points.back().second == (wave.traces.size() > 2 ? Rational(1, 2) : Rational(1)));
            for (std::size_t i = 1; i < wave.ramp->points.size(); ++i)
                QVERIFY(!(wave.ramp->points[i].first < wave.ramp->points[i - 1].first));
        }
    }

    /// What the fault input does: held back for the filter's cycles, then the idle levels, in the scale of the period.
    void aFaultTakesTheOutputsToIdle()
    {
        for (const auto& [filter, idle] : {std::pair{"0 s", "low"}, {"900 ns", "high"}}) {
            const auto s = run(with(with(with(demo(), SetGoal{"gate-bridge", "fault", "active low"}),
                                         SetGoal{"gate-bridge", "fault_filter", std::string(filter)}),
                                    SetGoal{"gate-bridge", "idle", std::string(idle)}));
            const NeedIndex need = needIndex(s->plan, "gate-bridge");
            const Waveform wave = pictureOf(*s, need);
            const auto band = std::find_if(wave.bands.begin(), wave.bands.end(),
                                           [](const Waveform::Band& b) { return b.title == "fault"; });
            QVERIFY(band != wave.bands.end());
            const Rational held = Rational(*s->settings[need].role("fault_filter")) / kernelOf(*s, need);
            QCOMPARE(band->parts.size(), held.isZero() ? 1u : 2u);
            QVERIFY(band->parts.back().from.value == held && band->parts.back().to == wave.span);
            QVERIFY(band->parts.back().label.find(fmt::format("outputs {}", idle)) == 0);
        }
        const auto none = run(with(demo(), SetGoal{"gate-bridge", "fault", "none"}));
        for (const Waveform::Band& band : pictureOf(*none, needIndex(none->plan, "gate-bridge")).bands)
            QVERIFY(band.title != "fault");
    }

    /// Results fill the memory as conversions end.
    void resultsFillTheMemory()
    {
        int seen = 0;
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            const LoadedPlan work = demo(plan);
            for (const Need& one : work.plan.needs) {
                if (one.kind != "adc")
                    continue;
                const auto s = run(with(work, SetGoal{one.id, "dma", "results"}));
                const NeedIndex need = needIndex(s->plan, one.id.c_str());
                if (!s->lookAt(need).waveform)
                    continue;
                const Waveform wave = pictureOf(*s, need);
                const Waveform::Band& conversions = wave.bands.front();
                for (const Waveform::Band& band : wave.bands)
                    for (std::size_t i = 0; band.title == "memory" && i < band.parts.size(); ++i, ++seen)
                        QVERIFY2(band.parts[i].from == conversions.parts[2 * i + 1].to, one.id.c_str());
            }
        }
        QVERIFY(seen > 0);
    }

    void anIntervalShowsItsHandler()
    {
        const auto s = run(with(with(demo(), SetGoal{"tick", "interrupt", "yes"}), SetGoal{"tick", "takes", "3 ms"}));
        const NeedIndex need = needIndex(s->plan, "tick");
        const Waveform wave = pictureOf(*s, need);
        QVERIFY(!wave.bands.empty());
        const Waveform::Band::Part& handler = wave.bands.front().parts.front();
        QVERIFY(handler.from.value * Rational(2) == wave.span.value);
        QVERIFY(handler.to - handler.from > Duration(Rational(3, 1000)));
        QVERIFY(handler.to - handler.from < Duration(Rational(31, 10'000)));
        const Waveform once = pictureOf(*run(with(demo(), SetGoal{"tick", "repeats", "once"})), need);
        QVERIFY(once.ramp->points.back().second == Rational(0));
    }

    void aContactIsHeardOnceItIsQuiet()
    {
        const auto s =
            run(with(with(demo(), SetGoal{"lid-switch", "edges", "both"}), SetGoal{"lid-switch", "debounce", "7 ms"}));
        const NeedIndex need = needIndex(s->plan, "lid-switch");
        const Waveform wave = pictureOf(*s, need);
        const Duration quiet(Rational(7, 1000));
        const std::vector<Waveform::Edge>& pad = wave.traces[0].edges;
        const std::vector<Waveform::Edge>& heard = wave.traces[1].edges;
        QCOMPARE(heard.size(), 2u);
        for (const Waveform::Edge& edge : heard) {
            Duration last;
            for (const Waveform::Edge& bounce : pad)
                if (bounce.at < edge.at)
                    last = bounce.at;
            QVERIFY(edge.at - last == quiet);
        }
        QCOMPARE(marksOf(wave, "rising") + marksOf(wave, "falling"), 2);
        const auto one = run(
            with(with(demo(), SetGoal{"lid-switch", "edges", "falling"}), SetGoal{"lid-switch", "debounce", "7 ms"}));
        const Waveform falling = pictureOf(*one, need);
        QCOMPARE(marksOf(falling, "rising"), 0);
        QCOMPARE(marksOf(falling, "falling"), 1);
    }

    void stampsReachAsFarAsTheCounter()
    {
        for (const char* plan : {"pump-hall-a-done", "ditch-meter-d-done", "rain-post-b-done"}) {
            const auto s = run(demo(plan));
            const NeedIndex need = firstOf(*s, "capture");
            if (need < 0)
                continue;
            const Waveform wave = pictureOf(*s, need);
            const Setting& setting = s->settings[need];
            const Rational tick = Rational(setting.role("prescaler").value_or(1)) / kernelOf(*s, need);
            QVERIFY2(wave.span.value == tick * (*setting.role("period") - 1) * 2, plan);
        }
    }

    void levelsComeAtTheRateOfTheirTimer()
    {
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"}) {
            LoadedPlan work = demo(plan);
            for (Need& need : work.plan.needs)
                if (need.kind == "dac") {
                    need.goals.state("trigger", "timer");
                    need.goals.state("rate", "24 kHz");
                }
            const auto s = run(work);
            const NeedIndex need = firstOf(*s, "dac");
            const Look look = need < 0 ? Look() : s->lookAt(need);
            if (look.startedBy.empty())
                continue;
            QVERIFY(look.waveform && look.waveform->span.value == Rational(8, 24'000));
        }
    }
};

BINDREL_TEST(PicturesTest)
#include "pictures_test.moc"
