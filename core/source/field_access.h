// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/source/register_access.h"

#include <string>
#include <utility>
#include <vector>

namespace bindrel {

// How the C of a need's helpers reaches the field of a role, wherever it lies in its register and however wide that is.

/// What a field holds, shifted down; an expression that reads its register once.
Code readField(const Writer& w, const FieldRef& ref);
/// The same without parentheses about it, for where it stands alone.
Code bareField(const Writer& w, const FieldRef& ref);
/// The value of a role's field, shifted down.
/// REQUIRES: the block has the role.
Code readRole(const Writer& w, InstanceIndex instance, std::string_view role);
/// The value of a role, by its encoding; an expression that reads the register once.
/// REQUIRES: the encoding is one that C converts (RoleSpec::Encodings::InC).
Code readValue(const Writer& w, InstanceIndex instance, std::string_view role);
/// writeRole() of a value (an expression that may be evaluated several times), by the role's encoding.
/// REQUIRES: the value is one of valuesOf(), and the encoding one that C converts.
void writeValue(Writer& w, InstanceIndex instance, std::string_view role, const Code& value, int indent);
/// The least and the largest value that the role's field can hold.
std::pair<std::int64_t, std::int64_t> valuesOf(const Device& device, InstanceIndex instance, std::string_view role);
/// waitCall() of the field of a role, for at most so many microseconds (an expression).
Code waitForRole(const Writer& w, InstanceIndex instance, std::string_view role, const Code& value,
                 const Code& microseconds);
/// The statement that puts a value into the whole register of a role; `value` is narrowed() where it must be.
Code putRegisterOf(const Writer& w, InstanceIndex instance, std::string_view role, const Code& value);
/// Puts a value (an expression of uint32_t, no larger than the field) into a role's field. Other fields of the register
/// that keep what was written stay as they are; flags that a write would clear are left alone.
void writeRole(Writer& w, InstanceIndex instance, std::string_view role, const Code& value, int indent);
/// The same of 1 where a condition holds, else 0.
void writeRoleWhen(Writer& w, InstanceIndex instance, std::string_view role, const Code& condition, int indent);
/// The same of a code that is known.
void writeRoleCode(Writer& w, InstanceIndex instance, std::string_view role, std::uint32_t value, int indent);
/// Forgets flags, each in the way that its access says.
void clearFlags(Writer& w, InstanceIndex instance, const std::vector<std::string>& roles, int indent);
/// Forgets a flag that has been acted on, unless the hardware does so itself or reading has done it.
void forgetFlag(Writer& w, InstanceIndex instance, const std::string& role, int indent);
/// "return false" while a flag is not set; then forgets it. For functions that tell whether something has happened
/// since they were last asked.
void takeFlag(Writer& w, InstanceIndex instance, const std::string& role);
/// "now >= last ? now - last : now + 65536u - last": counts that went by on a counter that begins anew after `counts`
/// (2 to the power of 32 at most).
Code countsBetween(std::uint64_t counts);
/// The same of fields of one instance that are known.
void clearFields(Writer& w, InstanceIndex instance, const std::vector<FieldRef>& fields, int indent);
/// Masks of fields that a one clears, beside the given bits: a register that is read and written back must not carry
/// them. Empty: none.
std::vector<Code> clearedByOnes(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg,
                                std::uint32_t beside);

} // namespace bindrel
