// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <string>

namespace bindrel {

/// A plan's board as a board file (docs/formats/board.md), for other plans and other people: what its own file says,
/// what the plan adds or says otherwise, and what its parts want. `name`: of the new board.
std::string boardText(const Snapshot& snapshot, const std::string& name);

} // namespace bindrel
