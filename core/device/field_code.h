// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/device.h"

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// The names of a field's values, as a text without blanks has them: a blank is written as an underscore.
std::vector<std::string> valueNames(const Field& field);

/// A code of a field as people write it: "2", "0x1F", "0b101", or the name of one of its values, with blanks or
/// underscores. Fails, saying what would be right, when it is none or does not fit.
Expected<std::uint32_t> fieldCode(const Device& device, const FieldRef& ref, std::string_view text);

/// The same for a whole register: a number that its width holds.
Expected<std::uint32_t> wordValue(const Register& reg, std::string_view text);

/// The canonical text of a code: the name of the value where it has one, else the number; from ten on, in a field of
/// five bits or more, in hexadecimal.
std::string fieldCodeText(const Field& field, std::uint32_t code);

/// Why a value cannot be put into a field by hand, as in "is read-only"; empty when it can: the field keeps what is
/// written and is configuration, neither data nor a command.
std::string whyNotByHand(const Device& device, const FieldRef& ref);

} // namespace bindrel
