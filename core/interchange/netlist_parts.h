// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/interchange/netlist.h"

namespace bindrel {

/// A net's name without the path of the sheet's root, blanks as underlines.
std::string plainNet(const std::string& name);

/// Pads of the chip by the net's name as the netlist writes it.
using PadsByNet = std::map<std::string, std::vector<std::string>>;

/// What the parts of a netlist say of the chip's pads: resistors that pull or stand in series, crystals, and the parts
/// that its signals lead to. `chip` is the chip's reference.
void readParts(const Netlist& netlist, const Device& device, const std::string& chip, const PadsByNet& padsOn,
               NetTable& out);

} // namespace bindrel
