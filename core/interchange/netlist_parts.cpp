// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/netlist_parts.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/board_facts.h"
#include "core/plan/pin_property.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

bool isPower(const std::string& net)
{
    const std::string name = uppered(net);
    for (const char* word : {"VDD", "VCC", "+3", "+5", "+1", "3V", "5V", "1V8", "2V5", "VIO", "VBAT", "VSYS"})
        if (name.find(word) != std::string::npos)
            return true;
    return false;
}
bool isGround(const std::string& net)
{
    const std::string name = uppered(net);
    return name.find("GND") != std::string::npos || name == "0V" || name.starts_with("VSS") || name == "0";
}

/// The first quantity with "Hz" in a part's value: "12MHz", "ABC 32.768 kHz 20ppm".
std::optional<Frequency> rateIn(const std::string& value)
{
    for (std::size_t i = 0; i < value.size(); ++i) {
        if (value[i] < '0' || value[i] > '9' ||
            (i > 0 && (value[i - 1] == '.' || (value[i - 1] >= '0' && value[i - 1] <= '9'))))
            continue;
        const std::size_t end = lowered(value).find("hz", i);
        if (end == std::string::npos)
            return std::nullopt;
        if (const Expected<Frequency> rate = parseFrequency(value.substr(i, end + 2 - i));
            rate && rate->value > Rational(0))
            return *rate;
    }
    return std::nullopt;
}

/// "20ppm" in a part's value.
std::optional<Ppm> toleranceIn(const std::string& value)
{
    const std::size_t end = lowered(value).find("ppm");
    std::size_t begin = end;
    while (begin != std::string::npos && begin > 0 &&
           std::string_view("0123456789. ").find(value[begin - 1]) != std::string_view::npos)
        --begin;
    if (end == std::string::npos)
        return std::nullopt;
    const Expected<Ppm> read = parsePpm(trimmed(std::string_view(value).substr(begin, end + 3 - begin)));
    return read && read->value > Rational(0) ? std::optional<Ppm>(*read) : std::nullopt;
}

/// The first word of a resistor's value: "4k7", "33R 1%", "10k/0603".
std::optional<Resistance> resistanceIn(const std::string& value)
{
    const std::string_view said = trimmed(value);
    const std::string_view first = said.substr(0, said.find_first_of(" /,;_"));
    for (const std::string_view text : {first, said})
        if (const Expected<Resistance> read = parseResistance(text); read && read->value >= Rational(0))
            return *read;
    return std::nullopt;
}

/// The letters that a designator begins with: "R" of R12, "RN" of RN3.
std::string classOf(const std::string& ref)
{
    std::string out = uppered(ref);
    out.resize(std::min(out.size(), out.find_first_of("0123456789_?-.")));
    return out;
}

/// What has no pins of its own that a firmware would name: passive parts, test points, holes, power flags.
bool isAuxiliary(const std::string& ref)
{
    static const std::set<std::string> classes{"R",  "C",  "L", "FB", "RN", "RP",   "TP",   "H",    "MH",   "FID",
                                               "JP", "NT", "F", "Y",  "X",  "XTAL", "#PWR", "#FLG", "LOGO", "G"};
    return ref.empty() || ref[0] == '#' || classes.contains(classOf(ref));
}

/// A part of the schematic as its nets show it.
struct Seen {
    const Netlist::Part* part = nullptr;
    struct Pin {
        std::string net, pin, function;
    };
    std::vector<Pin> pins;
};

class PartReader {
public:
    PartReader(const Netlist& netlist, const Device& device, const std::string& chip, const PadsByNet& padsOn,
               NetTable& out)
        : device_(device), chip_(chip), padsOn_(padsOn), out_(out)
    {
        for (const Netlist::Part& part : netlist.parts)
            seen_[part.ref].part = &part;
        for (const Netlist::Net& net : netlist.nets)
            for (const Netlist::Node& node : net.nodes)
                if (const auto known = seen_.find(node.ref); known != seen_.end())
                    known->second.pins.push_back({net.name, node.pin, node.function});
        seen_.erase(chip);
    }

    void run()
    {
        for (const auto& [ref, seen] : seen_) {
            if (classOf(ref) == "R" && seen.pins.size() == 2)
                resistor(seen);
            if (const std::optional<Frequency> rate = rateIn(seen.part->value))
                crystal(seen, *rate);
        }
        for (const auto& [ref, seen] : seen_)
            if (!isAuxiliary(ref))
                part(seen);
    }

private:
    static std::string label(const Seen& seen)
    {
        return seen.part->value.empty() ? seen.part->ref : seen.part->ref + " (" + printable(seen.part->value) + ")";
    }
    const std::vector<std::string>* padsAt(const std::string& net) const
    {
        const auto known = padsOn_.find(net);
        return known == padsOn_.end() ? nullptr : &known->second;
    }

    void resistor(const Seen& seen)
    {
        for (const auto& [mine, other] : {std::pair(0, 1), {1, 0}}) {
            const std::string& net = seen.pins[std::size_t(mine)].net;
            const std::string& beyond = seen.pins[std::size_t(other)].net;
            const std::vector<std::string>* pads = padsAt(net);
            if (!pads || padsAt(beyond) || beyond == net)
                continue;
            for (const std::string& pad : *pads) {
                NetResistors& known = out_.resistors[pad];
                if (isPower(beyond) || isGround(beyond))
                    known.pull = isGround(beyond) ? TerminalFact::Level::Low : TerminalFact::Level::High;
                else
                    inSeries(seen, pad, plainNet(beyond), known);
                if (known.none())
                    out_.resistors.erase(pad);
            }
            alias_[beyond] = net;
        }
    }

    void inSeries(const Seen& seen, const std::string& pad, const std::string& beyond, NetResistors& known)
    {
        const std::optional<Resistance> value = resistanceIn(seen.part->value);
        if (!value)
            out_.notes.push_back(
                say("{} stands between {} and {}; its value is not a resistance", label(seen), pad, printable(beyond)));
        else if (known.series)
            out_.notes.push_back(say("{} is another resistor in series at {}; only one is taken", label(seen), pad));
        else {
            const bool fit = beyond.find(',') == std::string::npos && checkPinProperty("net", beyond).ok();
            known.series = SeriesResistor{*value, fit ? beyond : std::string()};
        }
    }

    void crystal(const Seen& seen, const Frequency& rate)
    {
        std::vector<std::string> pads;
        for (const Seen::Pin& pin : seen.pins)
            if (const std::vector<std::string>* there = padsAt(direct(pin.net)))
                pads.insert(pads.end(), there->begin(), there->end());
        for (const ClockNode& clock : device_.clocks) {
            const InstanceIndex oscillator = device_.findInstance(clock.id);
            if (!takesCrystal(clock) || oscillator < 0)
                continue;
            const bool there = std::any_of(pads.begin(), pads.end(), [&](const std::string& name) {
                const Pad& pad = device_.pads[device_.findPad(name)];
                return std::any_of(pad.routes.begin(), pad.routes.end(),
                                   [&](RouteIndex route) { return device_.routes[route].instance == oscillator; });
            });
            if (!there)
                continue;
            CrystalFact fact{rate, {}, {}, {}, false};
            if (const std::optional<Ppm> tolerance = toleranceIn(seen.part->value))
                fact.tolerance = Tolerance::symmetric(tolerance->value);
            else
                out_.notes.push_back(say("{} drives {} with {}; its tolerance is not in the netlist, state it",
                                         label(seen), clock.id, format(rate)));
            out_.crystals[clock.id] = fact;
        }
    }

    /// The chip's net behind a resistor, else the net itself.
    const std::string& direct(const std::string& net) const
    {
        const auto known = alias_.find(net);
        return known == alias_.end() || padsAt(net) ? net : known->second;
    }

    void part(const Seen& seen)
    {
        Part part;
        // An id has at most 64 characters; one that is not the first gets a number.
        constexpr std::size_t kLongestReference = 40;
        if (seen.part->ref.size() > kLongestReference || !isPrintable(seen.part->ref))
            return;
        part.reference = seen.part->ref;
        part.id = idOf(part.reference);
        const std::string kind = classOf(part.reference);
        part.row = kind == "J" || kind == "P" || kind == "CN" || kind == "CON";
        // A connector's value says its shape, a chip's what it is.
        constexpr std::size_t kLongestTitle = 60, kLongestAbout = 200;
        const std::string& value = seen.part->value;
        const bool says = !part.row && !value.empty() && value.size() <= kLongestTitle && isPrintable(value);
        part.title = says ? value : part.reference;
        for (const Part& other : out_.parts)
            if (other.title == value)
                part.title = value + " (" + part.reference + ")";
        if (part.title.size() > kLongestTitle)
            part.title = part.reference;
        if (seen.part->about.size() <= kLongestAbout && isPrintable(seen.part->about))
            part.about = seen.part->about;
        std::vector<Seen::Pin> pins = seen.pins;
        std::ranges::stable_sort(pins, naturalLess, &Seen::Pin::pin);
        for (const Seen::Pin& pin : pins) {
            if (!padsAt(direct(pin.net)))
                continue;
            std::string name = pin.function.empty() || !fits(pin.function) ? pin.pin : pin.function;
            if (std::ranges::find(part.terminals, name) != part.terminals.end())
                name += "-" + pin.pin;
            if (fits(name) && std::ranges::find(part.terminals, name) == part.terminals.end())
                part.terminals.push_back(name);
        }
        if (!part.terminals.empty() && !part.id.empty())
            out_.parts.push_back(std::move(part));
    }

    static bool fits(const std::string& name)
    {
        constexpr std::size_t kLongest = 40;
        return !name.empty() && name.size() <= kLongest && isPrintable(name) && name.find(',') == std::string::npos;
    }
    static std::string idOf(const std::string& ref)
    {
        std::string out;
        for (const char c : lowered(ref))
            if ((c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'))
                out += c;
            else if (!out.empty() && out.back() != '-')
                out += '-';
        while (out.ends_with('-'))
            out.pop_back();
        return out;
    }

    const Device& device_;
    const std::string& chip_;
    const PadsByNet& padsOn_;
    NetTable& out_;
    std::map<std::string, Seen> seen_;
    std::map<std::string, std::string> alias_; ///< net behind a resistor -> the chip's net before it
};

} // namespace

std::string plainNet(const std::string& name)
{
    std::string out = name.starts_with('/') ? name.substr(1) : name;
    std::replace(out.begin(), out.end(), ' ', '_');
    return out;
}

void readParts(const Netlist& netlist, const Device& device, const std::string& chip, const PadsByNet& padsOn,
               NetTable& out)
{
    PartReader(netlist, device, chip, padsOn, out).run();
}

} // namespace bindrel
