// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/kind.h"

namespace bindrel {

/// Data bits, parity, stop bits.
struct UartFrame {
    int data = 8;
    enum class Parity { None, Even, Odd } parity = Parity::None;
    int stop = 1;
    /// Bits up to and including the first stop bit.
    int toStop() const { return 1 + data + (parity == Parity::None ? 0 : 1) + 1; }
};

/// The goals of a need as values. REQUIRES: they were checked.
struct UartGoals {
    Frequency baud;
    UartFrame frame;
    enum class Line { TwoWires, OneWire, Rs485, Synchronous } line = Line::TwoWires;
    Duration lead,
        trail; ///< RS-485: the driver is on at least so long before the start bit and after the last stop bit
    bool handshake = false;
    bool sends = true, receives = true;
    Ppm peer; ///< how far the other end may be off

    static UartGoals of(const Need& need);
};

/// The divider counts in fractions of this many to one: 2 to the power of the block's "fraction_bits", at most 65536.
std::int64_t dividerUnit(const Device& device, InstanceIndex instance);

Setting solveUart(const TuningContext& context);
/// What the frame tolerates, less the divider's error and the other end's: that is left for this chip's clock.
Accuracy uartAccuracy(const TuningContext& context);
/// Bytes that wait for the program, and counts of what was wrong.
void declareUartState(Writer& source, NeedIndex need);
void resetUartState(Writer& source, NeedIndex need);
void declareUart(Writer& header, NeedIndex need);
void defineUart(Writer& source, NeedIndex need);

} // namespace bindrel
