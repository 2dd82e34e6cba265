// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/board_sheet.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/wishes.h"
#include "core/plan/board_facts.h"
#include "core/plan/crystal_text.h"
#include "core/plan/kind.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

constexpr std::size_t kLongestTitle = 80;

/// The first finding at a place.
std::string findingAt(const Snapshot& s, Place::Kind kind, const std::string& id, const std::string& sub = {})
{
    for (const Finding& finding : s.findings)
        if (finding.place.kind == kind && finding.place.id == id && (sub.empty() || finding.place.sub == sub))
            return finding.rule + ": " + finding.text.text();
    return {};
}

/// The first finding of a rule.
std::string findingOf(const Snapshot& s, std::string_view rule)
{
    const auto found = std::ranges::find(s.findings, rule, &Finding::rule);
    return found == s.findings.end() ? std::string() : found->rule + ": " + found->text.text();
}

std::string rateRange(const ClockNode& clock)
{
    if (clock.crystalMin == Frequency() && clock.crystalMax == Frequency())
        return {};
    return clock.crystalMin == clock.crystalMax ? format(clock.crystalMin)
                                                : say("{} to {}", format(clock.crystalMin), format(clock.crystalMax));
}

std::string titleOf(const Need& need, const std::string& signal)
{
    for (const SignalSpec& spec : signalsOf(need))
        if (spec.id == signal)
            return say(spec.title);
    return signal;
}

const Part* partOf(const Snapshot& s, const std::string& id)
{
    return s.board->part(id);
}

} // namespace

std::vector<BoardFact> boardFacts(const Snapshot& s)
{
    using What = BoardFact::What;
    const Device& device = *s.device;
    std::vector<BoardFact> out;

    BoardFact supply{.what = What::Supply, .title = "Supply"};
    const Expected<Voltage> said = parseVoltage(s.plan.supply);
    supply.value = exactly(said ? *said : s.board->supply, parseVoltage);
    supply.source = said ? "plan" : s.plan.board.empty() ? "chip" : say("board file");
    supply.range = say("{} to {}", format(device.supplyMin), format(device.supplyMax));
    supply.finding = findingOf(s, "CLK-06");
    out.push_back(std::move(supply));

    BoardFact temperature{.what = What::Temperature, .title = "Temperature"};
    temperature.value = temperatureText(s.board->temperature.value_or(device.temperature));
    temperature.source = !s.plan.temperature.empty() ? "plan" : s.board->temperature ? say("board file") : "chip";
    temperature.range = temperatureText(device.temperature);
    temperature.finding = findingOf(s, "CLK-15");
    out.push_back(std::move(temperature));

    for (const ClockNode& clock : device.clocks) {
        if (!takesCrystal(clock))
            continue;
        BoardFact fact{.what = What::Clock, .clock = clock.id, .title = clock.name};
        const auto fitted = s.board->crystals.find(clock.id);
        const bool isFitted = fitted != s.board->crystals.end();
        fact.value = crystalText(isFitted ? FittedCrystal(fitted->second) : FittedCrystal());
        fact.source = s.plan.crystals.contains(clock.id) ? "plan" : isFitted ? say("board file") : "";
        fact.range = rateRange(clock);
        fact.finding = findingAt(s, Place::Kind::Clock, clock.id);
        out.push_back(std::move(fact));
    }

    const auto sourceOf = [&](const std::string& ofPlan, bool known) {
        return !ofPlan.empty() ? "plan" : known ? say("board file") : "";
    };
    BoardFact outline{.what = What::Outline, .title = say("Board size")};
    outline.value = s.board->outline ? outlineText(*s.board->outline) : say("not known");
    outline.source = sourceOf(s.plan.outline, s.board->outline.has_value());
    out.push_back(std::move(outline));
    BoardFact chip{.what = What::ChipPlace, .title = say("Chip position")};
    chip.value = s.board->chipPlace ? placeText(*s.board->chipPlace) : say("not known");
    chip.source = sourceOf(s.plan.chipPlace, s.board->chipPlace.has_value());
    out.push_back(std::move(chip));
    return out;
}

Expected<Edit> boardFactEdit(const BoardFact& fact, const std::string& given)
{
    using What = BoardFact::What;
    const std::string text(trimmed(given));
    switch (fact.what) {
    case What::Supply: {
        if (text.empty())
            return editOf(say("Supply as the board says"), SetText{SetText::What::Supply, {}});
        const Expected<Voltage> read = parseVoltage(text);
        if (!read)
            return read.problem();
        const std::string exact = exactly(*read, parseVoltage);
        return editOf(say("Supply {}", exact), SetText{SetText::What::Supply, exact});
    }
    case What::Temperature: {
        if (text.empty())
            return editOf(say("Temperature as the board says"), SetText{SetText::What::Temperature, {}});
        const Expected<TemperatureRange> read = parseTemperatures(text);
        if (!read)
            return read.problem();
        return editOf(say("Temperature ") + temperatureText(*read),
                      SetText{SetText::What::Temperature, temperatureText(*read)});
    }
    case What::Outline: {
        const Expected<BoardOutline> read = parseOutline(text);
        if (!read && !text.empty())
            return read.problem();
        return editOf(say("Board size"), SetText{SetText::What::Outline, read ? outlineText(*read) : std::string()});
    }
    case What::ChipPlace: {
        const Expected<BoardPlace> read = parsePlace(text);
        if (!read && !text.empty())
            return read.problem();
        return editOf(say("Chip position"), SetText{SetText::What::ChipPlace, read ? placeText(*read) : std::string()});
    }
    case What::Clock:
        break;
    }
    if (text.empty())
        return editOf(fact.title + say(" as the board says"), SetCrystal{fact.clock, std::nullopt});
    const Expected<FittedCrystal> read = parseCrystal(text);
    if (!read)
        return read.problem();
    return editOf(fact.title + ": " + crystalText(*read), SetCrystal{fact.clock, *read});
}

std::vector<BoardPartRow> boardParts(const Snapshot& s)
{
    std::vector<BoardPartRow> out;
    for (const Part& part : s.board->parts) {
        const std::size_t head = out.size();
        const bool ofPlan = std::ranges::find(s.plan.parts, part.id, &Part::id) != s.plan.parts.end();
        out.push_back({.part = part.id, .title = part.title, .ofPlan = ofPlan});
        int wired = 0;
        for (const std::string& terminal : part.terminals) {
            BoardPartRow row{.part = part.id, .terminal = terminal, .title = terminal, .ofPlan = ofPlan};
            for (const Need& need : s.plan.needs) {
                if (need.part != part.id)
                    continue;
                for (const auto& [signal, name] : need.terminals) {
                    if (name != terminal)
                        continue;
                    const auto pad = need.binding.pads.find(signal);
                    if (!row.leadsTo.empty())
                        row.leadsTo += "; ";
                    const std::string at = pad == need.binding.pads.end() ? say("not bound") : pad->second;
                    row.leadsTo += need.title == part.title
                                       ? fmt::format("{}: {}", titleOf(need, signal), at)
                                       : fmt::format("{}, {}: {}", need.title, titleOf(need, signal), at);
                    wired += row.need.empty() && pad != need.binding.pads.end();
                    row.need = need.id;
                    row.signal = signal;
                    row.finding = findingAt(s, Place::Kind::Signal, need.id, signal);
                }
            }
            if (const auto fact = part.facts.find(terminal); fact != part.facts.end())
                for (std::size_t p = 0; p < kTerminalProperties.size(); ++p)
                    row.said[p] = terminalText(fact->second, kTerminalProperties[p]);
            out.push_back(std::move(row));
        }
        out[head].leadsTo =
            part.terminals.empty()
                ? say("no terminals yet")
                : say("{} of {} wired", wired, sayCount(int(part.terminals.size()), "{} terminal", "{} terminals"));
    }
    return out;
}

Expected<Edit> terminalEdit(const Snapshot& s, const BoardPartRow& row, TerminalProperty property,
                            const std::string& text)
{
    const Part* known = partOf(s, row.part);
    if (!known || std::ranges::find(known->terminals, row.terminal) == known->terminals.end())
        return problemOf(say("the board has no terminal {} of {} any more.", row.terminal, row.part));
    Part part = *known;
    const auto fact = part.facts.find(row.terminal);
    const Expected<TerminalFact> next =
        withTerminal(fact == part.facts.end() ? TerminalFact() : fact->second, property, text);
    if (!next)
        return next.problem();
    if (next->empty())
        part.facts.erase(row.terminal);
    else
        part.facts[row.terminal] = *next;
    return editOfPart(s.plan, std::move(part), say("{} of {}", row.terminal, known->title));
}

Expected<Edit> partTitleEdit(const Snapshot& s, const std::string& id, const std::string& title)
{
    const Part* known = partOf(s, id);
    const std::string text(trimmed(title));
    if (!known)
        return problemOf(say("the board has no part {} any more.", id));
    if (text.empty() || text.size() > kLongestTitle || !isPrintable(text))
        return problemOf(say("a part needs a title of at most {} characters.", kLongestTitle));
    Part part = *known;
    part.title = text;
    return editOfPart(s.plan, std::move(part), say("Title {}", text));
}

Expected<Edit> newPartEdit(const Snapshot& s, const std::string& line)
{
    const std::size_t colon = line.find(':');
    const std::string title(trimmed(std::string_view(line).substr(0, colon)));
    if (title.empty() || title.size() > kLongestTitle || !isPrintable(title))
        return problemOf(say("enter a part as its title and its terminals: Pressure sensor: sda, scl, alert."));
    Part part;
    part.id = freeNeedId(Plan(), title);
    for (int n = 2; s.board->part(part.id); ++n)
        part.id = freeNeedId(Plan(), title) + "-" + std::to_string(n);
    part.title = title;
    const Expected<Part> whole =
        withTerminals(s.plan, part, colon == std::string::npos ? std::string() : line.substr(colon + 1));
    if (!whole)
        return whole.problem();
    return editOfPart(s.plan, *whole, say("Add {}", title));
}

Expected<Edit> partRemoval(const Snapshot& s, const std::string& id)
{
    const Part* known = partOf(s, id);
    if (!known)
        return problemOf(say("the board has no part {} any more.", id));
    if (std::ranges::find(s.plan.parts, id, &Part::id) == s.plan.parts.end())
        return problemOf(say("{} is in the board file; remove it there.", known->title));
    for (const Need& need : s.plan.needs) {
        if (need.part != id)
            continue;
        const Part* filed = s.filedBoard->part(id);
        if (!filed)
            return problemOf(say("{} belongs to {}; remove that need first.", need.title, known->title));
        for (const auto& [signal, terminal] : need.terminals)
            if (std::ranges::find(filed->terminals, terminal) == filed->terminals.end())
                return problemOf(say("{} uses the terminal {}, which the board file does not have; give that "
                                     "need another one first.",
                                     need.title, terminal));
    }
    return editOf(say("Remove {}", known->title), RemovePart{id});
}

Expected<Edit> partTerminalsEdit(const Snapshot& s, const std::string& id, const std::string& list)
{
    const Part* known = partOf(s, id);
    if (!known)
        return problemOf(say("the board has no part {} any more.", id));
    const Expected<Part> part = withTerminals(s.plan, *known, list);
    if (!part)
        return part.problem();
    return editOfPart(s.plan, *part, say("Terminals of {}", known->title));
}

std::vector<BoardItem> boardItems(const Snapshot& s)
{
    std::vector<BoardItem> out{{{}, s.device->name, s.board->chipPlace}};
    const PadPlaces places(*s.device);
    using Signals = std::set<std::pair<NeedIndex, std::string>>;
    std::map<std::string, Signals> away, across; // by part
    for (const ResolvedWish& wish : resolveWishes(*s.device, *s.board, s.plan).wishes)
        if (wish.stands)
            for (const WishedSignal& by : judgeWish(*s.device, places, s.plan, s.bindings, wish).by)
                (wish.wish.kind == Wish::Kind::Side ? away : across)[s.plan.needs[by.need].part].emplace(by.need,
                                                                                                         by.signal);
    for (const Part& part : s.board->parts) {
        BoardItem item{part.id, part.title, {}};
        if (const auto known = s.board->places.find(part.id); known != s.board->places.end())
            item.place = known->second;
        for (const Need& need : s.plan.needs)
            item.wired += need.part == part.id ? int(need.binding.pads.size()) : 0;
        item.off = int(away[part.id].size());
        item.across = int(across[part.id].size());
        out.push_back(std::move(item));
    }
    return out;
}

Edit placeEdit(const Snapshot& s, const std::string& part, const std::optional<BoardPlace>& place)
{
    if (part.empty())
        return editOf(say("Place the chip"),
                      SetText{SetText::What::ChipPlace, place ? placeText(*place) : std::string()});
    const Part* known = partOf(s, part);
    return editOf(say("Place ") + (known ? known->title : part),
                  SetPlace{part, place ? std::optional(placeText(*place)) : std::nullopt});
}

std::vector<BoardWishRow> boardWishes(const Snapshot& s)
{
    std::vector<BoardWishRow> out;
    const auto rowOf = [&](const std::string& sentence, WishStrength strength) {
        BoardWishRow row;
        row.sentence = sentence;
        row.strength = strength;
        row.ofPlan = s.plan.wishes.contains(sentence);
        return row;
    };
    const WishReading reading = resolveWishes(*s.device, *s.board, s.plan);
    const PadPlaces places(*s.device);
    for (const ResolvedWish& wish : reading.wishes) {
        if (wish.stands)
            continue;
        BoardWishRow row = rowOf(wish.text, s.board->wishes.find(wish.text)->second);
        const WishState state = judgeWish(*s.device, places, s.plan, s.bindings, wish);
        row.broken = state.broken > 0;
        row.state = row.broken ? joined(state.words, "; ") : "kept";
        if (row.broken) {
            row.need = s.plan.needs[state.by.front().need].id;
            row.signal = state.by.front().signal;
        }
        out.push_back(std::move(row));
    }
    for (const WishReading::Unclear& unclear : reading.unclear) {
        BoardWishRow row = rowOf(unclear.text, s.board->wishes.find(unclear.text)->second);
        row.broken = true;
        row.state = unclear.why;
        out.push_back(std::move(row));
    }
    for (const auto& [sentence, strength] : s.plan.wishes)
        if (strength == WishStrength::Dropped) {
            BoardWishRow row = rowOf(sentence, strength);
            row.state = say("not asked for here");
            out.push_back(std::move(row));
        }
    std::ranges::sort(out, {}, &BoardWishRow::sentence);
    return out;
}

namespace {

/// What a plan says to be without a wish.
SetWish withoutWish(const Snapshot& s, const std::string& sentence)
{
    const bool filed = s.filedBoard->wishes.contains(sentence);
    return {sentence, filed ? std::optional(WishStrength::Dropped) : std::nullopt};
}

} // namespace

Expected<Edit> wishEdit(const Snapshot& s, const std::string& sentence, const std::string& text)
{
    if (trimmed(text).empty())
        return editOf(say("Remove \"{}\"", sentence), withoutWish(s, sentence));
    const Expected<Wish> wish = parseWish(text);
    if (!wish)
        return wish.problem();
    const std::string next = wishText(*wish);
    const auto known = s.board->wishes.find(sentence);
    const WishStrength strength = known == s.board->wishes.end() ? WishStrength::Wish : known->second;
    Edit edit{say("Wish for \"{}\"", next), {}};
    if (next != sentence && !sentence.empty())
        edit.changes.push_back(withoutWish(s, sentence));
    edit.changes.push_back(SetWish{next, strength});
    return edit;
}

Expected<Edit> wishStrengthEdit(const Snapshot& s, const std::string& sentence, const std::string& text)
{
    const std::optional<WishStrength> strength = wishStrengthOf(text.empty() ? "dropped" : text);
    if (!strength)
        return problemOf(say("\"{}\" is not how strong a wish is; use wish, rule or dropped.", text));
    if (*strength == WishStrength::Dropped)
        return editOf(say("Drop \"{}\"", sentence), withoutWish(s, sentence));
    const auto filed = s.filedBoard->wishes.find(sentence);
    const bool same = filed != s.filedBoard->wishes.end() && filed->second == *strength;
    return editOf(say("Make \"{}\" a {}", sentence, nameOf(*strength)),
                  SetWish{sentence, same ? std::nullopt : strength});
}

} // namespace bindrel
