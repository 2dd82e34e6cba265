// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <map>
#include <optional>
#include <string>

/// Goals by what the hardware makes of them: the codes of a need's fields for any text of a goal, and a text for a
/// code.
namespace bindrel {

/// The exact number that a goal states; empty for a choice, a text, "none".
std::optional<Rational> numberOfGoal(const GoalValue& value);

/// A number as a text of the goal that is read with the same unit as `like`, as it is typed.
std::string goalTextOf(const GoalSpec& spec, const GoalValue& like, const Rational& number, int digits);

/// Answers what the fields of a need's instance hold for other goals; everything else stays as it is. Snapshot and plan
/// outlive it.
class GoalProbe {
public:
    using Codes = std::map<FieldRef, std::uint32_t>;

    struct Answer {
        Codes codes;
        std::map<FieldRef, std::string> goals;          ///< that decide them
        int missed = 0;                                 ///< goals that are not met
        std::map<std::string, Ppm, std::less<>> errors; ///< of goals that have one
    };

    GoalProbe(const Snapshot& s, const Plan& plan, NeedIndex need) : s_(s), plan_(plan), need_(need) {}

    const Device& device() const { return *s_.device; }
    const Need& need() const { return plan_.needs[need_]; }
    Answer ask(const Plan& plan) const;
    /// With one goal changed; empty when the goal does not take the text, or takes other pads or channels then.
    std::optional<Plan> with(const std::string& goal, const std::string& text) const;
    std::optional<Answer> ask(const std::string& goal, const std::string& text) const;

private:
    const Snapshot& s_;
    const Plan& plan_;
    NeedIndex need_;
};

/// A text of one goal with which a field holds `wanted`, in few digits; nothing when none is found.
std::optional<std::string> goalTextFor(const GoalProbe& probe, const GoalSpec& spec, const FieldRef& ref,
                                       std::uint32_t wanted);

} // namespace bindrel
