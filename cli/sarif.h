// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/findings/finding.h"

#include <nlohmann/json.hpp>

#include <string>
#include <vector>

namespace bindrel::cli {

/// A text as data: [{"pattern": "{} runs at {}.", "arguments": [...]}], a sentence each.
nlohmann::ordered_json sentencesOf(const Message& message);

/// Findings of a plan's file as a log of SARIF 2.1.0 (OASIS), which services that review changes read: one run, all
/// rules, a result for each finding with its file and, as a logical location, what it is about.
nlohmann::ordered_json sarifOf(const std::vector<Finding>& findings, const std::string& planPath);

} // namespace bindrel::cli
