// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/wish.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>

namespace bindrel {

namespace {

using Kind = Wish::Kind;

constexpr std::array kSides{"left", "bottom", "right", "top"};
constexpr std::size_t kMostNames = 64, kLongestName = 60;
constexpr int kMostPlaces = 64;

constexpr std::string_view kInOrder = " in order", kOneSide = " on one side", kOneUnit = " on one unit",
                           kNeighbours = " on neighbouring pins", kSequence = " one after another",
                           kSwap = " may be swapped", kNextTo = " next to ", kPort = " on port ", kRegion = " on pins ",
                           kTo = " to ", kAwayFrom = " away from ", kNot = " not", kKeep = "keep ", kFree = " free";

bool isName(std::string_view text)
{
    if (text.empty() || text.size() > kLongestName)
        return false;
    for (const char c : text)
        if ((c < '0' || c > '9') && (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') &&
            std::string_view("_-+/~#").find(c) == std::string_view::npos)
            return false;
    return true;
}

/// Terminals can have several words: "hi U".
bool isTerminal(std::string_view text)
{
    const std::vector<std::string> words = splitted(text, ' ');
    return text.size() <= kLongestName &&
           std::all_of(words.begin(), words.end(), [](const std::string& word) { return isName(word); });
}

Problem unclear(std::string_view sentence)
{
    return problemOf(say("\"{}\" is not a wish that is understood; write, for example, \"{}\".",
                         printable(std::string(sentence.substr(0, 80))), joined(wishExamples(), "\", \"")));
}

Expected<std::vector<Wish::Subject>> subjectsIn(std::string_view list)
{
    std::vector<Wish::Subject> out;
    for (const std::string& item : splitted(list, ',')) {
        std::string_view said = trimmed(item);
        Wish::Subject subject;
        if (said.starts_with("part ")) {
            subject.isPart = true;
            said = trimmed(said.substr(5));
        }
        const std::size_t dot = said.find('.');
        subject.id = said.substr(0, dot);
        if (dot != std::string_view::npos)
            subject.signal = said.substr(dot + 1);
        const bool whole = isName(subject.id) && (dot == std::string_view::npos || isName(subject.signal) ||
                                                  (subject.isPart && isTerminal(subject.signal)));
        if (!whole)
            return problemOf(say("\"{}\" names nothing; write a need (uplink), a signal (uplink.tx), a part "
                                 "(part sensor) or a terminal (part sensor.sda), several with commas.",
                                 printable(std::string(said.substr(0, kLongestName)))));
        out.push_back(std::move(subject));
        if (out.size() > kMostNames)
            return problemOf(say("a wish names at most {} things.", kMostNames));
    }
    return out;
}

std::string subjectsText(const std::vector<Wish::Subject>& subjects)
{
    std::vector<std::string> out;
    for (const Wish::Subject& subject : subjects)
        out.push_back((subject.isPart ? "part " : "") + subject.id +
                      (subject.signal.empty() ? "" : "." + subject.signal));
    return joined(out, ", ");
}

Expected<Wish> withSubjects(Wish wish, std::string_view list, std::size_t least)
{
    Expected<std::vector<Wish::Subject>> subjects = subjectsIn(list);
    if (!subjects)
        return subjects.problem();
    if (subjects->size() < least && subjects->front().signal.size() > 0)
        return problemOf(say("this takes more than one signal; name a whole need, or several with commas."));
    if (wish.kind == Kind::Sequence && subjects->size() < least)
        return problemOf(say("this takes more than one; name all that follow each other, with commas."));
    if (wish.kind == Kind::Swap) {
        const std::string& part = subjects->front().id;
        const bool terminals = std::ranges::all_of(*subjects, [&part](const Wish::Subject& subject) {
            return subject.isPart && !subject.signal.empty() && subject.id == part;
        });
        if (!terminals || subjects->size() < least)
            return problemOf(
                say("terminals of one part can be swapped; name two or more, as in: part tap.a, part tap.b "
                    "may be swapped."));
    }
    wish.subjects = *std::move(subjects);
    return wish;
}

/// "the left side", "left".
int sideIn(std::string_view text)
{
    text = trimmed(text);
    if (text.starts_with("the "))
        text = trimmed(text.substr(4));
    if (text.ends_with(" side"))
        text = trimmed(text.substr(0, text.size() - 5));
    for (std::size_t side = 0; side < kSides.size(); ++side)
        if (text == kSides[side])
            return int(side);
    return -1;
}

Expected<Wish> keepFree(std::string_view list)
{
    Wish out;
    for (const std::string& item : splitted(list, ',')) {
        const std::string_view pad = trimmed(item);
        if (!isName(pad))
            return problemOf(say("\"{}\" is no name of a pad.", printable(std::string(pad.substr(0, kLongestName)))));
        out.pads.emplace_back(pad);
        if (out.pads.size() > kMostNames)
            return problemOf(say("a wish names at most {} things.", kMostNames));
    }
    return out;
}

/// "shunt-a 3 pins", "shunt-a": the number of pins, and what stands before it.
Expected<Wish> away(std::string_view before, std::string_view after)
{
    Wish out;
    out.kind = Kind::Away;
    out.places = 1;
    for (const std::string_view word : {" pins", " pin"})
        if (before.ends_with(word)) {
            before = trimmed(before.substr(0, before.size() - word.size()));
            const std::size_t blank = before.rfind(' ');
            const std::string_view number = blank == std::string_view::npos ? "" : before.substr(blank + 1);
            const auto [end, error] = std::from_chars(number.data(), number.data() + number.size(), out.places);
            if (number.empty() || error != std::errc() || end != number.data() + number.size() || out.places < 1 ||
                out.places > kMostPlaces)
                return problemOf(say("give 1 to {} pins, as in: shunt 3 pins away from pump.", kMostPlaces));
            before = trimmed(before.substr(0, blank));
            break;
        }
    Expected<std::vector<Wish::Subject>> from = subjectsIn(after);
    if (!from)
        return from.problem();
    out.from = *std::move(from);
    return withSubjects(std::move(out), before, 1);
}

} // namespace

const char* sideName(int side)
{
    return kSides[std::size_t(side) % kSides.size()];
}

const char* nameOf(WishStrength strength)
{
    return strength == WishStrength::Rule ? "rule" : strength == WishStrength::Wish ? "wish" : "dropped";
}

std::optional<WishStrength> wishStrengthOf(std::string_view name)
{
    for (const WishStrength strength : {WishStrength::Dropped, WishStrength::Wish, WishStrength::Rule})
        if (name == nameOf(strength))
            return strength;
    return std::nullopt;
}

const std::vector<std::string>& wishExamples()
{
    static const std::vector<std::string> out{"keep PA3, PA4 free",
                                              "uplink on the left side",
                                              "pump not on the left side",
                                              "uplink on port PB",
                                              "uplink on pins 10 to 20",
                                              "pump in order",
                                              "shunt-a, shunt-b on one side",
                                              "shunt-a, shunt-b on one unit",
                                              "shunt-a 3 pins away from pump",
                                              "shunt-a next to VSSA",
                                              "link.dp, link.dm on neighbouring pins",
                                              "part lamp, part radio one after another",
                                              "part tap.a, part tap.b may be swapped"};
    return out;
}

Expected<Wish> parseWish(std::string_view sentence)
{
    const std::string spaced = joined(splitted(std::string(trimmed(sentence)), '\t'), " ");
    std::string_view text = spaced;
    if (text.ends_with('.'))
        text = trimmed(text.substr(0, text.size() - 1));
    if (text.size() > 2000)
        return problemOf(say("a wish has at most 2000 characters."));
    if (text.starts_with(kKeep) && text.ends_with(kFree) && text.size() > kKeep.size() + kFree.size())
        return keepFree(text.substr(kKeep.size(), text.size() - kKeep.size() - kFree.size()));
    const auto ending = [&](std::string_view with, Kind kind, std::size_t least) -> std::optional<Expected<Wish>> {
        if (!text.ends_with(with))
            return std::nullopt;
        Wish wish;
        wish.kind = kind;
        return withSubjects(wish, text.substr(0, text.size() - with.size()), least);
    };
    for (const auto& [with, kind, least] : {std::tuple(kInOrder, Kind::Order, 2),
                                            {kOneSide, Kind::OneSide, 1},
                                            {kOneUnit, Kind::OneUnit, 2},
                                            {kNeighbours, Kind::Neighbours, 2},
                                            {kSequence, Kind::Sequence, 2},
                                            {kSwap, Kind::Swap, 2}})
        if (const auto found = ending(with, kind, std::size_t(least)))
            return *found;
    if (const std::size_t at = text.find(kAwayFrom); at != std::string_view::npos)
        return away(trimmed(text.substr(0, at)), text.substr(at + kAwayFrom.size()));
    for (const auto& [with, kind] : {std::pair(kNextTo, Kind::NextTo), {kPort, Kind::Port}})
        if (const std::size_t at = text.find(with); at != std::string_view::npos) {
            Wish wish;
            wish.kind = kind;
            wish.where = trimmed(text.substr(at + with.size()));
            if (!isName(wish.where))
                return unclear(sentence);
            return withSubjects(wish, text.substr(0, at), 1);
        }
    if (const std::size_t at = text.find(kRegion), to = text.find(kTo, at == std::string_view::npos ? 0 : at);
        at != std::string_view::npos && to != std::string_view::npos) {
        Wish wish;
        wish.kind = Kind::Region;
        wish.where = trimmed(text.substr(at + kRegion.size(), to - at - kRegion.size()));
        wish.until = trimmed(text.substr(to + kTo.size()));
        if (!isName(wish.where) || !isName(wish.until))
            return unclear(sentence);
        return withSubjects(wish, text.substr(0, at), 1);
    }
    if (const std::size_t at = text.rfind(" on "); at != std::string_view::npos)
        if (const int side = sideIn(text.substr(at + 4)); side >= 0) {
            Wish wish;
            std::string_view before = text.substr(0, at);
            wish.kind = before.ends_with(kNot) ? Kind::NotSide : Kind::Side;
            if (wish.kind == Kind::NotSide)
                before = before.substr(0, before.size() - kNot.size());
            wish.side = side;
            return withSubjects(wish, before, 1);
        }
    return unclear(sentence);
}

std::string wishText(const Wish& wish)
{
    const std::string who = subjectsText(wish.subjects);
    switch (wish.kind) {
    case Kind::KeepFree:
        return std::string(kKeep) + joined(wish.pads, ", ") + std::string(kFree);
    case Kind::Side:
    case Kind::NotSide:
        return fmt::format("{}{} on the {} side", who, wish.kind == Kind::NotSide ? kNot : "", sideName(wish.side));
    case Kind::Port:
        return who + std::string(kPort) + wish.where;
    case Kind::Order:
        return who + std::string(kInOrder);
    case Kind::OneSide:
        return who + std::string(kOneSide);
    case Kind::OneUnit:
        return who + std::string(kOneUnit);
    case Kind::Away:
        return fmt::format("{} {} {} away from {}", who, wish.places, wish.places == 1 ? "pin" : "pins",
                           subjectsText(wish.from));
    case Kind::NextTo:
        return who + std::string(kNextTo) + wish.where;
    case Kind::Neighbours:
        return who + std::string(kNeighbours);
    case Kind::Sequence:
        return who + std::string(kSequence);
    case Kind::Region:
        return who + std::string(kRegion) + wish.where + std::string(kTo) + wish.until;
    case Kind::Swap:
        break;
    }
    return who + std::string(kSwap);
}

} // namespace bindrel
