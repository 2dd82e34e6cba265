// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// What a compiler or a linker says of a build.
struct BuildMessage {
    enum class Severity { Error, Warning, Note } severity = Severity::Error;
    std::string file; ///< below the output folder; empty when it is of none of its files
    int line = 0;     ///< from 1; 0 where none is named
    std::string text; ///< without file and line

    friend bool operator==(const BuildMessage&, const BuildMessage&) = default;
};

/// The messages in the output of a build, in order, as the GNU tools, clang, make and CMake print them. `folder` is the
/// absolute path of the output folder: files in it are named relative to it, whatever folder the tool ran in. Each
/// message is listed once, however often it is printed.
std::vector<BuildMessage> buildMessages(std::string_view output, std::string_view folder);

/// How much is done by a line of a build's output, in percent; -1 when the line does not tell. "[ 12%] Building …" of
/// make, "[3/24] …" of Ninja.
int buildProgress(std::string_view line);

} // namespace bindrel
