// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/clock_writing.h"

#include "core/base/say.h"

#include <fmt/format.h>

#include <utility>

namespace bindrel {

namespace {

/// Twice the data sheet's start-up time: late enough for a slow part, soon enough to report a dead one.
Duration timeoutFor(const ClockNode& node)
{
    const Duration least(Rational(1, 10'000));
    const Duration twice = node.startup * 2;
    return twice > least ? twice : least;
}

} // namespace

void ClockWriting::waitStatesStep(std::uint32_t states, const std::string& why)
{
    add(updateStep(device_, {{device_.waitStates, states, say("{} wait states", states)}}, why));
}

void ClockWriting::sourceOn(ClockIndex i, bool write)
{
    TrialClock& clock = now_.trial.clocks[i];
    clock.off = false;
    clock.trimmed = then(i).trimmed;
    now_.trial.computeAll();
    if (!write)
        return;
    const ClockNode& facts = node(i);
    loadStep(i);
    if (facts.bypass.valid() && rates_.clocks[i].external && device_.resetCode(facts.bypass.ref) != facts.bypass.code)
        add(updateStep(device_, {{facts.bypass.ref, facts.bypass.code, facts.name + say(" fed in")}},
                       say("{}: no crystal, the board feeds a clock in.", facts.name)));
    const bool later = std::find(startOnly_.begin(), startOnly_.end(), i) != startOnly_.end();
    add(updateStep(device_, {{facts.enable.ref, facts.enable.code, facts.name + say(" on")}},
                   say("{} on: {}{}.", facts.name, format(clock.rate),
                       later ? say("; starts within {}, nothing waits for it yet", format(facts.startup)) : "")));
    if (later)
        return;
    readyStep(i);
    extraSteps(i);
}

void ClockWriting::readyStep(int i)
{
    const ClockNode& facts = node(i);
    if (facts.ready.valid())
        awaitClock(i, say("Wait until {} runs (max. {}).", facts.name, format(facts.startup)));
}

void ClockWriting::lockStep(int i)
{
    if (node(i).ready.valid())
        awaitClock(i, say("Wait until {} has locked (max. {}).", node(i).name, format(node(i).startup)));
}

void ClockWriting::awaitClock(ClockIndex i, std::string why)
{
    add(waitStep(device_, node(i).ready.ref, node(i).ready.code, timeoutFor(node(i)), std::move(why)));
    if (!gatesClosed_)
        return;
    awaited_.push_back({i, now_, opened_, {}});
    for (const int source : startOnly_)
        if (!now(source).off)
            awaited_.back().pending.push_back(source);
    ClockSnapshot& stand = awaited_.back().stand;
    stand.trial.clocks[i].off = true;
    stand.trial.computeAll();
}

void ClockWriting::letGo(ClockIndex i)
{
    const ClockNode& facts = node(i);
    const auto clear = [this](const FieldCode& field, const std::string& what) {
        add(updateStep(device_, {{field.ref, field.code == 0 ? 1u : 0u, what}}, what + "."));
    };
    if (facts.monitor && now_.monitored[size_t(i)] && (then(i).off || !to_.monitored[size_t(i)])) {
        clear(facts.monitor->enable, facts.name + say(" no longer monitored"));
        now_.monitored[size_t(i)] = false;
    }
    if (facts.trim && now(i).trimmed && (then(i).off || !then(i).trimmed)) {
        clear(facts.trim->enable, facts.name + say(" no longer trimmed"));
        now_.trial.clocks[i].trimmed = false;
        now_.trial.computeAll();
    }
}

void ClockWriting::extraSteps(ClockIndex i)
{
    const ClockNode& facts = node(i);
    const ClockState& state = rates_.clocks[i];
    if (then(i).trimmed && state.trimmed && facts.trim)
        add(updateStep(device_, {{facts.trim->enable.ref, facts.trim->enable.code, facts.name + say(" trimmed")}},
                       say("Trim {} by {}: {}.", facts.name,
                           facts.trim->by >= 0 ? node(facts.trim->by).name : facts.trim->bySignal,
                           format(state.tolerance))));
    if (to_.monitored[size_t(i)] && state.monitored && facts.monitor)
        add(updateStep(
            device_, {{facts.monitor->enable.ref, facts.monitor->enable.code, facts.name + say(" monitored")}},
            say("Monitor {}; if it stops, {} takes over.", facts.name, node(facts.monitor->fallsBackTo).name)));
    now_.monitored[size_t(i)] = now_.monitored[size_t(i)] || to_.monitored[size_t(i)];
}

void ClockWriting::rangeSteps()
{
    const OperatingRange& range = device_.ranges[size_t(to_.trial.range())];
    add(updateStep(device_, {{device_.rangeControl, range.code, range.name}},
                   say("Core regulator to {} (max. {}).", range.name, format(range.waitStateLimits.back()))));
    if (device_.rangeStatus.valid())
        add(waitStep(device_, device_.rangeStatus, range.code, Duration(Rational(1, 1000)),
                     say("Wait for the regulator to settle in {}.", range.name)));
    if (device_.rangeReady.valid())
        add(waitStep(device_, device_.rangeReady.ref, device_.rangeReady.code, Duration(Rational(1, 1000)),
                     say("Wait for the regulator to settle in {}.", range.name)));
}

void ClockWriting::loadStep(ClockIndex i)
{
    const std::pair<Capacitance, std::uint32_t>* best = nearestLoad(node(i), rates_.clocks[i].load);
    if (best && best->second != device_.resetCode(node(i).loadControl))
        add(updateStep(device_, {{node(i).loadControl, best->second, node(i).name + say(" load")}},
                       say("{}: load capacitance {}.", node(i).name, format(best->first))));
    const ClockState& state = rates_.clocks[i];
    const std::pair<Frequency, std::uint32_t>* drive = state.external ? nullptr : driveFor(node(i), state.rate);
    if (drive && drive->second != device_.resetCode(node(i).driveControl))
        add(updateStep(device_, {{node(i).driveControl, drive->second, node(i).name + say(" drive")}},
                       say("{}: drive level for crystals up to {}.", node(i).name, format(drive->first))));
}

void ClockWriting::rateSteps(int i)
{
    const ClockNode::RateChoice& choice = node(i).rates[size_t(then(i).setting)];
    if (choice.calibration.valid())
        add(copyStep(device_, node(i).calibrationInto, choice.calibration,
                     say("{}: factory calibration for {}.", node(i).name, rateText(i))));
    add(updateStep(device_, {{node(i).control, choice.code, fmt::format("{} {}", node(i).name, rateText(i))}},
                   say("{} at {}.", node(i).name, rateText(i))));
    if (node(i).ready.valid() && !now(i).off)
        add(waitStep(device_, node(i).ready.ref, node(i).ready.code, timeoutFor(node(i)),
                     say("Wait until {} runs (max. {}).", node(i).name, format(node(i).startup))));
}

void ClockWriting::selectStep(int i, std::int64_t input, const std::string& why)
{
    const ClockInput& choice = node(i).inputs[size_t(input)];
    add(updateStep(device_,
                   {{node(i).control, choice.code,
                     say("{} from {}", node(i).name, choice.node < 0 ? "nothing" : node(choice.node).name)}},
                   why));
    switchedStep(i, input);
}

void ClockWriting::switchedStep(int i, std::int64_t input)
{
    const ClockInput& choice = node(i).inputs[size_t(input)];
    if (node(i).status.valid())
        add(waitStep(device_, node(i).status, choice.code, Duration(Rational(1, 10'000)),
                     say("Wait until {} has switched.", node(i).name)));
}

void ClockWriting::setFrozen(int multiplier, bool write)
{
    std::vector<FieldWrite> fields;
    std::vector<std::string> words;
    for (const ClockIndex k : device_.clocks.indices()) {
        if (!frozenBy(k, multiplier) || !node(k).control.valid() || sameSetting(k))
            continue;
        now_.trial.clocks[k].setting = then(k).setting;
        for (FieldWrite& field : controlsOf(k))
            fields.push_back(std::move(field));
        words.push_back(fmt::format("{} {}", node(k).name, operationText(device_, rates_, k)));
    }
    if (write)
        addByRegister(std::move(fields), say("{} {}: {}, set while it is off.", node(multiplier).name,
                                             rateText(multiplier), fmt::join(words, ", ")));
}

std::vector<FieldWrite> ClockWriting::controlsOf(int i) const
{
    const ClockNode& facts = node(i);
    const std::string cause = fmt::format("{} {}", facts.name, operationText(device_, rates_, i));
    const std::int64_t setting = then(i).setting;
    if (facts.type == ClockNode::Type::Select)
        return {{facts.control, facts.inputs[size_t(setting)].code, cause}};
    if (facts.fraction.valid())
        return {{facts.control, facts.encoding.encode(setting / facts.unit).value_or(0), cause},
                {facts.fraction, static_cast<std::uint32_t>(setting % facts.unit), cause}};
    return {{facts.control, facts.encoding.encode(setting).value_or(0), cause}};
}

void ClockWriting::addByRegister(std::vector<FieldWrite> fields, std::string why)
{
    std::stable_sort(fields.begin(), fields.end(), [](const FieldWrite& a, const FieldWrite& b) {
        return std::pair(a.ref.instance, a.ref.reg) < std::pair(b.ref.instance, b.ref.reg);
    });
    for (size_t k = 0; k < fields.size();) {
        size_t end = k;
        while (end < fields.size() && fields[end].ref.instance == fields[k].ref.instance &&
               fields[end].ref.reg == fields[k].ref.reg)
            ++end;
        add(updateStep(device_, {fields.begin() + std::ptrdiff_t(k), fields.begin() + std::ptrdiff_t(end)},
                       std::exchange(why, {})));
        k = end;
    }
}

void ClockWriting::add(Step step)
{
    for (const InstanceIndex instance :
         {step.instance, step.kind == Step::Kind::Copy ? step.from.instance : step.instance})
        if (gatesClosed_ && std::find(opened_.begin(), opened_.end(), instance) == opened_.end()) {
            opened_.push_back(instance);
            for (Step& wake : wakeSteps(device_, instance))
                add(std::move(wake));
        }
    step.phase = Step::Phase::Clocks;
    if (step.kind == Step::Kind::Wait) {
        // While a select switches, the core runs at the old rate or the new one.
        const Frequency before = now(device_.cpuClock()).rate;
        now_.trial.computeAll();
        step.coreRate = std::max(before, now(device_.cpuClock()).rate);
    }
    steps_.push_back(std::move(step));
}

} // namespace bindrel
