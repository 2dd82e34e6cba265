// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <functional>
#include <string>
#include <vector>

namespace bindrel {

/// Something that can be gone to by name.
struct GotoTarget {
    std::string label; ///< "PD3"
    std::string kind;  ///< "pad", "need", "clock", "mode", "register", "field", "net", "finding"
    std::string hint;  ///< "pin 52, Uplink request to send"
    Place place;
    std::string also = {};          ///< other words that lead here: kinds, names of the trade, aliases
    std::function<void()> run = {}; ///< instead of going somewhere
};

/// Everything in the plan and its device that has a name.
std::vector<GotoTarget> gotoTargets(const Snapshot& snapshot);

/// Those that match the typed text, best first, at most `most`: label or another word for it begins with it, then a
/// word begins with it, then it is contained in label or hint; of equals needs before commands before clocks, pads and
/// so on, registers and fields last. Case does not matter.
std::vector<GotoTarget> matchTargets(const std::vector<GotoTarget>& targets, const std::string& typed, size_t most);

} // namespace bindrel
