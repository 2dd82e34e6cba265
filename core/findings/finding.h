// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/base/message.h"
#include "core/device/library.h"
#include "core/image/image.h"
#include "core/plan/edit.h"
#include "core/tuning/accuracy.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// Everything that is computed before the findings; the input of every rule.
struct Facts {
    const Device& device;
    const Board& board;
    const Plan& plan;
    const Bindings& bindings;
    const Rates& rates;
    const IndexVector<NeedIndex, Setting>& settings;
    const IndexVector<NeedIndex, Accuracy>& accuracy; ///< by need
    const std::vector<PadSetup>& pads;
    const Image& image;
    const Provenance& provenance;
};

/// Where a finding (or anything else that can be jumped to) is.
struct Place {
    enum class Kind { None, Need, Signal, Goal, Pad, Clock, Instance, Register, Range, Mode, Stored } kind = Kind::None;
    std::string
        id; ///< need, pad, clock, instance, low-power mode, setting in non-volatile memory or "INSTANCE.REGISTER"
    std::string sub; ///< signal or goal
    friend bool operator==(const Place&, const Place&) = default;
};

/// A search for settings of the clocks that may mend something; offered, never made unasked.
struct WaysOffer {
    std::string clock; ///< to be brought to `wish`; empty: all broken limits and missed goals are to be mended at once
    std::string wish;  ///< "48 MHz ±0.25 %"
};

/// A rule that the plan breaks, or comes close to breaking.
struct Finding {
    enum class Severity { Error, Caution } severity = Severity::Error;
    std::string rule; ///< "CLK-01"
    Message text;     ///< what is, why it matters, what can be done
    Place place;
    std::string fixTitle; ///< "Bind it", "Divide by 2"; empty when no fix is known
    std::optional<WaysOffer> ways;
    /// Which station it is looked after at; as its rule says, set by findAll().
    enum class Subject { Wiring, Clocks, Goals, Files, Rehearsal } subject = Subject::Files;
    bool beyondPads = false; ///< contention that no pad's own label can show
};

struct Rule {
    std::string id;
    std::string about; ///< what holds where it is kept, for the list of rules
    /// Null when a later stage looks: the generated C, the rehearsal.
    void (*check)(const Facts& facts, std::vector<Finding>& out);
    /// The change that mends a finding of this rule; null when there is none.
    Expected<Edit> (*fix)(const Facts& facts, const Finding& finding) = nullptr;
    bool beyondPads = false; ///< contention that no pad's own label can show: the picture words it in a corner
    Finding::Subject subject = Finding::Subject::Files; ///< set by the group that the rule is in
};

/// All rules, in the order in which their findings are listed within a severity.
const std::vector<Rule>& rules();

/// A finding as the rule of this id says what all its findings have in common. REQUIRES: rules() has it.
Finding findingOf(std::string_view rule, Finding::Severity severity, Message text, Place place);

/// Errors first, then cautions; within each by rule, then in the order of the plan.
std::vector<Finding> findAll(const Facts& facts);

/// The edit that mends a finding, worked out only when asked for. A problem says why there is none.
Expected<Edit> fixFor(const Facts& facts, const Finding& finding);

/// What stands outside the limits of the silicon: clocks too fast or too slow, the flash, the supply.
void clockLimitFindings(const Facts& facts, std::vector<Finding>& out);

// A file a group.
std::vector<Rule> pinRules();
std::vector<Rule> padRules();
std::vector<Rule> resistorRules();
std::vector<Rule> wishRules();
std::vector<Rule> clockRules();
std::vector<Rule> modeRules();
std::vector<Rule> storedRules();
std::vector<Rule> goalRules();
std::vector<Rule> fileRules();

} // namespace bindrel
