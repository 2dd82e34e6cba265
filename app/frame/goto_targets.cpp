// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/goto_targets.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/kind.h"
#include "core/plan/stored_settings.h"
#include "core/quantity/format.h"

#include <algorithm>

namespace bindrel {

namespace {

/// Its id, its kind by all names, and what its pads are called.
std::string namesOf(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    std::string out = need.id + " " + kind->id + " " + say(kind->title);
    for (const PhraseSpec& name : kind->otherNames)
        out += " " + name.words;
    for (const auto& [signal, said] : need.pins)
        if (const auto name = said.find("name"); name != said.end())
            out += " " + name->second;
    return out;
}

/// Where several match as well, what a person more likely means.
int rankOf(const GotoTarget& target)
{
    static const std::vector<std::string> order{"change", "need",    "command",  "clock",   "pad",  "net",
                                                "mode",   "setting", "register", "finding", "field"};
    return int(std::find(order.begin(), order.end(), target.kind) - order.begin());
}

} // namespace

std::vector<GotoTarget> gotoTargets(const Snapshot& s)
{
    std::vector<GotoTarget> out;
    for (const Need& need : s.plan.needs) {
        const Part* part = s.board->part(need.part);
        out.push_back(
            {need.title,
             "need",
             (part ? part->title : "") + (part && !need.binding.instance.empty() ? ", " : "") + need.binding.instance,
             {Place::Kind::Need, need.id, {}},
             namesOf(need)});
    }
    for (const ClockNode& node : s.device->clocks)
        out.push_back({node.name,
                       "clock",
                       node.id + ", " + format(s.rates.clocks[s.device->findClock(node.id)].rate),
                       {Place::Kind::Clock, node.id, {}}});
    for (const LowPowerMode& mode : s.device->modes)
        out.push_back({mode.name, "mode", mode.about, {Place::Kind::Mode, mode.id, {}}});
    for (const std::string& id : storedIds(*s.device)) {
        const auto chosen = s.plan.stored.find(id);
        out.push_back({id,
                       "setting",
                       say("non-volatile memory, ") +
                           (chosen == s.plan.stored.end() ? std::string(say("factory default")) : chosen->second),
                       {Place::Kind::Stored, id, {}}});
    }
    for (const PadIndex p : s.device->pads.indices()) {
        const std::string& name = s.device->pads[p].name;
        std::string hint = say("pin ") + s.device->pinOf(p);
        std::string need;
        for (const Claim& claim : s.bindings.padClaims[p]) {
            need = s.plan.needs[claim.need].id;
            hint += ", " + s.plan.needs[claim.need].title + " " +
                    say(s.bindings.needs[claim.need].seats[size_t(claim.seat)].signal.title);
        }
        out.push_back({name, "pad", hint, {Place::Kind::Pad, name, need}});
        if (const auto net = s.board->nets.find(name); net != s.board->nets.end())
            out.push_back({net->second, "net", say("at ") + name, {Place::Kind::Pad, name, need}});
    }
    for (const RegisterValue& value : s.image.registers) {
        const std::string instance = s.device->instances[value.instance].name;
        const Register& reg = s.device->blockOf(value.instance).registers[value.reg];
        const std::string dotted = instance + "." + reg.name;
        out.push_back({dotted, "register", reg.about, {Place::Kind::Register, dotted, {}}});
        for (const FieldWrite& write : value.fields)
            out.push_back({s.device->nameOf(write.ref), "field", write.cause, {Place::Kind::Register, dotted, {}}});
    }
    for (const Finding& finding : s.findings)
        out.push_back({finding.rule, "finding", finding.text, finding.place});
    return out;
}

std::vector<GotoTarget> matchTargets(const std::vector<GotoTarget>& targets, const std::string& typed, size_t most)
{
    const std::string wanted = lowered(trimmed(typed));
    if (wanted.empty())
        return {};
    std::vector<std::pair<int, const GotoTarget*>> found;
    for (const GotoTarget& target : targets) {
        const std::string label = lowered(target.label);
        const std::string hint = lowered(target.hint), also = " " + lowered(target.also);
        int rank = -1;
        if (label == wanted)
            rank = 0;
        else if (label.starts_with(wanted) || also.find(" " + wanted) != std::string::npos)
            rank = 1;
        else if (label.find(" " + wanted) != std::string::npos || label.find("." + wanted) != std::string::npos)
            rank = 2;
        else if (label.find(wanted) != std::string::npos)
            rank = 3;
        else if (hint.find(wanted) != std::string::npos)
            rank = 4;
        if (rank >= 0)
            found.emplace_back(rank * 100 + rankOf(target), &target);
    }
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<GotoTarget> out;
    for (const auto& [rank, target] : found)
        if (out.size() < most)
            out.push_back(*target);
    return out;
}

} // namespace bindrel
