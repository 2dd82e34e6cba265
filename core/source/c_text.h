// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <set>
#include <string>
#include <string_view>

/// Making text from a plan safe to stand in C. Plans may come from strangers.
namespace bindrel {

/// Text for a comment: ASCII ("±" becomes "+-"), no end or start of a comment, no trigraph, no line splice, one line.
std::string commentText(std::string_view text);

/// A lower-case C identifier made from any text; never empty, never starting with a digit, at most 40 characters.
std::string identifierOf(std::string_view text);

/// Hands out identifiers that are unique among those handed out and no keyword of C11.
class Identifiers {
public:
    std::string take(std::string_view wanted);

private:
    std::set<std::string> used_;
};

} // namespace bindrel
