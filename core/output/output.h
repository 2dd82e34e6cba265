// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/output/pieces.h"
#include "core/source/source.h"

#include <filesystem>
#include <string>
#include <vector>

/// Bringing the source to a folder without losing anything that a person has put there.
///
/// Beside the files a folder ".bindrel" remembers: owner, the plan that the folder belongs to; base/, what was
/// generated last; backup/, what stood there before the last writes, eight generations of each file; rescued/, what a
/// write that died had left and nobody had a copy of; stage-N/, a write under way. A write first puts every new text
/// into its stage and then only renames, each file in one step, and takes all back if one fails. The order is such that
/// each line of a person's has, at any moment, a name in the folder: first comes the file that keeps what leaves its
/// place, then what replaces, then what is removed. Of a write that died in the middle nothing is believed but what
/// base/ and the stages say was generated: the next write that a person asks for works out anew what each file is to
/// hold, and deletes nothing of a stage that has no copy.
///
/// Nothing below the folder is reached through a link, and looking writes nothing.
namespace bindrel {

/// What a write would do with one file.
struct FileChange {
    enum class State {
        New,      ///< is created
        Moved,    ///< is created from a file that lay elsewhere before the layout changed, with what was edited there
        Changed,  ///< is replaced; nobody has edited it, or only inside keep regions
        Merged,   ///< edited by hand: both changes go together
        Same,     ///< nothing to do
        Yours,    ///< the user's own file, there already: never touched
        Conflict, ///< edited by hand where the new text changes too, or not written by Bindrel: blocks the write
        Obsolete, ///< no longer generated and untouched: is removed
        Left,     ///< no longer generated but edited: stays, with a word
    };
    std::string name; ///< its path below the folder: "inc/sluice_board.h"
    State state = State::New;
    std::string before; ///< on disk now; empty when missing
    std::string after;  ///< what it will hold; of a conflict, the new text
    std::string note;   ///< for people, when there is something to say
    /// The file in pieces, where both changed it and a person can settle that; also once they have.
    std::vector<MergePiece> pieces;

    bool touchesDisk() const
    {
        return state == State::New || state == State::Moved || state == State::Changed || state == State::Merged ||
               state == State::Obsolete;
    }
};

const char* nameOf(FileChange::State state);

/// How many earlier texts of a file backup/ keeps.
inline constexpr int kBackups = 8;

/// What a write would do.
struct OutputPreview {
    std::vector<FileChange> files;  ///< in the order of the source's files; obsolete ones, then parked text last
    std::vector<std::string> notes; ///< sentences about the folder: that a write was interrupted here
    /// What a write puts in place before anything else, and what stands there until all else is done: a file with every
    /// text that leaves its place. Empty when none does.
    struct First {
        std::string name, text;
    } first;
};

/// May a folder that belongs to another plan be taken over? Its files that the plan does not have are then removed if
/// untouched.
enum class Ownership { OwnOnly, TakeOver };

/// What a write of this source to this folder would do. The folder need not exist; nothing is written. Fails when it
/// cannot be read, when something in it that would be written is a link, and when it belongs to another plan.
/// Choices say, by file, what is to stand where a person's change and the new text meet; a file with a choice for each
/// piece is merged.
using Settlements = std::map<std::string, PieceChoices, std::less<>>;
Expected<OutputPreview> previewOutput(const Source& source, const std::filesystem::path& folder,
                                      Ownership ownership = Ownership::OwnOnly, const Settlements& settlements = {});

/// The plan that a folder belongs to; empty when it is nobody's, or cannot be read.
std::string folderOwner(const std::filesystem::path& folder);

/// Carries out a preview: all of it or nothing. Fails, changing nothing, on a conflict, when anything cannot be written
/// or remembered, when the folder has changed since the preview, and when another process is writing there. Gives
/// sentences on what a person should know: a file that somebody saved in the very moment was kept beside.
Expected<std::vector<std::string>> writeOutput(const Source& source, const std::filesystem::path& folder,
                                               const OutputPreview& preview, Ownership ownership = Ownership::OwnOnly);

} // namespace bindrel
