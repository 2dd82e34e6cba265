// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/findings/finding.h"
#include "core/source/safe_text.h"

#include <string>
#include <vector>

namespace bindrel {

/// What all files of one program share: the names that C code uses for its things.
struct Names {
    Word prefix;                        ///< "sluice"
    Word PREFIX;                        ///< "SLUICE"
    IndexVector<NeedIndex, Word> needs; ///< C name of each need, by index
    CoreIndex core = 0;                 ///< whose program is written, into Device::cores
    ProjectLayout layout;               ///< where its files lie, and how they are spelled

    Word macro(const Word& rest) const { return PREFIX + "_" + rest; }
    Word macro(WordLiteral rest) const { return PREFIX + "_" + rest; }
    Word name(const Word& rest) const { return prefix + "_" + rest; }
    Word name(WordLiteral rest) const { return prefix + "_" + rest; }
    Word need(NeedIndex index) const { return name(needs[index]); }
    Word NEED(NeedIndex index) const { return need(index).upper(); }

    /// A file of the program, as it is named in its folder: "sluice_board.h" of "board" and ".h".
    std::string fileName(const Word& stem, std::string_view ending) const;
    /// Where it lies below the output folder: "inc/sluice_board.h".
    std::string path(const Word& rest, std::string_view ending) const { return pathOf(name(rest), ending); }
    std::string path(NeedIndex index, std::string_view ending) const { return pathOf(need(index), ending); }
    /// The same of a whole stem, "main".
    std::string pathOf(const Word& stem, std::string_view ending) const;
    /// #include "sluice_board.h"
    Code include(const Word& rest) const { return includeOf(name(rest)); }
    /// The header that declares a need's functions.
    Code include(NeedIndex index) const
    {
        return layout.needFiles == ProjectLayout::NeedFiles::One ? include(WordLiteral("needs"))
                                                                 : includeOf(need(index));
    }

private:
    Code includeOf(const Word& stem) const;
};

/// Names of one core's program: legal C, and such that no two things of what is written are called alike. A need whose
/// name would meet that of the board's own things, of a register's, or of another need's functions gets a number.
Names namesFor(const Facts& facts, CoreIndex core);

/// A finding for each need whose name in C is not simply its id (rule SRC-01).
void nameFindings(const Facts& facts, std::vector<Finding>& out);

/// Endings of what is written for a need, in lower case, without those that carry a number or a signal's name:
/// bring_up, start, stop, and those that its kind names. A test holds them against all that is written. (Made in
/// core/kinds/all.cpp.)
const std::vector<std::string_view>& needSuffixes();

// Names that registers, clocks and their waits have in C.
Word instanceMacro(const Facts& facts, const Names& names, InstanceIndex instance); ///< "SLUICE_UART3"
Word fieldMacro(const Facts& facts, const Names& names, const FieldRef& ref);       ///< "SLUICE_UART_CTL_ON"
/// Names for the codes of a field that PREFIX_regs.h defines, by code, without the field's own name before them:
/// "IS_EVEN", and "CODE" for what a write must carry. Only where they are names of nothing else in the block.
std::vector<std::pair<std::uint32_t, Word>> codeNames(const Block& block, const Field& field);
Word timeoutName(const Facts& facts, const Names& names,
                 const FieldRef& waitedFor);                                ///< "SLUICE_TIMEOUT_CLK_STAT_HFXRDY"
Word rateMacro(const Facts& facts, const Names& names, ClockIndex clock);   ///< "SLUICE_PLLA_VCO_HZ"
Word factorMacro(const Facts& facts, const Names& names, ClockIndex clock); ///< "SLUICE_PLLA_VCO_FACTOR"
/// Whether a clock's divider or multiplier is named as a constant: it runs, and its code is the factor or one less.
bool hasFactorMacro(const Facts& facts, ClockIndex clock);
Word slowRateMacro(const Facts& facts, const Names& names, ClockIndex clock);                ///< "SLUICE_SLOW_CPU_HZ"
Word handlerName(const Names& names, const std::string& instance, const std::string& event); ///< "sluice_on_UART3_irq"

} // namespace bindrel
