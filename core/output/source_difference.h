// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/source/source.h"

#include <string>

namespace bindrel {

/// What is different in the generated files of a second source, as a unified diff with a head for each file; seals do
/// not count. Empty when nothing is.
std::string sourceDifference(const Source& before, const Source& after);

} // namespace bindrel
