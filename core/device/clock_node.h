// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/block.h"

#include <optional>

namespace bindrel {

struct ClockInput {
    ClockIndex node = -1; ///< -1: "none", the select is off
    std::uint32_t code = 0;
};

/// Not faster than a part, or a multiple, of another clock ("peripheral <= half of bus").
struct RelativeLimit {
    ClockIndex to;
    Rational max = 1;
    bool mirrored =
        false; ///< the file says it of the other clock, as the least that it may be: it counts while that runs
    std::string because;
};

struct RateLimit {
    std::optional<Frequency> min;
    std::optional<Frequency> max;
    std::vector<RelativeLimit> relative;
    std::string because; ///< what the data sheet gives as the reason

    bool empty() const { return !min && !max && relative.empty(); }
};

/// Temperatures in degrees Celsius, both ends included.
struct TemperatureRange {
    int low = 0;
    int high = 0;
    bool covers(const TemperatureRange& other) const { return low <= other.low && high >= other.high; }
};

/// Settings of several clocks that the data sheet forbids at the same time.
struct ClockCombination {
    struct Term {
        ClockIndex clock = -1;
        std::vector<std::int64_t> settings; ///< in 1/unit, or indices into inputs or rates; rising

        bool has(std::int64_t setting) const;
    };
    bool concerns(ClockIndex clock) const
    {
        for (const Term& term : terms)
            if (term.clock == clock)
                return true;
        return false;
    }
    std::vector<Term> terms; ///< at least two, of different clocks. It counts while all of these run.
    std::string because;
};

struct ClockNode {
    enum class Type {
        Oscillator, ///< on the chip: a fixed rate, or one of several
        Crystal,    ///< the board's crystal on two pads
        External,   ///< a clock that the board feeds in on one pad
        Select,
        Divide,
        Multiply, ///< also a PLL's feedback and an FLL
        Follow,   ///< its input, perhaps times a factor that another divider decides
        Gate,     ///< its input, or nothing
    };
    std::string id;   ///< "PLLA.VCO"
    std::string name; ///< "PLL A VCO"
    std::string tier; ///< "source", "multiplier", "system", "kernel": where the ladder shows it
    Type type = Type::Divide;

    // ---- sources
    Frequency rate;      ///< of an Oscillator without choices; for Crystal and External the board says it
    Tolerance tolerance; ///< over all temperatures
    struct ToleranceOver {
        TemperatureRange range;
        Tolerance tolerance;
    };
    std::vector<ToleranceOver>
        toleranceOver; ///< better over less; the closest row that covers the board's range counts
    /// What an Oscillator with a range or preset field can be set to.
    struct RateChoice {
        Frequency rate;
        std::uint32_t code = 0; ///< of `control`
        std::optional<Tolerance> tolerance;
        FieldRef calibration; ///< factory value that is to be copied into `calibrationInto`
    };
    std::vector<RateChoice> rates;
    FieldRef calibrationInto;
    Duration startup;
    Frequency crystalMin, crystalMax; ///< what may be fitted or fed in
    /// Load capacitance that a Crystal oscillator can switch in itself, with the code of `loadControl`.
    std::vector<std::pair<Capacitance, std::uint32_t>> loads;
    FieldRef loadControl;
    /// How strongly a Crystal oscillator drives crystals up to a rate, rising, with the code of `driveControl`.
    std::vector<std::pair<Frequency, std::uint32_t>> drives;
    FieldRef driveControl;
    FieldCode bypass; ///< Crystal: a clock fed in on its pad is taken instead; must stand before the oscillator is on
    /// Trimmed by another clock while that runs: the tolerance is then this.
    struct Trim {
        ClockIndex by = -1; ///< clock; -1 with `bySignal` for something outside, as a bus's frames
        std::string bySignal;
        FieldCode enable;
        Tolerance tolerance;
    };
    std::optional<Trim> trim;
    /// Watches the clock and falls back when it stops.
    struct Monitor {
        FieldCode enable;
        ClockIndex fallsBackTo = -1;
        std::string interrupt; ///< of the clock controller, when it raises one
        FieldRef flag;         ///< that it has seen the clock stop; invalid: the interrupt alone tells
    };
    std::optional<Monitor> monitor;

    // ---- what comes from other clocks
    std::vector<ClockInput> inputs; ///< one for all but Select
    FieldRef control;               ///< select code, divider or multiplier (its whole part when `fraction` is there)
    FieldRef status;                ///< Select: shows the code in use
    Encoding encoding;
    /// What Divide or Multiply can do, rising: settings in 1/unit; whole parts when it is `dense`.
    std::vector<std::int64_t> factors;
    std::int64_t unit = 1;       ///< settings count in 1/unit: a fractional divider or feedback, or a list with halves
    bool dense = false;          ///< every setting from the first to the last factor is possible
    FieldRef fraction;           ///< remainder in 1/unit
    std::int64_t resetValue = 0; ///< setting after reset: factor x unit, or index into inputs or rates
    Tolerance adds;              ///< to the tolerance: an FLL's jitter, what spreading the spectrum does

    /// Follow: the input times `factorWhenOne` while the divider `follows` is 1, else times `factorElse`.
    ClockIndex follows = -1;
    std::int64_t factorWhenOne = 1;
    std::int64_t factorElse = 1;

    FieldCode enable; ///< oscillator, PLL or gate on
    FieldCode ready;  ///< made by hardware when it runs
    bool onAtReset = false;
    std::vector<ClockIndex> frozenBy; ///< the control may be changed only while all of these are off

    /// What it takes from the supply while it runs, itself and what it clocks, roughly; zero when the data sheet says
    /// nothing.
    Current draws;
    Current drawsPerMegahertz;

    RateLimit limit;                                            ///< in every range
    std::map<std::string, RateLimit, std::less<>> limitByRange; ///< by range id; replaces `limit` where given

    const RateLimit& limitIn(std::string_view range) const
    {
        const auto own = limitByRange.find(range);
        return own == limitByRange.end() ? limit : own->second;
    }
    bool widens() const
    {
        return adds.low.defined() && adds.high.defined() && (!adds.low.value.isZero() || !adds.high.value.isZero());
    }
    bool isSource() const { return type == Type::Oscillator || type == Type::Crystal || type == Type::External; }
    /// The factor of a setting of Divide or Multiply.
    Rational factorOf(std::int64_t setting) const { return Rational(setting, unit); }
    /// The setting of one of `factors`.
    std::int64_t settingOf(std::int64_t factor) const { return dense ? factor * unit : factor; }
    /// Whether a setting, in 1/unit, is one that the node can have.
    bool canBe(std::int64_t setting) const;
};

} // namespace bindrel
