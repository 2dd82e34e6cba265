// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/common/chain.h"

#include "core/base/text.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

std::string countedBy(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    return kind && kind->pacedBy ? kind->pacedBy(need) : std::string();
}

int indexOf(const Plan& plan, const std::string& id)
{
    for (const NeedIndex n : plan.needs.indices())
        if (plan.needs[n].id == id)
            return int(n);
    return -1;
}

TuningContext contextOf(const TuningContext& c, NeedIndex need)
{
    return {c.device, c.rates, c.plan.needs[need], c.bindings.needs[need], c.plan, c.bindings};
}

/// Needs in the order of the chain, this one not among them; empty with a trouble when it does not end.
std::vector<int> chainOf(const TuningContext& c, std::string& trouble)
{
    std::vector<int> out;
    for (std::string by = countedBy(c.need); !by.empty(); by = countedBy(c.plan.needs[NeedIndex(out.back())])) {
        const NeedIndex next = indexOf(c.plan, by);
        std::vector<std::string> ids;
        for (const Need& need : c.plan.needs)
            ids.push_back(need.id);
        if (next < 0)
            trouble =
                formatIfNeeded(c, "there is no need \"{}\" whose periods could be counted.{}", by, didYouMean(by, ids));
        else if (&c.plan.needs[next] == &c.need || c.plan.needs[next].id == c.need.id ||
                 out.size() > c.plan.needs.size())
            trouble = formatIfNeeded(c, "{} would count its own periods", c.need.title);
        else
            out.push_back(next);
        if (!trouble.empty())
            return {};
    }
    return out;
}

} // namespace

Ticks ticksOf(const TuningContext& c)
{
    Ticks out;
    out.rate = c.kernel().rate;
    out.of = formatIfNeeded(c, "{} {}", c.kernelName(), formatIfNeeded(c, out.rate));
    const FieldRef field = c.device.roleField(c.bound.instance, "chain");
    if (countedBy(c.need).empty()) {
        // A chip that comes out of reset with another timer chosen is set back to the clock.
        for (const EnumValue& value : field.valid() ? c.device.fieldOf(field).values : std::vector<EnumValue>())
            if (value.name == "clock" && value.code != c.device.resetCode(field))
                out.chain = value.code;
        return out;
    }
    const std::vector<int> chain = chainOf(c, out.trouble);
    if (!out.trouble.empty())
        return out;
    out.need = chain.front();
    const Need& other = c.plan.needs[out.need];
    const std::string& name = c.device.instances[c.bound.instance].name;
    const InstanceIndex by = c.bindings.needs[out.need].instance;
    const TuningFacet& facet = tuningOf(other.kind);
    std::vector<std::string> timers;
    for (const EnumValue& value : field.valid() ? c.device.fieldOf(field).values : std::vector<EnumValue>())
        if (c.device.findInstance(value.name) >= 0 && value.name != name) {
            timers.push_back(value.name);
            if (by >= 0 && value.name == c.device.instances[by].name)
                out.chain = value.code;
        }
    const std::optional<Frequency> periods =
        by >= 0 && facet.timerPeriodRate && c.rates.clocks[c.device.instances[by].kernel].running
            ? facet.timerPeriodRate(contextOf(c, out.need))
            : std::nullopt;
    if (!facet.timerPeriodRate)
        out.trouble = formatIfNeeded(c, "{} has no periods that could be counted", other.title);
    else if (by < 0)
        out.trouble = formatIfNeeded(c, "{} has no timer yet", other.title);
    else if (timers.empty())
        out.trouble = formatIfNeeded(c, "{} counts its clock only. Choose another timer", name);
    else if (!out.chain)
        out.trouble = formatIfNeeded(c, "{} is on {}, whose periods {} does not count: it takes those of {}",
                                     other.title, c.device.instances[by].name, name, listed(timers));
    else if (!periods)
        out.trouble = formatIfNeeded(c, "{} does not run", other.title);
    else
        out.rate = *periods;
    out.of = formatIfNeeded(c, "periods of {} {}", other.title, formatIfNeeded(c, out.rate));
    return out;
}

TuningContext timedAs(const TuningContext& c)
{
    std::string trouble;
    const std::vector<int> chain = chainOf(c, trouble);
    if (chain.empty() || c.bindings.needs[NeedIndex(chain.back())].instance < 0)
        return c;
    return {c.device, c.rates, c.need, c.bindings.needs[NeedIndex(chain.back())], c.plan, c.bindings};
}

bool isCounted(const TuningContext& c)
{
    for (const Need& other : c.plan.needs)
        if (countedBy(other) == c.need.id)
            return true;
    return false;
}

void addChainRoles(const TuningContext& c, const Ticks& ticks, Setting& out)
{
    if (ticks.chain)
        out.roles.push_back({"chain", *ticks.chain, "counts"});
    if (c.has("hands_on") && isCounted(c))
        out.roles.push_back({"hands_on", 1, ""});
}

} // namespace bindrel
