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

/// The columns of the two tables below, and their titles in English: "worst_delay", "Worst delay".
std::vector<std::string> interruptHeadings();
std::vector<std::string> dmaHeadings();
std::string headingTitle(std::string heading);

/// What interrupts, whom it tells, how urgent and how often; by core and number.
NeedTable interruptSheet(const Snapshot& snapshot);
/// The same, of each core the most urgent first.
NeedTable interruptsByUrgency(const Snapshot& snapshot);
/// The priority that a need's interrupts get where their row is put: that of the row at `at`, or, when `between`, one
/// between the row before it and it, as far as there is one (beyond the ends of a core's rows: one step further). In
/// the chip's own levels; empty where the rows are of another core.
std::optional<std::uint32_t> priorityAt(const Snapshot& snapshot, const NeedTable& byUrgency, std::size_t row,
                                        std::size_t at, bool between);
/// Channels of DMA with the requests that they serve, what they move, and how; by channel.
NeedTable dmaSheet(const Snapshot& snapshot);

} // namespace bindrel
