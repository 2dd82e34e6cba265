// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/base/index.h"
#include "core/quantity/quantity.h"

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace bindrel {

struct ClockNode;
struct Device;

enum class ClockRun {
    WhenUsed, ///< when something uses it
    On,       ///< whether something uses it or not
    Off,      ///< whatever uses it
};

/// Of a source, a PLL or a gate.
struct RunDecision {
    std::optional<Frequency> rate; ///< of an oscillator with several; empty: as after reset
    ClockRun run = ClockRun::WhenUsed;
    bool trimmed = false;
    bool monitored = false;
    friend bool operator==(const RunDecision&, const RunDecision&) = default;
};
/// What a divider divides by, or a multiplier multiplies with.
struct FactorDecision {
    std::int64_t setting = 1; ///< in 1/unit
    std::int64_t unit = 1;    ///< of the clock that it was said for; it is spelt so, "39+125/1000"

    Rational factor() const { return Rational(setting, unit); }
    friend bool operator==(const FactorDecision& a, const FactorDecision& b) { return a.factor() == b.factor(); }
};
/// Where a select gets its clock from.
struct InputDecision {
    std::string clock; ///< id; empty: none
    friend bool operator==(const InputDecision&, const InputDecision&) = default;
};

/// What a plan says of one clock. It means the same on any chip; whether this chip's clock can be so is isPossible().
using ClockDecision = std::variant<RunDecision, FactorDecision, InputDecision>;
/// By the id of the clock. What is missing stays as the chip resets to; sources and PLLs then run when something uses
/// them.
using ClockDecisions = std::map<std::string, ClockDecision, std::less<>>;

/// As a plan's file says it: "8 MHz, on, trimmed", "auto", "40.5", "40+1/3000", "PLLA.MAIN", "none".
std::string clockDecisionText(const ClockDecision& decision);
/// The same of a decision that may be missing: empty then.
std::string clockDecisionText(const std::optional<ClockDecision>& decision);

/// Reads what was typed, or stands in a file, for a clock: "/3", "÷3" and "3" mean the same, and an input may be said
/// by its title. A text that is not possible for this clock is a problem that names what would be.
Expected<ClockDecision> readClockDecision(const Device& device, ClockIndex clock, std::string_view text);
/// Whether this chip's clock can be so.
bool isPossible(const Device& device, ClockIndex clock, const ClockDecision& decision);
/// What it comes to as ClockState::setting; empty when it says nothing of that (a source that is only switched on), or
/// what is not possible.
std::optional<std::int64_t> settingOf(const Device& device, ClockIndex clock, const ClockDecision& decision);

/// What decisions say of a clock's running: the default unless it is a source or a gate that can be so, or something
/// else that is turned off.
RunDecision runDecision(const Device& device, const ClockDecisions& decisions, ClockIndex clock);
/// What is said of a clock after a choice of clockChoices() is taken: of a source a rate leaves the words, and
/// "trimmed" or "monitored" said again is taken back.
ClockDecision withChoice(const std::optional<ClockDecision>& said, const ClockDecision& choice);
/// Whether what is said is, or holds, the choice.
bool holdsChoice(const std::optional<ClockDecision>& said, const ClockDecision& choice);

/// What can be decided about a clock, in the order of the chip's file: rates and words of a source, a select's inputs,
/// factors. Of a fraction with steps too many to list, the whole factors. Empty for a clock without a choice.
std::vector<ClockDecision> clockChoices(const Device& device, ClockIndex clock);

/// A setting in 1/unit of a divider or multiplier as a decision.
FactorDecision factorDecision(const ClockNode& node, std::int64_t setting);
/// Likewise as text.
std::string factorText(const ClockNode& node, std::int64_t setting);

} // namespace bindrel
