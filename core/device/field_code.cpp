// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/field_code.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/block_kind.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <optional>

namespace bindrel {

namespace {
std::string underscored(std::string text)
{
    std::replace(text.begin(), text.end(), ' ', '_');
    return text;
}

/// "12", "0x1F", "0b101"; blanks and underscores between digits are skipped.
std::optional<std::uint32_t> numberIn(std::string_view text, std::uint32_t most)
{
    std::string small = lowered(std::string(trimmed(text)));
    std::erase_if(small, [](char c) { return c == ' ' || c == '_'; });
    const int base = small.starts_with("0x") ? 16 : small.starts_with("0b") ? 2 : 10;
    const char* first = small.data() + (base == 10 ? 0 : 2);
    const char* last = small.data() + small.size();
    std::uint32_t code = 0;
    const auto [end, error] = std::from_chars(first, last, code, base);
    return error == std::errc() && end == last && first != last && code <= most ? std::optional(code) : std::nullopt;
}
} // namespace

std::vector<std::string> valueNames(const Field& field)
{
    std::vector<std::string> out;
    for (const EnumValue& value : field.values)
        out.push_back(underscored(value.name));
    return out;
}

Expected<std::uint32_t> fieldCode(const Device& device, const FieldRef& ref, std::string_view text)
{
    const Field& field = device.fieldOf(ref);
    const std::string word = underscored(std::string(trimmed(text)));
    const std::vector<std::string> names = valueNames(field);
    // A name in the same case is meant before one that differs in it.
    for (const bool exact : {true, false})
        for (size_t i = 0; i < names.size(); ++i)
            if (exact ? names[i] == word : lowered(names[i]) == lowered(word))
                return field.values[i].code;
    if (const std::optional<std::uint32_t> code = numberIn(word, field.maxCode()))
        return *code;
    return problemOf(say("\"{}\" is not a value of {}; use 0 to {}{}", trimmed(text), device.nameOf(ref),
                         field.maxCode(), names.empty() ? "" : say(" or ") + listed(names)));
}

Expected<std::uint32_t> wordValue(const Register& reg, std::string_view text)
{
    const std::uint32_t most = reg.width >= 32 ? UINT32_MAX : (1u << reg.width) - 1;
    if (const std::optional<std::uint32_t> word = numberIn(text, most))
        return *word;
    return problemOf(say("\"{}\" is not a value of {}, which has {} bits; write a number, as 0x{:X}.", trimmed(text),
                         reg.name, reg.width, most));
}

std::string fieldCodeText(const Field& field, std::uint32_t code)
{
    for (const EnumValue& value : field.values)
        if (value.code == code)
            return underscored(value.name);
    // A number that is the name of another code ("4" for ÷4) is not what is meant.
    const std::vector<std::string> names = valueNames(field);
    const std::string plain = std::to_string(code);
    return (field.width < 5 || code < 10) && std::find(names.begin(), names.end(), plain) == names.end()
               ? plain
               : fmt::format("0x{:X}", code);
}

std::string whyNotByHand(const Device& device, const FieldRef& ref)
{
    using Access = Field::Access;
    switch (device.fieldOf(ref).access) {
    case Access::ReadWrite:
    case Access::Once:
        break;
    case Access::ReadOnly:
        return say("is read-only");
    case Access::WriteOnly:
        return say("does not keep what is written to it");
    case Access::WriteOneToClear:
    case Access::WriteZeroToClear:
    case Access::ReadToClear:
        return say("is a flag, which writing or reading clears");
    case Access::WriteOneToSet:
    case Access::WriteOneToToggle:
        return say("acts on other bits when it is written and holds no value");
    case Access::Key:
        return say("is a key");
    }
    const Block& block = device.blockOf(ref.instance);
    const BlockKind* kind = findBlockKind(block.kind);
    for (const auto& [name, role] : block.roles) {
        const RoleSpec* spec = kind && role.reg == ref.reg && role.field == ref.field ? kind->role(name) : nullptr;
        if (!spec)
            continue;
        switch (spec->use) {
        case RoleSpec::Use::Config:
            break;
        case RoleSpec::Use::Status:
            return say("tells the state of the hardware");
        case RoleSpec::Use::Data:
            return say("holds data, which the program's functions read and write");
        case RoleSpec::Use::Command:
            return say("does something at once when it is written");
        }
    }
    return {};
}

} // namespace bindrel
