// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/source/writer.h"

namespace bindrel {

// The style in which the steps of a bring-up are rows of half-words, and one function writes them in the same order.

/// The steps of one phase, or of one need in it.
std::vector<const Step*> stepsOf(const Facts& facts, Step::Phase phase, NeedIndex need = -1);
/// The lists of PREFIX_clocks.c.
std::vector<std::vector<const Step*>> clockLists(const Facts& facts);

/// A stretch of a list as it is written: one table, or statements.
struct TableRun {
    bool table = false;
    std::vector<const Step*> steps;
};
std::vector<TableRun> tableRuns(const Facts& facts, const std::vector<const Step*>& list);
/// "SLUICE_TABLE_UART1": the base of an instance's registers, as rows name it.
Word tableBase(const Facts& facts, const Names& names, InstanceIndex instance);

/// A list of steps in a function's body: tables where enough can be rows, statements for the rest.
void writeTables(Writer& w, const std::vector<const Step*>& list, int indent);

/// The header that tables need, where one of these lists becomes any.
void includeTable(Writer& w, const std::vector<std::vector<const Step*>>& lists);
/// PREFIX_table.h and .c: what a row is, and the function that goes through a table; none in the other style.
std::vector<SourceFile> tableFiles(const Facts& facts, const Names& names);

} // namespace bindrel
