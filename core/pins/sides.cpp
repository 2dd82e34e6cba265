// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/sides.h"

#include <algorithm>
#include <charconv>
#include <cstdlib>

namespace bindrel {

std::optional<std::pair<int, int>> ballAt(std::string_view name)
{
    static constexpr std::string_view letters = "ABCDEFGHJKLMNPRTUVWY";
    int row = 0;
    std::size_t at = 0;
    for (; at < name.size() && name[at] >= 'A' && name[at] <= 'Z' && at < 2; ++at) {
        const std::size_t letter = letters.find(name[at]);
        if (letter == std::string_view::npos)
            return std::nullopt;
        row = row * static_cast<int>(letters.size()) + static_cast<int>(letter) + 1;
    }
    int column = 0;
    const auto [end, error] = std::from_chars(name.data() + at, name.data() + name.size(), column);
    if (at == 0 || error != std::errc() || end != name.data() + name.size() || column < 1 || column > 999)
        return std::nullopt;
    return std::pair(row - 1, column - 1);
}

int alongSide(const Package& package, PinIndex pin, int side)
{
    const auto ball = package.kind == Package::Kind::BallGrid ? ballAt(package.pins[pin].number) : std::nullopt;
    return !ball ? int(pin) : side % 2 == 0 ? ball->first : ball->second;
}

std::vector<int> sidesOf(const Package& package)
{
    const std::size_t count = package.pins.size();
    std::vector<int> out(count, 0);
    switch (package.kind) {
    case Package::Kind::DualRow:
        for (std::size_t pin = (count + 1) / 2; pin < count; ++pin)
            out[pin] = 2;
        return out;
    case Package::Kind::QuadFlat:
    case Package::Kind::NoLead: {
        const std::size_t perSide = std::max<std::size_t>(1, (count + 3) / 4);
        for (std::size_t pin = 0; pin < count; ++pin)
            out[pin] = static_cast<int>(std::min<std::size_t>(pin / perSide, 3));
        return out;
    }
    case Package::Kind::BallGrid:
        break;
    }
    std::vector<std::optional<std::pair<int, int>>> places;
    int rows = 0;
    int columns = 0;
    for (const PackagePin& pin : package.pins) {
        places.push_back(ballAt(pin.number));
        if (places.back()) {
            rows = std::max(rows, places.back()->first);
            columns = std::max(columns, places.back()->second);
        }
    }
    for (std::size_t pin = 0; pin < count; ++pin) {
        if (!places[pin])
            continue;
        // Distances to the four edges; the nearest counts.
        const int left = places[pin]->second;
        const int right = columns - places[pin]->second;
        const int top = places[pin]->first;
        const int bottom = rows - places[pin]->first;
        const int nearest = std::min({left, right, top, bottom});
        out[pin] = nearest == left ? 0 : nearest == right ? 2 : nearest == bottom ? 1 : 3;
    }
    return out;
}

int sideOf(const Package& package, PinIndex pin)
{
    return sidesOf(package)[pin];
}

} // namespace bindrel
