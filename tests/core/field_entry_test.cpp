// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/field_code.h"
#include "core/field_entry.h"
#include "core/plan/plan_file.h"
#include "core/rehearsal/rehearsal.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// What is typed into bits becomes goals where these express it, else it is set by hand; either way the registers hold
/// it, it can be undone, and it is told.
class FieldEntryTest : public QObject {
    Q_OBJECT

    static NeedIndex needCalled(const Snapshot& s, std::string_view id)
    {
        for (const NeedIndex n : s.plan.needs.indices())
            if (s.plan.needs[n].id == id)
                return n;
        qFatal("no need %s", std::string(id).c_str());
    }
    static FieldRef roleOf(const Snapshot& s, NeedIndex need, const char* role)
    {
        const FieldRef ref = s.device->roleField(s.bindings.needs[need].instance, role);
        if (!ref.valid())
            qFatal("no role %s", role);
        return ref;
    }
    static std::shared_ptr<const Snapshot> after(const Snapshot& s, const Edit& edit)
    {
        const Expected<Plan> plan = applied(s.plan, edit);
        if (!plan)
            qFatal("%s", plan.problem().message.c_str());
        return computeSnapshot(s.with(*plan));
    }
    /// Every field of the own instances of the needs that keeps what is written.
    static std::vector<std::pair<NeedIndex, FieldRef>> fieldsOf(const Snapshot& s)
    {
        std::vector<std::pair<NeedIndex, FieldRef>> out;
        for (const NeedIndex n : s.plan.needs.indices()) {
            const InstanceIndex own = s.bindings.needs[n].instance;
            if (own < 0 || s.bindings.needs[n].state != BoundNeed::State::Bound)
                continue;
            const Block& block = s.device->blockOf(own);
            for (const RegisterIndex r : block.registers.indices())
                for (size_t f = 0; f < block.registers[r].fields.size(); ++f)
                    if (const FieldRef ref{own, int(r), int(f)}; whyNotEntered(s, n, ref).empty())
                        out.emplace_back(n, ref);
        }
        return out;
    }
    static std::vector<std::string> plans()
    {
        std::vector<std::string> out;
        for (const auto& entry : std::filesystem::directory_iterator(BINDREL_EXAMPLES))
            if (entry.path().extension() == ".bindrel")
                out.push_back(entry.path().stem().string());
        std::sort(out.begin(), out.end());
        return out;
    }

private Q_SLOTS:
    void nothingIsSetByHandBeforeSomebodyDoes()
    {
        for (const std::string& plan : plans())
            for (const Setting& setting : run(demo(plan))->settings)
                for (const Achieved& row : setting.achieved)
                    QVERIFY2(!row.byHand, (plan + ": " + row.title).c_str());
    }

    void aDividerIsABaudRate()
    {
        const auto s = run(demo());
        const NeedIndex uplink = needCalled(*s, "uplink");
        const FieldRef divider = roleOf(*s, uplink, "divider");
        const std::uint32_t was = s->image.codeOf(*s->device, divider);
        const Expected<FieldEntry> entry = enterField(*s, uplink, divider, was + 3);
        QVERIFY2(entry.ok(), entry ? "" : entry.problem().message.c_str());
        QVERIFY2(entry->kind == FieldEntry::Kind::Goal, entry->told.c_str());
        QCOMPARE(entry->edit.changes.size(), size_t(1));
        const auto* goal = std::get_if<SetGoal>(&entry->edit.changes.front());
        QVERIFY(goal && goal->goal == "baud");
        const auto then = after(*s, entry->edit);
        QCOMPARE(then->image.codeOf(*then->device, divider), was + 3);
        QVERIFY(then->plan.needs[uplink].overrides.empty());
        // And back by the bits: the goal is found that gives the first divider again.
        const Expected<FieldEntry> back = enterField(*then, uplink, divider, was);
        QVERIFY(back.ok());
        QVERIFY(back->kind == FieldEntry::Kind::Goal);
        QCOMPARE(after(*then, back->edit)->image.codeOf(*s->device, divider), was);
    }

    void whatNoGoalGivesIsSetByHandAndSeenEverywhere()
    {
        const auto s = run(demo());
        const Device& device = *s->device;
        int seen = 0;
        for (const auto& [need, ref] : fieldsOf(*s)) {
            const Field& field = device.fieldOf(ref);
            const std::uint32_t was = s->image.codeOf(device, ref);
            const Expected<FieldEntry> entry = enterField(*s, need, ref, was ^ 1u);
            if (!entry && !whyNotByHand(device, ref).empty())
                continue;
            QVERIFY2(entry.ok(), entry ? "" : entry.problem().message.c_str());
            if (entry->kind != FieldEntry::Kind::ByHand)
                continue;
            ++seen;
            const auto then = after(*s, entry->edit);
            const std::string name = device.registerOf(ref).name + "." + field.name;
            QCOMPARE(then->image.codeOf(device, ref), was ^ 1u);
            QVERIFY(then->plan.needs[need].overrides.contains(name));
            QVERIFY2(planText(then->plan).find(name) != std::string::npos, "not in the file");
            // What a goal asks otherwise is a finding that drops it; where dividers are chosen, what is set by hand is
            // one of them, and the goals are computed with it.
            const bool decided = std::any_of(then->settings[need].roles.begin(), then->settings[need].roles.end(),
                                             [&](const RoleValue& value) {
                                                 return value.when == RoleValue::When::Config && value.asked &&
                                                        device.roleField(ref.instance, value.role) == ref;
                                             });
            const auto finding = std::find_if(then->findings.begin(), then->findings.end(), [&](const Finding& f) {
                return f.rule == "GOAL-08" && f.place.id == s->plan.needs[need].id && f.place.sub == name;
            });
            QVERIFY2(!decided || finding != then->findings.end(), (device.nameOf(ref) + ": no finding").c_str());
            if (finding != then->findings.end())
                QVERIFY(planText(after(*then, *fixFor(then->facts(), *finding))->plan) == planText(s->plan));
            // In the C, above the write.
            bool told = false;
            for (const SourceFile& file : then->source().files)
                told = told || file.text().find(name + " is set by hand") != std::string::npos ||
                       file.text().find(device.nameOf(ref) + " is set by hand") != std::string::npos;
            QVERIFY2(told, (device.nameOf(ref) + " is not in the C").c_str());
            // It survives a change of goals.
            LoadedPlan other = s->with(then->plan);
            if (findKind(then->plan.needs[need].kind)->goal("priority")) {
                other = with(other, SetGoal{then->plan.needs[need].id, "priority", "1"});
                QCOMPARE(run(other)->image.codeOf(device, ref), was ^ 1u);
            }
            // An empty text drops it.
            const Expected<FieldEntry> dropped = enterField(*then, need, ref, std::string_view());
            QVERIFY(dropped.ok() && dropped->kind == FieldEntry::Kind::Dropped);
            QCOMPARE(planText(after(*then, dropped->edit)->plan), planText(s->plan));
            // The chip comes up with it as with what the goals asked for.
            const Expected<LoadedPlan> read = parsePlan(planText(then->plan), "test.bindrel", library());
            QVERIFY2(read.ok(), read ? "" : read.problem().message.c_str());
        }
        QVERIFY(seen > 5);
    }

    /// 10,000 random entries by BINDREL_LONG, over all kinds and families; what was there is there again after undo.
    void randomEntries_data()
    {
        QTest::addColumn<QString>("plan");
        for (const std::string& plan : plans())
            QTest::newRow(plan.c_str()) << QString::fromStdString(plan);
    }
    void randomEntries()
    {
        QFETCH(QString, plan);
        const auto start = run(demo(plan.toStdString()));
        const Device& device = *start->device;
        const auto fields = fieldsOf(*start);
        if (fields.empty())
            return;
        std::mt19937 random(seeded(3601));
        const int rounds = qEnvironmentVariableIsSet("BINDREL_LONG") ? 1'700 : 25;
        auto s = start;
        int goals = 0, byHand = 0;
        for (int round = 0; round < rounds; ++round) {
            const auto& [need, ref] = fields[random() % fields.size()];
            const Field& field = device.fieldOf(ref);
            const std::uint32_t now = s->image.codeOf(device, ref);
            const std::uint32_t code =
                random() % 2 ? std::min(now + 1, field.maxCode()) : std::uint32_t(random()) & field.maxCode();
            const std::string what = plan.toStdString() + ", round " + std::to_string(round) + ": " +
                                     device.nameOf(ref) + " = " + std::to_string(code);
            const Expected<FieldEntry> entry = enterField(*s, need, ref, code);
            if (!entry && !whyNotByHand(device, ref).empty())
                continue; // data that no goal gives so
            QVERIFY2(entry.ok(), entry ? "" : (what + ": " + entry.problem().message).c_str());
            const Expected<Plan> next = applied(s->plan, entry->edit);
            QVERIFY2(next.ok(), what.c_str());
            const auto then = computeSnapshot(s->with(*next));
            QVERIFY2(then->image.codeOf(device, ref) == code, what.c_str());
            QVERIFY2((entry->kind == FieldEntry::Kind::Same) == (now == code), what.c_str());
            QVERIFY2(!entry->told.empty(), what.c_str());
            goals += entry->kind == FieldEntry::Kind::Goal;
            byHand += entry->kind == FieldEntry::Kind::ByHand;
            // Only a goal that is expressed changes goals; by hand changes none.
            if (entry->kind == FieldEntry::Kind::ByHand)
                QVERIFY2(next->needs[need].goals == s->plan.needs[need].goals, what.c_str());
            const Expected<Plan> back = applied(*next, inverse(s->plan, entry->edit));
            QVERIFY2(back.ok() && planText(*back) == planText(s->plan), what.c_str());
            const Expected<Plan> again = applied(s->plan, difference(s->plan, *next, "again"));
            QVERIFY2(again.ok() && *again == *next, what.c_str());
            // A walk by goals alone would be held up by what is set by hand.
            s = random() % 8 == 0 ? start : then;
        }
        QVERIFY(rounds < 100 || (goals > 0 && byHand > 0));
    }

    /// From any end state the goals of a need give the registers that its bits state.
    void aWholeRegister()
    {
        const auto s = run(demo());
        const NeedIndex uplink = needCalled(*s, "uplink");
        const FieldRef divider = roleOf(*s, uplink, "divider");
        const RegisterValue* reg = s->image.find(divider.instance, divider.reg);
        QVERIFY(reg);
        const Field& field = s->device->fieldOf(divider);
        const std::uint32_t word = (reg->value & ~field.mask()) | field.at(field.in(reg->value) + 5);
        const Expected<FieldEntry> entry = enterRegister(*s, uplink, divider.instance, divider.reg, word);
        QVERIFY2(entry.ok(), entry ? "" : entry.problem().message.c_str());
        const auto then = after(*s, entry->edit);
        QCOMPARE(then->image.find(divider.instance, divider.reg)->value, word);
        const Expected<FieldEntry> same = enterRegister(*then, uplink, divider.instance, divider.reg, word);
        QVERIFY(same.ok() && same->edit.changes.empty());
    }

    void whatCannotBeIsRefusedWithAReason()
    {
        const auto s = run(demo());
        const NeedIndex uplink = needCalled(*s, "uplink");
        const FieldRef divider = roleOf(*s, uplink, "divider");
        for (const char* text : {"0x", "-1", "99999999999", "no_such_name", "1.5"}) {
            const Expected<FieldEntry> entry = enterField(*s, uplink, divider, std::string_view(text));
            QVERIFY2(!entry.ok(), text);
            QVERIFY(!entry.problem().message.empty());
        }
        const Block& block = s->device->blockOf(divider.instance);
        bool any = false;
        for (const RegisterIndex r : block.registers.indices())
            for (const FieldIndex f : block.registers[r].fields.indices())
                if (const Field& field = block.registers[r].fields[f]; field.access == Field::Access::ReadOnly) {
                    any = true;
                    const Expected<FieldEntry> entry =
                        enterField(*s, uplink, {divider.instance, int(r), int(f)}, std::uint32_t(1));
                    QVERIFY(!entry.ok());
                    QVERIFY(QString::fromStdString(entry.problem().message).contains("read-only"));
                }
        QVERIFY(any);
    }

    /// What the plan's file says of fields that are not there, or cannot be set, are findings that can be dropped.
    void aPlanThatSetsWhatIsNotThere()
    {
        for (const auto& [field, text] : std::vector<std::pair<std::string, std::string>>{
                 {"NOPE.FIELD", "1"}, {"CTL.NOPE", "1"}, {"RATE.DIV", "99999999"}}) {
            LoadedPlan work = demo();
            work.plan.need("uplink")->overrides[field] = text;
            const auto s = run(work);
            const auto found = std::find_if(s->findings.begin(), s->findings.end(),
                                            [](const Finding& f) { return f.rule == "GOAL-07"; });
            QVERIFY2(found != s->findings.end(), field.c_str());
            QCOMPARE(found->severity, Finding::Severity::Error);
            const Expected<Edit> fix = fixFor(s->facts(), *found);
            QVERIFY(fix.ok());
            QCOMPARE(planText(after(*s, *fix)->plan), planText(demo().plan));
        }
    }

    void theNextValueThatCanBeMade()
    {
        const auto s = run(demo());
        const NeedIndex uplink = needCalled(*s, "uplink");
        const FieldRef divider = roleOf(*s, uplink, "divider");
        auto now = s;
        std::uint32_t last = s->image.codeOf(*s->device, divider);
        for (int step = 0; step < 5; ++step) {
            const FieldEntry up = stepGoal(*now, uplink, "baud", true);
            QVERIFY(!up.edit.changes.empty());
            now = after(*now, up.edit);
            const std::uint32_t code = now->image.codeOf(*now->device, divider);
            QVERIFY(code < last);
            last = code;
        }
    }
};

BINDREL_TEST(FieldEntryTest)
#include "field_entry_test.moc"
