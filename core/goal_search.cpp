// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/goal_search.h"

#include "core/base/say.h"
#include "core/quantity/format.h"
#include "core/tuning/one_need.h"

#include <algorithm>
#include <vector>

namespace bindrel {

std::optional<Rational> numberOfGoal(const GoalValue& value)
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

std::string goalTextOf(const GoalSpec& spec, const GoalValue& like, const Rational& number, int digits)
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

GoalProbe::Answer GoalProbe::ask(const Plan& plan) const
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

std::optional<Plan> GoalProbe::with(const std::string& goal, const std::string& text) const
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

std::optional<GoalProbe::Answer> GoalProbe::ask(const std::string& goal, const std::string& text) const
{
    const std::optional<Plan> plan = with(goal, text);
    return plan ? std::optional(ask(*plan)) : std::nullopt;
}

namespace {

/// Looks for a text of one goal with which a field holds a code.
class GoalSearch {
public:
    GoalSearch(const GoalProbe& probe, const GoalSpec& spec, const FieldRef& ref, std::uint32_t wanted)
        : probe_(probe), spec_(spec), ref_(ref), wanted_(wanted), now_(goalValue(probe.need(), spec.id))
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
        const std::optional<GoalProbe::Answer> answer = probe_.ask(spec_.id, text);
        if (!answer)
            return std::nullopt;
        // What the goal does not decide is as after reset.
        const auto at = answer->codes.find(ref_);
        return at == answer->codes.end() ? probe_.device().resetCode(ref_) : at->second;
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
        for (const auto& [name, role] : probe_.device().blockOf(ref_.instance).roles)
            if (role.reg == ref_.reg && role.field == ref_.field)
                return role.encoding;
        return asIs;
    }

    /// Of a number, in few digits: what is tried is what can be typed.
    std::optional<Rational> typed(const Rational& number, int digits) const
    {
        if (!number.defined())
            return std::nullopt;
        const Expected<GoalValue> read = parseGoal(spec_, goalTextOf(spec_, now_, number, digits));
        return read ? numberOfGoal(*read) : std::nullopt;
    }

    std::optional<std::uint32_t> codeAt(const Rational& number)
    {
        return number.defined() ? codeAt(goalTextOf(spec_, now_, number, kDigits)) : std::nullopt;
    }

    std::optional<std::string> quantity()
    {
        std::optional<Rational> start = numberOfGoal(now_);
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
        const std::string exact = goalTextOf(spec_, now_, found, kDigits);
        if (const std::optional<GoalProbe::Answer> answer = probe_.ask(spec_.id, exact))
            if (const auto error = answer->errors.find(spec_.id); error != answer->errors.end())
                made = found * (Rational(1) + error->second.value / Rational(1'000'000));
        for (int digits = kFewest; digits < kDigits; ++digits) {
            const std::string text = goalTextOf(spec_, now_, made, digits);
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
    const GoalProbe& probe_;
    const GoalSpec& spec_;
    FieldRef ref_;
    std::uint32_t wanted_;
    GoalValue now_;
};

} // namespace

std::optional<std::string> goalTextFor(const GoalProbe& probe, const GoalSpec& spec, const FieldRef& ref,
                                       std::uint32_t wanted)
{
    return GoalSearch(probe, spec, ref, wanted).find();
}

} // namespace bindrel
