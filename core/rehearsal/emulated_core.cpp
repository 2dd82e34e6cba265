// SPDX-License-Identifier: GPL-3.0-or-later
// Unicorn's core between flash, memory and the simulated chip's registers.
#include "core/rehearsal/emulated_core.h"

#include "core/base/say.h"

#include <unicorn/unicorn.h>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <utility>

namespace bindrel {

namespace {

constexpr std::uint32_t kPage = 4096;
/// The whole of a bring-up takes far fewer; a program that is still busy then does not come back.
constexpr std::uint64_t kMostInstructions = 40'000'000;
/// Reads beside the first that a pass of a waiting loop may have.
constexpr std::size_t kMostReadsOfAPass = 4;

std::uint32_t down(std::uint32_t address)
{
    return address & ~(kPage - 1);
}
std::uint64_t up(std::uint64_t address)
{
    return (address + kPage - 1) & ~std::uint64_t(kPage - 1);
}

class UnicornCore : public EmulatedCore {
public:
    UnicornCore(SimulatedChip& chip, CoreIndex core, ProgramImage program, Listener& listener)
        : chip_(chip), core_(core), facts_(chip.device().cores[core]), program_(std::move(program)),
          listener_(listener), arm_(facts_.architecture == Core::Architecture::ArmM)
    {
    }
    ~UnicornCore() override
    {
        if (uc_)
            uc_close(uc_);
    }

    /// Gives what is wrong; empty when all is well.
    std::string open()
    {
        if (uc_open(arm_ ? UC_ARCH_ARM : UC_ARCH_RISCV,
                    arm_ ? uc_mode(UC_MODE_THUMB | UC_MODE_MCLASS) : UC_MODE_RISCV32, &uc_) != UC_ERR_OK)
            return say("the emulator does not support this architecture");
        if (arm_)
            uc_ctl_set_cpu_model(uc_, model());
        map(facts_.flashBase, facts_.flashBytes);
        map(facts_.ramBase, facts_.ramBytes);
        // Non-volatile words may lie beside the flash; one that lies in it is there already.
        for (const StoredWord& word : chip_.device().stored) {
            map(word.address, word.bytes());
            if (word.inverseAt)
                map(*word.inverseAt, word.bytes());
        }
        for (const ProgramImage::Piece& piece : program_.pieces)
            if (uc_mem_write(uc_, piece.address, piece.bytes.data(), piece.bytes.size()) != UC_ERR_OK)
                return say("the program does not fit into the memory of the {}", facts_.name);
        if (arm_)
            map(0xE0000000, 0x100000); // the core's own registers: interrupts, system control
        std::set<std::uint32_t> pages;
        const Device& device = chip_.device();
        for (const Instance& instance : device.instances)
            for (const Register& reg : device.blocks[instance.block].registers)
                for (const auto& [offset, bytes] : reg.places())
                    pages.insert(down(instance.base + offset));
        for (const std::uint32_t page : pages) {
            windows_.push_back({this, page});
        }
        for (Window& window : windows_)
            uc_mmio_map(uc_, window.base, kPage, &readThunk, &window, &writeThunk, &window);
        uc_hook hook;
        uc_hook_add(uc_, &hook, UC_HOOK_CODE, reinterpret_cast<void*>(&codeThunk), this, 1, 0);
        uc_hook_add(uc_, &hook, UC_HOOK_MEM_INVALID, reinterpret_cast<void*>(&faultThunk), this, 1, 0);
        if (facts_.wordsOnly())
            uc_hook_add(uc_, &hook, UC_HOOK_MEM_READ | UC_HOOK_MEM_WRITE, reinterpret_cast<void*>(&systemThunk), this,
                        0xE0000000, 0xE00FFFFF);
        return {};
    }

    void loseRam(std::uint32_t from) override
    {
        const std::vector<std::uint8_t> rubbish(facts_.ramBytes - std::min(from, facts_.ramBytes), 0xA6);
        uc_mem_write(uc_, facts_.ramBase + from, rubbish.data(), rubbish.size());
    }

    Ended runUntilReturnOf(const std::string& function) override
    {
        const auto symbol = program_.symbols.find(function);
        if (symbol == program_.symbols.end()) {
            fault_ = say("the program has no {}", function);
            return Ended::Fault;
        }
        watched_ = symbol->second;
        returnTo_ = kNowhere;
        std::uint32_t start = facts_.flashBase;
        if (arm_) {
            std::uint32_t stack = 0, reset = 0;
            uc_mem_read(uc_, facts_.flashBase, &stack, 4);
            uc_mem_read(uc_, facts_.flashBase + 4, &reset, 4);
            uc_reg_write(uc_, UC_ARM_REG_SP, &stack);
            start = reset;
        }
        return run(start);
    }

    Ended call(const std::string& function) override
    {
        const auto symbol = program_.symbols.find(function);
        if (symbol == program_.symbols.end()) {
            fault_ = say("the program has no {}", function);
            return Ended::Fault;
        }
        const std::uint32_t link = returnTo_ | (arm_ ? 1u : 0u);
        uc_reg_write(uc_, arm_ ? int(UC_ARM_REG_LR) : int(UC_RISCV_REG_RA), &link);
        return run(symbol->second);
    }

    Ended resume() override { return run(reg(arm_ ? int(UC_ARM_REG_LR) : int(UC_RISCV_REG_RA)) & ~1u); }
    std::uint32_t result() const override { return reg(arm_ ? int(UC_ARM_REG_R0) : int(UC_RISCV_REG_A0)); }
    std::string faultText() const override { return fault_; }
    const ProgramImage& program() const override { return program_; }
    void waitsIn(const std::string& function) override
    {
        const auto symbol = program_.symbols.find(function);
        waitFunction_ = symbol == program_.symbols.end() ? kNowhere : symbol->second;
    }

    void countCallsOf(const std::set<std::string>& functions) override
    {
        calls_.clear();
        for (const std::string& function : functions)
            if (const auto symbol = program_.symbols.find(function); symbol != program_.symbols.end())
                calls_[symbol->second] = 0;
    }
    int callsOf(const std::string& function) const override
    {
        const auto symbol = program_.symbols.find(function);
        const auto counted = symbol == program_.symbols.end() ? calls_.end() : calls_.find(symbol->second);
        return counted == calls_.end() ? 0 : counted->second;
    }

    std::optional<Ended> callInterrupted(const std::string& function, std::uint64_t after,
                                         const std::function<void()>& arrives, const std::string& interrupt) override
    {
        breakAt_ = instructions_ + after + 1;
        const Ended first = call(function);
        breakAt_ = 0;
        if (!std::exchange(broken_, false))
            return first == Ended::Returned ? std::nullopt : std::optional(first);
        uc_context* context = nullptr;
        if (uc_context_alloc(uc_, &context) != UC_ERR_OK)
            return Ended::Fault;
        uc_context_save(uc_, context);
        const std::uint32_t at = pc_;
        arrives();
        const Ended handled = call(interrupt);
        uc_context_restore(uc_, context);
        uc_context_free(context);
        return handled == Ended::Returned ? run(at) : handled;
    }

private:
    static constexpr std::uint32_t kNowhere = 0xFFFFFFF0u;
    struct Window {
        UnicornCore* core;
        std::uint32_t base;
    };

    int model() const
    {
        for (const std::string& flag : facts_.compilerFlags)
            for (const auto& [text, id] : {std::pair("cortex-m0", int(UC_CPU_ARM_CORTEX_M0)),
                                           {"cortex-m3", int(UC_CPU_ARM_CORTEX_M3)},
                                           {"cortex-m4", int(UC_CPU_ARM_CORTEX_M4)},
                                           {"cortex-m7", int(UC_CPU_ARM_CORTEX_M7)},
                                           {"cortex-m33", int(UC_CPU_ARM_CORTEX_M33)}})
                if (flag == std::string("-mcpu=") + text ||
                    (flag == "-mcpu=cortex-m0plus" && id == UC_CPU_ARM_CORTEX_M0))
                    return id;
        return UC_CPU_ARM_CORTEX_M33;
    }

    void map(std::uint32_t base, std::uint32_t bytes)
    {
        uc_mem_map(uc_, down(base), size_t(up(std::uint64_t(base) + bytes) - down(base)), UC_PROT_ALL);
    }

    std::uint32_t reg(int id) const
    {
        std::uint32_t value = 0;
        uc_reg_read(uc_, id, &value);
        return value;
    }

    Ended run(std::uint32_t from)
    {
        waiting_ = stuck_ = returned_ = false;
        polls_ = {};
        const uc_err error = uc_emu_start(uc_, arm_ ? from | 1u : from, kNowhere, 0, 0);
        flush();
        endPoll();
        if (returned_)
            return Ended::Returned;
        if (waiting_)
            return Ended::Waiting;
        if (stuck_ || broken_)
            return Ended::Stuck;
        if (fault_.empty())
            fault_ = say("{} near 0x{:08X}", uc_strerror(error), pc_);
        return Ended::Fault;
    }

    void flush()
    {
        if (pending_ > 0)
            chip_.cycles(core_, std::exchange(pending_, 0));
    }

    void code(std::uint32_t address)
    {
        pc_ = address;
        ++pending_;
        if (++instructions_ > kMostInstructions) {
            stuck_ = true;
            uc_emu_stop(uc_);
            return;
        }
        if (asked_) {
            asked_ = false;
            considerPoll();
        }
        if (instructions_ == breakAt_ && address != returnTo_) {
            broken_ = true;
            --instructions_;
            --pending_;
            uc_emu_stop(uc_);
            return;
        }
        if (!calls_.empty())
            if (const auto counted = calls_.find(address); counted != calls_.end())
                ++counted->second;
        if (address == returnTo_) {
            returned_ = true;
            uc_emu_stop(uc_);
        } else if (address == watched_ && returnTo_ == kNowhere) {
            returnTo_ = reg(arm_ ? int(UC_ARM_REG_LR) : int(UC_RISCV_REG_RA)) & ~1u;
        } else if (address == waitFunction_) {
            waiting_ = true;
            uc_emu_stop(uc_);
        }
    }

    std::uint32_t read(std::uint32_t address, int bytes)
    {
        flush();
        chip_.setActiveCore(core_);
        const std::uint32_t value = chip_.read(address, bytes);
        if (polls_.pc != pc_ || polls_.address != address) {
            // A register of parts is asked by several reads a pass.
            if (polls_.pc != 0 && polls_.others.size() < kMostReadsOfAPass) {
                polls_.others.push_back({address, value, bytes});
                return value;
            }
            endPoll();
            polls_ = {};
            polls_.pc = pc_;
            polls_.address = address;
            polls_.from = chip_.now();
        }
        asked_ = true;
        polls_.value = value;
        return value;
    }

    void write(std::uint32_t address, std::uint32_t value, int bytes)
    {
        flush();
        polls_.writes.push_back({address, value, bytes});
        listener_.writes(pc_, address, value);
        chip_.setActiveCore(core_);
        chip_.write(address, value, bytes);
        listener_.wrote();
    }

    void endPoll()
    {
        if (polls_.passes > 1)
            listener_.waited(polls_.pc, polls_.address, polls_.from, std::max(polls_.last, polls_.from));
        polls_ = {};
    }

    // ---- loops that ask for a flag. When two passes in a row differ in nothing but a counter that goes down by one,
    // many are taken at once: up to the moment at which hardware changes something, and never to the counter's end.
    struct Access {
        std::uint32_t address, value;
        int bytes;
        friend bool operator==(const Access&, const Access&) = default;
    };
    struct Polls {
        std::uint32_t pc = 0, address = 0, value = 0, lastValue = 0;
        Moment from = 0, last = 0, length = 0;
        int passes = 0;
        std::vector<Access> writes, lastWrites;
        std::vector<Access> others, lastOthers; ///< further reads of a pass
        std::array<std::uint32_t, 32> lastRegs{};
    };

    std::array<std::uint32_t, 32> registers() const
    {
        std::array<std::uint32_t, 32> out{};
        static constexpr int kArm[] = {UC_ARM_REG_R0,  UC_ARM_REG_R1,  UC_ARM_REG_R2,  UC_ARM_REG_R3, UC_ARM_REG_R4,
                                       UC_ARM_REG_R5,  UC_ARM_REG_R6,  UC_ARM_REG_R7,  UC_ARM_REG_R8, UC_ARM_REG_R9,
                                       UC_ARM_REG_R10, UC_ARM_REG_R11, UC_ARM_REG_R12, UC_ARM_REG_SP, UC_ARM_REG_LR};
        for (int i = 0; i < (arm_ ? 15 : 32); ++i)
            out[size_t(i)] = reg(arm_ ? kArm[i] : int(UC_RISCV_REG_X0) + i);
        return out;
    }

    void considerPoll()
    {
        ++polls_.passes;
        const std::array<std::uint32_t, 32> regs = registers();
        const Moment now = chip_.now();
        const Moment length = now - polls_.last;
        int counter = -1, differing = 0;
        for (int i = 0; i < 32; ++i)
            if (regs[size_t(i)] != polls_.lastRegs[size_t(i)]) {
                ++differing;
                counter = regs[size_t(i)] + 1 == polls_.lastRegs[size_t(i)] ? i : -1;
            }
        const bool same = polls_.passes > 3 && differing == 1 && counter >= 0 && polls_.writes == polls_.lastWrites &&
                          polls_.others == polls_.lastOthers && polls_.value == polls_.lastValue &&
                          length == polls_.length && length > 0;
        std::int64_t skip = 0;
        if (same) {
            skip = std::int64_t(regs[size_t(counter)]) - 2;
            if (const std::optional<Moment> next = chip_.nextChange())
                skip = std::min<std::int64_t>(skip, (*next - now) / length - 1);
        }
        if (skip > 0) {
            // Writes of each pass (a watchdog that is fed) are repeated often enough to stand for all of them.
            chip_.setActiveCore(core_);
            for (std::int64_t left = skip; left > 0;) {
                const std::int64_t some =
                    polls_.writes.empty()
                        ? left
                        : std::min<std::int64_t>(left, std::max<std::int64_t>(1, kSecond / 1000 / length));
                chip_.pass(some * length);
                for (const Access& access : polls_.writes)
                    chip_.write(access.address, access.value, access.bytes);
                left -= some;
            }
            const std::uint32_t value = regs[size_t(counter)] - std::uint32_t(skip);
            static constexpr int kArm[] = {UC_ARM_REG_R0,  UC_ARM_REG_R1, UC_ARM_REG_R2,  UC_ARM_REG_R3,
                                           UC_ARM_REG_R4,  UC_ARM_REG_R5, UC_ARM_REG_R6,  UC_ARM_REG_R7,
                                           UC_ARM_REG_R8,  UC_ARM_REG_R9, UC_ARM_REG_R10, UC_ARM_REG_R11,
                                           UC_ARM_REG_R12, UC_ARM_REG_SP, UC_ARM_REG_LR};
            uc_reg_write(uc_, arm_ ? kArm[counter] : int(UC_RISCV_REG_X0) + counter, &value);
        }
        polls_.lastRegs = registers();
        polls_.lastWrites = std::move(polls_.writes);
        polls_.writes.clear();
        polls_.lastOthers = std::move(polls_.others);
        polls_.others.clear();
        polls_.lastValue = polls_.value;
        polls_.last = chip_.now();
        polls_.length = length;
    }

    static std::uint64_t readThunk(uc_engine*, std::uint64_t offset, unsigned size, void* data)
    {
        auto* window = static_cast<Window*>(data);
        return window->core->read(window->base + std::uint32_t(offset), int(size));
    }
    static void writeThunk(uc_engine*, std::uint64_t offset, unsigned size, std::uint64_t value, void* data)
    {
        auto* window = static_cast<Window*>(data);
        window->core->write(window->base + std::uint32_t(offset), std::uint32_t(value), int(size));
    }
    static void codeThunk(uc_engine*, std::uint64_t address, std::uint32_t, void* data)
    {
        static_cast<UnicornCore*>(data)->code(std::uint32_t(address));
    }
    /// Narrow accesses to the core's own registers do nothing good on a core that takes words only.
    static void systemThunk(uc_engine*, uc_mem_type, std::uint64_t address, int bytes, std::int64_t, void* data)
    {
        auto* core = static_cast<UnicornCore*>(data);
        if (bytes == 4 && address % 4 == 0)
            return;
        core->fault_ = say("0x{:08X} is accessed by {} bytes near 0x{:08X}; the {} allows only word access there",
                           address, bytes, core->pc_, core->facts_.name);
        uc_emu_stop(core->uc_);
    }
    static bool faultThunk(uc_engine*, uc_mem_type type, std::uint64_t address, int, std::int64_t, void* data)
    {
        auto* core = static_cast<UnicornCore*>(data);
        core->fault_ = say("{} 0x{:08X}, where the chip has nothing, at 0x{:08X} in {}",
                           type == UC_MEM_WRITE_UNMAPPED  ? say("writes to")
                           : type == UC_MEM_READ_UNMAPPED ? say("reads from")
                                                          : say("jumps to or breaks the rights of"),
                           std::uint32_t(address), core->pc_, core->program_.functionAt(core->pc_));
        return false;
    }

    SimulatedChip& chip_;
    int core_;
    const Core& facts_;
    ProgramImage program_;
    Listener& listener_;
    bool arm_;
    uc_engine* uc_ = nullptr;
    std::vector<Window> windows_;
    std::uint32_t pc_ = 0, watched_ = kNowhere, returnTo_ = kNowhere, waitFunction_ = kNowhere;
    std::int64_t pending_ = 0;
    std::uint64_t instructions_ = 0, breakAt_ = 0;
    bool broken_ = false; ///< stopped at breakAt_
    std::map<std::uint32_t, int> calls_;
    bool asked_ = false, returned_ = false, waiting_ = false, stuck_ = false;
    std::string fault_;
    Polls polls_;
};

} // namespace

Expected<std::unique_ptr<EmulatedCore>> EmulatedCore::make(SimulatedChip& chip, CoreIndex core, ProgramImage program,
                                                           Listener& listener)
{
    auto out = std::make_unique<UnicornCore>(chip, core, std::move(program), listener);
    if (const std::string wrong = out->open(); !wrong.empty())
        return problemOf(say("The program of the {} cannot be run: {}.", chip.device().cores[core].name, wrong));
    return std::unique_ptr<EmulatedCore>(std::move(out));
}

} // namespace bindrel
