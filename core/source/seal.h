// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

/// The line in the head of each generated file, in JSON a string, by which Bindrel knows, also in a copy of the folder
/// without its memory, whether a person has edited the file: a digest of all that stands outside keep regions, and the
/// plan that it came from.
namespace bindrel {

struct Seal {
    std::string digest; ///< 16 hexadecimal digits
    std::string plan;   ///< as in the comment, so without anything that C forbids there
};

/// "Bindrel seal 0123456789abcdef of sluice-node-c"; a placeholder digest when none is given.
std::string sealLine(std::string_view plan, std::string_view digest = "0000000000000000");

/// What the text's seal says; nothing when it has none.
std::optional<Seal> sealOf(std::string_view text);

/// The text with its seal set to what it holds. Text without a seal's line is given back as it is.
std::string sealed(std::string text);

/// Whether the text is, outside its keep regions, as it was generated.
/// REQUIRES: keepRegions(text) succeeds; line ends are LF
bool isUntouched(std::string_view text);

} // namespace bindrel
