// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/makers/register_xml.h"

#include <nlohmann/json.hpp>

#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace bindrel {

/// A register in its block, as flat as a device file has it.
struct FlatRegister {
    std::string name; ///< with {n} where it has copies
    std::uint64_t offset = 0;
    int count = 1, first = 0;
    std::uint64_t stride = 0;
    RegisterXml::Given given;
    std::string about, alternateOf;
    nlohmann::ordered_json fields;
    int line = 0;
    std::vector<std::pair<std::string, int>> fieldLines;
};

/// The fields of a register description: their bits, how they are accessed, their named values.
class RegisterFields : protected RegisterXml {
protected:
    using Json = nlohmann::ordered_json;
    using RegisterXml::RegisterXml;

    /// Fills in the fields of a register, or of the word of it that begins at `fromBit`.
    void readFields(const Chain& regChain, FlatRegister& reg, int fromBit, int bits);
    /// A sentence more; cut off where it becomes too long for a description.
    static void addWords(std::string& about, const std::string& words);
    /// What a <writeConstraint> allows, in words; empty without one.
    static std::string constraintText(const Node& node);

private:
    /// From the nearest of the chain that says anything of them: the lowest bit, and how many.
    std::optional<std::pair<int, int>> bitsOf(const Chain& chain, const Node& field);
    /// The word of a device file for how a field is accessed; what it cannot say goes into `about`.
    std::string accessWord(const Chain& own, const std::string& access, const Chain& reg, std::string& about);
    /// Name -> code. Bits that do not matter count as zero, and are told.
    Json valuesOf(const Chain& own, int width);
    static std::string valueName(const std::string& name);

    int fields_ = 0;
};

} // namespace bindrel
