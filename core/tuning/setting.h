// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/clocks/rates.h"
#include "core/plan/kind.h"
#include "core/tuning/segment_digits.h"

#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// What the hardware will really do for one goal.
struct Achieved {
    std::string goal; ///< id of the goal; several rows may belong to one
    std::string title;
    std::string wanted; ///< in words, with units
    std::string achieved;
    std::optional<Ppm> error; ///< against the goal, where there is one to speak of
    bool ok = true;
    std::string formula;  ///< "80 MHz × 16 / (16 × 2778)"
    std::string trouble;  ///< why it is not ok and what to do; empty when it is
    bool check = false;   ///< not the goal's own value but something beside it that must hold
    bool byHand = false;  ///< a field that decides it is set by hand
    bool unknown = false; ///< and to something that the arithmetic cannot follow: what is achieved is not computed
};

/// "clock 8 MHz (at most 12 MHz)": what is, and beside it the bound that the title speaks of.
std::string achievedText(const Achieved& row);

/// A role of the instance's block and the value that the arithmetic gives it, before the field's encoding.
struct RoleValue {
    std::string role;
    std::int64_t value = 0;
    std::string goal; ///< that decides it; empty for what always holds
    enum class When {
        Config, ///< part of the bring-up
        Event,  ///< written after the configuration, in the order given: loads buffered registers and the like
        Start,  ///< by the start function, in the order given; taken back in reverse by the stop function
        Use,    ///< by the need's functions each time: several needs use the instance in turn
    } when = When::Config;
    std::int64_t back = 0;                  ///< Start: what the stop function writes
    std::optional<std::int64_t> asked = {}; ///< the value that the goals ask for, where `value` is set by hand
};

/// An operation of the bring-up beside the plain configuration, where order counts: a state to ask for, a flag to wait
/// for.
struct RoleStep {
    enum class Kind { Set, Await } kind = Kind::Set;
    std::string role;
    std::int64_t value = 0;
    std::string why;
};

/// An event that the need wants to be told of.
struct NeedEvent {
    std::string event;           ///< as the block's kind names it; key of Instance::interrupts
    std::string enable;          ///< role that lets it interrupt; empty or absent: it always does
    std::string flag;            ///< role that tells that it has come; empty or absent: the interrupt alone tells
    std::string function;        ///< ending of the name of the user's function: "tick"
    std::string about;           ///< of that function
    Frequency rate;              ///< how often at most; zero: nobody can say
    bool own = false;            ///< the need's own C has the function; it is not the user's
    InstanceIndex instance = -1; ///< whose event it is; left out by a kind whose need's own instance tells it
};

/// What DMA moves for a need, as its kind declares it.
struct StreamSpec {
    std::string request; ///< "RX"
    std::string role;    ///< register of the instance at the other end; empty: both ends are memory
    bool intoMemory = true;
    int bytes = 1;         ///< a unit: 1, 2 or 4
    std::string_view verb; ///< beginning of its functions' names: "receive"
};

/// The same, on a channel whose registers are known.
struct StreamSetting {
    StreamSpec spec;
    int channel = -1;
    std::vector<RoleValue> roles; ///< of the DMA controller, with the channel's number, for the bring-up
    std::int64_t most = 0;        ///< units that can be moved in one go
};

/// A picture of the signals, to scale.
struct Waveform {
    struct Edge {
        Duration at;
        bool high = false; ///< level from here on
    };
    struct Trace {
        std::string title;
        bool high = false; ///< level at time 0
        std::vector<Edge> edges;
    };
    /// Spans that follow each other, with what happens in them.
    struct Band {
        struct Part {
            Duration from, to;
            std::string label;
            bool strong = false; ///< against the others, which are pale
        };
        std::string title;
        std::vector<Part> parts;
    };
    struct Ramp { ///< what the counter does, 0 … 1
        std::string title;
        std::vector<std::pair<Duration, Rational>> points;
        std::vector<std::pair<std::string, Rational>> levels; ///< compare values as lines
    };
    struct Mark {
        Duration from, to; ///< equal for an instant
        int trace = -1;    ///< -1: over all
        std::string label;
        bool shade = true; ///< a span that matters (dead time), against a mere tick (sampling point)
    };
    /// A place that states a goal, and can be dragged.
    struct Handle {
        std::string goal;
        Duration at;
        Duration from; ///< where it is measured from
        enum class States {
            Time,  ///< the goal is the time between the two
            Share, ///< its ratio to `whole` seconds
            Rate,  ///< `whole` cycles in it
        } states = States::Time;
        Rational whole = 1;
        int trace = -1; ///< -1: over all
    };
    std::string title;
    Duration span;
    std::vector<Handle> handles;
    std::vector<Trace> traces;
    std::vector<Band> bands; ///< below the traces
    std::optional<Ramp> ramp;
    std::vector<Mark> marks;
    std::optional<Duration> triggers; ///< when it starts what other needs do
};

/// One of the choices that serve, or nearly do, for the person to see what was decided against and to choose another.
struct Alternative {
    std::string choice;
    std::string result;
    std::string note;
    std::vector<std::pair<std::string, std::int64_t>> roles = {}; ///< what it sets them to
};

/// The answer to a need's goals.
struct Setting {
    bool computed = false;   ///< false when the need has no instance or its clock does not run
    std::string notComputed; ///< why not
    std::vector<Achieved> achieved;
    /// How fast the need really works as a part of what was asked for: what its pads toggle at goes with it.
    Rational pace = 1;
    std::vector<RoleValue> roles;
    std::vector<RoleStep> before; ///< in the bring-up, before the configuration, in order
    std::vector<RoleStep> after;  ///< and after it
    std::vector<NeedEvent> events;
    std::vector<StreamSetting> streams; ///< that the need's functions start
    /// The configuration is written by the start function, once and for all: what it starts cannot be changed or
    /// stopped.
    bool atStart = false;
    ClockIndex kernel = -1; ///< clock that times it

    const Achieved* goal(std::string_view id) const
    {
        for (const Achieved& a : achieved)
            if (a.goal == id)
                return &a;
        return nullptr;
    }
    /// Whether DMA moves what this request asks for.
    bool moves(std::string_view request) const
    {
        for (const StreamSetting& stream : streams)
            if (stream.spec.request == request)
                return true;
        return false;
    }
    std::optional<std::int64_t> role(std::string_view name) const
    {
        for (const RoleValue& r : roles)
            if (r.role == name)
                return r.value;
        return std::nullopt;
    }
};

/// What is made of a need's numbers only when somebody looks at it.
struct Look {
    std::optional<Waveform> waveform;
    std::vector<Alternative> alternatives; ///< the one in use first
    std::optional<SegmentDigits> digits;
    std::string startedBy; ///< id of the need whose timer starts this one's work; empty: none does
    std::string ranking;   ///< what the arithmetic ranks them by: "the smallest error, then …"
};

/// Everything that the arithmetic of a kind may look at.
struct TuningContext {
    const Device& device;
    const Rates& rates;
    const Need& need;
    const BoundNeed& bound;
    const Plan& plan; ///< for what another need gives: a trigger
    const Bindings& bindings;
    Look* look = nullptr; ///< filled where there is one; nobody looks at the many answers of a search
    bool worded = true;   ///< texts are to be read; see words.h

    const ClockState& kernel() const { return rates.clocks[device.instances[bound.instance].kernel]; }
    std::string kernelName() const { return device.clocks[device.instances[bound.instance].kernel].name; }
    const Encoding& encoding(std::string_view role) const;
    /// Whether the block has a field for the role. What every chip of a kind need not have is asked for first.
    bool has(std::string_view role) const { return device.blockOf(bound.instance).role(role) != nullptr; }
    /// Largest code of a role's field; 0 when the block has no such role.
    std::uint32_t maxCode(std::string_view role) const;
    /// The value that a role's field is set to by hand, which leaves the arithmetic less to choose; empty where the
    /// goals decide it.
    std::optional<std::int64_t> byHand(std::string_view role) const;
};

struct Accuracy;
struct PadSetup;

/// What tuning asks of a kind; a part that is null is not asked.
struct TuningFacet {
    /// The arithmetic.
    Setting (*solve)(const TuningContext& context) = nullptr;
    /// What the need asks of the accuracy of its clock, and what it gets.
    Accuracy (*accuracy)(const TuningContext& context) = nullptr;
    /// How the pad of a signal is sensibly set up when the plan says nothing: pull, drive, open drain, and why.
    void (*setUpPad)(PadSetup& setup, const Device& device, const Need& need, const SignalSpec& signal) = nullptr;
    /// The rate at which the periods of its timer come, as achieved; empty: it cannot be had. Null: it makes none.
    std::optional<Frequency> (*timerPeriodRate)(const TuningContext& context) = nullptr;
    /// Its answer depends on what other needs' timers give, not on its own clock alone: their periods pace or start it.
    bool dependsOnOtherTimers = false;
    /// Its answer depends on the rate of the core that owns it too: that has to keep up with its interrupts.
    bool dependsOnCoreRate = false;
    /// A timer's periods can start its work; see Look::startedBy.
    bool startedByTimers = false;
    /// What DMA moves when the need asks for it, and in which units.
    std::vector<StreamSpec> (*streams)(const Device& device, InstanceIndex instance, const Need& need) = nullptr;
    /// The picture of a kind that has no arithmetic; empty when there is none to draw.
    std::optional<Waveform> (*picture)(const Need& need) = nullptr;
};
/// (Made in core/kinds/all.cpp.)
const TuningFacet& tuningOf(std::string_view kind);

/// What lets a port ask DMA, where its block has fields for that: "dma_receive" for the request RX, "dma_transmit" for
/// TX.
void addDmaRoles(Setting& setting, const TuningContext& context);

/// Required roles that the block of an instance lacks for a kind, as a list in words; empty when it has them all.
std::string missingRoles(const Device& device, InstanceIndex instance, const KindSpec& kind);

/// What there is to see of a need's setting; nothing when it is not computed.
Look lookAt(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex need);

/// Settings of all needs, by index. A need without instance or running clock is not computed and says why.
IndexVector<NeedIndex, Setting> tune(const Device& device, const Plan& plan, const Bindings& bindings,
                                     const Rates& rates);

} // namespace bindrel
