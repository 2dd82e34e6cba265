// SPDX-License-Identifier: GPL-3.0-or-later
// Power domains and the regulator: that nothing is wanted of a domain before it can be awaited.
#include "core/base/say.h"
#include "core/device/lint_remarks.h"
#include "core/device/watchdogs.h"

namespace bindrel {

void lintPower(const Device& device, LintRemarks& out)
{
    const auto domainOf = [&device](InstanceIndex instance) -> const PowerDomain* {
        const DomainIndex domain = instance < 0 ? DomainIndex() : device.instances[instance].domain;
        return domain < 0 ? nullptr : &device.domains[domain];
    };
    for (const FieldRef& mux : device.muxFields)
        if (const PowerDomain* domain = domainOf(mux.instance); domain && device.instances[mux.instance].unit.empty())
            out.addRemark("domain-too-early", "{} leads signals to pads, and these are set up before {} can be awaited",
                          device.nameOf(mux), domain->name);
    for (const FieldCode& dog : runningWatchdogs(device))
        if (const PowerDomain* domain = domainOf(dog.ref.instance); domain && domain->on.valid())
            out.addRemark("domain-too-early", "{} runs from reset on, and {} has no power then",
                          device.instances[dog.ref.instance].name, domain->name);
    const auto readOnly = [&](const FieldCode& ready, const std::string& of) {
        if (ready.valid() && device.fieldOf(ready.ref).access != Field::Access::ReadOnly)
            out.addRemark("ready-writable", "{} shows that {} is ready, and can be written", device.nameOf(ready.ref),
                          of);
    };
    for (const PowerDomain& domain : device.domains)
        readOnly(domain.ready, domain.name);
    readOnly(device.regulatorReady, say("the regulator"));
}

} // namespace bindrel
