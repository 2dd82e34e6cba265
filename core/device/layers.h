// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/json/placed_json.h"

#include <filesystem>
#include <string>
#include <vector>

namespace bindrel {

/// A file that a device file stands on.
struct LayerFile {
    std::filesystem::path path;
    std::string text;
    bool family = false; ///< what the device file names as its "family"

    bool operator==(const LayerFile&) const = default;
};

/// What a device file stands on: its "layers", in its order.
struct LayerRequest {
    std::string file;               ///< relative to the device file, inside its folder
    std::vector<std::string> gives; ///< sections that are taken from it; empty: all that it has
    std::string package;            ///< of a boundary-scan description or a table
    std::string columns;            ///< of a table: the file that says how it is read; empty: none
    bool family = false;            ///< the device's "family": a section of the device's own takes the place of its
};

/// A value of a layer that something above it replaces.
struct Replaced {
    std::string pointer; ///< in the device
    std::string before, after;
    TextPlace below, above;
    std::string because; ///< of a patch
};

/// A device as its layers make it, one over the other.
struct Layered {
    std::shared_ptr<PlacedJson> device;
    std::vector<Replaced> replaced;
    std::vector<Problem> remarks; ///< what the layers' readers could not say, patches that no longer fit
};

/// Where the values of a device come from, kept with it.
struct DeviceOrigins {
    std::shared_ptr<const PlacedJson> values;
    std::vector<Replaced> replaced;
    std::vector<Problem> remarks;
};

/// What the text of a device file names as layers, or the family that it names instead. Fails when an entry is not
/// understood or leads out of its folder. The "family" of a file that is a layer itself may be the family's name; it is
/// a file when it ends in ".json".
Expected<std::vector<LayerRequest>> layersOf(const std::string& text, const std::string& file, bool isLayer = false);

/// Lays the device file over its layers: objects by their keys, lists of objects with an "id" by that, all else as a
/// whole; null takes a value away, an instance or a pad with all that names it ("absent"). Over a family each section
/// stands for the family's, and "overrides" gives abilities and roles of single blocks. Patches are put on the layers
/// before the device file's own words.
Expected<Layered> layDown(const std::string& text, const std::string& file, const std::vector<LayerFile>& layers);

/// What of a device can be asked for its place.
enum class OriginOf { Clock, Pad, Instance, Register };
/// Where it was read: a clock by its id, a register as "UART1.CTL". No file for a device that stands on no others.
TextPlace originOf(const struct Device& device, OriginOf what, const std::string& name);

/// A device file that has nothing but this maker's file, for looking at one alone.
std::string deviceTextFor(const std::filesystem::path& makersFile);

} // namespace bindrel
