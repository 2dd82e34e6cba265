// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/block.h"
#include "core/device/block_kind.h"

#include <string>
#include <vector>

namespace bindrel {

/// A field as a candidate for roles.
struct Candidate {
    RegisterIndex reg;
    FieldIndex field;
    std::vector<std::string> name;    ///< words of the field, without a number
    std::vector<std::string> regName; ///< words of its register
    std::vector<std::string> about;   ///< of the field's description
    std::string number;               ///< that its own name has, "" without one
    std::string regNumber;            ///< that its register's name has

    bool accessTold = false; ///< fields of the block are told apart by access

    const std::string& anyNumber() const { return number.empty() ? regNumber : number; }
};

/// How well a field fits a role, from 0 to 1: all words of the role's name must be said, by the field's name or its
/// description; what the field's name says beside that counts against it. `role`: the words of the role's name.
double fit(const RoleSpec& spec, const std::vector<std::string>& role, const Candidate& candidate, const Field& field,
           std::string& reason);

/// The encoding that a field's description tells ("minus one", "power of two"); empty where it tells none.
std::string encodingIn(const RoleSpec& spec, const Field& field);

/// Of a reason: in quotation marks, and not too long.
std::string inQuotes(const std::string& text);

} // namespace bindrel
