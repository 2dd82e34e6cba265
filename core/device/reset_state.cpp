// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/reset_state.h"

#include <algorithm>

namespace bindrel {

std::optional<std::int64_t> resetSettingOf(const Device& device, const ClockNode& node)
{
    const auto place = [](const auto& list, std::uint32_t code) -> std::optional<std::int64_t> {
        const auto found =
            std::find_if(list.begin(), list.end(), [code](const auto& item) { return item.code == code; });
        return found == list.end() ? std::nullopt : std::optional<std::int64_t>(found - list.begin());
    };
    if (node.type == ClockNode::Type::Select)
        return place(node.inputs, device.resetCode(node.control));
    if (!node.rates.empty())
        return place(node.rates, device.resetCode(node.control));
    if (node.type != ClockNode::Type::Divide && node.type != ClockNode::Type::Multiply)
        return 0;
    if (!node.control.valid())
        return node.factors.empty() ? 1 : node.settingOf(node.factors.front());
    const std::optional<std::int64_t> value = node.encoding.decode(device.resetCode(node.control));
    if (!value)
        return std::nullopt;
    // Without a field of its own the fraction is the low end of the control's value.
    const std::int64_t setting = node.fraction.valid() ? *value * node.unit + device.resetCode(node.fraction) : *value;
    return node.canBe(setting) ? std::optional(setting) : std::nullopt;
}

void resetTo(Device& device, const FieldRef& ref, std::uint32_t code)
{
    const Field& field = device.fieldOf(ref);
    std::uint32_t& word =
        device.instances[ref.instance].resets.try_emplace(ref.reg, device.resetOf(ref.instance, ref.reg)).first->second;
    word = (word & ~field.mask()) | field.at(code);
    for (ClockNode& node : device.clocks) {
        node.onAtReset = !node.enable.valid() || device.resetCode(node.enable.ref) == node.enable.code;
        node.resetValue = resetSettingOf(device, node).value_or(node.resetValue);
    }
    for (size_t r = 0; r < device.ranges.size() && device.rangeControl == ref; ++r)
        if (device.ranges[r].code == code)
            device.resetRange = int(r);
    const Block& block = device.blockOf(ref.instance);
    if (const Role* on = block.role("on"); block.kind == "watchdog" && device.roleField(ref.instance, "on") == ref)
        device.instances[ref.instance].abilities["runs_at_reset"] = {on->encoding.decode(code).value_or(0) != 0 ? 1
                                                                                                                : 0};
}

} // namespace bindrel
