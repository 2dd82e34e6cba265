// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/findings/finding.h"

#include <string>
#include <vector>

namespace bindrel {

/// The decision that caused a line.
struct Trace {
    Place place;
    std::string why; ///< "÷3 of PLL A in"
};

struct SourceLine {
    std::string text;
    int trace = -1; ///< into SourceFile::traces; -1 for what every file has
    const Step* step =
        nullptr; ///< planned operation that the line does; valid as long as the image that the source was made from
};

struct SourceFile {
    std::string name; ///< relative to the output folder: "sluice_board.h", "inc/sluice_board.h"
    /// Generated files are written again each time; the user's own are only created when missing.
    enum class Owner { Generated, User } owner = Owner::Generated;
    std::string group; ///< what it belongs to, for lists: "Board", a part's title, "Start-up", "Checks", "Build"
    std::vector<SourceLine> lines;
    std::vector<Trace> traces;

    std::string text() const;
};

/// The C that brings the chip up as planned: one header of names and rates, registers, clocks, pins, a pair of files a
/// bound need, interrupts, start-up, linker script and build files. ASCII, LF, the same bytes for the same plan.
/// A chip with several cores gets a program for each: the first core's brings up clocks and pins, and every core's has
/// the needs that it owns; names of the others carry the core ("pump_m4_").
struct Source {
    std::string plan;   ///< the plan's name
    std::string prefix; ///< "sluice"
    ProjectLayout::LineEnds lineEnds = ProjectLayout::LineEnds::AsFound;
    bool byTree =
        true; ///< laid out by the .clang-format of the tree that it is written to; see core/output/tree_format.h
    std::vector<SourceFile> files;
    /// One core's program: what the compiler is given.
    struct Program {
        std::string compiler;
        std::vector<std::string> options;
        std::vector<std::string> units; ///< names of the files to compile
        std::string linkerScript, output;
    };
    std::vector<Program> programs; ///< in the device's order of cores
    /// The command of a shell that compiles and links all programs, to be given in the output folder.
    std::string buildCommand;

    const SourceFile* find(std::string_view name) const;
};

/// Sets the seal of a generated file to what the file holds.
void setSeal(SourceFile& file);

Source makeSource(const Facts& facts);
/// With every part, also those that the plan leaves out: what can be compiled and run by itself.
Source makeWholeSource(const Facts& facts);

/// The compiler's options for a core, as the tests and the shown command use them.
std::vector<std::string> compilerOptions(const Core& core, ProjectLayout::Standard standard = {});

} // namespace bindrel
