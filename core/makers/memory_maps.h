// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <utility>
#include <vector>

namespace bindrel {

/// The memory maps of a component (IEEE 1685-2009, -2014 and -2022, clause "Memory maps") as a register description in
/// the System View format, each element on the line where it stands in the component, so that the places of messages
/// hold for both.
struct MemoryMaps {
    std::string text;                               ///< empty: the XML is no component, or not XML at all
    std::vector<std::pair<int, std::string>> notes; ///< line, and what of it is not read
};
MemoryMaps memoryMapsOf(const std::string& text);

} // namespace bindrel
