// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/block_kind.h"

#include <vector>

namespace bindrel {

/// What several kinds of need ask of a timer's block beside what is their own.
std::vector<RoleSpec> timerRoles();
std::vector<WordSpec> timerSignals();
/// "update" and what else a timer can tell.
std::vector<WordSpec> timerEvents();

} // namespace bindrel
