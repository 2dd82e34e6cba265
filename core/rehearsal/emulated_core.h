// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/program_image.h"
#include "core/rehearsal/simulated_chip.h"

#include <functional>
#include <memory>
#include <optional>
#include <set>
#include <string>

namespace bindrel {

/// One core that executes machine code on the simulated chip.
/// Instructions take one cycle each: a real core is never faster, so no time-out is taken for longer than it is.
class EmulatedCore {
public:
    struct Listener {
        virtual ~Listener() = default;
        /// Before and after a write on the bus by an instruction at `pc`.
        virtual void writes(std::uint32_t pc, std::uint32_t address, std::uint32_t value) = 0;
        virtual void wrote() = 0;
        /// A loop that asks for a register, from its first pass to the last.
        virtual void waited(std::uint32_t pc, std::uint32_t address, Moment from, Moment to) = 0;
    };

    /// A problem: the architecture is not one that the emulator has, or the program does not fit into the core's
    /// memory.
    static Expected<std::unique_ptr<EmulatedCore>> make(SimulatedChip& chip, CoreIndex core, ProgramImage program,
                                                        Listener& listener);
    virtual ~EmulatedCore() = default;

    enum class Ended { Returned, Waiting, Stuck, Fault };
    /// From the reset vector until a function has been called and returned.
    virtual Ended runUntilReturnOf(const std::string& function) = 0;
    /// Calls a function and runs until it returns. Waiting: it has come to `waitFunction`.
    virtual Ended call(const std::string& function) = 0;
    /// Goes on after Waiting, as if that function had returned.
    virtual Ended resume() = 0;
    /// The core's RAM loses its content from so many bytes behind its beginning on.
    virtual void loseRam(std::uint32_t from) = 0;
    /// What the function returned.
    virtual std::uint32_t result() const = 0;
    virtual std::string faultText() const = 0;
    virtual const ProgramImage& program() const = 0;
    /// The function at which the core waits for an interrupt.
    virtual void waitsIn(const std::string& function) = 0;
    /// Counts from now on how often each of these functions is entered; those that the program lacks never are.
    virtual void countCallsOf(const std::set<std::string>& functions) = 0;
    virtual int callsOf(const std::string& function) const = 0;
    /// call(), with `interrupt` called as an interrupt would be before the instruction that follows the first `after`
    /// ones; empty when the function has returned before that. `arrives` is called just before.
    virtual std::optional<Ended> callInterrupted(const std::string& function, std::uint64_t after,
                                                 const std::function<void()>& arrives,
                                                 const std::string& interrupt) = 0;
};

} // namespace bindrel
