// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <map>
#include <string>
#include <string_view>

namespace bindrel {

/// Text between "/*~ keep NAME */" and "/*~ */", by name; each line ends with LF. A mark stands alone on its line.
/// Fails when marks are unbalanced, nested, without a name, or a name comes twice: guessing could lose text.
Expected<std::map<std::string, std::string>> keepRegions(std::string_view text);

/// `text` with the contents of its regions replaced by those of `kept`; names that are used are erased from `kept`. A
/// region that `kept` does not name is emptied. REQUIRES: keepRegions(text) succeeds
std::string withRegions(std::string_view text, std::map<std::string, std::string>& kept);

/// `text` with all regions emptied, to compare what lies outside them.
/// REQUIRES: keepRegions(text) succeeds
std::string withoutRegions(std::string_view text);

} // namespace bindrel
