// SPDX-License-Identifier: GPL-3.0-or-later
// What the pad and the thing at the other end of its wire do to each other.
#include "core/base/say.h"
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
    std::optional<TerminalFact> fact; ///< empty when nothing is known of the other end

    std::string title() const { return signalsOf(need).size() > 1 ? need.title + " " + say(signal.title) : need.title; }
    bool drives() const { return setup.gpio ? setup.output : signal.direction == SignalSpec::Direction::Out; }
    Place place() const { return {Place::Kind::Signal, need.id, signal.id}; }
};

template <typename Check> void eachWire(const Facts& f, Check check)
{
    for (const PadSetup& setup : f.pads) {
        const Need& need = f.plan.needs[setup.need];
        const SignalSpec& signal = f.bindings.needs[setup.need].seats[size_t(setup.seat)].signal;
        const Pad& pad = f.device.pads[setup.pad];
        check(Wire{f, setup, pad, need, signal, padFact(f.board, need, signal.id, pad)});
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
             message("{}: pull conflict: {} pulls {}, a resistor on the board pulls {}. Disable the pad's pull.",
                     w.title(), w.pad.name, nameOf(w.setup.pull), *w.fact->pull == Level::High ? "up" : "down"),
             w.place(),
             say("Disable the pull")});
    });
}

Expected<Edit> fixPull(const Facts& f, const Finding& finding)
{
    const Need* need = f.plan.need(finding.place.id);
    if (!need)
        return problemOf(say("the need is no longer in the plan."));
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
                ? say("{} drive and {} edges", nameOf(w.setup.drive), w.setup.fast ? "fast" : "slow")
                : say("{} drive", nameOf(w.setup.drive));
        if (most < w.setup.toggles)
            out.push_back({Severity::Error,
                           {},
                           message("{} toggles {} at up to {}, but the pad{} allows only {}. Move it to a faster "
                                   "pad, or lower the rate.",
                                   w.title(), w.pad.name, format(w.setup.toggles),
                                   w.pad.weak ? say(", in a weak supply domain,") : "", format(most)),
                           w.place(),
                           {}});
        else
            out.push_back({Severity::Error,
                           {},
                           message("{} toggles {} at up to {}, but with {} the pad allows only {}. Let Bindrel "
                                   "choose drive strength and slew rate, or raise them.",
                                   w.title(), w.pad.name, format(w.setup.toggles), how, format(able)),
                           w.place(),
                           say("Choose drive strength and slew rate automatically")});
    });
}

/// Takes back what the plan says of drive and edges.
Expected<Edit> fixDriveForRate(const Facts& f, const Finding& finding)
{
    const Need* need = f.plan.need(finding.place.id);
    if (!need || finding.fixTitle.empty())
        return problemOf(say("no setting of this pad is fast enough; move the signal or lower its rate."));
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
                       message("{}: the net reaches {}, but {} is supplied by {} with {} and {}. Move it to a pad "
                               "that withstands it, or divide the voltage.",
                               w.title(), format(w.fact->volts), w.pad.name, w.pad.bank, format(supply),
                               w.pad.fiveVolt && analog ? say("withstands more only as a digital pad")
                               : w.pad.fiveVolt         ? say("withstands at most 5.5 V")
                                                        : say("withstands at most 0.3 V above its supply")),
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
                 message("{} draws {}, but {}{} supplies at most {}. Move it to a stronger pad, or add a driver.",
                         w.title(), format(w.fact->current), w.pad.name,
                         w.pad.weak ? say(", which is on the weak supply ") + w.pad.bank + "," : "", format(most)),
                 w.place(),
                 {}});
        else
            out.push_back(
                {Severity::Caution,
                 {},
                 message("{} draws {}, but at {} drive {} supplies only {}; the output level is not guaranteed. "
                         "Raise the drive strength.",
                         w.title(), format(w.fact->current), nameOf(w.setup.drive), w.pad.name, format(gives)),
                 w.place(),
                 say("Raise the drive strength")});
    });
}

/// The weakest drive that carries the load.
Expected<Edit> fixLoad(const Facts& f, const Finding& finding)
{
    const Need* need = f.plan.need(finding.place.id);
    const TerminalFact* fact = need ? terminalFact(f.board, *need, finding.place.sub) : nullptr;
    for (const PadSetup& setup : f.pads)
        if (fact && &f.plan.needs[setup.need] == need &&
            f.bindings.needs[setup.need].seats[size_t(setup.seat)].signal.id == finding.place.sub)
            for (const PadSetup::Drive drive : {PadSetup::Drive::Medium, PadSetup::Drive::Strong})
                if (padGives(f.device.pads[setup.pad], drive) >= fact->current)
                    return editOf(finding.fixTitle,
                                  pinPropertyChange(*need, finding.place.sub, "drive", nameOf(drive)));
    return problemOf(say("no drive strength of this pad is enough; move the signal."));
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
                           message("{} has the initial level {}, which switches it on; it is off when {}. Set the "
                                   "initial level to {}.",
                                   w.title(), high ? "high" : "low", nameOf(off), nameOf(off)),
                           w.place(),
                           say("Initial level {}", nameOf(off))});
        if (!w.pad.resetClaim.empty())
            out.push_back({Severity::Caution,
                           {},
                           message("{} is on {}, which is {} from reset until initialisation and may switch it on; "
                                   "it must stay {}. Move it.",
                                   w.title(), w.pad.name, w.pad.resetClaim, nameOf(off)),
                           w.place(),
                           {}});
        else if (!w.fact->pull)
            out.push_back({Severity::Caution,
                           {},
                           message("{} must stay {} from reset on, but {} floats until initialisation and no "
                                   "resistor is known to hold it. Fit a pull-{} on the board.",
                                   w.title(), nameOf(off), w.pad.name, off == Level::High ? "up" : "down"),
                           w.place(),
                           {}});
        else if (*w.fact->pull != off)
            out.push_back({Severity::Error,
                           {},
                           message("{} must stay {} from reset on, but the board pulls it {} while {} floats: it "
                                   "is on until initialisation. Change the resistor.",
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
        return problemOf(say("this must be fixed on the board; follow the advice in the finding."));
    const std::string level = nameOf(*fact->off);
    const KindSpec* kind = findKind(need->kind);
    return editOf(say("Start {} {}", need->title, level),
                  kind->restGoal.empty() ? pinPropertyChange(*need, finding.place.sub, "level", level)
                                         : Change(SetGoal{need->id, kind->restGoal, level}));
}

/// A board was drawn for another chip than the plan is for.
void boardOfAnotherChip(const Facts& f, std::vector<Finding>& out)
{
    if (f.board.device == f.device.name)
        return;
    out.push_back({Severity::Caution,
                   {},
                   message("{} carries {}, but the plan is for {}: the nets in the board file are not used. Enter "
                           "the nets of the new board, or change the board.",
                           f.board.title, f.board.device, f.device.name),
                   {Place::Kind::None, {}, {}},
                   {}});
}

} // namespace

std::vector<Rule> padRules()
{
    return {
        {"PAD-01", later("No pad pulls against the board."), pullAgainstPull, fixPull},
        {"PAD-02", later("Drive strength and slew rate suit each signal's rate."), driveForRate, fixDriveForRate},
        {"PAD-03", later("Each pad withstands the voltage of its net."), voltageOfNet, nullptr},
        {"PAD-04", later("Each pad can supply its load."), loadOfOutput, fixLoad},
        {"PAD-05", later("Outputs that must be off stay off from reset on."), offFromResetOn, fixStart},
        {"BRD-01", later("The board is made for the chip."), boardOfAnotherChip, nullptr},
    };
}

} // namespace bindrel
