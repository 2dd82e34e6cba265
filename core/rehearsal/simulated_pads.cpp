// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/simulated_pads.h"

namespace bindrel {

SimulatedPads::SimulatedPads(const SimulatedRegisters& registers) : registers_(registers)
{
    const Device& device = registers.device();
    for (size_t p = 0; p < device.pads.size(); ++p) {
        const Pad& pad = device.pads[p];
        Fields fields;
        if (pad.port >= 0) {
            const std::string bit = std::to_string(pad.bit);
            fields = {device.roleField(pad.port, "output" + bit), device.roleField(pad.port, "level" + bit),
                      device.roleField(pad.port, "open_drain" + bit), device.roleField(pad.port, "pull" + bit)};
        }
        for (const FieldRef& ref : {fields.output, fields.level, fields.openDrain, fields.pull, pad.function})
            if (ref.valid()) {
                std::vector<PadIndex>& pads = concerned_[{ref.instance, ref.reg}];
                if (pads.empty() || pads.back() != int(p))
                    pads.push_back(int(p));
            }
        fields_.push_back(fields);
    }
}

PadLook SimulatedPads::look(PadIndex pad) const
{
    const Device& device = registers_.device();
    const Pad& facts = device.pads[size_t(pad)];
    const Fields& fields = fields_[size_t(pad)];
    const auto meaning = [&](const FieldRef& ref, const char* role) -> std::int64_t {
        if (!ref.valid())
            return 0;
        const Role* found = device.blockOf(ref.instance).role(role + std::to_string(facts.bit));
        return meaningOf(found->encoding, registers_.code(ref)).value_or(-1);
    };
    PadLook out;
    if (facts.function.valid()) {
        out.function = registers_.code(facts.function);
        out.port = std::int64_t(out.function) == facts.portCode;
    }
    for (const RouteIndex index : out.port ? std::vector<RouteIndex>() : facts.routes) {
        const Route& route = device.routes[size_t(index)];
        const InstanceSignal::Direction direction =
            device.instances[size_t(route.instance)].signals[size_t(route.signal)].direction;
        out.led = out.led || (route.code == std::int64_t(out.function) && direction != InstanceSignal::Direction::In &&
                              direction != InstanceSignal::Direction::Analog);
    }
    out.output = meaning(fields.output, "output") == 1;
    out.high = meaning(fields.level, "level") == 1;
    out.openDrain = meaning(fields.openDrain, "open_drain") == 1;
    out.pull = meaning(fields.pull, "pull");
    return out;
}

const std::vector<PadIndex>& SimulatedPads::padsOf(InstanceIndex instance, RegisterIndex reg) const
{
    static const std::vector<PadIndex> none;
    const auto found = concerned_.find({instance, reg});
    return found == concerned_.end() ? none : found->second;
}

} // namespace bindrel
