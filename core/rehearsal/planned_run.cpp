// SPDX-License-Identifier: GPL-3.0-or-later
// The planned operations, in the order in which the written program does them, on the simulated chip.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/stored_settings.h"
#include "core/quantity/format.h"
#include "core/rehearsal/bus_access.h"
#include "core/rehearsal/demand.h"
#include "core/rehearsal/recorder.h"
#include "core/source/names.h"
#include "core/source/writer.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// What a program needs for one operation beside its access to the bus: at the least, so that nothing is called late
/// that is not.
constexpr int kCyclesOfAccess = 2;
/// A time-out that is so many times longer than what the chip needs holds up a board that could tell of its fault.
constexpr int kManyTimes = 20;

class PlannedRun {
public:
    PlannedRun(const Facts& facts, const Scenario& scenario, Rehearsal& out)
        : f_(facts), device_(facts.device), out_(out), scenario_(scenario),
          chip_(device_, facts.board, facts.rates.supply, scenario.dead), recorder_(chip_, out)
    {
        chip_.demand(demandOf(facts));
        for (size_t core = 0; core < device_.cores.size(); ++core)
            names_.push_back(namesFor(f_, core));
        for (const FieldCode& word : runningWatchdogs(device_))
            feeds_.push_back(writeStep(device_, {{word.ref, word.code, "feed"}}, {}));
    }

    void run()
    {
        const bool up = bringUp();
        out_.untilUp = chip_.now();
        if (up) {
            startAll();
            recorder_.rest();
            judgeOutcome(chip_, f_, fallBack_ ? fallBack_->rates : f_.rates, left_, scenario_.dead);
            if (fallBack_)
                out_.wentOn = wentOnText(f_, *fallBack_);
            else if (scenario_.fails >= 0)
                clockFails();
            else if (scenario_.sagsTo >= 0)
                supplySags();
            else if (scenario_.kind == Scenario::Kind::Reset)
                resetAndAgain();
            else if (scenario_.kind == Scenario::Kind::Slow && f_.image.slowRates)
                slowAndBack();
            else if (scenario_.kind == Scenario::Kind::Mode)
                modeAndBack(f_.image.modes[size_t(scenario_.mode)]);
            else if (scenario_.kind == Scenario::Kind::Restart)
                stopAndStart();
        }
        out_.end = chip_.now();
    }

private:
    bool bringUp()
    {
        bringingUp_ = true;
        const bool up = bringUpAll();
        bringingUp_ = false;
        return up;
    }

    bool bringUpAll()
    {
        const auto phase = [this](Step::Phase wanted, NeedIndex need = -1) {
            bool came = true;
            for (const Step& step : f_.image.steps)
                if (came && step.phase == wanted && (need < 0 || step.need == need))
                    came = perform(step, need >= 0 ? coreOf(f_, need) : CoreIndex(0));
            return came;
        };
        phase(Step::Phase::Unlock);
        phase(Step::Phase::Pins);
        const Step* failed = nullptr;
        for (const Step& step : f_.image.steps)
            if (!failed && step.phase == Step::Phase::Clocks && !perform(step, 0))
                failed = &step;
        if (failed) {
            fallBack_ = fallBackAfter(f_, failed->fields.front().ref);
            if (!fallBack_ || !performAll(fallBack_->steps)) {
                fallBack_ = nullptr;
                return false;
            }
            left_ = fallBack_->left;
        }
        const auto wanted = [this](NeedIndex need) { return !left_.contains(int(need)); };
        const Names& first = names_.front();
        for (const NeedIndex n : f_.image.order)
            if (hasFiles(f_, first, n) && wanted(n) && !waitsForSlowSource(f_, n) && !phase(Step::Phase::Need, int(n)))
                left_.insert(int(n));
        if (!f_.image.lateSources.empty())
            out_.untilLate = chip_.now();
        const bool late = (!fallBack_ || fallBack_->lateToo) && phase(Step::Phase::Late);
        for (const NeedIndex n : f_.image.order)
            if (hasFiles(f_, first, n) && wanted(n) && waitsForSlowSource(f_, n)) {
                if (!late || !phase(Step::Phase::Need, int(n)))
                    left_.insert(int(n));
            }
        for (CoreIndex core = 1; core < int(device_.cores.size()); ++core) {
            if (fallBack_ && fallBack_->coresHeld.contains(int(core)))
                continue;
            if (const FieldCode& release = device_.cores[core].release; release.valid())
                perform(updateStep(device_, {{release.ref, release.code, device_.cores[core].name}},
                                   say("Start the {}.", device_.cores[core].name)),
                        0, false);
            chip_.coreRuns(int(core));
            const Names& own = names_[core];
            for (const NeedIndex n : f_.image.order)
                if (hasFiles(f_, own, n) && !phase(Step::Phase::Need, int(n)))
                    left_.insert(int(n));
        }
        if (!late && !fallBack_)
            out_.wentOn = say("is up, except for what uses a slow source");
        return true;
    }

    bool wanted(NeedIndex need, CoreIndex core) const
    {
        return hasFiles(f_, names_[core], need) && !left_.contains(int(need));
    }

    bool performOf(Step::Phase phase, NeedIndex need, CoreIndex core)
    {
        return std::all_of(f_.image.steps.begin(), f_.image.steps.end(), [&](const Step& step) {
            return step.phase != phase || step.need != int(need) || perform(step, int(core));
        });
    }

    void stopNeed(NeedIndex need, CoreIndex core)
    {
        if (wanted(need, core))
            for (const Step& step : f_.image.stops)
                if (step.need == int(need))
                    perform(step, int(core));
    }

    void startAll()
    {
        chip_.demand().levelsFree = true;
        for (size_t core = 0; core < device_.cores.size(); ++core)
            for (const NeedIndex n : f_.image.order)
                if (wanted(n, core))
                    performOf(Step::Phase::Start, n, core);
    }

    void stopAndStart()
    {
        for (size_t core = 0; core < device_.cores.size(); ++core)
            for (const NeedIndex n : f_.image.order)
                stopNeed(n, core);
        chip_.pass(kSecond / 1000);
        startAll();
        recorder_.rest();
        judgeOutcome(chip_, f_, f_.rates, left_, scenario_.dead);
    }

    bool performAll(const std::vector<Step>& steps)
    {
        return std::all_of(steps.begin(), steps.end(), [this](const Step& step) { return perform(step, 0); });
    }

    void slowAndBack()
    {
        chip_.demand().steady = steadyClocks(f_, f_.rates, *f_.image.slowRates);
        if (performAll(f_.image.toSlow)) {
            recorder_.rest();
            judgeOutcome(chip_, f_, *f_.image.slowRates, left_, scenario_.dead);
            chip_.pass(kSecond / 1000);
            if (performAll(f_.image.toFull)) {
                recorder_.rest();
                chip_.demand().steady.clear();
                judgeOutcome(chip_, f_, f_.rates, left_, scenario_.dead);
            }
        }
    }

    void modeAndBack(const ModeSteps& steps)
    {
        const LowPowerMode& mode = device_.modes[size_t(steps.mode)];
        if (steps.slow && !performAll(f_.image.toSlow))
            return;
        for (const NeedIndex need : steps.again)
            stopNeed(size_t(need), 0);
        if (!performAll(steps.enter))
            return;
        begin(
            {say("wait in {}", mode.name), say("The core waits for an interrupt."), {Place::Kind::Mode, mode.id, {}}});
        chip_.sleepAndWake(mode, kSecond / 1000);
        recorder_.end();
        if (performAll(steps.back)) {
            for (const NeedIndex need : steps.again)
                if (wanted(size_t(need), 0) && !performOf(Step::Phase::Need, size_t(need), 0))
                    left_.insert(need);
            // The program's own part: the function leaves them stopped.
            for (const NeedIndex need : steps.again)
                if (wanted(size_t(need), 0))
                    performOf(Step::Phase::Start, size_t(need), 0);
            recorder_.rest();
            judgeOutcome(chip_, f_, steps.slow ? *f_.image.slowRates : f_.rates, left_, scenario_.dead);
        }
    }

    void clockFails()
    {
        const ClockNode& node = device_.clocks[scenario_.fails];
        chip_.pass(kSecond / 1000);
        begin({node.name + say(" fails"),
               node.monitor && f_.rates.clocks[scenario_.fails].monitored ? say("Its monitor detects it.")
                                                                          : say("Nothing monitors it."),
               {Place::Kind::Clock, node.id, {}}});
        chip_.fail(scenario_.fails);
        chip_.pass(kSecond / 1000);
        recorder_.end();
    }

    void supplySags()
    {
        const OperatingRange& range = device_.ranges[size_t(scenario_.sagsTo)];
        chip_.pass(kSecond / 1000);
        begin({say("supply falls"), say("It is enough for {} only.", range.name), {Place::Kind::Range, {}, {}}});
        chip_.dropSupplyTo(scenario_.sagsTo);
        chip_.pass(kSecond / 1000);
        recorder_.end();
    }

    void resetAndAgain()
    {
        chip_.pass(kSecond / 1000);
        begin({"reset", say("Warm reset: retained fields keep their values."), {}});
        chip_.warmReset();
        recorder_.end();
        left_.clear();
        if (!bringUp())
            return;
        startAll();
        recorder_.rest();
        judgeOutcome(chip_, f_, f_.rates, left_, scenario_.dead);
    }

    void begin(Operation operation) { recorder_.begin(std::move(operation)); }

    std::string fieldsText(const Step& step) const
    {
        std::string text =
            device_.instances[step.instance].name + "." + device_.blockOf(step.instance).registers[step.reg].name;
        const char* between = ".";
        for (const FieldWrite& write : step.fields) {
            text += fmt::format("{}{} = {}", between, device_.fieldOf(write.ref).name, write.code);
            between = ", ";
        }
        return text;
    }

    Place placeOf(const Step& step) const
    {
        if (step.need >= 0)
            return {Place::Kind::Need, f_.plan.needs[step.need].id, {}};
        for (const FieldWrite& write : step.fields)
            for (const ClockNode& node : device_.clocks)
                if (node.control == write.ref || node.fraction == write.ref || node.enable.ref == write.ref ||
                    node.ready.ref == write.ref || node.status == write.ref)
                    return {Place::Kind::Clock, node.id, {}};
        for (const PadSetup& setup : f_.pads)
            if (const Pad& pad = device_.pads[setup.pad]; pad.isPickedBy(step.fields.front().ref))
                return {Place::Kind::Pad, pad.name, f_.plan.needs[setup.need].id};
        return {Place::Kind::Register,
                device_.instances[step.instance].name + "." + device_.blockOf(step.instance).registers[step.reg].name,
                {}};
    }

    bool perform(const Step& step, CoreIndex core, bool planned = true)
    {
        begin({fieldsText(step), step.why, placeOf(step), 0, 0, step.kind == Step::Kind::Wait, core,
               planned ? &step : nullptr});
        const bool came = act(step, core);
        recorder_.end();
        return came;
    }

    bool act(const Step& step, CoreIndex core)
    {
        const Register& reg = device_.blockOf(step.instance).registers[step.reg];
        const auto read = [&] { return readRegister(step.instance, reg, core); };
        const auto write = [&](std::uint32_t value) { writeRegister(step.instance, step.reg, value, core); };
        switch (step.kind) {
        case Step::Kind::Write:
            write(step.value);
            return true;
        case Step::Kind::Update: {
            // Bits on which a one acts are not written back as they were read.
            std::uint32_t keep = ~step.mask;
            for (const Field& field : reg.fields)
                if (field.actsOnOnes())
                    keep &= ~field.mask();
            write((read() & keep) | step.value);
            return true;
        }
        case Step::Kind::Copy: {
            const Field& from = device_.fieldOf(step.from);
            const Field& into = device_.fieldOf(step.fields.front().ref);
            const std::uint32_t value = readRegister(step.from.instance, device_.registerOf(step.from), core);
            write((read() & ~into.mask()) | into.at(from.in(value)));
            return true;
        }
        case Step::Kind::Read:
            read();
            return true;
        case Step::Kind::Wait:
            return wait(step, core);
        }
        return true;
    }

    void actAs(CoreIndex core)
    {
        chip_.setActiveCore(core);
        chip_.cycles(core, kCyclesOfAccess);
    }

    void writeRegister(InstanceIndex instance, RegisterIndex reg, std::uint32_t value, CoreIndex core)
    {
        for (const BusAccess& access : accessesOf(device_, instance, reg, value)) {
            actAs(core);
            out_.writes.push_back({core, access.address, access.value});
            chip_.write(access.address, access.value, access.bytes);
        }
        if (const Duration& settles = device_.blockOf(instance).registers[reg].settles; !settles.value.isZero())
            chip_.pass((settles.value * kSecond).ceil());
    }

    std::uint32_t readRegister(InstanceIndex instance, const Register& reg, CoreIndex core)
    {
        const std::uint32_t base = device_.instances[instance].base;
        std::uint32_t value = 0;
        for (size_t i = 0; i < reg.parts.size(); ++i) {
            const RegisterPart& part = reg.parts[reg.readAsWritten ? i : reg.parts.size() - 1 - i];
            actAs(core);
            value |= chip_.read(base + part.offset, int(part.bytes())) << part.lsb;
        }
        if (!reg.parts.empty())
            return value;
        actAs(core);
        return chip_.read(base + reg.offset, int(reg.bytes()));
    }

    bool wait(const Step& step, CoreIndex core)
    {
        const Register& reg = device_.blockOf(step.instance).registers[step.reg];
        const Moment timeout = (step.timeout.value * kSecond).ceil();
        const Moment deadline = chip_.now() + timeout;
        const FieldRef& ref = step.fields.front().ref;
        const std::optional<Moment> longest = chip_.timeOf(ref);
        if (longest && timeout < *longest)
            chip_.report(Hazard::Kind::TimeoutShort,
                         say("{} is awaited for at most {}; the chip may take {}.", device_.nameOf(ref),
                             momentText(timeout), momentText(*longest)),
                         placeOf(step));
        if (longest && timeout > *longest * kManyTimes && timeout > kSecond / 50)
            chip_.report(Hazard::Kind::TimeoutLong,
                         say("{} is awaited for {}; the chip takes at most {}.", device_.nameOf(ref),
                             momentText(timeout), momentText(*longest)),
                         placeOf(step));
        for (;;) {
            // As the written loop does: during the bring-up only.
            for (const Step& feed : bringingUp_ ? feeds_ : std::vector<Step>())
                for (const BusAccess& access : accessesOf(device_, feed.instance, feed.reg, feed.value))
                    chip_.write(access.address, access.value, access.bytes);
            if ((readRegister(step.instance, reg, core) & step.mask) == step.value)
                return true;
            if (chip_.now() >= deadline) {
                out_.gaveUp = say("{} did not become {} within {}", device_.nameOf(ref), step.fields.front().code,
                                  momentText(timeout));
                return false;
            }
            const std::optional<Moment> next = chip_.nextChange();
            const bool feeding = bringingUp_ && !feeds_.empty();
            if (!next && scenario_.dead.empty() && !feeding)
                chip_.report(Hazard::Kind::Never,
                             say("{} is awaited, but nothing in the chip will make it {}.", device_.nameOf(ref),
                                 step.fields.front().code),
                             placeOf(step));
            Moment until = next ? std::min(*next, deadline) : deadline;
            // A watchdog is fed in every pass of the loop: a thousandth of a second stands for many of them.
            if (feeding)
                until = std::min(until, chip_.now() + kSecond / 1000);
            chip_.pass(std::max<Moment>(until - chip_.now(), 1));
        }
    }

    const Facts& f_;
    const Device& device_;
    Rehearsal& out_;
    const Scenario& scenario_;
    SimulatedChip chip_;
    Recorder recorder_;
    std::vector<Names> names_; ///< by core
    std::vector<Step> feeds_;
    bool bringingUp_ = false;
    std::set<NeedIndex> left_;           ///< needs that are not brought up, since their clock is dead
    const FallBack* fallBack_ = nullptr; ///< that was gone to
};

/// The clock that is waited for the longest, what hangs on it, and what the bring-up would take without it.
std::string shorterText(const Rehearsal& rehearsal, const Facts& f, const std::map<std::string, Moment>& causes)
{
    ClockIndex clock = -1;
    Moment longest = 0;
    for (const ClockIndex i : f.device.clocks.indices())
        if (const auto wait = causes.find("waiting for " + f.device.clocks[i].name);
            wait != causes.end() && wait->second > longest) {
            clock = int(i);
            longest = wait->second;
        }
    // A tenth of a millisecond, or a tenth of the whole, is nothing to do much about.
    if (clock < 0 || longest < kSecond / 10'000 || longest * 10 < rehearsal.untilUp || !rehearsal.gaveUp.empty())
        return {};
    std::vector<std::string> users;
    bool core = false;
    const auto comesFrom = [&](int from) {
        const std::vector<ClockIndex> path = pathToSource(f.rates, from);
        return std::find(path.begin(), path.end(), clock) != path.end();
    };
    for (const Core& known : f.device.cores)
        core = core || comesFrom(known.clock);
    for (const NeedIndex n : f.plan.needs.indices())
        if (const InstanceIndex instance = f.bindings.needs[n].instance;
            instance >= 0 && f.device.instances[instance].kernel >= 0 &&
            comesFrom(f.device.instances[instance].kernel) && hasFiles(f, namesFor(f, coreOf(f, n)), n))
            users.push_back(f.plan.needs[n].title);
    const std::string sooner = momentText(rehearsal.untilUp - longest);
    const std::string& name = f.device.clocks[clock].name;
    if (core)
        return say("Up after {} if the core used a source that starts faster than {}", sooner, name);
    return say("Up after {} without {}{}", sooner, name,
               users.empty() ? std::string()
                             : say("; {} from it", listed(users) + (users.size() == 1 ? say(" comes") : say(" come"))));
}

} // namespace

void splitTime(Rehearsal& rehearsal, const Facts& f)
{
    std::map<std::string, Moment> causes;
    for (const Operation& operation : rehearsal.operations)
        if (operation.from < rehearsal.untilUp) {
            std::string cause = say("register accesses");
            if (operation.waits)
                cause = say("waiting for ") + (operation.place.kind == Place::Kind::Clock
                                                   ? f.device.clocks[f.device.findClock(operation.place.id)].name
                                                   : operation.text);
            causes[cause] += std::min(operation.to, rehearsal.untilUp) - operation.from;
        }
    rehearsal.split.assign(causes.begin(), causes.end());
    std::sort(rehearsal.split.begin(), rehearsal.split.end(), [](const auto& a, const auto& b) {
        return a.second != b.second ? a.second > b.second : a.first < b.first;
    });
    rehearsal.shorter = shorterText(rehearsal, f, causes);
}

std::string titleOf(const Facts& f, const Scenario& s)
{
    std::string text = s.kind == Scenario::Kind::Slow      ? say("To the low-speed clocks and back")
                       : s.kind == Scenario::Kind::Restart ? say("Stopped and started again")
                       : s.kind == Scenario::Kind::Reset   ? say("Reset while everything runs")
                                                           : say("From reset");
    if (s.kind == Scenario::Kind::Mode) {
        const ModeSteps& steps = f.image.modes[size_t(s.mode)];
        text = say("Into {}{} and back", f.device.modes[size_t(steps.mode)].name,
                   steps.slow ? say(", from the low-speed clocks,") : "");
    }
    for (const ClockIndex dead : s.dead)
        text += say(", {} never starts", f.device.clocks[dead].name);
    if (s.fails >= 0)
        text += say(", then {} fails", f.device.clocks[s.fails].name);
    if (s.sagsTo >= 0)
        text += say(", then the supply falls below {}", format(f.device.ranges[size_t(f.rates.range)].supplyMin));
    return text;
}

/// The supply below which the chip is held in reset, as its non-volatile memory says; zero when it says nothing of it.
static Voltage heldBelow(const Facts& f)
{
    Voltage out;
    for (const StoredWord& word : f.device.stored)
        for (const StoredSetting& setting : word.settings)
            if (const auto level = setting.holdsBelow.find(
                    setting.bits.in(storedValue(f.device, f.plan, word).value_or(word.factory)));
                level != setting.holdsBelow.end())
                out = std::max(out, level->second);
    return out;
}

std::vector<Scenario> scenariosOf(const Facts& f)
{
    std::vector<Scenario> out{{}};
    if (f.image.slowRates)
        out.push_back({Scenario::Kind::Slow, -1, {}, -1});
    if (!f.image.stops.empty())
        out.push_back({Scenario::Kind::Restart, -1, {}, -1});
    out.push_back({Scenario::Kind::Reset, -1, {}, -1});
    for (size_t m = 0; m < f.image.modes.size(); ++m)
        out.push_back({Scenario::Kind::Mode, int(m), {}, -1});
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockNode& node = f.device.clocks[i];
        const bool starts = node.isSource() || (node.type == ClockNode::Type::Multiply && node.enable.valid());
        if (!starts || !f.rates.clocks[i].running || !f.rates.clocks[i].used)
            continue;
        if (!node.onAtReset && node.ready.valid())
            out.push_back({Scenario::Kind::BringUp, -1, {int(i)}, -1});
        if (node.type == ClockNode::Type::Crystal || node.type == ClockNode::Type::External)
            out.push_back({Scenario::Kind::BringUp, -1, {}, int(i)});
    }
    // A brown-out: of the ranges that a lower supply suffices for, the one that needs the most of it.
    int lower = -1;
    const auto least = [&f](int range) { return f.device.ranges[size_t(range)].supplyMin; };
    for (int r = 0; r < int(f.device.ranges.size()); ++r)
        if (least(r) < least(f.rates.range) && (lower < 0 || least(r) > least(lower)))
            lower = r;
    if (lower >= 0 && heldBelow(f) < least(f.rates.range))
        out.push_back({Scenario::Kind::BringUp, -1, {}, -1, lower});
    return out;
}

Rehearsal rehearsePlanned(const Facts& facts, const Scenario& scenario)
{
    Rehearsal out;
    out.title = titleOf(facts, scenario);
    if (!facts.device.canBeWritten())
        return out; // there is no program to run
    PlannedRun(facts, scenario, out).run();
    splitTime(out, facts);
    // Of what comes after a bring-up it says nothing.
    if (scenario != Scenario())
        out.shorter.clear();
    return out;
}

} // namespace bindrel
