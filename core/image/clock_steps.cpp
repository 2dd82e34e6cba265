// SPDX-License-Identifier: GPL-3.0-or-later
// The order in which clocks are brought from reset to the plan, so that no limit is broken on the way:
//   unlock; regulator up; sources on and ready; more wait states; PLLs set while off, on, locked; larger bus dividers;
//   the system select, confirmed; smaller bus dividers; kernels' dividers and selects; fewer wait states; regulator down;
//   sources that nothing uses off.
// Only what differs from reset is written.
#include "core/image/image.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

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
        sourcesOn();
        const auto codeNow = device_.registerOf(device_.waitStates).reset >> device_.fieldOf(device_.waitStates).lsb &
                             device_.fieldOf(device_.waitStates).maxCode();
        const std::uint32_t codeThen = rates_.waitStates ? static_cast<std::uint32_t>(*rates_.waitStates) : codeNow;
        if (codeThen > codeNow)
            setWaitStates(codeThen);
        plls();
        dividers([](std::int64_t now, std::int64_t then) { return then > now; });
        selects("system");
        dividers([](std::int64_t now, std::int64_t then) { return then < now; });
        kernelDividers();
        selects("kernel");
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
            add(waitStep(device_, device_.rangeReady, 1, Duration(Rational(1, 1000)), fmt::format("The regulator has settled in {}.", range.name)));
    }

    void setWaitStates(std::uint32_t code)
    {
        add(updateStep(device_, {{device_.waitStates, code, fmt::format("{} wait states", code)}},
                       fmt::format("{} flash wait states for {}.", code, rateText(size_t(device_.flashClock)))));
    }

    bool isSource(const ClockNode& node) const
    {
        return node.type == ClockNode::Type::Oscillator || node.type == ClockNode::Type::Crystal;
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
            if (!isSource(node) || !state(i).running || !node.enable.valid() || node.onAtReset)
                continue;
            add(updateStep(device_, {{node.enable, 1, node.name + " on"}}, fmt::format("{} on: {}.", node.name, rateText(i))));
            if (node.ready.valid())
                add(waitStep(device_, node.ready, 1, timeoutFor(node), fmt::format("{} runs; it needs up to {}.", node.name, format(node.startup))));
        }
    }

    void sourcesOff()
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (isSource(node) && node.onAtReset && !state(i).running && node.enable.valid())
                add(updateStep(device_, {{node.enable, 0, node.name + " off"}}, fmt::format("{} off: nothing uses it.", node.name)));
        }
    }

    std::uint32_t codeOf(size_t i) const
    {
        const ClockNode& node = device_.clocks[i];
        if (node.type == ClockNode::Type::Select)
            return node.inputs[size_t(state(i).setting)].code;
        return node.encoding.encode(state(i).setting).value_or(0);
    }

    FieldWrite controlOf(size_t i) const
    {
        const ClockNode& node = device_.clocks[i];
        return {node.control, codeOf(i), fmt::format("{} {}", node.name, operationText(device_, rates_, static_cast<int>(i)))};
    }

    void plls()
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (isSource(node) || !node.enable.valid() || !state(i).running)
                continue;
            // Everything that this PLL freezes, a register at a time.
            std::vector<FieldWrite> fields;
            std::vector<std::string> words;
            for (size_t k = 0; k < device_.clocks.size(); ++k)
                if (device_.clocks[k].frozenBy == static_cast<int>(i) && device_.clocks[k].control.valid()) {
                    fields.push_back(controlOf(k));
                    words.push_back(fmt::format("{} {}", device_.clocks[k].name, operationText(device_, rates_, static_cast<int>(k))));
                }
            std::stable_sort(fields.begin(), fields.end(), [](const FieldWrite& a, const FieldWrite& b) {
                return std::pair(a.ref.instance, a.ref.reg) < std::pair(b.ref.instance, b.ref.reg);
            });
            std::string why = fmt::format("{} {}: {}, set while it is off.", node.name, rateText(i), fmt::join(words, ", "));
            for (size_t k = 0; k < fields.size();) {
                size_t end = k;
                while (end < fields.size() && fields[end].ref.instance == fields[k].ref.instance && fields[end].ref.reg == fields[k].ref.reg)
                    ++end;
                add(updateStep(device_, {fields.begin() + std::ptrdiff_t(k), fields.begin() + std::ptrdiff_t(end)}, why));
                why.clear();
                k = end;
            }
            add(updateStep(device_, {{node.enable, 1, node.name + " on"}}, {}));
            if (node.ready.valid())
                add(waitStep(device_, node.ready, 1, timeoutFor(node), fmt::format("{} has locked; it needs up to {}.", node.name, format(node.startup))));
        }
    }

    template <typename When> void dividers(When when)
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (node.tier == "system" && node.type == ClockNode::Type::Divide && node.control.valid() && when(node.resetValue, state(i).setting))
                add(updateStep(device_, {controlOf(i)}, fmt::format("{} {}: {} when the system clock is on.", node.name, operationText(device_, rates_, int(i)), rateText(i))));
        }
    }

    void kernelDividers()
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (node.tier == "kernel" && node.type == ClockNode::Type::Divide && node.control.valid() && state(i).used && state(i).setting != node.resetValue)
                add(updateStep(device_, {controlOf(i)}, fmt::format("{} {}: {}.", node.name, operationText(device_, rates_, int(i)), rateText(i))));
        }
    }

    void selects(std::string_view tier)
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& node = device_.clocks[i];
            if (node.tier != tier || node.type != ClockNode::Type::Select || !state(i).running || !state(i).used || state(i).setting == node.resetValue)
                continue;
            add(updateStep(device_, {controlOf(i)}, fmt::format("{} {}: {}.", node.name, operationText(device_, rates_, int(i)), rateText(i))));
            if (node.status.valid())
                add(waitStep(device_, node.status, codeOf(i), Duration(Rational(1, 10'000)), fmt::format("{} has switched.", node.name)));
        }
    }

    Image& image_;
    const Device& device_;
    const Rates& rates_;
};

} // namespace

void appendClockSteps(Image& image, const Device& device, const Rates& rates) { ClockBringUp(image, device, rates).run(); }

} // namespace bindrel
