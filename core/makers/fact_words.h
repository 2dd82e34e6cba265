// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

/// Keywords of the clauses of a fact (docs/formats/facts.md), shared by the reader and the writer.
namespace bindrel {

const std::vector<std::string>& clockKeys();
const std::vector<std::string>& instanceKeys();
const std::vector<std::string>& padKeys();

/// Whether a text is the word, or begins with it and a blank.
bool startsWithWord(std::string_view text, std::string_view word);

} // namespace bindrel
