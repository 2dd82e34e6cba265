// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/load_device.h"

namespace bindrel {

/// Copies of the device files that plans were saved with, by revision, so that a changed file can be compared with what
/// it was. In $XDG_STATE_HOME/bindrel/devices, else ~/.local/state/bindrel/devices.
std::filesystem::path deviceMemory();

/// Whether a text is what a revision can be. It comes from a plan, which may come from a stranger, and becomes the name
/// of a file.
bool isRevision(const std::string& text);

/// Keeps the files of a device that was read from a file; does nothing for one that is kept already.
Outcome rememberDevice(const Device& device, const std::filesystem::path& memory);
/// The device of a revision, as it was. The problem says that nothing is kept of it.
Expected<Device> recallDevice(const std::string& revision, const std::filesystem::path& memory);

} // namespace bindrel
