// SPDX-License-Identifier: GPL-3.0-or-later
// Pads: clock gates of the ports, levels of outputs, then function and direction, so that an output starts at its
// level.
#include "core/base/say.h"
#include "core/base/whole_number.h"
#include "core/image/image.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>
#include <utility>

namespace bindrel {

bool SharedRegisters::has(InstanceIndex port, RegisterIndex reg)
{
    const auto [known, fresh] = byPort_.try_emplace(port);
    std::vector<bool>& shared = known->second;
    if (fresh) {
        const Block& block = device_.blockOf(port);
        shared.assign(block.registers.size(), false);
        std::vector<int> bits(block.registers.size(), -1);
        for (const auto& [name, role] : block.roles) {
            const size_t digits = name.find_last_not_of("0123456789") + 1;
            if (role.reg < 0 || digits >= name.size())
                continue;
            const int own = int(wholeNumber(std::string_view(name).substr(digits), INT32_MAX).value_or(INT32_MAX));
            const auto add = [&](RegisterIndex index) {
                int& bit = bits[size_t(index)];
                if (bit >= 0 && own != bit)
                    shared[size_t(index)] = true;
                bit = own;
            };
            add(role.reg);
            for (const auto& slice : role.higher)
                add(slice.first);
        }
    }
    return shared[size_t(reg)];
}

bool isHandedOver(const Bindings& bindings, const IndexVector<NeedIndex, Setting>& settings, const PadSetup& setup)
{
    const Seat& seat = bindings.needs[setup.need].seats[size_t(setup.seat)];
    return !setup.gpio && !setup.wired && !setup.openDrain && seat.route >= 0 &&
           seat.signal.direction == SignalSpec::Direction::Out && settings[setup.need].computed;
}

std::vector<PadStep> padSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings,
                              const PadSetup& setup, SharedRegisters& sharedRegisters)
{
    std::vector<PadStep> out;
    const Pad& pad = device.pads[setup.pad];
    if (pad.port < 0 || setup.wired)
        return {};
    const Need& need = plan.needs[setup.need];
    const Seat& seat = bindings.needs[setup.need].seats[size_t(setup.seat)];
    const std::string bit = std::to_string(pad.bit);
    const std::string carried = seat.route >= 0 ? device.signalName(device.routes[seat.route])
                                : setup.output  ? "output"
                                                : "input";
    std::vector<FieldWrite> fields;
    // What a value is in bits is for the file to say: by the role's encoding, or the names of the field's values.
    const auto put = [&](const char* name, std::int64_t value, const std::string& cause) {
        const Role* role = device.blockOf(pad.port).role(name + bit);
        if (!role)
            return;
        const std::optional<std::uint32_t> code = role->encoding.encode(value);
        if (code && *code <= device.blockOf(pad.port).maxCode(*role))
            for (const FieldCode& slice : device.codesOf(pad.port, *role, *code))
                fields.push_back({slice.ref, slice.code, cause, name});
        else if (value != 0)
            image.unplaced.push_back(say("{} cannot have the {} that {} needs: {} has no code for it", pad.name, name,
                                         need.title, device.nameOf({pad.port, role->reg, role->field})));
    };
    if (setup.code >= 0)
        for (const FieldCode& slice : device.functionCodes(pad, static_cast<std::uint32_t>(setup.code)))
            fields.push_back({slice.ref, slice.code, need.title + ", " + say(seat.signal.title)});
    put("output", setup.output, need.title + say(", direction"));
    // A port's bit is set up by the need's own goals, a peripheral's signal by what is said or sensibly follows.
    const auto causeOf = [&](const char* property) {
        return seat.route < 0 || setup.isSaid(property) ? need.title + ", " + property : setup.because;
    };
    put("pull", static_cast<std::int64_t>(setup.pull), causeOf("pull"));
    put("open_drain", setup.openDrain, causeOf("open_drain"));
    // By the names of its values where the file gives them, else by the place in the pad's list of strengths.
    const Role* drive = device.blockOf(pad.port).role("drive" + bit);
    const bool named = drive && drive->encoding.kind == Encoding::Kind::Table && pad.drives.size() <= 3;
    put("drive",
        named || pad.drives.empty() ? static_cast<std::int64_t>(setup.drive)
                                    : static_cast<std::int64_t>(driveIndex(pad, setup.drive)),
        causeOf("drive"));
    put("speed", setup.fast, causeOf("speed"));
    // A port may keep the facts of a pad in registers of its own, or one register for all pads of a kind.
    std::map<int, std::vector<FieldWrite>> byRegister;
    for (FieldWrite& write : fields)
        byRegister[write.ref.reg].push_back(std::move(write));
    const auto shared = [&](RegisterIndex reg) { return sharedRegisters.has(pad.port, reg); };
    std::string why =
        say("{}, pin {}: {} {}, {}.", pad.name, device.pinOf(setup.pad), need.title, say(seat.signal.title), carried);
    std::vector<std::pair<int, int>> order; // rank, register
    for (const auto& [reg, writes] : byRegister) {
        const FieldRef output = device.roleField(pad.port, "output" + bit);
        const auto any = [&writes = writes](const auto& what) {
            return std::any_of(writes.begin(), writes.end(),
                               [&what](const FieldWrite& write) { return what(write.ref); });
        };
        order.emplace_back(any([&output](const FieldRef& ref) { return ref == output; })      ? 2
                           : any([&pad](const FieldRef& ref) { return pad.isPickedBy(ref); }) ? 1
                                                                                              : 0,
                           reg);
    }
    std::sort(order.begin(), order.end());
    for (const auto& [rank, reg] : order) {
        std::vector<FieldWrite>& writes = byRegister[reg];
        out.push_back({rank, shared(reg) ? updateStep(device, std::move(writes), std::exchange(why, {}))
                                         : writeStep(device, std::move(writes), std::exchange(why, {}))});
    }
    return out;
}

namespace {
/// Adds a part; what goes to the same register in the same rank becomes one update of all its pads.
void gather(const Device& device, std::vector<PadStep>& parts, PadStep part)
{
    const auto same = std::find_if(parts.begin(), parts.end(), [&part](const PadStep& other) {
        return other.rank == part.rank && other.step.kind == Step::Kind::Update &&
               part.step.kind == Step::Kind::Update && other.step.instance == part.step.instance &&
               other.step.reg == part.step.reg;
    });
    if (same == parts.end()) {
        parts.push_back(std::move(part));
        return;
    }
    std::vector<FieldWrite> fields = std::move(same->step.fields);
    for (FieldWrite& write : part.step.fields)
        if (std::none_of(fields.begin(), fields.end(),
                         [&write](const FieldWrite& known) { return known.ref == write.ref; }))
            fields.push_back(std::move(write));
    std::string why = same->step.why.empty() || part.step.why.empty() ? same->step.why + part.step.why
                                                                      : same->step.why + " " + part.step.why;
    same->step = updateStep(device, std::move(fields), std::move(why));
}
} // namespace

void appendPinSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings,
                    const IndexVector<NeedIndex, Setting>& settings, const std::vector<PadSetup>& pads)
{
    const auto add = [&image](Step step) {
        step.phase = Step::Phase::Pins;
        image.steps.push_back(std::move(step));
    };
    // Gates that lie in one register are opened together.
    std::map<std::tuple<int, int, Step::Kind>, std::vector<FieldWrite>> gates;
    std::vector<Step> resets;
    std::vector<int> seen;
    for (const PadSetup& setup : pads) {
        const InstanceIndex port = device.pads[setup.pad].port;
        if (port < 0 || setup.wired || std::find(seen.begin(), seen.end(), port) != seen.end())
            continue;
        seen.push_back(port);
        for (Step& step : wakeSteps(device, port)) {
            const Instance& facts = device.instances[port];
            if (step.fields.front().ref == (facts.gateSet.valid() ? facts.gateSet : facts.gate).ref)
                gates[{step.instance, step.reg, step.kind}].push_back(step.fields.front());
            else
                resets.push_back(std::move(step));
        }
    }
    for (auto& [where, fields] : gates) {
        // Several ports can hang on one gate.
        std::set<FieldRef> opened;
        std::erase_if(fields, [&opened](const FieldWrite& write) { return !opened.insert(write.ref).second; });
        add(std::get<Step::Kind>(where) == Step::Kind::Write
                ? writeStep(device, std::move(fields), say("Clock the ports in use."))
                : updateStep(device, std::move(fields), say("Clock the ports in use.")));
    }
    for (Step& step : resets)
        add(std::move(step));

    for (const InstanceIndex port : seen) {
        std::vector<FieldWrite> levels;
        for (const PadSetup& setup : pads)
            if (device.pads[setup.pad].port == port && setup.output)
                levels.push_back({device.roleField(port, "level" + std::to_string(device.pads[setup.pad].bit)),
                                  setup.levelHigh, plan.needs[setup.need].title + say(", level")});
        if (!levels.empty() && levels.front().ref.valid())
            add(updateStep(device, std::move(levels),
                           say("{}: output levels, before the outputs are enabled.", device.instances[port].name)));
    }
    std::vector<PadStep> early;
    SharedRegisters shared(device);
    for (const PadSetup& setup : pads)
        if (!isHandedOver(bindings, settings, setup))
            for (PadStep& part : padSteps(image, device, plan, bindings, setup, shared))
                gather(device, early, std::move(part));
    std::stable_sort(early.begin(), early.end(), [](const PadStep& a, const PadStep& b) { return a.rank < b.rank; });
    for (PadStep& part : early)
        add(std::move(part.step));
    // What leads signals to the pads beyond the pads themselves: remaps, matrices.
    std::vector<int> woken;
    std::set<FieldRef> led;
    for (const PadSetup& setup : pads) {
        const Seat& seat = bindings.needs[setup.need].seats[size_t(setup.seat)];
        if (seat.route < 0)
            continue;
        const Route& route = device.routes[seat.route];
        std::map<std::pair<int, int>, std::vector<FieldWrite>> byRegister;
        for (const FieldCode& select : route.selects)
            if (!device.pads[setup.pad].isPickedBy(select.ref) && select.ref.instance != route.instance)
                byRegister[{select.ref.instance, select.ref.reg}].push_back(
                    {select.ref, select.code, plan.needs[setup.need].title + ", " + say(seat.signal.title)});
        std::string why = say("{} to {}.", device.signalName(route), device.pads[setup.pad].name);
        for (auto& [where, writes] : byRegister) {
            // A remap moves several signals of an instance: it is written once.
            std::erase_if(writes, [&led](const FieldWrite& write) { return !led.insert(write.ref).second; });
            if (writes.empty())
                continue;
            if (std::find(woken.begin(), woken.end(), where.first) == woken.end()) {
                woken.push_back(where.first);
                for (Step& step : wakeSteps(device, where.first))
                    add(std::move(step));
            }
            add(updateStep(device, std::move(writes), std::exchange(why, {})));
        }
    }
}

} // namespace bindrel
