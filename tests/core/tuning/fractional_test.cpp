// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/one_need.h"
#include "core/tuning/setting.h"
#include "tests/support/fixtures.h"

#include <cmath>
#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Clocks of a fractional PLL have denominators of thousands, and tolerances are fractions again: products of rates, times, ohms and farads leave 64
/// bits. What is chosen then is held against floating point of 64 bits' mantissa, which knows nothing of fractions.
class FractionalTest : public QObject {
    Q_OBJECT

    using Real = long double;
    static Real real(const Rational& value)
    {
        // Through its text: num and den may be wider than any integer type that the oracle has.
        const std::string text = value.text();
        const size_t slash = text.find('/');
        return std::strtold(text.c_str(), nullptr) / (slash == std::string::npos ? 1.0L : std::strtold(text.c_str() + slash + 1, nullptr));
    }
    static int rounds() { return 300 * std::max(1, qEnvironmentVariableIntValue("BINDREL_LONG")); }

    /// The plan's rates, with the clock of one need at a rate of a fractional PLL's and a tolerance to match.
    static Rates odd(const Rates& rates, ClockIndex kernel, std::mt19937& random)
    {
        static const std::int64_t denominators[] = {1, 3, 7, 1000, 4096, 4096 * 27, 999'983, 16'777'213};
        Rates out = rates;
        ClockState& clock = out.clocks[size_t(kernel)];
        const std::int64_t den = denominators[random() % std::size(denominators)];
        clock.rate = Frequency(Rational(INT64_C(1'000'000) * (1 + std::int64_t(random() % 150)) * den + std::int64_t(random() % 1'000'000), den));
        clock.tolerance.high = Ppm(Rational(std::int64_t(random() % 30'000'000), 1'000 + std::int64_t(random() % 3'000)));
        clock.tolerance.low = Ppm(-clock.tolerance.high.value);
        return out;
    }
    static const Need* needOf(const Snapshot& s, const std::string& kind)
    {
        for (size_t n = 0; n < s.plan.needs.size(); ++n)
            if (s.plan.needs[n].kind == kind && s.bindings.needs[n].instance >= 0)
                return &s.plan.needs[n];
        return nullptr;
    }
    static Setting settingFor(const Snapshot& s, const std::string& id, std::mt19937& random, Real* fastest, Real* nominal)
    {
        const int n = needIndex(s.plan, id);
        const ClockIndex kernel = s.device->instances[size_t(s.bindings.needs[size_t(n)].instance)].kernel;
        const Rates rates = odd(s.rates, kernel, random);
        const ClockState& clock = rates.clocks[size_t(kernel)];
        *nominal = real(clock.rate.value);
        *fastest = *nominal * (1 + real(clock.tolerance.high.value) / 1e6L);
        return tuneNeed(*s.device, s.plan, s.bindings, rates, n);
    }

private Q_SLOTS:
    void aSampleTimeIsLongEnough()
    {
        std::mt19937 random(seeded(3));
        int checked = 0;
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            const auto planned = run(demo(plan));
            const Need* need = needOf(*planned, "adc");
            if (!need)
                continue;
            const std::string id = need->id;
            for (int round = 0; round < rounds(); ++round) {
                const long ohms = 10 + long(random() % 100'000), bits = 8 + long(random() % 5);
                const auto s = run(with(with(demo(plan), SetGoal{id, "source", std::to_string(ohms)}), SetGoal{id, "resolution", std::to_string(bits)}));
                Real fastest = 0, nominal = 0;
                const Setting setting = settingFor(*s, id, random, &fastest, &nominal);
                const InstanceIndex instance = s->bindings.needs[size_t(needIndex(s->plan, id))].instance;
                const Real farads = Real(s->device->ability(instance, "sample_femtofarads", 0)) * 1e-15L, own = Real(s->device->ability(instance, "sample_ohms", 0));
                std::int64_t sample = -1;
                bool ok = setting.computed;
                for (const RoleValue& value : setting.roles)
                    if (value.role.starts_with("sample"))
                        sample = sample < 0 ? value.value : std::min(sample, value.value);
                for (const Achieved& row : setting.achieved)
                    ok = ok && (row.goal != "source" || row.ok);
                if (!ok || sample < 0 || farads == 0)
                    continue;
                const std::int64_t used = bits;
                const Real needed = std::log(2.0L) * Real(used + 1) * (Real(ohms) + own) * farads * fastest;
                QVERIFY2(Real(sample) >= needed, qPrintable(QString("%1: %2 cycles of %3 for %4 ohms at %5 bits").arg(plan).arg(sample).arg(double(needed)).arg(ohms).arg(used)));
                ++checked;
            }
        }
        QVERIFY(checked > 200);
    }

    void aBusIsNeverFasterThanAsked()
    {
        std::mt19937 random(seeded(4));
        int checked = 0;
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"}) {
            const auto planned = run(demo(plan));
            const Need* need = needOf(*planned, "i2c");
            if (!need)
                continue;
            const std::string id = need->id;
            for (int round = 0; round < rounds(); ++round) {
                const int khz = 20 + int(random() % 380);
                const auto s = run(with(demo(plan), SetGoal{id, "rate", std::to_string(khz) + " kHz"}));
                Real fastest = 0, nominal = 0;
                const Setting setting = settingFor(*s, id, random, &fastest, &nominal);
                bool ok = setting.computed;
                for (const Achieved& row : setting.achieved)
                    ok = ok && row.ok;
                if (!ok || !setting.role("low") || !setting.role("high"))
                    continue;
                // What is certain: the two phases alone, without what the wires add, are no shorter than a period less rise, fall and filter.
                const Real cycles = Real(setting.role("prescaler").value_or(1)) * Real(*setting.role("low") + *setting.role("high")), spare = (300e-9L + 1000e-9L) + Real(setting.role("filter").value_or(0) + 8) / fastest;
                QVERIFY2(cycles / fastest + spare >= 0.999L / (Real(khz) * 1000), qPrintable(QString("%1: %2 kHz").arg(plan).arg(khz)));
                ++checked;
            }
        }
        QVERIFY(checked > 100);
    }

    void anOutputCanBeOnAllTheTimeAndDeadTimesHold()
    {
        std::mt19937 random(seeded(5));
        int checked = 0;
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"}) {
            const auto planned = run(demo(plan));
            for (const Need& need : planned->plan.needs) {
                if (need.kind != "pwm" || planned->bindings.needs[size_t(needIndex(planned->plan, need.id))].instance < 0)
                    continue;
                for (int round = 0; round < rounds() / 3; ++round) {
                    const long centihertz = 10 + long(random() % 10) * (random() % 2 ? 1 : 40'000);
                    Workpiece work = with(demo(plan), SetGoal{need.id, "frequency", std::to_string(centihertz / 100) + "." + std::to_string(centihertz % 100 + 100).substr(1) + " Hz"});
                    const long nanoseconds = 100 + long(random() % 2000);
                    const bool pairs = findKind("pwm")->goal("dead") && matters(need, "dead");
                    if (pairs)
                        work = with(work, SetGoal{need.id, "dead", std::to_string(nanoseconds) + " ns"});
                    const auto s = run(work);
                    Real fastest = 0, nominal = 0;
                    const Setting setting = settingFor(*s, need.id, random, &fastest, &nominal);
                    if (!setting.computed || !setting.role("period"))
                        continue;
                    const InstanceIndex instance = s->bindings.needs[size_t(needIndex(s->plan, need.id))].instance;
                    for (const RoleValue& value : setting.roles)
                        if (value.role.starts_with("compare")) {
                            const FieldRef field = s->device->roleField(instance, value.role);
                            const Encoding& encoding = s->device->blockOf(instance).role(value.role)->encoding;
                            QVERIFY2(encoding.encode(*setting.role("period")).value_or(UINT32_MAX) <= s->device->fieldOf(field).maxCode(), qPrintable(QString("%1, %2: a period of %3 cannot be a duty").arg(plan, value.role.c_str()).arg(*setting.role("period"))));
                            ++checked;
                        }
                    bool deadOk = pairs;
                    for (const Achieved& row : setting.achieved)
                        deadOk = deadOk && (row.goal != "dead" || row.ok);
                    if (deadOk && setting.role("dead_time"))
                        QVERIFY2(Real(*setting.role("dead_time")) >= Real(nanoseconds) * 1e-9L * fastest, qPrintable(QString("%1: %2 ns").arg(plan).arg(nanoseconds)));
                }
            }
        }
        QVERIFY(checked > 100);
    }
};

BINDREL_TEST(FractionalTest)
#include "fractional_test.moc"
