// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace bindrel {

/// What a part wants from whatever chip it is wired to. Kinds and goals are those of plans; they are checked when a plan
/// is made of them.
struct PartNeed {
    std::string id; ///< "enable"; empty for the part's main need
    std::string title;
    std::string kind;
    std::map<std::string, std::string, std::less<>> goals;
    std::map<std::string, std::string, std::less<>> terminals; ///< signal -> terminal
};

/// An off-chip thing on the board.
struct Part {
    std::string id;    ///< "uplink-modem": of the part on its board, or of the library's part
    std::string title; ///< "Uplink modem"
    std::string about;
    std::vector<std::string> terminals;
    std::vector<PartNeed> needs;
};

/// A reusable part; docs/formats/part.md describes the file.
Expected<Part> loadPart(const std::filesystem::path& path);
Expected<Part> parsePart(std::string text, std::string file);

} // namespace bindrel
