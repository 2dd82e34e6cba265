// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

namespace bindrel::cli {

/// Rows of text under headings; printed for people, as JSON or as CSV (RFC 4180).
struct Table {
    std::vector<std::string> headings;
    std::vector<std::vector<std::string>> rows; ///< each as long as the headings

    /// `format` is "text", "json" or "csv". JSON keys are the headings.
    void print(const std::string& format) const;
};

} // namespace bindrel::cli
