// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tables/grid.h"

namespace bindrel {

/// A cell that says nothing: empty, a dash as data sheets have for "does not apply", "nc".
bool isBlankCell(std::string_view text);
/// The cells of a row of headings, each as one line.
std::vector<std::string> headingsOf(const Grid::Row& row);

} // namespace bindrel
