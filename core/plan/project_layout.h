// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// How the written project is laid out, so that it fits into a tree that a team already has.
struct ProjectLayout {
    enum class FileNames { Underscores, Hyphens };
    enum class LineEnds { AsFound, Lf, CrLf };
    enum class NeedFiles { Pairs, One };
    enum class Style { Readable, Table };
    enum class Formatting { ByTree, AsWritten };
    enum class Standard { C11, C99, C17, C23 };

    std::string sources; ///< folder of the C sources below the output folder, "src"; empty: the output folder itself
    std::string headers; ///< the same for headers
    FileNames fileNames = FileNames::Underscores;
    NeedFiles needFiles = NeedFiles::Pairs;     ///< of C: one for each need, or one for all
    Standard standard = Standard::C11;          ///< that the written C keeps to
    Style style = Style::Readable;              ///< statements, or rows of a table that one function goes through
    Formatting formatting = Formatting::ByTree; ///< ByTree: by the .clang-format above the output folder, if any
    LineEnds lineEnds = LineEnds::AsFound;      ///< AsFound: a file keeps its own, and a new one has LF
    std::string notice;                         ///< above each generated file, as a comment; lines end with LF

    friend bool operator==(const ProjectLayout&, const ProjectLayout&) = default;
};

/// "c11": as a compiler's option -std= names it.
std::string optionOf(ProjectLayout::Standard standard);
/// 11: as CMake names it.
int yearOf(ProjectLayout::Standard standard);

/// One value of a layout as files, commands and windows say it.
struct LayoutSetting {
    const char* key;   ///< "sources_in"
    const char* title; ///< "C sources in"
    const char* about; ///< a sentence for people
    /// What it can be, the default first; empty: text.
    std::vector<std::string> choices;
    std::string (*text)(const ProjectLayout& layout); ///< empty for the default
    /// Empty text means the default. Fails, changing nothing, when the text is none of the choices or no folder.
    Outcome (*set)(ProjectLayout& layout, std::string_view text);
};

/// Every setting, in the order in which files list them.
const std::vector<LayoutSetting>& layoutSettings();

/// Null when there is none of this key.
const LayoutSetting* layoutSetting(std::string_view key);

/// Keys of all settings.
std::vector<std::string> layoutKeys();

} // namespace bindrel
