// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/source/source.h"

#include <filesystem>

namespace bindrel {

/// Writes the files of a source into an empty folder and runs its build command there. A problem carries what the compiler said.
Outcome compileSource(const Source& source, const std::filesystem::path& folder);

} // namespace bindrel
