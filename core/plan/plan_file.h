// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/library.h"
#include "core/plan/plan.h"

#include <filesystem>
#include <memory>

namespace bindrel {

/// A plan with the device and board that it names; everything that the pipeline starts from.
struct Workpiece {
    std::shared_ptr<const Device> device;
    std::shared_ptr<const Board> board;
    Plan plan;
};

/// The bytes of a plan file: JSON, keys in a fixed order, one line a need's goal list and binding, ends with a newline.
/// The same plan gives the same bytes.
std::string planText(const Plan& plan);

/// Reads a plan and checks every name and number in it against its device and board: docs/formats/plan.md.
/// The problem has file, line and JSON pointer.
Expected<Workpiece> parsePlan(std::string text, std::string file, const Library& library);
Expected<Workpiece> loadPlan(const std::filesystem::path& path, const Library& library);
Outcome savePlan(const Plan& plan, const std::filesystem::path& path);

/// A plan with no needs for a board: name, device and supply filled in.
Plan emptyPlan(const Board& board);

} // namespace bindrel
