// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/device/block_kind.h"
#include "core/rehearsal/simulated_chip.h"

#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

const char* nameOf(Hazard::Kind kind)
{
    switch (kind) {
    case Hazard::Kind::Limit: return "limit";
    case Hazard::Kind::WaitStates: return "wait-states";
    case Hazard::Kind::Frozen: return "frozen";
    case Hazard::Kind::Closed: return "closed";
    case Hazard::Kind::Lost: return "lost-write";
    case Hazard::Kind::NoRegister: return "no-register";
    case Hazard::Kind::Dead: return "stands-still";
    case Hazard::Kind::Select: return "select";
    case Hazard::Kind::Never: return "never-comes";
    case Hazard::Kind::TimeoutShort: return "time-out-short";
    case Hazard::Kind::TimeoutLong: return "time-out-long";
    case Hazard::Kind::Watchdog: return "watchdog";
    case Hazard::Kind::Pad: return "pad";
    case Hazard::Kind::Outcome: return "outcome";
    case Hazard::Kind::Program: return "program";
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

SimulatedChip::SimulatedChip(const Device& device, const Board& board, std::set<ClockIndex> dead)
    : device_(device), registers_(device), clocks_(registers_, board, std::move(dead)), pads_(registers_), usersOf_(device.clocks.size())
{
    domains_.resize(device.domains.size());
    if (device.regulatorControl.valid())
        regulatorCode_ = registers_.code(device.regulatorControl);
    if (device.regulatorReady.valid())
        registers_.leaveToOthers(device.regulatorReady.ref);
    for (size_t d = 0; d < device.domains.size(); ++d) {
        domains_[d].on = !device.domains[d].on.valid() || registers_.holds(device.domains[d].on);
        if (device.domains[d].ready.valid())
            registers_.leaveToOthers(device.domains[d].ready.ref);
    }
    settleDomains();
    for (size_t i = 0; i < device.instances.size(); ++i) {
        if (device.instances[i].kernel >= 0)
            usersOf_[size_t(device.instances[i].kernel)].push_back(int(i));
        on_.push_back(device.roleField(int(i), "on"));
        if (device.blockOf(int(i)).kind != "watchdog")
            continue;
        Dog dog{int(i), device.roleField(int(i), "on"), device.roleField(int(i), "prescaler"), device.roleField(int(i), "period"), device.roleField(int(i), "window"), {device.roleField(int(i), "feed"), 1},
                device.ability(int(i), "runs_at_reset", 0) != 0};
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
    const Instance& facts = device_.instances[size_t(instance)];
    return (facts.domain < 0 || powered(facts.domain)) && (!facts.gate.valid() || registers_.holds(facts.gate)) && (!facts.reset.valid() || registers_.holds(facts.reset));
}

bool SimulatedChip::powered(DomainIndex domain) const { return domains_[size_t(domain)].on && domains_[size_t(domain)].readyAt <= now_; }

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
    for (size_t d = 0; d < domains_.size(); ++d) {
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
        if (std::none_of(device_.regulators.begin(), device_.regulators.end(), [code](const Regulator& r) { return r.code == code; }))
            report(Hazard::Kind::Lost, fmt::format("{} is set to {}, which is no regulator.", device_.nameOf(device_.regulatorControl), code));
    }
    show(device_.regulatorReady, regulator_.readyAt <= now_);
}

bool SimulatedChip::atWork(InstanceIndex instance) const
{
    if (!open(instance))
        return false;
    const FieldRef& on = on_[size_t(instance)];
    return on.valid() ? registers_.code(on) != 0 : device_.instances[size_t(instance)].gate.valid();
}

bool SimulatedChip::inUse(ClockIndex clock) const
{
    return device_.clocks[size_t(clock)].tier != "kernel" ||
           std::any_of(usersOf_[size_t(clock)].begin(), usersOf_[size_t(clock)].end(), [this](InstanceIndex instance) { return open(instance) && (device_.instances[size_t(instance)].gate.valid() || atWork(instance)); });
}

bool SimulatedChip::admitted(InstanceIndex instance) const
{
    const Core& core = device_.cores[size_t(acting_)];
    const std::vector<Fence>& fences = device_.instances[size_t(instance)].fences;
    return std::all_of(fences.begin(), fences.end(), [&](const Fence& fence) { return fence.admit(registers_.code(fence.field), core.id, core.world); });
}

std::uint32_t SimulatedChip::read(std::uint32_t address, int bytes)
{
    const SimulatedRegisters::Spot spot = registers_.find(address);
    const int cell = spot.cell;
    if (cell < 0) {
        report(Hazard::Kind::NoRegister, fmt::format("0x{:08X} is read, where the chip has no register.", address));
        return 0;
    }
    const std::pair<InstanceIndex, RegisterIndex> face = registers_.faceOf(cell);
    const Register& shape = registers_.shape(face);
    const std::string& owner = device_.instances[size_t(face.first)].name;
    if (const std::uint32_t has = spot.part < 0 ? shape.bytes() : shape.parts[size_t(spot.part)].bytes(); std::uint32_t(bytes) != has)
        report(Hazard::Kind::NoRegister, fmt::format("{}.{} is read by {} bytes; it has {}.", owner, shape.name, bytes, has), {Place::Kind::Register, owner + "." + shape.name, {}});
    if (!open(face.first)) {
        report(Hazard::Kind::Closed, fmt::format("{}.{} is read while {} has no clock or is held in reset: what it gives means nothing.", owner, shape.name, owner), {Place::Kind::Instance, owner, {}});
        return 0;
    }
    if (!admitted(face.first)) {
        report(Hazard::Kind::Closed, fmt::format("{}.{} is read by {}, which its fence keeps out: what it gives means nothing.", owner, shape.name, device_.cores[size_t(acting_)].id), {Place::Kind::Instance, owner, {}});
        return 0;
    }
    registers_.follow(now_);
    return spot.part < 0 ? registers_.read(cell) : registers_.readPart(spot);
}

void SimulatedChip::write(std::uint32_t address, std::uint32_t value, int bytes)
{
    const SimulatedRegisters::Spot spot = registers_.find(address);
    const int cell = spot.cell;
    if (cell < 0)
        return report(Hazard::Kind::NoRegister, fmt::format("0x{:08X} is written, where the chip has no register.", address));
    const auto [instance, reg] = registers_.faceOf(cell, value);
    const Register& shape = registers_.shape({instance, reg});
    const std::string& owner = device_.instances[size_t(instance)].name;
    const Place place{Place::Kind::Register, owner + "." + shape.name, {}};
    if (const std::uint32_t has = spot.part < 0 ? shape.bytes() : shape.parts[size_t(spot.part)].bytes(); std::uint32_t(bytes) != has)
        report(Hazard::Kind::NoRegister, fmt::format("{}.{} is written by {} bytes; it has {}.", owner, shape.name, bytes, has), place);
    if (!open(instance))
        return report(Hazard::Kind::Closed, fmt::format("{}.{} is written while {} has no clock or is held in reset: the write is lost.", owner, shape.name, owner), {Place::Kind::Instance, owner, {}});
    if (!admitted(instance))
        return report(Hazard::Kind::Closed, fmt::format("{}.{} is written by {}, which its fence keeps out: the write is lost.", owner, shape.name, device_.cores[size_t(acting_)].id), {Place::Kind::Instance, owner, {}});
    if (spot.part >= 0) {
        const std::optional<std::uint32_t> whole = registers_.writePart(spot, value);
        if (!whole)
            return;
        value = *whole;
    }
    const std::uint32_t before = registers_.cell(cell).value;
    judgeHeld(instance, reg, before, value);
    judgeUnit(instance, reg);
    if (const std::string lost = registers_.write(cell, value, now_); !lost.empty())
        report(Hazard::Kind::Lost, lost + ".", place);
    for (Dog& dog : dogs_)
        if (dog.feed.ref.instance == instance && dog.feed.ref.reg == reg) {
            const Field& field = device_.fieldOf(dog.feed.ref);
            if (field.in(value) == dog.feed.code) {
                const double ticks = ticksOf(dog);
                if (dog.window.valid() && ticks > 0) {
                    const double window = double(meaningOf(device_.blockOf(dog.instance).role("window")->encoding, registers_.code(dog.window)).value_or(0));
                    if (dog.elapsed * ticks < window)
                        report(Hazard::Kind::Watchdog, fmt::format("{} is fed inside its closed window: it resets the chip.", device_.instances[size_t(dog.instance)].name), {Place::Kind::Instance, device_.instances[size_t(dog.instance)].name, {}});
                }
                dog.elapsed = 0;
            }
        }
    judgeFrozen(instance, reg, before);
    settleDomains();
    if (clocks_.concerns(instance, reg))
        settle();
    else if (before != registers_.cell(cell).value && device_.clocks.size() > 0)
        judge();
    judgePads(instance, reg);
}

/// What a unit is decides what its registers mean: before that it is none of the things that it can be.
void SimulatedChip::judgeUnit(InstanceIndex instance, RegisterIndex reg)
{
    const std::string& unit = device_.instances[size_t(instance)].unit;
    if (unit.empty())
        return;
    const std::uint32_t address = device_.addressOf(instance, reg);
    for (const Instance& face : device_.instances) {
        if (face.unit != unit)
            continue;
        bool is = true;
        for (const FieldCode& select : face.selects) {
            if (device_.addressOf(select.ref.instance, select.ref.reg) == address)
                return; // this is where it is told
            is = is && registers_.holds(select);
        }
        if (is)
            return;
    }
    const std::string name = device_.instances[size_t(instance)].name + "." + device_.blockOf(instance).registers[size_t(reg)].name;
    report(Hazard::Kind::Lost, fmt::format("{} is written while {} has not been told what it is.", name, unit), {Place::Kind::Register, name, {}});
}

/// Dividers and timing of a block that must be held for that: changed while it is not, they may be ignored.
void SimulatedChip::judgeHeld(InstanceIndex instance, RegisterIndex reg, std::uint32_t before, std::uint32_t value)
{
    const BlockKind* kind = findBlockKind(device_.blockOf(instance).kind);
    if (!kind || std::none_of(kind->roles.begin(), kind->roles.end(), [](const RoleSpec& role) { return role.onlyHeld; }))
        return;
    const FieldRef hold = device_.roleField(instance, "hold"), held = device_.roleField(instance, "held");
    if (!hold.valid() || device_.blockOf(instance).role("hold")->encoding.decode(registers_.code(hold)).value_or(0) == 1)
        if (!held.valid() || registers_.code(held) != 0)
            return;
    for (const RoleSpec& role : kind->roles) {
        const FieldRef ref = role.onlyHeld ? device_.roleField(instance, role.name) : FieldRef();
        if (ref.valid() && ref.reg == reg && ((before ^ value) & device_.fieldOf(ref).mask()))
            return report(Hazard::Kind::Frozen, fmt::format("{} is changed while {} is not held for that.", device_.nameOf(ref), device_.instances[size_t(instance)].name), {Place::Kind::Instance, device_.instances[size_t(instance)].name, {}});
    }
}

void SimulatedChip::judgeFrozen(InstanceIndex instance, RegisterIndex reg, std::uint32_t before)
{
    const std::uint32_t after = registers_.cell(registers_.cellOf(instance, reg)).value;
    for (size_t i = 0; i < device_.clocks.size(); ++i) {
        const ClockNode& node = device_.clocks[i];
        std::uint32_t mask = 0;
        for (const FieldRef& ref : {node.control, node.fraction})
            if (ref.valid() && ref.instance == instance && ref.reg == reg)
                mask |= device_.fieldOf(ref).mask();
        // A crystal's input stage is chosen before it is on.
        const bool started = node.bypass.valid() && node.bypass.ref.instance == instance && node.bypass.ref.reg == reg && ((before ^ after) & device_.fieldOf(node.bypass.ref).mask()) && clocks_.clock(int(i)).on;
        if (started)
            report(Hazard::Kind::Frozen, fmt::format("The bypass of {} is changed while it is on.", node.name), {Place::Kind::Clock, node.id, {}});
        if (!((before ^ after) & mask))
            continue;
        for (const ClockIndex by : node.frozenBy)
            if (clocks_.clock(by).on)
                report(Hazard::Kind::Frozen, fmt::format("{} is changed while {} is on.", node.name, device_.clocks[size_t(by)].name), {Place::Kind::Clock, node.id, {}});
    }
}

void SimulatedChip::judgePads(InstanceIndex instance, RegisterIndex reg)
{
    for (const PadIndex pad : pads_.padsOf(instance, reg)) {
        const PadLook look = pads_.look(pad);
        if (pad < int(looks_.size())) {
            if (looks_[size_t(pad)] == look)
                continue;
            looks_[size_t(pad)] = look;
            if (observer_)
                observer_->padChanged(pad, look);
        }
        if (demand_.pads.empty())
            continue;
        if (const auto given = demand_.handOvers.find(pad); given != demand_.handOvers.end() && !look.port && look.function == given->second.function)
            judgeHandOver(pad, given->second);
        const Demand::PadRule& rule = demand_.pads[size_t(pad)];
        const std::string& name = device_.pads[size_t(pad)].name;
        const Place place{Place::Kind::Pad, name, {}};
        using Kind = Demand::PadRule::Kind;
        const bool driven = look.pushesHigh() || look.pullsLow();
        if (rule.kind == Kind::Rests && driven)
            report(Hazard::Kind::Pad, fmt::format("{} is driven, though no need has it.", name), place);
        else if (rule.kind == Kind::Input && driven)
            report(Hazard::Kind::Pad, fmt::format("{} is driven {}, though {} drives it from outside.", name, look.text(), rule.who), place);
        else if (rule.kind == Kind::OpenDrain && look.pushesHigh())
            report(Hazard::Kind::Pad, fmt::format("{} pushes high against the open drain of {}.", name, rule.who), place);
        else if (rule.kind == Kind::OpenDrain && rule.high && look.pullsLow() && !demand_.levelsFree)
            report(Hazard::Kind::Pad, fmt::format("{} pulls low; {} starts released.", name, rule.who), place);
        else if (rule.kind == Kind::StartsLow && look.pushesHigh() && !demand_.levelsFree)
            report(Hazard::Kind::Pad, fmt::format("{} is driven high; {} starts low.", name, rule.who), place);
        else if (rule.kind == Kind::StartsHigh && look.pullsLow() && !demand_.levelsFree)
            report(Hazard::Kind::Pad, fmt::format("{} is driven low; {} starts high.", name, rule.who), place);
    }
}

void SimulatedChip::judgeHandOver(PadIndex pad, const Demand::HandOver& given)
{
    for (const Demand::HandOver::Value& value : given.values)
        if (const std::optional<std::int64_t> is = meaningOf(*value.encoding, registers_.code(value.ref)); is != value.value)
            return report(Hazard::Kind::Pad, fmt::format("{} is led to {} before {} is set: the board sees levels that nobody planned.", device_.pads[size_t(pad)].name, given.who, device_.nameOf(value.ref)), {Place::Kind::Pad, device_.pads[size_t(pad)].name, {}});
}

void SimulatedChip::settle()
{
    clocks_.settle(now_);
    if (observer_ && clocks_.waitStates() != shownWaits_)
        observer_->waitStatesChanged(shownWaits_ = clocks_.waitStates());
    judge();
}

std::string SimulatedChip::rateText(const Rational& hertz) const { return format(Frequency(hertz)); }

void SimulatedChip::judge()
{
    if (!observer_)
        return;
    std::set<std::pair<Hazard::Kind, int>> now;
    const auto tell = [&](Hazard::Kind kind, int what, const auto& text, const Place& place) {
        now.emplace(kind, what);
        if (!broken_.contains({kind, what}))
            report(kind, text(), place);
    };
    for (int i = 0; i < clocks_.count(); ++i) {
        const ClockNode& node = device_.clocks[size_t(i)];
        const Rational& rate = clocks_.clock(i).rate;
        if (rate != shown_[size_t(i)]) {
            shown_[size_t(i)] = rate;
            observer_->clockChanged(i, rate);
        }
        const Place place{Place::Kind::Clock, node.id, {}};
        if (const auto steady = demand_.steady.find(i); steady != demand_.steady.end() && rate != steady->second)
            tell(Hazard::Kind::Dead, i, [&] { return fmt::format("{} {} meanwhile, though it is {} before and after.", node.name, rate.isZero() ? "stands still" : "runs at " + rateText(rate), rateText(steady->second)); }, place);
        if (rate.isZero() || clocks_.idle(i))
            continue;
        const SimulatedClocks::Bounds bounds = clocks_.boundsOf(i);
        if (!bounds.min && !bounds.max && !bounds.relative)
            continue;
        bool counts = true, works = true;
        if (node.tier == "kernel") {
            counts = inUse(i);
            works = !demand_.switching && std::any_of(usersOf_[size_t(i)].begin(), usersOf_[size_t(i)].end(), [this](InstanceIndex instance) { return atWork(instance); });
        }
        const std::string& range = device_.ranges.empty() ? node.name : device_.ranges[size_t(clocks_.range())].name;
        if (counts && bounds.max && rate > *bounds.max)
            tell(Hazard::Kind::Limit, i * 4, [&] { return fmt::format("{} runs at {}, above its limit of {} in {}.", node.name, rateText(rate), rateText(*bounds.max), range); }, place);
        else if (counts && works && bounds.min && rate < *bounds.min)
            tell(Hazard::Kind::Limit, i * 4 + 1, [&] { return fmt::format("{} runs at {}, below its limit of {} in {}.", node.name, rateText(rate), rateText(*bounds.min), range); }, place);
        if (counts && works && bounds.relative && !bounds.relative->isZero() && rate > *bounds.relative)
            tell(Hazard::Kind::Limit, i * 4 + 2, [&] { return fmt::format("{} runs at {}, above the {} that {} leaves it.", node.name, rateText(rate), rateText(*bounds.relative), device_.clocks[size_t(bounds.relativeTo)].name); }, place);
    }
    for (size_t c = 0; c < device_.neverTogether.size(); ++c) {
        const ClockCombination& combination = device_.neverTogether[c];
        std::vector<std::string> names;
        for (const ClockCombination::Term& term : combination.terms)
            if (term.has(clocks_.standing(term.clock)) && !clocks_.clock(term.clock).rate.isZero() && inUse(term.clock))
                names.push_back(device_.clocks[size_t(term.clock)].name);
        if (names.size() == combination.terms.size())
            tell(Hazard::Kind::Limit, -1 - int(c), [&] { return fmt::format("{} stand as they must not together{}.", listed(names), combination.because.empty() ? "" : ": " + combination.because); },
                 {Place::Kind::Clock, device_.clocks[size_t(combination.terms.back().clock)].id, {}});
    }
    if (device_.flashClock >= 0 && !device_.ranges.empty())
        if (const Rational& rate = clocks_.clock(device_.flashClock).rate; rate > clocks_.flashMost())
            tell(Hazard::Kind::WaitStates, 0, [&] { return fmt::format("The flash is read at {} with {} wait states, which carry {}.", rateText(rate), clocks_.waitStates(), rateText(clocks_.flashMost())); },
                 {Place::Kind::Clock, device_.clocks[size_t(device_.flashClock)].id, {}});
    for (const CoreIndex core : running_)
        if (const ClockIndex clock = device_.cores[size_t(core)].clock; clock >= 0 && clocks_.clock(clock).rate.isZero())
            tell(Hazard::Kind::Dead, 1'000'000 + core, [&] { return fmt::format("{} stands still: its clock comes from what does not run.", device_.cores[size_t(core)].name); }, {Place::Kind::Clock, device_.clocks[size_t(clock)].id, {}});
    // A core that stands still for a moment is a glitch that no core survives; the select that did it is named.
    for (int i = 0; i < clocks_.count(); ++i) {
        const ClockNode& node = device_.clocks[size_t(i)];
        if (node.type != ClockNode::Type::Select || node.tier == "kernel" || !node.control.valid())
            continue;
        const std::uint32_t code = registers_.code(node.control);
        for (const ClockInput& input : node.inputs)
            if (input.code == code && input.node >= 0 && clocks_.clock(input.node).rate.isZero() && !clocks_.clock(i).rate.isZero())
                tell(Hazard::Kind::Select, i, [&] { return fmt::format("{} is told to take {}, which does not run.", node.name, device_.clocks[size_t(input.node)].name); }, {Place::Kind::Clock, node.id, {}});
    }
    broken_ = std::move(now);
}

double SimulatedChip::ticksOf(const Dog& dog) const
{
    // One that reset starts can be stopped where its switch shows that it is on.
    const bool off = dog.on.valid() && registers_.code(dog.on) == 0;
    if (dog.always ? off && device_.resetCode(dog.on) != 0 : off || !dog.on.valid())
        return 0;
    const Block& block = device_.blockOf(dog.instance);
    const double period = double(meaningOf(block.role("period")->encoding, registers_.code(dog.period)).value_or(0));
    const double prescaler = dog.prescaler.valid() ? double(meaningOf(block.role("prescaler")->encoding, registers_.code(dog.prescaler)).value_or(1)) : 1;
    return period * prescaler;
}

void SimulatedChip::runDogs(Moment span)
{
    for (Dog& dog : dogs_) {
        const double ticks = ticksOf(dog);
        const ClockIndex kernel = device_.instances[size_t(dog.instance)].kernel;
        if (ticks <= 0 || kernel < 0)
            continue;
        const double rate = clocks_.clock(kernel).rate.toDouble() * clocks_.fastest(kernel);
        dog.elapsed += double(span) / double(kSecond) * rate / ticks;
        if (dog.elapsed >= 1 && !dog.bitten) {
            dog.bitten = true;
            const std::string& name = device_.instances[size_t(dog.instance)].name;
            report(Hazard::Kind::Watchdog, fmt::format("{} bites: it was not fed for {} at its fastest, and resets the chip.", name, rate > 0 ? momentText(Moment(ticks / rate * double(kSecond))) : "long"), {Place::Kind::Instance, name, {}});
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
    const ClockIndex clock = device_.cores[size_t(core)].clock;
    const Rational& rate = clocks_.clock(clock).rate;
    // A core that stands still was told already; time must pass all the same.
    const double hertz = rate.isZero() ? 1e6 : rate.toDouble();
    pass(Moment(double(count) * double(kSecond) / hertz));
}

void SimulatedChip::fail(ClockIndex clock)
{
    const ClockNode& node = device_.clocks[size_t(clock)];
    const bool watched = node.monitor && registers_.holds(node.monitor->enable) && node.monitor->fallsBackTo >= 0;
    const auto hangs = [&](int on) {
        for (int at = on; at >= 0; at = clocks_.clock(at).input)
            if (at == clock)
                return true;
        return false;
    };
    std::vector<std::pair<int, int>> moves;
    for (int i = 0; watched && i < clocks_.count(); ++i)
        if (const ClockNode& select = device_.clocks[size_t(i)]; select.type == ClockNode::Type::Select && select.frozenBy.empty() && hangs(i))
            for (size_t k = 0; k < select.inputs.size(); ++k)
                if (select.inputs[k].node == node.monitor->fallsBackTo)
                    moves.emplace_back(i, int(k));
    // Multipliers that it fed are switched off with it.
    for (int i = 0; watched && i < clocks_.count(); ++i)
        if (device_.clocks[size_t(i)].type == ClockNode::Type::Multiply && device_.clocks[size_t(i)].enable.valid() && hangs(i))
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
    demand_.levelsFree = demand_.switching = false;
    demand_.steady.clear();
    broken_.clear();
    for (Dog& dog : dogs_) {
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

void SimulatedChip::sag(int range)
{
    clocks_.sag(range);
    settle();
}

/// What a peripheral without power did to a pad nobody knows.
void SimulatedChip::loseInMode(InstanceIndex instance, const LowPowerMode& mode)
{
    for (const auto& [pad, given] : demand_.handOvers)
        if (const PadLook look = pads_.look(pad); !look.port && look.function == given.function && given.instance == instance)
            report(Hazard::Kind::Pad, fmt::format("{} is led to {}, which has no power in {}.", device_.pads[size_t(pad)].name, device_.instances[size_t(instance)].name, mode.name), {Place::Kind::Pad, device_.pads[size_t(pad)].name, {}});
    registers_.lose(instance);
}

void SimulatedChip::sleepAndWake(const LowPowerMode& mode, Moment asleep)
{
    pass(asleep);
    const auto kept = [&mode](ClockIndex clock) { return mode.keepsAll || std::find(mode.keeps.begin(), mode.keeps.end(), clock) != mode.keeps.end(); };
    if (mode.wakesOn >= 0) {
        for (int i = 0; i < clocks_.count(); ++i)
            if (const ClockNode& node = device_.clocks[size_t(i)]; (node.isSource() || node.type == ClockNode::Type::Multiply) && node.enable.valid() && clocks_.clock(i).on && !kept(i) && i != mode.wakesOn)
                clocks_.stop(i, false);
        const ClockNode& waker = device_.clocks[size_t(mode.wakesOn)];
        if (waker.enable.valid())
            registers_.put(waker.enable.ref, waker.enable.code);
        std::vector<ClockIndex> selects = mode.wakesSelects;
        if (selects.empty())
            for (int at = device_.cpuClock(); at >= 0 && selects.empty(); at = clocks_.clock(at).input)
                if (const ClockNode& node = device_.clocks[size_t(at)]; node.type == ClockNode::Type::Select)
                    for (const ClockInput& input : node.inputs)
                        if (input.node == mode.wakesOn)
                            selects = {at};
        for (const int select : selects)
            for (size_t k = 0; k < device_.clocks[size_t(select)].inputs.size(); ++k)
                if (device_.clocks[size_t(select)].inputs[k].node == mode.wakesOn)
                    clocks_.force(select, int(k));
    }
    for (const DomainIndex domain : mode.drops)
        for (const InstanceIndex instance : device_.domains[size_t(domain)].instances)
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
