// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/wishes.h"

#include <map>

namespace bindrel {

/// The wishes for the board as a placement asks them: pad by pad where that decides one, several signals together where
/// it does not.
class PlacementWishes {
public:
    PlacementWishes(const Device& device, const Board& board, const Plan& plan);

    struct Single {
        int count = 0;     ///< wishes that a signal breaks on a pad, wherever the others lie
        int stands = 0;    ///< likewise of what follows from where parts stand
        bool rule = false; ///< one of them must be kept
    };
    Single brokenBy(NeedIndex need, const std::string& signal, PadIndex pad) const;

    const PadPlaces& places() const { return places_; }
    /// Those that several signals decide together.
    const std::vector<ResolvedWish>& joint() const { return joint_; }

private:
    const Device& device_;
    PadPlaces places_;
    std::vector<ResolvedWish> single_, joint_;
    std::map<std::pair<NeedIndex, std::string>, std::vector<std::size_t>> bySignal_; ///< into single_
    std::vector<std::size_t> forAll_;
};

} // namespace bindrel
