// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/supply_current.h"

#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

class Sum {
public:
    Sum(const Device& device, const Plan& plan, const Rates& rates)
        : device_(device), rates_(rates), range_(device.ranges[size_t(rates.range)])
    {
        for (const Regulator& regulator : device.regulators)
            if (plan.regulator.empty() ? regulator.code == device.resetCode(device.regulatorControl)
                                       : regulator.id == plan.regulator)
                share_ = regulator.share.value;
    }

    void add(SupplyCurrent::Row::What what, int index, const Current& fixed, const Current& perMegahertz,
             const Frequency& rate)
    {
        const Rational moving = perMegahertz.value * rate.value / 1'000'000 * range_.draws.value * share_;
        if ((fixed.value + moving).isZero())
            return;
        std::string formula = fixed.value.isZero() ? std::string() : format(fixed);
        if (!moving.isZero())
            formula +=
                fmt::format("{}{} \u00d7 {}/MHz", formula.empty() ? "" : " + ", format(rate), format(perMegahertz));
        for (const Ratio& part : {range_.draws, Ratio(share_)})
            if (!moving.isZero() && part.value != Rational(1))
                formula += " \u00d7 " + format(part);
        out_.rows.push_back({what, index, Current(fixed.value + moving), std::move(formula)});
    }

    void addPad(const PadSetup& setup)
    {
        const Pad& pad = device_.pads[setup.pad];
        if (pad.load.value.isZero() || setup.toggles.value.isZero())
            return;
        const auto bank = device_.banks.find(pad.bank);
        const Voltage volts = bank == device_.banks.end() ? rates_.supply : bank->second;
        out_.rows.push_back(
            {SupplyCurrent::Row::What::Pad, setup.pad, Current(pad.load.value * volts.value * setup.toggles.value),
             fmt::format("{} \u00d7 {} \u00d7 {}", format(pad.load), format(volts), format(setup.toggles))});
    }

    SupplyCurrent take()
    {
        std::stable_sort(out_.rows.begin(), out_.rows.end(),
                         [](const auto& a, const auto& b) { return b.current < a.current; });
        for (const SupplyCurrent::Row& row : out_.rows)
            out_.total = out_.total + row.current;
        return std::move(out_);
    }

private:
    const Device& device_;
    const Rates& rates_;
    const OperatingRange& range_;
    Rational share_ = 1;
    SupplyCurrent out_;
};

} // namespace

SupplyCurrent supplyCurrent(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                            const std::vector<PadSetup>& pads)
{
    using What = SupplyCurrent::Row::What;
    Sum sum(device, plan, rates);
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockState& clock = rates.clocks[i];
        if (!clock.running)
            continue;
        const auto core = std::find_if(device.cores.begin(), device.cores.end(),
                                       [i](const Core& known) { return known.clock == int(i); });
        sum.add(core == device.cores.end() ? What::Clock : What::Core,
                core == device.cores.end() ? int(i) : int(core - device.cores.begin()), device.clocks[i].draws,
                clock.used ? device.clocks[i].drawsPerMegahertz : Current(), clock.rate);
    }
    std::set<int> instances;
    for (const BoundNeed& need : bindings.needs)
        if (need.instance >= 0 && instances.insert(need.instance).second) {
            const Instance& instance = device.instances[need.instance];
            sum.add(What::Instance, need.instance, instance.draws, instance.drawsPerMegahertz,
                    rates.clocks[instance.kernel].running ? rates.clocks[instance.kernel].rate : Frequency());
        }
    for (const PadSetup& setup : pads)
        sum.addPad(setup);
    return sum.take();
}

} // namespace bindrel
