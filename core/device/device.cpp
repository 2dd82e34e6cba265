// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/device.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/block_kind.h"

#include <algorithm>
#include <charconv>

namespace bindrel {

bool Core::wordsOnly() const
{
    if (architecture != Architecture::ArmM)
        return false;
    for (const std::string& flag : compilerFlags)
        for (const char* old :
             {"-mcpu=cortex-m0", "-mcpu=cortex-m0plus", "-mcpu=cortex-m1", "-march=armv6-m", "-march=armv6s-m"})
            if (flag == old || flag.starts_with(old + std::string("+")) || flag.starts_with(old + std::string(".")))
                return true;
    return false;
}

namespace {
template <typename I, typename T, typename Name>
I indexOf(const IndexVector<I, T>& items, std::string_view name, Name nameOf)
{
    for (const I at : items.indices())
        if (nameOf(items[at]) == name)
            return at;
    return -1;
}
} // namespace

const Role* Block::role(std::string_view roleName) const
{
    const auto found = roles.find(roleName);
    return found == roles.end() ? nullptr : &found->second;
}

std::uint32_t Block::maxCode(const Role& role) const
{
    int bits = registers[role.reg].fields[role.field].width;
    for (const auto& [reg, field] : role.higher)
        bits += registers[reg].fields[field].width;
    return bits >= 32 ? UINT32_MAX : (1u << bits) - 1;
}

std::int64_t Block::ability(std::string_view abilityName, std::int64_t fallback) const
{
    const auto found = abilities.find(abilityName);
    return found == abilities.end() || found->second.empty() ? fallback : found->second.front();
}

std::vector<std::pair<std::uint32_t, std::uint32_t>> Register::places() const
{
    if (parts.empty())
        return {{offset, bytes()}};
    std::vector<std::pair<std::uint32_t, std::uint32_t>> out;
    for (const RegisterPart& part : parts)
        out.emplace_back(part.offset, part.bytes());
    return out;
}

InstanceIndex Device::findInstance(std::string_view wanted) const
{
    return indexOf(instances, wanted, [](const Instance& i) -> const std::string& { return i.name; });
}

PadIndex Device::findPad(std::string_view wanted) const
{
    return indexOf(pads, wanted, [](const Pad& p) -> const std::string& { return p.name; });
}

ClockIndex Device::findClock(std::string_view wanted) const
{
    return indexOf(clocks, wanted, [](const ClockNode& n) -> const std::string& { return n.id; });
}

int Device::findMode(std::string_view wanted) const
{
    for (size_t i = 0; i < modes.size(); ++i)
        if (modes[i].id == wanted)
            return static_cast<int>(i);
    return -1;
}

int Device::findRange(std::string_view wanted) const
{
    const auto found =
        std::find_if(ranges.begin(), ranges.end(), [&wanted](const OperatingRange& r) { return r.id == wanted; });
    return found == ranges.end() ? -1 : static_cast<int>(found - ranges.begin());
}

CoreIndex Device::findCore(std::string_view wanted) const
{
    return indexOf(cores, wanted, [](const Core& c) -> const std::string& { return c.id; });
}

CoreIndex Device::ownerCore(std::string_view wanted) const
{
    const CoreIndex found = findCore(wanted);
    return found < 0 ? CoreIndex(0) : found;
}

int Device::muxField(const FieldRef& ref) const
{
    const auto at = std::lower_bound(muxFields.begin(), muxFields.end(), ref);
    return at != muxFields.end() && *at == ref ? static_cast<int>(at - muxFields.begin()) : -1;
}

int Field::top() const
{
    int out = lsb + width - 1;
    for (size_t i = 0; i < pieces.size(); ++i)
        out = std::max(i == 0 ? 0 : out, pieces[i].first + pieces[i].second - 1);
    return out;
}

std::string Field::bitsText() const
{
    const auto piece = [](int low, int bits) {
        return bits == 1 ? std::to_string(low) : std::to_string(low + bits - 1) + ":" + std::to_string(low);
    };
    if (pieces.empty())
        return piece(lsb, width);
    std::string out;
    for (size_t i = pieces.size(); i-- > 0;)
        out += (out.empty() ? "" : ",") + piece(pieces[i].first, pieces[i].second);
    return out;
}

bool Fence::admit(std::uint32_t code, std::string_view core, std::string_view world) const
{
    const auto known = admits.find(code);
    return known != admits.end() &&
           std::any_of(known->second.begin(), known->second.end(),
                       [&](const std::string& name) { return name == core || (!world.empty() && name == world); });
}

bool ClockCombination::Term::has(std::int64_t setting) const
{
    return std::binary_search(settings.begin(), settings.end(), setting);
}

bool ClockNode::canBe(std::int64_t setting) const
{
    if (!dense)
        return std::binary_search(factors.begin(), factors.end(), setting);
    return !factors.empty() && setting >= factors.front() * unit && setting <= factors.back() * unit;
}

std::optional<FieldRef> Device::findField(std::string_view dotted) const
{
    const std::vector<std::string> parts = splitted(dotted, '.');
    if (parts.size() != 3)
        return std::nullopt;
    FieldRef ref;
    ref.instance = findInstance(parts[0]);
    if (ref.instance < 0)
        return std::nullopt;
    const Block& block = blockOf(ref.instance);
    ref.reg = indexOf(block.registers, parts[1], [](const Register& r) -> const std::string& { return r.name; });
    if (ref.reg < 0)
        return std::nullopt;
    ref.field =
        indexOf(block.registers[ref.reg].fields, parts[2], [](const Field& f) -> const std::string& { return f.name; });
    if (ref.field < 0)
        return std::nullopt;
    return ref;
}

std::uint32_t Device::addressOf(InstanceIndex instance, RegisterIndex reg) const
{
    return instances[instance].base + blockOf(instance).registers[reg].offset;
}

std::uint32_t Device::resetOf(InstanceIndex instance, RegisterIndex reg) const
{
    const auto own = instances[instance].resets.find(reg);
    return own == instances[instance].resets.end() ? blockOf(instance).registers[reg].reset : own->second;
}

std::uint32_t Device::resetCode(const FieldRef& ref) const
{
    return fieldOf(ref).in(resetOf(ref.instance, ref.reg));
}

std::string Device::nameOf(const FieldRef& ref) const
{
    return instances[ref.instance].name + "." + registerOf(ref).name + "." + fieldOf(ref).name;
}

std::string Device::pinOf(PadIndex pad) const
{
    for (const PackagePin& pin : package.pins)
        if (pin.kind == PackagePin::Kind::Pad && pin.pad == pad)
            return pin.number;
    return {};
}

std::optional<int> Device::interruptOf(InstanceIndex instance, std::string_view event) const
{
    const auto& interrupts = instances[instance].interrupts;
    for (const std::string_view name : {event, std::string_view("event")})
        if (const auto found = interrupts.find(std::string(name)); found != interrupts.end())
            return found->second;
    return interrupts.size() == 1 ? std::optional<int>(interrupts.begin()->second) : std::nullopt;
}

bool Device::lacks(std::string_view what) const
{
    return std::find(undescribed.begin(), undescribed.end(), what) != undescribed.end();
}

bool Device::canBeWritten() const
{
    return hasClocks() && !lacks("core") && !lacks("memory") && !lacks("addresses of some instances") &&
           !lacks("bus clocks of some instances");
}

std::optional<std::pair<std::string, int>> Device::lineInterrupt(InstanceIndex watcher, int line) const
{
    const auto& interrupts = instances[watcher].interrupts;
    if (const auto own = interrupts.find("line" + std::to_string(line)); own != interrupts.end())
        return *own;
    for (const auto& interrupt : interrupts)
        if (isWordOf(interrupt.first, "line#_#")) {
            const std::string_view range = std::string_view(interrupt.first).substr(4);
            const size_t dash = range.find('_');
            const auto number = [](std::string_view digits) {
                int value = -1;
                std::from_chars(digits.data(), digits.data() + digits.size(), value);
                return value;
            };
            if (line >= number(range.substr(0, dash)) && line <= number(range.substr(dash + 1)))
                return interrupt;
        }
    for (const char* all : {"line", "edge", "event"})
        if (const auto found = interrupts.find(all); found != interrupts.end())
            return *found;
    const bool named = std::any_of(interrupts.begin(), interrupts.end(),
                                   [](const auto& known) { return known.first.starts_with("line"); });
    return interrupts.size() == 1 && !named ? std::optional(std::pair(*interrupts.begin())) : std::nullopt;
}

FieldRef Device::roleField(InstanceIndex instance, std::string_view role) const
{
    const Role* found = blockOf(instance).role(role);
    return found ? FieldRef{instance, found->reg, found->field} : FieldRef{};
}

std::vector<FieldCode> Device::codesOf(InstanceIndex instance, const Role& role, std::uint32_t code) const
{
    const Block& block = blockOf(instance);
    std::vector<std::pair<RegisterIndex, FieldIndex>> slices{{role.reg, role.field}};
    slices.insert(slices.end(), role.higher.begin(), role.higher.end());
    std::vector<FieldCode> out;
    std::uint64_t rest = code;
    for (size_t i = 0; i < slices.size(); ++i) {
        const Field& field = block.registers[slices[i].first].fields[slices[i].second];
        const bool last = i + 1 == slices.size();
        out.push_back({{instance, slices[i].first, slices[i].second},
                       last ? std::uint32_t(rest) : std::uint32_t(rest) & field.maxCode()});
        rest >>= field.width;
    }
    return out;
}

std::vector<FieldCode> Device::functionCodes(const Pad& pad, std::uint32_t code) const
{
    if (!pad.function.valid())
        return {};
    return codesOf(pad.port, *blockOf(pad.port).role("function" + std::to_string(pad.bit)), code);
}

std::uint32_t Device::resetFunction(const Pad& pad) const
{
    if (!pad.function.valid())
        return 0;
    std::uint32_t code = resetCode(pad.function);
    int below = fieldOf(pad.function).width;
    for (const FieldRef& slice : pad.functionHigher) {
        code |= resetCode(slice) << below;
        below += fieldOf(slice).width;
    }
    return code;
}

std::uint32_t Device::maxFunction(const Pad& pad) const
{
    const Block& port = blockOf(pad.port);
    return port.maxCode(*port.role("function" + std::to_string(pad.bit)));
}

bool Pad::isPickedBy(const FieldRef& ref) const
{
    return function == ref || std::find(functionHigher.begin(), functionHigher.end(), ref) != functionHigher.end();
}

FieldRef Device::requestField(int channel) const
{
    const InstanceIndex holder = dma.router >= 0 ? dma.router : dma.instance;
    return holder < 0 ? FieldRef() : roleField(holder, "request" + std::to_string(channel));
}

std::vector<std::int64_t> Device::abilities(InstanceIndex instance, std::string_view wanted) const
{
    const Instance& self = instances[instance];
    if (const auto own = self.abilities.find(wanted); own != self.abilities.end())
        return own->second;
    const Block& block = blockOf(instance);
    const auto shared = block.abilities.find(wanted);
    return shared == block.abilities.end() ? std::vector<std::int64_t>() : shared->second;
}

std::int64_t Device::ability(InstanceIndex instance, std::string_view wanted, std::int64_t fallback) const
{
    const std::vector<std::int64_t> all = abilities(instance, wanted);
    return all.empty() ? fallback : all.front();
}

std::string Device::signalName(const Route& route) const
{
    const Instance& instance = instances[route.instance];
    return instance.name + "." + instance.signals[size_t(route.signal)].name;
}

} // namespace bindrel
