// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/source/source.h"

#include <chrono>
#include <filesystem>
#include <functional>

namespace bindrel {

/// Writes the files of a source into an empty folder and builds its programs there, with the compiler and the options
/// of its build command. Units are compiled side by side, and what was compiled before from the same text and headers
/// is not compiled again: after an edit few units change. A problem carries what the compiler said. A compiler that has
/// not ended after `patience`, or when `stopped` says so, is ended with all that it has started. May be called from any
/// thread.
Outcome compileSource(const Source& source, const std::filesystem::path& folder,
                      const std::function<bool()>& stopped = {},
                      std::chrono::milliseconds patience = std::chrono::minutes(1));

} // namespace bindrel
