// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/memory_maps.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>
#include <pugixml.hpp>

#include <algorithm>
#include <cstdint>
#include <optional>
#include <string_view>

namespace bindrel {

namespace {

using Node = pugi::xml_node;

constexpr int kMostFilesDeep = 16;
constexpr std::size_t kMaxNotes = 200;

/// A name without the prefix of its namespace, which is "spirit", "ipxact" or anything else that the file declares.
std::string_view localName(const Node& node)
{
    const std::string_view name = node.name();
    const std::size_t colon = name.rfind(':');
    return colon == std::string_view::npos ? name : name.substr(colon + 1);
}

Node childOf(const Node& node, std::string_view name)
{
    for (const Node& child : node.children())
        if (localName(child) == name)
            return child;
    return {};
}

std::string valueOf(const Node& node)
{
    return std::string(trimmed(node.child_value()));
}

/// A number as SystemVerilog writes it ("8'hFF", "'b1010", "'d12", "'sh0F") in hexadecimal; any other text as it is.
std::string plainNumber(std::string text)
{
    const std::size_t quote = text.find('\'');
    if (quote == std::string::npos)
        return text;
    std::string digits;
    for (const char c : text.substr(quote + 1))
        if (c != '_' && c != ' ')
            digits += c;
    if (!digits.empty() && (digits.front() == 's' || digits.front() == 'S'))
        digits.erase(0, 1);
    if (digits.size() < 2)
        return text;
    const char sort = lowered(digits.substr(0, 1)).front();
    const unsigned base = sort == 'h' ? 16 : sort == 'b' ? 2 : sort == 'o' ? 8 : sort == 'd' ? 10 : 0;
    std::uint64_t value = 0;
    for (const char c : lowered(digits.substr(1))) {
        const unsigned digit = c >= '0' && c <= '9'   ? unsigned(c - '0')
                               : c >= 'a' && c <= 'f' ? unsigned(c - 'a') + 10u
                                                      : 99u;
        if (digit >= base || value > (UINT64_MAX - digit) / std::max(base, 1u))
            return text;
        value = value * base + digit;
    }
    return fmt::format("0x{:X}", value);
}

std::optional<std::uint64_t> valueIn(const std::string& given)
{
    std::string text = plainNumber(given);
    unsigned base = 10;
    if (text.starts_with("0x") || text.starts_with("0X")) {
        base = 16;
        text.erase(0, 2);
    }
    std::uint64_t value = 0;
    for (const char c : lowered(text)) {
        const unsigned digit = c >= '0' && c <= '9'   ? unsigned(c - '0')
                               : c >= 'a' && c <= 'f' ? unsigned(c - 'a') + 10u
                                                      : 99u;
        if (digit >= base || value > (UINT64_MAX - digit) / base)
            return std::nullopt;
        value = value * base + digit;
    }
    return text.empty() ? std::nullopt : std::optional(value);
}

class Rewriter {
public:
    explicit Rewriter(const std::string& text)
    {
        for (std::size_t at = 0; at < text.size(); ++at)
            if (text[at] == '\n')
                lineEnds_.push_back(at);
    }

    MemoryMaps rewritten(const Node& component)
    {
        open("device", component);
        element("name", childOf(component, "name"));
        element("description", childOf(component, "description"));
        for (const Node& maps : component.children()) {
            if (localName(maps) != "memoryMaps")
                continue;
            for (const Node& map : maps.children())
                if (localName(map) == "memoryMap" && childOf(map, "addressUnitBits"))
                    element("addressUnitBits", childOf(map, "addressUnitBits"));
            open("peripherals", maps);
            for (const Node& map : maps.children())
                if (localName(map) == "memoryMap")
                    memoryMap(map);
            close("peripherals");
        }
        close("device");
        return std::move(out_);
    }

private:
    int lineOf(const Node& node) const
    {
        const auto at = std::size_t(std::max<std::ptrdiff_t>(node.offset_debug(), 0));
        return int(std::ranges::lower_bound(lineEnds_, at) - lineEnds_.begin()) + 1;
    }
    void note(const Node& node, std::string what)
    {
        if (out_.notes.size() < kMaxNotes)
            out_.notes.emplace_back(lineOf(node), std::move(what));
    }
    void goTo(const Node& node)
    {
        for (const int line = lineOf(node); line_ < line; ++line_)
            out_.text += '\n';
    }
    void open(const char* name, const Node& at)
    {
        goTo(at);
        out_.text += fmt::format("<{}>", name);
    }
    void close(const char* name) { out_.text += fmt::format("</{}>", name); }
    void put(const char* name, std::string_view text)
    {
        out_.text += fmt::format("<{}>", name);
        for (const char c : text)
            switch (c) {
            case '<':
                out_.text += "&lt;";
                break;
            case '&':
                out_.text += "&amp;";
                break;
            case '\n':
                out_.text += ' '; // lines are those of the component
                break;
            default:
                out_.text += c;
            }
        close(name);
    }
    void element(const char* name, const Node& node)
    {
        if (node)
            put(name, valueOf(node));
    }
    void number(const char* name, const Node& node)
    {
        if (node)
            put(name, plainNumber(valueOf(node)));
    }

    void memoryMap(const Node& map)
    {
        for (const Node& block : map.children()) {
            const std::string_view sort = localName(block);
            if (sort == "addressBlock")
                addressBlock(block);
            else if (sort == "bank" || sort == "subspaceMap" || sort == "memoryRemap")
                note(block, say("<{}> is not read; describe its registers in the device file.", sort));
        }
    }

    void addressBlock(const Node& block)
    {
        const bool holdsRegisters = std::ranges::any_of(block.children(), [](const Node& child) {
            return localName(child) == "register" || localName(child) == "registerFile";
        });
        if (!holdsRegisters)
            return; // memory, or reserved
        open("peripheral", block);
        element("name", childOf(block, "name"));
        element("description", childOf(block, "description"));
        number("baseAddress", childOf(block, "baseAddress"));
        element("access", childOf(block, "access"));
        open("registers", block);
        members(block, 0);
        close("registers");
        close("peripheral");
    }

    void members(const Node& block, int depth)
    {
        if (depth > kMostFilesDeep)
            return note(block,
                        say("register files are nested more than {} deep; what is below is not read.", kMostFilesDeep));
        for (const Node& member : block.children()) {
            const std::string_view sort = localName(member);
            if (sort == "register") {
                oneRegister(member, member, {});
                for (const Node& others : member.children())
                    if (localName(others) == "alternateRegisters")
                        for (const Node& other : others.children())
                            if (localName(other) == "alternateRegister")
                                oneRegister(other, member, valueOf(childOf(member, "name")));
            } else if (sort == "registerFile") {
                open("cluster", member);
                array(member, childOf(member, "range"));
                element("description", childOf(member, "description"));
                number("addressOffset", childOf(member, "addressOffset"));
                members(member, depth + 1);
                close("cluster");
            }
        }
    }

    /// Name and, where there are copies, how many and how far apart. IEEE 1685 puts them one behind the other.
    void array(const Node& node, const Node& stride, const std::string& bits = {})
    {
        std::uint64_t copies = 1;
        bool isArray = false;
        const Node dims = childOf(node, "array") ? childOf(node, "array") : node;
        for (const Node& dim : dims.children())
            if (localName(dim) == "dim") {
                isArray = true;
                copies *= std::clamp<std::uint64_t>(valueIn(valueOf(dim)).value_or(0), 0, 1u << 20);
                copies = std::min<std::uint64_t>(copies, 1u << 20);
            }
        put("name", valueOf(childOf(node, "name")) + (isArray ? "[%s]" : ""));
        if (!isArray)
            return;
        put("dim", std::to_string(copies));
        const Node said = childOf(dims, "stride");
        if (said)
            number("dimIncrement", said);
        else if (stride)
            number("dimIncrement", stride);
        else
            put("dimIncrement", std::to_string(valueIn(bits).value_or(32) / 8));
    }

    void oneRegister(const Node& reg, const Node& place, const std::string& alternateOf)
    {
        open("register", reg);
        const std::string size = valueOf(childOf(reg, "size") ? childOf(reg, "size") : childOf(place, "size"));
        if (alternateOf.empty()) {
            array(reg, {}, size);
        } else {
            element("name", childOf(reg, "name"));
            put("alternateRegister", alternateOf);
        }
        element("description", childOf(reg, "description"));
        number("addressOffset", childOf(place, "addressOffset"));
        if (!size.empty())
            put("size", plainNumber(size));
        element("access", childOf(reg, "access"));
        reset(reg);
        if (childOf(reg, "registerDefinitionRef"))
            note(reg, say("a register that is defined elsewhere is read without its fields."));
        bool any = false;
        for (const Node& field : reg.children()) {
            if (localName(field) != "field")
                continue;
            if (!any)
                open("fields", field);
            any = true;
            oneField(field);
        }
        if (any)
            close("fields");
        close("register");
    }

    /// The whole register's (2009), or put together from those of its fields (2014 and later).
    void reset(const Node& reg)
    {
        if (const Node own = childOf(reg, "reset")) {
            number("resetValue", childOf(own, "value"));
            number("resetMask", childOf(own, "mask"));
            return;
        }
        std::uint64_t value = 0, undefined = 0;
        bool any = false;
        for (const Node& field : reg.children()) {
            if (localName(field) != "field")
                continue;
            const auto offset = valueIn(valueOf(childOf(field, "bitOffset")));
            const auto width = valueIn(valueOf(childOf(field, "bitWidth")));
            if (!offset || !width || *offset > 63 || *width == 0 || *width > 64 - *offset)
                continue; // refused where the field is read
            const std::uint64_t ones = *width == 64 ? UINT64_MAX : (std::uint64_t(1) << *width) - 1;
            const Node one = childOf(childOf(field, "resets"), "reset");
            const auto given = one ? valueIn(valueOf(childOf(one, "value"))) : std::nullopt;
            if (one && !given)
                note(one, say("a reset value that is no plain number is not read."));
            if (given)
                value |= (*given & ones) << *offset;
            else
                undefined |= ones << *offset;
            any = any || given;
        }
        if (!any)
            return;
        put("resetValue", fmt::format("0x{:X}", value));
        if (undefined != 0)
            put("resetMask", fmt::format("0x{:X}", ~undefined));
    }

    void oneField(const Node& field)
    {
        open("field", field);
        element("name", childOf(field, "name"));
        element("description", childOf(field, "description"));
        number("bitOffset", childOf(field, "bitOffset"));
        number("bitWidth", childOf(field, "bitWidth"));
        // 2014 and later gather what access does.
        const Node policy = childOf(childOf(field, "fieldAccessPolicies"), "fieldAccessPolicy");
        const auto said = [&](std::string_view name) {
            const Node own = childOf(field, name);
            return own ? own : childOf(policy, name);
        };
        element("access", said("access"));
        element("modifiedWriteValues", said("modifiedWriteValue"));
        element("readAction", said("readAction"));
        if (const Node constraint = said("writeValueConstraint")) {
            open("writeConstraint", constraint);
            element("writeAsRead", childOf(constraint, "writeAsRead"));
            element("useEnumeratedValues", childOf(constraint, "useEnumeratedValues"));
            if (childOf(constraint, "minimum")) {
                open("range", constraint);
                number("minimum", childOf(constraint, "minimum"));
                number("maximum", childOf(constraint, "maximum"));
                close("range");
            }
            close("writeConstraint");
        }
        for (const char* usage : {"read-write", "read", "write"})
            values(childOf(field, "enumeratedValues"), usage);
        close("field");
    }

    void values(const Node& list, std::string_view usage)
    {
        bool any = false;
        for (const Node& value : list.children()) {
            std::string_view own = value.attribute("usage").as_string("read-write");
            for (const pugi::xml_attribute& attribute : value.attributes())
                if (std::string_view(attribute.name()).ends_with(":usage"))
                    own = attribute.value();
            if (localName(value) != "enumeratedValue" || own != usage)
                continue;
            if (!any) {
                open("enumeratedValues", value);
                put("usage", usage);
            }
            any = true;
            open("enumeratedValue", value);
            element("name", childOf(value, "name"));
            element("description", childOf(value, "description"));
            number("value", childOf(value, "value"));
            close("enumeratedValue");
        }
        if (any)
            close("enumeratedValues");
    }

    std::vector<std::size_t> lineEnds_;
    MemoryMaps out_;
    int line_ = 1;
};

} // namespace

MemoryMaps memoryMapsOf(const std::string& text)
{
    pugi::xml_document document;
    if (!document.load_buffer(text.data(), text.size(), pugi::parse_default | pugi::parse_trim_pcdata))
        return {};
    const Node component = document.document_element();
    // A component of the standard has its four names.
    if (localName(component) != "component" || !childOf(component, "vendor") || !childOf(component, "version"))
        return {};
    return Rewriter(text).rewritten(component);
}

} // namespace bindrel
