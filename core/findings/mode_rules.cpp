// SPDX-License-Identifier: GPL-3.0-or-later
// The low-power modes that the program enters: that something ends them, and that the chip may wake as the mode leaves
// it.
#include "core/base/say.h"
#include "core/clocks/modes.h"
#include "core/findings/finding.h"
#include "core/plan/clock_set.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

using Severity = Finding::Severity;

Place placeOf(const LowPowerMode& mode)
{
    return {Place::Kind::Mode, mode.id, {}};
}

void nothingWakes(const Facts& f, std::vector<Finding>& out)
{
    for (const LowPowerMode& mode : f.device.modes)
        if (f.plan.modes.contains(mode.id) && modeState(f.device, f.plan, f.bindings, f.rates, mode).wakers.empty())
            out.push_back({Severity::Error,
                           {},
                           message("Nothing in the plan wakes the chip from {}; only a reset would. Enable an edge "
                                   "interrupt on a pad, or bind a need whose instance keeps running there.",
                                   mode.name),
                           placeOf(mode),
                           {}});
}

/// What is wrong at the moment of waking with one set of settings.
void wakesOutside(const Facts& f, const LowPowerMode& mode, const Plan& plan, const Rates& rates, const char* which,
                  std::vector<Finding>& out)
{
    const std::optional<Waking> waking = wakingOf(f.device, f.board, plan, f.bindings, rates, mode);
    if (!waking)
        return;
    const std::string& source = f.device.clocks[mode.wakesOn].name;
    for (const ClockIndex clock : waking->broken) {
        const ClockState& state = waking->rates.clocks[clock];
        const Frequency most = limitIn(f.device, f.device.clocks[clock], rates.range).max.value_or(*state.max);
        out.push_back({Severity::Error,
                       {},
                       message("The chip wakes from {} on {}{}: {} then runs at {}, above its limit of {} in {}. "
                               "Use a larger divider, or choose a faster operating range.",
                               mode.name, source, which, f.device.clocks[clock].name, format(state.rate), format(most),
                               f.device.ranges[size_t(rates.range)].name),
                       placeOf(mode),
                       {}});
    }
    if (waking->flashTooSlow)
        out.push_back(
            {Severity::Error,
             {},
             message("The chip wakes from {} on {}{} at {}, for which the flash has too few wait states. Use a "
                     "larger divider, or choose a faster operating range.",
                     mode.name, source, which, format(waking->rates.clocks[f.device.flashClock].rate)),
             placeOf(mode),
             {}});
}

void wakesBadly(const Facts& f, std::vector<Finding>& out)
{
    for (const LowPowerMode& mode : f.device.modes) {
        if (!f.plan.modes.contains(mode.id))
            continue;
        wakesOutside(f, mode, f.plan, f.rates, "", out);
        if (f.plan.slow && f.image.slowRates)
            wakesOutside(f, mode, withClockSet(f.plan, *f.plan.slow), *f.image.slowRates, say(" (low-speed clocks)"),
                         out);
    }
}

/// The second set of settings is held to the limits as the first is, by the same rules.
void slowOutside(const Facts& f, std::vector<Finding>& out)
{
    if (!f.plan.slow || !f.image.slowRates)
        return;
    const Plan slow = withClockSet(f.plan, *f.plan.slow);
    const std::size_t first = out.size();
    clockLimitFindings({f.device, f.board, slow, f.bindings, *f.image.slowRates, f.settings, f.accuracy, f.pads,
                        f.image, f.provenance},
                       out);
    for (std::size_t i = first; i < out.size(); ++i) {
        out[i].text =
            message("With the low-speed clocks: {} Swap the two clock sets to edit them.", out[i].text.text());
        // A fix or a search would change the full ones.
        out[i].fixTitle.clear();
        out[i].ways.reset();
    }
    // What the slow settings do not say stands as the chip resets.
    for (const NeedIndex n : f.plan.needs.indices()) {
        const InstanceIndex instance = f.bindings.needs[n].instance;
        if (instance < 0)
            continue;
        const ClockIndex kernel = f.device.instances[instance].kernel;
        const ClockState& state = f.image.slowRates->clocks[kernel];
        if (f.rates.clocks[kernel].running && !state.running)
            out.push_back({Severity::Error,
                           {},
                           message("With the low-speed clocks: {} stops, because {} does not run ({}). Set its "
                                   "source in the low-speed clock set.",
                                   f.plan.needs[n].title, f.device.clocks[kernel].name, state.stopped),
                           {Place::Kind::Need, f.plan.needs[n].id, {}},
                           {}});
    }
}

/// What loses its power in a mode is brought up again by the function that enters it; that is the first core's.
void losesPower(const Facts& f, std::vector<Finding>& out)
{
    for (const LowPowerMode& mode : f.device.modes)
        for (const NeedIndex need : f.plan.modes.contains(mode.id)
                                        ? modeState(f.device, f.plan, f.bindings, f.rates, mode).dropped
                                        : std::vector<NeedIndex>()) {
            const Need& facts = f.plan.needs[need];
            const CoreIndex core = f.device.findCore(facts.core);
            if (core > 0)
                out.push_back(
                    {Severity::Error,
                     {},
                     message("{} loses power in {}, and {}, which owns it, is not running to initialise "
                             "it again. Assign it to {}, or do not enter {}.",
                             facts.title, mode.name, f.device.cores[core].id, f.device.cores.front().id, mode.name),
                     {Place::Kind::Need, facts.id, {}},
                     {}});
        }
}

} // namespace

std::vector<Rule> modeRules()
{
    return {
        {"MODE-01", later("Something wakes the chip from every mode that it enters."), nothingWakes, nullptr},
        {"MODE-02", later("The chip wakes within its limits."), wakesBadly, nullptr},
        {"MODE-03", later("The low-speed clocks keep every limit."), slowOutside, nullptr},
        {"MODE-04", later("Everything that loses power in a mode is initialised again."), losesPower, nullptr},
    };
}

} // namespace bindrel
