// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"
#include "core/tables/columns.h"

#include <optional>
#include <string>

namespace bindrel {

/// Which signal a data sheet's name may mean.
struct SignalProposal {
    std::optional<TableSignal> signal; ///< empty: nothing fits
    std::string reason;
    double confidence = 0;
    std::vector<std::string> others; ///< "INSTANCE.SIGNAL" that it could mean as well
};

/// What a table's names are.
enum class NamesOf { Pads, Interrupts, Requests };

/// Proposes the signal (or the event, or the DMA request) of an instance that a name means: "UART1_TX", "TXD0",
/// "TIMER1_CH1N", "ADC1 input 7". `longName` is tried first where the table has a pair. An instance that no file of the
/// chip describes is taken from the name where that begins with what the trade calls a kind of block.
SignalProposal proposeSignal(const Device& device, const std::string& name, const std::string& longName, NamesOf of);

} // namespace bindrel
