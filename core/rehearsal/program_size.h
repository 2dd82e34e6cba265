// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"
#include "core/rehearsal/program_image.h"

#include <optional>
#include <string>

namespace bindrel {

/// What a built program takes of a core's memory, in bytes.
struct ProgramSize {
    std::uint64_t flash = 0;          ///< all that is loaded into the core's flash
    std::optional<std::uint64_t> ram; ///< data, zeroes, heap and stack, as far as the program sets them aside; empty
                                      ///< where the linker script does not name them
};

/// `prefix` of the program's names: "sluice".
ProgramSize sizeOf(const ProgramImage& program, const Core& core, const std::string& prefix);

} // namespace bindrel
