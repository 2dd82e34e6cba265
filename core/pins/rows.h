// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/swaps.h"

#include <map>
#include <string>
#include <vector>

namespace bindrel {

/// Places of terminals in the rows of parts. Those of a run that may be swapped have one place together: their order
/// follows from the pads.
class Rows {
public:
    Rows(const Board& board, const std::vector<SwapRun>& swaps);
    /// -1: the part has no row, or the terminal is not in it.
    int placeOf(const Need& need, const std::string& signal) const;

private:
    std::map<std::string, std::map<std::string, int, std::less<>>, std::less<>> ofPart_;
};

/// Neighbours in the row of a part that lie the wrong way round on a side of the package, for the better of its two
/// ends first. `row`: by place, the pads that lead there; where several do, any of them may be the neighbour.
int rowInversions(const std::vector<int>& sideOfPad, const std::vector<int>& alongOfPad,
                  const std::map<int, std::vector<PadIndex>>& row);

} // namespace bindrel
