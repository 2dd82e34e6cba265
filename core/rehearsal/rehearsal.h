// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/simulated_pads.h"
#include "core/source/source.h"

#include <filesystem>
#include <set>

namespace bindrel {

/// What is rehearsed.
struct Scenario {
    enum class Kind {
        BringUp, ///< from reset until every need is brought up and started
        Slow,    ///< then to the slow clocks and back
        Mode,    ///< then into a low-power mode and back
        Restart, ///< then every need is stopped and started again
        Reset,   ///< then the chip is reset other than by its supply, and all of it once more
    };
    Kind kind = Kind::BringUp;
    int mode = -1;             ///< into Image::modes, for Kind::Mode
    std::set<ClockIndex> dead; ///< clocks that never start
    ClockIndex fails = -1;     ///< a clock that stops once all is up; -1: none
    int sagsTo = -1; ///< the operating range that the supply suffices for after it has fallen, once all is up; -1: it
                     ///< does not fall

    /// Something fails: not what the program does by itself.
    bool whatIf() const { return !dead.empty() || fails >= 0 || sagsTo >= 0; }
    /// It fails once all is up: the program has no part in it.
    bool laterOn() const { return fails >= 0 || sagsTo >= 0; }
    friend bool operator==(const Scenario&, const Scenario&) = default;
};
/// "From reset", "From reset, with the HF crystal dead", "Into Stop and back".
std::string titleOf(const Facts& facts, const Scenario& scenario);
/// All that can be rehearsed of a plan: the bring-up, each change of clocks, and each source or multiplier in use that
/// may not start or may stop.
std::vector<Scenario> scenariosOf(const Facts& facts);

/// What the program does at a moment.
struct Operation {
    std::string text; ///< "CLK.OSC.HFXON = 1"
    std::string why;  ///< the reason, in words; empty where the one before goes on
    Place place;      ///< the decision behind it
    Moment from = 0, to = 0;
    bool waits = false;
    CoreIndex core = 0;
    const Step* step =
        nullptr; ///< of the image; null for what is not planned step by step. Valid as long as the snapshot.
};

/// Something that is seen to change.
struct ObservedChange {
    enum class What { Clock, WaitStates, Pad } what = What::Clock;
    Moment at = 0;
    int operation = -1;
    int index = -1;    ///< clock or pad
    Rational rate = 0; ///< hertz
    std::uint32_t states = 0;
    PadLook look;
};

/// A write as it is seen on the bus.
struct BusWrite {
    CoreIndex core = 0;
    std::uint32_t address = 0;
    std::uint32_t value = 0;
    friend bool operator==(const BusWrite&, const BusWrite&) = default;
};

/// One run on the simulated chip.
struct Rehearsal {
    std::string title;
    std::vector<Operation> operations;
    std::vector<ObservedChange> sightings;
    std::vector<Hazard> hazards;
    std::vector<BusWrite> writes;
    std::string gaveUp;   ///< the wait that timed out, in words; empty when all came
    std::string wentOn;   ///< what is up all the same, by the plan's policy; empty when nothing failed or all ended
    Moment untilUp = 0;   ///< when the bring-up returned
    Moment untilLate = 0; ///< when all was up but what comes from a slow source; 0 when there is none
    Moment end = 0;
    /// Where the time until the bring-up returns went, longest first.
    std::vector<std::pair<std::string, Moment>> split;
    std::string shorter;            ///< what would bring it up sooner; empty when no wait is worth a word
    std::vector<std::string> notes; ///< what was not run, and why
};

/// Runs the planned operations, as the C is written from them. Never fails; at most a few milliseconds.
Rehearsal rehearsePlanned(const Facts& facts, const Scenario& scenario);

/// What the planned runs of a plan show beyond `known`: a finding of rule REH-01 a hazard, errors all. What a finding
/// says already of the same clock is not said again.
std::vector<Finding> hazardFindings(const Facts& facts, const std::vector<Finding>& known);

/// The same as a line for people, before a change is taken: "Rehearsed: no hazard." or the first hazard and how many
/// more there are.
struct Verdict {
    std::string text;
    long hazards = 0;
};
Verdict verdictOn(const Facts& facts, const std::vector<Finding>& known);

/// Compiles the written C with the cross-compilers in `folder` (which must exist and be empty) and executes the machine
/// code from each core's reset vector. `stopped` is asked while compilers run. A problem: no compiler, one that a
/// stranger's file names and nobody has agreed to (see core/device/compiler_consent.h), it does not compile or does not
/// end, or this program was built without the emulator.
Expected<Rehearsal> rehearseMachineCode(const Facts& facts, const Source& source, const Scenario& scenario,
                                        const std::filesystem::path& folder, const std::function<bool()>& stopped = {});

/// How the writes of the planned operations and of the machine code differ; empty when they agree one by one, each core
/// by itself.
std::vector<Hazard> compareWrites(const Device& device, const Rehearsal& planned, const Rehearsal& machine);

} // namespace bindrel
