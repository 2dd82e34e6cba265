// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/alternatives.h"

#include "core/device/field_code.h"
#include "core/pins/overrides.h"

#include <algorithm>

namespace bindrel {

namespace {

/// The fields that an alternative decides, by what the plan calls them, with the text of what each then holds.
std::vector<std::pair<std::string, std::string>> fieldsOf(const Snapshot& s, NeedIndex need, const Alternative& one)
{
    const Device& device = *s.device;
    const InstanceIndex instance = s.bindings.needs[need].instance;
    std::vector<std::pair<std::string, std::string>> out;
    for (const auto& [name, value] : one.roles) {
        const Role* role = instance < 0 ? nullptr : device.blockOf(instance).role(name);
        const std::optional<std::uint32_t> code = role ? role->encoding.encode(value) : std::nullopt;
        if (!code)
            continue; // a block without it has one value there
        const FieldRef ref = device.roleField(instance, name);
        out.emplace_back(overrideName(device, ref), fieldCodeText(device.fieldOf(ref), *code));
    }
    return out;
}

} // namespace

Alternatives alternativesOf(const Snapshot& s, NeedIndex need, Look look)
{
    Alternatives out;
    if (!s.plan.needs[need].overrides.empty()) {
        Plan plain = s.plan;
        plain.needs[need].overrides.clear();
        look = lookAt(*s.device, plain, s.bindings, s.rates, need);
    }
    out.all = std::move(look.alternatives);
    out.ranking = std::move(look.ranking);
    const Setting& now = s.settings[need];
    const auto used = std::find_if(out.all.begin(), out.all.end(), [&now](const Alternative& one) {
        return std::all_of(one.roles.begin(), one.roles.end(), [&now](const auto& part) {
            const std::optional<std::int64_t> value = now.role(part.first);
            return !value || *value == part.second;
        });
    });
    out.used = used == out.all.end() || !now.computed ? -1 : int(used - out.all.begin());
    return out;
}

Edit applyAlternative(const Snapshot& s, NeedIndex need, const Alternatives& alternatives, std::size_t chosen)
{
    const Need& of = s.plan.needs[need];
    Edit edit{of.title + ": " + alternatives.all[chosen].choice, {}};
    for (const auto& [name, text] : fieldsOf(s, need, alternatives.all[chosen])) {
        const auto known = of.overrides.find(name);
        if (chosen == 0 && known != of.overrides.end())
            edit.changes.push_back(SetOverride{of.id, name, std::nullopt});
        else if (chosen > 0 && (known == of.overrides.end() || known->second != text))
            edit.changes.push_back(SetOverride{of.id, name, text});
    }
    return edit;
}

} // namespace bindrel
