// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/emulated_core.h"
#include "core/source/interrupt_table.h"

#include <set>

namespace bindrel {

/// Interrupts that arrive once all runs: each handler of one core's program with its flags in every combination (of
/// many flags one at a time, and all at once), and between any two instructions of the functions that start and stop
/// the needs that it serves. Judged is what a person would look for: the right functions are called, each once; each
/// flag is cleared, nobody else's is; nothing that the program has set is lost.
class InterruptRun {
public:
    InterruptRun(const Facts& facts, CoreIndex core, SimulatedChip& chip, EmulatedCore& emulated,
                 const std::set<NeedIndex>& without);
    void run();

private:
    struct Flag {
        FieldRef ref;
        bool cleared = false; ///< software clears it: it must not be left
    };

    void arrive(const InterruptVector& vector);
    void judgeCombination(const InterruptVector& vector, const std::vector<Flag>& flags,
                          const std::vector<FieldRef>& others, const std::vector<bool>& set);
    void interrupt(const InterruptVector& vector, const std::vector<Flag>& flags, const std::string& function);
    bool returned(EmulatedCore::Ended how, const std::string& function);
    std::string functionOf(const InterruptClient& client) const;
    std::string toggleOf(NeedIndex need) const;
    void report(const InterruptClient& client, std::string text);

    const Facts& f_;
    const Names names_;
    SimulatedChip& chip_;
    EmulatedCore& core_;
    const std::set<NeedIndex>& without_;
    std::vector<InterruptVector> vectors_;
};

} // namespace bindrel
