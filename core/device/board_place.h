// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <string>
#include <string_view>

namespace bindrel {

/// A length on the board in micrometres; at most two metres.
using Micrometres = int;
inline constexpr Micrometres kLongestBoard = 2'000'000;

/// A rectangular board, seen from above.
struct BoardOutline {
    Micrometres width = 0, height = 0;
    friend bool operator==(const BoardOutline&, const BoardOutline&) = default;
};

/// Where the middle of a part is: from the lower left corner of the board, x to the right, y up, seen from above.
struct BoardPlace {
    Micrometres x = 0, y = 0;
    int turn = 0;       ///< 0, 90, 180 or 270 degrees counter-clockwise, seen from the part's own side
    bool below = false; ///< on the bottom side
    friend bool operator==(const BoardPlace&, const BoardPlace&) = default;
};

/// Reads "100 x 80 mm"; above zero.
Expected<BoardOutline> parseOutline(std::string_view text);
std::string outlineText(const BoardOutline& outline);
/// Reads "12.5, 30 mm", "12.5, 30 mm, turned 90, below". The message says what would be understood.
Expected<BoardPlace> parsePlace(std::string_view text);
/// The same back, exactly; parsePlace(placeText(p)) gives p.
std::string placeText(const BoardPlace& place);

/// The sides of a package, a bit each (1 left, 2 bottom, 4 right, 8 top, pin 1 at the top of the left side), that face
/// a place from where the chip is: two where it lies about diagonally, all where it lies on the chip.
unsigned sidesFacing(const BoardPlace& chip, const BoardPlace& part);
/// Which of two places comes first as seen from the chip along its pins, which are numbered counter-clockwise on its
/// own side: 1 the first, -1 the second; 0 where both lie in about one direction. REQUIRES: some side faces both.
int inTurn(const BoardPlace& chip, const BoardPlace& first, const BoardPlace& second);

} // namespace bindrel
