// SPDX-License-Identifier: GPL-3.0-or-later
// What resistors on the board do to the signals behind them.
#include "core/base/say.h"
#include "core/findings/finding.h"
#include "core/plan/board_facts.h"
#include "core/plan/kind.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

using Severity = Finding::Severity;

/// A resistor in front of an analog input slows it down, which only the goal can tell the arithmetic.
void slowedBySeries(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices()) {
        const Need& need = f.plan.needs[n];
        const KindSpec* kind = findKind(need.kind);
        if (!kind || kind->sourceResistanceGoal.empty())
            continue;
        const std::int64_t stated = goalNumber(need, kind->sourceResistanceGoal);
        for (const Seat& seat : f.bindings.needs[n].seats) {
            if (seat.pad < 0)
                continue;
            const auto known = f.board.resistors.find(f.device.pads[seat.pad].name);
            if (known == f.board.resistors.end() || !known->second.series ||
                known->second.series->value <= Resistance(Rational(stated)))
                continue;
            const std::string value = format(known->second.series->value);
            out.push_back({Severity::Caution,
                           {},
                           message("{}: the board has {} in series at {}, more than the source resistance of {} "
                                   "\u03a9 that the goals state. The sample time is computed for the smaller one; "
                                   "state the whole resistance.",
                                   need.title, value, f.device.pads[seat.pad].name, stated),
                           {Place::Kind::Goal, need.id, kind->sourceResistanceGoal},
                           {}});
            break;
        }
    }
}

/// What a resistor in series lets through at most, against what the other end draws.
void starvedBySeries(const Facts& f, std::vector<Finding>& out)
{
    for (const PadSetup& setup : f.pads) {
        const Need& need = f.plan.needs[setup.need];
        const SignalSpec& signal = f.bindings.needs[setup.need].seats[std::size_t(setup.seat)].signal;
        const Pad& pad = f.device.pads[setup.pad];
        const TerminalFact* fact = terminalFact(f.board, need, signal.id);
        const auto known = f.board.resistors.find(pad.name);
        if (!fact || fact->current == Current() || known == f.board.resistors.end() || !known->second.series ||
            known->second.series->value.value.isZero())
            continue;
        const Current most(padSupply(f.device, f.board, f.plan, pad).value / known->second.series->value.value);
        if (!most.defined() || most >= fact->current)
            continue;
        out.push_back(
            {Severity::Caution,
             {},
             message("{} draws {}, but {} in series at {} lets at most {} through. Use a smaller "
                     "resistor, or correct what is stated.",
                     need.title, format(fact->current), format(known->second.series->value), pad.name, format(most)),
             {Place::Kind::Signal, need.id, signal.id},
             {}});
    }
}

} // namespace

std::vector<Rule> resistorRules()
{
    return {
        {"PAD-06", later("Analog inputs count the resistors in front of them."), slowedBySeries, nullptr},
        {"PAD-07", later("Resistors in series let through what the other end draws."), starvedBySeries, nullptr},
    };
}

} // namespace bindrel
