// SPDX-License-Identifier: GPL-3.0-or-later
// The order in which clocks are brought from reset to the plan, so that no limit is broken on the way:
//   unlock; regulator up; more wait states; larger bus dividers; sources on and ready; PLLs set while off, on, locked;
//   the system select, confirmed; smaller bus dividers; kernels' dividers and selects; fewer wait states; regulator down;
//   sources that nothing uses off.
// Only what differs from reset is written.
#include "core/image/image.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace bindrel {

namespace {

class ClockBringUp {
public:
    ClockBringUp(Image& image, const Device& device, const Rates& rates) : image_(image), device_(device), rates_(rates) {}

    void run()
    {
        unlock();
        const bool up = rangeGrows();
        if (up)
            setRange();
        const auto codeNow = device_.registerOf(device_.waitStates).reset >> device_.fieldOf(device_.waitStates).lsb &
                             device_.fieldOf(device_.waitStates).maxCode();
        const std::uint32_t codeThen = rates_.waitStates ? static_cast<std::uint32_t>(*rates_.waitStates) : codeNow;
        if (codeThen > codeNow)
            setWaitStates(codeThen);
        // Sources may themselves get faster while the system runs from them, so they come after what makes that safe.
        dividers([](std::int64_t now, std::int64_t then) { return then > now; });
        sourcesOn();
        plls();
        selects("system");
        dividers([](std::int64_t now, std::int64_t then) { return then < now; });
        kernelDividers();
        selects("kernel");
        gates();
        if (codeThen < codeNow)
            setWaitStates(codeThen);
        if (!up)
            setRange();
        sourcesOff();
    }

private:
    void add(Step step)
    {
        step.phase = Step::Phase::Clocks;
        image_.steps.push_back(std::move(step));
    }

    const ClockState& state(size_t i) const { return rates_.clocks[i]; }
    std::string rateText(size_t i) const { return format(state(i).rate); }

    void unlock()
    {
        for (const Unlock& unlock : device_.unlocks) {
            const FieldRef key{unlock.instance, unlock.reg, 0};
            const Field& field = device_.fieldOf(key);
            add(writeStep(device_, {{key, unlock.key >> field.lsb & field.maxCode(), "key"}},
                          fmt::format("Open {} for writing.", device_.instances[size_t(unlock.instance)].name)));
        }
    }

    bool rangeGrows() const
    {
        const auto fastest = [this](int range) { return device_.ranges[size_t(range)].waitStateLimits.back(); };
        return fastest(rates_.range) > fastest(device_.resetRange);
    }

    void setRange()
    {
        if (rates_.range == device_.resetRange || !device_.rangeControl.valid())
            return;
        const OperatingRange& range = device_.ranges[size_t(rates_.range)];
        const std::string why = fmt::format("Core regulator to {}: up to {}.", range.name, format(range.waitStateLimits.back()));
        add(updateStep(device_, {{device_.rangeControl, range.code, range.name}}, why));
        if (device_.rangeReady.valid())
            add(waitStep(device_, device_.rangeReady.ref, device_.rangeReady.code, Duration(Rational(1, 1000)), fmt::format("The regulator has settled in {}.", range.name)));
    }

    void setWaitStates(std::uint32_t code)
    {
        add(updateStep(device_, {{device_.waitStates, code, fmt::format("{} wait states", code)}},
                       fmt::format("{} flash wait states for {}.", code, rateText(size_t(device_.flashClock)))));
    }

    /// Twice the data sheet's start-up time: late enough for a slow part, soon enough to report a dead one.
    static Duration timeoutFor(const ClockNode& node)
    {
        const Duration least(Rational(1, 10'000));
        const Duration twice = node.startup * 2;
        return twice > least ? twice : least;
    }

    void sourcesOn()
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (!node.isSource() || !state(i).running)
                continue;
            load(node);
            rate(i);
            const bool later = node.enable.valid() && !node.onAtReset;
            if (later)
                add(updateStep(device_, {{node.enable.ref, node.enable.code, node.name + " on"}}, fmt::format("{} on: {}.", node.name, rateText(i))));
            if (node.ready.valid() && (later || state(i).setting != node.resetValue))
                add(waitStep(device_, node.ready.ref, node.ready.code, timeoutFor(node), fmt::format("{} runs; it needs up to {}.", node.name, format(node.startup))));
            if (state(i).trimmed)
                add(updateStep(device_, {{node.trim->enable.ref, node.trim->enable.code, node.name + " trimmed"}},
                               fmt::format("Trim {} by {}: {}.", node.name, node.trim->by >= 0 ? device_.clocks[size_t(node.trim->by)].name : node.trim->bySignal,
                                           format(state(i).tolerance))));
            if (state(i).monitored && node.monitor)
                add(updateStep(device_, {{node.monitor->enable.ref, node.monitor->enable.code, node.name + " monitored"}},
                               fmt::format("Watch {}; when it stops, {} takes over.", node.name, device_.clocks[size_t(node.monitor->fallsBackTo)].name)));
        }
    }

    /// The load that the oscillator switches in, nearest to what the crystal wants.
    void load(const ClockNode& node)
    {
        const std::pair<Capacitance, std::uint32_t>* best = nearestLoad(node, rates_.clocks[size_t(&node - device_.clocks.data())].load);
        const auto now = node.loadControl.valid() ? device_.registerOf(node.loadControl).reset >> device_.fieldOf(node.loadControl).lsb & device_.fieldOf(node.loadControl).maxCode() : 0;
        if (best && best->second != now)
            add(updateStep(device_, {{node.loadControl, best->second, node.name + " load"}}, fmt::format("{}: load capacitance {}.", node.name, format(best->first))));
    }

    /// The rate of an oscillator that has several, with its factory calibration before it.
    void rate(size_t i)
    {
        const ClockNode& node = device_.clocks[i];
        if (node.rates.empty() || state(i).setting == node.resetValue)
            return;
        const ClockNode::RateChoice& choice = node.rates[size_t(state(i).setting)];
        if (choice.calibration.valid())
            add(copyStep(device_, node.calibrationInto, choice.calibration, fmt::format("{}: the factory's calibration for {}.", node.name, rateText(i))));
        add(updateStep(device_, {{node.control, choice.code, fmt::format("{} {}", node.name, rateText(i))}}, fmt::format("{} at {}.", node.name, rateText(i))));
    }

    void sourcesOff()
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            // What the regulator or a watchdog needs at all times cannot be switched off: it has no enable.
            if (node.isSource() && node.onAtReset && !state(i).running && node.enable.valid()) {
                const std::uint32_t off = node.enable.code == 0 ? 1 : 0;
                add(updateStep(device_, {{node.enable.ref, off, node.name + " off"}}, fmt::format("{} off: nothing uses it.", node.name)));
            }
        }
    }

    /// The fields that hold a clock's setting: its control, and the fraction where it has one.
    std::vector<FieldWrite> controlsOf(size_t i) const
    {
        const ClockNode& node = device_.clocks[i];
        const std::string cause = fmt::format("{} {}", node.name, operationText(device_, rates_, static_cast<int>(i)));
        const std::int64_t setting = state(i).setting;
        if (node.type == ClockNode::Type::Select)
            return {{node.control, node.inputs[size_t(setting)].code, cause}};
        if (node.fraction.valid())
            return {{node.control, node.encoding.encode(setting / node.unit).value_or(0), cause}, {node.fraction, static_cast<std::uint32_t>(setting % node.unit), cause}};
        return {{node.control, node.encoding.encode(setting).value_or(0), cause}};
    }

    /// Whole and fraction in one write where they share a register.
    void setControl(size_t i, const std::string& why)
    {
        addByRegister(controlsOf(i), why);
    }

    void addByRegister(std::vector<FieldWrite> fields, std::string why)
    {
        std::stable_sort(fields.begin(), fields.end(), [](const FieldWrite& a, const FieldWrite& b) {
            return std::pair(a.ref.instance, a.ref.reg) < std::pair(b.ref.instance, b.ref.reg);
        });
        for (size_t k = 0; k < fields.size();) {
            size_t end = k;
            while (end < fields.size() && fields[end].ref.instance == fields[k].ref.instance && fields[end].ref.reg == fields[k].ref.reg)
                ++end;
            add(updateStep(device_, {fields.begin() + std::ptrdiff_t(k), fields.begin() + std::ptrdiff_t(end)}, std::exchange(why, {})));
            k = end;
        }
    }

    void plls()
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (node.isSource() || node.type == ClockNode::Type::Gate || !node.enable.valid() || !state(i).running || node.onAtReset)
                continue;
            // Everything that this PLL freezes, a register at a time.
            std::vector<FieldWrite> fields;
            std::vector<std::string> words;
            for (size_t k = 0; k < device_.clocks.size(); ++k)
                if (freezes(i, k) && std::find(set_.begin(), set_.end(), k) == set_.end()) {
                    set_.push_back(k);
                    for (FieldWrite& write : controlsOf(k))
                        fields.push_back(std::move(write));
                    words.push_back(fmt::format("{} {}", device_.clocks[k].name, operationText(device_, rates_, static_cast<int>(k))));
                }
            addByRegister(std::move(fields), fmt::format("{} {}: {}, set while it is off.", node.name, rateText(i), fmt::join(words, ", ")));
            add(updateStep(device_, {{node.enable.ref, node.enable.code, node.name + " on"}}, {}));
            if (node.ready.valid())
                add(waitStep(device_, node.ready.ref, node.ready.code, timeoutFor(node), fmt::format("{} has locked; it needs up to {}.", node.name, format(node.startup))));
        }
    }

    bool freezes(size_t pll, size_t node) const
    {
        const std::vector<int>& by = device_.clocks[node].frozenBy;
        return device_.clocks[node].control.valid() && std::find(by.begin(), by.end(), static_cast<int>(pll)) != by.end();
    }

    template <typename When> void dividers(When when)
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (node.tier == "system" && node.type == ClockNode::Type::Divide && node.control.valid() && when(node.resetValue, state(i).setting))
                setControl(i, fmt::format("{} {}: {} when the system clock is on.", node.name, operationText(device_, rates_, int(i)), rateText(i)));
        }
    }

    void kernelDividers()
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (node.tier == "kernel" && node.type == ClockNode::Type::Divide && node.control.valid() && state(i).used && state(i).setting != node.resetValue)
                setControl(i, fmt::format("{} {}: {}.", node.name, operationText(device_, rates_, int(i)), rateText(i)));
        }
    }

    void selects(std::string_view tier)
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (node.tier != tier || node.type != ClockNode::Type::Select || !state(i).running || !state(i).used || state(i).setting == node.resetValue)
                continue;
            setControl(i, fmt::format("{} {}: {}.", node.name, operationText(device_, rates_, int(i)), rateText(i)));
            if (node.status.valid())
                add(waitStep(device_, node.status, node.inputs[size_t(state(i).setting)].code, Duration(Rational(1, 10'000)), fmt::format("{} has switched.", node.name)));
        }
    }

    void gates()
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (node.type == ClockNode::Type::Gate && state(i).running && !node.onAtReset)
                add(updateStep(device_, {{node.enable.ref, node.enable.code, node.name + " on"}}, fmt::format("{} on: {}.", node.name, rateText(i))));
        }
    }

    Image& image_;
    const Device& device_;
    const Rates& rates_;
    std::vector<size_t> set_; ///< frozen controls that are written already: PLLs can share them
};

} // namespace

void appendClockSteps(Image& image, const Device& device, const Rates& rates) { ClockBringUp(image, device, rates).run(); }

} // namespace bindrel
