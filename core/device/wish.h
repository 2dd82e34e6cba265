// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// What a person who lays out the board wishes of where signals lie. It is kept as the sentence that says it; searches
/// keep it where they can (or must: WishStrength), whatever it costs in wires.
struct Wish {
    enum class Kind {
        KeepFree,   ///< "keep PA3, PA4 free": no need uses these pads
        Side,       ///< "uplink on the left side"
        NotSide,    ///< "uplink not on the left side"
        Port,       ///< "uplink on port PB": on pads whose names begin so
        Order,      ///< "pump.ph1, pump.ph2, pump.ph3 in order": along the edge, whichever way round
        OneSide,    ///< "shunt-a, shunt-b on one side"
        OneUnit,    ///< "shunt-a, shunt-b on one unit": the same instance
        Away,       ///< "shunt-a 3 pins away from pump": that many pins or more between any two of them
        NextTo,     ///< "shunt-a next to VSSA": on a pin beside one of that name
        Neighbours, ///< "link.dp, link.dm on neighbouring pins": each beside the one before
        Sequence,   ///< "part lamp, part radio one after another": on no side does a later one begin before an earlier
                    ///< one ends, whichever way round
        Region,     ///< "uplink on pins 10 to 20": on these pins or between them; of balls in the rectangle
        Swap,       ///< "part tap.a, part tap.b may be swapped": a search may lead signals to the one or the other
    } kind = Kind::KeepFree;

    /// A signal of a need, or what leads to a terminal of a part; without it all of the need or the part.
    struct Subject {
        std::string id;     ///< of the need, or the part
        std::string signal; ///< or the terminal; empty: all
        bool isPart = false;
        friend bool operator==(const Subject&, const Subject&) = default;
    };
    std::vector<Subject> subjects; ///< none for KeepFree
    std::vector<Subject> from;     ///< of Away: those that the subjects stay away from
    std::vector<std::string> pads; ///< of KeepFree
    std::string where;             ///< of Port its name, of NextTo the pin's, of Region the first pin's number
    std::string until;             ///< of Region the last pin's number
    int side = 0;                  ///< of Side and NotSide: 0 left, 1 bottom, 2 right, 3 top, as in core/pins/sides.h
    int places = 0;                ///< of Away: pins between two, 1 to 64

    friend bool operator==(const Wish&, const Wish&) = default;
};

enum class WishStrength {
    Dropped, ///< of a plan: the board file's wish does not hold here
    Wish,    ///< kept where that is possible; a finding where it is not
    Rule,    ///< no search puts a signal where it breaks it, but rather finds nothing; what keeps its pad stays
};
/// "dropped", "wish", "rule".
const char* nameOf(WishStrength strength);
std::optional<WishStrength> wishStrengthOf(std::string_view name);

/// By sentence, as wishText() writes it.
using Wishes = std::map<std::string, WishStrength, std::less<>>;

/// Reads a sentence. Names of needs, signals, parts, pads and pins are taken as they are; the message says what would
/// be understood.
Expected<Wish> parseWish(std::string_view sentence);
/// The sentence; parseWish(wishText(w)) gives w.
std::string wishText(const Wish& wish);
/// Sentences of each kind, to choose from and for messages.
const std::vector<std::string>& wishExamples();

/// "left", "bottom", "right", "top".
const char* sideName(int side);

} // namespace bindrel
