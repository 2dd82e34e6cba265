// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/alternatives.h"
#include "core/kinds/can/can_timing.h"
#include "core/kinds/i2c/i2c.h"
#include "core/tuning/pads.h"
#include "tests/support/fixtures.h"

#include <random>
#include <tuple>

using namespace bindrel;
using namespace bindrel::test;

/// Fields that a person sets by hand: the arithmetic finds the rest for the goals, as plain enumeration does.
class ByHandTest : public QObject {
    Q_OBJECT

    static std::string needOf(const LoadedPlan& work, const char* kind)
    {
        for (const Need& need : work.plan.needs)
            if (need.kind == kind)
                return need.id;
        return {};
    }
    static Rational number(const Snapshot& s, NeedIndex need, const char* role)
    {
        return Rational(s.settings[need].role(role).value_or(1));
    }

private Q_SLOTS:
    /// Each split of a bit that the fields can hold and that is as some of them say; the best by rate and sample point
    /// is what is found first, and nothing else that is found contradicts what is said.
    void canAgainstEveryTiming()
    {
        std::mt19937 random(seeded(361));
        const auto upTo = [&random](std::int64_t most) { return std::int64_t(random() % std::uint64_t(most + 1)); };
        int found = 0, none = 0;
        for (int round = 0; round < (qEnvironmentVariableIsSet("BINDREL_LONG") ? 4000 : 400); ++round) {
            CanFields f{1 + upTo(11), random() % 2 ? 1 + upTo(5) : 0, 3 + upTo(11), 2 + upTo(6), 1 + upTo(3)};
            const bool apart = f.propagation > 0;
            const Frequency kernel(Rational(std::int64_t(4'000'000 + upTo(40'000'000)), 1 + upTo(2)));
            const CanWish wish{Frequency(Rational(50'000 + upTo(950'000))), Ratio(Rational(60 + upTo(30), 100)),
                               upTo(2)};
            if (random() % 3)
                f.only.prescaler = 1 + upTo(f.prescaler - 1);
            if (random() % 3 == 0)
                f.only.segment2 = 2 + upTo(f.segment2 - 2);
            if (random() % 4 == 0)
                f.only.segment1 = 1 + upTo((apart ? f.segment1 : f.propagation + f.segment1) - 1);
            if (apart && random() % 4 == 0)
                f.only.propagation = 1 + upTo(f.propagation - 1);
            if (random() % 4 == 0)
                f.only.jump = 1 + upTo(f.jump - 1);
            const auto asked = [](const std::optional<std::int64_t>& only, std::int64_t value) {
                return !only || *only == value;
            };
            // The counts of quanta that the rate lies between, as the arithmetic looks at.
            std::optional<std::pair<Rational, Rational>> best;
            for (std::int64_t pre = 1; pre <= f.prescaler; ++pre)
                for (std::int64_t before = 2; before <= f.propagation + f.segment1; ++before)
                    for (std::int64_t second = 2; second <= f.segment2; ++second) {
                        const std::int64_t quanta = 1 + before + second;
                        const Rational ideal = kernel.value / Rational(pre) / wish.rate.value;
                        if (quanta < 8 || (quanta != ideal.floor() && quanta != ideal.ceil()) ||
                            !asked(f.only.prescaler, pre) || !asked(f.only.segment2, second))
                            continue;
                        bool possible = false;
                        for (std::int64_t prop = apart ? 1 : 0; prop < before; ++prop)
                            for (std::int64_t jump = 1; jump <= f.jump; ++jump) {
                                const std::int64_t first = before - prop;
                                const bool held = apart ? first <= f.segment1 && prop <= f.propagation &&
                                                              asked(f.only.segment1, first) &&
                                                              asked(f.only.propagation, prop)
                                                        : before <= f.segment1 && asked(f.only.segment1, before);
                                possible =
                                    possible || (held && first >= 1 && prop >= 1 && jump <= std::min(first, second) &&
                                                 (wish.jump == 0 || wish.jump == jump) && asked(f.only.jump, jump));
                            }
                        if (!possible)
                            continue;
                        const Rational rate = kernel.value / Rational(pre * quanta);
                        const std::pair rank(errorOf(Frequency(rate), wish.rate).value.abs(),
                                             (Rational(quanta - second, quanta) - wish.samplePoint.value).abs());
                        if (!best || rank < *best)
                            best = rank;
                    }
            const std::vector<CanTiming> timings = canTimings(kernel, wish, f, 4);
            for (const CanTiming& t : timings) {
                QVERIFY(asked(f.only.prescaler, t.prescaler) && asked(f.only.segment2, t.segment2) &&
                        asked(f.only.jump, t.jump) && (!apart || asked(f.only.propagation, t.propagation)) &&
                        asked(f.only.segment1, apart ? t.segment1 : t.propagation + t.segment1));
                QVERIFY(t.jump <= std::min(t.segment1, t.segment2) && (wish.jump == 0 || t.jump == wish.jump));
                QVERIFY(Rational(kernel.value / Rational(t.prescaler * t.quanta())) == t.rate.value);
            }
            (timings.empty() ? none : found) += 1;
            if (timings.empty() || !best)
                continue;
            const std::pair got(timings[0].error.value.abs(),
                                (timings[0].samplePoint().value - wish.samplePoint.value).abs());
            QVERIFY2(!(best->first < got.first), qPrintable(QString("round %1: a nearer rate").arg(round)));
        }
        QVERIFY2(found > 60 && none > 10, qPrintable(QString("%1 %2").arg(found).arg(none)));
    }

    /// All phases that a person can choose: where the minima of the bus hold with them they are kept and the other
    /// phase makes up for the rate; elsewhere it is told.
    void i2cPhases()
    {
        const LoadedPlan work = demo();
        const std::string id = needOf(work, "i2c");
        const auto plain = run(work);
        const NeedIndex need = needIndex(plain->plan, id.c_str());
        const InstanceIndex instance = plain->bindings.needs[need].instance;
        const Rational kernel = plain->rates.clocks[plain->settings[need].kernel].rate.value;
        const I2cGoals goals = I2cGoals::of(plain->plan.needs[need]);
        std::mt19937 random(seeded(362));
        int kept = 0, told = 0;
        for (const char* role : {"prescaler", "low", "high"}) {
            const FieldRef ref = plain->device->roleField(instance, role);
            if (!ref.valid())
                continue;
            const std::string field = plain->device->registerOf(ref).name + "." + plain->device->fieldOf(ref).name;
            const std::uint32_t most = plain->device->fieldOf(ref).maxCode();
            for (int round = 0; round < 40; ++round) {
                const std::uint32_t code = round == 0 ? 0 : round == 1 ? most : random() % (most + 1);
                const auto s = run(with(work, SetOverride{id, field, std::to_string(code)}));
                const std::string where = fmt::format("{} = {}", field, code);
                QVERIFY2(s->image.codeOf(*s->device, ref) == code, where.c_str());
                QVERIFY2(s->settings[need].computed, where.c_str());
                const bool contradicted = hasFinding(*s, "GOAL-08", id.c_str());
                const std::optional<std::int64_t> value =
                    plain->device->blockOf(instance).role(role)->encoding.decode(code);
                if (contradicted || !value || s->settings[need].role(role) != value) {
                    QVERIFY2(contradicted || !value, where.c_str());
                    ++told;
                    continue;
                }
                ++kept;
                // UM10204: no phase below its minimum, and the clock no faster than asked for.
                const Rational tick = number(*s, need, "prescaler") / kernel;
                const Rational low = tick * number(*s, need, "low") - goals.fall.value,
                               high = tick * number(*s, need, "high");
                const std::int64_t least[]{4700, 1300, 500}; // standard, fast, fast plus; in ns
                QVERIFY2(low >= Rational(least[int(goals.speed)], 1'000'000'000), where.c_str());
                QVERIFY2(Rational(1) / (low + high + goals.rise.value) <=
                             goals.most.value * Rational(2), // what the controller adds on top only makes it slower
                         where.c_str());
                for (const Achieved& row : s->settings[need].achieved)
                    QVERIFY2(row.goal != "rate" || row.error->value <= Rational(0), where.c_str());
            }
        }
        QVERIFY2(kept > 60, qPrintable(QString("%1 %2").arg(kept).arg(told)));
    }

    /// Alternatives of both kinds are there, differ, and go from the goal's own down.
    void alternativesOfBuses()
    {
        int lists = 0;
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            const LoadedPlan work = demo(plan);
            const auto s = run(work);
            for (const NeedIndex n : work.plan.needs.indices()) {
                if (work.plan.needs[n].kind != "can" && work.plan.needs[n].kind != "i2c")
                    continue;
                const Alternatives all = alternativesOf(*s, n);
                std::set<std::vector<std::pair<std::string, std::int64_t>>> different;
                for (const Alternative& one : all.all)
                    QVERIFY2(different.insert(one.roles).second, one.choice.c_str());
                lists += all.all.size() > 1;
            }
        }
        QVERIFY(lists >= 2);
    }
};

BINDREL_TEST(ByHandTest)
#include "by_hand_test.moc"
