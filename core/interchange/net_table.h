// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/snapshot.h"

#include <map>
#include <string>
#include <vector>

namespace bindrel {

/// Which net each pad is on, as a schematic program or a spreadsheet tells it.
struct NetTable {
    struct Entry {
        std::string pad;
        std::string net;
        int line = 0; ///< of the text, from 1
    };
    std::vector<Entry> entries;     ///< in the order of the text
    std::vector<std::string> notes; ///< lines that say nothing of a pad, and why, each with its line number
    /// Crystals with a rate and a tolerance in the netlist, by the clock that they drive.
    std::map<std::string, CrystalFact> crystals;
    bool complete = false; ///< a schematic's: a pad that it does not have has no net
};

/// Reads lines of pin and net, between commas, semicolons, tabs or blanks; quotes as in RFC 4180. A pin is a number of
/// the package ("17", "C4") or a pad's name. A first line with titles says which columns they are ("Pin", "Net", in any
/// order, among others); without one they are the first two. Pins of supply and ground are passed over. Fails when a
/// line cannot be understood, or a pad has two nets; nothing is read half.
Expected<NetTable> readNetTable(const std::string& text, const Device& device);

/// The edit that makes the plan's nets those of the table: what the board's file says already is not said again, and
/// nets that the table does not have stay, unless it is complete.
Edit editOfNets(const Snapshot& snapshot, const NetTable& table);

} // namespace bindrel
