// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/source/source.h"

#include <filesystem>
#include <string>
#include <vector>

/// Bringing the source to a folder without losing anything that a person has put there.
///
/// Beside the files a folder ".bindrel" remembers: base/ what was written last, backup/ what stood there before the last
/// write, stage/ a write under way. A write first puts every new file into stage/ and then a list of what is to be done;
/// from then on it is finished even if the process dies, by the next call that looks at the folder.
namespace bindrel {

/// What a write would do with one file.
struct FileChange {
    enum class State {
        New,      ///< is created
        Changed,  ///< is replaced; nobody has edited it, or only inside keep regions
        Merged,   ///< edited by hand: both changes go together
        Same,     ///< nothing to do
        Yours,    ///< the user's own file, there already: never touched
        Conflict, ///< edited by hand where the new text changes too, or not written by Bindrel: blocks the write
        Obsolete, ///< no longer generated and untouched: is removed
        Left,     ///< no longer generated but edited: stays, with a word
    };
    std::string name;
    State state = State::New;
    std::string before; ///< on disk now; empty when missing
    std::string after;  ///< what it will hold; of a conflict, the new text
    std::string note;   ///< for people, when there is something to say

    bool touchesDisk() const { return state == State::New || state == State::Changed || state == State::Merged || state == State::Obsolete; }
};

const char* nameOf(FileChange::State state);

/// What a write of this source to this folder would do, in the order of the source's files; obsolete ones last.
/// The folder need not exist. Fails when it cannot be read or is reached through a link that leads elsewhere.
Expected<std::vector<FileChange>> previewOutput(const Source& source, const std::filesystem::path& folder);

/// Carries out a preview: all of it or nothing. Fails, changing nothing, on a conflict or when anything cannot be
/// written, and when the folder has changed since the preview.
Outcome writeOutput(const Source& source, const std::filesystem::path& folder, const std::vector<FileChange>& preview);

} // namespace bindrel
