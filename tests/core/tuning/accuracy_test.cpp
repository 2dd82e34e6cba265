// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can_timing.h"
#include "core/plan/clock_decision.h"
#include "core/tuning/accuracy.h"
#include "core/tuning/clock_goals.h"
#include "tests/support/fixtures.h"

#include <cmath>
#include <random>

using namespace bindrel;
using namespace bindrel::test;

class AccuracyTest : public QObject {
    Q_OBJECT

    static const Accuracy& of(const Snapshot& s, const std::string& need)
    {
        return s.accuracy[needIndex(s.plan, need)];
    }

    /// The demo with a board whose crystal or oscillator is as inaccurate as given.
    static std::shared_ptr<const Snapshot> withCrystal(LoadedPlan work, const std::string& clock, const Rational& ppm)
    {
        Board board = *work.board;
        board.crystals[clock].tolerance = Tolerance::symmetric(ppm);
        work.board = std::make_shared<const Board>(board);
        return run(work);
    }

private Q_SLOTS:
    /// Two bits worked by hand from ISO 11898-1's pair of conditions. The first is the widest tolerance that the
    /// standard names for a bit of ten quanta: 1.58 %.
    void oscillatorToleranceOfABit()
    {
        CanTiming widest;
        widest.propagation = 1;
        widest.segment1 = widest.segment2 = widest.jump = 4;
        QCOMPARE(widest.quanta(), 10);
        // min(4, 4) / (2 (130 - 4)) = 1/63; SJW / 200 = 2 %.
        QVERIFY(widest.tolerance().value == Rational(1'000'000, 63));
        CanTiming late;
        late.propagation = 11;
        late.segment1 = late.segment2 = 2;
        QCOMPARE(late.quanta(), 16);
        // 2 / (2 (208 - 2)) = 1/206; 1 / 320 is less.
        QVERIFY(late.tolerance().value == Rational(3125));
        QVERIFY(late.samplePoint().value == Rational(7, 8));
    }

    /// Against trying every split that the fields can hold.
    void theBestSplitIsTheBestOfAll()
    {
        std::mt19937 random(seeded(11));
        const auto pick = [&random](int low, int high) {
            return std::int64_t(low + int(random() % unsigned(high - low + 1)));
        };
        int found = 0;
        for (int round = 0; round < 150; ++round) {
            CanFields fields;
            fields.prescaler = pick(1, 24);
            fields.propagation = round % 2 ? pick(1, 8) : 0;
            fields.segment1 = pick(3, 16);
            fields.segment2 = pick(2, 8);
            fields.jump = pick(1, 4);
            const Frequency kernel(Rational(pick(1, 48) * 1'000'000) / pick(1, 3));
            const Frequency wanted(Rational(std::array{125'000, 250'000, 500'000, 83'333}[size_t(round % 4)]));
            const Ratio sample(Rational(pick(50, 90), 100));
            const std::int64_t jump = pick(1, int(fields.jump));

            std::optional<CanTiming> best;
            const auto better = [&](const CanTiming& a, const CanTiming& b) {
                const auto off = [&](const CanTiming& t) { return (t.samplePoint().value - sample.value).abs(); };
                if (a.error.value.abs() != b.error.value.abs())
                    return a.error.value.abs() < b.error.value.abs();
                if (off(a) != off(b))
                    return off(a) < off(b);
                if (!(a.tolerance() == b.tolerance()))
                    return a.tolerance() > b.tolerance();
                return a.quanta() > b.quanta();
            };
            for (std::int64_t prescaler = 1; prescaler <= fields.prescaler; ++prescaler)
                for (std::int64_t segment2 = std::max<std::int64_t>(2, jump); segment2 <= fields.segment2; ++segment2)
                    for (std::int64_t before = 1 + jump; before <= fields.propagation + fields.segment1; ++before)
                        for (std::int64_t segment1 = 1; segment1 <= std::min(fields.segment1, before - 1); ++segment1) {
                            CanTiming t;
                            t.prescaler = prescaler;
                            t.segment1 = segment1;
                            t.segment2 = segment2;
                            t.propagation = before - segment1;
                            t.jump = jump;
                            if (t.quanta() < 8 || (fields.propagation > 0 && t.propagation > fields.propagation))
                                continue;
                            t.rate = Frequency(kernel.value / prescaler / t.quanta());
                            t.error = errorOf(t.rate, wanted);
                            if (!best || better(t, *best))
                                best = t;
                        }
            const std::optional<CanTiming> got = bestCanTiming(kernel, wanted, sample, jump, fields);
            // Rates far off are not looked for: a bit is some whole number of quanta about the wanted rate.
            if (!got) {
                QVERIFY(!best || std::abs(best->error.value.toDouble()) > 20'000);
                continue;
            }
            ++found;
            QVERIFY(best);
            QVERIFY2(!better(*best, *got) && !better(*got, *best),
                     qPrintable(QString("round %1: %2 x %3 against %4 x %5")
                                    .arg(round)
                                    .arg(got->prescaler)
                                    .arg(got->quanta())
                                    .arg(best->prescaler)
                                    .arg(best->quanta())));
        }
        QVERIFY(found > 60);
    }

    void usbNeedsAQuarterOfAPerCent()
    {
        const auto good = run(demo());
        QVERIFY(of(*good, "service-port").ok());
        // 48 MHz from the crystal: its tolerance is all there is.
        const LoadedPlan fromCrystal =
            with(with(with(with(demo(), SetClock{"PLLB.SRC", clockSaid("HFX")}), SetClock{"PLLB.IN", clockSaid("2")}),
                      SetClock{"PLLB", clockSaid("12")}),
                 SetClock{"USBB", clockSaid("1.5")});
        const LoadedPlan usb = with(fromCrystal, SetClock{"USBK", clockSaid("USBB")});
        for (const auto& [ppm, ok] : {std::pair{2500, true}, {2501, false}}) {
            const auto s = withCrystal(usb, "HFX", ppm);
            QVERIFY(s->rates.clocks[s->device->findClock("USBK")].rate == megahertz(48));
            QCOMPARE(of(*s, "service-port").ok(), ok);
            QCOMPARE(hasFinding(*s, "CLK-11", "USBK"), !ok);
            QVERIFY(of(*s, "service-port").given.value == Rational(ppm));
        }
        // Low speed tolerates six times as much.
        QVERIFY(of(*withCrystal(with(usb, SetGoal{"service-port", "speed", "low"}), "HFX", 2501), "service-port").ok());
    }

    /// The error of the rate and the source's tolerance add up.
    void aRateThatIsOffCountsToo()
    {
        const auto s = run(with(demo(), SetGoal{"moss-bus", "rate", "250.5 kbit/s"}));
        const Accuracy& a = of(*s, "moss-bus");
        QVERIFY(a.allowed);
        // 12 MHz makes 250 kbit/s, 1996 ppm below: more than the crystal's 20 ppm, within what 16 quanta allow.
        QVERIFY(a.given.value == Rational(500, 250'500) * 1'000'000 + Rational(20));
        QVERIFY(a.ok());
        const auto off = run(with(demo(), SetGoal{"moss-bus", "rate", "251 kbit/s"}));
        QVERIFY(!of(*off, "moss-bus").ok());
        // No other source would help, so none is advised.
        const auto told = std::find_if(off->findings.begin(), off->findings.end(),
                                       [](const Finding& f) { return f.rule == "CLK-11"; });
        QVERIFY(told != off->findings.end());
        QVERIFY2(told->text.text().find("divides down to this exactly") != std::string::npos &&
                     told->text.text().find("ake it from") == std::string::npos,
                 told->text.text().c_str());
    }

    /// 20 ppm of 2 629 746 s.
    void driftOfAMonth()
    {
        QVERIFY(driftPerMonth(Ppm(20)).value == Rational(5'259'492, 100'000));
        const auto s = run(demo());
        QVERIFY(of(*s, "clock").effect.find("52.6 s a month") != std::string::npos);
        // From the internal oscillator it is hours; as nobody has stated a drift, that is a caution.
        const auto inside = run(with(demo(), SetClock{"RTCK", clockSaid("LFI")}));
        QVERIFY(hasFinding(*inside, "CLK-11", "RTCK"));
        QCOMPARE(inside->count(Finding::Severity::Error), 0);
        const auto stated =
            run(with(with(demo(), SetClock{"RTCK", clockSaid("LFI")}), SetGoal{"clock", "drift", "50 ppm"}));
        QCOMPARE(stated->count(Finding::Severity::Error), 1);
        QVERIFY(!run(with(with(demo(), SetClock{"RTCK", clockSaid("LFI")}), SetGoal{"clock", "drift", "6 %"}))
                     ->count(Finding::Severity::Error));
    }

    /// What is said to be left for the clock is what the goal's own budget leaves: used up to the last ppm, and no
    /// further.
    void whatIsLeftOfAUartsBudget()
    {
        const auto s = run(demo());
        const Accuracy& a = of(*s, "uplink");
        QVERIFY(a.allowed && a.ok());
        for (const int more : {0, 1}) {
            const auto other = withCrystal(demo(), "HFX", a.allowed->value.floor() + more);
            QCOMPARE(other->settings[needIndex(other->plan, "uplink")].goal("baud")->ok, more == 0);
            QCOMPARE(of(*other, "uplink").ok(), more == 0);
        }
    }

    /// A period in periods of a clock that is off by -5 % to +5 %: 4 s / 1.05 and 4 s / 0.95.
    void periodsSpread() { QVERIFY(of(*run(demo()), "watchdog").effect == "4 s may be 3.8095 s to 4.2105 s"); }

    /// Searches treat a clock that is too rough as a goal that is missed.
    void searchesHeedIt()
    {
        const auto s = run(with(with(demo(), SetClock{"UOSC", std::nullopt}), SetClock{"USBK", clockSaid("UOSC")}));
        const std::vector<NeedIndex> missed = needsThatMiss(*s->device, s->plan, s->bindings, s->rates);
        QVERIFY(std::find(missed.begin(), missed.end(), needIndex(s->plan, "service-port")) != missed.end());
        const auto found =
            std::find_if(s->findings.begin(), s->findings.end(), [](const Finding& f) { return f.rule == "CLK-11"; });
        QVERIFY(found != s->findings.end() && found->ways);
        COMPARE_TEXT(found->ways->clock, "USBK");
        QVERIFY2(found->text.text().find("trim USB oscillator by") != std::string::npos ||
                     found->text.text().find("Trim USB oscillator by") != std::string::npos,
                 found->text.text().c_str());
    }

    /// What a search remembers of a need holds for all that its answer depends on: also for the clock of the timer
    /// whose periods it counts.
    void whatIsRememberedIsWhatIsComputed()
    {
        // A timer that counts the periods of another one, which has a clock of its own.
        LoadedPlan counting = demo("pump-hall-a-done");
        const auto motor = std::find_if(counting.plan.needs.begin(), counting.plan.needs.end(),
                                        [](const Need& need) { return need.binding.instance.starts_with("MOT"); });
        QVERIFY(motor != counting.plan.needs.end());
        Need slow;
        slow.id = slow.title = "slow";
        slow.kind = "interval";
        slow.goals = {{"period", "10 s"}, {"counts", motor->id}};
        slow.binding.instance = "TIK5";
        const ClockIndex motorClock =
            counting.device->instances[counting.device->findInstance(motor->binding.instance)].kernel;
        QVERIFY(motorClock != counting.device->instances[counting.device->findInstance("TIK5")].kernel);
        counting.plan.needs.push_back(slow);
        std::vector<LoadedPlan> all{counting};
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"})
            all.push_back(demo(plan));
        std::mt19937 random(seeded(31));
        int differed = 0, missedSlow = 0, missedByCore = 0;
        for (const LoadedPlan& work : all) {
            const auto first = run(work);
            const auto asked = askedOnce(*work.device, first->plan, first->bindings);
            for (int round = 0; round < 60; ++round) {
                LoadedPlan other = work;
                for (int change = 0; change < 2; ++change) {
                    const ClockIndex clock = int(random() % work.device->clocks.size());
                    const std::vector<ClockDecision> choices = clockChoices(*work.device, clock);
                    if (!choices.empty())
                        other.plan.clocks[work.device->clocks[clock].id] = choices[random() % choices.size()];
                }
                const auto s = run(other);
                const std::vector<NeedIndex> missed = needsThatMiss(*s->device, s->plan, s->bindings, s->rates);
                QVERIFY2(asked(s->rates) == missed, qPrintable(QString::number(round)));
                differed += missed != needsThatMiss(*first->device, first->plan, first->bindings, first->rates);
            }
            // Only the clock of one core, down to where its interrupts are more than it can do.
            for (const Core& core : work.device->cores)
                for (const int divided : {2, 7, 500, 90'000, 20'000'000}) {
                    Rates rates = first->rates;
                    Frequency& rate = rates.clocks[core.clock].rate;
                    rate = rate / Rational(divided);
                    const std::vector<NeedIndex> missed =
                        needsThatMiss(*first->device, first->plan, first->bindings, rates);
                    QVERIFY2(asked(rates) == missed, qPrintable(QString::number(divided)));
                    missedByCore += missed != needsThatMiss(*first->device, first->plan, first->bindings, first->rates);
                }
            // Only the clock of what is counted, also when it stands still.
            if (&work == &all.front())
                for (const int divided : {1, 3, 1000, 0}) {
                    Rates rates = first->rates;
                    ClockState& clock = rates.clocks[motorClock];
                    clock.running = divided > 0;
                    clock.rate = divided > 0 ? clock.rate / Rational(divided) : Frequency();
                    const std::vector<NeedIndex> missed =
                        needsThatMiss(*first->device, first->plan, first->bindings, rates);
                    QVERIFY(asked(rates) == missed);
                    missedSlow +=
                        std::find(missed.begin(), missed.end(), needIndex(first->plan, "slow")) != missed.end();
                }
        }
        QVERIFY(differed > 50 && missedSlow > 0 && missedByCore > 3);
    }
};

BINDREL_TEST(AccuracyTest)
#include "accuracy_test.moc"
