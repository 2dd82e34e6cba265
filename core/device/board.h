// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/clock_node.h"
#include "core/device/part.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// A crystal or an external clock that the board feeds into an oscillator.
struct CrystalFact {
    Frequency rate;
    Tolerance tolerance;
    Capacitance load;      ///< of a crystal, as its data sheet asks for; zero when not given
    Capacitance stray;     ///< of pads and tracks across the crystal; zero when not given
    bool external = false; ///< no crystal, but a clock fed into the crystal's pad

    friend bool operator==(const CrystalFact&, const CrystalFact&) = default;
};

/// Level to which a resistor pulls a net; empty: none does.
using BoardPull = std::optional<TerminalFact::Level>;

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
    /// Pads whose nets a resistor on the board pulls, beside what is said of the terminals at their other end.
    std::map<std::string, TerminalFact::Level, std::less<>> pulls;

    const Part* part(std::string_view id) const
    {
        for (const Part& p : parts)
            if (p.id == id)
                return &p;
        return nullptr;
    }
};

} // namespace bindrel
