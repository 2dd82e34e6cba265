// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/register_xml.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

constexpr int kMaxDim = 4096; ///< of an array in the file
constexpr int kMaxDerivations = 16;
constexpr long kMaxLooks = 20'000'000; ///< at names while derivations are followed

} // namespace

RegisterXml::RegisterXml(const std::string& text, const std::string& name) : text_(text), name_(name)
{
    for (std::size_t at = 0; at < text.size(); ++at)
        if (text[at] == '\n')
            lineEnds_.push_back(at);
}

std::string RegisterXml::textAt(const Node& node)
{
    return std::string(trimmed(node.child_value()));
}

int RegisterXml::lineAt(std::ptrdiff_t offset) const
{
    return int(std::lower_bound(lineEnds_.begin(), lineEnds_.end(), std::size_t(std::max<std::ptrdiff_t>(offset, 0))) -
               lineEnds_.begin()) +
           1;
}

Problem RegisterXml::fail(std::ptrdiff_t offset, std::string message)
{
    Problem problem = problemOf(std::move(message));
    problem.file = name_;
    problem.line = lineAt(offset);
    problem.column = 1;
    return problem;
}

void RegisterXml::giveUp(const Node& node, std::string message)
{
    if (!failed_)
        failed_ = fail(node, std::move(message));
}

void RegisterXml::keep(Problem problem)
{
    if (remarks_.size() < 1000 && told_.emplace(problem.line, problem.message).second)
        remarks_.push_back(std::move(problem));
}

std::optional<std::uint64_t> RegisterXml::number(const Node& node)
{
    if (!node)
        return std::nullopt;
    if (const std::optional<std::uint64_t> value = numberOf(textAt(node)))
        return value;
    giveUp(node, say("\"{}\" is not a number.", printable(textAt(node).substr(0, 80))));
    return std::nullopt;
}

std::optional<std::uint64_t> RegisterXml::numberOf(std::string text)
{
    if (text.starts_with('+'))
        text.erase(0, 1);
    std::uint64_t scale = 1;
    int base = 10;
    if (text.starts_with("0x") || text.starts_with("0X")) {
        base = 16;
        text.erase(0, 2);
    } else if (text.starts_with('#')) {
        base = 2;
        text.erase(0, 1);
    } else if (text.starts_with("0b") || text.starts_with("0B")) {
        base = 2;
        text.erase(0, 2);
    }
    if (!text.empty())
        switch (text.back()) {
        case 'k':
        case 'K':
            scale = 1ull << 10;
            break;
        case 'm':
        case 'M':
            scale = 1ull << 20;
            break;
        case 'g':
        case 'G':
            scale = 1ull << 30;
            break;
        case 't':
        case 'T':
            scale = 1ull << 40;
            break;
        default:
            break;
        }
    if (scale > 1)
        text.pop_back();
    std::uint64_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, base);
    if (text.empty() || error != std::errc() || end != text.data() + text.size() || value > UINT64_MAX / scale)
        return std::nullopt;
    return value * scale;
}

RegisterXml::Node RegisterXml::first(const Chain& chain, const char* name)
{
    for (const Node& node : chain)
        if (const Node child = node.child(name))
            return child;
    return {};
}

bool RegisterXml::isCalled(const Node& node, std::string_view wanted)
{
    const std::string name = textAt(node.child("name"));
    if (name == wanted)
        return true;
    std::string pattern = name;
    if (const std::size_t at = pattern.find("[%s]"); at != std::string::npos)
        pattern.replace(at, 4, "%s");
    const std::size_t at = pattern.find("%s");
    return at != std::string::npos && wanted.size() + 2 > pattern.size() && wanted.starts_with(pattern.substr(0, at)) &&
           wanted.ends_with(pattern.substr(at + 2));
}

std::vector<RegisterXml::Node> RegisterXml::membersOf(const Node& node)
{
    std::vector<Node> out;
    const std::string_view type = node.name();
    const Node list = type == "peripheral" ? node.child("registers") : type == "register" ? node.child("fields") : node;
    for (const Node& child : list.children())
        if (const std::string_view kind = child.name();
            kind == "register" || kind == "cluster" || kind == "field" || kind == "enumeratedValues")
            out.push_back(child);
    return out;
}

const std::unordered_map<std::string, std::vector<RegisterXml::Node>>& RegisterXml::namesIn(const Node& from)
{
    const auto [known, fresh] = names_.try_emplace(from.internal_object());
    if (fresh)
        for (const Node& member : membersOf(from))
            known->second[textAt(member.child("name"))].push_back(member);
    return known->second;
}

RegisterXml::Node RegisterXml::descend(const Node& from, const std::vector<std::string>& path, std::size_t at,
                                       std::string_view type, const Node& besides)
{
    const auto fits = [&](const Node& member) -> Node {
        if (at + 1 < path.size())
            return descend(member, path, at + 1, type, besides);
        return type == member.name() && member != besides ? member : Node();
    };
    const auto& names = namesIn(from);
    if (const auto known = names.find(path[at]); known != names.end())
        for (const Node& member : known->second)
            if (const Node found = fits(member))
                return found;
    // An element of an array has a name of its own nowhere.
    for (const auto& [name, members] : names) {
        if (++looked_ > kMaxLooks)
            return {};
        if (name.find("%s") == std::string::npos || !isCalled(members.front(), path[at]))
            continue;
        for (const Node& member : members)
            if (const Node found = fits(member))
                return found;
    }
    return {};
}

RegisterXml::Node RegisterXml::target(const Node& node)
{
    const std::string text = node.attribute("derivedFrom").value();
    const std::string type = node.name();
    if (type == "peripheral") {
        const auto known = peripherals_.find(text);
        if (known != peripherals_.end())
            return known->second;
        for (const auto& [name, peripheral] : peripherals_)
            if (isCalled(peripheral, text))
                return peripheral;
        return {};
    }
    const std::vector<std::string> path = splitted(text, '.');
    if (path.empty() || path.size() > 16)
        return {};
    for (Node scope = node.parent(); scope; scope = scope.parent()) {
        if (std::string_view(scope.name()) == "peripherals") {
            for (const Node& peripheral : scope.children("peripheral"))
                if (path.size() > 1 && isCalled(peripheral, path[0]))
                    if (const Node found = descend(peripheral, path, 1, type, node))
                        return found;
            // Named alone, in another peripheral.
            return {};
        }
        if (const Node found = descend(scope, path, 0, type, node))
            return found;
    }
    return {};
}

RegisterXml::Chain RegisterXml::chainOf(const Node& node)
{
    Chain out{node};
    while (out.back().attribute("derivedFrom")) {
        const Node base = target(out.back());
        if (!base) {
            giveUp(out.back(),
                   say("is derived from \"{}\", which the file does not have.",
                       printable(std::string_view(out.back().attribute("derivedFrom").value()).substr(0, 80))));
            break;
        }
        if (std::find(out.begin(), out.end(), base) != out.end() || out.size() > kMaxDerivations) {
            giveUp(node, say("is derived from itself."));
            break;
        }
        out.push_back(base);
    }
    return out;
}

std::vector<RegisterXml::Node> RegisterXml::members(const Chain& chain)
{
    std::vector<Node> out;
    std::map<std::string, std::size_t> at;
    for (auto link = chain.rbegin(); link != chain.rend(); ++link)
        for (const Node& member : membersOf(*link)) {
            if (std::string_view(member.name()) == "enumeratedValues")
                continue;
            const auto [known, fresh] = at.emplace(textAt(member.child("name")), out.size());
            if (fresh || link->attribute("derivedFrom").empty() || out[known->second].parent() == member.parent())
                out.push_back(member);
            else
                out[known->second] = member;
        }
    return out;
}

void RegisterXml::take(Given& given, const Chain& chain, const Node& at)
{
    if (const Node size = first(chain, "size")) {
        const std::uint64_t bits = number(size).value_or(32);
        if (bits == 0 || bits > 64)
            giveUp(size, say("a register of {} bits cannot be.", bits));
        else
            given.size = int(bits);
    }
    if (const Node access = first(chain, "access")) {
        given.access = textAt(access);
        static const std::set<std::string, std::less<>> known{"read-only", "write-only", "read-write", "writeOnce",
                                                              "read-writeOnce"};
        if (!known.contains(given.access)) {
            remark(access, say("\"{}\" is not an access that the format has; taken as read-write.",
                               printable(given.access.substr(0, 40))));
            given.access = "read-write";
        }
    }
    if (const Node reset = first(chain, "resetValue"))
        given.reset = number(reset).value_or(0);
    if (const Node mask = first(chain, "resetMask"))
        given.resetMask = number(mask).value_or(UINT64_MAX);
    (void)at;
}

RegisterXml::Dim RegisterXml::dimOf(const Chain& chain)
{
    Dim out;
    // An array's elements are named by its own name; one that is derived from an array is one element.
    const std::string name = textAt(chain.front().child("name"));
    const Node dim = name.find("%s") != std::string::npos ? first(chain, "dim") : chain.front().child("dim");
    if (!dim)
        return out;
    const std::uint64_t count = number(dim).value_or(0);
    if (count < 1 || count > kMaxDim) {
        giveUp(dim, say("an array of {} elements; Bindrel reads 1 to {}.", count, kMaxDim));
        return out;
    }
    out.count = int(count);
    out.increment = number(first(chain, "dimIncrement")).value_or(0);
    if (!first(chain, "dimIncrement") && count > 1)
        giveUp(dim, say("an array needs <dimIncrement>."));
    if (out.increment > kMaxOffset)
        giveUp(first(chain, "dimIncrement"), say("is further than a block of registers can reach."));
    std::string index = textAt(first(chain, "dimIndex"));
    if (const Node list = first(chain, "dimArrayIndex"); index.empty() && list) {
        for (const Node& value : list.children("enumeratedValue"))
            out.index.push_back(textAt(value.child("name")));
    } else if (index.empty()) {
        for (int i = 0; i < out.count; ++i)
            out.index.push_back(std::to_string(i));
    } else if (const std::size_t dash = index.find('-');
               dash != std::string::npos && index.find(',') == std::string::npos) {
        const std::string low(trimmed(index.substr(0, dash))), high(trimmed(index.substr(dash + 1)));
        const std::optional<std::uint64_t> from = numberOf(low), to = numberOf(high);
        if (from && to && *from <= *to && *to - *from < kMaxDim)
            for (std::uint64_t i = *from; i <= *to; ++i)
                out.index.push_back(std::to_string(i));
        else if (low.size() == 1 && high.size() == 1 && low[0] <= high[0])
            for (char c = low[0]; c <= high[0]; ++c)
                out.index.emplace_back(1, c);
    } else {
        for (const std::string& entry : splitted(index, ','))
            out.index.emplace_back(trimmed(entry));
    }
    if (int(out.index.size()) != out.count) {
        giveUp(dim, say("the array has {} elements, but <dimIndex> names {}.", out.count, out.index.size()));
        out.index.assign(std::size_t(out.count), "0");
    }
    return out;
}

std::string RegisterXml::withIndex(std::string name, const std::string& index)
{
    if (const std::size_t at = name.find("[%s]"); at != std::string::npos)
        return name.replace(at, 4, index);
    if (const std::size_t at = name.find("%s"); at != std::string::npos)
        return name.replace(at, 2, index);
    return name + index;
}

} // namespace bindrel
