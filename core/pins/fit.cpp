// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/fit.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/transplant.h"

#include <fmt/format.h>

#include <numeric>

namespace bindrel {

Fit fitOn(const Device& device, const Board& board, const Plan& given, const std::function<bool()>& cancelled)
{
    Transplant moved = transplant(device, board, given);
    Fit out;
    out.plan = std::move(moved.plan);
    Plan& plan = out.plan;
    // What nothing on the chip could serve is the plainest reason.
    if (!moved.homeless.empty()) {
        out.proven = true;
        out.why = whyHomeless(moved.homeless);
        return out;
    }
    Board bare = board;
    if (given.device != device.name)
        bare.nets.clear();
    PlacementRequest request;
    request.needs.resize(plan.needs.size());
    std::iota(request.needs.begin(), request.needs.end(), 0);
    request.cancelled = cancelled;
    const PlacementResult result = place(device, bare, plan, request);
    out.proven = result.proven;
    if (!result.ways.empty()) {
        out.fits = out.proven = true;
        out.cost = result.ways.front().cost;
        plan = withPlacement(std::move(plan), result.ways.front());
        // Against the plan as it was: what is called otherwise there has moved.
        out.cost.moved = out.cost.pads = 0;
        for (const NeedIndex n : plan.needs.indices()) {
            const Binding& was = given.needs[n].binding;
            const Binding& is = plan.needs[n].binding;
            if (was.empty())
                continue;
            int pads = 0;
            for (const auto& [signal, pad] : is.pads)
                pads += !was.pads.contains(signal) || was.pads.at(signal) != pad;
            out.cost.pads += pads;
            out.cost.moved += pads > 0 || was.instance != is.instance;
        }
        return out;
    }
    std::vector<std::string> names;
    for (const NeedIndex n : result.culprits)
        names.push_back(plan.needs[n].title);
    out.why = result.cancelled    ? say("the search was stopped")
              : !result.proven    ? say("not decided within the bounds of the search")
              : names.size() == 1 ? say("{} cannot be placed", names[0])
                                  : say("{} cannot all be placed", listed(names));
    return out;
}

} // namespace bindrel
