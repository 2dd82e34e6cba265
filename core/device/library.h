// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/load_device.h"

#include <filesystem>
#include <string>
#include <vector>

namespace bindrel {

/// Finds devices and boards by name in a data folder ("devices/**/NAME.json", "boards/NAME.json"; file names in lower
/// case) and loads them.
class Library {
public:
    explicit Library(std::filesystem::path dataFolder) : folder_(std::move(dataFolder)) {}

    /// $BINDREL_DATA when set, else the folder that this program was installed or built with.
    static Library shipped();

    Expected<Device> device(std::string_view name) const;
    Expected<Board> board(std::string_view name) const;
    std::vector<std::string> deviceNames() const; ///< in natural order
    std::vector<std::string> boardNames() const;
    /// The file of a device; empty when there is none of that name.
    std::filesystem::path deviceFile(std::string_view name) const;
    const std::filesystem::path& folder() const { return folder_; }

private:
    std::filesystem::path folder_;
};

} // namespace bindrel
