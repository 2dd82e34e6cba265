// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/board.h"
#include "core/device/device.h"
#include "core/device/layers.h"

#include <filesystem>
#include <functional>

namespace bindrel {

/// Reads a device file and the family file that it names (beside it). The problem names the file that is at fault, with
/// line and JSON pointer.
/// With `all`, every problem that was met is put there, by place; what depends on a part that could not be read is not
/// looked at.
Expected<Device> loadDevice(const std::filesystem::path& path, std::vector<Problem>* all = nullptr);

/// The same from texts, for tests and tools; `familyText` may be empty when the device names no family. Layers are not
/// found so: they are files.
Expected<Device> parseDevice(std::string text, std::string file, std::string familyText, std::string familyFile,
                             std::vector<Problem>* all = nullptr);

/// A device file and what it stands on: its layers, or the family that it names. A maker's file alone is the only layer
/// of a device file that is made up for it.
struct DeviceFiles {
    std::filesystem::path path;
    std::string text;
    std::vector<LayerFile> layers; ///< those that others stand on first

    bool operator==(const DeviceFiles&) const = default;
};
Expected<DeviceFiles> readDeviceFiles(const std::filesystem::path& path);
Expected<Device> parseDevice(const DeviceFiles& files, std::vector<Problem>* all = nullptr);

/// Finds a part of the library by its name.
using PartSource = std::function<Expected<Part>(std::string_view name)>;
/// A board whose parts come from the library needs their source; without one such a part is a problem.
Expected<Board> loadBoard(const std::filesystem::path& path, const PartSource& parts = {});
Expected<Board> parseBoard(std::string text, std::string file, const PartSource& parts = {});

} // namespace bindrel
