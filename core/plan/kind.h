// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/base/index.h"
#include "core/device/block_kind.h"
#include "core/plan/goals.h"
#include "core/plan/plan.h"
#include "core/quantity/quantity.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

struct Device;

/// A quantity or a choice that a need of some kind states.
struct GoalSpec {
    enum class Type { Frequency, Baud, BitRate, Duration, Ratio, Tolerance, Integer, Choice, Name, Text };
    std::string id;
    std::string title;
    Type type = Type::Choice;
    std::string fallback;             ///< value when the plan says nothing
    std::vector<std::string> choices; ///< Choice only
    std::string about;
    long min = 0, max = 0; ///< Integer only
    bool rare = false;     ///< folded away under "More"
    bool orTime =
        false; ///< Ratio only: may be stated as a time ("1.5 ms") or as a voltage after a filter ("1.2 V") too
    bool orNone = false;     ///< may be "none": nothing of the sort is wanted
    GoalValue fallbackValue; ///< what `fallback` says (set in kinds())
    bool ofClock = false;    ///< Name only: the id of a source among the clocks
    bool ofPin = false;      ///< states the property of its pad that has the same name; see pin_property.h
};

/// A wire that a need takes to the chip.
struct SignalSpec {
    std::string id;    ///< "tx"; the key in Binding::pads
    std::string title; ///< "transmit", as the chip sees it
    /// Signal of the instance: "TX", or "CH#N" where # is any channel number. Empty: the pad itself, as a port's bit.
    std::string pattern;
    int channel = -1; ///< signals with the same number here must get the same channel, others different ones
    enum class Direction { In, Out, Both, Analog } direction = Direction::Both;
    bool line = false; ///< takes the external-interrupt line of its pad
};

/// What the trade calls a kind, or some of its goals together, in one line: "led" is a GPIO with direction output,
/// "active low" a level that is high at first.
struct PhraseSpec {
    std::string words; ///< lower case, separated by one blank
    std::vector<std::pair<std::string, std::string>> goals;
    std::string title = {}; ///< of a need that is called so; empty: the kind's
};

/// A kind of need: what can be asked for, which signals that takes, and what it must find in the block that serves it.
/// This is what binding asks of a kind; what the later stages ask is beside it in core/kinds.
struct KindSpec {
    std::string id;           ///< "uart"
    std::string title;        ///< "UART"
    std::string instanceKind; ///< block kind that serves it; empty when it takes no instance, "*" for any
    // The vocabulary of such a block: only these words may stand in a device file.
    std::vector<RoleSpec> roles;
    std::vector<WordSpec> abilities;
    std::vector<WordSpec> instanceSignals;
    std::vector<WordSpec> instanceRequests;
    std::vector<WordSpec> instanceEvents; ///< that can interrupt
    /// Roles (of numbered ones any) that only some blocks of the kind have, and without which one cannot serve:
    /// "captured#".
    std::vector<std::string> demands;
    std::string sourceResistanceGoal; ///< goal, in ohms, that says what drives its inputs; empty: it has no such
    std::string instanceGoal;         ///< goal that names the instance which must serve it; empty: any of the kind
    std::vector<GoalSpec> goals;
    std::vector<PhraseSpec> otherNames; ///< of the kind, beside its id and its title
    std::vector<PhraseSpec> phrases;    ///< behind the kind; the goals must not be stated otherwise
    /// Two goals that "4x8" states, the first one before the x; empty: the kind has no such size.
    std::pair<std::string, std::string> sizeGoals;
    /// Signals for the given goals (flow control adds two, …). REQUIRES: goals were checked.
    std::vector<SignalSpec> (*signals)(const Need& need) = nullptr;
    /// Which goals matter for the given ones; null: all.
    bool (*relevant)(const Need& need, std::string_view goal) = nullptr;
    /// The goal in a few characters, for the list of needs: "460.8 kBd".
    std::string (*brief)(const Need& need) = nullptr;

    /// How fast an output toggles at most, in full cycles a second; null or zero: too slowly to matter.
    Frequency (*fastest)(const Need& need, std::string_view signal) = nullptr;
    /// Level at which its outputs stand while they are not enabled; null: a pad's own level.
    bool (*restsHigh)(const Need& need) = nullptr;
    std::string restGoal; ///< that sets this level, as "low" or "high"
    /// Whether it waits for edges at its pads, on their external-interrupt lines; null: it never does.
    bool (*waitsForEdges)(const Need& need) = nullptr;
    /// It states fields of its instance by themselves; see plain_fields.h.
    bool statesFields = false;
    /// Goals for a pad by itself that is found driven by its port, or read; null: the kind is not for such.
    Goals (*ofPad)(bool driven) = nullptr;
    /// What it needs is soldered to its fixed pads, or it could not work at all (a crystal, a debug port): a net of the
    /// board there is its own, whatever it is called.
    bool solderedToItsPads = false;
    /// Least drive strength of its outputs, 0 to 2.
    int leastDrive = 0;
    /// DMA requests for the given goals; null: it makes none.
    std::vector<std::string> (*requests)(const Need& need) = nullptr;
    /// Needs that say the same here can share an instance (one time base, one converter); empty text or null: none can.
    std::string (*sharedAs)(const Need& need) = nullptr;
    /// Id of the need whose timer's periods it counts instead of a clock; empty text or null: its own clock paces it.
    std::string (*pacedBy)(const Need& need) = nullptr;
    /// Id of the need whose output each of its interrupts toggles; empty text or null: none.
    std::string (*toggles)(const Need& need) = nullptr;
    /// Whether it is a single output, which can be toggled; null: it is not.
    bool (*canBeToggled)(const Need& need) = nullptr;
    /// Rate of the periods that its timer makes, by which others can be started; null: it makes none.
    Frequency (*nominalTriggerRate)(const Need& need) = nullptr;

    const GoalSpec* goal(std::string_view id) const;
    /// Whether an instance serves: its block is of the kind and has what is demanded. On a chip where none has, any of
    /// the kind, so that it can be told.
    bool servedBy(const Device& device, InstanceIndex instance) const;
    bool servedBy(std::string_view blockKind) const
    {
        return !instanceKind.empty() && (instanceKind == "*" || instanceKind == blockKind);
    }
};

/// In the order in which lists offer them. (Made in core/kinds/all.cpp.)
const std::vector<KindSpec>& kinds();
const KindSpec* findKind(std::string_view id);

/// The goal's text: the plan's, else the default; to be shown. What it says is goalValue(). Empty when the kind has no
/// such goal.
std::string goalText(const Need& need, std::string_view goal);
/// What a text says, by the goal's type; the message says what would be right.
Expected<GoalValue> parseGoal(const GoalSpec& goal, std::string_view text);
/// The text without blanks around it when the goal takes it.
Expected<std::string> checkGoal(const GoalSpec& goal, std::string_view text);

/// The same for lists, with rates and times in one canonical spelling. `unit` replaces "Hz".
std::string shortGoal(const Need& need, std::string_view goal, std::string_view unit = "Hz");
/// What the goal says, stated or by default; monostate when the kind has no such goal.
GoalValue goalValue(const Need& need, std::string_view goal);
/// The same as a value of one type; empty when it is another ("none", or a time where a share may be stated as one).
template <typename T> std::optional<T> goalAs(const Need& need, std::string_view goal)
{
    const GoalValue value = goalValue(need, goal);
    const T* held = std::get_if<T>(&value);
    return held ? std::optional<T>(*held) : std::nullopt;
}
/// Zero when it is no rate, no time, no number.
Frequency goalRate(const Need& need, std::string_view goal);
Duration goalTime(const Need& need, std::string_view goal);
std::int64_t goalNumber(const Need& need, std::string_view goal);
/// Of a goal that is a name or a text; empty when it is none.
std::string goalName(const Need& need, std::string_view goal);
/// Whether a choice is the word. False when the kind has no such goal; a word that is no choice of it is a mistake of
/// the program and throws.
bool goalIs(const Need& need, std::string_view goal, std::string_view word);
/// All goals of a need as its kind wants them: the kind's own struct, `T::of(need)`, made when it is first asked for
/// and again after a change of the goals only. It must follow from the goals alone; a kind has one such struct. It
/// lives as long as the need's goals do and are not changed. REQUIRES: the need's kind is known
template <typename T> const T& goalsOf(const Need& need)
{
    struct Made : GoalValues::Own {
        explicit Made(const Need& from) : goals(T::of(from)) {}
        T goals;
    };
    const GoalValues& values = *need.goals.valuesFor(*findKind(need.kind));
    std::shared_ptr<const GoalValues::Own> made = values.own.load(std::memory_order_acquire);
    if (!made) {
        // Of two threads that make it at once, one has its own stay, and both use that.
        const auto mine = std::make_shared<const Made>(need);
        made = values.own.compare_exchange_strong(made, mine, std::memory_order_acq_rel) ? mine : made;
    }
    return dynamic_cast<const Made&>(*made).goals;
}
/// Equal for equal values only, among those of one goal: for what is shared by needs that say the same.
std::string sameText(const GoalValue& value);

std::vector<SignalSpec> signalsOf(const Need& need);
std::vector<std::string> requestsOf(const Need& need);
/// Of an output, in full cycles a second; zero where it is too slow to matter.
Frequency fastestOf(const Need& need, std::string_view signal);
/// The words of a table of choices and what they mean, for GoalSpec::choices.
template <typename T> std::vector<std::string> wordsOf(const std::vector<std::pair<std::string, T>>& table)
{
    std::vector<std::string> out;
    for (const auto& [word, meaning] : table)
        out.push_back(word);
    return out;
}
/// The goal "priority" of kinds whose events interrupt.
GoalSpec priorityGoal();
GoalSpec togglesGoal();
/// The goal "takes": how long the user's function of its interrupt runs at most; "none": not stated.
GoalSpec takesGoal();
/// The goal "above": the id of a need whose interrupts are less urgent.
GoalSpec aboveGoal();

/// How urgent the plan makes a need's interrupts.
struct Urgency {
    std::optional<std::uint32_t> level; ///< in the chip's own levels; empty: as after reset, which is 0
    std::string trouble;                ///< why what is stated cannot be; empty when it can
};
/// Its own level, or the nearest one that is more urgent than that of the need that it is to stand above. On most chips
/// 0 is the most urgent level; a controller whose block has the ability "urgent_is_high" counts the other way.
Urgency urgencyOf(const Device& device, const Plan& plan, const Need& need);

/// Whether a goal matters for what else the need states.
bool matters(const Need& need, std::string_view goal);
/// Checks every goal of a need against its kind; the message names the goal.
Outcome checkGoals(const Need& need);

/// The goals of kinds that DMA serves beside "dma" itself: whether it goes round, what it tells, how urgent it is.
void addDmaGoals(KindSpec& kind);
/// Requests "RX" and "TX" as a goal "dma" of none, receive, transmit or both asks for.
std::vector<std::string> dmaBothWays(const Need& need);

} // namespace bindrel
