// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/rows.h"

#include "core/plan/board_facts.h"

#include <algorithm>
#include <iterator>

namespace bindrel {

Rows::Rows(const Board& board, const std::vector<SwapRun>& swaps)
{
    for (const Part& part : board.parts) {
        if (!part.row)
            continue;
        auto& places = ofPart_[part.id];
        for (std::size_t at = 0; at < part.terminals.size(); ++at)
            places.emplace(part.terminals[at], int(at));
        for (const SwapRun& run : swaps) {
            if (run.part != part.id)
                continue;
            // From the first to the last, with those between them that nothing leads to; who comes after moves up.
            const int first = places.at(run.terminals.front()), last = places.at(run.terminals.back());
            for (auto& [terminal, place] : places)
                place = place > last ? place - (last - first) : std::min(place, first);
        }
    }
}

int Rows::placeOf(const Need& need, const std::string& signal) const
{
    const auto part = ofPart_.find(need.part);
    if (part == ofPart_.end())
        return -1;
    const auto place = part->second.find(terminalOf(need, signal));
    return place == part->second.end() ? -1 : place->second;
}

int rowInversions(const std::vector<int>& sideOfPad, const std::vector<int>& alongOfPad,
                  const std::map<int, std::vector<PadIndex>>& row)
{
    int rising = 0, falling = 0;
    for (auto at = row.begin(); at != row.end() && std::next(at) != row.end(); ++at) {
        const auto next = std::next(at);
        if (next->first != at->first + 1)
            continue;
        bool before = false, behind = false;
        for (const PadIndex one : at->second)
            for (const PadIndex other : next->second)
                if (sideOfPad[std::size_t(one)] == sideOfPad[std::size_t(other)]) {
                    before |= alongOfPad[std::size_t(one)] < alongOfPad[std::size_t(other)];
                    behind |= alongOfPad[std::size_t(one)] > alongOfPad[std::size_t(other)];
                }
        rising += before;
        falling += behind;
    }
    return std::min(rising, falling);
}

} // namespace bindrel
