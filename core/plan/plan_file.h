// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/library.h"
#include "core/plan/plan.h"

#include <filesystem>
#include <memory>
#include <optional>

namespace bindrel {

/// A plan with the device and board that it names; everything that the pipeline starts from.
struct LoadedPlan {
    std::shared_ptr<const Device> device;
    std::shared_ptr<const Board> board;
    Plan plan;
    Provenance provenance;

    /// The device's file is not the one that the plan was saved with.
    struct DeviceChange {
        std::string savedWith; ///< revision that the plan notes
        /// Decisions that the changed device cannot take, as sentences; they were left out.
        std::vector<std::string> lost;
    };
    std::optional<DeviceChange> deviceChange;
    /// The bytes of the plan's file when it was read; what saving holds against the disk. Empty for a plan without a
    /// file.
    std::string fileText;
};

/// The bytes of a plan file: JSON, keys in a fixed order, one line a need's goal list and binding, ends with a newline.
/// The same plan gives the same bytes.
std::string planText(const Plan& plan);

/// Reads a plan and checks every name and number in it against its device and board: docs/formats/plan.md.
/// The problem has file, line and JSON pointer. A name that the device does not know is a problem too, but for a device
/// whose file has changed since the plan was saved: then the decision is left out and listed.
Expected<LoadedPlan> parsePlan(std::string text, std::string file, const Library& library);
Expected<LoadedPlan> loadPlan(const std::filesystem::path& path, const Library& library);
Outcome savePlan(const Plan& plan, const std::filesystem::path& path);
/// The same if the file still holds the bytes that were read, or is missing when they are empty. False, and nothing is
/// written, when somebody else has changed it.
Expected<bool> savePlanOver(const Plan& plan, const std::filesystem::path& path, const std::string& fileText);
/// The plan with a note of the device's file as it is now, to be saved with it.
Plan stamped(Plan plan, const Device& device, Origin origin);

/// A plan with the needs of all the board's parts, stated and not bound. Fails when a part asks for what no kind has.
Expected<Plan> planFromBoard(const Board& board);
/// States the needs of a part at the end of the plan, with ids that are free. Fails when the part asks for what no kind
/// has; the plan may then have some of them.
Outcome stateNeeds(Plan& plan, const Part& part);
/// A plan with no needs for a board: name, device and supply filled in.
Plan emptyPlan(const Board& board);

} // namespace bindrel
