// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/board_place.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdint>
#include <cstdlib>
#include <optional>

namespace bindrel {

namespace {

/// "12.5" as micrometres, with at most three decimals.
std::optional<Micrometres> lengthIn(std::string_view text)
{
    text = trimmed(text);
    std::int64_t value = 0;
    int decimals = -1;
    bool digits = false;
    for (const char c : text) {
        if (c == '.' && decimals < 0) {
            decimals = 0;
            continue;
        }
        if (c < '0' || c > '9' || decimals == 3)
            return std::nullopt;
        digits = true;
        value = value * 10 + (c - '0');
        if (decimals >= 0)
            ++decimals;
        if (value > INT64_C(10) * kLongestBoard)
            return std::nullopt;
    }
    for (int d = std::max(decimals, 0); d < 3; ++d)
        value *= 10;
    return digits && value <= kLongestBoard ? std::optional(int(value)) : std::nullopt;
}

std::string lengthText(Micrometres length)
{
    std::string out = fmt::format("{}.{:03}", length / 1000, length % 1000);
    while (out.ends_with('0'))
        out.pop_back();
    if (out.ends_with('.'))
        out.pop_back();
    return out;
}

std::string_view withoutUnit(std::string_view text)
{
    text = trimmed(text);
    return text.ends_with("mm") ? trimmed(text.substr(0, text.size() - 2)) : text;
}

} // namespace

Expected<BoardOutline> parseOutline(std::string_view text)
{
    const std::string_view said = withoutUnit(text);
    const std::size_t times = said.find('x');
    const auto width = lengthIn(withoutUnit(said.substr(0, times)));
    const auto height = times == std::string_view::npos ? std::nullopt : lengthIn(said.substr(times + 1));
    if (!width || !height || *width == 0 || *height == 0)
        return problemOf(say("\"{}\" is no size of a board; write it as in 100 x 80 mm, at most 2 m.",
                             printable(std::string(text.substr(0, 60)))));
    return BoardOutline{*width, *height};
}

std::string outlineText(const BoardOutline& outline)
{
    return fmt::format("{} x {} mm", lengthText(outline.width), lengthText(outline.height));
}

Expected<BoardPlace> parsePlace(std::string_view text)
{
    const auto unclear = [&] {
        return problemOf(say("\"{}\" is no place on a board; write it as in \"12.5, 30 mm\", then \"turned 90\" "
                             "and \"below\" where that is so.",
                             printable(std::string(text.substr(0, 60)))));
    };
    const std::vector<std::string> pieces = splitted(text, ',');
    if (pieces.size() < 2 || pieces.size() > 4)
        return unclear();
    const auto x = lengthIn(withoutUnit(pieces[0])), y = lengthIn(withoutUnit(pieces[1]));
    if (!x || !y)
        return unclear();
    BoardPlace out{*x, *y, 0, false};
    bool turned = false;
    for (std::size_t i = 2; i < pieces.size(); ++i) {
        const std::string_view said = trimmed(pieces[i]);
        if (said == "below" && !out.below) {
            out.below = true;
        } else if (said.starts_with("turned ") && !turned) {
            const std::string_view angle = trimmed(said.substr(7));
            turned = true;
            if (angle != "0" && angle != "90" && angle != "180" && angle != "270")
                return problemOf(say("a part is turned by 0, 90, 180 or 270 degrees."));
            out.turn = angle == "90" ? 90 : angle == "180" ? 180 : angle == "270" ? 270 : 0;
        } else {
            return unclear();
        }
    }
    return out;
}

std::string placeText(const BoardPlace& place)
{
    return fmt::format("{}, {} mm{}{}", lengthText(place.x), lengthText(place.y),
                       place.turn ? fmt::format(", turned {}", place.turn) : "", place.below ? ", below" : "");
}

int inTurn(const BoardPlace& chip, const BoardPlace& first, const BoardPlace& second)
{
    using Wide = __int128; // squares of areas
    const Wide x1 = first.x - chip.x, y1 = first.y - chip.y, x2 = second.x - chip.x, y2 = second.y - chip.y;
    const Wide across = (x1 * y2 - y1 * x2) * (chip.below ? -1 : 1);
    // The sine of the angle between them is `across` by the distances: 1/20 are about three degrees.
    if (across * across * 400 <= (x1 * x1 + y1 * y1) * (x2 * x2 + y2 * y2))
        return 0;
    return across > 0 ? 1 : -1;
}

unsigned sidesFacing(const BoardPlace& chip, const BoardPlace& part)
{
    constexpr unsigned kLeft = 1, kBottom = 2, kRight = 4, kTop = 8, kAll = 15;
    std::int64_t dx = part.x - chip.x, dy = part.y - chip.y;
    if (dx == 0 && dy == 0)
        return kAll;
    if (chip.below)
        dx = -dx; // seen from below, left and right change places
    for (int turn = chip.turn; turn > 0; turn -= 90) {
        const std::int64_t was = dx;
        dx = dy;
        dy = -was;
    }
    const unsigned across = dx < 0 ? kLeft : kRight, along = dy < 0 ? kBottom : kTop;
    const std::int64_t wide = std::abs(dx), high = std::abs(dy);
    // Within about 20 degrees of the diagonal a track may as well come from either.
    if (2 * std::min(wide, high) > std::max(wide, high))
        return across | along;
    return wide > high ? across : along;
}

} // namespace bindrel
