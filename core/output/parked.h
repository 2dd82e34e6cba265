// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

/// PREFIX_orphans.c: text of keep regions whose home is not generated at present. It goes back when the home returns.
///
/// An entry is a mark, "#if 0", the text with "//| " before each line, "#endif". As lines of comments the text can
/// neither end the group nor begin a comment that swallows what follows. Whatever else stands in the file is the user's
/// and stays.
namespace bindrel {

struct Parked {
    std::string file; ///< that had the region
    std::string region;
    std::string text; ///< as it stood there, lines end with LF

    friend bool operator==(const Parked&, const Parked&) = default;
};

/// Its name in the output folder, wherever the sources lie.
std::string parkedFileName(std::string_view prefix);

/// The file in the order in which it is written: entries, and the user's own lines between them.
class ParkedFile {
public:
    /// Any text can be read; what is not an entry is the user's.
    ParkedFile(std::string_view text, std::string_view prefix);

    std::vector<Parked>& entries() { return entries_; }
    const std::vector<Parked>& entries() const { return entries_; }
    /// Adds an entry that is not there yet.
    void park(Parked entry);
    /// Empty when there is nothing in it any more. It compiles by itself, as an empty file would not.
    std::string text() const;

private:
    std::string prefix_;
    std::string own_; ///< lines of the user's, and entries that are damaged
    std::vector<Parked> entries_;
};

/// A line of the file as it stood before it was parked; any other line as it is. Neither has a line feed.
std::string unparked(std::string_view line);

} // namespace bindrel
