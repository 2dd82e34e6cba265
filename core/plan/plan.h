// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/device/board.h"
#include "core/device/part.h"
#include "core/plan/clock_decision.h"
#include "core/plan/goals.h"
#include "core/plan/project_layout.h"

#include <map>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// The answer to a need: an instance and a pad for each signal. Names, not indices, so that a plan can be read and
/// compared without its device.
struct Binding {
    std::string instance; ///< "UART3"; empty when none is chosen (or the need takes none)
    std::map<std::string, std::string, std::less<>> pads; ///< signal -> pad

    /// Signal -> signal of the instance ("CH2"), where a pad alone does not say by which: two channels of a timer lead
    /// to it, and the first is not meant.
    std::map<std::string, std::string, std::less<>> via;

    std::map<std::string, int, std::less<>> dma; ///< request ("RX") -> channel of the DMA controller

    bool empty() const { return instance.empty() && pads.empty() && dma.empty(); }
    friend bool operator==(const Binding&, const Binding&) = default;
};

/// What a part, or the firmware itself, wants from the chip.
struct Need {
    std::string id;    ///< unique in the plan: lower case, digits, hyphens
    std::string part;  ///< id of a part of the board; empty for the firmware's own needs
    std::string title; ///< "Uplink"
    std::string kind;  ///< "uart", "pwm", …: see core/plan/kind.h
    Goals goals;       ///< what is missing has its default
    std::map<std::string, std::string, std::less<>> terminals; ///< signal -> terminal of the part
    /// What is said of the pads that carry its signals: signal -> property -> text; see core/plan/pin_property.h. It
    /// goes with the signal when that moves.
    std::map<std::string, std::map<std::string, std::string, std::less<>>, std::less<>> pins;
    /// Fields of its instance that are set by hand, whatever the goals ask for: "CTL.MODE" -> "2" or the name of one of
    /// the field's values; see core/pins/overrides.h.
    std::map<std::string, std::string, std::less<>> overrides;
    std::string core; ///< that owns it on a chip with several; empty: the first
    /// Core or world that may reach its instance besides the owner, where the chip keeps them apart; "nobody": the
    /// owner alone; empty: as after reset, as long as that admits the owner.
    std::string openTo;
    bool leftOut = false; ///< of the written project: the user's own code drives it
    Binding binding;

    friend bool operator==(const Need&, const Need&) = default;
};

/// Decisions about clocks, with the operating range that they are made for.
struct ClockSet {
    std::string range; ///< empty: the one that the chip resets to
    ClockDecisions clocks;

    friend bool operator==(const ClockSet&, const ClockSet&) = default;
};

/// What the bring-up does when a source or multiplier does not start in its time.
enum class OnFailure {
    Stop,     ///< ends with a status; pads stay at the levels that they start with
    GoOn,     ///< leaves what comes from it as after reset, and brings up the needs that do not hang on it
    FallBack, ///< goes to the slow clocks, and brings up the needs that run from them as planned
};
/// "stop", "go on", "fall back": as the file says it.
const char* nameOf(OnFailure policy);
/// Empty when it is none of the three.
std::optional<OnFailure> onFailureOf(std::string_view name);

/// A part of the written project that a team may have of its own.
enum class OutputPart { StartUp, LinkerScript, Main, BuildFiles, Verify, ClockRates, Debugger, ProjectPage };
/// "start-up", "linker script", …: as the file says it.
const char* nameOf(OutputPart part);
/// Empty when it is none.
std::optional<OutputPart> outputPartOf(std::string_view name);
/// The names of all, in the order of the enumeration.
std::vector<std::string> outputPartNames();
/// "kind uart": all needs of it are left out.
std::string leftOutKindText(std::string_view kind);
/// Adds what a text of a list of what is left out names: a part, or "kind uart". Fails, adding nothing, when it is
/// neither.
Outcome addLeftOut(std::string_view text, std::set<OutputPart>& parts, std::set<std::string, std::less<>>& kinds);

/// What searches must leave alone: a clock's setting, a need with its instance and all its pads, the pad of one signal.
struct Hold {
    enum class Of { Clock, Need } of = Of::Need;
    std::string id;
    std::string signal; ///< of the need; empty: the whole need
    friend auto operator<=>(const Hold&, const Hold&) = default;
};

/// The document: one device, one board, the needs and every decision.
struct Plan {
    std::string name;
    std::string device;
    std::string board;
    std::string deviceRevision; ///< of the device's file when the plan was last saved; empty: not noted yet
    std::string deviceOrigin;   ///< where that file was found: "shipped", "user", "beside the plan", "folder"
    std::string supply;         ///< "3.3 V"; empty: what the board says
    std::string temperature;    ///< "-20 to 70 °C", that the board is made for; empty: what the board says
    std::string outline;        ///< "100 x 80 mm"; empty: what the board says
    std::string chipPlace;      ///< "50, 40 mm, turned 90"; empty: what the board says
    std::string range;          ///< operating range; empty: the one that the chip resets to
    std::string regulator;      ///< that makes the core's voltage; empty: the one that the chip resets to
    std::string stack;          ///< "4 KiB", that every program keeps for its stack; empty: what is left, unchecked
    std::string heap;           ///< "1 KiB", between data and stack; empty: none
    std::string prefix;         ///< of generated files and names; empty: made from the plan's name

    ClockDecisions clocks;
    /// Another set that the program can switch to and back from while it runs, to save current.
    std::optional<ClockSet> slow;
    OnFailure onFailure = OnFailure::Stop;
    std::set<OutputPart> leftOut;                    ///< of the written project: the user has these already
    std::set<std::string, std::less<>> leftOutKinds; ///< likewise all needs of these kinds
    ProjectLayout project;
    /// Settings in the chip's non-volatile memory: "WORD.SETTING" -> the name of a value. What is missing is as the
    /// factory left it.
    std::map<std::string, std::string, std::less<>> stored;
    /// Ids of the chip's low-power modes that the program enters; the source has a function for each.
    std::set<std::string, std::less<>> modes;
    std::set<Hold> holds;
    /// Parts that the board's file does not have: added here, or kept when the plan went to another board. Their needs
    /// are in `needs`.
    std::vector<Part> parts;
    /// Nets that the board's file does not tell, or tells otherwise: pad -> net; an empty net: not routed after all.
    std::map<std::string, std::string, std::less<>> nets;
    /// By pad: resistors at its net that the board's file does not tell or tells otherwise; none(): there are none.
    std::map<std::string, NetResistors, std::less<>> resistors;
    /// Where parts stand, which the board's file does not tell or tells otherwise: by part, as placeText() says it.
    std::map<std::string, std::string, std::less<>> places;
    /// What the person who lays out the board wishes beside what its file says; Dropped where it does not hold here.
    Wishes wishes;
    /// Crystals and external clocks that the board file lacks or states otherwise, by the clock that they drive; empty:
    /// not fitted.
    std::map<std::string, std::optional<CrystalFact>, std::less<>> crystals;
    IndexVector<NeedIndex, Need> needs;

    ClockSet clockSet() const { return {range, clocks}; }
    /// Whether the user's own code drives a need, by itself or by its kind.
    bool leavesOut(const Need& need) const { return need.leftOut || leftOutKinds.contains(need.kind); }
    const Need* need(std::string_view id) const;
    Need* need(std::string_view id);
    bool held(const Hold& hold) const { return holds.contains(hold); }

    friend bool operator==(const Plan&, const Plan&) = default;
};

Hold holdOfClock(std::string_view clock);
Hold holdOfNeed(std::string_view need);
Hold holdOfSignal(std::string_view need, std::string_view signal);
/// As the file says it: "clock ID", "need ID", "need ID SIGNAL".
std::string holdText(const Hold& hold);
/// Empty when the text is none of the three.
std::optional<Hold> readHold(std::string_view text);

/// An id that no need of the plan has yet, made from a title: "Gate bridge" -> "gate-bridge", "gate-bridge-2".
std::string freeNeedId(const Plan& plan, std::string_view title);
/// A title that no need of the plan has yet: "Lid switch", "Lid switch 2".
std::string freeNeedTitle(const Plan& plan, std::string_view title);

} // namespace bindrel
