// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/board_place.h"
#include "core/device/clock_node.h"
#include "core/device/part.h"
#include "core/device/wish.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// A crystal or an external clock that the board feeds into an oscillator.
struct CrystalFact {
    Frequency rate;
    std::optional<Tolerance> tolerance; ///< empty: nobody has said it; rates are then computed as if it were exact
    Capacitance load;                   ///< of a crystal, as its data sheet asks for; zero when not given
    Capacitance stray;                  ///< of pads and tracks across the crystal; zero when not given
    bool external = false;              ///< no crystal, but a clock fed into the crystal's pad

    friend bool operator==(const CrystalFact&, const CrystalFact&) = default;
};

/// A resistor in the way of a pad's signal.
struct SeriesResistor {
    Resistance value;   ///< zero: a link
    std::string beyond; ///< net at its other end; empty when not known

    friend bool operator==(const SeriesResistor&, const SeriesResistor&) = default;
};

/// Resistors on the board at a pad's net.
struct NetResistors {
    std::optional<TerminalFact::Level> pull; ///< to which one pulls the net
    std::optional<SeriesResistor> series;

    bool none() const { return !pull && !series; }
    friend bool operator==(const NetResistors&, const NetResistors&) = default;
};

/// What the schematic says; docs/formats/board.md describes the file.
struct Board {
    std::string name;   ///< "sluice-node-c", the name of its file
    std::string title;  ///< "Sluice node C"
    std::string device; ///< order code of the chip that it carries
    Voltage supply;
    std::optional<TemperatureRange> temperature;              ///< that the board is made for; empty: the chip's
    std::map<std::string, CrystalFact, std::less<>> crystals; ///< by the clock that it drives; absent: not fitted
    std::vector<Part> parts;
    std::map<std::string, std::string, std::less<>> nets; ///< pad or pin name -> net name
    /// By pad: resistors at its net, beside the pulls that are said of the terminals at the other end.
    std::map<std::string, NetResistors, std::less<>> resistors;
    std::optional<BoardOutline> outline;
    std::optional<BoardPlace> chipPlace;
    std::map<std::string, BoardPlace, std::less<>> places; ///< by part, as far as known
    Wishes wishes;                                         ///< of the person who lays it out; none is Dropped

    const Part* part(std::string_view id) const
    {
        for (const Part& p : parts)
            if (p.id == id)
                return &p;
        return nullptr;
    }
};

} // namespace bindrel
