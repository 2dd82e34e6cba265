// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/load_device.h"

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// Where the library found something; as plans note it.
enum class Origin { Folder, BesidePlan, User, Shipped };
const char* nameOf(Origin origin); ///< "folder", "beside the plan", "user", "shipped"

/// Where the device and the board of a plan were found.
struct Provenance {
    Origin device = Origin::Shipped;
    Origin board = Origin::Shipped;
    std::string deviceFile, boardFile; ///< paths; empty when nothing was read
    bool deviceShadows = false;        ///< another of the same name ships
    bool boardShadows = false;
};

/// Finds devices, boards and parts by name and loads them. It looks, in this order, into folders that were named,
/// beside the plan, into the user's own library ($XDG_DATA_HOME/bindrel) and into what ships. A library has folders
/// "devices", "boards" and "parts"; a named folder and the plan's own may hold the files directly. File names are in
/// lower case.
class Library {
public:
    /// Only this data folder, as shipped.
    explicit Library(std::filesystem::path dataFolder);

    /// $BINDREL_DATA when set, else the folder that this program was installed or built with; and the user's own.
    static Library shipped();
    /// Of the catalogues of texts: $BINDREL_LOCALE when set, else beside the shipped files, or where the build puts
    /// them.
    static std::filesystem::path localeFolder();
    /// The same, with a folder that is looked into first.
    Library with(std::filesystem::path folder, Origin origin) const;

    Expected<std::shared_ptr<const Device>> device(std::string_view name) const; ///< see `cachedDevice`
    Expected<Board> board(std::string_view name) const;
    Expected<Part> part(std::string_view name) const;
    std::vector<std::string> deviceNames() const; ///< in natural order, as they are written in the files' names
    /// Every device that loads, in the order of the names. Some milliseconds each.
    std::vector<std::shared_ptr<const Device>> devices() const;
    std::vector<std::string> boardNames() const;
    std::vector<std::string> partNames() const;

    struct Found {
        std::filesystem::path file;
        Origin origin = Origin::Shipped;
    };
    /// The file of a device; nothing when there is none of that name.
    std::optional<Found> deviceFile(std::string_view name) const;
    /// Of a device and a board by name; of an empty name nothing is told.
    Provenance provenance(std::string_view device, std::string_view board) const;
    /// The folder of what ships.
    const std::filesystem::path& folder() const { return places_.back().folder; }

private:
    struct Place {
        std::filesystem::path folder;
        Origin origin;
    };
    std::optional<Found> find(const char* kind, std::string_view name) const;
    std::vector<std::string> names(const char* kind) const;

    std::vector<Place> places_; ///< the first wins
};

} // namespace bindrel
