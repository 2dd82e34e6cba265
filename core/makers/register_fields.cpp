// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/register_fields.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/json/json_members.h"
#include "core/makers/makers_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

constexpr int kMaxFields = 200'000; ///< of a file

} // namespace

void RegisterFields::addWords(std::string& about, const std::string& words)
{
    if (words.empty())
        return;
    if (!about.empty() && !about.ends_with('.'))
        about += '.';
    about += (about.empty() ? "" : " ") + words;
    if (about.size() > 1000)
        about.resize(1000);
}

std::string RegisterFields::constraintText(const Node& node)
{
    if (!node)
        return {};
    if (textAt(node.child("writeAsRead")) == "true")
        return "Write back only what was read.";
    if (textAt(node.child("useEnumeratedValues")) == "true")
        return "Write only the listed values.";
    if (const Node range = node.child("range"))
        return fmt::format("Write only {} to {}.", sentenceFor(textAt(range.child("minimum"))),
                           sentenceFor(textAt(range.child("maximum"))));
    return {};
}

std::optional<std::pair<int, int>> RegisterFields::bitsOf(const Chain& chain, const Node& field)
{
    Chain own;
    for (const Node& link : chain)
        if (link.child("bitRange") || link.child("lsb") || link.child("bitOffset")) {
            own = {link};
            break;
        }
    // A width that is not repeated is that of the base.
    if (!own.empty() && own.front().child("bitOffset") && !own.front().child("bitWidth"))
        own = chain;
    if (const Node range = own.size() == 1 ? first(own, "bitRange") : Node()) {
        const std::string text = textAt(range);
        const std::size_t colon = text.find(':');
        if (text.size() > 4 && text.front() == '[' && text.back() == ']' && colon != std::string::npos) {
            const auto high = numberOf(std::string(trimmed(text.substr(1, colon - 1))));
            const auto low = numberOf(std::string(trimmed(text.substr(colon + 1, text.size() - colon - 2))));
            if (high && low && *high < 64 && *low <= *high)
                return std::pair{int(*low), int(*high - *low) + 1};
        }
        giveUp(range, say("\"{}\" is not a range of bits; the format is [msb:lsb].", printable(text.substr(0, 40))));
        return std::nullopt;
    }
    if (const Node lsb = own.size() == 1 ? first(own, "lsb") : Node()) {
        const auto low = number(lsb), high = number(first(own, "msb"));
        if (low && high && *high < 64 && *low <= *high)
            return std::pair{int(*low), int(*high - *low) + 1};
        giveUp(lsb, say("<lsb> and <msb> must be bits from 63 down to 0."));
        return std::nullopt;
    }
    if (const Node at = first(own, "bitOffset")) {
        const auto low = number(at);
        const auto width = first(own, "bitWidth") ? number(first(own, "bitWidth")) : std::optional<std::uint64_t>(1);
        if (low && width && *width > 0 && *width <= 64 && *low + *width <= 64)
            return std::pair{int(*low), int(*width)};
        giveUp(at, say("<bitOffset> and <bitWidth> must stay within 64 bits."));
        return std::nullopt;
    }
    giveUp(field, say("has no bits: <bitRange>, <lsb> and <msb>, or <bitOffset> and <bitWidth>."));
    return std::nullopt;
}

std::string RegisterFields::accessWord(const Chain& own, const std::string& access, const Chain& reg,
                                       std::string& about)
{
    Node modified = first(own, "modifiedWriteValues");
    if (!modified)
        modified = first(reg, "modifiedWriteValues");
    Node read = first(own, "readAction");
    if (!read)
        read = first(reg, "readAction");
    const std::string modify = textAt(modified), action = textAt(read);
    if (!action.empty() && action != "clear")
        addWords(about, action == "set"      ? "Reading sets it."
                        : action == "modify" ? "Reading changes it."
                                             : "Reading changes something else.");
    if (access == "read-only")
        return action == "clear" ? "rc" : "ro";
    if (access == "writeOnce" || access == "read-writeOnce")
        return "once";
    if (modify == "oneToClear" || modify == "clear") {
        if (modify == "clear")
            addWords(about, "Any write clears it.");
        return "w1c";
    }
    if (modify == "zeroToClear")
        return "w0c";
    if (modify == "oneToSet" || modify == "set") {
        if (modify == "set")
            addWords(about, "Any write sets it.");
        return "w1s";
    }
    if (modify == "oneToToggle")
        return "w1t";
    if (modify == "zeroToSet" || modify == "zeroToToggle")
        addWords(about, modify == "zeroToSet" ? "Writing a zero sets it." : "Writing a zero toggles it.");
    else if (modify == "modify")
        addWords(about, "What is read differs from what was written.");
    else if (action == "clear")
        addWords(about, "Reading clears it.");
    return access == "write-only" ? "wo" : "rw";
}

void RegisterFields::readFields(const Chain& regChain, FlatRegister& reg, int fromBit, int bits)
{
    reg.fields = Json::object();
    std::set<std::string> names;
    const auto add = [&](std::string name, int lsb, int width, const std::string& access, std::string about,
                         const Json& values, int line) {
        name = wordFor(name);
        while (!names.insert(lowered(name)).second)
            name += "_2";
        Json field;
        const std::string place = width == 1 ? std::to_string(lsb) : fmt::format("{}:{}", lsb + width - 1, lsb);
        if (access == "rw" && about.empty() && values.empty()) {
            field = place;
        } else {
            field = Json::object();
            reserveMembers(field, 4);
            field["bits"] = place;
            if (access != "rw")
                field["access"] = access;
            if (!about.empty())
                field["about"] = std::move(about);
            if (!values.empty())
                field["values"] = values;
        }
        appendMember(reg.fields, name, std::move(field));
        reg.fieldLines.emplace_back(name, line);
    };
    const std::vector<Node> described = members(regChain);
    reserveMembers(reg.fields, described.size());
    for (const Node& member : described) {
        if (failed_ || std::string_view(member.name()) != "field")
            continue;
        const Chain own = chainOf(member);
        if (failed_)
            return;
        const std::optional<std::pair<int, int>> place = bitsOf(own, member);
        if (!place)
            return;
        const std::string pattern = textAt(member.child("name"));
        const Dim dim = dimOf(own);
        const Node accessNode = first(own, "access");
        std::string about = sentenceFor(textAt(first(own, "description")));
        addWords(about, constraintText(first(own, "writeConstraint")));
        const std::string access = accessWord(own, accessNode ? textAt(accessNode) : reg.given.access, regChain, about);
        const Json values = valuesOf(own, place->second);
        if (failed_)
            return;
        for (int i = 0; i < dim.count; ++i) {
            const std::string name = dim.isArray() ? withIndex(pattern, dim.index[std::size_t(i)]) : pattern;
            const int low = place->first + int(dim.increment) * i;
            if (++fields_ > kMaxFields)
                return giveUp(member, say("the file has more than {} fields.", kMaxFields));
            if (low + place->second <= fromBit || low >= fromBit + bits) {
                if (fromBit == 0 && bits < 64 && reg.given.size != 32)
                    remark(member,
                           say("{} lies outside of its register; it is left out.", printable(name.substr(0, 48))));
                else if (fromBit == 0 && reg.given.size == 32 && low >= 32 && reg.name.empty())
                    remark(member,
                           say("{} lies outside of its register; it is left out.", printable(name.substr(0, 48))));
                continue;
            }
            const int from = std::max(low, fromBit), to = std::min(low + place->second, fromBit + bits);
            if (low < fromBit || low + place->second > fromBit + bits) {
                remark(member, say("{} does not lie in one word of its register; its bits are described word by word.",
                                   printable(name.substr(0, 48))));
                add(name, from - fromBit, to - from, access, about, Json::object(), lineOf(member));
            } else {
                add(name, from - fromBit, to - from, access, about, values, lineOf(member));
            }
        }
    }
    if (reg.fields.empty()) {
        std::string about;
        const std::string access = accessWord({}, reg.given.access, regChain, about);
        add("VALUE", 0, bits, access, about, Json::object(), reg.line);
    }
}

RegisterFields::Json RegisterFields::valuesOf(const Chain& own, int width)
{
    Json out = Json::object();
    std::set<std::string> names;
    for (const Node& link : own) {
        for (const Node& list : link.children("enumeratedValues")) {
            const Chain chain = chainOf(list);
            if (failed_)
                return out;
            if (textAt(first(chain, "usage")) == "read" && !out.empty())
                continue;
            for (auto from = chain.rbegin(); from != chain.rend(); ++from)
                for (const Node& value : from->children("enumeratedValue")) {
                    const std::string name = textAt(value.child("name"));
                    if (textAt(value.child("isDefault")) == "true" || !value.child("value"))
                        continue;
                    std::string text = textAt(value.child("value"));
                    bool wild = false;
                    if (text.starts_with('#') || text.starts_with("0b"))
                        for (char& c : text)
                            if (c == 'x' || c == 'X') {
                                wild = true;
                                c = '0';
                            }
                    const std::optional<std::uint64_t> code = numberOf(text);
                    if (!code || (width < 64 && *code >> width != 0)) {
                        remark(value, say("the value {} = {} does not fit into {} bits; it is left out.",
                                          printable(name.substr(0, 48)),
                                          printable(textAt(value.child("value")).substr(0, 40)), width));
                        continue;
                    }
                    if (*code > UINT32_MAX)
                        continue;
                    if (wild)
                        remark(value, say("{} = {} stands for several codes; {} is the one with zeros.",
                                          printable(name.substr(0, 48)),
                                          printable(textAt(value.child("value")).substr(0, 40)), *code));
                    std::string word = valueName(name.empty() ? textAt(value.child("value")) : name);
                    while (!names.insert(word).second)
                        word += "_2";
                    out[word] = *code;
                }
        }
        if (!out.empty())
            break;
    }
    return out;
}

std::string RegisterFields::valueName(const std::string& name)
{
    std::string out = sentenceFor(name);
    if (out.size() > 48)
        out.resize(48);
    return out.empty() ? "unnamed" : out;
}

} // namespace bindrel
