// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// A stretch of lines of a file that was changed by a person and by the plan. Lines end with LF.
struct MergePiece {
    bool agreed = true; ///< nobody else has touched it, or both did the same
    std::string text;   ///< of an agreed one
    std::string mine;   ///< as the person has it on the disk
    std::string fresh;  ///< as it is generated now
    std::string base;   ///< as it was generated when the person began; empty where that is not known
    int copy = 1;       ///< of those in the file that are alike, from 1
    int line = 1; ///< of the person's text where it begins, from 1; of an empty stretch, where the one before ends

    /// What tells a piece that is not agreed from others, however often the file is looked at.
    std::string key() const;
};

/// What a person wants to stand in the place of a piece.
struct PieceChoice {
    enum class Take { Mine, New, Both, Text } take = Take::Mine;
    std::string text; ///< of Text

    friend bool operator==(const PieceChoice&, const PieceChoice&) = default;
};

/// Choices by the key of their piece.
using PieceChoices = std::map<std::string, PieceChoice, std::less<>>;

/// The file in pieces, in order. Without a base every stretch in which the two texts differ is one.
std::vector<MergePiece> piecesOf(const std::optional<std::string>& base, const std::string& mine,
                                 const std::string& fresh);

/// What a choice makes of a piece; Both is the person's text, then the new one.
std::string settled(const MergePiece& piece, const PieceChoice& choice);

/// The file with every piece settled; nothing while one is open.
std::optional<std::string> settled(const std::vector<MergePiece>& pieces, const PieceChoices& choices);

/// How many pieces are not agreed, and how many of those have no choice.
int conflicts(const std::vector<MergePiece>& pieces);
int open(const std::vector<MergePiece>& pieces, const PieceChoices& choices);

} // namespace bindrel
