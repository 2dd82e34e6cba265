// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <cstdint>
#include <string>
#include <string_view>

namespace bindrel {

/// Reads "4 KiB", "1024 bytes", "2048": 8 bytes to 16 MiB in steps of 8, as both architectures' rules for calls keep
/// the stack aligned at least so.
Expected<std::uint32_t> parseMemorySize(std::string_view text);
/// "4 KiB", "1000 bytes"; parseMemorySize() of it gives the same.
std::string memorySizeText(std::uint32_t bytes);

} // namespace bindrel
