// SPDX-License-Identifier: GPL-3.0-or-later
// Settings in non-volatile memory: where they lie, and that the chip can come out of reset with each.
#include "core/device/lint_remarks.h"
#include "core/device/reset_state.h"

#include <algorithm>

namespace bindrel {

namespace {

/// The chip as it comes out of reset with one setting: nothing may be wrong that was right before.
void lintOutcome(const Device& device, const StoredWord& word, const StoredSetting& setting, const EnumValue& value,
                 LintRemarks& out)
{
    Device then = device;
    for (const StoredSetting::Decides& decides : setting.decides)
        resetTo(then, decides.ref, decides.codeFor(value.code));
    const std::string name = word.name + "." + setting.bits.name + " " + value.name;
    for (const ClockNode& node : then.clocks)
        if (!resetSettingOf(then, node))
            out.addRemark("nonvolatile-reset", "with {} {} comes out of reset with a code that means nothing", name,
                          node.id);
    LintRemarks before, after;
    lintReset(device, before);
    lintReset(then, after);
    const std::vector<LintRemark> known = before.take();
    for (const LintRemark& remark : after.take())
        if (std::none_of(known.begin(), known.end(), [&](const LintRemark& r) { return r.text == remark.text; }))
            out.addRemark("nonvolatile-reset", "with {}: {}", name, remark.text);
}

} // namespace

void lintStored(const Device& device, LintRemarks& out)
{
    for (const StoredWord& word : device.stored) {
        for (const std::uint32_t address : {word.address, word.inverseAt.value_or(word.address)})
            for (const InstanceIndex i : device.instances.indices())
                for (const Register& reg : device.blockOf(i).registers)
                    for (const auto& [offset, bytes] : reg.places())
                        if (const std::uint32_t at = device.instances[i].base + offset;
                            address < at + bytes && at < address + word.bytes())
                            out.addRemark("address-collision", "{} in non-volatile memory lies where {}.{} is",
                                          word.name, device.instances[i].name, reg.name);
        for (const Core& core : device.cores)
            for (const std::uint32_t address : {word.address, word.inverseAt.value_or(word.address)})
                if (address >= core.ramBase && address - core.ramBase < core.ramBytes)
                    out.addRemark("address-collision", "{} in non-volatile memory lies in the RAM of {}", word.name,
                                  core.id);
        for (const StoredSetting& setting : word.settings) {
            const std::uint32_t factory = (word.factory & setting.bits.mask()) >> setting.bits.lsb;
            // The file's reset values are those of a chip as it is delivered.
            for (const StoredSetting::Decides& decides : setting.decides)
                if (device.resetCode(decides.ref) != decides.codeFor(factory))
                    out.addRemark("nonvolatile-factory",
                                  "{}.{} decides {}, which resets to {}; from the factory it would be {}", word.name,
                                  setting.bits.name, device.nameOf(decides.ref), device.resetCode(decides.ref),
                                  decides.codeFor(factory));
            for (const EnumValue& value : setting.bits.values)
                lintOutcome(device, word, setting, value, out);
        }
    }
}

} // namespace bindrel
