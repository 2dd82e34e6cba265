// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/field_code.h"
#include "core/field_entry.h"
#include "core/rehearsal/rehearsal.h"
#include "tests/support/fixtures.h"
#include "tests/support/rehearse.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Fields that are set by hand are what the chip comes up with: planned and by the machine code of the written C, for
/// random fields of every need.
class OverridesTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void theChipComesUpWithThem_data()
    {
        QTest::addColumn<QString>("plan");
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "ditch-meter-d-done", "pump-hall-a-done"})
            QTest::newRow(plan) << plan;
    }
    void theChipComesUpWithThem()
    {
        QFETCH(QString, plan);
        std::mt19937 random(seeded(3611));
        const auto start = run(demo(plan.toStdString()));
        const Device& device = *start->device;
        LoadedPlan work = demo(plan.toStdString());
        std::vector<std::pair<FieldRef, std::uint32_t>> set;
        for (const NeedIndex n : work.plan.needs.indices()) {
            const InstanceIndex own = start->bindings.needs[n].instance;
            const std::string& kind = work.plan.needs[n].kind;
            // What holds the core or feeds its clocks is not for random values.
            if (own < 0 || start->bindings.needs[n].state != BoundNeed::State::Bound || kind == "watchdog" ||
                kind == "crystal" || kind == "debug" || kind == "rtc" || kind == "can")
                continue;
            std::vector<FieldRef> fields;
            for (const RoleValue& value : start->settings[n].roles)
                if (const FieldRef ref = device.roleField(own, value.role);
                    ref.valid() && value.when == RoleValue::When::Config && whyNotByHand(device, ref).empty())
                    fields.push_back(ref);
            if (fields.empty())
                continue;
            const FieldRef ref = fields[random() % fields.size()];
            const Field& field = device.fieldOf(ref);
            const std::uint32_t code = (start->image.codeOf(device, ref) ^ 1u) & field.maxCode();
            if (std::any_of(set.begin(), set.end(), [&ref](const auto& known) { return known.first == ref; }))
                continue;
            set.emplace_back(ref, code);
            work.plan.needs[n].overrides[device.registerOf(ref).name + "." + field.name] = fieldCodeText(field, code);
        }
        QVERIFY(set.size() > 2);
        const auto s = run(work);
        for (const auto& [ref, code] : set)
            QVERIFY2(s->image.codeOf(device, ref) == code, device.nameOf(ref).c_str());
        for (const Finding& finding : s->findings)
            QVERIFY2(finding.rule != "GOAL-07", finding.text.text().c_str());
        // What a field does with another value may speak against it; that it has that value must not.
        const auto kept = [](const Rehearsal& rehearsal) {
            for (const Hazard& hazard : rehearsal.hazards)
                if (hazard.kind == Hazard::Kind::Outcome || hazard.kind == Hazard::Kind::Program ||
                    hazard.kind == Hazard::Kind::NoRegister)
                    return hazard.text;
            return rehearsal.gaveUp;
        };
        const Rehearsal planned = rehearsePlanned(s->facts(), {});
        QCOMPARE(QString::fromStdString(kept(planned)), QString());
        const QTemporaryDir folder;
        const Expected<Rehearsal> machine =
            rehearseMachineCode(s->facts(), s->source(), {}, folder.path().toStdString());
        QVERIFY2(machine.ok(), machine ? "" : machine.problem().text().c_str());
        QCOMPARE(QString::fromStdString(kept(*machine)), QString());
        QVERIFY(compareWrites(device, planned, *machine).empty());
    }
};

BINDREL_TEST(OverridesTest)
#include "overrides_test.moc"
