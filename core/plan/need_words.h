// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/board.h"
#include "core/plan/kind.h"

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

/// The words of a line that states a need (core/plan/need_line.h), and what each can name.
namespace bindrel {

struct LineWord {
    std::string text;
    bool quoted = false;
};

/// Parted at blanks; quotes keep several together, "115,200" becomes 115200.
std::vector<LineWord> lineWords(std::string_view line);
/// Whether a word begins what is not a goal: for, called, on.
bool isJoint(const LineWord& word);
/// How many words from `at` on are the given ones, whatever their case; 0 when they are not.
size_t sameWords(const std::vector<LineWord>& words, size_t at, const std::string& phrase);

struct KindCalled {
    const KindSpec* kind = nullptr;
    size_t words = 0;
    const PhraseSpec* name = nullptr; ///< null: by id or title
};
/// The kind that the words from `at` on name, by as many words as do.
KindCalled kindCalled(const std::vector<LineWord>& words, size_t at);
std::vector<std::string> kindIds();

/// Parts whose id or title is the text; if there is none, those with these words in their title.
std::vector<const Part*> partsCalled(const Board& board, const std::string& text);
std::vector<std::string> partTitles(const Board& board); ///< "firmware" first

/// A goal's value in the kind's own spelling, when the text is one; a choice also by its beginning, when only one
/// begins so.
std::optional<std::string> asValue(const GoalSpec& goal, const std::string& text);
/// Whether a value on its own can be meant for the goal. A bare number is never a time or a tolerance, and free text
/// only goes to a goal that is named.
bool canBeMeant(const GoalSpec& goal, const std::string& text);
/// The goal that a word, with the ones behind it, names, and how many words that takes; 0 for none.
std::pair<const GoalSpec*, size_t> goalNamed(const KindSpec& kind, const std::vector<LineWord>& words, size_t at);

} // namespace bindrel
