// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

namespace bindrel {

/// What is different in the second snapshot, as sentences in the order of the pipeline: needs that stand otherwise,
/// rates and limits, goals, register values, findings. For a change of device, package or board.
std::vector<std::string> changesBetween(const Snapshot& before, const Snapshot& after);

/// For a plan whose device file has changed since it was saved: what it lost, and what is different from how it was, as
/// far as the old file is kept. Empty when the file has not changed.
std::vector<std::string> deviceChanges(const LoadedPlan& work, const std::filesystem::path& memory);

} // namespace bindrel
