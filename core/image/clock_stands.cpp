// SPDX-License-Identifier: GPL-3.0-or-later
// How the clocks stand after reset, as planned, and when the chip wakes.
#include "core/image/clock_steps.h"

namespace bindrel {

ClockSnapshot resetStand(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings)
{
    ClockSnapshot out{ClockTrial(device, board, plan, bindings),
                      device.waitStates.valid() ? device.resetCode(device.waitStates) : 0,
                      std::vector<bool>(device.clocks.size(), false), std::vector<bool>(device.clocks.size(), false)};
    out.trial.setRange(device.resetRange);
    for (const ClockIndex i : device.clocks.indices()) {
        TrialClock& clock = out.trial.clocks[i];
        clock.setting = device.clocks[i].resetValue;
        clock.trimmed = false;
        clock.off = device.clocks[i].enable.valid() && !device.clocks[i].onAtReset;
    }
    out.trial.computeAll();
    return out;
}

ClockSnapshot plannedStand(const Device& device, const Rates& rates, const ClockSnapshot& before)
{
    ClockSnapshot out{before.trial, before.waitStates, std::vector<bool>(device.clocks.size(), false),
                      std::vector<bool>(device.clocks.size(), false)};
    out.trial.setRange(rates.range);
    if (rates.waitStates)
        out.waitStates = std::uint32_t(*rates.waitStates);
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockNode& node = device.clocks[i];
        const ClockState& state = rates.clocks[i];
        TrialClock& clock = out.trial.clocks[i];
        clock.off = node.enable.valid() && !state.running;
        if (isSet(device, rates, ClockIndex(int(i))))
            clock.setting = state.setting;
        clock.trimmed = state.trimmed;
        out.monitored[i] = state.monitored;
        out.live[i] = state.used;
    }
    out.trial.computeAll();
    return out;
}

ClockSnapshot wokenStand(const Device& device, const ClockSnapshot& planned, const Rates& rates,
                         const LowPowerMode& mode, const ModeState& state, const Waking& waking)
{
    ClockSnapshot out = planned;
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockNode& node = device.clocks[i];
        const bool stopped = node.enable.valid() && (node.isSource() || node.type == ClockNode::Type::Multiply) &&
                             rates.clocks[i].running && !state.alive[i];
        if (stopped) {
            out.trial.clocks[i].off = true;
            out.monitored[i] = false;
        }
    }
    out.trial.clocks[mode.wakesOn].off = false;
    for (const auto& [select, setting] : waking.selects)
        out.trial.clocks[select].setting = setting;
    out.trial.computeAll();
    return out;
}

} // namespace bindrel
