// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/setting.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/overrides.h"
#include "core/tuning/one_need.h"
#include "core/tuning/streams.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace bindrel {

const Encoding& TuningContext::encoding(std::string_view role) const
{
    static const Encoding asIs;
    const Role* found = device.blockOf(bound.instance).role(role);
    return found ? found->encoding : asIs;
}

std::optional<std::int64_t> TuningContext::byHand(std::string_view role) const
{
    const Role* known = hasOverrides(plan) ? device.blockOf(bound.instance).role(role) : nullptr;
    if (known)
        for (const Override& set : overridesOf(device, plan, bindings))
            if (set.ref.instance == bound.instance && set.ref.reg == known->reg && set.ref.field == known->field)
                return known->encoding.decode(set.code);
    return std::nullopt;
}

std::uint32_t TuningContext::maxCode(std::string_view role) const
{
    const FieldRef ref = device.roleField(bound.instance, role);
    return ref.valid() ? device.fieldOf(ref).maxCode() : 0;
}

std::string achievedText(const Achieved& row)
{
    for (const std::string_view bound : {say(" at most"), say(" at least")})
        if (row.title.ends_with(bound)) {
            const std::string title = lowered(row.title.substr(0, row.title.size() - bound.size()));
            return row.wanted == row.achieved
                       ? fmt::format("{}{} {}", title, bound, row.achieved)
                       : fmt::format("{} {} ({} {})", title, row.achieved, bound.substr(1), row.wanted);
        }
    return lowered(row.title) + " " + row.achieved;
}

void addDmaRoles(Setting& setting, const TuningContext& c)
{
    const std::vector<std::string> requests = requestsOf(c.need);
    for (const auto& [role, request] : {std::pair{"dma_receive", "RX"}, {"dma_transmit", "TX"}})
        if (c.has(role))
            setting.roles.push_back(
                {role, std::find(requests.begin(), requests.end(), request) != requests.end(), "dma"});
}

std::string missingRoles(const Device& device, InstanceIndex instance, const KindSpec& kind)
{
    std::vector<std::string> missing;
    const Block& block = device.blockOf(instance);
    const auto has = [&block](const std::string& name) {
        return std::any_of(block.roles.begin(), block.roles.end(),
                           [&name](const auto& known) { return isWordOf(known.first, name); });
    };
    for (const RoleSpec& role : kind.roles)
        if (role.required && !has(role.name) && (role.unless.empty() || !has(role.unless)))
            missing.push_back("\"" + role.name + "\"");
    return listed(missing);
}

namespace {
/// What is set by hand takes the place of what the goals ask for: the rows that speak of that no longer hold.
void heedOverrides(Setting& setting, const TuningContext& c)
{
    for (const Override& set : overridesOf(c.device, c.plan, c.bindings)) {
        if (set.ref.instance != c.bound.instance)
            continue;
        for (RoleValue& value : setting.roles) {
            const Role* role = c.device.blockOf(c.bound.instance).role(value.role);
            if (!role || role->reg != set.ref.reg || role->field != set.ref.field ||
                value.when == RoleValue::When::Event)
                continue;
            const bool followed = role->encoding.encode(value.value) == set.code;
            if (const std::optional<std::int64_t> decoded = role->encoding.decode(set.code); decoded && !followed)
                value.asked = std::exchange(value.value, *decoded);
            for (Achieved& row : setting.achieved) {
                if (value.goal.empty() || row.goal != value.goal)
                    continue;
                row.byHand = true;
                if (followed && !row.ok)
                    row.trouble += " " + set.name + say(" is set by hand.");
                if (followed)
                    continue;
                row.achieved = say("not computed (") + set.name + say(" is set by hand)");
                row.error = std::nullopt;
                row.formula.clear();
                row.unknown = true;
            }
        }
    }
}

Setting tuned(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex n,
              Look* look, bool worded = true)
{
    Setting setting;
    const Need& need = plan.needs[n];
    const BoundNeed& bound = bindings.needs[n];
    const TuningContext c{device, rates, need, bound, plan, bindings, look, worded};
    const TuningFacet& kind = tuningOf(need.kind);
    if (!kind.solve)
        return setting;
    if (bound.instance < 0) {
        setting.notComputed = say("no instance is chosen yet; bind the need first");
        return setting;
    }
    setting.kernel = device.instances[bound.instance].kernel;
    if (const std::string missing = missingRoles(device, bound.instance, *findKind(need.kind)); !missing.empty()) {
        setting.notComputed = say("the block of {} lacks the role {} in the device file; add it there",
                                  device.instances[bound.instance].name, missing);
        return setting;
    }
    const ClockState& clock = rates.clocks[setting.kernel];
    if (!clock.running || !clock.rate.defined()) {
        setting.notComputed = say("its clock {} does not run: {}", device.clocks[setting.kernel].name, clock.stopped);
        return setting;
    }
    const ClockIndex kernel = setting.kernel;
    // An undefined number ends the computation for this need with a finding; it never becomes a register value.
    try {
        setting = kind.solve(c);
        setting.computed = setting.notComputed.empty();
        if (setting.computed && kind.streams)
            addStreams(setting, c, kind.streams(device, bound.instance, need));
    } catch (const UndefinedNumber&) {
        setting = {};
        setting.notComputed = say("its goals and clock rate cannot be computed exactly together; change one of them");
    }
    setting.kernel = kernel;
    if (setting.computed && hasOverrides(plan))
        heedOverrides(setting, c);
    for (NeedEvent& event : setting.events) {
        if (event.instance < 0)
            event.instance = bound.instance;
        if (const std::optional<int> number = device.interruptOf(event.instance, event.event)) {
            const std::optional<std::uint32_t> level = urgencyOf(device, plan, need).level;
            setting.achieved.push_back(
                {"interrupt",
                 "Interrupt",
                 "",
                 formatIfNeeded(c, "{}, {} {}{}", *number, device.instances[event.instance].name, event.event,
                                level ? say(", priority {}", *level) : std::string()),
                 std::nullopt,
                 true,
                 {},
                 {},
                 true});
        }
    }
    return setting;
}

} // namespace

Setting tuneNeed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex need)
{
    return tuned(device, plan, bindings, rates, need, nullptr);
}

Setting numbersOfNeed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                      NeedIndex need)
{
    return tuned(device, plan, bindings, rates, need, nullptr, false);
}

Look lookAt(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex need)
{
    Look out;
    tuned(device, plan, bindings, rates, need, &out);
    if (const TuningFacet& facet = tuningOf(plan.needs[need].kind); facet.picture)
        out.waveform = facet.picture(plan.needs[need]);
    return out;
}

IndexVector<NeedIndex, Setting> tune(const Device& device, const Plan& plan, const Bindings& bindings,
                                     const Rates& rates)
{
    IndexVector<NeedIndex, Setting> out;
    for (size_t n = 0; n < plan.needs.size(); ++n)
        out.push_back(tuneNeed(device, plan, bindings, rates, n));
    return out;
}

} // namespace bindrel
