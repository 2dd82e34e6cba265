// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/interchange/register_dump.h"
#include "core/snapshot.h"

#include <functional>
#include <string>
#include <vector>

namespace bindrel {

/// What registers of a running chip say as decisions of a plan.
struct Adoption {
    Edit edit;                      ///< one undo step; without changes when the plan says all of it already
    std::vector<std::string> taken; ///< each decision, in words
    /// Registers that the plan still leaves otherwise than the dump has them, with both values.
    std::vector<std::string> left;
};

/// Takes over clocks, pads, needs, goals and, where no goal says it, fields that are set by hand, so that the plan's
/// end state is what the registers hold. Needs that the plan has are kept, and bound to where their signals are; what
/// is switched to pads beyond them becomes a need. Registers that the dump does not have stay as they are planned.
/// `stopped` is asked now and then; what is given back then is not all.
Adoption adoptRegisters(const Snapshot& snapshot, const RegisterDump& dump, const std::function<bool()>& stopped = {});

} // namespace bindrel
