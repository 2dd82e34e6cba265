// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/source/source.h"

#include <filesystem>

namespace bindrel {

/// Writes the files of a source into an empty folder and builds its programs there, with the compiler and the options of its build
/// command. Units are compiled side by side, and what was compiled before from the same text and headers is not compiled again: after an edit
/// few units change. A problem carries what the compiler said. May be called from any thread.
Outcome compileSource(const Source& source, const std::filesystem::path& folder);

} // namespace bindrel
