// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/findings/finding.h"
#include "core/pins/options.h"
#include "core/pins/taken.h"
#include "core/plan/fences.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

using Severity = Finding::Severity;

std::string titleOf(const Facts& f, const Claim& claim)
{
    const std::string& need = f.plan.needs[claim.need].title;
    if (claim.seat < 0)
        return need;
    return need + " " + say(f.bindings.needs[claim.need].seats[size_t(claim.seat)].signal.title);
}

void openNeeds(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices()) {
        const BoundNeed& bound = f.bindings.needs[n];
        if (bound.state != BoundNeed::State::Open)
            continue;
        std::vector<std::string> missing;
        std::vector<std::string> requests;
        bool impossible = false;
        for (const Seat& seat : bound.seats) {
            if (seat.pad < 0)
                missing.push_back(say(seat.signal.title));
            impossible = impossible || !seat.impossible.empty();
        }
        for (const Stream& stream : bound.streams) {
            if (stream.channel < 0)
                requests.push_back(stream.request);
            impossible = impossible || !stream.impossible.empty();
        }
        if (missing.empty() && requests.empty() && impossible)
            continue; // said by the rule for impossible pads
        const KindSpec* kind = findKind(f.plan.needs[n].kind);
        const bool noInstance = bound.instance < 0 && kind && !kind->instanceKind.empty();
        const std::string what = missing.size() == bound.seats.size() && (!missing.empty() || noInstance)
                                     ? say("is not bound yet")
                                 : missing.empty() && noInstance ? say("has no instance")
                                 : missing.empty()               ? say("has no DMA channel for ") + listed(requests)
                                                                 : say("has no pad for ") + listed(missing);
        out.push_back({Severity::Error,
                       {},
                       message("{} {}; it is left out of the generated source.", f.plan.needs[n].title, what),
                       {Place::Kind::Need, f.plan.needs[n].id, {}},
                       say("Bind")});
    }
}

/// The claim that gives way with the least loss: one on a port's bit before one on an instance, fixed wiring never.
const Claim& easiestToMove(const Facts& f, const Contest& contest)
{
    const auto weight = [&](const Claim& claim) {
        if (claim.seat < 0)
            return 1;
        const Seat& seat = f.bindings.needs[claim.need].seats[size_t(claim.seat)];
        return seat.route < 0 ? 0 : f.device.routes[seat.route].mechanism == Route::Mechanism::Fixed ? 2 : 1;
    };
    // Of equals the one that was stated last gives way.
    return *std::min_element(contest.claims.rbegin(), contest.claims.rend(),
                             [&](const Claim& a, const Claim& b) { return weight(a) < weight(b); });
}

std::string capitalised(std::string text)
{
    if (!text.empty() && text[0] >= 'a' && text[0] <= 'z')
        text[0] = static_cast<char>(text[0] - 'a' + 'A');
    return text;
}

/// "set 1", "SER2 as UART": how one claim wants a resource; empty where there is only one way.
std::string wantedAs(const Facts& f, const Contest& contest, size_t claim)
{
    switch (contest.resource.kind) {
    case Resource::Kind::Setting: {
        const FieldRef& field = f.device.muxFields[size_t(contest.resource.index)];
        return codeName(f.device, {field, static_cast<std::uint32_t>(std::stoul(contest.as[claim]))});
    }
    case Resource::Kind::Unit:
        return say("as {}", contest.as[claim]);
    default:
        return {};
    }
}

void contests(const Facts& f, std::vector<Finding>& out, Resource::Kind kind, const char* why)
{
    for (const Contest& contest : f.bindings.contests) {
        if (contest.resource.kind != kind)
            continue;
        std::vector<std::string> who;
        for (size_t i = 0; i < contest.claims.size(); ++i) {
            // What each wants is worth a word where the thing itself can be had in several ways.
            const std::string as = wantedAs(f, contest, i);
            who.push_back(titleOf(f, contest.claims[i]) + (as.empty() ? "" : " (" + as + ")"));
        }
        const Claim& last = easiestToMove(f, contest);
        const std::string need = f.plan.needs[last.need].id;
        Place place{Place::Kind::Need, need, {}};
        if (kind == Resource::Kind::Pad)
            place = {Place::Kind::Pad, nameOf(f.device, contest.resource), need};
        else if (last.seat >= 0)
            place = {Place::Kind::Signal, need, f.bindings.needs[last.need].seats[size_t(last.seat)].signal.id};
        out.push_back({Severity::Error,
                       {},
                       message("{} is assigned to {}, but {}.", capitalised(nameOf(f.device, contest.resource)),
                               listed(who), why),
                       place,
                       say("Move ") + f.plan.needs[last.need].title});
    }
}

void contestedPads(const Facts& f, std::vector<Finding>& out)
{
    contests(f, out, Resource::Kind::Pad, say("a pad carries only one signal. Move one of them"));
}
void contestedInstances(const Facts& f, std::vector<Finding>& out)
{
    contests(f, out, Resource::Kind::Instance,
             say("they cannot share it with these settings. Move one to another instance"));
}
void contestedLines(const Facts& f, std::vector<Finding>& out)
{
    contests(f, out, Resource::Kind::Line, say("the line watches only one pad. Move one to a pad on another line"));
}

void contestedUnits(const Facts& f, std::vector<Finding>& out)
{
    contests(f, out, Resource::Kind::Unit, say("it has one mode at a time. Move one to another unit"));
}
void contestedSettings(const Facts& f, std::vector<Finding>& out)
{
    contests(f, out, Resource::Kind::Setting, say("this field remaps all their signals. Move one of them"));
}
void contestedChannels(const Facts& f, std::vector<Finding>& out)
{
    contests(f, out, Resource::Kind::Channel,
             say("a channel serves only one need. Move one to a pad on another channel"));
}
void contestedInside(const Facts& f, std::vector<Finding>& out)
{
    contests(f, out, Resource::Kind::Exclusive, say("the chip has only one. Move one elsewhere"));
}
void contestedDma(const Facts& f, std::vector<Finding>& out)
{
    contests(f, out, Resource::Kind::Dma, say("a channel serves only one request. Use another channel for one"));
}

void impossiblePads(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices())
        for (const Seat& seat : f.bindings.needs[n].seats)
            if (!seat.impossible.empty())
                out.push_back({Severity::Error,
                               {},
                               message("{}: {}. Choose another pad for {}.", f.plan.needs[n].title, seat.impossible,
                                       say(seat.signal.title)),
                               {Place::Kind::Signal, f.plan.needs[n].id, seat.signal.id},
                               say("Bind again")});
    for (const NeedIndex n : f.plan.needs.indices())
        for (const Stream& stream : f.bindings.needs[n].streams)
            if (!stream.impossible.empty())
                out.push_back({Severity::Error,
                               {},
                               message("{}: {}. Choose another channel.", f.plan.needs[n].title, stream.impossible),
                               {Place::Kind::Need, f.plan.needs[n].id, {}},
                               say("Bind again")});
}

void debugPads(const Facts& f, std::vector<Finding>& out)
{
    for (const PadIndex p : f.device.pads.indices()) {
        const Pad& pad = f.device.pads[p];
        if (pad.resetClaim.empty())
            continue;
        for (const Claim& claim : f.bindings.padClaims[p]) {
            const Seat& seat = f.bindings.needs[claim.need].seats[size_t(claim.seat)];
            if (seat.route >= 0 && f.device.signalName(f.device.routes[seat.route]) == pad.resetClaim)
                continue;
            out.push_back({Severity::Caution,
                           {},
                           message("{} uses {}, which is {} after reset: a debugger can then attach only under reset.",
                                   titleOf(f, claim), pad.name, pad.resetClaim),
                           {Place::Kind::Pad, pad.name, f.plan.needs[claim.need].id},
                           say("Move ") + f.plan.needs[claim.need].title});
        }
    }
}

void boardNets(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices())
        for (const Seat& seat : f.bindings.needs[n].seats) {
            if (seat.pad < 0)
                continue;
            const std::string objection = boardObjection(f.device, f.board, seat.pad, seat.route, f.plan.needs[n],
                                                         netOf(f.plan.needs[n], seat.signal.id));
            if (!objection.empty())
                out.push_back({Severity::Error,
                               {},
                               message("{} {} is on {}, {}{}. Move it.", f.plan.needs[n].title, say(seat.signal.title),
                                       f.device.pads[seat.pad].name,
                                       objection.starts_with("routed") ? say("which is ") : say("but "), objection),
                               {Place::Kind::Signal, f.plan.needs[n].id, seat.signal.id},
                               say("Move {}", f.plan.needs[n].title)});
        }
}

Expected<Edit> fixByBinding(const Facts& f, const Finding& finding)
{
    return bindNeed(f.device, f.board, f.plan, finding.place.id);
}

/// Takes the need off what it has and binds it anew around the others.
Expected<Edit> fixByMoving(const Facts& f, const Finding& finding)
{
    const std::string id = finding.place.kind == Place::Kind::Pad ? finding.place.sub : finding.place.id;
    Plan without = f.plan;
    Need* need = without.need(id);
    if (!need)
        return problemOf(say("the need is no longer in the plan."));
    // Its pads that nobody else wants may stay; the search prefers them.
    for (const Contest& contest : f.bindings.contests)
        for (const Claim& claim : contest.claims)
            if (f.plan.needs[claim.need].id == id) {
                if (contest.resource.kind == Resource::Kind::Instance || contest.resource.kind == Resource::Kind::Unit)
                    need->binding = {};
                else if (contest.resource.kind == Resource::Kind::Dma)
                    need->binding.dma.clear();
                else if (claim.seat >= 0)
                    need->binding.pads.erase(f.bindings.needs[claim.need].seats[size_t(claim.seat)].signal.id);
            }
    if (finding.place.kind == Place::Kind::Signal)
        need->binding.pads.erase(finding.place.sub);
    if (finding.place.kind == Place::Kind::Pad)
        std::erase_if(need->binding.pads, [&](const auto& entry) { return entry.second == finding.place.id; });
    Expected<Edit> edit = bindNeed(f.device, f.board, without, id);
    if (edit)
        edit->title = finding.fixTitle;
    return edit;
}

void fencedOff(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices()) {
        const InstanceIndex instance = f.bindings.needs[n].instance;
        const Need& need = f.plan.needs[n];
        if (instance < 0)
            continue;
        const Instance& facts = f.device.instances[instance];
        std::vector<const Need*> together;
        for (const NeedIndex k : f.plan.needs.indices())
            if (f.bindings.needs[k].instance == instance)
                together.push_back(&f.plan.needs[k]);
        const std::string& owner = f.device.cores[f.device.ownerCore(need.core)].id;
        for (const Fence& fence : facts.fences)
            if (!fenceCode(f.device, fence, together)) {
                const bool opened = !need.openTo.empty() && need.openTo != "nobody";
                out.push_back(
                    {Finding::Severity::Error,
                     {},
                     message("{} on {} belongs to {}{}, but {} cannot grant {} access. Choose another instance{}.",
                             need.title, facts.name, owner,
                             opened ? say(" and is shared with ") + need.openTo : std::string(),
                             f.device.nameOf(fence.field),
                             together.size() > 1 ? say("all that share it")
                             : opened            ? say("both")
                                                 : say("it"),
                             opened ? say(", or share it with nobody") : say(", or assign it to another core")),
                     {Place::Kind::Need, need.id, {}},
                     {},
                     {}});
            }
        if (const Expected<std::string> known = checkOpenTo(f.device, need.openTo); !known)
            out.push_back({Finding::Severity::Error,
                           {},
                           message("{}: {}", need.title, known.problem().message),
                           {Place::Kind::Need, need.id, {}},
                           {},
                           {}});
    }
}

} // namespace

std::vector<Rule> pinRules()
{
    return {
        {"PIN-01", later("A pad carries only one signal."), contestedPads, fixByMoving},
        {"PIN-02", later("Needs that share an instance use it with the same settings."), contestedInstances,
         fixByMoving, true},
        {"PIN-03", later("An external-interrupt line watches only one pad."), contestedLines, fixByMoving, true},
        {"PIN-04", later("Each pad can carry the signal assigned to it."), impossiblePads, fixByMoving},
        {"PIN-05", later("Debug pads stay with the debug port."), debugPads, fixByMoving},
        {"PIN-06", later("A pad that is routed on the board carries its own net."), boardNets, fixByMoving},
        {"PIN-07", later("A unit has one mode at a time."), contestedUnits, fixByMoving, true},
        {"PIN-08", later("A remap or matrix field has only one value."), contestedSettings, fixByMoving, true},
        {"PIN-09", later("A channel of a shared timer or converter serves one need."), contestedChannels, fixByMoving,
         true},
        {"PIN-10", later("Resources that signals share inside the chip are used once."), contestedInside, fixByMoving,
         true},
        {"PIN-11", later("A DMA channel serves only one request."), contestedDma, fixByMoving, true},
        {"NEED-01", later("Every need is bound."), openNeeds, fixByBinding},
        {"NEED-02", later("Cores that own or share a need can access its instance."), fencedOff, nullptr},
    };
}

} // namespace bindrel
