// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/device.h"

#include <map>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace bindrel {

/// What registers of a chip hold at a moment, as it was read from text.
struct RegisterDump {
    std::map<std::pair<InstanceIndex, RegisterIndex>, std::uint32_t> values;
    /// Lines that say nothing of a register of the chip, as sentences with their line.
    std::vector<std::string> notUnderstood;

    /// The code of a field, where its register is known.
    std::optional<std::uint32_t> codeOf(const Device& device, const FieldRef& ref) const;
};

/// Reads register values from a text of any of these forms, mixed as they come:
/// - `UART1.CTL = 0x21`, `UART1 CTL 33`, `UART1->CTL: 0b100001`, tables with these cells and a heading (a column
/// "value"
///   is then the one that counts);
/// - an address and a value, `0x4D007500 0x21`; or an address and what memory holds from there on, in words of 8, 4 or
///   2 hexadecimal digits, as debuggers print it: `0x4d007500 <name+4>: 0x00000021 0x00000000`;
/// - JSON: an object of names or addresses and values, or a list of objects with "name" or "address", and "value".
/// Fails when nothing in it is a register of the chip, and when it is larger than 16 MB.
Expected<RegisterDump> readRegisterDump(const Device& device, std::string_view text);

} // namespace bindrel
