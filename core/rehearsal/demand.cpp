// SPDX-License-Identifier: GPL-3.0-or-later
// What the plan wants, held against what the chip's registers mean.
#include "core/rehearsal/demand.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/overrides.h"
#include "core/plan/kind.h"
#include "core/plan/plain_fields.h"
#include "core/quantity/format.h"
#include "core/source/writer.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

namespace bindrel {

Demand demandOf(const Facts& f)
{
    Demand out;
    out.pads.resize(f.device.pads.size());
    using Kind = Demand::PadRule::Kind;
    // Pads that are contested or half bound are nobody's to judge.
    for (const BoundNeed& bound : f.bindings.needs)
        for (const Seat& seat : bound.seats)
            if (seat.pad >= 0)
                out.pads[seat.pad].kind = Kind::Free;
    for (const PadSetup& setup : f.pads) {
        Demand::PadRule& rule = out.pads[setup.pad];
        rule.who = f.plan.needs[setup.need].title;
        rule.high = setup.levelHigh;
        rule.kind = setup.wired                   ? Kind::Free
                    : setup.openDrain             ? Kind::OpenDrain
                    : setup.gpio && !setup.output ? Kind::Input
                    : setup.output                ? (setup.levelHigh ? Kind::StartsHigh : Kind::StartsLow)
                                                  : Kind::Free;
    }
    const std::vector<Override> overrides = overridesOf(f.device, f.plan, f.bindings);
    for (const PadSetup& setup : f.pads) {
        const BoundNeed& bound = f.bindings.needs[setup.need];
        const Seat& seat = bound.seats[size_t(setup.seat)];
        if (setup.gpio || setup.wired || setup.code < 0 || setup.openDrain ||
            seat.signal.direction != SignalSpec::Direction::Out || !f.settings[setup.need].computed)
            continue;
        Demand::HandOver given{std::uint32_t(setup.code), bound.instance, {}, f.plan.needs[setup.need].title};
        for (const RoleValue& value : f.settings[setup.need].roles)
            if (const FieldRef ref = f.device.roleField(bound.instance, value.role);
                value.when == RoleValue::When::Config && ref.valid() && f.device.fieldOf(ref).keepsWrites() &&
                std::none_of(overrides.begin(), overrides.end(),
                             [&ref](const Override& set) { return set.ref == ref; }))
                given.values.push_back(
                    {ref, &f.device.blockOf(bound.instance).role(value.role)->encoding, value.value});
        out.handOvers[setup.pad] = std::move(given);
    }
    return out;
}

std::map<ClockIndex, Rational> steadyClocks(const Facts& f, const Rates& from, const Rates& to)
{
    std::map<ClockIndex, Rational> out;
    for (const NeedIndex n : f.plan.needs.indices()) {
        const InstanceIndex instance = f.bindings.needs[n].instance;
        if (instance < 0 || f.device.instances[instance].kernel < 0)
            continue;
        const ClockIndex kernel = f.device.instances[instance].kernel;
        const ClockState& a = from.clocks[kernel];
        const ClockState& b = to.clocks[kernel];
        // Where something above it is set anew, or a multiplier must be off while another of its outputs is, it cannot
        // but stop.
        const std::vector<ClockIndex> path = pathToSource(from, kernel);
        const auto sameSetting = [&](ClockIndex clock) {
            return from.clocks[clock].setting == to.clocks[clock].setting;
        };
        bool stops = false;
        for (const ClockIndex k : f.device.clocks.indices())
            for (const ClockIndex by : f.device.clocks[k].frozenBy)
                stops = stops || (!sameSetting(k) && std::find(path.begin(), path.end(), by) != path.end());
        const bool untouched =
            !stops && path == pathToSource(to, kernel) && std::all_of(path.begin(), path.end(), [&](ClockIndex on) {
                return sameSetting(size_t(on)) && from.clocks[on].rate == to.clocks[on].rate;
            });
        if (untouched && a.running && b.running)
            out[kernel] = a.rate.value;
    }
    return out;
}

namespace {

class Outcomes {
public:
    Outcomes(SimulatedChip& chip, const Facts& facts, const Rates& rates, const std::set<NeedIndex>& without,
             const std::set<ClockIndex>& dead)
        : chip_(chip), f_(facts), device_(facts.device), rates_(rates), without_(without), dead_(dead),
          overrides_(overridesOf(facts.device, facts.plan, facts.bindings))
    {
    }

    void judge()
    {
        clocks();
        for (const PadSetup& setup : f_.pads)
            if (!without_.contains(setup.need))
                pad(setup);
        for (const NeedIndex n : f_.plan.needs.indices())
            if (!without_.contains(int(n)) && f_.bindings.needs[n].state == BoundNeed::State::Bound &&
                f_.bindings.needs[n].instance >= 0)
                need(n);
        for (const Override& set : overrides_)
            if (set.ref.valid() && !without_.contains(set.need) &&
                f_.bindings.needs[set.need].state == BoundNeed::State::Bound && chip_.open(set.ref.instance) &&
                chip_.registers().code(set.ref) != set.code)
                differs(device_.nameOf(set.ref), std::to_string(chip_.registers().code(set.ref)),
                        say("{}, set by hand for {}", set.code, f_.plan.needs[set.need].title),
                        {Place::Kind::Need, f_.plan.needs[set.need].id, {}});
    }

private:
    void differs(const std::string& what, const std::string& is, const std::string& planned, Place place)
    {
        chip_.report(Hazard::Kind::Outcome, say("{} is {} at the end; planned: {}.", what, is, planned),
                     std::move(place));
    }

    void clocks()
    {
        for (const ClockIndex i : rates_.clocks.indices()) {
            const ClockState& planned = rates_.clocks[i];
            const Rational& is = chip_.clocks().clock(int(i)).rate;
            source(i, planned);
            if (planned.running && planned.used && is != planned.rate.value && !comesFromDead(int(i)))
                differs(device_.clocks[i].name, is.isZero() ? "still" : format(Frequency(is)), format(planned.rate),
                        {Place::Kind::Clock, device_.clocks[i].id, {}});
        }
        if (rates_.waitStates && device_.waitStates.valid() &&
            chip_.clocks().waitStates() != std::uint32_t(*rates_.waitStates))
            differs(say("The number of wait states"), std::to_string(chip_.clocks().waitStates()),
                    std::to_string(*rates_.waitStates), {});
        for (const Regulator& regulator : device_.regulators)
            if (f_.plan.regulator.empty() ? regulator.code == device_.resetCode(device_.regulatorControl)
                                          : regulator.id == f_.plan.regulator)
                if (const std::uint32_t code = chip_.registers().code(device_.regulatorControl); code != regulator.code)
                    differs(device_.nameOf(device_.regulatorControl), std::to_string(code),
                            say("{}, for {}", regulator.code, regulator.name), {Place::Kind::Range, {}, {}});
        if (device_.rangeControl.valid() && chip_.clocks().range() != rates_.range)
            differs(say("The operating range"), device_.ranges[size_t(chip_.clocks().range())].name,
                    device_.ranges[size_t(rates_.range)].name, {Place::Kind::Range, {}, {}});
    }

    bool comesFromDead(ClockIndex clock) const
    {
        const std::vector<ClockIndex> path = pathToSource(rates_, clock);
        return std::any_of(path.begin(), path.end(), [this](int on) { return dead_.contains(on); });
    }

    void pad(const PadSetup& setup)
    {
        const Pad& facts = device_.pads[setup.pad];
        if (setup.wired || facts.port < 0)
            return;
        const PadLook look = chip_.pads().look(setup.pad);
        const Place place{Place::Kind::Pad, facts.name, {}};
        const auto words = [](bool value, const char* yes, const char* no) { return std::string(value ? yes : no); };
        if (setup.code >= 0 && facts.function.valid() && std::int64_t(look.function) != setup.code)
            differs(facts.name, say("set to function {}", look.function), say("function {}", setup.code), place);
        if (look.output != setup.output)
            differs(facts.name, words(look.output, say("an output"), say("an input")),
                    words(setup.output, say("an output"), say("an input")), place);
        const Block& port = device_.blockOf(facts.port);
        const std::string bit = std::to_string(facts.bit);
        if (port.role("pull" + bit) && look.pull != std::int64_t(setup.pull))
            differs(say("The pull of {}", facts.name), std::to_string(look.pull), nameOf(setup.pull), place);
        if (port.role("open_drain" + bit) && look.openDrain != setup.openDrain)
            differs(facts.name, words(look.openDrain, say("an open drain"), say("driven both ways")),
                    words(setup.openDrain, say("an open drain"), say("driven both ways")), place);
        if (setup.output && look.high != setup.levelHigh && !chip_.demand().levelsFree)
            differs(facts.name, words(look.high, "high", "low"), words(setup.levelHigh, "high", "low"), place);
        strength(setup, facts, place);
        // What leads the signal to the pad beyond the pad's own field: remaps, matrices, lanes.
        const Seat& seat = f_.bindings.needs[setup.need].seats[size_t(setup.seat)];
        if (seat.route >= 0)
            for (const FieldCode& select : device_.routes[seat.route].selects)
                if (!chip_.registers().holds(select))
                    differs(device_.nameOf(select.ref), std::to_string(chip_.registers().code(select.ref)),
                            say("{} for {} on {}", select.code, rule(setup), facts.name), place);
        if (setup.line >= 0)
            line(setup, facts);
    }

    /// Drive and edges: the names of the field's values say what they are, else a strength is its place in the pad's
    /// list.
    void strength(const PadSetup& setup, const Pad& facts, const Place& place)
    {
        const std::string bit = std::to_string(facts.bit);
        const auto check = [&](const char* role, std::int64_t wanted, const char* what) {
            const Role* found = device_.blockOf(facts.port).role(role + bit);
            if (!found)
                return;
            const std::optional<std::int64_t> is =
                meaningOf(found->encoding, chip_.registers().code(facts.port, *found));
            if (is != wanted)
                differs(say("{} of {}", what, facts.name), is ? std::to_string(*is) : say("no value"),
                        std::to_string(wanted), place);
        };
        check("speed", setup.fast, say("Edge speed"));
        const Role* drive = device_.blockOf(facts.port).role("drive" + bit);
        if (drive && !facts.drives.empty())
            check("drive",
                  drive->encoding.kind == Encoding::Kind::Table && facts.drives.size() <= 3
                      ? std::int64_t(setup.drive)
                      : std::int64_t(driveIndex(facts, setup.drive)),
                  "Drive");
    }

    std::string rule(const PadSetup& setup) const { return f_.plan.needs[setup.need].title; }

    void line(const PadSetup& setup, const Pad& facts)
    {
        const InstanceIndex watcher = device_.linesInPorts ? facts.port : device_.lineInstance;
        if (watcher < 0)
            return;
        const std::string n = std::to_string(setup.line);
        const std::string& core = f_.plan.needs[setup.need].core;
        const std::string enable =
            device_.roleField(watcher, "enable_" + core + "_" + n).valid() ? "enable_" + core + "_" : "enable";
        if (const FieldRef port = device_.roleField(watcher, "port" + n); port.valid())
            for (const EnumValue& value : device_.fieldOf(port).values)
                if ((value.name == device_.instances[facts.port].name || value.name == facts.name) &&
                    chip_.registers().code(port) != value.code)
                    differs(device_.nameOf(port), std::to_string(chip_.registers().code(port)),
                            say("{} for the edges of {}", value.code, rule(setup)), {Place::Kind::Pad, facts.name, {}});
        for (const auto& [role, wanted] : {std::pair(std::string("rising"), setup.rising),
                                           {"falling", setup.falling},
                                           {enable, setup.rising || setup.falling}})
            if (const FieldRef ref = device_.roleField(watcher, role + n);
                ref.valid() && (chip_.registers().code(ref) != 0) != wanted)
                differs(device_.nameOf(ref), std::to_string(chip_.registers().code(ref)),
                        say("{} for the edges of {}", wanted ? 1 : 0, rule(setup)), {Place::Kind::Pad, facts.name, {}});
        if (const Role* edges = device_.blockOf(watcher).role("edges" + n)) {
            const FieldRef ref{watcher, edges->reg, edges->field};
            const std::int64_t wanted = (setup.rising ? 1 : 0) + (setup.falling ? 2 : 0);
            if (const std::optional<std::int64_t> is = meaningOf(edges->encoding, chip_.registers().code(ref));
                is != wanted)
                differs(device_.nameOf(ref), std::to_string(chip_.registers().code(ref)),
                        say("the code for {} for the edges of {}", wanted, rule(setup)),
                        {Place::Kind::Pad, facts.name, {}});
        }
        // What a line ignores is long enough at its fastest clock, and the shortest such that its field can hold.
        const FieldRef filter = device_.roleField(watcher, "filter" + n);
        if (!filter.valid())
            return;
        const Encoding& encoding = device_.blockOf(watcher).role("filter" + n)->encoding;
        const ClockState& clock = f_.rates.clocks[device_.instances[watcher].kernel];
        const Rational least = setup.quiet.value * shifted(clock.rate, clock.tolerance.high).value;
        std::optional<std::int64_t> shortest;
        const std::uint32_t codes = std::min<std::uint32_t>(device_.fieldOf(filter).maxCode(), 0xFFFF);
        for (std::uint32_t code = 0; code <= codes; ++code)
            if (const std::optional<std::int64_t> cycles = meaningOf(encoding, code);
                cycles && Rational(*cycles) >= least && (!shortest || *cycles < *shortest))
                shortest = cycles;
        const std::optional<std::int64_t> is = meaningOf(encoding, chip_.registers().code(filter));
        if (shortest && is != shortest)
            differs(device_.nameOf(filter), is ? std::to_string(*is) : say("no value"),
                    say("{} cycles for {}", *shortest, rule(setup)), {Place::Kind::Pad, facts.name, {}});
    }

    void need(NeedIndex index)
    {
        const BoundNeed& bound = f_.bindings.needs[index];
        const Setting& setting = f_.settings[index];
        if (const KindSpec* kind = findKind(f_.plan.needs[index].kind); kind && kind->statesFields)
            plainFields(index);
        if (!setting.notComputed.empty())
            return;
        const Instance& instance = device_.instances[bound.instance];
        const Place place{Place::Kind::Need, f_.plan.needs[index].id, {}};
        const std::string& title = f_.plan.needs[index].title;
        if (!chip_.open(bound.instance))
            differs(instance.name, say("without clock or in reset"), say("running for {}", title), place);
        for (const FieldCode& select : instance.selects)
            if (!chip_.registers().holds(select))
                differs(device_.nameOf(select.ref), std::to_string(chip_.registers().code(select.ref)),
                        say("{} for {}", select.code, title), place);
        for (const Stream& stream : bound.streams)
            dma(bound, stream, title, place);
        // The last value of a role counts: start functions change what the configuration left.
        std::map<std::pair<int, std::string>, std::int64_t> wanted;
        const auto ask = [&](const std::vector<RoleStep>& steps) {
            for (const RoleStep& step : steps)
                wanted[{bound.instance, step.role}] = step.value;
        };
        ask(setting.before);
        for (const RoleValue& value : setting.roles)
            if (value.when == RoleValue::When::Config)
                wanted[{bound.instance, value.role}] = value.value;
        ask(setting.after);
        for (const RoleValue& value : setting.roles)
            if (value.when == RoleValue::When::Start)
                wanted[{bound.instance, value.role}] = value.value;
        for (const StreamSetting& stream : setting.streams)
            for (const RoleValue& value : stream.roles)
                wanted[{device_.dma.instance, value.role}] = value.value;
        for (const NeedEvent& event : setting.events)
            wanted[{event.instance, event.enable}] = 1;
        for (const auto& [where, value] : wanted) {
            const auto& [owner, role] = where;
            const FieldRef ref = device_.roleField(owner, role);
            if (!ref.valid() || !device_.fieldOf(ref).keepsWrites() || setByHand(ref))
                continue;
            const std::optional<std::int64_t> is =
                meaningOf(device_.blockOf(owner).role(role)->encoding, chip_.registers().code(ref));
            if (!is || *is != value)
                differs(say("{} of {} ({})", role, device_.instances[InstanceIndex(owner)].name, device_.nameOf(ref)),
                        is ? std::to_string(*is) : say("no value"), say("{} for {}", value, title), place);
        }
    }

    /// What is set by hand is that, whatever the goals ask for.
    bool setByHand(const FieldRef& ref) const
    {
        return std::any_of(overrides_.begin(), overrides_.end(),
                           [&ref](const Override& set) { return set.ref == ref; });
    }

    /// Fields that a need states by their names: "CTL.MODE=2", "CTL.WAY=into_memory".
    void plainFields(NeedIndex index)
    {
        const Place place{Place::Kind::Need, f_.plan.needs[index].id, {}};
        std::map<std::string, std::string> last;
        for (const PlainField& plain : plainFieldsOf(f_.plan.needs[index]))
            if (!plain.value.empty())
                last[plain.field] = plain.value;
        for (const auto& [name, value] : last) {
            const std::optional<FieldRef> ref =
                device_.findField(device_.instances[f_.bindings.needs[index].instance].name + "." + name);
            if (!ref || !device_.fieldOf(*ref).keepsWrites())
                continue;
            std::optional<std::uint32_t> code;
            for (const EnumValue& known : device_.fieldOf(*ref).values) {
                std::string spelt = known.name;
                std::replace(spelt.begin(), spelt.end(), ' ', '_');
                if (spelt == value)
                    code = known.code;
            }
            if (!code && !value.empty() && value.front() >= '0' && value.front() <= '9')
                code = std::uint32_t(
                    std::strtoul(value.c_str(), nullptr, value.starts_with("0x") || value.starts_with("0X") ? 16 : 10));
            if (code && chip_.registers().code(*ref) != *code)
                differs(device_.nameOf(*ref), std::to_string(chip_.registers().code(*ref)),
                        say("{} for {}", *code, f_.plan.needs[index].title), place);
        }
    }

    void dma(const BoundNeed& bound, const Stream& stream, const std::string& title, const Place& place)
    {
        const FieldRef router = device_.requestField(stream.channel);
        const auto links = device_.instances[bound.instance].dma.find(stream.request);
        if (!router.valid() || links == device_.instances[bound.instance].dma.end())
            return;
        for (const DmaLink& link : links->second)
            if (link.channel == stream.channel && chip_.registers().code(router) != link.code)
                differs(device_.nameOf(router), std::to_string(chip_.registers().code(router)),
                        say("{} for {}", link.code, title), place);
    }

    /// What stands beside the rate of a source: trimming, watching, the crystal's capacitors; and that what nothing
    /// uses is off.
    void source(ClockIndex index, const ClockState& planned)
    {
        const ClockNode& node = device_.clocks[index];
        const Place place{Place::Kind::Clock, node.id, {}};
        if (!planned.running) {
            if (node.enable.valid() && chip_.clocks().clock(int(index)).on && !comesFromDead(int(index)))
                differs(node.name, "on", "off", place);
            return;
        }
        if (comesFromDead(int(index)))
            return;
        if (node.trim && chip_.registers().holds(node.trim->enable) != planned.trimmed &&
            !(planned.trimmed && node.trim->by >= 0 && comesFromDead(node.trim->by)))
            differs(node.name, planned.trimmed ? say("not trimmed") : "trimmed",
                    planned.trimmed ? "trimmed" : say("not trimmed"), place);
        if (node.monitor && chip_.registers().holds(node.monitor->enable) != planned.monitored)
            differs(node.name, planned.monitored ? say("not monitored") : "watched",
                    planned.monitored ? "watched" : say("not monitored"), place);
        // The first of the listed rates that the crystal does not pass.
        if (node.driveControl.valid() && !planned.external)
            for (const auto& [most, code] : node.drives)
                if (!(most.value < planned.rate.value)) {
                    if (chip_.registers().code(node.driveControl) != code)
                        differs(say("The drive of {}", node.name),
                                std::to_string(chip_.registers().code(node.driveControl)),
                                say("{} (up to {})", code, format(most)), place);
                    break;
                }
        // The code of the listed load that is nearest to what the crystal asks for.
        if (node.loadControl.valid() && !planned.load.value.isZero() && !planned.external) {
            const std::pair<Capacitance, std::uint32_t>* best = nullptr;
            const auto far = [&](const Capacitance& load) {
                return load.value < planned.load.value ? planned.load.value - load.value
                                                       : load.value - planned.load.value;
            };
            for (const auto& load : node.loads)
                if (!best || far(load.first) < far(best->first))
                    best = &load;
            if (best && chip_.registers().code(node.loadControl) != best->second)
                differs(say("The load of {}", node.name), std::to_string(chip_.registers().code(node.loadControl)),
                        fmt::format("{} ({})", best->second, format(best->first)), place);
        }
    }

    SimulatedChip& chip_;
    const Facts& f_;
    const Device& device_;
    const Rates& rates_;
    const std::set<NeedIndex>& without_;
    const std::set<ClockIndex>& dead_;
    const std::vector<Override> overrides_;
};

} // namespace

void judgeOutcome(SimulatedChip& chip, const Facts& facts, const Rates& rates, const std::set<NeedIndex>& without,
                  const std::set<ClockIndex>& dead)
{
    Outcomes(chip, facts, rates, without, dead).judge();
}

const FallBack* fallBackAfter(const Facts& f, const FieldRef& awaited)
{
    const auto found = std::find_if(f.image.fallBacks.begin(), f.image.fallBacks.end(),
                                    [&awaited](const FallBack& fallBack) { return fallBack.awaited == awaited; });
    return awaited.valid() && found != f.image.fallBacks.end() ? &*found : nullptr;
}

std::string wentOnText(const Facts& f, const FallBack& fallBack)
{
    const std::vector<std::string> left = leftTitles(f, fallBack);
    return say("continues {}{}",
               fallBack.toSlow ? say("on the low-speed clocks") : say("with everything that does not use it"),
               left.empty() ? "" : say(", without ") + listed(left));
}

} // namespace bindrel
