// SPDX-License-Identifier: GPL-3.0-or-later
// Blocks, registers, roles, addresses, interrupts, DMA.
#include "core/base/text.h"
#include "core/device/block_kind.h"
#include "core/device/lint_remarks.h"

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

namespace bindrel {

namespace {

void lintFields(const Block& block, const Register& reg, LintRemarks& out)
{
    std::uint32_t seen = 0;
    for (const Field& field : reg.fields) {
        if (seen & field.mask())
            out.addRemark("overlapping-fields", "{}.{}: {} overlaps a field before it", block.name, reg.name,
                          field.name);
        seen |= field.mask();
        std::set<std::uint32_t> codes;
        for (const EnumValue& value : field.values)
            if (!codes.insert(value.code).second)
                out.addRemark("duplicate-code", "{}.{}.{}: the code {} has two names", block.name, reg.name, field.name,
                              value.code);
        if (field.followsReg >= 0 && field.access != Field::Access::ReadOnly)
            out.addRemark("follows-writable", "{}.{}.{} follows another field but can be written itself", block.name,
                          reg.name, field.name);
    }
    if (reg.reset & ~seen)
        out.addRemark("reset-outside-fields", "{}.{} resets to 0x{:08X}, which sets bits of no field", block.name,
                      reg.name, reg.reset);
}

/// What an encoding promises must fit into its field, and one code must not mean two values.
void lintEncoding(const Block& block, const std::string& name, const Role& role, LintRemarks& out)
{
    const Field& field = block.registers[role.reg].fields[role.field];
    const Encoding& encoding = role.encoding;
    std::set<std::uint32_t> codes;
    std::set<std::int64_t> values;
    for (const auto& [value, code] : encoding.table) {
        if (code > block.maxCode(role))
            out.addRemark("encoding-range", "{}: the code {} of the role \"{}\" does not fit into {}", block.name, code,
                          name, field.name);
        if (!codes.insert(code).second || !values.insert(value).second)
            out.addRemark("encoding-range",
                          "{}: in the table of the role \"{}\" the pair {}, {} repeats a value or a code", block.name,
                          name, value, code);
    }
    const Encoding::Segment* before = nullptr;
    for (const Encoding::Segment& segment : encoding.segments) {
        if (segment.lastCode > block.maxCode(role))
            out.addRemark("encoding-range", "{}: the codes {} to {} of the role \"{}\" do not fit into {}", block.name,
                          segment.firstCode, segment.lastCode, name, field.name);
        if (before) {
            const std::int64_t lastValue =
                before->base + before->step * (std::int64_t(before->lastCode) - before->firstCode);
            if (segment.firstCode <= before->lastCode || segment.base <= lastValue)
                out.addRemark("encoding-range", "{}: the segments of the role \"{}\" overlap at code {}", block.name,
                              name, segment.firstCode);
        }
        before = &segment;
    }
}

void lintAddresses(const Device& device, LintRemarks& out)
{
    // Two registers of one block at one offset are said once, for the block; the modes of a unit share their
    // registers.
    std::map<std::uint32_t, InstanceIndex> taken;
    for (const InstanceIndex i : device.instances.indices())
        for (const RegisterIndex r : device.blockOf(i).registers.indices()) {
            bool said = false;
            for (const auto& [offset, bytes] : device.blockOf(i).registers[r].places())
                for (std::uint32_t byte = 0; byte < bytes && !said; ++byte) {
                    const auto [at, fresh] = taken.emplace(device.instances[i].base + offset + byte, i);
                    const Instance& other = device.instances[at->second];
                    const bool sameUnit = !other.unit.empty() && other.unit == device.instances[i].unit;
                    said = !fresh && at->second != i && !sameUnit;
                    if (said)
                        out.addRemark("address-collision", "{} and {} both have a register at 0x{:08X}", other.name,
                                      device.instances[i].name, at->first);
                }
            if (said)
                break;
        }
}

void lintInterrupts(const Device& device, LintRemarks& out)
{
    std::map<int, std::string> numbers;
    std::map<int, std::string> units;
    for (const Instance& instance : device.instances)
        for (const auto& [event, number] : instance.interrupts) {
            const BlockKind* kind = findBlockKind(device.blocks[instance.block].kind);
            if (kind && !kind->events.empty() && event != "event" &&
                std::none_of(kind->events.begin(), kind->events.end(),
                             [&event = event](const WordSpec& word) { return isWordOf(event, word.name); })) {
                std::vector<std::string> known;
                for (const WordSpec& word : kind->events)
                    known.push_back(word.name);
                out.addRemark("interrupt-name",
                              "{} calls an interrupt \"{}\"; of a {} it is {}{}, or \"event\" for all of them",
                              instance.name, event, kind->id, listed(known), didYouMean(event, known));
            }
            // The faces of one unit have its interrupt, whatever it is at the time.
            if (const auto [at, fresh] = numbers.emplace(number, instance.name + " " + event); fresh)
                units[number] = instance.unit;
            else if (instance.unit.empty() || units[number] != instance.unit)
                out.addRemark("interrupt-twice", "{} and {} {} are both interrupt {}", at->second, instance.name, event,
                              number);
        }
    const Core& core = device.core();
    if (core.architecture == Core::Architecture::RiscV && numbers.contains(0))
        out.addRemark("interrupt-zero", "{} is interrupt 0, which the controller's claim gives for none",
                      numbers.at(0));
}

void lintDma(const Device& device, LintRemarks& out)
{
    if (device.dma.instance >= 0)
        for (const auto& [name, role] : device.blockOf(device.dma.instance).roles) {
            const Field& field = device.blockOf(device.dma.instance).registers[role.reg].fields[role.field];
            if ((isWordOf(name, "from#") || isWordOf(name, "to#") || isWordOf(name, "memory#")) &&
                (field.width != 32 || !field.pieces.empty()))
                out.addRemark(
                    "dma-address",
                    "{}: {}.{} has {} bits, but holds the role \"{}\", an address of 32; the functions that let "
                    "the channel move would not be written",
                    device.instances[device.dma.instance].name,
                    device.blockOf(device.dma.instance).registers[role.reg].name, field.name, field.width, name);
        }
    std::map<std::uint32_t, std::string> requests;
    for (const Instance& instance : device.instances)
        for (const auto& [event, links] : instance.dma) {
            const DmaLink& link = links.front();
            if (link.code == 0)
                continue;
            const FieldRef router = device.requestField(link.channel);
            const InstanceIndex holder = device.dma.router >= 0 ? device.dma.router : device.dma.instance;
            if (!router.valid() || link.code > device.fieldOf(router).maxCode())
                out.addRemark("dma-router", "{}.{} has the request {}, but {} has no field that could hold it",
                              instance.name, event, link.code, device.instances[holder].name);
            // The modes of a unit make the same request, whatever it is at the time.
            const std::string who = instance.unit.empty() ? instance.name : instance.unit;
            if (const auto [at, fresh] = requests.emplace(link.code, who + "." + event);
                !fresh && at->second != who + "." + event)
                out.addRemark("dma-request-twice", "{} and {}.{} are both request {}", at->second, who, event,
                              link.code);
        }
}

/// What the kind asks of a block: roles that must be there, and fields that can do what their role wants.
void lintRoles(const Device& device, const Block& block, LintRemarks& out)
{
    const BlockKind* kind = findBlockKind(block.kind);
    if (!kind)
        return;
    std::vector<std::string> missing;
    const auto has = [&block](const std::string& name) {
        return std::any_of(block.roles.begin(), block.roles.end(),
                           [&name](const auto& known) { return isWordOf(known.first, name); });
    };
    // A timer without channels needs no roles of channels: it counts, and serves needs that ask for no more.
    const auto numbered = [](const std::string& name) { return name.find('#') != std::string::npos; };
    const bool mayHaveChannels = std::any_of(kind->signals.begin(), kind->signals.end(),
                                             [&](const WordSpec& word) { return numbered(word.name); });
    const bool hasChannels =
        std::any_of(device.instances.begin(), device.instances.end(), [&](const Instance& instance) {
            return instance.block >= 0 && &device.blocks[instance.block] == &block &&
                   std::any_of(instance.signals.begin(), instance.signals.end(), [&](const InstanceSignal& signal) {
                       return std::any_of(kind->signals.begin(), kind->signals.end(), [&](const WordSpec& word) {
                           return numbered(word.name) && isWordOf(signal.name, word.name);
                       });
                   });
        });
    for (const RoleSpec& spec : kind->roles)
        if (spec.required && !(numbered(spec.name) && mayHaveChannels && !hasChannels) && !has(spec.name) &&
            (spec.unless.empty() || !has(spec.unless)))
            missing.push_back("\"" + spec.name + "\"");
    if (!missing.empty())
        out.addRemark("role-missing",
                      "{} is a {} and lacks the role {}; needs that it would serve cannot be configured", block.name,
                      block.kind, listed(missing));
    // Settings may share a field where its codes tell them apart; what is read, or acts at once, has its own.
    std::map<std::pair<RegisterIndex, FieldIndex>, std::string> roleOf;
    std::vector<std::tuple<std::string, const Role*, RegisterIndex, FieldIndex>> held; // each field of each role
    for (const auto& [name, role] : block.roles) {
        held.emplace_back(name, &role, role.reg, role.field);
        for (const auto& [reg, field] : role.higher)
            held.emplace_back(name, &role, reg, field);
    }
    for (const auto& [name, of, reg, index] : held) {
        const Role& role = *of;
        const auto [at, fresh] = roleOf.emplace(std::pair(reg, index), name);
        if (fresh)
            continue;
        const RoleSpec *one = kind->role(at->second), *other = kind->role(name);
        const auto setting = [](const RoleSpec* spec) { return spec && spec->use == RoleSpec::Use::Config; };
        const Encoding& first = block.role(at->second)->encoding;
        const bool apart =
            setting(one) && setting(other) && role.higher.empty() && block.role(at->second)->higher.empty() &&
            first.kind == Encoding::Kind::Table && role.encoding.kind == Encoding::Kind::Table &&
            std::none_of(first.table.begin(), first.table.end(), [&role = role](const auto& pair) {
                return pair.first != 0 &&
                       std::any_of(role.encoding.table.begin(), role.encoding.table.end(),
                                   [&pair](const auto& own) { return own.first != 0 && own.second == pair.second; });
            });
        if (!apart)
            out.addRemark(
                "role-twice", "{}: {}.{} holds both the roles \"{}\" and \"{}\"; name each field for one of them",
                block.name, block.registers[reg].name, block.registers[reg].fields[index].name, at->second, name);
    }
    for (const auto& [name, of, reg, index] : held) {
        const RoleSpec* spec = kind->role(name);
        const Field& field = block.registers[reg].fields[index];
        if (spec && (spec->use == RoleSpec::Use::Config || spec->use == RoleSpec::Use::Command) &&
            field.access == Field::Access::ReadOnly)
            out.addRemark("role-read-only", "{}: {}.{} can only be read, but holds the role \"{}\", which is written",
                          block.name, block.registers[reg].name, field.name, name);
        if (spec && spec->use == RoleSpec::Use::Config &&
            (field.access == Field::Access::WriteOneToSet || field.access == Field::Access::WriteOneToToggle))
            out.addRemark(
                "role-set-only",
                "{}: {}.{} acts on ones only, but holds the role \"{}\", which is set to any value; name the field "
                "that keeps what is written",
                block.name, block.registers[reg].name, field.name, name);
    }
}

/// What is pointed at, or counted on from outside, must stand at one address.
void lintParts(const Device& device, LintRemarks& out)
{
    for (const InstanceIndex i : device.instances.indices()) {
        const Block& block = device.blocks[device.instances[i].block];
        const BlockKind* kind = findBlockKind(block.kind);
        for (const auto& [name, role] : block.roles) {
            const std::string field = device.nameOf({int(i), role.reg, role.field});
            const RoleSpec* spec = kind ? kind->role(name) : nullptr;
            if (spec && spec->use == RoleSpec::Use::Data && !device.instances[i].dma.empty() &&
                !block.registers[role.reg].parts.empty())
                out.addRemark(
                    "part-wanted-whole",
                    "{} is in a register of parts, and its instance makes DMA requests: a channel reads and writes "
                    "one address",
                    field);
            if (block.kind == "interrupts" && name == "enable" && !block.registers[role.reg].plain())
                out.addRemark(
                    "part-wanted-whole",
                    "{} holds the bits of interrupts, which are reached by their number: it can have neither parts "
                    "nor a guard",
                    field);
        }
    }
}

} // namespace

void lintRegisters(const Device& device, LintRemarks& out)
{
    for (const Block& block : device.blocks) {
        std::map<std::uint32_t, const Register*> offsets; // by byte
        for (const Register& reg : block.registers) {
            bool said = false;
            for (const auto& [offset, bytes] : reg.places())
                for (std::uint32_t byte = 0; byte < bytes && !said; ++byte)
                    if (const auto [at, fresh] = offsets.emplace(offset + byte, &reg); !fresh) {
                        out.addRemark("register-overlap", "{}: {} and {} are both at offset 0x{:02X}", block.name,
                                      at->second->name, reg.name, offset + byte);
                        said = true;
                    }
            lintFields(block, reg, out);
        }
        for (const auto& [name, role] : block.roles)
            lintEncoding(block, name, role, out);
        lintRoles(device, block, out);
    }
    lintAddresses(device, out);
    lintInterrupts(device, out);
    lintDma(device, out);
    lintParts(device, out);
}

} // namespace bindrel
