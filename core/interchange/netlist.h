// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/interchange/net_table.h"

#include <map>
#include <string>
#include <vector>

namespace bindrel {

/// What a schematic says: parts with their values, and nets with the pins that they join.
struct Netlist {
    struct Part {
        std::string ref, value;
        std::string about; ///< what it is called in its library; empty when not told
    };
    struct Node {
        std::string ref, pin;
        std::string function; ///< what the pin is called: "SDA"; empty when not told
    };
    struct Net {
        std::string name;
        std::vector<Node> nodes;
        int line = 0;
    };
    std::vector<Part> parts;
    std::vector<Net> nets;
};

enum class NetlistFormat {
    None,        ///< a table of pins and nets, or something else
    Expressions, ///< lists in parentheses, as open-source schematic editors export them
    Ipc356,      ///< IPC-D-356A: records of fixed columns
};
NetlistFormat netlistFormatOf(std::string_view text);

/// Reads one of these. Fails with a line where it is cut short, nested more than 60 deep, or has no net.
Expected<Netlist> readNetlist(const std::string& text);

/// The reference of the chip: the part with the most pins in common with the package, at least half of the package's
/// pins; among equals the one whose value contains the chip's name. Fails where none or several could be.
Expected<std::string> chipIn(const Netlist& netlist, const Device& device);

/// References of the parts that have a pin with a number of the package, the likeliest to be the chip first: to choose
/// from where `chipIn` cannot tell.
std::vector<std::string> partsLikeTheChip(const Netlist& netlist, const Device& device);

/// The chip's nets, and in the notes what else the schematic tells: pulls, crystals with their rates. With `ref` for
/// the chip, where it cannot be recognised.
Expected<NetTable> netsOf(const Netlist& netlist, const Device& device, const std::string& ref = {});

/// Whether a file is one of nets: a netlist, or a table with a heading that has a net and a pin or pad.
bool speaksOfNets(const std::string& bytes);

/// A netlist, or a table of pins and nets, also as a workbook.
Expected<NetTable> readNets(const std::string& text, const Device& device, const std::string& ref = {});

/// The file that says how a table is read, kept beside it: "nets.csv.columns".
std::string columnsBeside(const std::string& table);

} // namespace bindrel
