// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

namespace bindrel {

/// Three-way merge by lines: the changes base -> mine and base -> theirs together; nothing when they touch the same
/// lines.
std::optional<std::string> mergeTexts(const std::string& base, const std::string& mine, const std::string& theirs);

/// The difference of two texts as a unified diff with three lines of context; empty when they are equal.
std::string unifiedDiff(const std::string& before, const std::string& after);

} // namespace bindrel
