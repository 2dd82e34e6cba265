// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/gates.h"

#include <algorithm>

namespace bindrel {

std::vector<Gate> gatesOf(const Device& device, const Bindings& bindings, const Image& image)
{
    std::vector<Gate> out;
    for (const InstanceIndex i : device.instances.indices()) {
        const Instance& instance = device.instances[i];
        if (!instance.gate.valid())
            continue;
        auto gate = std::find_if(out.begin(), out.end(),
                                 [&instance](const Gate& known) { return known.field.ref == instance.gate.ref; });
        if (gate == out.end())
            gate = out.insert(out.end(), {instance.gate,
                                          instance.bus,
                                          {},
                                          {},
                                          image.codeOf(device, instance.gate.ref) == instance.gate.code,
                                          false});
        gate->instances.push_back(i);
        for (const NeedIndex n : bindings.needs.indices())
            if (bindings.needs[n].instance == i)
                gate->needs.push_back(int(n));
        gate->touched = gate->touched || std::any_of(image.steps.begin(), image.steps.end(),
                                                     [i](const Step& step) { return step.instance == i; });
    }
    return out;
}

} // namespace bindrel
