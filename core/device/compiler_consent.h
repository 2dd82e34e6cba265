// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/library.h"

#include <filesystem>
#include <string>
#include <vector>

namespace bindrel {

/// The compilers that a device file names and that neither ship nor are tested with Bindrel: "evil-gcc". A stranger's
/// file may name any program; none of them is run before a person has agreed. Empty for a device that ships.
std::vector<std::string> unusualCompilers(const Device& device, Origin origin);

/// Whether a person has agreed to the compilers of just this device file; another text of it asks anew. `memory` is
/// deviceMemory().
bool compilersAllowed(const Device& device, const std::filesystem::path& memory);
/// Remembers that a person has agreed.
Outcome allowCompilers(const Device& device, const std::filesystem::path& memory);

} // namespace bindrel
