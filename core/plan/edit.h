// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/plan/plan.h"

#include <optional>
#include <string>
#include <variant>
#include <vector>

/// Edits: small values that turn one plan into the next. They name what they change by id, so they stay meaningful when
/// other things change, and can be printed. Nothing else changes a plan.
namespace bindrel {

struct SetText;
struct SetClock;
struct SetSlow;
struct SetMode;
struct SetOnFailure;
struct SetLeftOut;
struct SetProject;
struct SetStored;
struct SetGoal;
struct SetBinding;
struct SetTerminals;
struct SetHold;
struct InsertNeed;
struct RemoveNeed;
struct SetPin;
struct SetOverride;
struct SetNet;
struct SetResistors;
struct SetCrystal;
struct SetPlace;
struct SetWish;
struct ReplaceNeed;
struct InsertPart;
struct RemovePart;

using Change = std::variant<SetText, SetClock, SetSlow, SetMode, SetOnFailure, SetLeftOut, SetProject, SetStored,
                            SetGoal, SetBinding, SetTerminals, SetHold, InsertNeed, RemoveNeed, SetPin, SetOverride,
                            SetNet, SetResistors, SetCrystal, SetPlace, SetWish, ReplaceNeed, InsertPart, RemovePart>;

// Each change has, beside what it says:
//   apply(plan)    makes it. Fails, changing nothing, when the plan cannot be so.
//   undo(before)   the change that takes it back. REQUIRES: it can be applied to `before`.
//   words(before)  what, old -> new, for previews and the history.
// A new one is a struct here, four functions in core/plan/changes and a line in difference().

/// Sets one text of the plan itself; an empty value means "as board or chip say".
struct SetText {
    enum class What {
        Name,
        Device,
        Board,
        Supply,
        Temperature,
        Outline,
        ChipPlace,
        Stack,
        Heap,
        Range,
        Regulator,
        Prefix
    } what;
    std::string value;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetText&, const SetText&) = default;
};
struct SetClock {
    std::string node;
    std::optional<ClockDecision> value; ///< empty: back to what the chip resets to
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetClock&, const SetClock&) = default;
};
struct SetGoal {
    std::string need;
    std::string goal;
    std::optional<std::string> value; ///< empty: back to the default
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetGoal&, const SetGoal&) = default;
};
struct SetBinding {
    std::string need;
    Binding binding;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetBinding&, const SetBinding&) = default;
};
/// Says which terminals of its part the signals of a need lead to.
struct SetTerminals {
    std::string need;
    std::map<std::string, std::string, std::less<>> terminals; ///< signal -> terminal, as Need::terminals
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetTerminals&, const SetTerminals&) = default;
};
struct SetHold {
    Hold target;
    bool held = true;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetHold&, const SetHold&) = default;
};
struct InsertNeed {
    std::size_t at = 0; ///< position in the list; past the end means at the end
    Need need;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const InsertNeed&, const InsertNeed&) = default;
};
struct RemoveNeed {
    std::string need;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const RemoveNeed&, const RemoveNeed&) = default;
};

/// Says something of the pad that carries a signal; see core/plan/pin_property.h.
struct SetPin {
    std::string need;
    std::string signal;
    std::string property;
    std::optional<std::string> value; ///< empty: back to what follows from the signal
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetPin&, const SetPin&) = default;
};
/// Sets a field of the need's instance by hand.
struct SetOverride {
    std::string need;
    std::string field;                ///< "CTL.MODE"
    std::optional<std::string> value; ///< empty: as the goals ask for
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetOverride&, const SetOverride&) = default;
};
struct SetNet {
    std::string pad;
    std::optional<std::string> net; ///< empty: what the board's file says
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetNet&, const SetNet&) = default;
};
/// Says which resistors of the board are at a pad's net.
struct SetResistors {
    std::string pad;
    std::optional<NetResistors> resistors; ///< empty: what the board's file says
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetResistors&, const SetResistors&) = default;
};
/// Says what crystal or fed-in clock drives an oscillator; see core/plan/crystal_text.h.
struct SetCrystal {
    std::string clock;
    /// Empty: what the board's file says. Empty inside: not fitted.
    std::optional<std::optional<CrystalFact>> crystal;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetCrystal&, const SetCrystal&) = default;
};
/// Puts another need in the place of one: title, part, kind, terminals and all.
struct ReplaceNeed {
    std::string need;
    Need with;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const ReplaceNeed&, const ReplaceNeed&) = default;
};
/// Says where a part stands on the board.
struct SetPlace {
    std::string part;
    std::optional<std::string> place; ///< as parsePlace() reads it; empty: what the board's file says
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetPlace&, const SetPlace&) = default;
};
/// States a wish of the person who lays out the board, or takes it back.
struct SetWish {
    std::string sentence;
    std::optional<WishStrength> strength; ///< empty: what the board's file says
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetWish&, const SetWish&) = default;
};
struct InsertPart {
    std::size_t at = 0;
    Part part;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const InsertPart&, const InsertPart&) = default;
};
struct RemovePart {
    std::string part;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const RemovePart&, const RemovePart&) = default;
};

/// The clock settings that the program can switch to.
struct SetSlow {
    std::optional<ClockSet> set; ///< empty: there are none
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetSlow&, const SetSlow&) = default;
};

/// Whether the program enters a low-power mode of the chip.
struct SetMode {
    std::string mode;
    bool entered = false;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetMode&, const SetMode&) = default;
};

/// What the bring-up does when a clock does not start.
struct SetOnFailure {
    OnFailure policy = OnFailure::Stop;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetOnFailure&, const SetOnFailure&) = default;
};

/// The parts and kinds that are left out of the written project.
struct SetLeftOut {
    std::set<OutputPart> parts;
    std::set<std::string, std::less<>> kinds = {}; ///< all needs of these
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetLeftOut&, const SetLeftOut&) = default;
};

/// How the written project is laid out.
struct SetProject {
    ProjectLayout layout;
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetProject&, const SetProject&) = default;
};

/// A setting in the chip's non-volatile memory.
struct SetStored {
    std::string setting;              ///< "WORD.SETTING"
    std::optional<std::string> value; ///< empty: as the factory left it
    Outcome apply(Plan& plan) const;
    Change undo(const Plan& before) const;
    std::string words(const Plan& before) const;
    friend bool operator==(const SetStored&, const SetStored&) = default;
};

/// One undo step: changes that are made together or not at all, in order.
struct Edit {
    std::string title; ///< for the undo list: "Bind Uplink to UART3"
    std::vector<Change> changes;
    friend bool operator==(const Edit&, const Edit&) = default;
};

Edit editOf(std::string title, Change change);

/// The plan after the edit. Fails, changing nothing, when a change names a need or goal that the plan does not have, or
/// gives a goal a text that it cannot have.
Expected<Plan> applied(const Plan& plan, const Edit& edit);
/// The edit that turns applied(plan, edit) back into `plan`. REQUIRES: applied(plan, edit).ok()
Edit inverse(const Plan& plan, const Edit& edit);

/// The edit that turns one plan into another, whatever is different.
Edit difference(const Plan& before, const Plan& after, std::string title);

/// A change in words: what, old -> new, for previews.
std::string describe(const Plan& before, const Change& change);

} // namespace bindrel
