// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/makers/chip_table.h"

namespace bindrel {

/// Whether the columns are those of a table of values or of wait states.
bool isValueTable(const Columns& columns);

/// Reads a table of values (limits, electrical values: a row for each, columns for the lowest, the typical and the
/// highest) or of wait states by operating range, as its columns say: sections "clocks", "ranges", "supply" and their
/// kin. A row that the columns give no meaning is not read, with a remark; so is a number without a unit or with one
/// that its value cannot have. The table has no package.
Expected<ChipTable> readValueTable(const Grid& grid, const Columns& columns, const std::string& name);

} // namespace bindrel
