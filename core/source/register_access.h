// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/source/writer.h"

#include <string>
#include <utility>

namespace bindrel {

// How the C reads, writes and waits for a register, whatever it takes: most are one access; one of several parts, or
// behind a key, has functions in PREFIX_regs.h that know the order.

/// "uint8_t", "uint16_t", "uint32_t": of the C variable that holds a register as it is read.
WordLiteral typeOf(int width);
WordLiteral typeOf(const Register& reg);
/// "(uint8_t)(x)" for what is put into a plain register of 8 or 16 bits; the expression itself for all others.
Code narrowed(const Register& reg, const Code& value);

/// What a register holds: "SLUICE_UART3->CTL", or "sluice_get_timer_COUNT(SLUICE_TIMER1)".
Code registerValue(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg);
/// What stands before and behind a value that is put into it: "SLUICE_UART3->CTL = " and ";", or
/// "sluice_put_timer_COUNT(SLUICE_TIMER1, " and ");".
std::pair<Code, Code> aroundPut(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg);
/// The whole statement.
/// REQUIRES: `value` is narrowed() where it must be.
Code registerPut(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg, const Code& value);
/// "sluice_wait(&SLUICE_CLK->STAT, SLUICE_CLOCK_STAT_RCOK, SLUICE_CLOCK_STAT_RCOK, passes)": true once the field has
/// the value, which is given in the place of its bits. A register of parts has a function of its own, which reads all
/// of them in their order.
Code waitCall(const Facts& facts, const Names& names, const FieldRef& ref, const Code& value, const Code& passes);
/// "sluice_wait", "sluice_wait8", "sluice_wait16".
Word waitName(const Names& names, int width);

/// The functions of the registers of a block (into Device::blocks) that are not reached by one access, for
/// PREFIX_regs.h.
void writeAccessors(Writer& w, const Block& block, int index);
/// Instances whose registers guard others of this block.
std::vector<int> guardsOf(const Block& block);

} // namespace bindrel
