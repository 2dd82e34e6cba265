// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/bind_all.h"
#include "core/quantity/parse.h"
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

using namespace bindrel;
using namespace bindrel::test;

/// What a PWM can be asked for beside frequency and duty, read back from the registers by hand and by counting through
/// a period.
class PwmRunTest : public QObject {
    Q_OBJECT

    static LoadedPlan with_(LoadedPlan work, const char* need,
                            const std::vector<std::pair<const char*, const char*>>& goals)
    {
        for (const auto& [goal, value] : goals)
            work = with(work, SetGoal{need, goal, value});
        return work;
    }
    static std::uint32_t valueAt(const Snapshot& s, std::uint32_t address)
    {
        for (const RegisterValue& value : s.image.registers)
            if (s.device->addressOf(value.instance, value.reg) == address)
                return value.value;
        return 0;
    }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    /// Alder has a dead time for each side: the shortest of all 256 codes that is long enough.
    void deadTimesApart()
    {
        const auto lengthOf = [](std::uint32_t code) { return ((32u + (code & 31)) << (code >> 5)) - 32; };
        for (const auto& [high, low] : {std::pair{"1.2 us", "3 us"}, {"800 ns", "310 ns"}, {"0 s", "5.5 us"}}) {
            const auto s = run(
                with_(demo("pump-hall-a-done"), "pump",
                      {{"dead", high}, {"dead_low", low}, {"duty1", "50 %"}, {"duty2", "50 %"}, {"duty3", "50 %"}}));
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            const InstanceIndex instance = s->bindings.needs[needIndex(s->plan, "pump")].instance;
            const std::uint32_t safe = valueAt(*s, s->device->instances[instance].base + 0x2C);
            // Long enough at the fastest rate that the clock's tolerance allows.
            const ClockState& kernel = s->rates.clocks[s->device->instances[instance].kernel];
            const Rational clock = shifted(kernel.rate, kernel.tolerance.high).value;
            const auto best = [&](const char* text) {
                std::uint32_t found = 0, length = UINT32_MAX;
                for (std::uint32_t code = 0; code < 256; ++code)
                    if (Rational(lengthOf(code)) >= parseDuration(text)->value * clock && lengthOf(code) < length) {
                        found = code;
                        length = lengthOf(code);
                    }
                return found;
            };
            QCOMPARE(safe & 255, best(high));
            QCOMPARE(safe >> 12 & 255, best(low));
        }
        // Sedge has one for both: as long as the longer.
        const auto both = run(with_(demo(), "gate-bridge", {{"dead_low", "1 us"}}));
        const auto longer = run(with_(demo(), "gate-bridge", {{"dead", "1 us"}}));
        QCOMPARE(valueAt(*both, 0x4D00F720), valueAt(*longer, 0x4D00F720));
    }

    /// Two outputs of one timer on Rill: each tick of a period is looked at, as the timer's chapter says it counts.
    void pulsesInOpposition()
    {
        for (const auto& [active, first, second] :
             {std::tuple{"high", "30 %", "20 %"}, {"low", "40 %", "10 %"}, {"high", "0 %", "50 %"}}) {
            LoadedPlan work = demo("ditch-meter-d-done");
            work.plan.need("lamp")->binding = {};
            work.plan.need("lamp")->part.clear();
            work.plan.need("lamp")->terminals.clear();
            work = with_(work, "lamp",
                         {{"alignment", "centre"},
                          {"channels", "2"},
                          {"phase", "opposed"},
                          {"polarity", std::string_view(active) == "low" ? "inverted" : "normal"},
                          {"duty1", first},
                          {"duty2", second}});
            const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
            QVERIFY2(all, all ? "" : all.problem().message.c_str());
            work.plan = *applied(work.plan, all->edit);
            const auto s = run(work);
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
            const BoundNeed& bound = s->bindings.needs[needIndex(s->plan, "lamp")];
            const std::uint32_t base = s->device->instances[bound.instance].base;
            const std::uint32_t top = valueAt(*s, base + 8) + 1, pads = valueAt(*s, base + 0x1C);
            for (int output = 0; output < 2; ++output) {
                const int channel = bound.seats[size_t(output)].channel;
                const std::uint32_t compare = valueAt(*s, base + 0x0C + 4 * std::uint32_t(channel - 1));
                const bool flipped = (pads >> (16 + channel - 1) & 1) != 0;
                QCOMPARE((pads >> (8 + channel - 1) & 1) != 0,
                         std::string_view(active) == "low"); // rests where it is not active
                std::int64_t on = 0, sum = 0;
                for (std::uint32_t tick = 0; tick < 2 * top; ++tick) {
                    const std::uint32_t count = tick < top ? tick : 2 * top - 1 - tick;
                    const bool level = (count < compare) != flipped;
                    if (level != (std::string_view(active) == "high"))
                        continue;
                    ++on;
                    // The first output's pulse stands about the beginning of the period, the second's about its middle.
                    sum += output == 0 ? (tick < top ? std::int64_t(tick) : std::int64_t(tick) - 2 * std::int64_t(top))
                                       : std::int64_t(tick) - std::int64_t(top);
                }
                const Rational wanted = parseRatio(output == 0 ? first : second)->value * 2 * std::int64_t(top);
                QVERIFY((Rational(on) - wanted).abs() <= Rational(1));
                QVERIFY(on == 0 || (Rational(sum, on) + Rational(1, 2)).abs() <=
                                       Rational(1, 2)); // the middle of a pulse, to a tick
            }
            const Compiled code(*s);
            const Chip chip(*s->device);
            const int channel = bound.seats[1].channel;
            code.find<void(uint32_t)>("ditch_lamp_set_duty2")(250);
            QCOMPARE(Chip::at(base + 0x0C + 4 * std::uint32_t(channel - 1)), top - (top * 250 + 500) / 1000);
        }
    }

    void activeLow()
    {
        // The bridge's timer can turn its outputs round, a general timer of Sedge cannot.
        const auto bridge = run(with_(demo(), "gate-bridge", {{"polarity", "inverted"}}));
        const std::uint32_t out = valueAt(*bridge, 0x4D00F71C);
        for (const Seat& seat : bridge->bindings.needs[needIndex(bridge->plan, "gate-bridge")].seats)
            if (seat.signal.channel >= 0) {
                const int bit = 2 * (seat.channel - 1) + (seat.signal.id.ends_with('n') ? 1 : 0);
                QCOMPARE(out >> (8 + bit) & 1, 1u);
                QCOMPARE(out >> (16 + bit) & 1, 1u); // and rests high, unless it is said otherwise
            }
        QCOMPARE(valueAt(*run(with_(demo(), "gate-bridge", {{"polarity", "inverted"}, {"idle", "low"}})), 0x4D00F71C) >>
                     16,
                 0u);
        QVERIFY(hasFinding(*run(with_(demo(), "beacon", {{"polarity", "inverted"}})), "GOAL-01", "beacon"));
    }

    /// A comparator's result is the fault, instead of a pad.
    void faultFromAComparator()
    {
        LoadedPlan work = demo();
        Need guard;
        guard.id = guard.title = "guard";
        guard.kind = "comparator";
        for (const char* other : {"probe-alert", "supply-sense", "shunt-amplifier", "log-flash"})
            if (work.plan.need(other))
                work = with(work, RemoveNeed{other});
        work = with(with(work, InsertNeed{99, guard}), SetGoal{"gate-bridge", "fault_by", "guard"});
        const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
        QVERIFY2(all, all ? "" : all.problem().message.c_str());
        work.plan = *applied(work.plan, all->edit);
        const auto s = run(work);
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        const std::string& instance = s->device->instances[s->bindings.needs.back().instance].name;
        QCOMPARE(valueAt(*s, 0x4D00F720) >> 16 & 3, instance == "CMP1" ? 1u : 2u);
        QVERIFY(hasFinding(*run(with(work, SetGoal{"gate-bridge", "fault_by", "beacon"})), "GOAL-01", "gate-bridge"));
        QVERIFY(hasFinding(*run(with(work, SetGoal{"gate-bridge", "fault_by", "nobody"})), "GOAL-01", "gate-bridge"));
        QCOMPARE(valueAt(*run(demo()), 0x4D00F720) >> 16 & 3, 0u);
    }

    void convertersInThePeriod()
    {
        const auto s = run(with_(demo(), "gate-bridge", {{"trigger_at", "30 %"}}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(valueAt(*s, 0x4D00F734), 1875u); // 30 % of 2 x 3125, on the way up
        QCOMPARE(valueAt(*s, 0x4D00F700) >> 3 & 1, 1u);
        QCOMPARE(valueAt(*run(with_(demo(), "gate-bridge", {{"trigger_at", "10 us"}})), 0x4D00F734), 1500u);
        QCOMPARE(valueAt(*run(demo()), 0x4D00F700) >> 3 & 1, 0u);
        QVERIFY(hasFinding(*run(with_(demo(), "gate-bridge", {{"trigger_at", "60 %"}})), "GOAL-01",
                           "gate-bridge")); // it counts down there
        QVERIFY(hasFinding(*run(with_(demo(), "beacon", {{"trigger_at", "30 %"}})), "GOAL-01", "beacon"));
    }

    void levelsAndAngles()
    {
        const auto s = run(with_(
            demo(), "beacon",
            {{"frequency", "50 Hz"}, {"duty1", "1.2 V"}, {"travel", "180"}, {"narrow", "600 us"}, {"wide", "2.4 ms"}}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const BoundNeed& bound = s->bindings.needs[needIndex(s->plan, "beacon")];
        const std::uint32_t base = s->device->instances[bound.instance].base,
                            compareAt = base + 0x0C + 4 * std::uint32_t(bound.seats[0].channel - 1);
        const std::uint32_t top = valueAt(*s, base + 8) + 1;
        const double supply = s->rates.supply.toDouble();
        QVERIFY(std::abs(double(valueAt(*s, compareAt)) / top - 1.2 / supply) <= 0.5 / top);
        const Compiled code(*s);
        const Chip chip(*s->device);
        const auto angle = code.find<void(uint32_t)>("sluice_beacon_set_millidegrees1"),
                   level = code.find<void(uint32_t)>("sluice_beacon_set_millivolts1");
        for (const std::uint32_t millidegrees : {0u, 1u, 45'000u, 90'000u, 179'999u, 180'000u, 4'000'000'000u}) {
            angle(millidegrees);
            const double pulse = 600e-6 + 1800e-6 * std::min(millidegrees, 180'000u) / 180'000.0;
            QVERIFY(std::abs(Chip::at(compareAt) - pulse * 50 * top) <= 0.51);
        }
        for (const std::uint32_t millivolts : {0u, 1u, 1200u, 3299u, 4'000'000'000u}) {
            level(millivolts);
            QVERIFY(std::abs(Chip::at(compareAt) - std::min(millivolts / 1000.0 / supply, 1.0) * top) <= 0.51);
        }
        QVERIFY(hasFinding(*run(with_(demo(), "beacon", {{"duty1", "5 V"}})), "GOAL-01", "beacon"));
        QVERIFY(hasFinding(*run(with_(demo(), "beacon", {{"travel", "180"}, {"wide", "6 ms"}})), "GOAL-01", "beacon"));
        QVERIFY(
            hasFinding(*run(with_(demo(), "beacon", {{"frequency", "50 Hz"}, {"travel", "180"}, {"wide", "900 us"}})),
                       "GOAL-01", "beacon"));
    }
};

BINDREL_TEST(PwmRunTest)
#include "pwm_run_test.moc"
