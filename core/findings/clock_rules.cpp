// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/clocks/combinations.h"
#include "core/findings/finding.h"
#include "core/pins/options.h"
#include "core/plan/board_entry.h"
#include "core/plan/clock_decision.h"
#include "core/plan/kind.h"
#include "core/plan/need_line.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

using Severity = Finding::Severity;

std::string because(const std::string& reason)
{
    return reason.empty() ? "" : " (" + reason + ")";
}

/// The setting of a divider that brings it inside its limits, nearest to the present one; 0 when there is none.
std::int64_t betterFactor(const Facts& f, ClockIndex clock)
{
    const ClockNode& node = f.device.clocks[clock];
    const ClockState& state = f.rates.clocks[clock];
    if ((node.type != ClockNode::Type::Divide && node.type != ClockNode::Type::Multiply) ||
        f.plan.held(holdOfClock(node.id)))
        return 0;
    const Frequency input = f.rates.clocks[state.input].rate;
    std::int64_t best = 0;
    for (const std::int64_t factor : node.factors) {
        ClockState trial = state;
        const std::int64_t setting = node.settingOf(factor);
        trial.rate =
            node.type == ClockNode::Type::Divide ? input / node.factorOf(setting) : input * node.factorOf(setting);
        const auto off = [&](std::int64_t other) { return std::abs(other - state.setting); };
        if (!limitBreak(trial) && (best == 0 || off(setting) < off(best)))
            best = setting;
    }
    return best;
}

std::string factorTitle(const Facts& f, ClockIndex clock)
{
    const std::int64_t factor = betterFactor(f, clock);
    if (factor == 0)
        return {};
    return say("{} by {}", f.device.clocks[clock].type == ClockNode::Type::Divide ? "Divide" : "Multiply",
               factorText(f.device.clocks[clock], factor));
}

void limits(const Facts& f, std::vector<Finding>& out, LimitBreak::Which which, bool toleranceOnly)
{
    const std::string range = f.device.ranges[size_t(f.rates.range)].name;
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockState& state = f.rates.clocks[i];
        const std::optional<LimitBreak> broken = limitBreak(state);
        if (!broken || broken->which != which || broken->toleranceOnly != toleranceOnly ||
            !isSet(f.device, f.rates, ClockIndex(int(i))))
            continue;
        // Down a chain the same tolerance meets the same limit again and again; its beginning says it.
        if (toleranceOnly && state.input >= 0 && limitBreak(f.rates.clocks[state.input]))
            continue;
        // Said of its user already, with what can be done.
        if (toleranceOnly && std::any_of(state.users.begin(), state.users.end(),
                                         [&f](NeedIndex user) { return !f.accuracy[user].ok(); }))
            continue;
        const bool above = which == LimitBreak::Which::Above;
        const Frequency off(above ? state.rate.value - broken->limit.value : broken->limit.value - state.rate.value);
        Message text;
        if (toleranceOnly)
            text = message("{} runs at {} {}; with its tolerance it can go {} its limit of {} in {}{}. Leave some "
                           "headroom, or use a more accurate source.",
                           f.device.clocks[i].name, format(state.rate), format(state.tolerance),
                           above ? say("over") : say("under"), format(broken->limit), range, because(broken->because));
        else
            text = message("{} runs at {}, {} {} its limit of {} in {}{}. {}", f.device.clocks[i].name,
                           format(state.rate), format(off), above ? say("above") : say("below"), format(broken->limit),
                           range, because(broken->because),
                           above ? say("Slow it down, or choose a faster operating range.") : say("Speed it up."));
        out.push_back({toleranceOnly ? Severity::Caution : Severity::Error,
                       {},
                       text,
                       {Place::Kind::Clock, f.device.clocks[i].id, {}},
                       factorTitle(f, static_cast<int>(i)),
                       WaysOffer{}});
    }
}

void tooFast(const Facts& f, std::vector<Finding>& out)
{
    limits(f, out, LimitBreak::Which::Above, false);
}
void tooSlow(const Facts& f, std::vector<Finding>& out)
{
    limits(f, out, LimitBreak::Which::Below, false);
}
void nearLimit(const Facts& f, std::vector<Finding>& out)
{
    limits(f, out, LimitBreak::Which::Above, true);
    limits(f, out, LimitBreak::Which::Below, true);
}

void standsForbidden(const Facts& f, std::vector<Finding>& out)
{
    for (const ClockCombination& combination : f.device.neverTogether) {
        if (!holds(f.device, combination, f.rates))
            continue;
        // The plan's own decision is the place to look; else the last clock.
        ClockIndex place = combination.terms.back().clock;
        for (const ClockCombination::Term& term : combination.terms)
            if (f.plan.clocks.contains(f.device.clocks[term.clock].id))
                place = term.clock;
        out.push_back({Severity::Error,
                       {},
                       message("{}: this combination is not allowed{}. Change one of the settings.",
                               combinationText(f.device, f.rates, combination), because(combination.because)),
                       {Place::Kind::Clock, f.device.clocks[place].id, {}},
                       {},
                       WaysOffer{}});
    }
}

/// Whether a clock stands still because the board is not known to have anything at its source.
bool isUnfitted(const Facts& f, ClockIndex clock)
{
    for (ClockIndex at = clock; at >= 0; at = f.rates.clocks[at].input) {
        const ClockNode& node = f.device.clocks[at];
        if (node.type == ClockNode::Type::Crystal || node.type == ClockNode::Type::External)
            return !f.board.crystals.contains(node.id);
    }
    return false;
}

void kernelStopped(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices()) {
        const InstanceIndex instance = f.bindings.needs[n].instance;
        if (instance < 0)
            continue;
        const ClockIndex kernel = f.device.instances[instance].kernel;
        const ClockState& state = f.rates.clocks[kernel];
        if (!state.running)
            out.push_back(
                {Severity::Error,
                 {},
                 message("{} on {} has no clock: {} does not run ({}). {}", f.plan.needs[n].title,
                         f.device.instances[instance].name, f.device.clocks[kernel].name, state.stopped,
                         isUnfitted(f, kernel) ? say("State what is fitted there, or choose another clock source.")
                                               : say("Choose another clock source.")),
                 {Place::Kind::Clock, f.device.clocks[kernel].id, {}},
                 {},
                 WaysOffer{}});
    }
}

/// As it is typed for a search.
std::string wishOf(const Accuracy& accuracy)
{
    const InEnglish asItIsTyped;
    return exactText(*accuracy.rate) + (accuracy.allowed ? " \u00b1" + format(*accuracy.allowed) : std::string());
}

void tooRough(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices()) {
        const Accuracy& accuracy = f.accuracy[n];
        if (accuracy.clock < 0 || accuracy.ok() || accuracy.inGoals)
            continue;
        const ClockState& state = f.rates.clocks[accuracy.clock];
        if (const auto broken = limitBreak(state); broken && !broken->toleranceOnly)
            continue;
        const ClockNode& node = f.device.clocks[accuracy.clock];
        const ClockNode& source = f.device.clocks[pathToSource(f.rates, accuracy.clock).back()];
        const std::string& title = f.plan.needs[n].title;
        Message text;
        if (!accuracy.trouble.empty()) {
            text = message("{}: {} Choose another rate for it.", title, accuracy.trouble);
        } else if (state.tolerance.worst() <= *accuracy.allowed) {
            // The source would do; the rate does not.
            text = message("{} needs {}; {} at {} gives {}. {}", title, accuracy.asks, node.name, format(state.rate),
                           accuracy.effect,
                           accuracy.rate ? say("Type {} on the clock for solutions.", exactText(*accuracy.rate))
                                         : say("Choose a rate that divides down to this exactly."));
        } else {
            const std::string better = moreAccurate(f.device, f.board, f.rates, accuracy);
            text = message(
                "{} needs {}; {} is {} {} because it comes from {}. {}", title, accuracy.asks, node.name,
                format(state.rate), format(state.tolerance), source.name,
                better.empty()
                    ? say("No source on this board is more accurate: fit a crystal, or relax the accuracy goal.")
                    : better);
        }
        out.push_back({accuracy.stated ? Severity::Error : Severity::Caution,
                       {},
                       std::move(text),
                       {Place::Kind::Clock, node.id, {}},
                       {},
                       accuracy.rate ? WaysOffer{node.id, wishOf(accuracy)} : WaysOffer{}});
        if (!accuracy.stated)
            out.back().ways.reset();
    }
}

void cpuStopped(const Facts& f, std::vector<Finding>& out)
{
    const ClockState& cpu = f.rates.clocks[f.device.cpuClock()];
    if (!cpu.running)
        out.push_back({Severity::Error,
                       {},
                       message("The CPU has no clock: {}. Select a running source for the system clock.", cpu.stopped),
                       {Place::Kind::Clock, f.device.clocks[f.device.cpuClock()].id, {}},
                       {},
                       WaysOffer{}});
}

void flashTooSlow(const Facts& f, std::vector<Finding>& out)
{
    if (f.rates.waitStates)
        return;
    const OperatingRange& range = f.device.ranges[size_t(f.rates.range)];
    out.push_back({Severity::Error,
                   {},
                   message("The flash is too slow for {} in {}: even {} wait states allow only {}. Slow the CPU "
                           "down, or choose a faster operating range.",
                           format(f.rates.clocks[f.device.flashClock].rate), range.name,
                           range.waitStateLimits.size() - 1, format(range.waitStateLimits.back())),
                   {Place::Kind::Clock, f.device.clocks[f.device.flashClock].id, {}},
                   {},
                   WaysOffer{}});
}

void temperatureOutside(const Facts& f, std::vector<Finding>& out)
{
    if (!f.board.temperature || f.device.temperature.covers(*f.board.temperature))
        return;
    out.push_back({Severity::Caution,
                   {},
                   message("The board is made for {}, {} for {}: limits and accuracies do not hold outside. Choose a "
                           "chip for these temperatures, or state those that the board really meets.",
                           temperatureText(*f.board.temperature), f.device.name, temperatureText(f.device.temperature)),
                   {Place::Kind::Range, f.device.ranges[size_t(f.rates.range)].id, {}},
                   {},
                   {}});
}

void supplyOutside(const Facts& f, std::vector<Finding>& out)
{
    const OperatingRange& range = f.device.ranges[size_t(f.rates.range)];
    if (f.rates.supply >= range.supplyMin && f.rates.supply <= range.supplyMax)
        return;
    out.push_back({Severity::Error,
                   {},
                   message("{} needs a supply of {} to {}; the plan has {}. Choose another operating range or supply.",
                           range.name, format(range.supplyMin), format(range.supplyMax), format(f.rates.supply)),
                   {Place::Kind::Range, range.id, {}},
                   {},
                   WaysOffer{}});
}

void crystalUnbound(const Facts& f, std::vector<Finding>& out)
{
    for (const ClockIndex i : f.device.clocks.indices()) {
        if ((f.device.clocks[i].type != ClockNode::Type::Crystal &&
             f.device.clocks[i].type != ClockNode::Type::External) ||
            !f.rates.clocks[i].running)
            continue;
        bool claimed = false;
        for (const NeedIndex n : f.plan.needs.indices())
            claimed = claimed || (f.bindings.needs[n].instance >= 0 &&
                                  f.device.instances[f.bindings.needs[n].instance].name == f.device.clocks[i].id);
        // Where something else drives one of its pads, the oscillator cannot swing at all.
        const int oscillator = f.device.findInstance(f.device.clocks[i].id);
        for (const PadSetup& setup : claimed || oscillator < 0 ? std::vector<PadSetup>() : f.pads)
            for (const RouteIndex route : f.device.pads[setup.pad].routes)
                if (!claimed && f.device.routes[route].instance == oscillator) {
                    claimed = true;
                    out.push_back(
                        {Severity::Error,
                         {},
                         message(
                             "{} cannot run: its pad {} is used by {}. Move that signal, and bind the crystal's need.",
                             f.device.clocks[i].name, f.device.pads[setup.pad].name, f.plan.needs[setup.need].title),
                         {Place::Kind::Clock, f.device.clocks[i].id, {}},
                         {}});
                }
        if (!claimed)
            out.push_back({Severity::Caution,
                           {},
                           message("{} runs, but no bound need reserves its pads. Bind the crystal's need.",
                                   f.device.clocks[i].name),
                           {Place::Kind::Clock, f.device.clocks[i].id, {}},
                           oscillator < 0 ? "" : say("Reserve its pads")});
    }
}

/// Binds the need that speaks of this oscillator, and adds one where there is none.
Expected<Edit> fixByReservingPads(const Facts& f, const Finding& finding)
{
    const std::string& clock = finding.place.id;
    for (const Need& need : f.plan.needs)
        if (const std::string& goal = findKind(need.kind)->instanceGoal; !goal.empty() && goalName(need, goal) == clock)
            return bindNeed(f.device, f.board, f.plan, need.id);
    const int oscillator = f.device.findInstance(clock);
    for (const KindSpec& kind : kinds()) {
        if (kind.instanceGoal.empty() || oscillator < 0 || !kind.servedBy(f.device, oscillator))
            continue;
        StatedNeed stated;
        stated.kind = kind.id;
        stated.goals[kind.instanceGoal] = clock;
        const Need need = newNeed(stated, f.plan, f.device, f.board);
        Edit edit = editOf(finding.fixTitle, InsertNeed{f.plan.needs.size(), need});
        const Expected<Plan> with = applied(f.plan, edit);
        const Expected<Edit> bound =
            with ? bindNeed(f.device, f.board, *with, need.id) : Expected<Edit>(with.problem());
        if (!bound)
            return bound.problem();
        edit.changes.insert(edit.changes.end(), bound->changes.begin(), bound->changes.end());
        return edit;
    }
    return problemOf(say("the chip has no instance for these pads; describe one of kind crystal in the device file."));
}

void crystalLoad(const Facts& f, std::vector<Finding>& out)
{
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockNode& node = f.device.clocks[i];
        const std::pair<Capacitance, std::uint32_t>* best = nearestLoad(node, f.rates.clocks[i].load);
        if (!best || !f.rates.clocks[i].running || best->first == f.rates.clocks[i].load)
            continue;
        out.push_back(
            {Severity::Caution,
             {},
             message("{}: the board's crystal needs a load of {}; the oscillator's nearest setting is {}, so the "
                     "rate will be slightly off. Choose another crystal, or add the difference on the board.",
                     node.name, format(f.rates.clocks[i].load), format(best->first)),
             {Place::Kind::Clock, node.id, {}},
             {}});
    }
}

void toleranceUnknown(const Facts& f, std::vector<Finding>& out)
{
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockNode& node = f.device.clocks[i];
        const auto fitted = f.board.crystals.find(node.id);
        if (fitted == f.board.crystals.end() || fitted->second.tolerance || !f.rates.clocks[i].running)
            continue;
        out.push_back({Severity::Caution,
                       {},
                       message("{} is driven by {}, whose tolerance is not known; errors of rates are computed as "
                               "if it were exact. State the tolerance of what is fitted there.",
                               node.name, format(fitted->second.rate)),
                       {Place::Kind::Clock, node.id, {}},
                       {}});
    }
}

/// A file with such a decision is not read, and nothing that is typed gives one; but a chip's file may be changed while
/// a plan for it is open.
void impossibleDecision(const Facts& f, std::vector<Finding>& out)
{
    const auto report = [&](const ClockDecisions& decisions, const char* set) {
        for (const auto& [id, decision] : decisions) {
            const ClockIndex clock = f.device.findClock(id);
            if (clock >= 0 && isPossible(f.device, clock, decision))
                continue;
            out.push_back(
                {Severity::Error,
                 {},
                 clock < 0 ? message("The plan{} sets the clock {}, which {} does not have.", set, id, f.device.name)
                           : message("The plan{} sets {} to {}, which is not possible; it stays as after "
                                     "reset.",
                                     set, f.device.clocks[clock].name, clockDecisionText(decision)),
                 clock < 0 ? Place{} : Place{Place::Kind::Clock, id, {}},
                 {}});
        }
    };
    report(f.plan.clocks, "");
    if (f.plan.slow)
        report(f.plan.slow->clocks, say("'s low-speed clock set"));
}

void trimIdle(const Facts& f, std::vector<Finding>& out)
{
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockNode& node = f.device.clocks[i];
        const auto said = f.plan.clocks.find(node.id);
        const auto* run = said == f.plan.clocks.end() ? nullptr : std::get_if<RunDecision>(&said->second);
        if (!node.trim || f.rates.clocks[i].trimmed || !f.rates.clocks[i].running || !run || !run->trimmed)
            continue;
        out.push_back({Severity::Caution,
                       {},
                       message("{} should be trimmed by {}, which does not run: {}. Its tolerance stays {}.", node.name,
                               f.device.clocks[node.trim->by].name, f.rates.clocks[node.trim->by].stopped,
                               format(f.rates.clocks[i].tolerance)),
                       {Place::Kind::Clock, node.id, {}},
                       {}});
    }
}

/// What the plan wants of a failure against what can be had.
void nothingToFallBackTo(const Facts& f, std::vector<Finding>& out)
{
    if (f.plan.onFailure == OnFailure::Stop)
        return;
    if (f.plan.onFailure == OnFailure::FallBack && !f.plan.slow)
        out.push_back(
            {Severity::Caution,
             {},
             message("If a clock fails to start, initialisation should fall back to the low-speed clocks, but no "
                     "low-speed clock set is saved; everything that does not use the failed clock continues. Save a "
                     "low-speed clock set that needs no crystal."),
             {},
             {}});
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockNode& node = f.device.clocks[i];
        const bool starts = (node.isSource() || node.type == ClockNode::Type::Multiply) && node.enable.valid() &&
                            node.ready.valid() && !node.onAtReset;
        const bool late =
            std::find(f.image.lateSources.begin(), f.image.lateSources.end(), int(i)) != f.image.lateSources.end();
        if (!starts || late || !f.rates.clocks[i].running || !f.rates.clocks[i].used)
            continue;
        const auto fallBack = std::find_if(f.image.fallBacks.begin(), f.image.fallBacks.end(),
                                           [i](const FallBack& known) { return known.clock == int(i); });
        const Place place{Place::Kind::Clock, node.id, {}};
        if (fallBack == f.image.fallBacks.end())
            out.push_back({Severity::Caution,
                           {},
                           message("If {} fails to start, initialisation still stops: running without it would "
                                   "stop a clock or break a limit.",
                                   node.name),
                           place,
                           {}});
        else if (f.plan.onFailure == OnFailure::FallBack && f.plan.slow && !fallBack->toSlow)
            out.push_back(
                {Severity::Caution,
                 {},
                 message("If {0} fails to start, there is nothing to fall back to: the low-speed clocks {1}. "
                         "Everything that does not use {0} continues instead.",
                         node.name, f.image.slowRates->clocks[i].running ? say("use it too") : say("break a limit")),
                 place,
                 {}});
    }
}

Expected<Edit> fixFactor(const Facts& f, const Finding& finding)
{
    const ClockIndex clock = f.device.findClock(finding.place.id);
    const std::int64_t factor = clock < 0 ? 0 : betterFactor(f, clock);
    if (factor == 0)
        return problemOf(say("no setting of this clock alone keeps it within its limits; change its source."));
    return editOf(fmt::format("{}: {}", f.device.clocks[clock].name, finding.fixTitle),
                  SetClock{finding.place.id, factorDecision(f.device.clocks[clock], factor)});
}

/// A multiplier that runs with both sets of clocks but is switched off on the way, since something that it freezes
/// changes: what runs from it stops for as long as it needs to start.
void stoppedMeanwhile(const Facts& f, std::vector<Finding>& out)
{
    if (!f.image.slowRates)
        return;
    const Rates& slow = *f.image.slowRates;
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockNode& node = f.device.clocks[i];
        const auto switchedOff = [&](const std::vector<Step>& steps) {
            return std::any_of(steps.begin(), steps.end(), [&](const Step& step) {
                return std::any_of(step.fields.begin(), step.fields.end(), [&](const FieldWrite& write) {
                    return write.ref == node.enable.ref && write.code != node.enable.code;
                });
            });
        };
        if (!node.enable.valid() || node.startup.value.isZero() || !f.rates.clocks[i].running ||
            !slow.clocks[i].running || (!switchedOff(f.image.toSlow) && !switchedOff(f.image.toFull)))
            continue;
        const auto from = [&](const Rates& rates, ClockIndex kernel) {
            const std::vector<ClockIndex> path = pathToSource(rates, kernel);
            return std::find(path.begin(), path.end(), ClockIndex(int(i))) != path.end();
        };
        std::vector<std::string> stopped;
        for (const NeedIndex n : f.plan.needs.indices()) {
            const ClockIndex kernel =
                f.bindings.needs[n].state == BoundNeed::State::Bound ? f.settings[n].kernel : ClockIndex(-1);
            if (kernel >= 0 && f.rates.clocks[kernel].rate == slow.clocks[kernel].rate && from(f.rates, kernel) &&
                from(slow, kernel))
                stopped.push_back(f.plan.needs[n].title);
        }
        const bool one = stopped.size() == 1;
        if (!stopped.empty())
            out.push_back(
                {Severity::Caution,
                 {},
                 message(
                     "{} is reprogrammed at every clock switch: {} {} for up to {}, although {} the same rate before "
                     "and after. Run {} from another clock, or give {} the same settings in both clock sets.",
                     node.name, listed(stopped), one ? say("stops") : say("stop"), format(node.startup),
                     one ? say("it has") : say("they have"), one ? say("it") : say("them"), node.name),
                 {Place::Kind::Clock, node.id, {}},
                 {}});
    }
}

} // namespace

void clockLimitFindings(const Facts& f, std::vector<Finding>& out)
{
    tooFast(f, out);
    tooSlow(f, out);
    flashTooSlow(f, out);
    supplyOutside(f, out);
    standsForbidden(f, out);
}

std::vector<Rule> clockRules()
{
    return {
        {"CLK-01", later("No clock runs above its limit."), tooFast, fixFactor},
        {"CLK-02", later("No clock runs below its limit."), tooSlow, fixFactor},
        {"CLK-03", later("Clocks stay within their limits, tolerance included."), nearLimit, fixFactor},
        {"CLK-04", later("Every bound need has a clock."), kernelStopped, nullptr},
        {"CLK-05", later("The flash keeps up with the CPU."), flashTooSlow, nullptr},
        {"CLK-06", later("The supply suits the operating range."), supplyOutside, nullptr},
        {"CLK-07", later("A running crystal oscillator has its pads."), crystalUnbound, fixByReservingPads},
        {"CLK-08", later("The CPU has a clock."), cpuStopped, nullptr},
        {"CLK-09", later("Each crystal has the load capacitance that it needs."), crystalLoad, nullptr},
        {"CLK-10", later("The reference that trims a clock runs."), trimIdle, nullptr},
        {"CLK-11", later("Clocks are as accurate as their users require."), tooRough, nullptr},
        {"CLK-12", later("The action chosen for a failed clock is possible."), nothingToFallBackTo, nullptr},
        {"CLK-13", later("Clock settings form an allowed combination."), standsForbidden, nullptr},
        {"CLK-14", later("Clocks that keep their rate also keep running during a clock switch."), stoppedMeanwhile,
         nullptr},
        {"CLK-15", later("The board stays within the chip's temperatures."), temperatureOutside, nullptr},
        {"CLK-16", later("The tolerance of each crystal and clock that is fed in is known."), toleranceUnknown,
         nullptr},
        {"CLK-17", later("Each clock can be as the plan decides."), impossibleDecision, nullptr},
    };
}

} // namespace bindrel
