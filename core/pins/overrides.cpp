// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/overrides.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/field_code.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace bindrel {

namespace {

std::vector<std::string> fieldNames(const Block& block)
{
    std::vector<std::string> out;
    for (const Register& reg : block.registers)
        for (const Field& field : reg.fields)
            out.push_back(reg.name + "." + field.name);
    return out;
}

} // namespace

bool hasOverrides(const Plan& plan)
{
    return std::any_of(plan.needs.begin(), plan.needs.end(), [](const Need& need) { return !need.overrides.empty(); });
}

Override overrideOf(const Device& device, const Plan& plan, const Bindings& bindings, NeedIndex need,
                    const std::string& name, const std::string& text)
{
    Override out{need, name, {}, 0, {}};
    const BoundNeed& bound = bindings.needs[need];
    const std::string& title = plan.needs[need].title;
    if (bound.instance < 0) {
        out.trouble = say("{} has no instance yet whose {} could be set by hand. Bind it first.", title, name);
        return out;
    }
    const std::string& instance = device.instances[bound.instance].name;
    const std::optional<FieldRef> ref = device.findField(instance + "." + name);
    if (!ref || name.find('.') != name.rfind('.')) {
        out.trouble = say("{} has no field \"{}\".{} Write REGISTER.FIELD, or drop the value that is set by "
                          "hand.",
                          instance, name, didYouMean(name, fieldNames(device.blockOf(bound.instance))));
        return out;
    }
    if (const std::string why = whyNotByHand(device, *ref); !why.empty()) {
        out.trouble = say("{} {}, so it cannot be set by hand. Drop that value.", device.nameOf(*ref), why);
        return out;
    }
    const Expected<std::uint32_t> code = fieldCode(device, *ref, text);
    if (!code) {
        out.trouble = code.problem().message + ".";
        return out;
    }
    out.ref = *ref;
    out.code = *code;
    return out;
}

std::string overrideName(const Device& device, const FieldRef& ref)
{
    return device.registerOf(ref).name + "." + device.fieldOf(ref).name;
}

std::vector<Override> overridesOf(const Device& device, const Plan& plan, const Bindings& bindings)
{
    std::vector<Override> out;
    std::map<FieldRef, size_t> first;
    for (const NeedIndex n : plan.needs.indices())
        for (const auto& [name, text] : plan.needs[n].overrides) {
            Override set = overrideOf(device, plan, bindings, n, name, text);
            if (set.ref.valid())
                if (const auto [at, fresh] = first.emplace(set.ref, out.size());
                    !fresh && out[at->second].code != set.code) {
                    set.trouble =
                        say("{} is set by hand to {} by {} and to {} by {}, which share it. Keep one.",
                            device.nameOf(set.ref), fieldCodeText(device.fieldOf(set.ref), out[at->second].code),
                            plan.needs[out[at->second].need].title, fieldCodeText(device.fieldOf(set.ref), set.code),
                            plan.needs[n].title);
                    set.ref = {};
                }
            out.push_back(std::move(set));
        }
    return out;
}

} // namespace bindrel
