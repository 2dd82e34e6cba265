// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/wiring/chip_layout.h"

#include <map>

namespace bindrel {

inline constexpr double kPitch = 15;
inline constexpr double kCorner = 52; ///< room for the names of the neighbouring side inside the body
inline constexpr double kLeg = 9;
inline constexpr double kBallPitch = 26;  ///< room for the wires of the balls farther in
inline constexpr double kBallMargin = 22; ///< for the letters and numbers of rows and columns
inline constexpr double kCardWidth = 122;
inline constexpr double kCardTitle = 20;
inline constexpr double kTerminalRow = 15;
inline constexpr double kCardPad = 5;
inline constexpr double kCardGap = 12;
inline constexpr double kLane = 5;
inline constexpr double kFirstLane = 14; ///< from the legs outward

/// What the stages of a layout share: the chip and its pins first, then the cards of the parts, then the wires between
/// them.
class LayoutStage {
protected:
    using Side = ChipLayout::Side;
    LayoutStage(const Snapshot& s, ChipLayout& out);

    int pinOf(const Seat& seat) const;
    /// How far around the chip a pin is as seen from one side: 0 at the top middle, down that side, 1 at the bottom
    /// middle.
    double around(PinIndex pin, bool left) const;

    const Snapshot& s_;
    ChipLayout& out_;

private:
    std::map<int, int> pinOfPad_;
};

/// Body, legs or balls, and what names rows and columns.
void placePackage(const Snapshot& snapshot, ChipLayout& out);
/// Lanes and paths of all wires, and how far from the chip the cards stand for that. REQUIRES: pins and cards are
/// placed.
void routeWires(const Snapshot& snapshot, ChipLayout& out);

} // namespace bindrel
