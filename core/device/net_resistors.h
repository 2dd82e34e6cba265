// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/board.h"

#include <string>
#include <string_view>

namespace bindrel {

/// "up", "down", "33 ohm in series", "up, 33 ohm in series to UP_TX", "none".
std::string resistorsText(const NetResistors& resistors);
/// The same back, in any order; resistorsFrom(resistorsText(r)) gives r. The message says what would be understood.
Expected<NetResistors> resistorsFrom(std::string_view text);

} // namespace bindrel
