// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/modes.h"
#include "core/kinds/common/division.h"
#include "core/quantity/format.h"
#include "tests/support/rehearse.h"

#include <QtTest>

#include <cmath>
#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Prescalers, reloads, sample times: what is chosen against plain enumeration of all that the registers can hold,
/// written down from the pages of each family.
class DivisionTest : public QObject {
    Q_OBJECT

    /// A divider chain as the data sheet has it.
    struct Chain {
        std::vector<double> prescalers;
        double mostCounts = 65536;
    };
    static std::vector<double> upTo(int last)
    {
        std::vector<double> out;
        for (int i = 1; i <= last; ++i)
            out.push_back(i);
        return out;
    }
    static std::uint32_t word(const Snapshot& s, std::uint32_t address)
    {
        for (const RegisterValue& value : s.image.registers)
            if (s.device->addressOf(value.instance, value.reg) == address)
                return value.value;
        return 0xDEADBEEF;
    }
    static const Setting& settingOf(const Snapshot& s, const char* need) { return s.settings[needIndex(s.plan, need)]; }
    static const Achieved* rowOf(const Setting& setting, const std::string& title)
    {
        for (const Achieved& row : setting.achieved)
            if (row.title == title)
                return &row;
        return nullptr;
    }
    static double toNumber(const std::string& text) { return std::stod(text); }

private Q_SLOTS:
    void intervals_data()
    {
        QTest::addColumn<QString>("plan");
        QTest::newRow("sedge") << "sluice-node-c-done";
        QTest::newRow("moss") << "rain-post-b-done";
        QTest::newRow("alder") << "pump-hall-a-done";
        QTest::newRow("rill") << "ditch-meter-d-done";
    }
    /// The time that the registers mean is the one that is told, and none of all settings comes nearer.
    void intervals()
    {
        QFETCH(QString, plan);
        const std::string name = plan.toStdString();
        struct Family {
            double clock;
            Chain chain;
            std::function<double(const Snapshot&)> cycles; ///< as the registers mean
        };
        const std::map<std::string, Family> families{
            {"sluice-node-c-done",
             {75e6,
              {upTo(65536), 65536},
              [](const Snapshot& s) { return (word(s, 0x4D010404) + 1.0) * (word(s, 0x4D010408) + 1.0); }}},
            {"rain-post-b-done",
             {0,
              {{1, 2, 4, 8, 16, 32, 64, 128}, 65536},
              [](const Snapshot& s) {
                  return double(1u << (word(s, 0x48000700) >> 4 & 7)) * (word(s, 0x48000704) + 1.0);
              }}},
            {"pump-hall-a-done",
             {140e6,
              {upTo(65536), 4294967296.0},
              [](const Snapshot& s) { return (word(s, 0x4700D204) + 1.0) * (word(s, 0x4700D208) + 1.0); }}},
            {"ditch-meter-d-done",
             {48e6,
              {{1, 4, 16, 64, 256, 1024}, 65536},
              [](const Snapshot& s) {
                  static const double scales[] = {1, 4, 16, 64, 256, 1024};
                  return scales[word(s, 0x7C012000) >> 8 & 15] * (word(s, 0x7C012004) + 1.0);
              }}},
        };
        const Family& family = families.at(name);
        const LoadedPlan work = demo(name);
        std::mt19937 random(seeded(11));
        for (int i = 0; i < 25; ++i) {
            // From microseconds to minutes, on odd numbers too.
            const double seconds = std::pow(10.0, std::uniform_real_distribution<double>(-5.5, 1.5)(random));
            const std::string text = fmt::format("{} ns", std::llround(seconds * 1e9));
            const auto s = run(with(work, SetGoal{"tick", "period", text}));
            const Setting& setting = settingOf(*s, "tick");
            const double clock = family.clock > 0 ? family.clock : s->rates.clocks[setting.kernel].rate.toDouble();
            const double wanted = double(std::llround(seconds * 1e9)) / 1e9 * clock;
            if (!setting.computed) {
                QVERIFY2(wanted < 2, text.c_str());
                continue;
            }
            double best = 1e300;
            for (const double prescaler : family.chain.prescalers)
                for (const double count : {std::floor(wanted / prescaler), std::ceil(wanted / prescaler)}) {
                    const double possible = std::clamp(count, 2.0, family.chain.mostCounts);
                    best = std::min(best, std::abs(possible * prescaler - wanted));
                }
            const double got = family.cycles(*s);
            QVERIFY2(std::abs(got - wanted) <= best + 1e-6 * wanted * 1e-6,
                     fmt::format("{}: {} cycles for {}, {} off; {} can be had", text, got, wanted,
                                 std::abs(got - wanted), best)
                         .c_str());
            // What is told is what the registers mean, and a miss is a finding.
            QVERIFY(std::abs(setting.goal("period")->error->toDouble() - (got / wanted - 1) * 1e6) < 1);
            QCOMPARE(hasFinding(*s, "GOAL-01", "tick"),
                     std::abs(got / wanted - 1) > 0.01 || rowOf(setting, "Interrupt load")->ok == false);
        }
    }

    /// A timer that counts another's periods: times that one cannot reach, exact; each register read with the data
    /// sheet beside it.
    void chains()
    {
        const auto withTick = [](const char* plan, const char* id, const char* instance, const char* period,
                                 const char* counts) {
            LoadedPlan work = demo(plan);
            Need need;
            need.id = id;
            need.title = id;
            need.kind = "interval";
            need.goals = {{"period", period}, {"counts", counts}};
            need.binding.instance = instance;
            work.plan.needs.push_back(need);
            return work;
        };
        // Sedge: the tick is on TIMER1, TIMER2 is busy: the encoder goes. 75 MHz, PRE and TOP less one, what is counted
        // in bits 18:16.
        LoadedPlan slow = withTick("sluice-node-c-done", "hourly", "TIMER2", "3600 s", "tick");
        slow = with(slow, RemoveNeed{"gate-encoder"});
        const auto s = run(slow);
        const Setting& hourly = settingOf(*s, "hourly");
        QVERIFY2(hourly.computed, hourly.notComputed.c_str());
        const int timer2 = s->device->findInstance("TIMER2"), timer1 = s->device->findInstance("TIMER1");
        const auto at = [&](int instance, const char* reg) {
            const Block& block = s->device->blockOf(instance);
            for (const RegisterIndex r : block.registers.indices())
                if (block.registers[r].name == reg)
                    return word(*s, s->device->addressOf(instance, r));
            return 0u;
        };
        QCOMPARE(at(timer2, "CTL") >> 16 & 7, 2u);
        const double tick = (at(timer1, "PRE") + 1.0) * (at(timer1, "TOP") + 1.0) / 75e6;
        QCOMPARE(tick, 0.25);
        QCOMPARE((at(timer2, "PRE") + 1.0) * (at(timer2, "TOP") + 1.0) * tick, 3600.0);
        QVERIFY2(rehearsed(*s).empty(), rehearsed(*s).c_str());
        // It is as accurate as what it counts, and wakes from nothing that stops that.
        const NeedIndex index = size_t(needIndex(s->plan, "hourly"));
        QVERIFY(s->accuracy[index].given == s->accuracy[needIndex(s->plan, "tick")].given);
        const LowPowerMode& stop = s->device->modes.back();
        const std::vector<NeedIndex> working = modeState(*s->device, s->plan, s->bindings, s->rates, stop).working;
        QVERIFY(std::find(working.begin(), working.end(), int(index)) == working.end());

        // Alder: who is counted hands its periods on; a week by two steps of a chain.
        LoadedPlan week = withTick("pump-hall-a-done", "minute", "TIK5", "60 s", "control-tick");
        week.plan.needs.push_back(week.plan.needs.back());
        week.plan.needs.back().id = week.plan.needs.back().title = "week";
        week.plan.needs.back().goals = {{"period", "604800 s"}, {"counts", "minute"}};
        week.plan.needs.back().binding.instance = "TIK6";
        const std::string control = [&] {
            for (const Need& need : week.plan.needs)
                if (need.kind == "interval" && need.binding.instance == "TIK0")
                    return need.id;
            return std::string();
        }();
        week.plan.need("minute")->goals.state("counts", control);
        const auto a = run(week);
        QVERIFY2(settingOf(*a, "week").computed, settingOf(*a, "week").notComputed.c_str());
        QVERIFY(settingOf(*a, "week").goal("period")->error->value.isZero());
        for (const auto& [instance, hands, of] : {std::tuple("TIK0", 1u, 0u), {"TIK5", 1u, 3u}, {"TIK6", 0u, 8u}}) {
            const FieldRef mode = *a->device->findField(std::string(instance) + ".MODE.HANDS"),
                           counted = *a->device->findField(std::string(instance) + ".MODE.OF");
            QCOMPARE(a->image.codeOf(*a->device, mode), hands);
            QCOMPARE(a->image.codeOf(*a->device, counted), of);
        }
        QVERIFY2(rehearsed(*a).empty(), rehearsed(*a).c_str());

        // What cannot be is told: itself, a circle, nobody, what has no periods, a timer that is not led there.
        const auto refused = [&](const LoadedPlan& work, const char* words) {
            const auto r = run(work);
            const Setting& setting = settingOf(*r, "hourly");
            return !setting.computed && setting.notComputed.find(words) != std::string::npos &&
                   hasFinding(*r, "GOAL-02", "hourly");
        };
        QVERIFY(refused(with(slow, SetGoal{"hourly", "counts", "hourly"}), "its own"));
        QVERIFY(refused(with(slow, SetGoal{"tick", "counts", "hourly"}), "its own"));
        QVERIFY(refused(with(slow, SetGoal{"hourly", "counts", "tock"}), "tick"));
        QVERIFY(refused(with(slow, SetGoal{"hourly", "counts", "uplink"}), "no periods"));
        QVERIFY(refused(with(slow, SetGoal{"hourly", "counts", "watchdog"}), "no periods"));
    }

    void watchdogs_data() { intervals_data(); }
    /// Never too early with the fastest clock, and no shorter period would do.
    void watchdogs()
    {
        QFETCH(QString, plan);
        struct Family {
            double fastest;
            Chain chain;
            std::vector<double> counts; ///< empty: all up to the chain's most
            std::function<double(const Snapshot&)> cycles;
        };
        static const double sedge[] = {6, 24, 96, 384, 1536}, moss[] = {64, 512, 2048, 8192, 32768, 131072, 524288},
                            alder[] = {7, 28, 112, 448, 1792},
                            rill[] = {256, 1024, 4096, 16384, 65536, 262144, 1048576};
        const std::map<std::string, Family> families{
            {"sluice-node-c-done",
             {36e3 * 1.05,
              {{6, 24, 96, 384, 1536}, 1024},
              {},
              [](const Snapshot& s) { return sedge[word(s, 0x4D016C00) >> 4 & 7] * (word(s, 0x4D016C04) + 1.0); }}},
            {"rain-post-b-done",
             {9e3 * 1.22,
              {{1}, 1},
              {std::begin(moss), std::end(moss)},
              [](const Snapshot& s) { return moss[word(s, 0x48000A80) >> 4 & 7]; }}},
            {"pump-hall-a-done",
             {30e3 * 1.06,
              {{7, 28, 112, 448, 1792}, 16384},
              {},
              [](const Snapshot& s) { return alder[word(s, 0x47016C00) & 7] * (word(s, 0x47016C04) + 1.0); }}},
            {"ditch-meter-d-done",
             {32e3 * 1.04,
              {{1}, 1},
              {std::begin(rill), std::end(rill)},
              [](const Snapshot& s) { return rill[word(s, 0x7C018000) & 15]; }}},
        };
        const Family& family = families.at(plan.toStdString());
        const LoadedPlan work = demo(plan.toStdString());
        std::mt19937 random(seeded(5));
        for (int i = 0; i < 25; ++i) {
            const double seconds = std::pow(10.0, std::uniform_real_distribution<double>(-3, 2.2)(random));
            const auto s =
                run(with(work, SetGoal{"watchdog", "period", fmt::format("{} us", std::llround(seconds * 1e6))}));
            const double least = double(std::llround(seconds * 1e6)) / 1e6 * family.fastest;
            double best = 1e300;
            for (const double prescaler : family.chain.prescalers) {
                for (const double count : family.counts)
                    if (count * prescaler >= least - 1e-9)
                        best = std::min(best, count * prescaler);
                if (const double count = std::max(1.0, std::ceil(least / prescaler - 1e-12));
                    family.counts.empty() && count <= family.chain.mostCounts)
                    best = std::min(best, count * prescaler);
            }
            if (best > 1e299) {
                QVERIFY2(hasFinding(*s, "GOAL-01", "watchdog"),
                         fmt::format("{} s is out of reach, and nothing is said", seconds).c_str());
                continue;
            }
            QVERIFY2(!hasFinding(*s, "GOAL-01", "watchdog"), findingsText(*s).c_str());
            const double got = family.cycles(*s);
            QVERIFY2(std::abs(got - best) <= 1e-9 * best,
                     fmt::format("{} s: {} cycles; {} would do", seconds, got, best).c_str());
        }
    }

    void windows_data() { intervals_data(); }
    /// The closed part is the largest that is no more than asked for, in sixteenths of the period.
    void windows()
    {
        QFETCH(QString, plan);
        const std::map<std::string, std::vector<int>> possible{
            {"sluice-node-c-done", {3, 6, 10}},
            {"rain-post-b-done", {5, 8, 11}},
            {"pump-hall-a-done", {}},
            {"ditch-meter-d-done", {1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15}}};
        for (const int percent : {0, 5, 10, 20, 33, 50, 66, 90, 100}) {
            const auto s =
                run(with(demo(plan.toStdString()), SetGoal{"watchdog", "window", fmt::format("{} %", percent)}));
            int best = 0;
            for (const int parts : possible.at(plan.toStdString()))
                if (parts * 100 <= percent * 16)
                    best = parts;
            const Setting& setting = settingOf(*s, "watchdog");
            QCOMPARE(setting.role("window").value_or(0), std::int64_t(best));
            if (best == 0)
                QCOMPARE(hasFinding(*s, "GOAL-01", "watchdog"), percent > 0);
        }
    }

    /// Where reset starts a watchdog that can be stopped, "off" stops it; where it cannot run before, nothing is to be
    /// done.
    void watchdogsThatAreOff()
    {
        for (const char* plan : {"rain-post-b-done", "sluice-node-c-done"}) {
            const auto s = run(with(demo(plan), SetGoal{"watchdog", "runs", "no"}));
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        }
        const auto rain = run(with(demo("rain-post-b-done"), SetGoal{"watchdog", "runs", "no"}));
        QCOMPARE(word(*rain, 0x48000A80) & 1, 0u);
    }

    /// e^(-t / RC) <= 2^-(N + 1), in floating point against the exact choice: the shortest sample time that the
    /// register has.
    void sampleTimes()
    {
        struct Case {
            const char* plan;
            const char* need;
            double clock, farads, ohms;
            int bits;
            std::vector<double> cycles;
        };
        const Case cases[] = {
            {"sluice-node-c-done", "supply-sense", 37.5e6, 3.9e-12, 1300, 12, {2, 4, 8, 16, 32, 64, 160, 640}},
            {"pump-hall-a-done", "level", 14e6, 4.2e-12, 700, 12, {3, 7, 14, 28, 56, 112, 224, 448}},
            {"ditch-meter-d-done", "supply-sense", 12e6, 3.6e-12, 1200, 12, {3, 6, 12, 24, 48, 96, 192, 384}}};
        for (const Case& c : cases)
            for (const int ohms : {0, 50, 1000, 4700, 22'000, 100'000, 470'000, 5'000'000}) {
                const auto s = run(with(demo(c.plan), SetGoal{c.need, "source", std::to_string(ohms)}));
                const double needed = std::log(std::pow(2.0, c.bits + 1)) * (ohms + c.ohms) * c.farads * c.clock;
                double best = 0;
                for (const double cycles : c.cycles)
                    if (best == 0 && cycles >= needed)
                        best = cycles;
                const Setting& setting = settingOf(*s, c.need);
                const Achieved* row = rowOf(setting, "Sample time");
                QVERIFY(row);
                QCOMPARE(row->ok, best > 0);
                QCOMPARE(hasFinding(*s, "GOAL-01", c.need), best == 0);
                double got = 0;
                for (const RoleValue& value : setting.roles)
                    if (value.role.starts_with("sample"))
                        got = double(value.value);
                QCOMPARE(got, best > 0 ? best : c.cycles.back());
            }
    }

    /// Exactly 1 Hz from the watch crystal; a clock that cannot give it is told of.
    void clocksOfTheDay()
    {
        const auto sedge = run(demo());
        QCOMPARE(((word(*sedge, 0x4D015F04) & 63) + 1) * ((word(*sedge, 0x4D015F18) & 0xFFF) + 1), 32768u);
        const auto alder = run(demo("pump-hall-a-done"));
        QCOMPARE(((word(*alder, 0x47016504) & 15) + 1) * ((word(*alder, 0x47016504) >> 4 & 0xFFF) + 1), 32768u);
        const auto rill = run(demo("ditch-meter-d-done"));
        QCOMPARE((word(*rill, 0x7C017404) & 0xFFFF) + 1, 32768u);
        const auto odd = run(with(demo(), SetGoal{"clock", "rate", "7 Hz"}));
        QVERIFY(hasFinding(*odd, "GOAL-01", "clock"));
    }

    /// The coarsest tick that is fine enough, and how far the counter then reaches.
    void timeStamps()
    {
        const double scales[] = {1, 4, 16, 64, 256, 1024};
        for (const char* resolution : {"20 ns", "100 ns", "1 us", "3 us", "50 us", "1 ms"}) {
            const auto s = run(with(demo("ditch-meter-d-done"), SetGoal{"paddle", "resolution", resolution}));
            const Setting& setting = settingOf(*s, "paddle");
            const double asked =
                toNumber(resolution) * (std::string(resolution).find("ns") != std::string::npos   ? 1e-9
                                        : std::string(resolution).find("us") != std::string::npos ? 1e-6
                                                                                                  : 1e-3);
            double best = scales[0];
            for (const double scale : scales)
                if (scale / 48e6 <= asked)
                    best = scale;
            QCOMPARE(double(*setting.role("prescaler")), best);
            QCOMPARE(rowOf(setting, "Resolution")->ok, best / 48e6 <= asked);
            QCOMPARE(rowOf(setting, "Longest interval")->ok, best / 48e6 * 65535 >= 0.05);
        }
    }

    /// A duty that is stated as a time: the nearest tick, whatever the frequency becomes.
    void pulses()
    {
        for (const char* pulse : {"0 s", "1.5 us", "10 us", "20.833 us", "41 us"}) {
            const auto s = run(with(demo(), SetGoal{"gate-bridge", "duty1", pulse}));
            const Setting& setting = settingOf(*s, "gate-bridge");
            const double asked = toNumber(pulse) * (std::string(pulse).find("us") != std::string::npos ? 1e-6 : 1);
            const int channel = s->bindings.needs[needIndex(s->plan, "gate-bridge")].seats.front().channel;
            // Centre aligned at 150 MHz: the pulse is twice the compare value.
            const double got = 2 * double(*setting.role("compare" + std::to_string(channel))) *
                               double(*setting.role("prescaler")) / 150e6;
            QVERIFY2(std::abs(got - asked) <= double(*setting.role("prescaler")) / 150e6 + 1e-12, pulse);
        }
        const auto longer = run(with(demo(), SetGoal{"gate-bridge", "duty1", "60 us"}));
        QVERIFY(hasFinding(*longer, "GOAL-01", "gate-bridge"));
        QVERIFY(!applied(demo().plan, editOf("x", SetGoal{"gate-bridge", "duty1", "120 %"})));
        QVERIFY(!applied(demo().plan, editOf("x", SetGoal{"gate-bridge", "duty1", "3 kHz"})));
    }

    void otherGoalsComeUp_data() { intervals_data(); }
    /// Random goals of all kinds: either a finding says what cannot be, or the chip comes up with what is told, in the
    /// planned operations and in machine code.
    void otherGoalsComeUp()
    {
        QFETCH(QString, plan);
        const LoadedPlan work = demo(plan.toStdString());
        std::mt19937 random(seeded(3));
        const int rounds = qEnvironmentVariableIsSet("BINDREL_LONG") ? qEnvironmentVariableIntValue("BINDREL_LONG") : 6;
        int clean = 0;
        for (int round = 0; round < rounds; ++round) {
            LoadedPlan other = work;
            std::string goals;
            for (const Need& need : work.plan.needs) {
                const KindSpec& kind = *findKind(need.kind);
                for (const GoalSpec& goal : kind.goals) {
                    if (random() % 3 != 0 || kind.instanceGoal == goal.id)
                        continue;
                    std::string value;
                    const double scale = std::pow(10.0, std::uniform_real_distribution<double>(-1, 1)(random));
                    switch (goal.type) {
                    case GoalSpec::Type::Choice:
                        value = goal.choices[random() % goal.choices.size()];
                        break;
                    case GoalSpec::Type::Integer:
                        value = goal.id == "priority"
                                    ? std::to_string(random() % 5)
                                    : std::to_string(std::clamp<long>(
                                          std::lround(std::stod(goalText(need, goal.id)) * scale), goal.min, goal.max));
                        break;
                    case GoalSpec::Type::Duration:
                        value = exactText(
                            Duration(goalTime(need, goal.id).value * Rational(std::llround(scale * 100), 100)));
                        break;
                    case GoalSpec::Type::Frequency:
                    case GoalSpec::Type::Baud:
                    case GoalSpec::Type::BitRate:
                        value = exactText(
                            Frequency(goalRate(need, goal.id).value * Rational(std::llround(scale * 100), 100)));
                        break;
                    case GoalSpec::Type::Ratio:
                        value = fmt::format("{} %", random() % 101);
                        break;
                    default:
                        continue;
                    }
                    // What takes other pads is another plan.
                    LoadedPlan tried = other;
                    if (Expected<Plan> set = applied(tried.plan, editOf("test", SetGoal{need.id, goal.id, value})))
                        tried.plan = *std::move(set);
                    else
                        continue;
                    const auto s = run(tried);
                    const bool bound = s->bindings.needs[needIndex(s->plan, need.id)].state == BoundNeed::State::Bound;
                    if (bound && std::none_of(s->findings.begin(), s->findings.end(), [](const Finding& finding) {
                            return finding.severity == Finding::Severity::Error;
                        })) {
                        other = tried;
                        goals += fmt::format("{} {} {}; ", need.id, goal.id, value);
                    }
                }
            }
            const auto s = run(other);
            ++clean;
            for (const Scenario& scenario : {Scenario{}, Scenario{Scenario::Kind::Restart, -1, {}, -1}})
                if (const std::string hazards = hazardsText(rehearsePlanned(s->facts(), scenario)); !hazards.empty())
                    QFAIL((goals + hazards).c_str());
            if (round < 2)
                if (const std::string hazards = rehearsed(*s); !hazards.empty())
                    QFAIL((goals + hazards).c_str());
        }
        QCOMPARE(clean, rounds);
    }
};

BINDREL_TEST(DivisionTest)
#include "division_test.moc"
