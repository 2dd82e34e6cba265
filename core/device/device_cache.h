// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/device.h"

#include <filesystem>
#include <memory>

namespace bindrel {

/// As `loadDevice`; the devices that were asked for last are kept, so that one whose files still have the same bytes is
/// read once and held once. May be called from any thread.
Expected<std::shared_ptr<const Device>> cachedDevice(const std::filesystem::path& path);

} // namespace bindrel
