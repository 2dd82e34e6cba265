// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace bindrel {

/// A word of a closed vocabulary, with what it means. In a name "#" stands for a number ("compare#" is compare1,
/// compare2, …) and "*" for the id of a core.
struct WordSpec {
    std::string name;
    std::string about;
    /// Of a signal: the directions that it may have in a device file, parted by blanks; empty: any.
    std::string directions = {};
};

/// What a field of a block is to a kind of need: "prescaler", "transmit_empty".
struct RoleSpec {
    enum class Use {
        Config,  ///< written when the need is brought up, started or stopped
        Status,  ///< read, and cleared as its access says
        Data,    ///< written and read by the need's functions
        Command, ///< a write does something at once
    };
    std::string name;
    Use use = Use::Config;
    bool required = false; ///< without it the C would be wrong; else the block may lack it, or have just one choice
    std::string unit;      ///< of the value before the encoding: "ticks", "samples a bit"; empty for a switch
    std::string about;
    /// Values that have names ("none", "even", "odd"). Where the field names its values so and the role has no
    /// encoding, these names say the codes; several names of one value part by "|".
    std::vector<std::pair<std::string, std::int64_t>> meanings;
    /// Where the block has a role `hold`: it takes a change only while it is held (and says so in `held`).
    bool onlyHeld = false;
    /// A role that stands for this one: with it, this one is not required.
    std::string unless;
    /// Encodings that its field may have. The value of a Config role is known when the C is written; those of the
    /// others are the program's, so that the C itself must be able to convert them.
    enum class Encodings {
        ByUse,    ///< Config: any; the others: as is
        InC,      ///< what an expression of C converts: as is, minus one, BCD, one piecewise segment from code 0
        MinusOne, ///< as is or minus one
    } encodings = Encodings::ByUse;
};

/// What the blocks of a kind may say in device files.
struct BlockKind {
    std::string id; ///< "uart"
    std::vector<RoleSpec> roles;
    std::vector<WordSpec> abilities;
    std::vector<WordSpec> signals;  ///< of instances; "#" for numbers
    std::vector<WordSpec> requests; ///< of DMA
    std::vector<WordSpec> events;   ///< that can interrupt; empty: any name

    const RoleSpec* role(std::string_view name) const; ///< numbers are taken for "#"
};

/// Of all kinds, sorted by id. What the kinds of needs declare, and what the stages themselves use of ports, lines, DMA
/// and the interrupt controller. (Made in core/kinds/all.cpp: the stages do not know the kinds.)
const std::vector<BlockKind>& blockKinds();
const BlockKind* findBlockKind(std::string_view id);

/// The blocks that belong to no kind of need: "port", "lines", "dma", "dma_router",
/// "interrupts".
std::vector<BlockKind> chipBlocks();

/// Whether a word is one of a vocabulary; "compare3" matches "compare#".
bool isWordOf(std::string_view word, std::string_view pattern);

} // namespace bindrel
