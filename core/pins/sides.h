// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

namespace bindrel {

/// Which edge of the package a pin is at, or nearest to on a grid: 0 left, 1 bottom, 2 right, 3 top, as seen from above
/// with pin 1 at the top of the left side.
int sideOf(const Package& package, PinIndex pin);
/// The same of all pins at once.
std::vector<int> sidesOf(const Package& package);

/// Where on its side a pin stands: its position in the package, of a ball its row or column.
int alongSide(const Package& package, PinIndex pin, int side);

/// Row and column of a ball, from 0 at A1; rows are lettered without I, O, Q, S, X and Z, and go on with AA (JEDEC
/// 95-1). Nothing for a name that is no ball's.
std::optional<std::pair<int, int>> ballAt(std::string_view name);

} // namespace bindrel
