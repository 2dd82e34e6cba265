// SPDX-License-Identifier: GPL-3.0-or-later
// Into the chip's low-power modes and back: what is set before the core waits, and how the clocks come back after it.
#include "core/base/say.h"
#include "core/image/clock_steps.h"
#include "core/plan/clock_set.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace bindrel {

namespace {

/// The clocks as a set of settings leaves them, with what follows.
struct ClockSetting {
    Plan plan;
    Rates rates;
    bool slow = false;
};

/// A pad that a peripheral without power would drive is as after reset meanwhile, or with its port where reset leads it
/// to that peripheral: first it no longer drives, then it is led elsewhere.
void giveBack(const Device& device, const PadSetup& setup, const std::string& mode, std::vector<Step>& out)
{
    const Pad& pad = device.pads[setup.pad];
    std::string why = say("{} is off while {} removes the power from what drives it.", pad.name, mode);
    const auto rest = [&](const FieldCode& field) {
        out.push_back(updateStep(device, {{field.ref, field.code, pad.name + say(" rests")}}, std::exchange(why, {})));
    };
    if (pad.port >= 0)
        if (const FieldRef output = device.roleField(pad.port, "output" + std::to_string(pad.bit)); output.valid())
            rest({output, device.resetCode(output)});
    const std::uint32_t reset = device.resetFunction(pad);
    for (const FieldCode& slice :
         device.functionCodes(pad, std::int64_t(reset) == setup.code ? std::uint32_t(pad.portCode) : reset))
        rest(slice);
}

ModeSteps stepsFor(const Device& device, const Board& board, const ClockSetting& clocks, const Bindings& bindings,
                   const IndexVector<NeedIndex, Setting>& settings, const std::vector<PadSetup>& pads, int index)
{
    const LowPowerMode& mode = device.modes[size_t(index)];
    ModeSteps out{index, clocks.slow, {}, {}, {}};
    const ModeState state = modeState(device, clocks.plan, bindings, clocks.rates, mode);
    for (const NeedIndex need : state.dropped)
        if (bindings.needs[need].state == BoundNeed::State::Bound && device.findCore(clocks.plan.needs[need].core) <= 0)
            out.again.push_back(need);
    for (const PadSetup& setup : pads)
        if (std::find(out.again.begin(), out.again.end(), setup.need) != out.again.end() &&
            isHandedOver(bindings, settings, setup))
            giveBack(device, setup, mode.name, out.enter);
    const std::optional<Waking> waking = wakingOf(device, board, clocks.plan, bindings, clocks.rates, mode);
    // The mode stops them on purpose; nothing must take that for a failure.
    for (const ClockIndex i : device.clocks.indices())
        if (const ClockNode& node = device.clocks[i]; waking && node.monitor && clocks.rates.clocks[i].monitored &&
                                                      clocks.rates.clocks[i].running && !state.alive[i]) {
            const FieldCode& watch = node.monitor->enable;
            out.enter.push_back(updateStep(device,
                                           {{watch.ref, watch.code == 0 ? 1u : 0u, node.name + say(" not monitored")}},
                                           say("{} is not monitored while {} stops it.", node.name, mode.name)));
        }
    const size_t monitors = out.enter.size();
    std::vector<Step> undo;
    for (const FieldCode& field : mode.enters) {
        const std::uint32_t before = device.resetCode(field.ref);
        out.enter.push_back(updateStep(
            device, {{field.ref, field.code, mode.name}},
            out.enter.size() == monitors ? say("The core's wait instruction enters {}.", mode.name) : std::string()));
        undo.insert(undo.begin(), updateStep(device, {{field.ref, before, say("not {}", mode.name)}}, {}));
    }
    if (!undo.empty())
        undo.front().why = say("The wait instruction no longer enters {}.", mode.name);
    out.back = std::move(undo);
    if (waking) {
        const ClockSnapshot planned =
            plannedStand(device, clocks.rates, resetStand(device, board, clocks.plan, bindings));
        std::set<ClockIndex> spoiled;
        const std::vector<Step> clockBack = clockSteps(
            device, clocks.rates, wokenStand(device, planned, clocks.rates, mode, state, *waking), planned, &spoiled);
        out.back.insert(out.back.end(), clockBack.begin(), clockBack.end());
        // What works in the mode goes on; the rest must not run while the clocks come back.
        std::erase_if(spoiled, [&state](ClockIndex kernel) { return state.alive[size_t(kernel)]; });
        GatesMeanwhile gates = gatesMeanwhile(device, bindings, spoiled,
                                              say("Stopped meanwhile: on wake-up its clock is outside its limits."));
        out.enter.insert(out.enter.begin(), gates.close.begin(), gates.close.end());
        out.back.insert(out.back.end(), gates.open.begin(), gates.open.end());
    }
    return out;
}

} // namespace

void appendModeSteps(Image& image, const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                     const Rates& rates, const IndexVector<NeedIndex, Setting>& settings,
                     const std::vector<PadSetup>& pads)
{
    if (plan.modes.empty())
        return;
    std::vector<ClockSetting> sets{{plan, rates, false}};
    if (plan.slow)
        sets.push_back({withClockSet(plan, *plan.slow), *image.slowRates, true});
    for (size_t m = 0; m < device.modes.size(); ++m)
        if (plan.modes.contains(device.modes[m].id))
            for (const ClockSetting& set : sets)
                image.modes.push_back(stepsFor(device, board, set, bindings, settings, pads, int(m)));
}

} // namespace bindrel
