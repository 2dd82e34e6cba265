// SPDX-License-Identifier: GPL-3.0-or-later
// The clock tree, operating ranges and limit tables.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/lint_remarks.h"
#include "core/quantity/format.h"

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

void lintTree(const Device& device, LintRemarks& out)
{
    std::map<FieldRef, std::string> controls;
    std::vector<bool> sourced(device.clocks.size(), false);
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockNode& node = device.clocks[i];
        sourced[i] = node.isSource();
        std::set<std::uint32_t> codes;
        for (const ClockInput& input : node.inputs) {
            sourced[i] = sourced[i] || (input.node >= 0 && sourced[size_t(input.node)]);
            if (node.type == ClockNode::Type::Select && !codes.insert(input.code).second)
                out.addRemark("duplicate-code", "{}: two inputs have the code {}", node.id, input.code);
        }
        if (!sourced[i])
            out.addRemark("clock-without-source", "{} has no path to a source", node.id);
        if (node.type == ClockNode::Type::Select && node.control.valid())
            for (const EnumValue& value : device.fieldOf(node.control).values)
                if (!codes.contains(value.code))
                    out.addRemark("unreachable-mux-code", "{} = {} selects no input of {}", device.nameOf(node.control),
                                  value.name, node.id);
        if (node.control.valid())
            if (const auto [at, fresh] = controls.emplace(node.control, node.id); !fresh)
                out.addRemark("control-twice", "{} and {} are controlled by the same field {}", at->second, node.id,
                              device.nameOf(node.control));
        const char* kind = node.type == ClockNode::Type::Crystal    ? "crystal"
                           : node.type == ClockNode::Type::External ? "clockin"
                                                                    : nullptr;
        const int pads = device.findInstance(node.id);
        if (kind && (pads < 0 || device.blockOf(pads).kind != kind))
            out.addRemark("crystal-without-pads",
                          "{} is fed from outside, but no instance {} of kind \"{}\" says on which pads", node.id,
                          node.id, kind);
    }
}

/// A limit that is given for some ranges only, and by no general one, leaves the others without.
void lintLimits(const Device& device, LintRemarks& out)
{
    for (const ClockNode& node : device.clocks) {
        const bool general = !node.limit.empty();
        for (const OperatingRange& range : device.ranges)
            if (!general && !node.limitByRange.empty() && !node.limitByRange.contains(range.id))
                out.addRemark("limit-gap", "{} has limits for some ranges, but none for {}", node.id, range.name);
        for (size_t a = 0; a < node.toleranceOver.size(); ++a)
            for (size_t b = a + 1; b < node.toleranceOver.size(); ++b)
                if (node.toleranceOver[a].range.covers(node.toleranceOver[b].range) &&
                    node.toleranceOver[b].range.covers(node.toleranceOver[a].range))
                    out.addRemark("limit-overlap", "{}: two tolerances for {} to {} degrees", node.id,
                                  node.toleranceOver[a].range.low, node.toleranceOver[a].range.high);
    }
    const ClockNode& flash = device.clocks[device.flashClock];
    for (const OperatingRange& range : device.ranges) {
        const RateLimit& limit = flash.limitIn(range.id);
        if (limit.max && *limit.max > range.waitStateLimits.back())
            out.addRemark("limit-gap", "in {} {} may run at {}, but the wait states end at {}", range.name, flash.id,
                          format(*limit.max), format(range.waitStateLimits.back()));
        if (device.waitStates.valid() &&
            std::uint64_t(device.fieldOf(device.waitStates).maxCode()) + 1 < range.waitStateLimits.size())
            out.addRemark("encoding-range", "{} has no code for {} wait states", device.nameOf(device.waitStates),
                          range.waitStateLimits.size() - 1);
    }
}

/// The rate at which each clock runs right after reset, 0 where it does not: crystals are off, whatever is fitted.
std::vector<Rational> resetRates(const Device& device)
{
    std::vector<Rational> rates(device.clocks.size());
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockNode& node = device.clocks[i];
        if (node.enable.valid() && !node.onAtReset)
            continue;
        using Type = ClockNode::Type;
        if (node.type == Type::Oscillator)
            rates[i] = (node.rates.empty() ? node.rate : node.rates[size_t(node.resetValue)].rate).value;
        if (node.inputs.empty())
            continue;
        const int input =
            node.type == Type::Select ? node.inputs[size_t(node.resetValue)].node : node.inputs.front().node;
        if (input < 0)
            continue;
        const bool whenOne =
            node.follows >= 0 && device.clocks[node.follows].resetValue == device.clocks[node.follows].unit;
        const Rational factor = node.type == Type::Divide     ? Rational(node.unit, node.resetValue)
                                : node.type == Type::Multiply ? node.factorOf(node.resetValue)
                                : node.follows >= 0           ? Rational(whenOne ? node.factorWhenOne : node.factorElse)
                                                              : Rational(1);
        rates[i] = rates[size_t(input)] * factor;
    }
    return rates;
}

} // namespace

void lintReset(const Device& device, LintRemarks& out)
{
    const std::vector<Rational> rates = resetRates(device);
    const OperatingRange& range = device.ranges[size_t(device.resetRange)];
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockNode& node = device.clocks[i];
        // What multiplies and is off asks nothing of its input; kernels rest.
        const bool idle =
            !node.frozenBy.empty() && std::all_of(node.frozenBy.begin(), node.frozenBy.end(),
                                                  [&](ClockIndex by) { return rates[size_t(by)].isZero(); });
        if (rates[i].isZero() || node.tier == "kernel" || idle)
            continue;
        const RateLimit& limit = node.limitIn(range.id);
        if ((limit.max && rates[i] > limit.max->value) || (limit.min && rates[i] < limit.min->value))
            out.addRemark("reset-limit", "{} comes out of reset at {}, outside its limit in {}", node.id,
                          format(Frequency(rates[i])), range.name);
        for (const RelativeLimit& relative : limit.relative)
            if (const Rational bound = rates[size_t(relative.to)] * relative.max; !bound.isZero() && rates[i] > bound)
                out.addRemark("reset-limit", "{} comes out of reset at {}, above the {} that {} leaves it", node.id,
                              format(Frequency(rates[i])), format(Frequency(bound)), device.clocks[relative.to].id);
    }
    for (const ClockCombination& combination : device.neverTogether)
        if (std::all_of(combination.terms.begin(), combination.terms.end(), [&](const ClockCombination::Term& term) {
                return !rates[size_t(term.clock)].isZero() && term.has(device.clocks[term.clock].resetValue);
            })) {
            std::vector<std::string> ids;
            for (const ClockCombination::Term& term : combination.terms)
                ids.push_back(device.clocks[term.clock].id);
            out.addRemark("reset-limit", "{} come out of reset as they must never stand together", listed(ids));
        }
    const std::uint32_t waits = device.waitStates.valid() ? device.resetCode(device.waitStates) : 0;
    if (const Rational& rate = rates[size_t(device.flashClock)];
        rate > range.waitStateLimits[std::min<size_t>(waits, range.waitStateLimits.size() - 1)].value)
        out.addRemark("reset-limit",
                      "the flash comes out of reset with {} wait states at {}, which they do not carry in {}", waits,
                      format(Frequency(rate)), range.name);
}

namespace {

/// Codes that the field which is to hold them cannot hold.
void lintCodes(const Device& device, LintRemarks& out)
{
    const auto check = [&](const FieldRef& field, std::uint32_t code, const std::string& of) {
        if (field.valid() && code > device.fieldOf(field).maxCode())
            out.addRemark("encoding-range", "the code {} of {} does not fit into {}", code, of, device.nameOf(field));
    };
    for (const ClockNode& node : device.clocks) {
        for (const ClockInput& input : node.inputs)
            if (node.type == ClockNode::Type::Select)
                check(node.control, input.code,
                      say("{}'s input {}", node.id, input.node < 0 ? "none" : device.clocks[input.node].id));
        for (const ClockNode::RateChoice& rate : node.rates)
            check(node.control, rate.code, say("{} at {}", node.id, format(rate.rate)));
        for (const auto& [load, code] : node.loads)
            check(node.loadControl, code, say("a load of {}", node.id));
        for (const auto& [rate, code] : node.drives)
            check(node.driveControl, code, say("{} up to {}", node.id, format(rate)));
    }
    for (const OperatingRange& range : device.ranges)
        check(device.rangeControl, range.code, range.name);
}

/// What the written start-up needs of a core's compiler.
void lintCores(const Device& device, LintRemarks& out)
{
    for (const Core& core : device.cores) {
        if (core.architecture != Core::Architecture::RiscV)
            continue;
        const bool older = std::any_of(core.compilerFlags.begin(), core.compilerFlags.end(),
                                       [](const std::string& flag) { return flag.starts_with("-misa-spec=2.2"); });
        for (const std::string& flag : core.compilerFlags)
            if (!older && flag.starts_with("-march=rv") && flag.find("zicsr") == std::string::npos &&
                flag.find("rv32g") == std::string::npos)
                out.addRemark(
                    "core-flags",
                    "{} is compiled with {}, without which the control registers that its start-up sets cannot be "
                    "written; add \"-misa-spec=2.2\", or _zicsr where the compiler has its library so",
                    core.name, flag);
    }
}

void lintRanges(const Device& device, LintRemarks& out)
{
    std::map<std::uint32_t, std::string> codes;
    for (const OperatingRange& range : device.ranges) {
        if (device.rangeControl.valid())
            if (const auto [at, fresh] = codes.emplace(range.code, range.name); !fresh)
                out.addRemark("limit-overlap", "{} and {} have the same code {}", at->second, range.name, range.code);
        if (range.supplyMin > range.supplyMax || range.supplyMin < device.supplyMin ||
            range.supplyMax > device.supplyMax)
            out.addRemark("limit-gap", "{} is for {} to {}, the device for {} to {}", range.name,
                          format(range.supplyMin), format(range.supplyMax), format(device.supplyMin),
                          format(device.supplyMax));
    }
    // The whole supply must be covered: from the lowest voltage on, always to the farthest that a range reaches.
    Voltage reached = device.supplyMin;
    for (bool moved = true; moved && reached < device.supplyMax;) {
        moved = false;
        for (const OperatingRange& range : device.ranges)
            if (range.supplyMin <= reached && range.supplyMax > reached) {
                reached = range.supplyMax;
                moved = true;
            }
    }
    if (reached < device.supplyMax)
        out.addRemark("limit-gap", "no operating range is for a supply just above {}", format(reached));
}

} // namespace

void lintClocks(const Device& device, LintRemarks& out)
{
    lintTree(device, out);
    lintLimits(device, out);
    lintRanges(device, out);
    lintReset(device, out);
    lintCores(device, out);
    lintCodes(device, out);
}

} // namespace bindrel
