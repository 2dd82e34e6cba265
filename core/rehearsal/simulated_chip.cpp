// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/simulated_chip.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/block_kind.h"
#include "core/device/watchdogs.h"

#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

const char* nameOf(Hazard::Kind kind)
{
    switch (kind) {
    case Hazard::Kind::Limit:
        return "limit";
    case Hazard::Kind::WaitStates:
        return "wait-states";
    case Hazard::Kind::Frozen:
        return "frozen";
    case Hazard::Kind::Closed:
        return "closed";
    case Hazard::Kind::Lost:
        return "lost-write";
    case Hazard::Kind::NoRegister:
        return "no-register";
    case Hazard::Kind::Dead:
        return "stands-still";
    case Hazard::Kind::Select:
        return "select";
    case Hazard::Kind::Never:
        return "never-comes";
    case Hazard::Kind::TimeoutShort:
        return "time-out-short";
    case Hazard::Kind::TimeoutLong:
        return "time-out-long";
    case Hazard::Kind::Watchdog:
        return "watchdog";
    case Hazard::Kind::Pad:
        return "pad";
    case Hazard::Kind::Outcome:
        return "outcome";
    case Hazard::Kind::Program:
        return "program";
    }
    return "";
}

std::string momentText(Moment span)
{
    const double seconds = double(span) / double(kSecond);
    for (const auto& [unit, scale] : {std::pair("s", 1.0), {"ms", 1e-3}, {"\u00b5s", 1e-6}})
        if (seconds >= scale * 0.9995)
            return fmt::format("{:.3g}\u2009{}", seconds / scale, unit);
    return fmt::format("{:.3g}\u2009ns", seconds / 1e-9);
}

SimulatedChip::SimulatedChip(const Device& device, const Board& board, const Voltage& supply, std::set<ClockIndex> dead)
    : device_(device), registers_(device), clocks_(registers_, board, supply, std::move(dead)), pads_(registers_),
      usersOf_(device.clocks.size())
{
    domains_.resize(device.domains.size());
    if (device.regulatorControl.valid())
        regulatorCode_ = registers_.code(device.regulatorControl);
    if (device.regulatorReady.valid())
        registers_.stopTracking(device.regulatorReady.ref);
    for (const DomainIndex d : device.domains.indices()) {
        domains_[d].on = !device.domains[d].on.valid() || registers_.holds(device.domains[d].on);
        if (device.domains[d].ready.valid())
            registers_.stopTracking(device.domains[d].ready.ref);
    }
    settleDomains();
    for (const InstanceIndex i : device.instances.indices()) {
        if (device.instances[i].kernel >= 0)
            usersOf_[size_t(device.instances[i].kernel)].push_back(int(i));
        on_.push_back(device.roleField(i, "on"));
        if (device.blockOf(i).kind != "watchdog")
            continue;
        WatchdogState dog{int(i),
                          device.roleField(i, "on"),
                          device.roleField(i, "prescaler"),
                          device.roleField(i, "period"),
                          device.roleField(i, "window"),
                          {device.roleField(i, "feed"), 1},
                          runsFromReset(device, int(i))};
        if (!dog.feed.ref.valid() || !dog.period.valid())
            continue;
        for (const EnumValue& value : device.fieldOf(dog.feed.ref).values)
            if (value.name == "feed")
                dog.feed.code = value.code;
        dogs_.push_back(dog);
    }
}

void SimulatedChip::observe(Observer* observer)
{
    observer_ = observer;
    shown_.assign(device_.clocks.size(), 0);
    looks_.clear();
    for (size_t p = 0; p < device_.pads.size(); ++p) {
        looks_.push_back(pads_.look(int(p)));
        if (observer_)
            observer_->padChanged(int(p), looks_.back());
    }
    if (observer_)
        observer_->waitStatesChanged(shownWaits_ = clocks_.waitStates());
    judge();
}

void SimulatedChip::report(Hazard::Kind kind, std::string text, Place place)
{
    if (observer_)
        observer_->hazard({kind, now_, -1, std::move(text), std::move(place)});
}

bool SimulatedChip::open(InstanceIndex instance) const
{
    const Instance& facts = device_.instances[instance];
    return (facts.domain < 0 || powered(facts.domain)) && (!facts.gate.valid() || registers_.holds(facts.gate)) &&
           (!facts.reset.valid() || registers_.holds(facts.reset));
}

bool SimulatedChip::powered(DomainIndex domain) const
{
    return domains_[domain].on && domains_[domain].readyAt <= now_;
}

std::optional<Moment> SimulatedChip::timeOf(const FieldRef& status) const
{
    for (const PowerDomain& domain : device_.domains)
        if (domain.ready.valid() && domain.ready.ref == status)
            return (domain.startup.value * kSecond).ceil();
    if (device_.regulatorReady.valid() && device_.regulatorReady.ref == status)
        return (device_.regulatorStartup.value * kSecond).ceil();
    const std::optional<Moment> clock = clocks_.timeOf(status);
    return clock ? clock : registers_.followTime(status);
}

void SimulatedChip::settleDomains()
{
    const auto show = [this](const FieldCode& ready, bool is) {
        if (ready.valid())
            registers_.put(ready.ref, is ? ready.code : ready.code == 0 ? 1u : 0u);
    };
    for (DomainIndex d = 0; d < int(domains_.size()); ++d) {
        const PowerDomain& facts = device_.domains[d];
        const bool on = !facts.on.valid() || registers_.holds(facts.on);
        if (on && !domains_[d].on)
            domains_[d].readyAt = now_ + (facts.startup.value * kSecond).ceil();
        if (!on && domains_[d].on)
            for (const InstanceIndex instance : facts.instances)
                registers_.lose(instance);
        domains_[d].on = on;
        show(facts.ready, powered(int(d)));
    }
    if (!device_.regulatorControl.valid())
        return;
    if (const std::uint32_t code = registers_.code(device_.regulatorControl); code != regulatorCode_) {
        regulatorCode_ = code;
        regulator_.readyAt = now_ + (device_.regulatorStartup.value * kSecond).ceil();
        if (std::none_of(device_.regulators.begin(), device_.regulators.end(),
                         [code](const Regulator& r) { return r.code == code; }))
            report(Hazard::Kind::Lost,
                   say("{} is set to {}, which is not a regulator.", device_.nameOf(device_.regulatorControl), code));
    }
    show(device_.regulatorReady, regulator_.readyAt <= now_);
}

bool SimulatedChip::atWork(InstanceIndex instance) const
{
    if (!open(instance))
        return false;
    const FieldRef& on = on_[size_t(instance)];
    return on.valid() ? registers_.code(on) != 0 : device_.instances[instance].gate.valid();
}

bool SimulatedChip::inUse(ClockIndex clock) const
{
    return device_.clocks[clock].tier != "kernel" ||
           std::any_of(usersOf_[size_t(clock)].begin(), usersOf_[size_t(clock)].end(), [this](InstanceIndex instance) {
               return open(instance) && (device_.instances[instance].gate.valid() || atWork(instance));
           });
}

bool SimulatedChip::admitted(InstanceIndex instance) const
{
    const Core& core = device_.cores[acting_];
    const std::vector<Fence>& fences = device_.instances[instance].fences;
    return std::all_of(fences.begin(), fences.end(), [&](const Fence& fence) {
        return fence.admit(registers_.code(fence.field), core.id, core.world);
    });
}

std::uint32_t SimulatedChip::read(std::uint32_t address, int bytes)
{
    const SimulatedRegisters::Spot spot = registers_.find(address);
    const int cell = spot.cell;
    if (cell < 0) {
        report(Hazard::Kind::NoRegister, say("0x{:08X} is read; the chip has no register there.", address));
        return 0;
    }
    const std::pair<InstanceIndex, RegisterIndex> face = registers_.faceOf(cell);
    const Register& shape = registers_.shape(face);
    const std::string& owner = device_.instances[face.first].name;
    if (const std::uint32_t has = spot.part < 0 ? shape.bytes() : shape.parts[size_t(spot.part)].bytes();
        std::uint32_t(bytes) != has)
        report(Hazard::Kind::NoRegister, say("{}.{} is read with {} bytes; it has {}.", owner, shape.name, bytes, has),
               {Place::Kind::Register, owner + "." + shape.name, {}});
    if (!open(face.first)) {
        report(Hazard::Kind::Closed,
               say("{}.{} is read while {} has no clock or is held in reset: the value is meaningless.", owner,
                   shape.name, owner),
               {Place::Kind::Instance, owner, {}});
        return 0;
    }
    if (!admitted(face.first)) {
        report(Hazard::Kind::Closed,
               say("{}.{} is read by {}, which has no access: the value is meaningless.", owner, shape.name,
                   device_.cores[acting_].id),
               {Place::Kind::Instance, owner, {}});
        return 0;
    }
    judgeSettling(face.first, shape);
    registers_.follow(now_);
    return spot.part < 0 ? registers_.read(cell) : registers_.readPart(spot);
}

void SimulatedChip::write(std::uint32_t address, std::uint32_t value, int bytes)
{
    const SimulatedRegisters::Spot spot = registers_.find(address);
    const int cell = spot.cell;
    if (cell < 0)
        return report(Hazard::Kind::NoRegister, say("0x{:08X} is written; the chip has no register there.", address));
    const auto [instance, reg] = registers_.faceOf(cell, value);
    const Register& shape = registers_.shape({instance, reg});
    const std::string& owner = device_.instances[instance].name;
    const Place place{Place::Kind::Register, owner + "." + shape.name, {}};
    if (const std::uint32_t has = spot.part < 0 ? shape.bytes() : shape.parts[size_t(spot.part)].bytes();
        std::uint32_t(bytes) != has)
        report(Hazard::Kind::NoRegister,
               say("{}.{} is written with {} bytes; it has {}.", owner, shape.name, bytes, has), place);
    if (!open(instance))
        return report(Hazard::Kind::Closed,
                      say("{}.{} is written while {} has no clock or is held in reset: the write is lost.", owner,
                          shape.name, owner),
                      {Place::Kind::Instance, owner, {}});
    if (!admitted(instance))
        return report(Hazard::Kind::Closed,
                      say("{}.{} is written by {}, which has no access: the write is lost.", owner, shape.name,
                          device_.cores[acting_].id),
                      {Place::Kind::Instance, owner, {}});
    if (spot.part >= 0) {
        const std::optional<std::uint32_t> whole = registers_.writePart(spot, value);
        if (!whole)
            return;
        value = *whole;
    }
    judgeSettling(instance, shape);
    const std::uint32_t before = registers_.cell(cell).value;
    judgeHeld(instance, reg, before, value);
    judgeUnit(instance, reg);
    if (const std::string lost = registers_.write(cell, value, now_); !lost.empty())
        report(Hazard::Kind::Lost, lost + ".", place);
    for (const Instance& gated : device_.instances)
        for (const bool opens : {true, false})
            if (const FieldCode& alias = opens ? gated.gateSet : gated.gateClear;
                alias.valid() && alias.ref.instance == instance && alias.ref.reg == reg &&
                device_.fieldOf(alias.ref).in(value) == alias.code)
                registers_.put(gated.gate.ref, opens ? gated.gate.code : gated.gate.code == 0 ? 1u : 0u);
    for (WatchdogState& dog : dogs_)
        if (dog.feed.ref.instance == instance && dog.feed.ref.reg == reg) {
            const Field& field = device_.fieldOf(dog.feed.ref);
            if (field.in(value) == dog.feed.code) {
                const double ticks = ticksOf(dog);
                if (dog.window.valid() && ticks > 0) {
                    const double window = double(
                        meaningOf(device_.blockOf(dog.instance).role("window")->encoding, registers_.code(dog.window))
                            .value_or(0));
                    if (dog.elapsed * ticks < window)
                        report(Hazard::Kind::Watchdog,
                               say("{} is fed inside its closed window and resets the chip.",
                                   device_.instances[dog.instance].name),
                               {Place::Kind::Instance, device_.instances[dog.instance].name, {}});
                }
                dog.elapsed = 0;
            }
        }
    if (!shape.settles.value.isZero())
        beginSettling(instance, reg);
    judgeFrozen(instance, reg, before);
    settleDomains();
    if (clocks_.concerns(instance, reg))
        settle();
    else if (before != registers_.cell(cell).value && device_.clocks.size() > 0)
        judge();
    judgePads(instance, reg);
}

void SimulatedChip::settle()
{
    clocks_.settle(now_);
    if (observer_ && clocks_.waitStates() != shownWaits_)
        observer_->waitStatesChanged(shownWaits_ = clocks_.waitStates());
    judge();
}

std::string SimulatedChip::rateText(const Rational& hertz) const
{
    return format(Frequency(hertz));
}

double SimulatedChip::ticksOf(const WatchdogState& dog) const
{
    // One that reset starts can be stopped where its switch shows that it is on.
    const bool off = dog.on.valid() && registers_.code(dog.on) == 0;
    if (dog.always ? off && device_.resetCode(dog.on) != 0 : off || !dog.on.valid())
        return 0;
    const Block& block = device_.blockOf(dog.instance);
    const double period = double(meaningOf(block.role("period")->encoding, registers_.code(dog.period)).value_or(0));
    const double prescaler =
        dog.prescaler.valid()
            ? double(meaningOf(block.role("prescaler")->encoding, registers_.code(dog.prescaler)).value_or(1))
            : 1;
    return period * prescaler;
}

void SimulatedChip::runDogs(Moment span)
{
    for (WatchdogState& dog : dogs_) {
        const double ticks = ticksOf(dog);
        const ClockIndex kernel = device_.instances[dog.instance].kernel;
        if (ticks <= 0 || kernel < 0)
            continue;
        const double rate = clocks_.clock(kernel).rate.toDouble() * clocks_.fastest(kernel);
        dog.elapsed += double(span) / double(kSecond) * rate / ticks;
        if (dog.elapsed >= 1 && !dog.bitten) {
            dog.bitten = true;
            const std::string& name = device_.instances[dog.instance].name;
            report(Hazard::Kind::Watchdog,
                   say("{} expires: it was not fed for {} at its fastest, and resets the chip.", name,
                       rate > 0 ? momentText(Moment(ticks / rate * double(kSecond))) : "long"),
                   {Place::Kind::Instance, name, {}});
        }
    }
}

std::optional<Moment> SimulatedChip::nextChange() const
{
    std::optional<Moment> next = clocks_.nextChange(now_);
    const auto sooner = [&](const std::optional<Moment>& other) {
        if (other && *other > now_ && (!next || *other < *next))
            next = other;
    };
    sooner(registers_.nextFollow());
    for (const Power& domain : domains_)
        if (domain.on)
            sooner(domain.readyAt);
    sooner(regulator_.readyAt);
    return next;
}

void SimulatedChip::pass(Moment span)
{
    const Moment end = now_ + span;
    for (std::optional<Moment> next = nextChange(); next && *next <= end; next = nextChange()) {
        runDogs(*next - now_);
        now_ = *next;
        settleDomains();
        settle();
        registers_.follow(now_);
    }
    runDogs(end - now_);
    now_ = end;
}

void SimulatedChip::cycles(CoreIndex core, std::int64_t count)
{
    const ClockIndex clock = device_.cores[core].clock;
    const Rational& rate = clocks_.clock(clock).rate;
    // A core that stands still was told already; time must pass all the same.
    const double hertz = rate.isZero() ? 1e6 : rate.toDouble();
    pass(Moment(double(count) * double(kSecond) / hertz));
}

void SimulatedChip::fail(ClockIndex clock)
{
    const ClockNode& node = device_.clocks[clock];
    const bool watched = node.monitor && registers_.holds(node.monitor->enable) && node.monitor->fallsBackTo >= 0;
    const auto hangs = [&](int on) {
        for (int at = on; at >= 0; at = clocks_.clock(at).input)
            if (at == clock)
                return true;
        return false;
    };
    std::vector<std::pair<int, int>> moves;
    for (ClockIndex i = 0; watched && i < clocks_.count(); ++i)
        if (const ClockNode& select = device_.clocks[i];
            select.type == ClockNode::Type::Select && select.frozenBy.empty() && hangs(i))
            for (size_t k = 0; k < select.inputs.size(); ++k)
                if (select.inputs[k].node == node.monitor->fallsBackTo)
                    moves.emplace_back(i, int(k));
    // Multipliers that it fed are switched off with it.
    for (ClockIndex i = 0; watched && i < clocks_.count(); ++i)
        if (device_.clocks[i].type == ClockNode::Type::Multiply && device_.clocks[i].enable.valid() && hangs(i))
            clocks_.stop(i, false);
    for (const auto& [select, input] : moves)
        clocks_.force(select, input);
    clocks_.stop(clock, true);
    settle();
}

void SimulatedChip::warmReset()
{
    registers_.reset();
    settleDomains();
    clocks_.reset(now_);
    running_ = {0};
    demand_.levelsFree = false;
    demand_.steady.clear();
    broken_.clear();
    for (WatchdogState& dog : dogs_) {
        dog.elapsed = 0;
        dog.bitten = false;
    }
    for (size_t p = 0; p < looks_.size(); ++p)
        if (const PadLook look = pads_.look(int(p)); look != looks_[p]) {
            looks_[p] = look;
            if (observer_)
                observer_->padChanged(int(p), look);
        }
    settle();
}

void SimulatedChip::dropSupplyTo(int range)
{
    clocks_.dropSupplyTo(range);
    settle();
}

/// What a peripheral without power did to a pad nobody knows.
void SimulatedChip::loseInMode(InstanceIndex instance, const LowPowerMode& mode)
{
    for (const auto& [pad, given] : demand_.handOvers)
        if (const PadLook look = pads_.look(pad);
            !look.port && look.function == given.function && given.instance == instance)
            report(Hazard::Kind::Pad,
                   say("{} is connected to {}, which has no power in {}.", device_.pads[pad].name,
                       device_.instances[instance].name, mode.name),
                   {Place::Kind::Pad, device_.pads[pad].name, {}});
    registers_.lose(instance);
}

void SimulatedChip::sleepAndWake(const LowPowerMode& mode, Moment asleep)
{
    pass(asleep);
    const auto kept = [&mode](ClockIndex clock) {
        return mode.keepsAll || std::find(mode.keeps.begin(), mode.keeps.end(), clock) != mode.keeps.end();
    };
    if (mode.wakesOn >= 0) {
        for (ClockIndex i = 0; i < clocks_.count(); ++i)
            if (const ClockNode& node = device_.clocks[i];
                (node.isSource() || node.type == ClockNode::Type::Multiply) && node.enable.valid() &&
                clocks_.clock(i).on && !kept(i) && i != mode.wakesOn)
                clocks_.stop(i, false);
        const ClockNode& waker = device_.clocks[mode.wakesOn];
        if (waker.enable.valid())
            registers_.put(waker.enable.ref, waker.enable.code);
        std::vector<ClockIndex> selects = mode.wakesSelects;
        if (selects.empty())
            for (ClockIndex at = device_.cpuClock(); at >= 0 && selects.empty(); at = clocks_.clock(at).input)
                if (const ClockNode& node = device_.clocks[at]; node.type == ClockNode::Type::Select)
                    for (const ClockInput& input : node.inputs)
                        if (input.node == mode.wakesOn)
                            selects = {at};
        for (const ClockIndex select : selects)
            for (size_t k = 0; k < device_.clocks[select].inputs.size(); ++k)
                if (device_.clocks[select].inputs[k].node == mode.wakesOn)
                    clocks_.force(select, int(k));
    }
    for (const DomainIndex domain : mode.drops)
        for (const InstanceIndex instance : device_.domains[domain].instances)
            loseInMode(instance, mode);
    now_ += (mode.wakeTime.value * kSecond).ceil();
    clocks_.settle(now_);
    // The core is let go only when the clock that it wakes on runs.
    if (mode.wakesOn >= 0 && !clocks_.clock(mode.wakesOn).ready)
        if (const std::optional<Moment> next = nextChange())
            now_ = std::max(now_, *next);
    settle();
}

} // namespace bindrel
