// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/board.h"
#include "core/device/wish.h"
#include "core/pins/bindings.h"

namespace bindrel {

/// A signal that a wish speaks of.
struct WishedSignal {
    NeedIndex need;
    std::string signal;
    int group = 0; ///< of Away: 0 for the subjects, 1 for what they stay away from; of Sequence the subject's number
};

/// Where pads lie on the package, as wishes see it.
class PadPlaces {
public:
    explicit PadPlaces(const Device& device);

    int side(PadIndex pad) const { return side_[std::size_t(pad)]; }
    /// Whether both are on one side with fewer than `between` pins between them. A pad on no pin is near nothing.
    bool near(PadIndex a, PadIndex b, int between) const;
    /// Where on its side a pad lies, counter-clockwise: of two on one side the lesser comes first.
    int around(PadIndex pad) const;
    /// Whether b comes after a along the edge: 1; before: -1; they cannot be compared: 0. Around a package with pins on
    /// its edge it is the pin's number that counts; of balls only those of one side can be compared.
    int turn(PadIndex a, PadIndex b) const;
    /// Whether a pad is on one of two pins or between them, counting on past the last pin where the first comes later;
    /// of balls in the rectangle that both are corners of.
    bool within(PadIndex pad, PinIndex from, PinIndex to) const;
    /// Whether a pin of this name is beside the pad.
    bool besidePin(PadIndex pad, std::string_view name) const;
    bool placed(PadIndex pad) const { return position_[std::size_t(pad)] >= 0; }

private:
    const Device& device_;
    std::vector<int> side_, position_, along_; ///< by pad
    std::vector<int> sideOfPin_, alongOfPin_;
};

/// A wish with what its names mean in a plan.
struct ResolvedWish {
    Wish wish;
    std::string text;
    bool rule = false;
    bool stands = false; ///< nobody said it: it follows from where a part stands, and is no finding
    unsigned sides = 0;  ///< with `stands`: the sides that it is about, a bit each; see sidesFacing()
    /// Of Sequence: groups of signals of which the first lies before the second; with `stands` counter-clockwise, else
    /// all of them the same way round.
    std::vector<std::pair<int, int>> pairs;
    std::vector<WishedSignal> signals; ///< in the order of the sentence
    std::vector<PadIndex> pads;        ///< of KeepFree
    PinIndex first, last;              ///< of Region

    /// Whether one pad alone breaks it for a signal, wherever the others lie.
    bool breaks(const Device& device, const PadPlaces& places, PadIndex pad) const;
    /// Whether pads decide it one by one: then breaks() says all.
    bool isSingle() const;
};
struct WishReading {
    std::vector<ResolvedWish> wishes;
    struct Unclear {
        std::string text, why;
    };
    std::vector<Unclear> unclear; ///< names that the plan, the board or the chip does not have
};
/// Whether there is any wish to be read.
bool asksAnything(const Board& board);
/// With those that follow from where parts stand beside the chip: signals lie on a side that faces their part, and
/// parts that one side faces have theirs there in the order in which they stand, so that their tracks do not cross.
WishReading resolveWishes(const Device& device, const Board& board, const Plan& plan);

/// Where a wish is broken that several signals decide together: positions in its signals. `other` is what the first
/// has to do with: the one before it, or what it is too near; -1 where that is nobody.
struct BrokenAt {
    int at = -1, other = -1;
};
/// By pad and instance of each of its signals; -1: it has none, and breaks nothing.
std::vector<BrokenAt> brokenAt(const PadPlaces& places, const ResolvedWish& wish, const std::vector<PadIndex>& pads,
                               const std::vector<InstanceIndex>& instances);

/// How often a wish is broken by where things are; signals without a pad break nothing.
struct WishState {
    int broken = 0;
    std::vector<WishedSignal> by;   ///< who breaks it, as far as that can be told
    std::vector<std::string> words; ///< "transmit of Uplink is on the right side"
};
WishState judgeWish(const Device& device, const PadPlaces& places, const Plan& plan, const Bindings& bindings,
                    const ResolvedWish& wish);

/// How often wishes are broken: those that somebody stated, and those that follow from where parts stand.
struct BrokenWishes {
    int stated = 0, standing = 0;
};
BrokenWishes countBroken(const Device& device, const Board& board, const Plan& plan);

/// Sentences of the stated wishes that are broken, with how often where that is more than once: "pump in order (2)".
std::vector<std::string> brokenWishes(const Device& device, const Board& board, const Plan& plan);

} // namespace bindrel
