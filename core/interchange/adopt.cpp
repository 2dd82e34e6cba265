// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/adopt.h"

#include "core/base/say.h"
#include "core/device/field_code.h"
#include "core/field_entry.h"
#include "core/pins/routes.h"
#include "core/plan/clock_decision.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

/// A signal that the dump switches to a pad.
struct Switched {
    PadIndex pad = -1;
    RouteIndex route = -1;
};

/// Where a need's signals are on an instance.
struct Seating {
    Binding binding;
    int seen = 0;
    bool whole = false; ///< all of its signals that a register can tell of
};

class Adopter {
public:
    Adopter(const Snapshot& start, const RegisterDump& dump, const std::function<bool()>& stopped)
        : start_(start), device_(*start.device), dump_(dump), stopped_(stopped), plan_(start.plan)
    {
        out_.edit.title = say("Take over registers");
    }

    Adoption run()
    {
        readRange();
        readClocks();
        readPads();
        for (size_t n = 0; n < plan_.needs.size(); ++n)
            seat(n);
        addNeeds();
        addPorts();
        compute();
        for (size_t n = 0; n < plan_.needs.size() && !isStopped(); ++n)
            readGoals(n);
        for (size_t n = 0; n < plan_.needs.size() && !isStopped(); ++n)
            readPadFields(n);
        switchSources();
        compute();
        guessRange();
        tellWhatIsLeft();
        return std::move(out_);
    }

private:
    std::optional<std::uint32_t> codeOf(const FieldRef& ref) const { return dump_.codeOf(device_, ref); }
    /// What the dump does not have is as after reset.
    bool holds(const FieldCode& code) const
    {
        return code.valid() && codeOf(code.ref).value_or(device_.resetCode(code.ref)) == code.code;
    }
    /// Whether the unit of an instance is that instance now.
    bool isActive(InstanceIndex instance) const
    {
        const std::vector<FieldCode>& selects = device_.instances[instance].selects;
        return std::all_of(selects.begin(), selects.end(), [this](const FieldCode& select) { return holds(select); });
    }

    bool isStopped() const { return stopped_ && stopped_(); }

    void compute() { now_ = computeSnapshot(start_.with(plan_)); }

    bool take(const Edit& edit, std::string told = {})
    {
        Expected<Plan> next = applied(plan_, edit);
        if (!next)
            return false;
        if (told.empty())
            for (const Change& change : edit.changes)
                told += (told.empty() ? "" : "; ") + describe(plan_, change);
        plan_ = *std::move(next);
        out_.edit.changes.insert(out_.edit.changes.end(), edit.changes.begin(), edit.changes.end());
        out_.taken.push_back(std::move(told));
        return true;
    }

    /// Without a register that tells, by the wait states that follow from it.
    void guessRange()
    {
        const std::optional<std::uint32_t> states =
            device_.waitStates.valid() ? codeOf(device_.waitStates) : std::optional<std::uint32_t>();
        if (device_.rangeControl.valid() || !states || now_->image.codeOf(device_, device_.waitStates) == *states)
            return;
        const int errors = now_->count(Finding::Severity::Error);
        for (size_t r = 0; r < device_.ranges.size(); ++r) {
            const Edit edit =
                editOf("range", SetText{SetText::What::Range,
                                        int(r) == device_.resetRange ? std::string() : device_.ranges[r].id});
            const Expected<Plan> next = applied(plan_, edit);
            const auto then = next ? computeSnapshot(start_.with(*next)) : nullptr;
            if (then && then->image.codeOf(*then->device, device_.waitStates) == *states &&
                then->count(Finding::Severity::Error) <= errors) {
                take(edit);
                now_ = then;
                return;
            }
        }
    }

    void readRange()
    {
        if (!device_.rangeControl.valid())
            return;
        const std::optional<std::uint32_t> code = codeOf(device_.rangeControl);
        for (size_t r = 0; code && r < device_.ranges.size(); ++r)
            if (device_.ranges[r].code == *code) {
                const std::string id = int(r) == device_.resetRange ? std::string() : device_.ranges[r].id;
                if (id != plan_.range && !(plan_.range == device_.ranges[r].id))
                    take(editOf("range", SetText{SetText::What::Range, id}));
                return;
            }
    }

    /// What a dump tells of a clock; no decision when that stands as after reset.
    struct Told {
        std::optional<ClockDecision> decision;
    };

    /// What a clock's control says; empty when the dump does not tell.
    std::optional<Told> settingOf(const ClockNode& node) const
    {
        if (!node.control.valid())
            return std::nullopt;
        const std::optional<std::uint32_t> code = codeOf(node.control);
        const std::optional<std::uint32_t> fraction =
            node.fraction.valid() ? codeOf(node.fraction) : std::optional<std::uint32_t>(0);
        if (!code || !fraction)
            return std::nullopt;
        if (*code == device_.resetCode(node.control) &&
            (!node.fraction.valid() || *fraction == device_.resetCode(node.fraction)))
            return Told{};
        switch (node.type) {
        case ClockNode::Type::Select:
            for (const ClockInput& input : node.inputs)
                if (input.code == *code)
                    return Told{InputDecision{input.node < 0 ? std::string() : device_.clocks[input.node].id}};
            return std::nullopt;
        case ClockNode::Type::Divide:
        case ClockNode::Type::Multiply: {
            const std::optional<std::int64_t> value = node.encoding.decode(*code);
            if (!value)
                return std::nullopt;
            const std::int64_t setting = node.fraction.valid() ? *value * node.unit + std::int64_t(*fraction) : *value;
            return setting > 0 && node.canBe(setting) ? std::optional(Told{factorDecision(node, setting)})
                                                      : std::nullopt;
        }
        default:
            return std::nullopt;
        }
    }

    /// Of an oscillator: its rate, whether it is trimmed and watched; on and off come when all needs are known.
    std::optional<Told> sourceOf(ClockIndex clock) const
    {
        const ClockNode& node = device_.clocks[clock];
        RunDecision decision;
        bool known = false;
        if (!node.rates.empty() && node.control.valid())
            if (const std::optional<std::uint32_t> code = codeOf(node.control)) {
                known = true;
                for (size_t r = 0; r < node.rates.size() && !decision.rate; ++r)
                    if (node.rates[r].code == *code && std::int64_t(r) != node.resetValue)
                        decision.rate = node.rates[r].rate;
            }
        if (node.trim && codeOf(node.trim->enable.ref)) {
            known = true;
            decision.trimmed = holds(node.trim->enable);
        }
        if (node.monitor && codeOf(node.monitor->enable.ref)) {
            known = true;
            decision.monitored = holds(node.monitor->enable);
        }
        if (!known)
            return std::nullopt;
        return Told{decision == RunDecision() ? std::nullopt : std::optional<ClockDecision>(decision)};
    }

    void readClocks()
    {
        for (const ClockIndex i : device_.clocks.indices()) {
            const ClockNode& node = device_.clocks[i];
            const std::optional<Told> told = node.isSource() ? sourceOf(int(i)) : settingOf(node);
            const auto said = plan_.clocks.find(node.id);
            const std::optional<ClockDecision> was =
                said == plan_.clocks.end() ? std::nullopt : std::optional(said->second);
            // A decision that is not written, or that says what holds after reset, stays.
            const auto same = [this](const FieldRef& ref) {
                return !ref.valid() ||
                       codeOf(ref).value_or(start_.image.codeOf(device_, ref)) == start_.image.codeOf(device_, ref);
            };
            const bool agrees = same(node.control) && same(node.fraction) &&
                                (!node.trim || same(node.trim->enable.ref)) &&
                                (!node.monitor || same(node.monitor->enable.ref));
            if (!told || told->decision == was || agrees)
                continue;
            if (told->decision && !isPossible(device_, i, *told->decision))
                continue;
            take(editOf("clock", SetClock{node.id, told->decision}));
        }
    }

    /// A source that the dump has running, or stopped, although the plan's needs say otherwise.
    void switchSources()
    {
        compute();
        for (const ClockIndex i : device_.clocks.indices()) {
            const ClockNode& node = device_.clocks[i];
            if (!node.isSource() || !node.enable.valid() || !codeOf(node.enable.ref))
                continue;
            const bool on = holds(node.enable);
            if (on == (now_->image.codeOf(device_, node.enable.ref) == node.enable.code))
                continue;
            RunDecision decision = runDecision(device_, plan_.clocks, i);
            decision.run = on ? ClockRun::On : ClockRun::Off;
            if (isPossible(device_, i, decision))
                take(editOf("clock", SetClock{node.id, decision}));
        }
    }

    void readPads()
    {
        for (const RouteIndex r : device_.routes.indices()) {
            const Route& route = device_.routes[r];
            if (route.wired() || route.selects.empty())
                continue;
            const bool all = std::all_of(route.selects.begin(), route.selects.end(),
                                         [this](const FieldCode& select) { return holds(select); });
            const bool reset = std::all_of(route.selects.begin(), route.selects.end(), [this](const FieldCode& select) {
                return device_.resetCode(select.ref) == select.code;
            });
            if (all && !reset && isActive(route.instance))
                switched_[route.instance].push_back({route.pad, int(r)});
        }
    }

    Seating seatingOn(const Need& need, InstanceIndex instance) const
    {
        Seating out;
        out.binding.instance = device_.instances[instance].name;
        out.binding.dma =
            need.binding.instance == out.binding.instance ? need.binding.dma : decltype(need.binding.dma)();
        const auto at = switched_.find(instance);
        std::map<int, int> channels; // of the need's signals -> of the instance's
        std::set<PadIndex> used;
        out.whole = true;
        for (const SignalSpec& signal : signalsOf(need)) {
            const auto kept = need.binding.pads.find(signal.id);
            bool found = false, canBeSwitched = false;
            for (const Route& route : device_.routes)
                canBeSwitched =
                    canBeSwitched ||
                    (route.instance == instance && !route.wired() &&
                     matchSignal(signal.pattern, device_.instances[instance].signals[size_t(route.signal)].name).fits);
            if (at != switched_.end())
                for (const bool asBefore : {true, false})
                    for (const Switched& one : at->second) {
                        const Route& route = device_.routes[one.route];
                        const std::string& pad = device_.pads[one.pad].name;
                        const std::string& name = device_.instances[instance].signals[size_t(route.signal)].name;
                        const PatternMatch match = matchSignal(signal.pattern, name);
                        const bool taken =
                            claimedPads_.contains(one.pad) && (kept == need.binding.pads.end() || kept->second != pad);
                        if (found || !match.fits || used.contains(one.pad) || taken ||
                            (asBefore && (kept == need.binding.pads.end() || kept->second != pad)))
                            continue;
                        if (signal.channel >= 0) {
                            const auto known = channels.find(signal.channel);
                            const bool other = std::any_of(channels.begin(), channels.end(), [&](const auto& c) {
                                return c.first != signal.channel && c.second == match.channel;
                            });
                            if (other || (known != channels.end() && known->second != match.channel))
                                continue;
                            channels[signal.channel] = match.channel;
                        }
                        found = true;
                        used.insert(one.pad);
                        out.binding.pads[signal.id] = pad;
                        if (const std::vector<RouteMatch> ways = routesFor(device_, instance, signal, one.pad);
                            !ways.empty() && ways.front().route != one.route)
                            out.binding.via[signal.id] = name;
                    }
            if (found)
                ++out.seen;
            else if (canBeSwitched)
                out.whole = false;
            else if (kept != need.binding.pads.end() && need.binding.instance == out.binding.instance)
                out.binding.pads[signal.id] = kept->second; // soldered there: no register tells
        }
        return out;
    }

    std::vector<InstanceIndex> servers(const KindSpec& kind, const Need& need) const
    {
        std::vector<InstanceIndex> out;
        if (const InstanceIndex own = device_.findInstance(need.binding.instance); own >= 0)
            out.push_back(own);
        for (size_t i = 0; i < device_.instances.size(); ++i)
            if (kind.servedBy(device_, int(i)) && (out.empty() || out.front() != InstanceIndex(int(i))))
                out.push_back(int(i));
        return out;
    }

    /// Binds a need of the plan to where its signals are.
    void seat(NeedIndex n)
    {
        const Need need = plan_.needs[n];
        const KindSpec* kind = findKind(need.kind);
        if (!kind || kind->instanceKind.empty() || kind->instanceKind == "*")
            return;
        std::optional<Seating> best;
        for (const InstanceIndex instance : servers(*kind, need)) {
            const bool shares = claimed_.contains(instance);
            const Seating seating = seatingOn(need, instance);
            const bool own = device_.instances[instance].name == need.binding.instance;
            if (!seating.whole || (seating.seen == 0 && !own && !runs(instance)) || (shares && !own))
                continue;
            if (!best || seating.seen > best->seen)
                best = seating;
            if (own && seating.whole)
                break;
        }
        if (!best)
            return;
        claim(best->binding);
        if (best->binding.instance == need.binding.instance && best->binding.pads == need.binding.pads)
            return;
        take(editOf("bind", SetBinding{need.id, best->binding}));
    }

    void claim(const Binding& binding)
    {
        claimed_.insert(device_.findInstance(binding.instance));
        for (const auto& [signal, pad] : binding.pads)
            claimedPads_.insert(device_.findPad(pad));
    }

    /// Whether what switches the instance on is set.
    bool runs(InstanceIndex instance) const
    {
        if (!isActive(instance))
            return false;
        const FieldRef on = device_.roleField(instance, "on");
        const std::optional<std::uint32_t> code = on.valid() ? codeOf(on) : std::nullopt;
        return code && *code != device_.resetCode(on);
    }

    /// Instances that have signals on pads, or run, and serve no need of the plan.
    void addNeeds()
    {
        for (const InstanceIndex i : device_.instances.indices()) {
            const InstanceIndex instance = int(i);
            const auto at = switched_.find(instance);
            const auto many = at == switched_.end()
                                  ? 0
                                  : std::count_if(at->second.begin(), at->second.end(), [this](const Switched& one) {
                                        return !claimedPads_.contains(one.pad);
                                    });
            if (claimed_.contains(instance) || (many == 0 && !runs(instance)))
                continue;
            std::optional<Need> best;
            int seen = -1;
            for (const KindSpec& kind : kinds()) {
                if (kind.instanceKind == "*" || kind.instanceKind.empty() || !kind.servedBy(device_, instance))
                    continue;
                Need need;
                need.kind = kind.id;
                need.title = device_.instances[i].name;
                need.id = freeNeedId(plan_, need.title);
                Seating seating = growing(need, kind, instance);
                if (seating.whole && seating.seen > seen) {
                    seen = seating.seen;
                    need.binding = seating.binding;
                    best = need;
                }
            }
            if (!best) {
                if (many > 0)
                    out_.left.push_back(
                        say("{} has signals on pads, but no kind of need has just these.", device_.instances[i].name));
                continue;
            }
            claim(best->binding);
            std::string told = say("{}: a {} need, bound to {}", best->title, say(findKind(best->kind)->title),
                                   best->binding.instance);
            for (const auto& [signal, pad] : best->binding.pads)
                told += fmt::format(", {} {}", signal, pad);
            take(editOf("add", InsertNeed{plan_.needs.size(), *best}), std::move(told));
        }
    }

    /// Choices of goals that bring in more of the signals that are switched to pads.
    Seating growing(Need& need, const KindSpec& kind, InstanceIndex instance) const
    {
        Seating best = seatingOn(need, instance);
        for (bool more = true; more;) {
            more = false;
            for (const GoalSpec& goal : kind.goals) {
                std::vector<std::string> choices = goal.choices;
                if (goal.type == GoalSpec::Type::Integer && goal.max - goal.min < 16)
                    for (long value = goal.min; value <= goal.max; ++value)
                        choices.push_back(std::to_string(value));
                for (const std::string& choice : choices) {
                    Need other = need;
                    other.goals.state(goal.id, choice);
                    if (!checkGoals(other))
                        continue;
                    const Seating seating = seatingOn(other, instance);
                    if ((seating.whole && !best.whole) || (seating.whole == best.whole && seating.seen > best.seen)) {
                        need = other;
                        best = seating;
                        more = true;
                    }
                }
            }
        }
        return best;
    }

    std::vector<FieldRef> padFields(const Pad& pad) const
    {
        std::vector<FieldRef> out;
        for (const char* name : {"output", "pull", "open_drain", "drive", "speed", "level"})
            if (const FieldRef ref =
                    pad.port < 0 ? FieldRef() : device_.roleField(pad.port, name + std::to_string(pad.bit));
                ref.valid())
                out.push_back(ref);
        return out;
    }

    /// Pads that a port drives, or holds with a pull, and that belong to no need.
    void addPorts()
    {
        for (const Need& need : plan_.needs)
            for (const auto& [signal, pad] : need.binding.pads)
                claimedPads_.insert(device_.findPad(pad));
        const auto kind =
            std::find_if(kinds().begin(), kinds().end(), [](const KindSpec& one) { return one.ofPad != nullptr; });
        for (PadIndex p = 0; kind != kinds().end() && p < int(device_.pads.size()); ++p) {
            const Pad& pad = device_.pads[p];
            const std::vector<FieldRef> fields = padFields(pad);
            const bool set = std::any_of(fields.begin(), fields.end(), [this](const FieldRef& ref) {
                const std::optional<std::uint32_t> code = codeOf(ref);
                return code && *code != device_.resetCode(ref);
            });
            const bool elsewhere = std::any_of(switched_.begin(), switched_.end(), [&](const auto& entry) {
                return std::any_of(entry.second.begin(), entry.second.end(),
                                   [&](const Switched& one) { return one.pad == PadIndex(int(p)); });
            });
            if (!set || elsewhere || claimedPads_.contains(int(p)))
                continue;
            Need need;
            need.kind = kind->id;
            need.title = pad.name;
            need.id = freeNeedId(plan_, need.title);
            const FieldRef output = device_.roleField(pad.port, "output" + std::to_string(pad.bit));
            const std::optional<std::uint32_t> drives = output.valid() ? codeOf(output) : std::nullopt;
            need.goals = kind->ofPad(drives && *drives != device_.resetCode(output));
            need.binding.pads[signalsOf(need).front().id] = pad.name;
            take(editOf("add", InsertNeed{plan_.needs.size(), need}),
                 say("{}: a {} need, {}", pad.name, say(kind->title), kind->brief(need)));
        }
    }

    /// Fields of the need's own instance in which plan and dump differ.
    std::vector<std::pair<FieldRef, std::uint32_t>> differencesOf(NeedIndex n) const
    {
        std::vector<std::pair<FieldRef, std::uint32_t>> out;
        const InstanceIndex own = now_->bindings.needs[n].instance;
        if (own < 0 || now_->bindings.needs[n].state != BoundNeed::State::Bound)
            return out;
        const Block& block = device_.blockOf(own);
        for (const RegisterIndex r : block.registers.indices())
            for (size_t f = 0; f < block.registers[r].fields.size(); ++f) {
                const FieldRef ref{own, int(r), int(f)};
                const std::optional<std::uint32_t> code = codeOf(ref);
                if (code && *code != now_->image.codeOf(device_, ref) && whyNotEntered(*now_, n, ref).empty())
                    out.emplace_back(ref, *code);
            }
        return out;
    }

    void readGoals(NeedIndex n)
    {
        const KindSpec* kind = findKind(plan_.needs[n].kind);
        if (!kind || kind->instanceKind.empty())
            return;
        // One goal decides several fields, so each step must leave fewer that differ.
        constexpr int kRounds = 12;
        auto differing = differencesOf(n);
        for (int round = 0; round < kRounds && !differing.empty() && !isStopped(); ++round) {
            bool better = false;
            for (const auto& [ref, code] : differing) {
                const Expected<FieldEntry> entry = enterField(*now_, n, ref, code, OtherFields::MayMove);
                if (!entry || entry->kind == FieldEntry::Kind::ByHand || entry->edit.changes.empty())
                    continue;
                const Expected<Plan> next = applied(plan_, entry->edit);
                if (!next)
                    continue;
                const auto before = now_;
                now_ = computeSnapshot(start_.with(*next));
                if (const auto then = differencesOf(n); then.size() < differing.size()) {
                    take(entry->edit, entry->told);
                    differing = then;
                    better = true;
                    break;
                }
                now_ = before;
            }
            if (!better)
                break;
        }
        for (const auto& [ref, code] : differing) {
            if (isStopped())
                return;
            if (const Expected<FieldEntry> entry = enterField(*now_, n, ref, code);
                entry && !entry->edit.changes.empty() && entry->kind == FieldEntry::Kind::ByHand) {
                take(entry->edit, entry->told);
                compute();
            } else if (entry && !entry->edit.changes.empty() && whyNotByHand(device_, ref).empty()) {
                // A goal says it but spoils another field.
                const std::string name = device_.registerOf(ref).name + "." + device_.fieldOf(ref).name;
                take(editOf("", SetOverride{plan_.needs[n].id, name, fieldCodeText(device_.fieldOf(ref), code)}));
                compute();
            }
        }
    }

    /// What is said of a need's pads: asked of a plan with this need alone, which is quick.
    void readPadFields(NeedIndex n)
    {
        const std::string id = plan_.needs[n].id;
        for (const auto& [signal, name] : std::map(plan_.needs[n].binding.pads)) {
            const PadIndex pad = device_.findPad(name);
            if (pad < 0)
                continue;
            Plan alone = plan_;
            std::erase_if(alone.needs, [&id](const Need& need) { return need.id != id; });
            alone.holds.clear();
            auto one = computeSnapshot(start_.with(alone));
            for (const FieldRef& ref : padFields(device_.pads[pad])) {
                const std::optional<std::uint32_t> code = codeOf(ref);
                if (!code || one->image.codeOf(device_, ref) == *code)
                    continue;
                const Expected<FieldEntry> entry = enterField(*one, 0, ref, *code);
                if (!entry || entry->edit.changes.empty())
                    continue;
                const Expected<Plan> next = applied(one->plan, entry->edit);
                if (next && take(entry->edit, entry->told))
                    one = computeSnapshot(start_.with(*next));
            }
        }
    }

    void tellWhatIsLeft()
    {
        for (const auto& [at, value] : dump_.values) {
            if (!isActive(at.first))
                continue;
            const Register& reg = device_.blockOf(at.first).registers[at.second];
            for (const FieldIndex f : reg.fields.indices()) {
                const FieldRef ref{at.first, at.second, int(f)};
                const std::uint32_t is = reg.fields[f].in(value), planned = now_->image.codeOf(device_, ref);
                if (reg.fields[f].keepsWrites() && is != planned && !isData(ref))
                    out_.left.push_back(say("{} holds {}, the plan leaves {}.", device_.nameOf(ref),
                                            fieldCodeText(reg.fields[f], is), fieldCodeText(reg.fields[f], planned)));
            }
        }
    }

    /// Data and commands are no decisions.
    bool isData(const FieldRef& ref) const
    {
        if (whyNotByHand(device_, ref).empty())
            return false;
        for (const NeedIndex n : plan_.needs.indices())
            if (now_->bindings.needs[n].instance == ref.instance && whyNotEntered(*now_, n, ref).empty())
                return false;
        return true;
    }

    const Snapshot& start_;
    const Device& device_;
    const RegisterDump& dump_;
    const std::function<bool()>& stopped_;
    Plan plan_;
    std::shared_ptr<const Snapshot> now_;
    std::map<InstanceIndex, std::vector<Switched>> switched_;
    std::set<InstanceIndex> claimed_;
    std::set<PadIndex> claimedPads_;
    Adoption out_;
};

} // namespace

Adoption adoptRegisters(const Snapshot& snapshot, const RegisterDump& dump, const std::function<bool()>& stopped)
{
    return Adopter(snapshot, dump, stopped).run();
}

} // namespace bindrel
