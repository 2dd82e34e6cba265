// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <string>
#include <vector>

namespace bindrel {

/// A pin of the chip for whoever draws the board: by its net.
struct NetPin {
    std::string net; ///< the board's, else what the signal is to have; empty: nobody has named it
    std::string pin, pad;
    std::string signal, need, part; ///< what the pad carries; empty: nothing, or several things
};
/// The pads that carry something or have a net, ordered by net and pin, those without a net last.
std::vector<NetPin> pinsByNet(const Snapshot& snapshot);
/// The same as comma-separated values with a line of titles.
std::string pinsByNetCsv(const Snapshot& snapshot);

/// A signal that has another pad than before: what the schematic must follow.
struct MovedSignal {
    std::string net; ///< that moves along; empty: none was known
    std::string fromPin, fromPad, toPin, toPad;
    std::string need, signal;
};
/// What moved between two states of a plan, needs and signals told apart by their ids. Across chips the pads of the
/// older one are those of its own package.
std::vector<MovedSignal> movedSignals(const Snapshot& before, const Snapshot& after);

} // namespace bindrel
