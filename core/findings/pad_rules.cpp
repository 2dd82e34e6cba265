// SPDX-License-Identifier: GPL-3.0-or-later
// What the pad and the thing at the other end of its wire do to each other.
#include "core/base/text.h"
#include "core/findings/finding.h"
#include "core/plan/board_facts.h"
#include "core/plan/pin_property.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

using Severity = Finding::Severity;
using Level = TerminalFact::Level;

const char* nameOf(Level level)
{
    return level == Level::High ? "high" : "low";
}

/// A pad in use, with everything that a rule may want to know of it.
struct Wire {
    const Facts& f;
    const PadSetup& setup;
    const Pad& pad;
    const Need& need;
    const SignalSpec& signal;
    const TerminalFact* fact; ///< null when nothing is known of the other end

    std::string title() const { return signalsOf(need).size() > 1 ? need.title + " " + signal.title : need.title; }
    bool drives() const { return setup.gpio ? setup.output : signal.direction == SignalSpec::Direction::Out; }
    Place place() const { return {Place::Kind::Signal, need.id, signal.id}; }
};

template <typename Check> void eachWire(const Facts& f, Check check)
{
    for (const PadSetup& setup : f.pads) {
        const Need& need = f.plan.needs[size_t(setup.need)];
        const SignalSpec& signal = f.bindings.needs[size_t(setup.need)].seats[size_t(setup.seat)].signal;
        check(Wire{f, setup, f.device.pads[size_t(setup.pad)], need, signal, terminalFact(f.board, need, signal.id)});
    }
}

void pullAgainstPull(const Facts& f, std::vector<Finding>& out)
{
    eachWire(f, [&out](const Wire& w) {
        if (!w.fact || !w.fact->pull || w.setup.pull == PadSetup::Pull::None)
            return;
        const Level inside = w.setup.pull == PadSetup::Pull::Up ? Level::High : Level::Low;
        if (inside == *w.fact->pull)
            return;
        out.push_back(
            {Severity::Caution,
             {},
             fmt::format("{}: {} pulls {}, a resistor on the board pulls {}; the level is neither while nobody drives "
                         "it. Switch the pad's pull off.",
                         w.title(), w.pad.name, nameOf(w.setup.pull), *w.fact->pull == Level::High ? "up" : "down"),
             w.place(),
             "Switch the pull off"});
    });
}

Expected<Edit> fixPull(const Facts& f, const Finding& finding)
{
    const Need* need = f.plan.need(finding.place.id);
    if (!need)
        return problemOf("the need is no longer in the plan.");
    return editOf(finding.fixTitle, pinPropertyChange(*need, finding.place.sub, "pull", "none"));
}

void driveForRate(const Facts& f, std::vector<Finding>& out)
{
    using Drive = PadSetup::Drive;
    eachWire(f, [&out](const Wire& w) {
        if (!w.drives() || !(w.setup.toggles.value > Rational(0)))
            return;
        const Frequency able = padToggles(w.pad, w.setup.drive, w.setup.fast);
        if (able.value.isZero() || able >= w.setup.toggles)
            return;
        const Frequency most = padToggles(w.pad, Drive::Strong, true);
        const std::string how =
            w.pad.slowToggle.value > Rational(0)
                ? fmt::format("{} drive and {} edges", nameOf(w.setup.drive), w.setup.fast ? "fast" : "slow")
                : fmt::format("{} drive", nameOf(w.setup.drive));
        if (most < w.setup.toggles)
            out.push_back({Severity::Error,
                           {},
                           fmt::format("{} makes {} toggle at up to {}, but the pad{} does {} at most. Move it to a "
                                       "faster pad, or slow it down.",
                                       w.title(), w.pad.name, format(w.setup.toggles),
                                       w.pad.weak ? ", in a weak supply domain," : "", format(most)),
                           w.place(),
                           {}});
        else
            out.push_back({Severity::Error,
                           {},
                           fmt::format("{} makes {} toggle at up to {}, but with {} it does {}. Leave drive and edges "
                                       "to the signal, or make them stronger.",
                                       w.title(), w.pad.name, format(w.setup.toggles), how, format(able)),
                           w.place(),
                           "Let drive and edges follow the signal"});
    });
}

/// Takes back what the plan says of drive and edges.
Expected<Edit> fixDriveForRate(const Facts& f, const Finding& finding)
{
    const Need* need = f.plan.need(finding.place.id);
    if (!need || finding.fixTitle.empty())
        return problemOf("no setting of this pad is fast enough; move the signal or slow it down.");
    Edit edit{finding.fixTitle, {}};
    for (const char* property : {"drive", "speed"})
        if (pinProperty(*need, finding.place.sub, property))
            edit.changes.push_back(pinPropertyChange(*need, finding.place.sub, property, std::nullopt));
    return edit;
}

void voltageOfNet(const Facts& f, std::vector<Finding>& out)
{
    // The protection diodes of a pad that is not tolerant conduct from about here on.
    const Voltage diode(Rational(3, 10));
    eachWire(f, [&](const Wire& w) {
        if (!w.fact || w.fact->volts == Voltage())
            return;
        const Voltage supply = padSupply(f.device, f.board, f.plan, w.pad);
        const bool analog = w.signal.direction == SignalSpec::Direction::Analog;
        const Voltage most = w.pad.fiveVolt && !analog ? Voltage(Rational(11, 2)) : supply + diode;
        if (w.fact->volts <= most)
            return;
        out.push_back({Severity::Error,
                       {},
                       fmt::format("{}: the net goes to {}, but {} is fed by {} with {} and {}. Move it to a pad that "
                                   "bears it, or divide the voltage.",
                                   w.title(), format(w.fact->volts), w.pad.name, w.pad.bank, format(supply),
                                   w.pad.fiveVolt && analog ? "bears more only as a digital pad"
                                   : w.pad.fiveVolt         ? "bears 5.5 V at most"
                                                            : "bears 0.3 V more at most"),
                       w.place(),
                       {}});
    });
}

void loadOfOutput(const Facts& f, std::vector<Finding>& out)
{
    eachWire(f, [&out](const Wire& w) {
        if (!w.drives() || !w.fact || w.fact->current == Current())
            return;
        const Current gives = padGives(w.pad, w.setup.drive);
        if (gives == Current() || gives >= w.fact->current)
            return;
        const Current most = padGives(w.pad, PadSetup::Drive::Strong);
        if (most < w.fact->current)
            out.push_back(
                {Severity::Error,
                 {},
                 fmt::format(
                     "{} takes {}, but {}{} gives {} at most. Move it to a stronger pad, or put a driver between.",
                     w.title(), format(w.fact->current), w.pad.name,
                     w.pad.weak ? ", which is fed by the weak supply " + w.pad.bank + "," : "", format(most)),
                 w.place(),
                 {}});
        else
            out.push_back(
                {Severity::Caution,
                 {},
                 fmt::format("{} takes {}, but with {} drive {} gives {}; its level will not be a clean one. Make the "
                             "drive stronger.",
                             w.title(), format(w.fact->current), nameOf(w.setup.drive), w.pad.name, format(gives)),
                 w.place(),
                 "Make the drive stronger"});
    });
}

/// The weakest drive that carries the load.
Expected<Edit> fixLoad(const Facts& f, const Finding& finding)
{
    const Need* need = f.plan.need(finding.place.id);
    const TerminalFact* fact = need ? terminalFact(f.board, *need, finding.place.sub) : nullptr;
    for (const PadSetup& setup : f.pads)
        if (fact && &f.plan.needs[size_t(setup.need)] == need &&
            f.bindings.needs[size_t(setup.need)].seats[size_t(setup.seat)].signal.id == finding.place.sub)
            for (const PadSetup::Drive drive : {PadSetup::Drive::Medium, PadSetup::Drive::Strong})
                if (padGives(f.device.pads[size_t(setup.pad)], drive) >= fact->current)
                    return editOf(finding.fixTitle,
                                  pinPropertyChange(*need, finding.place.sub, "drive", nameOf(drive)));
    return problemOf("no drive of this pad is strong enough; move the signal.");
}

/// What must be off stays off: from the chip's reset, through the bring-up, until the firmware wants it on.
void offFromResetOn(const Facts& f, std::vector<Finding>& out)
{
    eachWire(f, [&out](const Wire& w) {
        if (!w.drives() || !w.fact || !w.fact->off)
            return;
        const Level off = *w.fact->off;
        const auto restsHigh = findKind(w.need.kind)->restsHigh;
        const bool high = w.setup.gpio ? w.setup.levelHigh : restsHigh && restsHigh(w.need);
        const bool levelKnown = w.setup.gpio || restsHigh;
        if (levelKnown && high != (off == Level::High))
            out.push_back({Severity::Error,
                           {},
                           fmt::format("{} starts {}, which switches it on; it is off when {}. Start {}.", w.title(),
                                       high ? "high" : "low", nameOf(off), nameOf(off)),
                           w.place(),
                           fmt::format("Start {}", nameOf(off))});
        if (!w.pad.resetClaim.empty())
            out.push_back({Severity::Caution,
                           {},
                           fmt::format("{} sits on {}, which is {} from reset until the bring-up and may switch it on; "
                                       "it must stay {}. Move it.",
                                       w.title(), w.pad.name, w.pad.resetClaim, nameOf(off)),
                           w.place(),
                           {}});
        else if (!w.fact->pull)
            out.push_back({Severity::Caution,
                           {},
                           fmt::format("{} must stay {} from reset on, but {} floats until the bring-up and no "
                                       "resistor is known that holds it. Put a pull-{} on the board.",
                                       w.title(), nameOf(off), w.pad.name, off == Level::High ? "up" : "down"),
                           w.place(),
                           {}});
        else if (*w.fact->pull != off)
            out.push_back({Severity::Error,
                           {},
                           fmt::format("{} must stay {} from reset on, but the board pulls it {} while {} floats: it "
                                       "is on until the bring-up. Change the resistor.",
                                       w.title(), nameOf(off), nameOf(*w.fact->pull), w.pad.name),
                           w.place(),
                           {}});
    });
}

Expected<Edit> fixStart(const Facts& f, const Finding& finding)
{
    const Need* need = f.plan.need(finding.place.id);
    const TerminalFact* fact = need ? terminalFact(f.board, *need, finding.place.sub) : nullptr;
    if (!fact || !fact->off || finding.fixTitle.empty())
        return problemOf("this is for the board to mend; see what the finding advises.");
    const std::string level = nameOf(*fact->off);
    return editOf(fmt::format("Start {} {}", need->title, level),
                  findKind(need->kind)->restsHigh ? Change(SetGoal{need->id, "idle", level})
                                                  : pinPropertyChange(*need, finding.place.sub, "level", level));
}

/// A board was drawn for another chip than the plan is for.
void boardOfAnotherChip(const Facts& f, std::vector<Finding>& out)
{
    if (f.board.device == f.device.name)
        return;
    out.push_back({Severity::Caution,
                   {},
                   fmt::format("{} carries {}, and the plan is for {}: the nets of its file do not count. State the "
                               "nets of the new board, or change the board.",
                               f.board.title, f.board.device, f.device.name),
                   {Place::Kind::None, {}, {}},
                   {}});
}

} // namespace

std::vector<Rule> padRules()
{
    return {
        {"PAD-01", "A pad does not pull against the board.", pullAgainstPull, fixPull},
        {"PAD-02", "A pad is driven strongly enough for its rate.", driveForRate, fixDriveForRate},
        {"PAD-03", "A pad bears the voltage of its net.", voltageOfNet, nullptr},
        {"PAD-04", "A pad can carry its load.", loadOfOutput, fixLoad},
        {"PAD-05", "What must be off stays off from reset on.", offFromResetOn, fixStart},
        {"BRD-01", "The board is the one for the chip.", boardOfAnotherChip, nullptr},
    };
}

} // namespace bindrel
