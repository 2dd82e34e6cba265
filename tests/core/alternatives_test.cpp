// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/alternatives.h"
#include "core/plan/plan_file.h"
#include "core/stacked_picture.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

/// What the arithmetic chose among can be chosen by a person, and is then computed like its own choice.
class AlternativesTest : public QObject {
    Q_OBJECT

    static std::vector<LoadedPlan> plans()
    {
        std::vector<LoadedPlan> out;
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"})
            out.push_back(demo(plan));
        return out;
    }
    static LoadedPlan edited(const LoadedPlan& work, const Edit& edit)
    {
        LoadedPlan out = work;
        Expected<Plan> next = applied(work.plan, edit);
        if (!next)
            qFatal("%s", next.problem().text().c_str());
        out.plan = *std::move(next);
        return out;
    }
    static long errors(const Snapshot& s)
    {
        return std::count_if(s.findings.begin(), s.findings.end(),
                             [](const Finding& finding) { return finding.severity == Finding::Severity::Error; });
    }

private Q_SLOTS:
    /// Each is computed: its result is what is achieved, its fields hold what it says, and the first gives the plan
    /// back byte for byte.
    void everyOneCanBeApplied()
    {
        int tried = 0;
        for (const LoadedPlan& work : plans()) {
            const auto s = run(work);
            for (const NeedIndex n : work.plan.needs.indices()) {
                const Alternatives all = alternativesOf(*s, n);
                if (all.all.size() < 2)
                    continue;
                QCOMPARE(all.used, 0);
                QVERIFY(!all.ranking.empty());
                for (std::size_t chosen = 1; chosen < all.all.size(); ++chosen, ++tried) {
                    const Alternative& one = all.all[chosen];
                    const LoadedPlan then = edited(work, applyAlternative(*s, n, all, chosen));
                    const auto t = run(then);
                    const std::string where = work.plan.needs[n].id + ", " + one.choice;
                    const Setting& setting = t->settings[n];
                    QVERIFY2(setting.computed, where.c_str());
                    for (const auto& [role, value] : one.roles)
                        if (const std::optional<std::int64_t> got = setting.role(role))
                            QVERIFY2(*got == value, (where + ": " + role).c_str());
                    for (const Achieved& row : setting.achieved)
                        QVERIFY2(!row.unknown, (where + ": " + row.title).c_str());
                    QVERIFY2(std::any_of(setting.achieved.begin(), setting.achieved.end(),
                                         [&one](const Achieved& row) {
                                             return row.byHand && row.achieved.starts_with(one.result);
                                         }),
                             (where + " gives " + one.result).c_str());
                    const Alternatives again = alternativesOf(*t, n);
                    QVERIFY2(again.used == int(chosen) && again.all.size() == all.all.size(), where.c_str());
                    QVERIFY(applyAlternative(*t, n, again, chosen).changes.empty());
                    const LoadedPlan back = edited(then, applyAlternative(*t, n, again, 0));
                    QVERIFY2(planText(back.plan) == planText(work.plan), where.c_str());
                }
            }
        }
        QVERIFY2(tried > 30, qPrintable(QString::number(tried)));
    }

    /// A prescaler that is set by hand leaves the counter to be found for the goal, as plain enumeration finds it.
    void theRestIsFoundForWhatIsSetByHand()
    {
        const LoadedPlan work = demo();
        const auto s = run(work);
        const NeedIndex n = std::size_t(needIndex(work.plan, "tick"));
        const InstanceIndex instance = s->bindings.needs[n].instance;
        const FieldRef ref = s->device->roleField(instance, "prescaler");
        const Role& prescaler = *s->device->blockOf(instance).role("prescaler");
        const Role& period = *s->device->blockOf(instance).role("period");
        const Rational kernel = s->rates.clocks[s->settings[n].kernel].rate.value;
        const Duration wanted = *goalAs<Duration>(work.plan.needs[n], "period");
        const std::uint32_t most = s->device->fieldOf(ref).maxCode();
        std::mt19937 random(seeded(36));
        for (int round = 0; round < 60; ++round) {
            const std::uint32_t code = random() % (std::min<std::uint32_t>(most, 40'000) + 1);
            const LoadedPlan then =
                with(work, SetOverride{"tick", s->device->registerOf(ref).name + "." + s->device->fieldOf(ref).name,
                                       std::to_string(code)});
            const auto t = run(then);
            const std::int64_t divisor = *prescaler.encoding.decode(code);
            const std::optional<std::int64_t> count = t->settings[n].role("period");
            QVERIFY(count && t->settings[n].role("prescaler") == divisor);
            const auto off = [&](std::int64_t counts) {
                return (Rational(divisor) * counts / kernel - wanted.value).abs();
            };
            const std::int64_t largest =
                period.encoding.largest(s->device->fieldOf(s->device->roleField(instance, "period")).maxCode());
            const std::int64_t ideal = (wanted.value * kernel / divisor).floor();
            for (const std::int64_t near : {ideal - 1, ideal, ideal + 1, ideal + 2, largest, std::int64_t(2)})
                if (near >= 2 && near <= largest)
                    QVERIFY2(!(off(near) < off(*count)),
                             qPrintable(QString("code %1, %2 rather than %3").arg(code).arg(near).arg(*count)));
        }
    }

    /// The ends of a divider's field by hand: the need is still computed, the field holds it, and where no division has
    /// it the goal is told to be contradicted.
    void theEndsOfAFieldAreTakenToo()
    {
        int heeded = 0, contradicted = 0;
        for (const LoadedPlan& work : plans()) {
            const auto s = run(work);
            for (const NeedIndex n : work.plan.needs.indices()) {
                const Alternatives all = alternativesOf(*s, n);
                if (all.all.size() < 2)
                    continue;
                const InstanceIndex instance = s->bindings.needs[n].instance;
                for (const auto& [role, value] : all.all.front().roles) {
                    const FieldRef ref = s->device->roleField(instance, role);
                    if (!ref.valid())
                        continue;
                    for (const std::uint32_t code : {std::uint32_t(0), s->device->fieldOf(ref).maxCode()}) {
                        const std::string name = s->device->registerOf(ref).name + "." + s->device->fieldOf(ref).name;
                        const std::string where = work.plan.needs[n].id + " " + name + " = " + std::to_string(code);
                        const auto t = run(with(work, SetOverride{work.plan.needs[n].id, name, std::to_string(code)}));
                        QVERIFY2(t->settings[n].computed, (where + ": " + t->settings[n].notComputed).c_str());
                        QVERIFY2(t->image.codeOf(*t->device, ref) == code, where.c_str());
                        const bool unknown = std::any_of(t->settings[n].achieved.begin(), t->settings[n].achieved.end(),
                                                         [](const Achieved& row) { return row.unknown; });
                        const bool told = hasFinding(*t, "GOAL-08", work.plan.needs[n].id.c_str());
                        QVERIFY2(!unknown || told, (where + ": nothing is said").c_str());
                        heeded += !unknown;
                        contradicted += unknown;
                    }
                }
            }
        }
        QVERIFY2(heeded > 10 && contradicted > 2, qPrintable(QString("%1 and %2").arg(heeded).arg(contradicted)));
    }

    /// The converter is drawn at the instant at which the bridge's timer starts it.
    void needsInStepAreOnOneAxis()
    {
        for (const char* at : {"", "30 %", "12 us"}) {
            LoadedPlan work = demo();
            if (*at)
                work.plan.need("gate-bridge")->goals.state("trigger_at", at);
            const auto s = run(work);
            const NeedIndex bridge = needIndex(work.plan, "gate-bridge"),
                            shunt = needIndex(work.plan, "shunt-amplifier");
            const auto has = [&s](NeedIndex of, NeedIndex other) {
                const std::vector<NeedIndex> all = inStepWith(*s, of);
                return std::find(all.begin(), all.end(), other) != all.end();
            };
            QVERIFY(has(bridge, shunt) && has(shunt, bridge));
            const Look timer = s->lookAt(bridge), started = s->lookAt(shunt);
            QCOMPARE(started.startedBy, std::string("gate-bridge"));
            const Duration begin = *timer.waveform->triggers;
            if (std::string(at) == "12 us")
                QVERIFY(begin == Duration(Rational(12, 1'000'000)));
            for (const NeedIndex of : {bridge, shunt}) {
                const std::optional<Waveform> both = stackedPicture(*s, of);
                QVERIFY(both && both->span == timer.waveform->span);
                QCOMPARE(both->traces.size(), timer.waveform->traces.size() + started.waveform->traces.size());
                QCOMPARE(both->handles.size(), of == bridge ? timer.waveform->handles.size() : 0u);
                const Waveform::Band& band = both->bands.back();
                QVERIFY(band.title.starts_with(work.plan.needs[shunt].title) == (of == bridge));
                QVERIFY(band.parts.front().from == begin);
                QVERIFY(band.parts.front().to == begin + started.waveform->bands.back().parts.front().to);
            }
        }
        // What works alone has its own picture.
        const auto s = run(demo());
        const NeedIndex uplink = needIndex(s->plan, "uplink");
        QVERIFY(inStepWith(*s, uplink).empty());
        QCOMPARE(stackedPicture(*s, uplink)->title, s->lookAt(uplink).waveform->title);
    }
};

BINDREL_TEST(AlternativesTest)
#include "alternatives_test.moc"
