// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

namespace bindrel {

/// Three-way merge by lines: the changes base -> mine and base -> theirs together; nothing when they touch the same
/// lines.
std::optional<std::string> mergeTexts(const std::string& base, const std::string& mine, const std::string& theirs);

/// Both changes together, with lines that mark where they touch the same lines: `mine`, the person's, `base`, what both
/// came from, `fresh`, the new ones, `end`. None of the marks is a line of the texts.
struct MarkedMerge {
    std::string text;
    std::string mine, base, fresh, end;
};
/// Without a base every stretch in which the two differ is marked. All empty where a line of theirs is so long a run of
/// one of the marks' characters that no mark could be told from it.
MarkedMerge mergeWithMarks(const std::optional<std::string>& base, const std::string& mine, const std::string& fresh);

/// The difference of two texts as a unified diff with three lines of context; empty when they are equal.
std::string unifiedDiff(const std::string& before, const std::string& after);

} // namespace bindrel
