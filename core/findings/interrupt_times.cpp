// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/findings/interrupt_times.h"

#include "core/plan/kind.h"

#include <algorithm>

namespace bindrel {

namespace {

/// Smaller is more urgent; what is not stated is as after reset, level 0.
Rational levelOf(const Facts& facts, const Core& core, NeedIndex need)
{
    const std::uint32_t level = urgencyOf(facts.device, facts.plan, facts.plan.needs[need]).level.value_or(0);
    const bool turned =
        core.interruptController >= 0 && facts.device.ability(core.interruptController, "urgent_is_high", 0) != 0;
    return turned ? -Rational(level) : Rational(level);
}

InterruptTime timeOf(const Facts& facts, CoreIndex core, int number, const std::vector<InterruptUse>& clients)
{
    InterruptTime out;
    out.core = core;
    out.number = number;
    const Rational clock = facts.rates.clocks[facts.device.cores[core].clock].rate.value;
    Rational rate, functions;
    bool known = true;
    out.stated = true;
    for (const InterruptUse& client : clients) {
        if (std::find(out.needs.begin(), out.needs.end(), client.need) == out.needs.end())
            out.needs.push_back(client.need);
        const Rational level = levelOf(facts, facts.device.cores[core], client.need);
        out.level = out.needs.size() == 1
                        ? level
                        : std::min(out.level, level, [](const Rational& a, const Rational& b) { return a < b; });
        const std::optional<Duration> takes = goalAs<Duration>(facts.plan.needs[client.need], "takes");
        out.stated = out.stated && (takes || client.own);
        functions = functions + (takes ? takes->value : Rational(kAssumedCycles - kHandlerCycles) / clock);
        known = known && !client.rate.value.isZero();
        rate = rate + client.rate.value;
    }
    out.takes = Duration(functions + Rational(kHandlerCycles) / clock);
    if (known && !rate.isZero()) {
        out.every = Duration(Rational(1) / rate);
        out.load = Ratio(rate * out.takes.value);
    }
    return out;
}

/// The least R that R = start + sum of ceil(R / T) x C gives; empty when there is none below a second beyond all.
std::optional<Duration> responseOf(const Rational& start, const std::vector<const InterruptTime*>& above)
{
    Rational load;
    for (const InterruptTime* other : above)
        load = load + other->load.value;
    if (load >= Rational(1))
        return std::nullopt;
    constexpr int kRounds = 10'000;
    Rational response = start;
    for (const InterruptTime* other : above)
        response = response + other->takes.value;
    for (int round = 0; round < kRounds; ++round) {
        Rational next = start;
        for (const InterruptTime* other : above)
            next = next + other->takes.value * Rational(other->every ? (response / other->every->value).ceil() : 1);
        if (next == response)
            return Duration(response);
        response = next;
    }
    return std::nullopt;
}

} // namespace

InterruptUses interruptClients(const Facts& f)
{
    InterruptUses out;
    for (const NeedIndex n : f.plan.needs.indices()) {
        const CoreIndex core = f.device.ownerCore(f.plan.needs[n].core);
        for (const NeedEvent& event : f.settings[n].events)
            if (const std::optional<int> number = f.device.interruptOf(event.instance, event.event))
                out[{core, *number}].push_back(
                    {n, event.event, f.device.roleField(event.instance, event.flag), event.rate, event.own});
    }
    for (const PadSetup& setup : f.pads) {
        const InstanceIndex watcher = setup.line < 0          ? InstanceIndex()
                                      : f.device.linesInPorts ? f.device.pads[setup.pad].port
                                                              : f.device.lineInstance;
        const CoreIndex core = f.device.ownerCore(f.plan.needs[setup.need].core);
        if (watcher >= 0)
            if (const auto interrupt = f.device.lineInterrupt(watcher, setup.line))
                out[{core, interrupt->second}].push_back(
                    {std::size_t(setup.need),
                     "edge",
                     f.device.roleField(watcher, "flag" + std::to_string(setup.line)),
                     {},
                     false});
    }
    return out;
}

std::vector<InterruptTime> interruptTimes(const Facts& facts)
{
    std::vector<InterruptTime> out;
    if (!facts.device.hasClocks())
        return out;
    const InterruptUses uses = interruptClients(facts);
    for (const CoreIndex core : facts.device.cores.indices()) {
        const Rational clock = facts.rates.clocks[facts.device.cores[core].clock].rate.value;
        if (!(clock > Rational(0)))
            continue;
        const size_t first = out.size();
        for (const auto& [vector, clients] : uses)
            if (vector.first == CoreIndex(int(core)) && vector.second < facts.device.cores[core].vectorCount)
                out.push_back(timeOf(facts, int(core), vector.second, clients));
        std::stable_sort(out.begin() + std::ptrdiff_t(first), out.end(),
                         [](const InterruptTime& a, const InterruptTime& b) { return a.level < b.level; });
        const bool nests = facts.device.cores[core].architecture == Core::Architecture::ArmM;
        for (size_t i = first; i < out.size(); ++i) {
            std::vector<const InterruptTime*> above;
            Rational blocked;
            for (size_t k = first; k < out.size(); ++k)
                if (k != i && out[k].level <= out[i].level)
                    above.push_back(&out[k]);
                else if (k != i && !nests && out[k].takes.value > blocked)
                    blocked = out[k].takes.value;
            if (!nests)
                out[i].blocked = Duration(blocked);
            try {
                out[i].worst =
                    out[i].load.value >= Rational(1) ? std::nullopt : responseOf(blocked + out[i].takes.value, above);
            } catch (const UndefinedNumber&) {
                out[i].worst = std::nullopt;
            }
        }
    }
    return out;
}

} // namespace bindrel
