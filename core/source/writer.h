// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/watchdogs.h"
#include "core/source/names.h"
#include "core/source/source.h"

#include <fmt/format.h>

#include <map>
#include <optional>

namespace bindrel {

/// Collects the lines of one file, each with the trace that is set at the time.
class Writer {
public:
    Writer(const Facts& facts, const Names& names, std::string fileName, std::string purpose,
           SourceFile::Owner owner = SourceFile::Owner::Generated);

    void line(const Code& text) { add(text.text()); }
    /// What the program says itself; text of a plan or a device is never a literal.
    template <std::size_t N> void line(const char (&text)[N]) { add(text); }
    void line() { add({}); }
    template <typename... Args> void linef(fmt::format_string<Args...> format, Args&&... args)
    {
        line(code(format, std::forward<Args>(args)...));
    }
    /// Refuses to compile where a planned number no longer fits; `message` is a string of C.
    void check(const Code& condition, const Code& message);
    /// A comment of one or more lines, wrapped at 88 columns.
    void comment(std::string_view text, int indent = 0);

    /// What caused the lines that follow, until the next call.
    void because(Place place, std::string why = {});
    void becauseNeed(NeedIndex need, std::string why = {});
    void noCause() { trace_ = -1; }

    /// The header of a need, where this file does not include it yet.
    void includeNeed(NeedIndex need);
    /// What only this file knows of a need: its bare name, or one with the need before it where several share a file.
    Word local(NeedIndex need, const Word& name) const;

    /// A region that the user may fill: its text is carried over by name at each write.
    void keep(const Word& name, int indent);

    /// The C statements of a step.
    void step(const Step& step, int indent);
    /// Several steps, each block of them headed by its reason, in the plan's style.
    void steps(const std::vector<const Step*>& list, int indent);

    /// The same, always a statement each.
    void statements(const std::vector<const Step*>& list, int indent);
    /// A line that does what a step does.
    void lineOf(const Step& step, const Code& text);

    SourceFile take() { return std::move(file_); }

    const Facts& facts;
    const Names& names;

private:
    void add(std::string text);
    void notice(const std::string& text); ///< the user's own, line by line

    SourceFile file_;
    int trace_ = -1;
    const Step* step_ = nullptr;
};

/// The first lines of every generated file, for comment() of its language: what it is, and its seal.
std::string headText(const Facts& facts, std::string_view purpose);

/// Macro of the register bits of one role of an instance; empty when the block has no such role.
Word roleMacro(const Facts& facts, const Names& names, InstanceIndex instance, std::string_view role);
/// What the register that holds a role reads: "SLUICE_UART3->CTL"; nothing when the block has no such role.
Code roleRegister(const Facts& facts, const Names& names, InstanceIndex instance, std::string_view role);

// The files, one function and one source file each.
SourceFile registersHeader(const Facts& facts, const Names& names);
SourceFile boardHeader(const Facts& facts, const Names& names);
SourceFile boardSource(const Facts& facts, const Names& names);
SourceFile clocksSource(const Facts& facts, const Names& names);
SourceFile pinsSource(const Facts& facts, const Names& names);
SourceFile interruptsSource(const Facts& facts, const Names& names);
std::vector<SourceFile> startFiles(const Facts& facts, const Names& names);
/// PREFIX_verify.h and .c: compares the chip's registers with the plan, on the target.
std::vector<SourceFile> verifyFiles(const Facts& facts, const Names& names);
/// PREFIX_project.md: pins, clocks, needs, interrupts, memory and how to build, for people.
SourceFile projectPage(const Facts& facts, const std::vector<Names>& programs);
/// CMakeLists.txt and toolchain files, a Makefile, and commands of the debugger, for the programs of all cores.
std::vector<SourceFile> buildFiles(const Facts& facts, const std::vector<Names>& programs);

/// What the writer of C asks of a kind: declarations and definitions beyond bring_up, start and stop. Null: the kind
/// has no C of its own yet.
struct SourceFacet {
    void (*declare)(Writer& header, NeedIndex need) = nullptr;
    void (*define)(Writer& source, NeedIndex need) = nullptr;
    /// Endings of the names that these make, in lower case, without numbers behind them.
    std::vector<std::string_view> suffixes;
    /// Roles whose values the header names as constants, with the ending of the name: the code writes the constant, so
    /// that it cannot be changed alone.
    std::vector<std::pair<std::string_view, std::string_view>> constants;
    bool stopIsSafe = false; ///< its stop takes outputs that it drives to their idle levels
    /// What the functions remember between calls: declares it, and puts it back when the need is started again.
    void (*declareState)(Writer& source, NeedIndex need) = nullptr;
    void (*resetState)(Writer& source, NeedIndex need) = nullptr;
    /// Endings of statuses that its functions return beside OK and TIMEOUT_TRANSFER, with what they mean.
    std::vector<std::pair<std::string_view, std::string_view>> statuses;
    /// Why a first main does not start it: "drives its outputs". Empty: it does.
    std::string_view startedLater = {};
};
/// (Made in core/kinds/all.cpp.)
const SourceFacet& sourceOf(std::string_view kind);
/// Whether a need gets files in a core's program: it is bound, the core owns it, and something is to be written for it.
bool hasFiles(const Facts& facts, const Names& names, NeedIndex need);
/// Whether these files are written: the plan does not leave them out.
bool isWritten(const Facts& facts, const Names& names, NeedIndex need);
/// Titles of the needs of a core's program that the plan leaves out, with the instance: "Uplink (UART3)".
std::vector<std::string> leftOutTitles(const Facts& facts, const Names& names);
/// The fields that one core's program waits for, each the next value of its status after OK.
std::vector<FieldRef> awaitedFields(const Facts& facts, const Names& names);
/// Whether a need's clock comes from a source that the bring-up waits for last, so that the need is brought up after
/// it.
bool waitsForSlowSource(const Facts& facts, NeedIndex need);
/// Whether a need has a function that starts it.
bool hasStart(const Facts& facts, NeedIndex need);
/// Whether the bring-up of a need waits for something, and so can fail.
bool needWaits(const Facts& facts, NeedIndex need);
/// The core that owns a need, into Device::cores.
CoreIndex coreOf(const Facts& facts, NeedIndex need);
/// Writes the functions that start one core's program, as its architecture wants it.
void writeArmStart(Writer& w);
void writeRiscVStart(Writer& w);
/// What both begin with: symbols of the linker script, the named functions, weak handlers. Gives the handler of each
/// number.
std::vector<Word> declareStart(Writer& w, const std::vector<Word>& functions);
/// The end of a reset function: data and zeroes in place, then main.
void writeMemorySetUp(Writer& w);
/// A header and a source for each, or one pair for all.
std::vector<SourceFile> needFiles(const Facts& facts, const Names& names, const std::vector<NeedIndex>& needs);

// Settings in non-volatile memory; nothing when the plan chooses none.
void declareStored(Writer& w);                                                  ///< PREFIX_board.h
std::optional<SourceFile> storedSource(const Facts& facts, const Names& names); ///< PREFIX_nonvolatile.c
void linkStored(Writer& w, bool regions);                                       ///< PREFIX.ld: regions, else sections

// The functions that enter low-power modes; nothing when the plan enters none.
void declareModes(Writer& w);  ///< PREFIX_board.h
void defineModes(Writer& w);   ///< PREFIX_clocks.c
void writeCoreWait(Writer& w); ///< PREFIX_core.c
/// Functions that keep the core from taking interrupts, and let it take them again; in every program. PREFIX_core.c
void writeInterruptHold(Writer& w);
/// Whether something is brought up after a slow source has come.
bool hasLateClocks(const Facts& facts);
/// Bytes of a core's RAM that keep their content in every mode that the program enters.
std::uint32_t retainedRam(const Facts& facts, const Core& core);
/// Titles of the needs with files that a fall back leaves out.
std::vector<std::string> leftTitles(const Facts& facts, const FallBack& fallBack);
/// What can be done after a failure, for the comment on its status.
std::string afterwards(const Facts& facts, const FallBack& fallBack);
/// The first lines of a function that changes clocks from where the plan has them: not after a fall back.
void refuseAfterFallBack(Writer& w);

} // namespace bindrel
