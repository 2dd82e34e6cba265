// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/simulated_registers.h"
#include "core/tuning/one_need.h"
#include "core/tuning/setting.h"
#include "tests/support/fixtures.h"

#include <cmath>
#include <random>
#include <set>

using namespace bindrel;
using namespace bindrel::test;

namespace {

using Real = long double;

Real real(const Rational& value)
{
    // Through its text: num and den may be wider than any integer type that the oracle has.
    const std::string text = value.text();
    const size_t slash = text.find('/');
    return std::strtold(text.c_str(), nullptr) /
           (slash == std::string::npos ? 1.0L : std::strtold(text.c_str() + slash + 1, nullptr));
}

/// What a need comes to at one clock.
struct Trial {
    std::shared_ptr<const Snapshot> snapshot;
    std::string need; ///< its id
    InstanceIndex instance = -1;
    Setting setting;
    Real nominal = 0, fastest = 0, slowest = 0; ///< rates of its clock, in hertz

    std::int64_t role(const std::string& name, std::int64_t otherwise = 1) const
    {
        return setting.role(name).value_or(otherwise);
    }
    /// Whether it was computed, and every row of these goals is met.
    bool meets(std::initializer_list<const char*> goals) const
    {
        bool out = setting.computed;
        for (const Achieved& row : setting.achieved)
            for (const char* goal : goals)
                out = out && (row.goal != goal || row.ok);
        return out;
    }
    /// Every value that a role can have, by decoding each code; 1 where the block has no such role.
    std::vector<std::int64_t> valuesOf(const std::string& name) const
    {
        const Device& device = *snapshot->device;
        const FieldRef field = device.roleField(instance, name);
        if (!field.valid())
            return {1};
        const Encoding& encoding = device.blockOf(instance).role(name)->encoding;
        std::vector<std::int64_t> out;
        for (std::uint64_t code = 0; code <= device.fieldOf(field).maxCode() && code < 0x10000; ++code)
            if (const auto value = meaningOf(encoding, std::uint32_t(code)); value && *value >= 1)
                out.push_back(*value);
        std::sort(out.begin(), out.end());
        out.erase(std::unique(out.begin(), out.end()), out.end());
        return out;
    }
};

struct Goal {
    std::string name, text;
};

} // namespace

/// Clocks of a fractional PLL have denominators of thousands, and tolerances are fractions again: products of rates,
/// times, ohms and farads leave 64 bits. What is chosen then is held against enumeration in floating point of 64 bits'
/// mantissa, which knows nothing of fractions. BINDREL_LONG multiplies the goals, BINDREL_SEED draws others.
class FractionalTest : public QObject {
    Q_OBJECT

    std::mt19937 random_;

    long draw(long below) { return long(random_() % std::uint32_t(below)); }

    /// The plan's rates, with one clock at a rate of a fractional PLL's, and a tolerance to match.
    Rates odd(const Rates& rates, ClockIndex kernel)
    {
        static constexpr std::int64_t denominators[] = {1, 3, 7, 1000, 4096, 4096 * 27, 999'983, 16'777'213};
        Rates out = rates;
        ClockState& clock = out.clocks[kernel];
        const std::int64_t den = denominators[draw(std::size(denominators))];
        // A slow clock stays one: what counts seconds has nothing to count with at megahertz.
        const bool slow = clock.rate.toDouble() < 1e6;
        const std::int64_t whole = slow ? 1'000 + draw(200'000) : INT64_C(1'000'000) * (1 + draw(150));
        clock.rate = Frequency(Rational(whole * den + draw(1'000'000), den));
        clock.tolerance.high = Ppm(Rational(draw(30'000'000), 1'000 + draw(3'000)));
        clock.tolerance.low = Ppm(-clock.tolerance.high.value);
        return out;
    }

    Trial trialOf(const char* plan, const std::string& id, const std::vector<Goal>& goals)
    {
        LoadedPlan work = demo(plan);
        for (const Goal& goal : goals)
            work = with(work, SetGoal{id, goal.name, goal.text});
        Trial out;
        out.snapshot = run(work);
        const NeedIndex n = needIndex(out.snapshot->plan, id);
        out.need = id;
        out.instance = out.snapshot->bindings.needs[n].instance;
        const ClockIndex kernel = out.snapshot->device->instances[out.instance].kernel;
        const Rates rates = odd(out.snapshot->rates, kernel);
        const ClockState& clock = rates.clocks[kernel];
        out.nominal = real(clock.rate.value);
        out.fastest = out.nominal * (1 + real(clock.tolerance.high.value) / 1e6L);
        out.slowest = out.nominal * (1 + real(clock.tolerance.low.value) / 1e6L);
        const Snapshot& s = *out.snapshot;
        out.setting = tuneNeed(*s.device, s.plan, s.bindings, rates, n);
        return out;
    }

    /// Draws goals for every need of a kind, on every family; `check` gives what is wrong. Of so many rounds some must
    /// be checked.
    template <typename Draw, typename Check>
    void everyFamily(const char* kind, int rounds, int atLeast, Draw goals, Check check)
    {
        random_.seed(seeded(unsigned(rounds) + unsigned(std::string_view(kind).size())));
        rounds *= std::max(1, qEnvironmentVariableIntValue("BINDREL_LONG"));
        int checked = 0;
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"}) {
            const LoadedPlan work = demo(plan);
            const auto planned = run(work);
            for (const Need& need : work.plan.needs) {
                if (need.kind != kind || planned->bindings.needs[needIndex(work.plan, need.id)].instance < 0)
                    continue;
                for (int round = 0; round < rounds; ++round) {
                    const std::vector<Goal> drawn = goals(need);
                    const Trial trial = trialOf(plan, need.id, drawn);
                    const std::optional<std::string> wrong = check(trial, drawn);
                    if (!wrong)
                        continue; // nothing to be checked: the goals cannot be met
                    std::string told;
                    for (const Goal& goal : drawn)
                        told += goal.name + " " + goal.text + " ";
                    QVERIFY2(wrong->empty(),
                             fmt::format("{}, {}, {}at {} Hz: {}", plan, need.id, told, double(trial.nominal), *wrong)
                                 .c_str());
                    ++checked;
                }
                break; // one need of each family tells as much as several
            }
        }
        QVERIFY2(checked >= atLeast, std::to_string(checked).c_str());
    }

    static std::optional<std::string> verdict(bool right, const std::string& wrong)
    {
        return right ? std::string() : wrong;
    }
    static constexpr Real kNothing = 1e-15L; ///< what floating point of this width may be off

private Q_SLOTS:
    void aSampleTimeIsLongEnough()
    {
        long ohms = 0, bits = 0;
        everyFamily(
            "adc", 300, 200,
            [&](const Need&) {
                ohms = 10 + draw(100'000);
                bits = 8 + draw(5);
                return std::vector<Goal>{{"source", std::to_string(ohms)}, {"resolution", std::to_string(bits)}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                const Device& device = *t.snapshot->device;
                const Real farads = Real(device.ability(t.instance, "sample_femtofarads", 0)) * 1e-15L;
                std::int64_t sample = INT64_MAX;
                for (const RoleValue& value : t.setting.roles)
                    if (value.role.starts_with("sample"))
                        sample = std::min(sample, value.value);
                if (!t.meets({"source"}) || sample == INT64_MAX || farads == 0)
                    return std::nullopt;
                const Real own = Real(device.ability(t.instance, "sample_ohms", 0));
                const Real needed = std::log(2.0L) * Real(bits + 1) * (Real(ohms) + own) * farads * t.fastest;
                return verdict(Real(sample) >= needed, fmt::format("{} cycles of {}", sample, double(needed)));
            });
    }

    void aBusIsNeverFasterThanAsked()
    {
        long khz = 0;
        everyFamily(
            "i2c", 300, 100,
            [&](const Need&) {
                khz = 20 + draw(380);
                return std::vector<Goal>{{"rate", std::to_string(khz) + " kHz"}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                if (!t.meets({"rate", "class", "rise", "filter"}) || !t.setting.role("low"))
                    return std::nullopt;
                // What is certain: the phases alone are no shorter than a period less rise, fall, filter and
                // synchronising.
                const Real cycles = Real(t.role("prescaler")) * Real(t.role("low") + t.role("high"));
                const Real spare = 1300e-9L + Real(t.role("filter", 0) + 8) / t.fastest;
                return verdict(cycles / t.fastest + spare >= 0.999L / (Real(khz) * 1000), "it is faster");
            });
    }

    void anOutputCanBeOnAllTheTimeAndDeadTimesHold()
    {
        long nanoseconds = 0;
        everyFamily(
            "pwm", 200, 100,
            [&](const Need& need) {
                const long centihertz = 10 + draw(10) * (draw(2) ? 1 : 40'000);
                nanoseconds = 100 + draw(2000);
                std::vector<Goal> out{{"frequency", fmt::format("{}.{:02} Hz", centihertz / 100, centihertz % 100)}};
                if (matters(need, "dead"))
                    out.push_back({"dead", std::to_string(nanoseconds) + " ns"});
                return out;
            },
            [&](const Trial& t, const std::vector<Goal>& goals) -> std::optional<std::string> {
                if (!t.setting.computed || !t.setting.role("period"))
                    return std::nullopt;
                for (const RoleValue& value : t.setting.roles)
                    if (value.role.starts_with("compare"))
                        if (const auto values = t.valuesOf(value.role);
                            values.empty() || values.back() < t.role("period"))
                            return fmt::format("a period of {} cannot be a duty", t.role("period"));
                if (goals.size() > 1 && t.meets({"dead"}) && t.setting.role("dead_time"))
                    return verdict(Real(t.role("dead_time")) >= Real(nanoseconds) * 1e-9L * t.fastest,
                                   "the dead time is short");
                return std::string();
            });
    }

    void noDividerOfAnAsynchronousLineIsNearer()
    {
        long baud = 0;
        everyFamily(
            "uart", 120, 200,
            [&](const Need&) {
                baud = 300 + draw(1'000'000);
                return std::vector<Goal>{{"baud", std::to_string(baud)}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                if (!t.setting.computed || !t.setting.role("divider"))
                    return std::nullopt;
                const Device& device = *t.snapshot->device;
                const std::int64_t samples = t.role("oversampling", device.ability(t.instance, "oversampling", 16));
                const Real unit = Real(INT64_C(1) << device.ability(t.instance, "fraction_bits", 0));
                const auto off = [&](std::int64_t divider) {
                    return std::abs(t.nominal * unit / (Real(samples) * Real(divider)) / Real(baud) - 1);
                };
                Real best = 1e9L;
                for (const std::int64_t divider : t.valuesOf("divider"))
                    if (divider >= device.ability(t.instance, "smallest_divider", 1))
                        best = std::min(best, off(divider));
                // Nearest as a number of cycles and nearest as a rate differ where two are nearly as near.
                const Real chosen = off(t.role("divider"));
                return verdict(chosen <= best * (1 + best) + kNothing,
                               fmt::format("off by {}, not {}", double(chosen), double(best)));
            });
    }

    void noSerialClockIsFasterAndNotAbove()
    {
        long hertz = 0;
        everyFamily(
            "spi", 120, 150,
            [&](const Need&) {
                hertz = 10'000 + draw(30'000'000);
                return std::vector<Goal>{{"rate", std::to_string(hertz) + " Hz"}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                const bool halves = t.setting.role("half_period").has_value();
                if (!t.setting.computed || (!halves && !t.setting.role("divider")))
                    return std::nullopt;
                const Real chosen =
                    Real(t.role("prescaler")) * Real(halves ? 2 * t.role("half_period") : t.role("divider"));
                if (t.fastest / chosen > Real(hertz) * (1 + kNothing))
                    return std::string("it is faster than asked for");
                Real least = 1e18L;
                const std::vector<std::int64_t> counts = t.valuesOf(halves ? "half_period" : "divider");
                for (const std::int64_t prescaler : t.valuesOf("prescaler")) {
                    const Real factor = Real(prescaler) * (halves ? 2 : 1);
                    // Within the unit of the last place of what is needed either is right.
                    const Real needed = t.fastest / Real(hertz) / factor * (1 - kNothing);
                    const auto count = std::lower_bound(counts.begin(), counts.end(), needed,
                                                        [](std::int64_t a, Real b) { return Real(a) < b; });
                    if (count != counts.end())
                        least = std::min(least, factor * Real(*count));
                }
                return verdict(chosen <= least * (1 + 4 * kNothing),
                               fmt::format("divided by {}, not {}", double(chosen), double(least)));
            });
    }

    void noPeriodIsNearer()
    {
        Real wanted = 0;
        everyFamily(
            "interval", 25, 60,
            [&](const Need&) {
                const long microseconds = 20 + draw(2'000'000);
                wanted = Real(microseconds) * 1e-6L;
                return std::vector<Goal>{{"period", std::to_string(microseconds) + " us"}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                if (!t.meets({"period"}) || !t.setting.role("period"))
                    return std::nullopt;
                const Real cycles = wanted * t.nominal, chosen = Real(t.role("prescaler")) * Real(t.role("period"));
                Real best = 1e18L;
                const std::vector<std::int64_t> counts = t.valuesOf("period");
                for (const std::int64_t prescaler : t.valuesOf("prescaler")) {
                    auto count = std::lower_bound(counts.begin(), counts.end(), cycles / Real(prescaler),
                                                  [](std::int64_t a, Real b) { return Real(a) < b; });
                    for (int side = 0; side < 2; ++side, --count) {
                        if (count != counts.end() && *count >= 2)
                            best = std::min(best, std::abs(Real(prescaler) * Real(*count) - cycles));
                        if (count == counts.begin())
                            break;
                    }
                }
                return verdict(
                    std::abs(chosen - cycles) <= best + cycles * kNothing,
                    fmt::format("{} cycles of {}, {} would be nearer", double(chosen), double(cycles), double(best)));
            });
    }

    void noWatchdogEndsTooEarlyAndNoneLaterThanItMust()
    {
        Real wanted = 0;
        everyFamily(
            "watchdog", 60, 80,
            [&](const Need&) {
                const long milliseconds = 2 + draw(20'000);
                wanted = Real(milliseconds) * 1e-3L;
                return std::vector<Goal>{{"period", std::to_string(milliseconds) + " ms"}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                if (!t.meets({"period"}) || !t.setting.role("period"))
                    return std::nullopt;
                const Real chosen = Real(t.role("prescaler")) * Real(t.role("period"));
                const Real needed = wanted * t.fastest;
                if (chosen < needed * (1 - kNothing))
                    return fmt::format("{} cycles of {}", double(chosen), double(needed));
                Real least = 1e18L;
                const std::vector<std::int64_t> counts = t.valuesOf("period");
                for (const std::int64_t prescaler : t.valuesOf("prescaler")) {
                    const auto count =
                        std::lower_bound(counts.begin(), counts.end(), needed / Real(prescaler) * (1 - kNothing),
                                         [](std::int64_t a, Real b) { return Real(a) < b; });
                    if (count != counts.end())
                        least = std::min(least, Real(prescaler) * Real(*count));
                }
                return verdict(chosen <= least * (1 + 4 * kNothing),
                               fmt::format("{} cycles, {} would do", double(chosen), double(least)));
            });
    }

    void ticksOfATimeStampAreShortEnoughAndNoShorter()
    {
        Real wanted = 0;
        everyFamily(
            "capture", 80, 60,
            [&](const Need&) {
                const long nanoseconds = 10 + draw(20'000);
                wanted = Real(nanoseconds) * 1e-9L;
                return std::vector<Goal>{{"resolution", std::to_string(nanoseconds) + " ns"}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                if (!t.meets({"resolution"}) || !t.setting.computed)
                    return std::nullopt;
                const Real most = wanted * t.nominal;
                std::int64_t largest = 0;
                for (const std::int64_t prescaler : t.valuesOf("prescaler"))
                    if (Real(prescaler) <= most * (1 + kNothing))
                        largest = prescaler;
                return verdict(t.role("prescaler") == largest,
                               fmt::format("a prescaler of {}, not {}", t.role("prescaler"), largest));
            });
    }

    /// A filter is no shorter than asked for, and no longer than it must be.
    void filtersAreLongEnoughAndNoLonger()
    {
        for (const auto& [kind, role] : {std::pair{"count", "filter"}, {"quadrature", "input_filter"}}) {
            Real wanted = 0;
            everyFamily(
                kind, 300, 20,
                [&](const Need&) {
                    const long nanoseconds = 1 + draw(draw(2) ? 300'000'000 : 5'000);
                    wanted = Real(nanoseconds) * 1e-9L;
                    return std::vector<Goal>{{"filter", std::to_string(nanoseconds) + " ns"}};
                },
                [&, role = role](const Trial& t, const auto&) -> std::optional<std::string> {
                    if (!t.meets({"filter"}) || !t.setting.role(role))
                        return std::nullopt;
                    const Real needed = wanted * t.fastest;
                    std::int64_t least = INT64_MAX;
                    for (const std::int64_t value : t.valuesOf(role))
                        if (Real(value) >= needed * (1 - kNothing))
                            least = std::min(least, value);
                    return verdict(t.role(role) == least,
                                   fmt::format("{} cycles for {}, not {}", t.role(role), double(needed), least));
                });
        }
    }

    /// No bit of CAN is nearer to its rate, and of those as near none samples nearer to the wanted point.
    void noBitOfCanIsNearer()
    {
        Real rate = 0, point = 0;
        everyFamily(
            "can", 120, 60,
            [&](const Need&) {
                const long bits = (draw(2) ? 5'000 + draw(995'000) : 125'000 * (1 + draw(8)));
                const long percent = 60 + draw(31);
                rate = Real(bits);
                point = Real(percent) / 100;
                return std::vector<Goal>{{"rate", std::to_string(bits) + " Bd"},
                                         {"sample", std::to_string(percent) + " %"},
                                         {"data_rate", "none"}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                if (!t.setting.role("segment1") || !t.setting.role("segment2"))
                    return std::nullopt;
                const bool apart = t.snapshot->device->roleField(t.instance, "propagation").valid();
                const auto quanta = [&](std::int64_t propagation, std::int64_t one, std::int64_t two) {
                    return 1 + propagation + one + two;
                };
                const std::int64_t jump = t.role("jump"), total = quanta(apart ? t.role("propagation") : 0,
                                                                         t.role("segment1"), t.role("segment2"));
                const auto error = [&](std::int64_t prescaler, std::int64_t whole) {
                    return std::abs(t.nominal / Real(prescaler * whole) - rate) / rate;
                };
                const auto off = [&](std::int64_t two, std::int64_t whole) {
                    return std::abs(Real(whole - two) / Real(whole) - point);
                };
                const Real chosen = error(t.role("prescaler"), total), chosenOff = off(t.role("segment2"), total);
                std::set<std::pair<std::int64_t, std::int64_t>> shapes; // quanta, segment 2
                for (const std::int64_t propagation : apart ? t.valuesOf("propagation") : std::vector<std::int64_t>{0})
                    for (const std::int64_t one : t.valuesOf("segment1"))
                        for (const std::int64_t two : t.valuesOf("segment2"))
                            // Segment 2 holds the jump and two quanta for deciding; before it there is room for both.
                            if (two >= std::max<std::int64_t>(2, jump) && propagation + one >= 1 + jump &&
                                (!apart || one >= jump) && quanta(propagation, one, two) >= 8)
                                shapes.emplace(quanta(propagation, one, two), two);
                for (const std::int64_t prescaler : t.valuesOf("prescaler"))
                    for (const auto& [whole, two] : shapes) {
                        const Real own = error(prescaler, whole);
                        if (own < chosen - 1e-12L || (own <= chosen + 1e-15L && off(two, whole) < chosenOff - 1e-12L))
                            return fmt::format("{} quanta of {} (segment 2: {}) instead of {} of {} ({})", whole,
                                               prescaler, two, total, t.role("prescaler"), t.role("segment2"));
                    }
                return std::string();
            });
    }

    void noStepOfALevelIsNearer()
    {
        Real wanted = 0;
        everyFamily(
            "dac", 300, 100,
            [&](const Need&) {
                const long tenths = draw(1001);
                wanted = Real(tenths) / 1000;
                return std::vector<Goal>{{"level", fmt::format("{}.{} %", tenths / 10, tenths % 10)}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                if (!t.meets({"level"}) || !t.setting.role("data"))
                    return std::nullopt;
                std::vector<std::int64_t> values = t.valuesOf("data");
                values.push_back(0);
                const Real whole = Real(*std::max_element(values.begin(), values.end()));
                const Real chosen = std::abs(Real(t.role("data", 0)) / whole - wanted);
                for (const std::int64_t value : values)
                    if (std::abs(Real(value) / whole - wanted) < chosen - 1e-15L)
                        return fmt::format("step {}, not {}", t.role("data", 0), value);
                return std::string();
            });
    }

    void noTimeOfDayIsNearer()
    {
        Real wanted = 0;
        everyFamily(
            "rtc", 60, 100,
            [&](const Need&) {
                static constexpr long rates[] = {1, 2, 4, 8, 16};
                const long rate = rates[draw(std::size(rates))];
                wanted = Real(rate);
                return std::vector<Goal>{{"rate", std::to_string(rate) + " Hz"}};
            },
            [&](const Trial& t, const auto&) -> std::optional<std::string> {
                if (!t.setting.computed)
                    return std::nullopt;
                const Real fixed = Real(t.snapshot->device->ability(t.instance, "divider", 1));
                const Real chosen = std::abs(t.nominal / fixed / Real(t.role("coarse") * t.role("fine")) - wanted);
                const std::vector<std::int64_t> fines = t.valuesOf("fine");
                for (const std::int64_t coarse : t.valuesOf("coarse")) {
                    const Real ideal = t.nominal / fixed / Real(coarse) / wanted;
                    auto fine = std::lower_bound(fines.begin(), fines.end(), ideal,
                                                 [](std::int64_t a, Real b) { return Real(a) < b; });
                    for (int side = 0; side < 2; ++side, --fine) {
                        if (fine != fines.end() &&
                            std::abs(t.nominal / fixed / Real(coarse * *fine) - wanted) < chosen - wanted * 1e-12L)
                            return fmt::format("{} x {}, not {} x {}", t.role("coarse"), t.role("fine"), coarse, *fine);
                        if (fine == fines.begin())
                            break;
                    }
                }
                return std::string();
            });
    }

    /// A number that fits nowhere is a finding of that need, and no value of a register.
    void whatCannotBeComputedIsAFinding()
    {
        const LoadedPlan work = demo();
        auto s = run(work);
        const NeedIndex n = needIndex(s->plan, "uplink");
        Rates rates = s->rates;
        ClockState& clock = rates.clocks[s->device->instances[s->bindings.needs[n].instance].kernel];
        clock.tolerance.high = Ppm(Rational::undefined());
        const Setting setting = tuneNeed(*s->device, s->plan, s->bindings, rates, n);
        for (const RoleValue& value : setting.roles)
            QVERIFY2(setting.computed && value.value >= 0, value.role.c_str());
        // The I2C's filter is rounded from that very tolerance.
        const NeedIndex bus = needIndex(s->plan, "level-probes");
        QVERIFY(bus >= 0);
        rates.clocks[s->device->instances[s->bindings.needs[bus].instance].kernel].tolerance.high =
            Ppm(Rational::undefined());
        const Setting none = tuneNeed(*s->device, s->plan, s->bindings, rates, bus);
        QVERIFY(!none.computed && none.roles.empty());
        QVERIFY2(none.notComputed.find("cannot be computed") != std::string::npos, none.notComputed.c_str());
    }
};

BINDREL_TEST(FractionalTest)
#include "fractional_test.moc"
