// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/field_entry.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/field_code.h"
#include "core/goal_search.h"
#include "core/pins/overrides.h"
#include "core/plan/pin_property.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/parse.h"
#include "core/tuning/one_need.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace bindrel {

namespace {

int differences(const GoalProbe::Codes& a, const GoalProbe::Codes& b, const FieldRef& but)
{
    int out = 0;
    for (const auto& [ref, code] : a)
        if (const auto other = b.find(ref); ref != but && (other == b.end() || other->second != code))
            ++out;
    for (const auto& [ref, code] : b)
        out += ref != but && !a.contains(ref);
    return out;
}

/// Goals of the kind, that of the role first.
std::vector<const GoalSpec*> goalsFor(const Snapshot& s, const Plan& plan, NeedIndex need, const FieldRef& ref)
{
    const KindSpec& kind = *findKind(plan.needs[need].kind);
    std::vector<const GoalSpec*> out;
    for (const RoleValue& value : s.settings[need].roles)
        if (s.device->roleField(ref.instance, value.role) == ref)
            if (const GoalSpec* own = kind.goal(value.goal); own && std::find(out.begin(), out.end(), own) == out.end())
                out.push_back(own);
    for (const GoalSpec& spec : kind.goals)
        if (std::find(out.begin(), out.end(), &spec) == out.end() && matters(plan.needs[need], spec.id))
            out.push_back(&spec);
    return out;
}

/// The change of a goal with which the field of the need's own instance holds the code; nothing when there is none.
std::optional<SetGoal> goalWith(const Snapshot& s, const Plan& plan, NeedIndex need, const FieldRef& ref,
                                std::uint32_t code, OtherFields otherFields)
{
    const GoalProbe probe(s, plan, need);
    const GoalProbe::Answer now = probe.ask(plan);
    std::optional<SetGoal> best;
    int fewest = 0;
    for (const GoalSpec* spec : goalsFor(s, plan, need, ref)) {
        // A goal with a number is only asked for what it decides now.
        const bool decides =
            std::any_of(s.settings[need].roles.begin(), s.settings[need].roles.end(), [&](const RoleValue& value) {
                return value.goal == spec->id && s.device->roleField(ref.instance, value.role) == ref;
            });
        if (!decides && spec->type != GoalSpec::Type::Choice)
            continue;
        const std::optional<std::string> text = goalTextFor(probe, *spec, ref, code);
        if (!text)
            continue;
        const std::optional<GoalProbe::Answer> then = probe.ask(spec->id, *text);
        if (!then || then->missed > now.missed)
            continue;
        if (spec->type != GoalSpec::Type::Choice && otherFields == OtherFields::Stay &&
            std::any_of(now.goals.begin(), now.goals.end(), [&](const auto& known) {
                return known.first != ref && known.second == spec->id &&
                       (!then->codes.contains(known.first) || then->codes.at(known.first) != now.codes.at(known.first));
            }))
            continue;
        const int others = differences(now.codes, then->codes, ref);
        if (!best || others < fewest)
            best = SetGoal{plan.needs[need].id, spec->id, *text}, fewest = others;
        if (decides)
            break;
    }
    return best;
}

/// Whether the whole computation agrees, and breaks no more than before.
bool agrees(const Snapshot& s, const Edit& edit, const FieldRef& ref, std::uint32_t code)
{
    const Expected<Plan> plan = applied(s.plan, edit);
    if (!plan)
        return false;
    const auto after = computeSnapshot(s.with(*plan));
    return after->image.codeOf(*after->device, ref) == code &&
           after->count(Finding::Severity::Error) <= s.count(Finding::Severity::Error);
}

/// For what a need's pads decide: choices of its goals, and what is said of its pads.
std::optional<Edit> padEditWith(const Snapshot& s, NeedIndex need, const FieldRef& ref, std::uint32_t code)
{
    const Need& of = s.plan.needs[need];
    std::vector<Change> tries;
    for (const GoalSpec& spec : findKind(of.kind)->goals)
        if (spec.type == GoalSpec::Type::Choice && matters(of, spec.id))
            for (const std::string& choice : spec.choices)
                if (choice != goalText(of, spec.id))
                    tries.push_back(SetGoal{of.id, spec.id, choice});
    for (const SignalSpec& signal : signalsOf(of))
        for (const PinProperty& property : pinProperties())
            for (const std::string& choice : property.choices)
                if (!isPinGoal(of, property.id) && pinProperty(of, signal.id, property.id) != choice)
                    tries.push_back(SetPin{of.id, signal.id, property.id, choice});
    for (Change& change : tries)
        if (Edit edit = editOf({}, std::move(change)); agrees(s, edit, ref, code))
            return edit;
    return std::nullopt;
}

/// Whether the need's operations write the field, on an instance that is not its own.
bool decidesElsewhere(const Snapshot& s, NeedIndex need, const FieldRef& ref)
{
    if (std::any_of(s.image.steps.begin(), s.image.steps.end(), [&](const Step& step) {
            return step.need == need && std::any_of(step.fields.begin(), step.fields.end(),
                                                    [&](const FieldWrite& write) { return write.ref == ref; });
        }))
        return true;
    return std::any_of(s.pads.begin(), s.pads.end(), [&](const PadSetup& setup) {
        return setup.need == need && s.device->pads[setup.pad].port == ref.instance;
    });
}

FieldEntry entryOf(const Snapshot& s, FieldEntry::Kind kind, Edit edit, std::string why = {})
{
    FieldEntry out{kind, std::move(edit), std::move(why)};
    if (out.told.empty())
        for (const Change& change : out.edit.changes)
            out.told += (out.told.empty() ? "" : "; ") + describe(s.plan, change);
    return out;
}

/// What several entries together have changed: goals one by one, fields by their names.
std::string toldOf(const Plan& before, const Need& was, const Need& is)
{
    std::vector<std::string> parts, byHand, dropped;
    for (const GoalSpec& spec : findKind(is.kind)->goals)
        if (goalText(was, spec.id) != goalText(is, spec.id))
            parts.push_back(describe(before, SetGoal{was.id, spec.id, goalText(is, spec.id)}));
    for (const auto& [name, text] : is.overrides)
        if (const auto known = was.overrides.find(name); known == was.overrides.end() || known->second != text)
            byHand.push_back(name);
    for (const auto& [name, text] : was.overrides)
        if (!is.overrides.contains(name))
            dropped.push_back(name);
    if (!byHand.empty())
        parts.push_back(say("set by hand: ") + joined(byHand, ", "));
    if (!dropped.empty())
        parts.push_back(say("as the goals ask again: ") + joined(dropped, ", "));
    return parts.empty() ? "Changed." : joined(parts, "; ") + ".";
}

/// Whether the need's configuration writes the field.
bool configures(const Snapshot& s, NeedIndex need, const FieldRef& ref)
{
    return std::any_of(s.settings[need].roles.begin(), s.settings[need].roles.end(), [&](const RoleValue& value) {
        return value.when == RoleValue::When::Config && s.device->roleField(ref.instance, value.role) == ref;
    });
}

} // namespace

std::string whyNotEntered(const Snapshot& s, NeedIndex need, const FieldRef& ref)
{
    const std::string why = whyNotByHand(*s.device, ref);
    const bool data = s.device->fieldOf(ref).keepsWrites() && ref.instance == s.bindings.needs[need].instance &&
                      configures(s, need, ref);
    return data ? std::string() : why;
}

Expected<FieldEntry> enterField(const Snapshot& s, NeedIndex need, const FieldRef& ref, std::uint32_t code,
                                OtherFields others)
{
    const Device& device = *s.device;
    const Field& field = device.fieldOf(ref);
    const Need& of = s.plan.needs[need];
    const BoundNeed& bound = s.bindings.needs[need];
    if (const std::string why = whyNotEntered(s, need, ref); !why.empty())
        return problemOf(fmt::format("{} {}.", device.nameOf(ref), why));
    if (code > field.maxCode())
        return problemOf(say("{} takes 0 to {}.", device.nameOf(ref), field.maxCode()));
    if (s.image.codeOf(device, ref) == code)
        return FieldEntry{FieldEntry::Kind::Same, {}, device.nameOf(ref) + say(" holds that already.")};
    const std::string name = overrideName(device, ref);
    const std::string title = fmt::format("{} = {}", device.nameOf(ref), fieldCodeText(field, code));
    if (ref.instance != bound.instance) {
        if (!decidesElsewhere(s, need, ref))
            return problemOf(say("{} is not decided by {}.", device.nameOf(ref), of.title));
        std::optional<Edit> edit = padEditWith(s, need, ref, code);
        if (!edit)
            return problemOf(say("no goal of {} and nothing that can be said of its pads gives {} the value "
                                 "{}. It is a register of {}, which other needs use as well, so it is not set "
                                 "by hand.",
                                 of.title, device.nameOf(ref), fieldCodeText(field, code),
                                 device.instances[ref.instance].name));
        edit->title = title;
        return entryOf(s, FieldEntry::Kind::Goal, *std::move(edit));
    }
    // What goals ask for where nothing is set by hand.
    Plan plain = s.plan;
    Edit edit{title, {}};
    if (plain.needs[need].overrides.erase(name) > 0) {
        edit.changes.push_back(SetOverride{of.id, name, std::nullopt});
        if (agrees(s, edit, ref, code))
            return entryOf(s, FieldEntry::Kind::Dropped, std::move(edit), name + say(" follows the goals again."));
    }
    if (const std::optional<SetGoal> goal = goalWith(s, plain, need, ref, code, others)) {
        Edit byGoal = edit;
        byGoal.changes.push_back(*goal);
        if (agrees(s, byGoal, ref, code))
            return entryOf(s, FieldEntry::Kind::Goal, std::move(byGoal));
    }
    if (const std::string why = whyNotByHand(device, ref); !why.empty())
        return problemOf(say("no goal of {} gives {} the value {}, and it {}.", of.title, device.nameOf(ref),
                             fieldCodeText(field, code), why));
    edit.changes = {SetOverride{of.id, name, fieldCodeText(field, code)}};
    return entryOf(
        s, FieldEntry::Kind::ByHand, std::move(edit),
        say("No goal of {} gives {} the value {}; it is set by hand.", of.title, name, fieldCodeText(field, code)));
}

Expected<FieldEntry> enterField(const Snapshot& s, NeedIndex need, const FieldRef& ref, std::string_view text)
{
    if (trimmed(text).empty()) {
        const std::string name = overrideName(*s.device, ref);
        if (!s.plan.needs[need].overrides.contains(name))
            return FieldEntry{FieldEntry::Kind::Same, {}, s.device->nameOf(ref) + say(" is not set by hand.")};
        return entryOf(s, FieldEntry::Kind::Dropped,
                       editOf(say("Drop {}", name), SetOverride{s.plan.needs[need].id, name, std::nullopt}),
                       name + say(" follows the goals again."));
    }
    const Expected<std::uint32_t> code = fieldCode(*s.device, ref, text);
    if (!code)
        return problemOf(code.problem().message + ".");
    return enterField(s, need, ref, *code);
}

Expected<FieldEntry> enterRegister(const Snapshot& s, NeedIndex need, InstanceIndex instance, RegisterIndex reg,
                                   std::uint32_t value)
{
    const Register& shape = s.device->blockOf(instance).registers[reg];
    std::uint32_t known = 0;
    for (const Field& field : shape.fields)
        known |= field.mask();
    const std::uint32_t reset = s.device->resetOf(instance, reg);
    if ((value & ~known) != (reset & ~known))
        return problemOf(say("bits 0x{:X} of {}.{} belong to no field.", (value ^ reset) & ~known,
                             s.device->instances[instance].name, shape.name));
    FieldEntry out{FieldEntry::Kind::Same,
                   {fmt::format("{}.{} = 0x{:X}", s.device->instances[instance].name, shape.name, value), {}},
                   {}};
    std::shared_ptr<const Snapshot> now;
    // Goals that change for one field can change others: those that differ at last are set by hand.
    for (const bool byGoals : {true, false})
        for (const FieldIndex f : shape.fields.indices()) {
            const Snapshot& stands = now ? *now : s;
            const FieldRef ref{instance, reg, static_cast<int>(f)};
            const std::uint32_t code = shape.fields[f].in(value);
            if (stands.image.codeOf(*stands.device, ref) == code)
                continue;
            Expected<FieldEntry> entry = enterField(stands, need, ref, code);
            if (!entry && shape.fields[f].keepsWrites())
                return entry.problem();
            if (!entry)
                continue; // a flag, a status: as the hardware has it
            if (!byGoals && entry->kind == FieldEntry::Kind::Goal && whyNotByHand(*s.device, ref).empty())
                entry = entryOf(stands, FieldEntry::Kind::ByHand,
                                editOf({}, SetOverride{s.plan.needs[need].id, overrideName(*s.device, ref),
                                                       fieldCodeText(shape.fields[f], code)}),
                                overrideName(*s.device, ref) + say(" is set by hand."));
            Expected<Plan> next = applied(stands.plan, entry->edit);
            if (!next)
                return next.problem();
            now = computeSnapshot(stands.with(*std::move(next)));
            out.kind = std::max(out.kind, entry->kind);
        }
    if (!now) {
        out.told = say("The register holds that already.");
        return out;
    }
    out.edit.changes = difference(s.plan, now->plan, {}).changes;
    out.told = toldOf(s.plan, s.plan.needs[need], now->plan.needs[need]);
    return out;
}

FieldEntry stepGoal(const Snapshot& s, NeedIndex need, std::string_view goal, bool up)
{
    const InstanceIndex instance = s.bindings.needs[need].instance;
    const KindSpec* kind = findKind(s.plan.needs[need].kind);
    const GoalSpec* spec = kind ? kind->goal(goal) : nullptr;
    if (!spec || instance < 0)
        return {};
    const GoalValue value = goalValue(s.plan.needs[need], goal);
    // A choice has its own order.
    if (const Chosen* chosen = std::get_if<Chosen>(&value)) {
        const size_t at = chosen->index + (up ? 1 : size_t(-1));
        if (at < spec->choices.size())
            return entryOf(s, FieldEntry::Kind::Goal,
                           editOf(fmt::format("{} {}", say(spec->title), spec->choices[at]),
                                  SetGoal{s.plan.needs[need].id, spec->id, spec->choices[at]}));
        return {};
    }
    const std::optional<Rational> now = numberOfGoal(value);
    if (!now)
        return {};
    const GoalProbe probe(s, s.plan, need);
    const GoalProbe::Answer stands = probe.ask(s.plan);
    // The next code of each field that it decides, one way and the other: the nearest that lies on the right side.
    std::optional<std::string> best;
    std::optional<Rational> nearest;
    for (const RoleValue& role : s.settings[need].roles) {
        const FieldRef ref = role.goal == goal ? s.device->roleField(instance, role.role) : FieldRef();
        const auto code = ref.valid() ? stands.codes.find(ref) : stands.codes.end();
        if (code == stands.codes.end())
            continue;
        for (const int by : {1, -1}) {
            const std::int64_t next = std::int64_t(code->second) + by;
            if (next < 0 || next > std::int64_t(s.device->fieldOf(ref).maxCode()))
                continue;
            const std::optional<std::string> text = goalTextFor(probe, *spec, ref, static_cast<std::uint32_t>(next));
            const Expected<GoalValue> read = text ? parseGoal(*spec, *text) : Expected<GoalValue>(GoalValue());
            const std::optional<Rational> number = read ? numberOfGoal(*read) : std::nullopt;
            if (!number || (up ? *number <= *now : *number >= *now))
                continue;
            const std::optional<GoalProbe::Answer> then = probe.ask(spec->id, *text);
            if (!then || then->missed > stands.missed)
                continue;
            if (!nearest || (up ? *number < *nearest : *number > *nearest))
                nearest = number, best = text;
        }
    }
    if (!best)
        return {};
    return entryOf(
        s, FieldEntry::Kind::Goal,
        editOf(fmt::format("{} {}", say(spec->title), *best), SetGoal{s.plan.needs[need].id, spec->id, *best}));
}

std::optional<Edit> dragTo(const Snapshot& s, NeedIndex need, const Waveform& picture, const Waveform::Handle& handle,
                           const Duration& at)
{
    using States = Waveform::Handle::States;
    const Need& of = s.plan.needs[need];
    const KindSpec* kind = findKind(of.kind);
    const GoalSpec* spec = kind ? kind->goal(handle.goal) : nullptr;
    const Rational time = at.value - handle.from.value;
    if (!spec || !time.defined() || !(time > Rational(0) || handle.states != States::Rate))
        return std::nullopt;
    GoalValue like = goalValue(of, spec->id);
    Rational number = time;
    if (handle.states == States::Rate)
        number = handle.whole / time;
    else if (handle.states == States::Share)
        number = time / handle.whole;
    if (handle.states == States::Share) {
        number =
            std::clamp(number, Rational(0), Rational(1), [](const Rational& a, const Rational& b) { return a < b; });
        // A share that was stated as a time goes on being one; one as a level becomes a share.
        if (std::holds_alternative<Duration>(like))
            number = number * picture.span.value;
        else
            like = Ratio(number);
    } else if (handle.states == States::Time) {
        number = std::max(number, Rational(0), [](const Rational& a, const Rational& b) { return a < b; });
        like = Duration(number);
    } else {
        like = Frequency(number);
    }
    constexpr int kTyped = 4, kFine = 8;
    const GoalProbe probe(s, s.plan, need);
    std::string text = goalTextOf(*spec, like, number, kTyped);
    const std::optional<GoalProbe::Answer> answer = probe.ask(spec->id, text);
    if (!answer)
        return std::nullopt;
    // What is made instead, in as few digits as give the same bits.
    if (const auto error = answer->errors.find(spec->id); error != answer->errors.end())
        if (const Expected<GoalValue> read = parseGoal(*spec, text); read)
            if (const std::optional<Rational> typed = numberOfGoal(*read)) {
                const Rational made = *typed * (Rational(1) + error->second.value / Rational(1'000'000));
                for (int digits = kTyped; digits <= kFine; ++digits) {
                    const std::string near = goalTextOf(*spec, like, made, digits);
                    const std::optional<GoalProbe::Answer> same = probe.ask(spec->id, near);
                    if (same && same->codes == answer->codes) {
                        text = near;
                        break;
                    }
                }
            }
    return editOf(fmt::format("{}, {}: {}", of.title, say(spec->title), text), SetGoal{of.id, spec->id, text});
}

} // namespace bindrel
