// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/plan/plan.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

struct Device;
struct Board;

/// A need as one typed line states it.
struct StatedNeed {
    std::string kind;
    std::map<std::string, std::string, std::less<>> goals; ///< checked; spelt as the kind spells its choices
    std::optional<std::string> part; ///< id; an empty one is the firmware itself; none when the line does not say
    std::string title;               ///< empty: as the part
    std::string core;                ///< empty: the first
    std::string calledKind; ///< as the line calls the kind, where that names the need better than the kind does: "LED"
    std::vector<std::string> pads; ///< in the order of the line; for the need's signals in their order where they fit
};

/// Reads "uart 460.8k rts/cts for modem": a kind, by its name or what the trade calls it (PhraseSpec), first or
/// anywhere ("4 MHz clock output"), and in any order
///     a value      it goes to the first goal that can have it and has none yet, those that are rarely stated last
///     GOAL VALUE   by the goal's name, where the value alone would not say which: "dma both"; also "4 inputs", and
///                  "dma" alone where the goal is a switch
///     a phrase     of the kind: "active low"
///     for PART     by its title or id; "for firmware" for none
///     on CORE or PAD/PAD/...
///     called TITLE up to the next of these words; quotes take everything: called "Spare for now"
/// Upper and lower case are the same. A word that fits nothing is a problem that names it and the nearest that would.
Expected<StatedNeed> parseNeedLine(std::string_view line, const Device& device, const Board& board);

/// The words that could stand at the end of the line in place of the one that is being typed there: the line before
/// that word, and each. Complete words before it that cannot be read are passed over.
struct NextWords {
    std::string before;
    std::vector<std::string> words;
};
NextWords nextWords(std::string_view line, const Device& device, const Board& board);

/// What was understood, for people: "UART, baud 460.8k, flow control RTS/CTS, for Uplink modem".
std::string describe(const StatedNeed& stated, const Board& board);

/// The need that is added for it: a free id and title, the terminals of the part that are called as its signals, and
/// where the kind needs a certain instance (a crystal its oscillator) the first that no other need has.
Need newNeed(const StatedNeed& stated, const Plan& plan, const Device& device, const Board& board);

} // namespace bindrel
