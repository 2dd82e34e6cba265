// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of what the plan says of the board.
#include "core/base/say.h"
#include "core/device/board_place.h"
#include "core/device/net_resistors.h"
#include "core/device/wish.h"
#include "core/plan/changes/lookup.h"
#include "core/plan/pin_property.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

std::size_t partPosition(const Plan& plan, std::string_view id)
{
    return static_cast<std::size_t>(
        std::find_if(plan.parts.begin(), plan.parts.end(), [&](const Part& p) { return p.id == id; }) -
        plan.parts.begin());
}

} // namespace

Outcome SetNet::apply(Plan& plan) const
{
    if (net && !net->empty())
        if (const Expected<std::string> name = checkPinProperty("net", *net); !name)
            return name.problem();
    setOrErase(plan.nets, pad, net);
    return {};
}

Change SetNet::undo(const Plan& before) const
{
    return SetNet{pad, found(before.nets, pad)};
}

std::string SetNet::words(const Plan& before) const
{
    return say("net of {}: {} \u2192 {}", pad, found(before.nets, pad).value_or(say("from the board")),
               net ? (net->empty() ? say("not routed") : *net) : say("from the board"));
}

Outcome SetResistors::apply(Plan& plan) const
{
    if (resistors) {
        const Expected<NetResistors> readable = resistorsFrom(resistorsText(*resistors));
        if (!readable)
            return readable.problem();
        if (*readable != *resistors)
            return problemOf(say("\"{}\" is not exactly what was meant; give the resistance with "
                                 "decimals, and a net without commas.",
                                 resistorsText(*resistors)));
        plan.resistors[pad] = *resistors;
    } else {
        plan.resistors.erase(pad);
    }
    return {};
}

Change SetResistors::undo(const Plan& before) const
{
    return SetResistors{pad, resistorsIn(before, pad)};
}

std::string SetResistors::words(const Plan& before) const
{
    const auto text = [](const std::optional<NetResistors>& some) {
        return some ? resistorsText(*some) : std::string(say("from the board"));
    };
    return say("resistors at {}: {} \u2192 {}", pad, text(resistorsIn(before, pad)), text(resistors));
}

Outcome SetPlace::apply(Plan& plan) const
{
    const Expected<BoardPlace> parsed = place ? parsePlace(*place) : BoardPlace();
    if (!parsed)
        return parsed.problem();
    setOrErase(plan.places, part, place ? std::optional(placeText(*parsed)) : std::nullopt);
    return {};
}

Change SetPlace::undo(const Plan& before) const
{
    return SetPlace{part, found(before.places, part)};
}

std::string SetPlace::words(const Plan& before) const
{
    return say("place of {}: {} \u2192 {}", part, found(before.places, part).value_or(say("from the board")),
               place.value_or(say("from the board")));
}

Outcome SetWish::apply(Plan& plan) const
{
    const Expected<Wish> wish = parseWish(sentence);
    if (!wish)
        return wish.problem();
    if (wishText(*wish) != sentence)
        return problemOf(say("a wish is kept as \"{}\".", wishText(*wish)));
    if (strength)
        plan.wishes[sentence] = *strength;
    else
        plan.wishes.erase(sentence);
    return {};
}

Change SetWish::undo(const Plan& before) const
{
    return SetWish{sentence, wishIn(before, sentence)};
}

std::string SetWish::words(const Plan& before) const
{
    const auto text = [](const std::optional<WishStrength>& some) {
        return some ? nameOf(*some) : say("from the board");
    };
    return fmt::format("\"{}\": {} \u2192 {}", sentence, text(wishIn(before, sentence)), text(strength));
}

Outcome InsertPart::apply(Plan& plan) const
{
    if (part.id.empty() || partPosition(plan, part.id) < plan.parts.size())
        return problemOf(say("the plan has a part \"{}\" already.", part.id));
    plan.parts.insert(plan.parts.begin() + static_cast<std::ptrdiff_t>(std::min(at, plan.parts.size())), part);
    return {};
}

Change InsertPart::undo(const Plan&) const
{
    return RemovePart{part.id};
}

std::string InsertPart::words(const Plan&) const
{
    return say("{}: part added", part.title);
}

Outcome RemovePart::apply(Plan& plan) const
{
    const std::size_t at = partPosition(plan, part);
    if (at == plan.parts.size())
        return problemOf(say("the plan has added no part \"{}\".", part));
    plan.parts.erase(plan.parts.begin() + static_cast<std::ptrdiff_t>(at));
    return {};
}

Change RemovePart::undo(const Plan& before) const
{
    const std::size_t at = partPosition(before, part);
    return InsertPart{at, before.parts[at]};
}

std::string RemovePart::words(const Plan&) const
{
    return say("{}: part removed", part);
}

} // namespace bindrel
