// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <string>
#include <vector>

namespace bindrel {

/// Rows of texts under titles; each row is about a need.
struct NeedTable {
    struct Row {
        std::string need; ///< id
        std::vector<std::string> cells;
    };
    std::vector<std::string> headings;
    std::vector<Row> rows;
};

/// What interrupts, whom it tells, how urgent and how often; by core and number.
NeedTable interruptSheet(const Snapshot& snapshot);
/// Channels of DMA with the requests that they serve, what they move, and how; by channel.
NeedTable dmaSheet(const Snapshot& snapshot);

} // namespace bindrel
