// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/directory.h"
#include "core/source/source.h"

#include <string>
#include <vector>

namespace bindrel {

/// Does away with the stages of a folder's memory after a write that went through, its own and those of writes that
/// died. A dead write may have left there what somebody had just saved: a text with a copy goes, one whose lines all
/// exist elsewhere becomes a backup, and any other moves to "rescued". It does not go among the files by itself, since
/// a stranger may have put it there. Gives a sentence for each text that was rescued.
std::vector<std::string> sweepStages(const Source& source, const Directory& folder, const Directory& memory);

} // namespace bindrel
