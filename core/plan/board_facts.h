// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/board.h"
#include "core/device/device.h"
#include "core/plan/plan.h"

namespace bindrel {

/// The board as the plan knows it: its file, with the parts and nets that the plan adds or tells otherwise. The file's
/// own nets are those of the chip that it was routed for; on another device they do not count.
Board boardWithPlan(const Board& filed, const Device& device, const Plan& plan);

/// Whether a crystal or a clock from outside drives it.
bool takesCrystal(const ClockNode& clock);

/// No board yet: the chip alone, at 3.3 V or the nearest that it can take. Plans for it name no board.
Board bareBoard(const Device& device);

/// What is known of the terminal at the other end of a signal; null when nothing is.
/// The terminal of its part that a signal leads to: of its own name where nothing else is said.
const std::string& terminalOf(const Need& need, const std::string& signal);
const TerminalFact* terminalFact(const Board& board, const Need& need, std::string_view signal);

/// The same of the pad that carries the signal: also the resistor that is known at its net.
std::optional<TerminalFact> padFact(const Board& board, const Need& need, std::string_view signal, const Pad& pad);

/// The voltage of the supply that feeds a pad.
Voltage padSupply(const Device& device, const Board& board, const Plan& plan, const Pad& pad);

} // namespace bindrel
