// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// Words of a name or a sentence, in lower case: parted at signs, between small and capital letters, and between
/// letters and digits.
std::vector<std::string> wordsOf(std::string_view text);

/// How surely a word of a name stands for a word of the trade: 1 for the word itself or one that means the same, less
/// for an abbreviation of it, 0 for none.
double standsFor(std::string_view written, std::string_view meant);

} // namespace bindrel
