// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// A cell that a spreadsheet takes for text and never for a formula: one that begins like a formula gets an apostrophe.
/// Numbers with a sign and a unit ("-40 ppm") stay as they are.
std::string cellText(std::string_view text);

/// One line of comma-separated values (RFC 4180), with CR LF; cells by cellText().
std::string csvLine(const std::vector<std::string>& cells);

} // namespace bindrel
