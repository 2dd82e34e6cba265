// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/output/output.h"
#include "core/snapshot.h"

#include <string>
#include <vector>

namespace bindrel {

/// What a write changes in a program that is there already, in sentences for people: how many registers and functions,
/// which decisions they follow from, and the constants of the headers with their old and new values. Empty when the
/// folder has no program yet, or nothing in it changes.
std::vector<std::string> writeSummary(const Snapshot& snapshot, const OutputPreview& preview);

} // namespace bindrel
