// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/field_entry.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/field_code.h"
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

using Codes = std::map<FieldRef, std::uint32_t>;

/// The exact number that a goal states; empty for a choice, a text, "none".
std::optional<Rational> numberOf(const GoalValue& value)
{
    return std::visit(
        [](const auto& held) -> std::optional<Rational> {
            using T = std::decay_t<decltype(held)>;
            if constexpr (requires { held.value; })
                return held.value;
            else if constexpr (std::is_same_v<T, std::int64_t>)
                return Rational(held);
            else
                return std::nullopt;
        },
        value);
}

/// A number as a text of the goal that is read with the same unit as `like`.
std::string textOf(const GoalSpec& spec, const GoalValue& like, const Rational& number, int digits)
{
    const InEnglish asItIsTyped;
    if (std::holds_alternative<Duration>(like))
        return format(Duration(number), digits);
    if (std::holds_alternative<Voltage>(like))
        return format(Voltage(number), digits);
    if (std::holds_alternative<Ratio>(like))
        return format(Ratio(number), digits);
    if (std::holds_alternative<Ppm>(like))
        return format(Ppm(number), false, digits);
    if (std::holds_alternative<std::int64_t>(like))
        return number.isInteger() ? number.text() : std::to_string(number.round());
    return spec.type == GoalSpec::Type::Baud      ? formatBaud(Frequency(number), digits)
           : spec.type == GoalSpec::Type::BitRate ? formatBitRate(Frequency(number), digits)
                                                  : format(Frequency(number), digits);
}

/// Answers what the fields of a need's instance hold for other goals; everything else stays as it is.
class Probe {
public:
    struct Answer {
        Codes codes;
        std::map<FieldRef, std::string> goals;          ///< that decide them
        int missed = 0;                                 ///< goals that are not met
        std::map<std::string, Ppm, std::less<>> errors; ///< of goals that have one
    };

    Probe(const Snapshot& s, const Plan& plan, NeedIndex need) : s_(s), plan_(plan), need_(need) {}

    Answer ask(const Plan& plan) const
    {
        Answer out;
        const Setting setting = numbersOfNeed(*s_.device, plan, s_.bindings, s_.rates, need_);
        const InstanceIndex instance = s_.bindings.needs[need_].instance;
        for (const RoleValue& value : setting.roles) {
            const Role* role = s_.device->blockOf(instance).role(value.role);
            const std::optional<std::uint32_t> code = role ? role->encoding.encode(value.value) : std::nullopt;
            if (code && (value.when == RoleValue::When::Config || value.when == RoleValue::When::Start))
                out.codes[{instance, role->reg, role->field}] = *code,
                                                out.goals[{instance, role->reg, role->field}] = value.goal;
        }
        for (const NeedEvent& event : setting.events)
            if (const FieldRef enable = s_.device->roleField(event.instance, event.enable); enable.valid())
                out.codes[enable] = 1;
        for (const Achieved& row : setting.achieved) {
            out.missed += !row.ok;
            if (row.error && !row.check)
                out.errors.emplace(row.goal, *row.error);
        }
        if (!setting.computed)
            out.missed += 1'000;
        return out;
    }

    /// With one goal changed; empty when the goal does not take the text, or takes other pads or channels then.
    std::optional<Plan> with(const std::string& goal, const std::string& text) const
    {
        Expected<Plan> next = applied(plan_, editOf({}, SetGoal{plan_.needs[need_].id, goal, text}));
        if (!next)
            return std::nullopt;
        const Need& was = plan_.needs[need_];
        const Need& is = next->needs[need_];
        const std::vector<SignalSpec> before = signalsOf(was), after = signalsOf(is);
        if (!std::equal(before.begin(), before.end(), after.begin(), after.end(),
                        [](const SignalSpec& a, const SignalSpec& b) { return a.id == b.id; }) ||
            requestsOf(was) != requestsOf(is))
            return std::nullopt;
        return *std::move(next);
    }

    std::optional<Answer> ask(const std::string& goal, const std::string& text) const
    {
        const std::optional<Plan> plan = with(goal, text);
        return plan ? std::optional(ask(*plan)) : std::nullopt;
    }

    const Snapshot& s_;
    const Plan& plan_;
    NeedIndex need_;
};

/// Looks for a text of one goal with which a field holds a code.
class GoalSearch {
public:
    GoalSearch(const Probe& probe, const GoalSpec& spec, const FieldRef& ref, std::uint32_t wanted)
        : probe_(probe), spec_(spec), ref_(ref), wanted_(wanted),
          now_(goalValue(probe.plan_.needs[probe.need_], spec.id))
    {
    }

    std::optional<std::string> find()
    {
        switch (spec_.type) {
        case GoalSpec::Type::Choice:
            for (const std::string& choice : spec_.choices)
                if (holds(choice))
                    return choice;
            break;
        case GoalSpec::Type::Integer:
            return integer();
        case GoalSpec::Type::Name:
        case GoalSpec::Type::Text:
            return std::nullopt;
        default:
            if (const std::optional<std::string> text = quantity())
                return text;
        }
        if (spec_.orNone && holds("none"))
            return "none";
        return std::nullopt;
    }

private:
    std::optional<std::uint32_t> codeAt(const std::string& text)
    {
        const std::optional<Probe::Answer> answer = probe_.ask(spec_.id, text);
        if (!answer)
            return std::nullopt;
        // What the goal does not decide is as after reset.
        const auto at = answer->codes.find(ref_);
        return at == answer->codes.end() ? probe_.s_.device->resetCode(ref_) : at->second;
    }
    bool holds(const std::string& text) { return codeAt(text) == wanted_; }

    std::optional<std::string> integer()
    {
        std::vector<std::int64_t> tries{wanted_, std::int64_t(wanted_) + 1, std::int64_t(wanted_) - 1};
        if (const std::optional<std::int64_t> decoded = encoding().decode(wanted_))
            tries.insert(tries.begin(), *decoded);
        constexpr long kAll = 300; // that are tried one by one
        for (long value = spec_.min; spec_.max - spec_.min <= kAll && value <= spec_.max; ++value)
            tries.push_back(value);
        for (const std::int64_t value : tries)
            if (value >= spec_.min && value <= spec_.max && holds(std::to_string(value)))
                return std::to_string(value);
        return std::nullopt;
    }

    const Encoding& encoding() const
    {
        static const Encoding asIs;
        for (const auto& [name, role] : probe_.s_.device->blockOf(ref_.instance).roles)
            if (role.reg == ref_.reg && role.field == ref_.field)
                return role.encoding;
        return asIs;
    }

    /// Of a number, in few digits: what is tried is what can be typed.
    std::optional<Rational> typed(const Rational& number, int digits) const
    {
        if (!number.defined())
            return std::nullopt;
        const Expected<GoalValue> read = parseGoal(spec_, textOf(spec_, now_, number, digits));
        return read ? numberOf(*read) : std::nullopt;
    }

    std::optional<std::uint32_t> codeAt(const Rational& number)
    {
        return number.defined() ? codeAt(textOf(spec_, now_, number, kDigits)) : std::nullopt;
    }

    std::optional<std::string> quantity()
    {
        std::optional<Rational> start = numberOf(now_);
        if (!start)
            return std::nullopt;
        // From no time at all one gets nowhere by doubling.
        const bool share = std::holds_alternative<Ratio>(now_);
        if (start->isZero() && !share)
            start = Rational(1, 1'000'000'000);
        const std::optional<std::uint32_t> codeNow = codeAt(*start);
        if (!codeNow)
            return std::nullopt;
        std::vector<Rational> guesses;
        // A divider goes with the inverse of a rate, a count of ticks with a time.
        const std::optional<std::int64_t> is = encoding().decode(*codeNow), to = encoding().decode(wanted_);
        if (is && to && *is != 0 && *to != 0 && !start->isZero()) {
            guesses.push_back(*start * Rational(*to) / Rational(*is));
            guesses.push_back(*start * Rational(*is) / Rational(*to));
        }
        // A share lies between nothing and all.
        if (share)
            guesses.insert(guesses.end(), {Rational(0), Rational(1)});
        for (const Rational& guess : guesses)
            if (codeAt(guess) == wanted_)
                return polished(guess);
        if (share) {
            const std::optional<std::uint32_t> least = codeAt(Rational(0));
            const std::optional<Rational> found =
                least ? between(Rational(0), *least, Rational(1)) : std::optional<Rational>();
            return found ? std::optional(polished(*found)) : std::nullopt;
        }
        if (const std::optional<Rational> found = bisected(*start, *codeNow))
            return polished(*found);
        return std::nullopt;
    }

    /// Between two values, one with a smaller and one with a larger code.
    std::optional<Rational> bisected(const Rational& start, std::uint32_t codeNow)
    {
        for (const bool up : {true, false}) {
            Rational from = start;
            std::uint32_t codeFrom = codeNow;
            for (int octave = 0; octave < kOctaves; ++octave) {
                const Rational to = up ? from * Rational(2) : from / Rational(2);
                const std::optional<std::uint32_t> codeTo = codeAt(to);
                if (!codeTo)
                    break;
                if (*codeTo == wanted_)
                    return to;
                if ((codeFrom < wanted_) != (*codeTo < wanted_))
                    if (const std::optional<Rational> found = between(from, codeFrom, to))
                        return found;
                from = to;
                codeFrom = *codeTo;
            }
        }
        return std::nullopt;
    }

    std::optional<Rational> between(Rational from, std::uint32_t codeFrom, Rational to)
    {
        for (int halving = 0; halving < kHalvings; ++halving) {
            const std::optional<Rational> middle = typed((from + to) / Rational(2), kDigits);
            if (!middle || *middle == from || *middle == to)
                return std::nullopt;
            const std::optional<std::uint32_t> code = codeAt(*middle);
            if (!code)
                return std::nullopt;
            if (*code == wanted_)
                return middle;
            ((*code < wanted_) == (codeFrom < wanted_) ? from : to) = *middle;
        }
        return std::nullopt;
    }

    /// As few digits as say the same: what the hardware makes of it, rounded.
    std::string polished(const Rational& found)
    {
        Rational made = found;
        const std::string exact = textOf(spec_, now_, found, kDigits);
        if (const std::optional<Probe::Answer> answer = probe_.ask(spec_.id, exact))
            if (const auto error = answer->errors.find(spec_.id); error != answer->errors.end())
                made = found * (Rational(1) + error->second.value / Rational(1'000'000));
        for (int digits = kFewest; digits < kDigits; ++digits) {
            const std::string text = textOf(spec_, now_, made, digits);
            const std::optional<Rational> number = typed(made, digits);
            if (!number || made.isZero())
                break;
            const Rational off = (*number / made - Rational(1)).abs();
            if (off.defined() && off <= Rational(1, 10'000) && holds(text))
                return text;
        }
        return exact;
    }

    static constexpr int kFewest = 3, kDigits = 12;
    static constexpr int kOctaves = 20, kHalvings = 60;
    const Probe& probe_;
    const GoalSpec& spec_;
    FieldRef ref_;
    std::uint32_t wanted_;
    GoalValue now_;
};

int differences(const Codes& a, const Codes& b, const FieldRef& but)
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
    const Probe probe(s, plan, need);
    const Probe::Answer now = probe.ask(plan);
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
        const std::optional<std::string> text = GoalSearch(probe, *spec, ref, code).find();
        if (!text)
            continue;
        const std::optional<Probe::Answer> then = probe.ask(spec->id, *text);
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
    const std::optional<Rational> now = numberOf(value);
    if (!now)
        return {};
    const Probe probe(s, s.plan, need);
    const Probe::Answer stands = probe.ask(s.plan);
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
            const std::optional<std::string> text =
                GoalSearch(probe, *spec, ref, static_cast<std::uint32_t>(next)).find();
            const Expected<GoalValue> read = text ? parseGoal(*spec, *text) : Expected<GoalValue>(GoalValue());
            const std::optional<Rational> number = read ? numberOf(*read) : std::nullopt;
            if (!number || (up ? *number <= *now : *number >= *now))
                continue;
            const std::optional<Probe::Answer> then = probe.ask(spec->id, *text);
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
    const Probe probe(s, s.plan, need);
    std::string text = textOf(*spec, like, number, kTyped);
    const std::optional<Probe::Answer> answer = probe.ask(spec->id, text);
    if (!answer)
        return std::nullopt;
    // What is made instead, in as few digits as give the same bits.
    if (const auto error = answer->errors.find(spec->id); error != answer->errors.end())
        if (const Expected<GoalValue> read = parseGoal(*spec, text); read)
            if (const std::optional<Rational> typed = numberOf(*read)) {
                const Rational made = *typed * (Rational(1) + error->second.value / Rational(1'000'000));
                for (int digits = kTyped; digits <= kFine; ++digits) {
                    const std::string near = textOf(*spec, like, made, digits);
                    const std::optional<Probe::Answer> same = probe.ask(spec->id, near);
                    if (same && same->codes == answer->codes) {
                        text = near;
                        break;
                    }
                }
            }
    return editOf(fmt::format("{}, {}: {}", of.title, say(spec->title), text), SetGoal{of.id, spec->id, text});
}

} // namespace bindrel
