// SPDX-License-Identifier: GPL-3.0-or-later
// Names in C that cannot meet. What is written has three owners: the board (functions, linker symbols), the chip
// (macros of registers and clocks), and the needs (their functions and macros, each the need's name and a suffix). A
// need's name is refused when one of its suffixes could make it a name of another owner's.
#include "core/source/names.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

/// What the board's own things are called, behind the prefix; also the linker's symbols and names of files.
constexpr std::string_view kBoardNames[] = {"board",
                                            "board_h",
                                            "needs",
                                            "needs_h",
                                            "table",
                                            "table_h",
                                            "table_run",
                                            "table_base",
                                            "row",
                                            "not_initialised",
                                            "dma_buffer",
                                            "ram_lost",
                                            "assert",
                                            "asserted",
                                            "regs",
                                            "regs_h",
                                            "verify",
                                            "verify_h",
                                            "clocks",
                                            "clocks_bring_up",
                                            "clocks_slow",
                                            "clocks_full",
                                            "clocks_fall_back",
                                            "failed_clock",
                                            "is_up",
                                            "pins",
                                            "pins_bring_up",
                                            "interrupts",
                                            "interrupts_hold",
                                            "interrupts_release",
                                            "interrupt_enable",
                                            "interrupt_disable",
                                            "from_bcd",
                                            "to_bcd",
                                            "interrupt_priority",
                                            "safe_state",
                                            "source_lost",
                                            "first",
                                            "start",
                                            "wait",
                                            "wait8",
                                            "wait16",
                                            "wait_passes_per_us",
                                            "passes",
                                            "feed",
                                            "feed_early",
                                            "slow_sources_bring_up",
                                            "bring_up",
                                            "status",
                                            "ok",
                                            "timeout_transfer",
                                            "core_wait",
                                            "toolchain",
                                            "vectors",
                                            "trap",
                                            "entry",
                                            "reset",
                                            "unhandled",
                                            "main",
                                            "orphans",
                                            "sources",
                                            "data_start",
                                            "data_end",
                                            "data_load",
                                            "bss_start",
                                            "bss_end",
                                            "stack_top",
                                            "stack_bottom",
                                            "stack_used",
                                            "stack_bytes",
                                            "heap_start",
                                            "heap_end",
                                            "handlers",
                                            "vectors_address",
                                            "init_start",
                                            "init_end"};
/// The same where more follows that depends on the chip.
constexpr std::string_view kBoardFamilies[] = {"on",  "enter", "release", "timeout", "main",
                                               "get", "put",   "await",   "clock_hz"};

/// Names that would be a special target of CMake, a library that is linked, or the user's file.
constexpr std::string_view kNoPrefix[] = {"main",       "all",           "help",    "install",
                                          "clean",      "test",          "package", "package_source",
                                          "edit_cache", "rebuild_cache", "depend",  "gcc"};

/// Whether `name` is `head` or goes on behind it with an underscore.
bool beginsWith(std::string_view name, std::string_view head)
{
    return name.starts_with(head) && (name.size() == head.size() || name[head.size()] == '_');
}

/// Hands out names of needs.
class Allotment {
public:
    Allotment(const Facts& facts, const std::vector<std::string>& otherCores) : cores_(otherCores)
    {
        for (const Block& block : facts.device.blocks)
            blocks_.emplace_back(identifierOf(block.name), &block);
        for (const Instance& instance : facts.device.instances)
            others_.push_back(identifierOf(instance.name));
        for (const ClockNode& clock : facts.device.clocks) {
            others_.push_back(identifierOf(clock.id) + "_hz");
            others_.push_back("slow_" + others_.back());
        }
        std::sort(others_.begin(), others_.end());
    }

    Word take(const std::string& id)
    {
        std::string name = identifierOf(id);
        // A number behind it may not be enough: "main_2" is still of a family of the board's names.
        if (isTaken(name) && isTaken(name + "_2"))
            name = "need_" + name;
        const std::string base = name;
        for (int n = 2; isTaken(name); ++n)
            name = fmt::format("{}_{}", base, n);
        taken_.push_back(name);
        return Word::of(name);
    }

private:
    bool isTaken(const std::string& name) const
    {
        // Files of another core's program carry its name; a need's must not look like them.
        for (const std::string& core : cores_)
            if (beginsWith(name, core))
                return true;
        for (const std::string_view own : kBoardNames)
            if (beginsWith(own, name))
                return true;
        for (const std::string_view family : kBoardFamilies)
            if (beginsWith(name, family))
                return true;
        if (isChips(name))
            return true;
        return std::any_of(taken_.begin(), taken_.end(), [&name](const std::string& other) {
            return name == other || meet(name, other) || meet(other, name);
        });
    }

    /// Whether a macro of the need could be one of the chip's: of a register's field, an instance, a clock.
    bool isChips(const std::string& name) const
    {
        const std::string head = name + "_";
        const auto meets = [&head](const std::string& own) {
            return own.starts_with(head) && isSuffix(std::string_view(own).substr(head.size()));
        };
        for (auto own = std::lower_bound(others_.begin(), others_.end(), head);
             own != others_.end() && own->starts_with(head); ++own)
            if (meets(*own))
                return true;
        for (const auto& [id, block] : blocks_) {
            // Most blocks are told apart by their names alone.
            if (!beginsWith(id, name) && !beginsWith(name, id))
                continue;
            for (const Register& reg : block->registers)
                for (const Field& field : reg.fields)
                    if (meets(id + "_" + lowered(reg.name) + "_" + lowered(field.name)))
                        return true;
        }
        return false;
    }

    /// Whether a need's own things may end so; those of its signals end with "_bit".
    static bool isSuffix(std::string_view rest)
    {
        while (!rest.empty() && rest.back() >= '0' && rest.back() <= '9')
            rest.remove_suffix(1);
        return rest.ends_with("_bit") ||
               std::find(needSuffixes().begin(), needSuffixes().end(), rest) != needSuffixes().end();
    }

    /// Whether a suffix of `shorter` is the rest of `longer` with one of its suffixes: "gate" + "clear_fault",
    /// "gate_clear" + "fault".
    static bool meet(std::string_view shorter, std::string_view longer)
    {
        if (longer.size() <= shorter.size() + 1 || !beginsWith(longer, shorter))
            return false;
        const std::string rest = std::string(longer.substr(shorter.size() + 1)) + "_";
        return std::any_of(needSuffixes().begin(), needSuffixes().end(),
                           [&rest](std::string_view suffix) { return suffix.starts_with(rest); });
    }

    std::vector<std::pair<std::string, const Block*>> blocks_;
    std::vector<std::string> others_; ///< of instances and clocks, sorted
    std::vector<std::string> cores_;
    std::vector<std::string> taken_;
};

} // namespace

std::string Names::fileName(const Word& stem, std::string_view ending) const
{
    std::string out = stem.text();
    if (layout.fileNames == ProjectLayout::FileNames::Hyphens)
        std::replace(out.begin(), out.end(), '_', '-');
    return out.append(ending);
}

std::string Names::pathOf(const Word& stem, std::string_view ending) const
{
    const std::string& folder = ending == ".h" ? layout.headers : ending == ".c" ? layout.sources : std::string();
    return folder.empty() ? fileName(stem, ending) : folder + "/" + fileName(stem, ending);
}

Code Names::includeOf(const Word& stem) const
{
    return Code::trusted("#include \"" + fileName(stem, ".h") + "\"");
}

Names namesFor(const Facts& f, CoreIndex core)
{
    Names names;
    names.layout = f.plan.project;
    names.core = core;
    names.prefix = Word::of(f.plan.prefix.empty() ? f.plan.name : f.plan.prefix);
    if (std::find(std::begin(kNoPrefix), std::end(kNoPrefix), names.prefix.text()) != std::end(kNoPrefix))
        names.prefix = names.prefix + "_c";
    if (core > 0)
        names.prefix = names.prefix + "_" + Word::of(f.device.cores[core].id);
    names.PREFIX = names.prefix.upper();
    std::vector<std::string> others;
    for (CoreIndex other = 1; other < int(f.device.cores.size()); ++other)
        others.push_back(identifierOf(f.device.cores[other].id));
    Allotment allotment(f, others);
    names.needs.reserve(f.plan.needs.size());
    for (const Need& need : f.plan.needs)
        names.needs.push_back(allotment.take(need.id));
    return names;
}

void nameFindings(const Facts& f, std::vector<Finding>& out)
{
    const Names names = namesFor(f, 0);
    for (const NeedIndex n : names.needs.indices()) {
        std::string plain = f.plan.needs[n].id;
        std::replace(plain.begin(), plain.end(), '-', '_');
        if (names.needs[n].text() == plain)
            continue;
        out.push_back(
            findingOf("SRC-01", Finding::Severity::Caution,
                      message("{} is called {} in the generated C, because {} would clash with another name "
                              "there. Change the need's id to choose another name.",
                              f.plan.needs[n].title, names.need(n).text(), names.name(Word::of(plain)).text()),
                      {Place::Kind::Need, f.plan.needs[n].id, {}}));
    }
}

Word instanceMacro(const Facts& facts, const Names& names, InstanceIndex instance)
{
    return names.macro(Word::of(facts.device.instances[instance].name).upper());
}

Word fieldMacro(const Facts& facts, const Names& names, const FieldRef& ref)
{
    const Block& block = facts.device.blockOf(ref.instance);
    return names.macro(Word::of(block.name).upper() + "_" + Word::spelled(facts.device.registerOf(ref).name) + "_" +
                       Word::spelled(facts.device.fieldOf(ref).name));
}

std::vector<std::pair<std::uint32_t, Word>> codeNames(const Block& block, const Field& field)
{
    std::vector<std::pair<std::uint32_t, Word>> out;
    if (field.width == 1)
        return out;
    for (const Register& reg : block.registers)
        for (const Field& other : reg.fields)
            for (const char* infix : {"IS_", "_CODE"})
                if (other.name.find(infix) != std::string::npos || reg.name.find(infix) != std::string::npos)
                    return out;
    if (field.access == Field::Access::Key)
        out.emplace_back(field.key, Word(WordLiteral("CODE")));
    std::set<Word> seen;
    for (const EnumValue& value : field.values) {
        Word name = WordLiteral("IS_") + Word::spelled(value.name).upper();
        if (!seen.insert(name).second)
            return {};
        out.emplace_back(value.code, std::move(name));
    }
    return out;
}

Word timeoutName(const Facts& facts, const Names& names, const FieldRef& waitedFor)
{
    return names.macro("TIMEOUT_" + Word::of(facts.device.nameOf(waitedFor)).upper());
}
Word rateMacro(const Facts& facts, const Names& names, ClockIndex clock)
{
    return names.macro(Word::of(facts.device.clocks[clock].id).upper() + "_HZ");
}
Word factorMacro(const Facts& facts, const Names& names, ClockIndex clock)
{
    return names.macro(Word::of(facts.device.clocks[clock].id).upper() + "_FACTOR");
}
bool hasFactorMacro(const Facts& facts, ClockIndex clock)
{
    const ClockNode& node = facts.device.clocks[clock];
    const ClockState& state = facts.rates.clocks[clock];
    const bool plain = node.encoding.kind == Encoding::Kind::AsIs || node.encoding.kind == Encoding::Kind::MinusOne;
    return plain && state.running && state.used && state.input >= 0 && state.setting > 0 && node.control.valid() &&
           !node.fraction.valid() && (node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply);
}
Word slowRateMacro(const Facts& facts, const Names& names, ClockIndex clock)
{
    return names.macro("SLOW_" + Word::of(facts.device.clocks[clock].id).upper() + "_HZ");
}
Word handlerName(const Names& names, const std::string& instance, const std::string& event)
{
    return names.name("on_" + Word::spelled(instance) + "_" + Word::spelled(event));
}

} // namespace bindrel
