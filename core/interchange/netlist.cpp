// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/netlist.h"

#include "core/base/say.h"
#include "core/base/table_cells.h"
#include "core/base/text.h"
#include "core/interchange/netlist_parts.h"
#include "core/plan/pin_property.h"
#include "core/tables/grid.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <tuple>

namespace bindrel {

namespace {

constexpr std::size_t kMostBytes = 64'000'000, kMostNodes = 1'000'000;

/// A list in parentheses: its words, and the lists in it.
struct List {
    std::vector<std::string> words;
    std::vector<List> lists;
    int line = 0;

    const List* child(std::string_view head) const
    {
        for (const List& list : lists)
            if (!list.words.empty() && list.words[0] == head)
                return &list;
        return nullptr;
    }
    /// The word behind a head: (ref "U1") says U1.
    std::string said(std::string_view head) const
    {
        const List* list = child(head);
        return list && list->words.size() > 1 ? list->words[1] : std::string();
    }
};

class ListReader {
public:
    explicit ListReader(std::string_view text) : text_(text) {}

    Expected<List> read()
    {
        List root;
        if (const Outcome done = list(root, 0); !done)
            return done.problem();
        return root;
    }

private:
    Problem problem(const std::string& message) const { return problemOf(say("line {}: {}", line_, message)); }
    void skip()
    {
        while (at_ < text_.size() &&
               (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\r' || text_[at_] == '\n'))
            line_ += text_[at_++] == '\n';
    }
    Outcome list(List& into, int depth)
    {
        if (depth > 60)
            return problem(say("lists are nested more than 60 deep."));
        skip();
        if (at_ >= text_.size() || text_[at_] != '(')
            return problem(say("a list in parentheses was expected."));
        ++at_;
        into.line = line_;
        for (;;) {
            skip();
            if (at_ >= text_.size())
                return problem(say("the text ends inside a list; export the netlist again."));
            if (++nodes_ > kMostNodes * 8)
                return problem(say("has too many words."));
            const char c = text_[at_];
            if (c == ')') {
                ++at_;
                return {};
            }
            if (c == '(') {
                into.lists.emplace_back();
                if (const Outcome done = list(into.lists.back(), depth + 1); !done)
                    return done;
            } else if (c == '"') {
                std::string word;
                for (++at_; at_ < text_.size() && text_[at_] != '"'; ++at_) {
                    line_ += text_[at_] == '\n';
                    if (text_[at_] == '\\' && at_ + 1 < text_.size())
                        ++at_;
                    word += text_[at_];
                }
                if (at_ >= text_.size())
                    return problem(say("a quote is not closed."));
                ++at_;
                into.words.push_back(std::move(word));
            } else {
                const std::size_t begin = at_;
                while (at_ < text_.size() && std::string_view(" \t\r\n()\"").find(text_[at_]) == std::string_view::npos)
                    ++at_;
                into.words.emplace_back(text_.substr(begin, at_ - begin));
            }
        }
    }

    std::string_view text_;
    std::size_t at_ = 0, nodes_ = 0;
    int line_ = 1;
};

/// Parts are lists "comp" with a ref, nets lists "net" with a name and nodes, wherever they stand.
void collect(const List& list, Netlist& out)
{
    const std::string head = list.words.empty() ? std::string() : list.words[0];
    if (head == "comp" || head == "component") {
        if (const std::string ref = list.said("ref"); !ref.empty())
            out.parts.push_back({ref, list.said("value"), list.said("description")});
    } else if (head == "net" && list.child("node")) {
        Netlist::Net net{list.said("name"), {}, list.line};
        for (const List& node : list.lists)
            if (!node.words.empty() && node.words[0] == "node")
                net.nodes.push_back({node.said("ref"), node.said("pin"), node.said("pinfunction")});
        out.nets.push_back(std::move(net));
    } else {
        for (const List& below : list.lists)
            collect(below, out);
    }
}

/// IPC-D-356A: test records 317 and 327 (and their kin 3x7) say the net in columns 4 to 17, the part in 21 to 26 and
/// its pin behind the hyphen in column 27; names longer than the columns stand in parameter records "P  NNAME…".
Expected<Netlist> readIpc356(const std::string& text)
{
    Netlist out;
    std::map<std::string, std::string> longNames;
    std::map<std::string, std::size_t> nets;
    std::set<std::string> parts;
    std::size_t nodes = 0;
    int number = 0;
    for (std::string_view line : splitted(text, '\n')) {
        ++number;
        if (!line.empty() && line.back() == '\r')
            line.remove_suffix(1);
        if (line.starts_with("999"))
            break;
        if (line.starts_with("P ")) {
            const std::string_view rest = trimmed(line.substr(1));
            if (rest.starts_with("NNAME")) {
                const std::size_t blank = rest.find(' ');
                if (blank != std::string_view::npos)
                    longNames[std::string(rest.substr(0, blank))] = std::string(trimmed(rest.substr(blank)));
            }
            continue;
        }
        const bool test = line.size() >= 27 && line[0] == '3' && line[2] == '7' && (line[1] == '1' || line[1] == '2');
        if (!test)
            continue;
        const auto columns = [&line](std::size_t from, std::size_t to) {
            return from > line.size()
                       ? std::string()
                       : std::string(trimmed(line.substr(from - 1, std::min(to, line.size()) - from + 1)));
        };
        std::string name = columns(4, 17);
        const std::string ref = columns(21, 26);
        std::string pin = columns(27, 31);
        if (pin.starts_with('-'))
            pin = std::string(trimmed(pin.substr(1)));
        if (const auto known = longNames.find(name); known != longNames.end())
            name = known->second;
        if (name.empty() || ref.empty() || ref == "VIA" || pin.empty())
            continue;
        if (++nodes > kMostNodes)
            return problemOf(say("line {}: has more than a million pins.", number));
        // An unconnected pin still counts as a pin of its part.
        if (name == "N/C") {
            out.nets.push_back({"unconnected", {{ref, pin, {}}}, number});
            continue;
        }
        const auto [at, fresh] = nets.emplace(name, out.nets.size());
        if (fresh)
            out.nets.push_back({name, {}, number});
        out.nets[at->second].nodes.push_back({ref, pin, {}});
        if (parts.insert(ref).second)
            out.parts.push_back({ref, {}, {}});
    }
    if (out.nets.empty())
        return problemOf(say("has no test record (317, 327) of a part's pin."));
    return out;
}

} // namespace

NetlistFormat netlistFormatOf(std::string_view text)
{
    if (trimmed(text.substr(0, 4096)).starts_with('('))
        return NetlistFormat::Expressions;
    int records = 0;
    for (std::string_view line : splitted(text.substr(0, 1 << 16), '\n'))
        records += line.size() >= 27 && (line.starts_with("317") || line.starts_with("327")) &&
                   (line[3] < '0' || line[3] > '9' || line.size() > 40);
    return records >= 2 ? NetlistFormat::Ipc356 : NetlistFormat::None;
}

Expected<Netlist> readNetlist(const std::string& text)
{
    if (text.size() > kMostBytes)
        return problemOf(say("the netlist is longer than 64 MB."));
    if (!isUtf8(text))
        return problemOf(say("the netlist is not UTF-8 text; export it as such."));
    if (netlistFormatOf(text) == NetlistFormat::Ipc356)
        return readIpc356(text);
    const Expected<List> root = ListReader(text).read();
    if (!root)
        return root.problem();
    Netlist out;
    collect(*root, out);
    if (out.nets.empty())
        return problemOf(say("has no net with nodes; export a netlist from the schematic."));
    return out;
}

namespace {

struct ChipCandidate {
    std::string ref;
    int shared = 0;     ///< pins that the package has too
    bool fits = false;  ///< hardly a pin that the package does not have, and at least half of the package's
    bool named = false; ///< its value contains the chip's name
};

/// The likeliest first.
std::vector<ChipCandidate> candidatesIn(const Netlist& netlist, const Device& device)
{
    std::set<std::string> numbers;
    for (const PackagePin& pin : device.package.pins)
        numbers.insert(uppered(pin.number));
    std::map<std::string, std::pair<int, int>> pins; // of the package, all
    for (const Netlist::Net& net : netlist.nets)
        for (const Netlist::Node& node : net.nodes) {
            auto& [there, all] = pins[node.ref];
            ++all;
            there += numbers.contains(uppered(node.pin));
        }
    std::set<std::string> named;
    for (const Netlist::Part& part : netlist.parts)
        if (uppered(part.value).find(uppered(device.name)) != std::string::npos)
            named.insert(part.ref);
    std::vector<ChipCandidate> out;
    for (const auto& [ref, count] : pins)
        out.push_back({.ref = ref,
                       .shared = count.first,
                       .fits = count.first * 20 >= count.second * 19 && count.first * 2 >= int(numbers.size()),
                       .named = named.contains(ref)});
    std::ranges::stable_sort(out, std::ranges::greater(),
                             [](const ChipCandidate& c) { return std::tuple(c.fits, c.named, c.shared); });
    return out;
}

} // namespace

Expected<std::string> chipIn(const Netlist& netlist, const Device& device)
{
    const std::vector<ChipCandidate> candidates = candidatesIn(netlist, device);
    if (candidates.empty() || !candidates[0].fits)
        return problemOf(say("no part of the netlist has the {} pins of {}; check the plan's chip and package, "
                             "or name the chip's reference.",
                             device.package.pins.size(), device.package.name));
    std::vector<std::string> best;
    for (const ChipCandidate& c : candidates)
        if (c.fits && c.named == candidates[0].named && c.shared == candidates[0].shared)
            best.push_back(c.ref);
    if (best.size() > 1)
        return problemOf(say("{} could each be the chip; name its reference.", listed(best)));
    return best[0];
}

std::vector<std::string> partsLikeTheChip(const Netlist& netlist, const Device& device)
{
    std::vector<std::string> out;
    for (const ChipCandidate& candidate : candidatesIn(netlist, device))
        if (candidate.shared > 0)
            out.push_back(candidate.ref);
    return out;
}

Expected<NetTable> netsOf(const Netlist& netlist, const Device& device, const std::string& given)
{
    std::string chip = given;
    if (chip.empty()) {
        const Expected<std::string> found = chipIn(netlist, device);
        if (!found)
            return found.problem();
        chip = *found;
    }
    std::map<std::string, const PackagePin*> pins;
    for (const PackagePin& pin : device.package.pins)
        pins.emplace(uppered(pin.number), &pin);
    NetTable out;
    out.complete = true;
    std::map<std::string, std::string> netOf; // of pads
    std::map<std::string, std::vector<std::string>> padsOn;
    bool any = false;
    for (const Netlist::Net& net : netlist.nets)
        for (const Netlist::Node& node : net.nodes) {
            if (node.ref != chip)
                continue;
            any = true;
            const auto pin = pins.find(uppered(node.pin));
            if (pin == pins.end()) {
                out.notes.push_back(
                    say("line {}: {} has no pin {}", net.line, device.package.name, printable(node.pin)));
                continue;
            }
            // A net with a single node carries no information.
            if (pin->second->pad < 0 || net.nodes.size() < 2 || lowered(net.name).starts_with("unconnected"))
                continue;
            const std::string name = plainNet(net.name);
            if (const Expected<std::string> checked = checkPinProperty("net", name); !checked || name.empty()) {
                out.notes.push_back(say("line {}: the net \"{}\" at {} is not taken: {}", net.line, printable(net.name),
                                        pin->second->name,
                                        checked ? say("it has no name.") : checked.problem().message));
                continue;
            }
            const std::string& pad = pin->second->name;
            if (const auto [at, fresh] = netOf.emplace(pad, net.name); !fresh && at->second != net.name)
                return problemOf(
                    say("line {}: {} is on {} here and on {} before.", net.line, pad, net.name, at->second));
            padsOn[net.name].push_back(pad);
            out.entries.push_back({pad, name, net.line});
        }
    if (!any)
        return problemOf(say("the netlist has no part {}; check the reference.", printable(chip)));

    readParts(netlist, device, chip, padsOn, out);
    return out;
}

bool speaksOfNets(const std::string& bytes)
{
    if (bytes.starts_with("PK\x03\x04")) {
        const Expected<Grid> grid = readWorkbook(bytes, say("the workbook"));
        return grid && !grid->rows.empty() && columnOf(grid->rows[0].cells, {"net", "net name"}) >= 0;
    }
    if (netlistFormatOf(bytes) != NetlistFormat::None)
        return true;
    const std::string_view line = std::string_view(bytes).substr(0, bytes.find('\n'));
    return line.size() < 2000 && columnOf(cellsOf(trimmed(line), separatorOf(line)), {"net", "net name"}) >= 0;
}

std::string columnsBeside(const std::string& table)
{
    return table + ".columns";
}

Expected<NetTable> readNets(const std::string& text, const Device& device, const std::string& ref)
{
    if (text.starts_with("PK\x03\x04")) {
        // A workbook is read as the table that it shows.
        const Expected<Grid> grid = readWorkbook(text, say("the workbook"));
        if (!grid)
            return grid.problem();
        std::string table;
        for (const Grid::Row& row : grid->rows) {
            std::vector<std::string> cells;
            for (std::string cell : row.cells) {
                std::replace_if(
                    cell.begin(), cell.end(), [](char c) { return c == '\t' || c == '\n' || c == '\r'; }, ' ');
                cells.push_back(std::move(cell));
            }
            table += joined(cells, "\t") + "\n";
        }
        return readNetTable(table, device);
    }
    if (netlistFormatOf(text) == NetlistFormat::None)
        return readNetTable(text, device);
    const Expected<Netlist> netlist = readNetlist(text);
    return netlist ? netsOf(*netlist, device, ref) : Expected<NetTable>(netlist.problem());
}

} // namespace bindrel
