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

int sideOf(const Package& package, std::size_t pin)
{
    const std::size_t count = package.pins.size();
    switch (package.kind) {
    case Package::Kind::DualRow:
        return pin < (count + 1) / 2 ? 0 : 2;
    case Package::Kind::QuadFlat:
    case Package::Kind::NoLead: {
        const std::size_t perSide = std::max<std::size_t>(1, (count + 3) / 4);
        return static_cast<int>(std::min<std::size_t>(pin / perSide, 3));
    }
    case Package::Kind::BallGrid:
        break;
    }
    int rows = 0;
    int columns = 0;
    for (const PackagePin& other : package.pins)
        if (const auto place = ballAt(other.number)) {
            rows = std::max(rows, place->first);
            columns = std::max(columns, place->second);
        }
    const auto place = ballAt(package.pins[pin].number);
    if (!place)
        return 0;
    // Distances to the four edges; the nearest counts.
    const int left = place->second;
    const int right = columns - place->second;
    const int top = place->first;
    const int bottom = rows - place->first;
    const int nearest = std::min({left, right, top, bottom});
    return nearest == left ? 0 : nearest == right ? 2 : nearest == bottom ? 1 : 3;
}

} // namespace bindrel
