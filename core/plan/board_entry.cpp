// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/board_entry.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/pin_property.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <optional>

namespace bindrel {

namespace {

constexpr int kColdest = -273, kHottest = 300;
constexpr std::size_t kMostTerminals = 1000, kLongestTerminal = 40;

/// Whole degrees, with or without the unit.
std::optional<int> degreesIn(std::string_view text)
{
    for (const std::string_view unit : {"\u00B0C", "degC", "C"})
        if (text.ends_with(unit)) {
            text.remove_suffix(unit.size());
            break;
        }
    std::string number(trimmed(text));
    if (number.starts_with("\u2212")) // the minus sign of typography
        number = "-" + number.substr(std::string_view("\u2212").size());
    if (number.starts_with('+'))
        number.erase(0, 1);
    int value = 0;
    const auto [end, error] = std::from_chars(number.data(), number.data() + number.size(), value);
    if (error != std::errc() || end != number.data() + number.size() || value < kColdest || value > kHottest)
        return std::nullopt;
    return value;
}

std::optional<TerminalFact::Level>& levelOf(TerminalFact& fact, TerminalProperty property)
{
    return property == TerminalProperty::Pull ? fact.pull : fact.off;
}

} // namespace

Expected<TemperatureRange> parseTemperatures(std::string_view text)
{
    const std::string whole = text.size() > 80 ? std::string() : std::string(trimmed(text));
    const std::size_t to = whole.find(" to ");
    if (to != std::string::npos) {
        const std::optional<int> low = degreesIn(std::string_view(whole).substr(0, to));
        const std::optional<int> high = degreesIn(std::string_view(whole).substr(to + 4));
        if (low && high && *low <= *high)
            return TemperatureRange{*low, *high};
        if (low && high)
            return problemOf(say("{} °C is above {} °C; the lower temperature comes first.", *low, *high));
    }
    return problemOf(say("\"{}\" is not a range of temperatures; enter it as -20 to 70 °C, whole degrees from {} "
                         "to {}.",
                         printable(whole), kColdest, kHottest));
}

std::string temperatureText(const TemperatureRange& range)
{
    return say("{} to {} °C", range.low, range.high);
}

std::array<const char*, 2> choicesOf(TerminalProperty property)
{
    switch (property) {
    case TerminalProperty::Pull:
        return {"down", "up"};
    case TerminalProperty::Inactive:
        return {"low", "high"};
    case TerminalProperty::Voltage:
    case TerminalProperty::Current:
        break;
    }
    return {"", ""};
}

std::string terminalText(const TerminalFact& fact, TerminalProperty property)
{
    switch (property) {
    case TerminalProperty::Voltage:
        return fact.volts == Voltage() ? std::string() : exactly(fact.volts, parseVoltage);
    case TerminalProperty::Current:
        return fact.current == Current() ? std::string() : exactly(fact.current, parseCurrent);
    case TerminalProperty::Pull:
    case TerminalProperty::Inactive:
        break;
    }
    const auto& level = property == TerminalProperty::Pull ? fact.pull : fact.off;
    return level ? choicesOf(property)[*level == TerminalFact::Level::High ? 1 : 0] : std::string();
}

Expected<TerminalFact> withTerminal(const TerminalFact& fact, TerminalProperty property, std::string_view text)
{
    TerminalFact out = fact;
    const std::string said = lowered(std::string(trimmed(text.substr(0, 80))));
    if (property == TerminalProperty::Voltage) {
        const Expected<Voltage> volts = said.empty() ? Expected<Voltage>(Voltage()) : parseVoltage(trimmed(text));
        if (!volts)
            return volts.problem();
        if (!said.empty() && !(volts->value > Rational(0)))
            return problemOf(
                say("the voltage at a terminal must be above zero; leave it empty for that of the supply."));
        out.volts = *volts;
        return out;
    }
    if (property == TerminalProperty::Current) {
        const Expected<Current> current = said.empty() ? Expected<Current>(Current()) : parseCurrent(trimmed(text));
        if (!current)
            return current.problem();
        if (!said.empty() && !(current->value > Rational(0)))
            return problemOf(
                say("the current at a terminal must be above zero; leave it empty for a few microamperes."));
        out.current = *current;
        return out;
    }
    const std::array<const char*, 2> words = choicesOf(property);
    if (said.empty() || said == "none")
        levelOf(out, property).reset();
    else if (said == words[0] || said == words[1])
        levelOf(out, property) = said == words[1] ? TerminalFact::Level::High : TerminalFact::Level::Low;
    else
        return problemOf(say("\"{}\" must be {} or {}, or empty.", printable(said), words[0], words[1]));
    return out;
}

Edit editOfPart(const Plan& plan, Part part, std::string title)
{
    part.needs.clear();
    const auto own = std::ranges::find(plan.parts, part.id, &Part::id);
    Edit edit{std::move(title), {}};
    const auto at = std::size_t(own - plan.parts.begin());
    if (own != plan.parts.end())
        edit.changes.push_back(RemovePart{part.id});
    edit.changes.push_back(InsertPart{at, std::move(part)});
    return edit;
}

static constexpr std::string_view kInARow = " in a row";

std::string terminalList(const Part& part)
{
    return joined(part.terminals, ", ") + (part.row ? std::string(kInARow) : std::string());
}

Expected<Part> withTerminals(const Plan& plan, const Part& part, std::string_view list)
{
    Part out = part;
    out.terminals.clear();
    list = trimmed(list);
    out.row = list.ends_with(kInARow);
    if (out.row)
        list.remove_suffix(kInARow.size());
    for (const std::string& piece : splitted(std::string(list), ',')) {
        const std::string name(trimmed(piece));
        if (name.empty())
            continue;
        if (name.size() > kLongestTerminal || !isPrintable(name))
            return problemOf(say("\"{}\" cannot be a terminal's name; use at most {} printable characters.",
                                 printable(name.substr(0, kLongestTerminal)), kLongestTerminal));
        if (std::ranges::find(out.terminals, name) != out.terminals.end())
            return problemOf(say("{} stands twice; each terminal needs a name of its own.", name));
        out.terminals.push_back(name);
        if (out.terminals.size() > kMostTerminals)
            return problemOf(say("a part has at most {} terminals.", kMostTerminals));
    }
    for (const Need& need : plan.needs)
        if (need.part == part.id)
            for (const auto& [signal, terminal] : need.terminals)
                if (std::ranges::find(out.terminals, terminal) == out.terminals.end())
                    return problemOf(say("{} is the terminal of {}'s {}; give that need another one first.", terminal,
                                         need.title, signal));
    std::erase_if(out.facts, [&out](const auto& fact) {
        return std::ranges::find(out.terminals, fact.first) == out.terminals.end();
    });
    return out;
}

} // namespace bindrel
