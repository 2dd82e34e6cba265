// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/simulated_pads.h"

namespace bindrel {

SimulatedPads::SimulatedPads(const SimulatedRegisters& registers) : registers_(registers)
{
    const Device& device = registers.device();
    for (const PadIndex p : device.pads.indices()) {
        const Pad& pad = device.pads[p];
        Fields fields;
        if (pad.port >= 0) {
            const Block& port = device.blockOf(pad.port);
            const std::string bit = std::to_string(pad.bit);
            fields = {port.role("function" + bit), port.role("output" + bit), port.role("level" + bit),
                      port.role("open_drain" + bit), port.role("pull" + bit)};
        }
        const auto concerns = [&](RegisterIndex reg) {
            std::vector<PadIndex>& pads = concerned_[{pad.port, reg}];
            if (pads.empty() || pads.back() != int(p))
                pads.push_back(int(p));
        };
        for (const Role* role : {fields.output, fields.level, fields.openDrain, fields.pull, fields.function})
            if (role) {
                concerns(role->reg);
                for (const auto& slice : role->higher)
                    concerns(slice.first);
            }
        fields_.push_back(fields);
    }
}

PadLook SimulatedPads::look(PadIndex pad) const
{
    const Device& device = registers_.device();
    const Pad& facts = device.pads[pad];
    const Fields& fields = fields_[pad];
    const auto meaning = [&](const Role* role) -> std::int64_t {
        return role ? meaningOf(role->encoding, registers_.code(facts.port, *role)).value_or(-1) : 0;
    };
    PadLook out;
    if (fields.function) {
        out.function = registers_.code(facts.port, *fields.function);
        out.port = std::int64_t(out.function) == facts.portCode;
    }
    for (const RouteIndex index : out.port ? std::vector<RouteIndex>() : facts.routes) {
        const Route& route = device.routes[index];
        const InstanceSignal::Direction direction =
            device.instances[route.instance].signals[size_t(route.signal)].direction;
        out.led = out.led || (route.code == std::int64_t(out.function) && direction != InstanceSignal::Direction::In &&
                              direction != InstanceSignal::Direction::Analog);
    }
    out.output = meaning(fields.output) == 1;
    out.high = meaning(fields.level) == 1;
    out.openDrain = meaning(fields.openDrain) == 1;
    out.pull = meaning(fields.pull);
    return out;
}

const std::vector<PadIndex>& SimulatedPads::padsOf(InstanceIndex instance, RegisterIndex reg) const
{
    static const std::vector<PadIndex> none;
    const auto found = concerned_.find({instance, reg});
    return found == concerned_.end() ? none : found->second;
}

} // namespace bindrel
