// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace bindrel {

/// Something that a person handed in cannot be used: where, what, and what would be right.
/// `line` and `column` count from 1; 0 means that the problem has no place in a text.
struct Problem {
    std::string file;    ///< path as the user named it; empty when no file is involved
    std::string pointer; ///< JSON pointer (RFC 6901) inside the file; empty for the whole document or none
    int line = 0;
    int column = 0;
    std::string message; ///< what is wrong and what would be right, as one sentence or two

    /// "file:line:column: pointer: message", leaving out what is not known.
    std::string text() const;
};

/// A problem without a place.
Problem problemOf(std::string message);
/// A problem of a line of a file, or of the file as a whole (line 0).
Problem problemInFile(std::string file, int line, std::string message);

} // namespace bindrel
