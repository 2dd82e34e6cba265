// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/plan/board_entry.h"
#include "core/snapshot.h"

#include <array>
#include <string>
#include <vector>

namespace bindrel {

/// The board as a list: what is soldered around the chip, as far as the chip must know of it. The same rows in the
/// window and on the command line.

/// What holds for the whole board, or at an oscillator's pads.
struct BoardFact {
    enum class What { Supply, Temperature, Clock, Outline, ChipPlace } what = What::Supply;
    std::string clock;   ///< id, of a Clock
    std::string title;   ///< "Supply", "HF crystal"
    std::string value;   ///< "3.3 V", "12 MHz, 20 ppm", "not fitted"
    std::string source;  ///< who says it: "board file", "plan", "chip"; empty for a clock that is not fitted
    std::string range;   ///< what the chip takes: "1.8 V to 3.6 V"
    std::string finding; ///< what is wrong with it, as its finding says; empty when nothing is
};
std::vector<BoardFact> boardFacts(const Snapshot& snapshot);
/// The edit that states a fact anew; an empty text goes back to what the board file or the chip says. Fails with what
/// would be right.
Expected<Edit> boardFactEdit(const BoardFact& fact, const std::string& text);

/// A part, followed by its terminals.
struct BoardPartRow {
    std::string part;     ///< id
    std::string terminal; ///< empty: the row of the part itself
    std::string title;    ///< of the part, or the terminal's name
    std::string leadsTo;  ///< of a terminal: "transmit of Uplink, PD0"; of a part: how many of its terminals are wired
    std::array<std::string, kTerminalProperties.size()> said; ///< in the order of kTerminalProperties
    std::string need, signal;                                 ///< that use the terminal; empty: nobody does
    bool ofPlan = false;                                      ///< the plan says it, not the board file
    std::string finding;
};
std::vector<BoardPartRow> boardParts(const Snapshot& snapshot);
/// The edit that says something else of a terminal.
Expected<Edit> terminalEdit(const Snapshot& snapshot, const BoardPartRow& row, TerminalProperty property,
                            const std::string& text);
/// The edit that gives a part another title, or other terminals ("rxd, txd").
Expected<Edit> partTitleEdit(const Snapshot& snapshot, const std::string& part, const std::string& title);
/// A new part: "Pressure sensor: sda, scl, alert".
Expected<Edit> newPartEdit(const Snapshot& snapshot, const std::string& line);
/// Takes back what the plan says of a part: the board file's holds again, or it is gone. Fails while needs are wired to
/// a part that would be gone.
Expected<Edit> partRemoval(const Snapshot& snapshot, const std::string& part);
Expected<Edit> partTerminalsEdit(const Snapshot& snapshot, const std::string& part, const std::string& list);

/// A thing on the board's outline.
struct BoardItem {
    std::string part; ///< id; empty: the chip
    std::string title;
    std::optional<BoardPlace> place; ///< empty: it is not known where it stands
    int wired = 0;                   ///< signals that lead to it
    int off = 0;                     ///< of them on a side of the chip that does not face it
    int across = 0; ///< of them on the wrong side of another part's, given where both stand: their tracks cross
};
/// The chip, then the parts in the order of the board.
std::vector<BoardItem> boardItems(const Snapshot& snapshot);
/// The edit after which a part (or, with an empty id, the chip) stands elsewhere; nothing: what the board's file says.
Edit placeEdit(const Snapshot& snapshot, const std::string& part, const std::optional<BoardPlace>& place);

/// What the person who lays out the board wishes, and whether it is kept.
struct BoardWishRow {
    std::string sentence;
    WishStrength strength = WishStrength::Wish;
    bool ofPlan = false;      ///< the plan says it, not the board file
    std::string state;        ///< "kept", "transmit of Uplink is on PB3", "the plan has no need pump"
    bool broken = false;      ///< or cannot be judged
    std::string need, signal; ///< who breaks it first
};
/// In the order of their sentences; also those of the board file that the plan drops.
std::vector<BoardWishRow> boardWishes(const Snapshot& snapshot);
/// Another sentence in the place of one (none: a new wish). An empty one takes it back: what the board file says is
/// dropped for this plan. Fails with what would be understood.
Expected<Edit> wishEdit(const Snapshot& snapshot, const std::string& sentence, const std::string& text);
/// "wish", "rule" or "dropped".
Expected<Edit> wishStrengthEdit(const Snapshot& snapshot, const std::string& sentence, const std::string& strength);

} // namespace bindrel
