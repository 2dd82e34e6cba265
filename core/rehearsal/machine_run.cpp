// SPDX-License-Identifier: GPL-3.0-or-later
// The written C as machine code: from each core's reset vector through its bring-up, then start functions and what the
// scenario wants.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/compiler_consent.h"
#include "core/device/device_memory.h"
#include "core/plan/memory_size.h"
#include "core/plan/stored_settings.h"
#include "core/rehearsal/bus_access.h"
#include "core/rehearsal/compile.h"
#include "core/rehearsal/demand.h"
#include "core/rehearsal/emulated_core.h"
#include "core/rehearsal/interrupt_run.h"
#include "core/rehearsal/recorder.h"
#include "core/source/clock_rates.h"
#include "core/source/names.h"
#include "core/source/writer.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

constexpr int kTooManyTimes = 20;

class MachineRun : EmulatedCore::Listener {
public:
    MachineRun(const Facts& facts, const Scenario& scenario, Rehearsal& out)
        : f_(facts), device_(facts.device), out_(out), scenario_(scenario),
          chip_(device_, facts.board, facts.rates.supply, scenario.dead), recorder_(chip_, out)
    {
        chip_.demand(demandOf(facts));
        for (const FieldCode& word : runningWatchdogs(device_)) {
            const Step feed = writeStep(device_, {{word.ref, word.code, "feed"}}, {});
            feeds_.push_back(accessesOf(device_, feed.instance, feed.reg, feed.value));
        }
    }

    Outcome run(const std::filesystem::path& folder)
    {
        if (Outcome ran = fromReset(folder); !ran)
            return ran;
        if (up_ && !fallBack_ && scenario_.kind == Scenario::Kind::Reset) {
            chip_.pass(kSecond / 1000);
            chip_.warmReset();
            cores_.clear();
            left_.clear();
            if (Outcome ran = fromReset(folder); !ran)
                return ran;
        }
        out_.end = chip_.now();
        return {};
    }

private:
    Outcome fromReset(const std::filesystem::path& folder)
    {
        for (size_t core = 0; core < device_.cores.size(); ++core) {
            const Names names = namesFor(f_, core);
            Expected<ProgramImage> program = readProgram(folder / (names.prefix.text() + ".elf"));
            if (!program)
                return program.problem();
            if (core == 0)
                judgeStored(*program);
            if (core > 0 && fallBack_ && fallBack_->coresHeld.contains(int(core))) {
                cores_.push_back(nullptr);
                continue;
            }
            if (core > 0 && !(up_ && release(core)))
                break;
            Expected<std::unique_ptr<EmulatedCore>> made =
                EmulatedCore::make(chip_, int(core), std::move(*program), *this);
            if (!made)
                return made.problem();
            cores_.push_back(std::move(*made));
            under_ = int(core);
            cores_.back()->waitsIn(names.prefix.text() + "_core_wait");
            const bool returned = ended(cores_.back()->runUntilReturnOf(names.prefix.text() + "_bring_up"),
                                        names.prefix.text() + "_bring_up");
            if (core == 0) {
                if (out_.untilUp == 0)
                    out_.untilUp = chip_.now();
                lateFailed_ = returned && cores_[0]->result() != 0;
                const std::uint32_t status = cores_[0]->result();
                if (lateFailed_)
                    out_.gaveUp = say("{}_bring_up returned {}", names.prefix.text(), status);
                fallBack_ = lateFailed_ ? fallBackAfter(f_, awaitedAs(status)) : nullptr;
                if (lateFailed_ && !fallBack_)
                    judgeTimeout();
                // A fall back that fails itself ends the bring-up, with the status of the first clock.
                if (fallBack_ && !isUp())
                    fallBack_ = nullptr;
                up_ = returned && (!lateFailed_ || fallBack_ || isLateOnly());
                if (up_ && lateFailed_ && !fallBack_)
                    out_.wentOn = say("is up, except for what uses a slow source");
            }
        }
        if (up_ && cores_.size() == device_.cores.size()) {
            leaveOut();
            startAll();
            recorder_.rest();
            judgeOutcome(chip_, f_, fallBack_ ? fallBack_->rates : f_.rates, left_, scenario_.dead);
            if (fallBack_)
                out_.wentOn = wentOnText(f_, *fallBack_);
            else
                goOn();
            if (scenario_ == Scenario()) {
                verify();
                judgeRates();
                judgeStack();
                interruptsArrive();
            }
        }
        return {};
    }

    /// What the program says of its own registers, now that all needs are started.
    void verify()
    {
        const size_t operations = out_.operations.size();
        for (size_t core = 0; core < cores_.size(); ++core) {
            const std::string function = namesFor(f_, core).prefix.text() + "_verify";
            if (!cores_[core] || !cores_[core]->program().symbols.contains(function) || !left_.empty())
                continue;
            under_ = int(core);
            if (ended(cores_[core]->call(function), function) && cores_[core]->result() != 0)
                chip_.report(Hazard::Kind::Program, say("{} says that {} does not hold what was planned.", function,
                                                        cores_[core]->program().textAt(cores_[core]->result())));
        }
        under_ = 0;
        out_.operations.resize(operations);
    }

    /// What the program says of each clock's rate, against what the clocks of this chip do.
    void judgeRates()
    {
        const size_t operations = out_.operations.size();
        const std::vector<Word> functions = clockRateFunctions(f_, namesFor(f_, 0));
        for (ClockIndex i = 0; i < int(functions.size()); ++i) {
            const std::string& function = functions[i].text();
            if (!cores_[0]->program().symbols.contains(function) || !ended(cores_[0]->call(function), function))
                continue;
            const Rational rate = chip_.clocks().clock(int(i)).rate;
            const std::int64_t hertz = rate.floor();
            if (std::int64_t(cores_[0]->result()) != std::min<std::int64_t>(hertz, UINT32_MAX))
                chip_.report(Hazard::Kind::Program, say("{} says {} Hz; {} runs at {} Hz.", function,
                                                        cores_[0]->result(), device_.clocks[i].name, hertz));
        }
        out_.operations.resize(operations);
    }

    /// What the program says of its stack, where it was kept: start-up code and linker script must agree on it.
    void judgeStack()
    {
        const Expected<std::uint32_t> kept = parseMemorySize(f_.plan.stack);
        const size_t operations = out_.operations.size();
        for (size_t core = 0; core < cores_.size() && kept; ++core) {
            const std::string function = namesFor(f_, core).prefix.text() + "_stack_used";
            if (!cores_[core] || !cores_[core]->program().symbols.contains(function))
                continue;
            under_ = int(core);
            if (!ended(cores_[core]->call(function), function))
                continue;
            if (const std::uint32_t used = cores_[core]->result(); used == 0 || used >= *kept)
                chip_.report(Hazard::Kind::Program,
                             say("{} says that {} of {} bytes of stack have been in use; keep more for it.", function,
                                 used, *kept));
        }
        under_ = 0;
        out_.operations.resize(operations);
    }

    /// Every handler, with its flags as they can come; what it writes and shows is no part of the plan's operations.
    void interruptsArrive()
    {
        const size_t writes = out_.writes.size(), operations = out_.operations.size(),
                     sightings = out_.sightings.size();
        recorder_.rest();
        for (size_t core = 0; core < cores_.size(); ++core)
            if (cores_[core]) {
                under_ = int(core);
                InterruptRun(f_, CoreIndex(int(core)), chip_, *cores_[core], left_).run();
            }
        under_ = 0;
        out_.writes.resize(writes);
        out_.operations.resize(operations);
        out_.sightings.resize(sightings);
        for (Hazard& hazard : out_.hazards)
            if (hazard.operation >= int(operations))
                hazard.operation = -1;
    }

    /// The chip has come out of reset as its non-volatile memory says: the program must bring along what that is.
    void judgeStored(const ProgramImage& program)
    {
        for (const StoredPlace& place : storedPlaces(device_, f_.plan)) {
            std::uint32_t value = 0, found = 0;
            for (const ProgramImage::Piece& piece : program.pieces)
                for (std::uint32_t i = 0; i < place.word->bytes(); ++i)
                    if (const std::uint64_t at = std::uint64_t(place.address) + i;
                        at >= piece.address && at - piece.address < piece.bytes.size()) {
                        value |= std::uint32_t(piece.bytes[size_t(at - piece.address)]) << (8 * i);
                        ++found;
                    }
            if (found != place.word->bytes() || value != place.value)
                chip_.report(Hazard::Kind::Program,
                             say("{} in non-volatile memory, at 0x{:08X}, is {}; planned: 0x{:X}.", place.word->name,
                                 place.address,
                                 found == place.word->bytes() ? fmt::format("0x{:X}", value)
                                                              : std::string(say("not in the program")),
                                 place.value));
        }
    }

    std::string prefix() const { return namesFor(f_, 0).prefix.text(); }

    /// Whether what failed is a slow source only, so that the rest of the board is up.
    bool isLateOnly() const
    {
        return std::all_of(scenario_.dead.begin(), scenario_.dead.end(), [this](ClockIndex clock) {
            return std::find(f_.image.lateSources.begin(), f_.image.lateSources.end(), clock) !=
                   f_.image.lateSources.end();
        });
    }

    /// The field that a status tells the time-out of.
    FieldRef awaitedAs(std::uint32_t status) const
    {
        const std::vector<FieldRef> fields = awaitedFields(f_, namesFor(f_, 0));
        return status >= 1 && status <= fields.size() ? fields[status - 1] : FieldRef();
    }

    bool isUp()
    {
        const std::string function = prefix() + "_is_up";
        return ended(cores_[0]->call(function), function) && cores_[0]->result() != 0;
    }

    void leaveOut()
    {
        if (fallBack_) {
            left_ = fallBack_->left;
            return;
        }
        for (size_t n = 0; lateFailed_ && n < f_.plan.needs.size(); ++n)
            if (coreOf(f_, n) == 0 && waitsForSlowSource(f_, n))
                left_.insert(int(n));
    }

    bool release(CoreIndex core)
    {
        chip_.coreRuns(int(core));
        if (!device_.cores[core].release.valid())
            return true;
        under_ = 0;
        const std::string function = prefix() + "_release_" + Word::of(device_.cores[core].id).text();
        return ended(cores_[0]->call(function), function);
    }

    void startAll()
    {
        chip_.demand().levelsFree = true;
        callAll("_start");
    }

    void callAll(const char* ending)
    {
        for (size_t core = 0; core < cores_.size(); ++core) {
            under_ = int(core);
            const Names names = namesFor(f_, core);
            for (const NeedIndex n : f_.image.order) {
                const std::string function = names.need(n).text() + ending;
                if (cores_[core] && hasFiles(f_, names, n) && !left_.contains(int(n)) &&
                    cores_[core]->program().symbols.contains(function))
                    ended(cores_[core]->call(function), function);
            }
        }
        under_ = 0;
    }

    /// What comes after the bring-up, all of it the first core's.
    void goOn()
    {
        if (scenario_.kind == Scenario::Kind::Slow && f_.image.slowRates) {
            switching(steadyClocks(f_, f_.rates, *f_.image.slowRates));
            if (!succeeds(prefix() + "_clocks_slow"))
                return;
            settled(true);
            switching(chip_.demand().steady);
            if (succeeds(prefix() + "_clocks_full"))
                settled(false);
        } else if (scenario_.kind == Scenario::Kind::Mode) {
            const ModeSteps& steps = f_.image.modes[size_t(scenario_.mode)];
            const LowPowerMode& mode = device_.modes[size_t(steps.mode)];
            switching({});
            if (steps.slow && !succeeds(prefix() + "_clocks_slow"))
                return;
            const std::string function =
                namesFor(f_, 0).name("enter_" + Word::of(mode.id)).text() + (steps.slow ? "_slow" : "");
            EmulatedCore::Ended how = cores_[0]->call(function);
            if (how == EmulatedCore::Ended::Waiting) {
                if (mode.retains)
                    cores_[0]->loseRam(*mode.retains);
                chip_.sleepAndWake(mode, kSecond / 1000);
                how = cores_[0]->resume();
            } else {
                chip_.report(Hazard::Kind::Program, say("{} never waits.", function), {Place::Kind::Mode, mode.id, {}});
            }
            if (!ended(how, function) || !status(function))
                return;
            // The program's own part: the function leaves them stopped.
            for (const NeedIndex need : steps.again)
                if (const std::string start = namesFor(f_, 0).need(size_t(need)).text() + "_start";
                    !left_.contains(need) && cores_[0]->program().symbols.contains(start))
                    ended(cores_[0]->call(start), start);
            settled(steps.slow);
        } else if (scenario_.kind == Scenario::Kind::Restart) {
            callAll("_stop");
            chip_.pass(kSecond / 1000);
            startAll();
            settled(false);
        }
    }

    void switching(std::map<ClockIndex, Rational> steady) { chip_.demand().steady = std::move(steady); }

    void settled(bool slow)
    {
        recorder_.rest();
        judgeOutcome(chip_, f_, slow ? *f_.image.slowRates : f_.rates, left_, scenario_.dead);
    }

    bool succeeds(const std::string& function)
    {
        return ended(cores_[0]->call(function), function) && status(function);
    }

    bool status(const std::string& function)
    {
        if (cores_[0]->result() == 0)
            return true;
        out_.gaveUp = say("{} returned {}", function, cores_[0]->result());
        return false;
    }

    bool ended(EmulatedCore::Ended how, const std::string& function)
    {
        switch (how) {
        case EmulatedCore::Ended::Returned:
            return true;
        case EmulatedCore::Ended::Waiting:
            chip_.report(Hazard::Kind::Program, say("{} waits for an interrupt that was not planned.", function));
            return false;
        case EmulatedCore::Ended::Stuck:
            chip_.report(Hazard::Kind::Never, say("{} does not return.", function));
            return false;
        case EmulatedCore::Ended::Fault:
            chip_.report(Hazard::Kind::Program, say("{}: the core {}.", function, cores_.back()->faultText()));
            return false;
        }
        return false;
    }

    void writes(std::uint32_t pc, std::uint32_t address, std::uint32_t value) override
    {
        judgeGivenUp();
        out_.writes.push_back({under_, address, value});
        if (takeFeed())
            return;
        Operation operation;
        operation.core = under_;
        operation.text = fmt::format("0x{:08X} = 0x{:X}", address, value);
        if (const int cell = chip_.registers().find(address).cell; cell >= 0) {
            const auto face = chip_.registers().faceOf(cell, value);
            operation.text = fmt::format("{}.{} = 0x{:X}", device_.instances[face.first].name,
                                         chip_.registers().shape(face).name, value);
            operation.place = {Place::Kind::Register,
                               device_.instances[face.first].name + "." + chip_.registers().shape(face).name,
                               {}};
        }
        operation.why = say("in ") + cores_[under_]->program().functionAt(pc);
        recorder_.begin(std::move(operation));
        writing_ = true;
    }
    /// Feeding happens in every pass of a wait, and is no part of the plan's operations: what was written for it is
    /// taken off again.
    bool takeFeed()
    {
        for (const std::vector<BusAccess>& feed : feeds_) {
            const auto same = [](const BusAccess& planned, const BusWrite& made) {
                return planned.address == made.address && planned.value == made.value;
            };
            if (out_.writes.size() < feed.size() || !std::equal(feed.rbegin(), feed.rend(), out_.writes.rbegin(), same))
                continue;
            out_.writes.resize(out_.writes.size() - feed.size());
            return true;
        }
        return false;
    }

    void wrote() override
    {
        if (std::exchange(writing_, false))
            recorder_.end();
    }

    void waited(std::uint32_t pc, std::uint32_t address, Moment from, Moment to) override
    {
        judgeGivenUp();
        Operation operation;
        operation.core = under_;
        operation.waits = true;
        const int cell = chip_.registers().find(address).cell;
        std::string name = fmt::format("0x{:08X}", address);
        if (cell >= 0) {
            const auto face = chip_.registers().faceOf(cell);
            name = device_.instances[face.first].name + "." + chip_.registers().shape(face).name;
            operation.place = {Place::Kind::Register, name, {}};
            lastWait_ = {face, to - from, name};
        }
        operation.text = name;
        operation.why = say("in ") + cores_[under_]->program().functionAt(pc);
        recorder_.begin(std::move(operation));
        recorder_.end();
        out_.operations.back().from = from;
    }

    /// A dead clock that the program has switched off again was waited for just before.
    void judgeGivenUp()
    {
        for (const int dead : scenario_.dead) {
            const bool on = chip_.clocks().clock(dead).on;
            if (!on && asked_.contains(dead))
                judgeTimeout();
            if (on)
                asked_.insert(dead);
            else
                asked_.erase(dead);
        }
    }

    /// The wait that ended the bring-up, or made it go on without, shows how long the program really waits for what
    /// never comes.
    void judgeTimeout()
    {
        const auto& [face, waited, name] = lastWait_;
        for (const ClockIndex dead : scenario_.dead) {
            const FieldRef& ready = device_.clocks[dead].ready.ref;
            if (!ready.valid() || ready.instance != face.first || ready.reg != face.second)
                continue;
            const Moment longest = chip_.timeOf(ready).value_or(0);
            const Place place{Place::Kind::Clock, device_.clocks[dead].id, {}};
            if (waited < longest)
                chip_.report(Hazard::Kind::TimeoutShort,
                             say("The machine code polls {} for only {}; {} may take {}.", name, momentText(waited),
                                 device_.clocks[dead].name, momentText(longest)),
                             place);
            else if (waited > longest * kTooManyTimes && waited > kSecond / 50)
                chip_.report(Hazard::Kind::TimeoutLong,
                             say("The machine code polls {} for {}; {} takes at most {}.", name, momentText(waited),
                                 device_.clocks[dead].name, momentText(longest)),
                             place);
        }
    }

    const Facts& f_;
    const Device& device_;
    Rehearsal& out_;
    const Scenario& scenario_;
    SimulatedChip chip_;
    Recorder recorder_;
    std::vector<std::vector<BusAccess>> feeds_;
    std::vector<std::unique_ptr<EmulatedCore>> cores_;
    int under_ = 0;
    bool up_ = false, lateFailed_ = false, writing_ = false;
    std::set<NeedIndex> left_;
    std::set<ClockIndex> asked_;         ///< dead clocks that are switched on
    const FallBack* fallBack_ = nullptr; ///< that the program has gone to
    struct {
        std::pair<InstanceIndex, RegisterIndex> face{-1, -1}; ///< instance and register that was asked
        Moment waited = 0;
        std::string name;
    } lastWait_;
};

} // namespace

Expected<Rehearsal> rehearseMachineCode(const Facts& facts, const Source& source, const Scenario& scenario,
                                        const std::filesystem::path& folder, const std::function<bool()>& stopped)
{
    Rehearsal out;
    out.title = titleOf(facts, scenario) + say(", machine code");
    if (!facts.device.canBeWritten())
        return problemOf(say("{} is not described far enough to write C for it.", facts.device.name));
    if (std::error_code error; !std::filesystem::exists(folder / (source.prefix + ".elf"), error)) {
        if (const std::vector<std::string> unusual = unusualCompilers(facts.device, facts.provenance.device);
            !unusual.empty() && !compilersAllowed(facts.device, deviceMemory()))
            return problemOf(
                say("{} names the compiler {}, which does not ship with Bindrel. It is not run without your consent.",
                    facts.provenance.deviceFile, listed(unusual)));
        if (const Outcome compiled = compileSource(source, folder, stopped); !compiled)
            return compiled.problem();
    }
    if (const Outcome ran = MachineRun(facts, scenario, out).run(folder); !ran)
        return ran.problem();
    splitTime(out, facts);
    out.shorter.clear(); // the planned run tells it by the clocks' names
    return out;
}

std::vector<Hazard> compareWrites(const Device& device, const Rehearsal& planned, const Rehearsal& machine)
{
    // The core's own interrupt controller is not planned step by step: it is asked by the start functions.
    std::set<std::uint32_t> unplanned;
    for (const Core& core : device.cores)
        if (core.interruptController >= 0)
            for (size_t r = 0; r < device.blockOf(core.interruptController).registers.size(); ++r)
                unplanned.insert(device.addressOf(core.interruptController, r));
    const auto of = [&unplanned](const Rehearsal& rehearsal, CoreIndex core) {
        std::vector<BusWrite> out;
        for (const BusWrite& write : rehearsal.writes)
            if (write.core == core && !unplanned.contains(write.address))
                out.push_back(write);
        return out;
    };
    std::vector<Hazard> out;
    for (const CoreIndex core : device.cores.indices()) {
        const std::vector<BusWrite> a = of(planned, int(core)), b = of(machine, int(core));
        const auto differ = std::mismatch(a.begin(), a.end(), b.begin(), b.end());
        if (differ.first == a.end() && differ.second == b.end())
            continue;
        const auto text = [](const auto& at, const auto& end) {
            return at == end ? std::string("nothing") : fmt::format("0x{:08X} = 0x{:X}", at->address, at->value);
        };
        out.push_back(
            {Hazard::Kind::Program,
             0,
             -1,
             say("Write {} of the {} is {} in the machine code, and {} in the plan.", differ.first - a.begin() + 1,
                 device.cores[core].name, text(differ.second, b.end()), text(differ.first, a.end())),
             {}});
    }
    return out;
}

} // namespace bindrel
