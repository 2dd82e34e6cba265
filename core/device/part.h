// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/quantity/quantity.h"

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// What a part wants from whatever chip it is wired to. Kinds and goals are those of plans; they are checked when a
/// plan is made of them.
struct PartNeed {
    std::string id; ///< "enable"; empty for the part's main need
    std::string title;
    std::string kind;
    std::map<std::string, std::string, std::less<>> goals;
    std::map<std::string, std::string, std::less<>> terminals; ///< signal -> terminal
    friend bool operator==(const PartNeed&, const PartNeed&) = default;
};

/// What the board and the part's data sheet say of a terminal, as far as it matters to the pad at the other end.
struct TerminalFact {
    enum class Level { Low, High };
    std::optional<Level> pull; ///< to which a resistor on the board pulls it
    Voltage volts;             ///< highest that it drives or is pulled to; zero: the supply of the board
    Current current;           ///< that it takes from the pad, or gives into it; zero: a few microamperes
    std::optional<Level> off;  ///< level at which it does nothing; it must have it from reset on
    bool empty() const { return !pull && volts == Voltage() && current == Current() && !off; }
    friend bool operator==(const TerminalFact&, const TerminalFact&) = default;
};

/// An off-chip thing on the board.
struct Part {
    std::string id;    ///< "uplink-modem": of the part on its board, or of the library's part
    std::string title; ///< "Uplink modem"
    std::string about;
    std::vector<std::string> terminals;
    bool row =
        false; ///< whether they stand in a row in this order, as on a connector: wires to pads in another order cross
    std::map<std::string, TerminalFact, std::less<>> facts; ///< by terminal; most have none
    std::vector<PartNeed> needs;
    std::string reference; ///< designator in the schematic, "U4"; empty: not known

    friend bool operator==(const Part&, const Part&) = default;
};

/// A reusable part; docs/formats/part.md describes the file.
Expected<Part> loadPart(const std::filesystem::path& path);
Expected<Part> parsePart(std::string text, std::string file);

} // namespace bindrel
