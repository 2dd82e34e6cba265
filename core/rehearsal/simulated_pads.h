// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/simulated_registers.h"

namespace bindrel {

/// What a pad does to the board, as its port's registers make it.
struct PadLook {
    std::uint32_t function = 0; ///< code of the pad's own function field; 0 when it has none
    bool port = true;           ///< the port has the pad
    bool led = false;           ///< a signal that drives is led to it; with neither, nothing is connected
    bool output = false;
    bool high = false; ///< level that the port would drive
    bool openDrain = false;
    std::int64_t pull = 0; ///< meaning of the field: 0 none, 1 up, 2 down
    friend bool operator==(const PadLook&, const PadLook&) = default;

    bool pushesHigh() const { return port && output && high && !openDrain; }
    bool pullsLow() const { return port && output && !high; }
    /// "high", "low", "input", "peripheral", "unconnected": for people.
    const char* text() const
    {
        return led       ? "peripheral"
               : !port   ? "unconnected"
               : !output ? "input"
               : high    ? (openDrain ? "released" : "high")
                         : "low";
    }
};

/// Reads the pads' registers as the board would feel them.
class SimulatedPads {
public:
    explicit SimulatedPads(const SimulatedRegisters& registers);
    PadLook look(PadIndex pad) const;
    /// Pads whose look a register has a part in.
    const std::vector<PadIndex>& padsOf(InstanceIndex instance, RegisterIndex reg) const;

private:
    struct Fields {
        const Role *function = nullptr, *output = nullptr, *level = nullptr, *openDrain = nullptr, *pull = nullptr;
    };
    const SimulatedRegisters& registers_;
    std::vector<Fields> fields_;
    std::map<std::pair<InstanceIndex, RegisterIndex>, std::vector<PadIndex>> concerned_;
};

} // namespace bindrel
