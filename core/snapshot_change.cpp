// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot_change.h"

#include "core/base/say.h"
#include "core/device/device_memory.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

const char* nameOf(BoundNeed::State state)
{
    return state == BoundNeed::State::Open    ? say("unbound")
           : state == BoundNeed::State::Bound ? say("bound")
                                              : say("in conflict");
}

std::map<std::string, RegisterValue> registersByName(const Snapshot& s)
{
    std::map<std::string, RegisterValue> out;
    for (const RegisterValue& value : s.image.registers)
        out[s.device->instances[value.instance].name + "." +
            s.device->blockOf(value.instance).registers[value.reg].name] = value;
    return out;
}

/// The row of the other list that says the same: several rows may have one goal and one title, as interrupts do; they
/// come in the same order.
const Achieved* sameRow(const std::vector<Achieved>& rows, size_t row, const std::vector<Achieved>& others)
{
    const auto alike = [&](const Achieved& other) {
        return other.goal == rows[row].goal && other.title == rows[row].title;
    };
    auto place = std::count_if(rows.begin(), rows.begin() + std::ptrdiff_t(row), alike);
    for (const Achieved& other : others)
        if (alike(other) && place-- == 0)
            return &other;
    return nullptr;
}

} // namespace

std::vector<std::string> changesBetween(const Snapshot& before, const Snapshot& after)
{
    std::vector<std::string> out;
    for (const NeedIndex n : after.plan.needs.indices())
        for (const NeedIndex b : before.plan.needs.indices()) {
            if (before.plan.needs[b].id != after.plan.needs[n].id)
                continue;
            const BoundNeed::State was = before.bindings.needs[b].state;
            const BoundNeed::State is = after.bindings.needs[n].state;
            if (was != is)
                out.push_back(say("{} was {} and is {}", after.plan.needs[n].title, nameOf(was), nameOf(is)));
            const std::vector<Achieved>& rows = after.settings[n].achieved;
            for (size_t r = 0; r < rows.size(); ++r)
                if (const Achieved* row = &rows[r], *old = sameRow(rows, r, before.settings[b].achieved);
                    old && old->achieved != row->achieved)
                    out.push_back(say("{}, {}: {} becomes {}", after.plan.needs[n].title, row->title, old->achieved,
                                      row->achieved));
        }
    for (const ClockIndex i : after.device->clocks.indices()) {
        const ClockIndex old = before.device->findClock(after.device->clocks[i].id);
        if (old < 0)
            continue;
        const ClockState& was = before.rates.clocks[old];
        const ClockState& is = after.rates.clocks[i];
        const std::string& name = after.device->clocks[i].name;
        if (was.rate != is.rate && (was.running || is.running))
            out.push_back(say("{}: {} becomes {}", name, format(was.rate), format(is.rate)));
        if (was.max != is.max && is.max)
            out.push_back(say("{}: its limit {} {}", name,
                              was.max ? say("of ") + format(*was.max) + say(" becomes") : say("is now"),
                              format(*is.max)));
    }
    const auto was = registersByName(before);
    const auto is = registersByName(after);
    for (const auto& [name, value] : is) {
        const auto old = was.find(name);
        if (old == was.end())
            out.push_back(say("{} is written now: 0x{:08X}", name, value.value));
        else if (old->second.value != value.value)
            out.push_back(say("{}: 0x{:08X} becomes 0x{:08X}", name, old->second.value, value.value));
        else if (before.device->addressOf(old->second.instance, old->second.reg) !=
                 after.device->addressOf(value.instance, value.reg))
            out.push_back(
                say("{} is at another address: 0x{:08X}", name, after.device->addressOf(value.instance, value.reg)));
    }
    for (const auto& [name, value] : was)
        if (!is.contains(name))
            out.push_back(say("{} is no longer written", name));
    std::set<std::string> known;
    for (const Finding& finding : before.findings)
        known.insert(finding.rule + finding.text.text());
    for (const Finding& finding : after.findings)
        if (!known.contains(finding.rule + finding.text.text()))
            out.push_back(say("new finding {}: {}", finding.rule, finding.text));
    return out;
}

std::vector<std::string> deviceChanges(const LoadedPlan& work, const std::filesystem::path& memory)
{
    if (!work.deviceChange)
        return {};
    std::vector<std::string> out = work.deviceChange->lost;
    Expected<Device> before = recallDevice(work.deviceChange->savedWith, memory);
    if (!before) {
        out.push_back(say("what else is different cannot be told: {}", before.problem().message));
        return out;
    }
    // The plan as it stands now on the old device: what is lost is listed already.
    const LoadedPlan then{
        std::make_shared<const Device>(*std::move(before)), work.board, work.plan, work.provenance, std::nullopt, {}};
    for (std::string& change : changesBetween(*computeSnapshot(then), *computeSnapshot(work)))
        out.push_back(std::move(change));
    if (out.empty())
        out.push_back(say("the change makes no difference to this plan"));
    return out;
}

} // namespace bindrel
