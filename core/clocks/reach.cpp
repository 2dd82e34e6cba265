// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/reach.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/clocks/reach_search.h"
#include "core/clocks/way.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

using Kind = ReachTarget::Kind;

struct Ground {
    const Device& device;
    const Board& board;
    const Plan& plan;
    const Bindings& bindings;
    Rates rates;
    ClockTrial now;

    Ground(const Device& d, const Board& b, const Plan& p, const Bindings& s, const std::set<std::string>& holds)
        : device(d), board(b), plan(p), bindings(s), rates(computeRates(d, b, p, s)), now(d, b, p, s)
    {
        for (const std::string& id : holds)
            if (const ClockIndex clock = d.findClock(id); clock >= 0)
                now.hold(size_t(clock));
    }
};

ClockSolution wayOf(const Ground& ground, const ReachRequest& request, const ReachSearch::Found& found)
{
    ClockSolution way = wayTo(ground.now, ground.plan, request.targets, found.clocks, found.range);
    way.lost = found.lost;
    way.alike = found.alike;
    return way;
}

std::vector<int> rangesOf(const Ground& ground, const ReachRequest& request)
{
    std::vector<int> out = request.ranges.empty() ? std::vector<int>{ground.now.range()} : request.ranges;
    std::erase_if(out, [&](int range) { return range != ground.now.range() && !ground.now.supplyFits(range); });
    return out;
}

struct Looked {
    std::vector<ClockSolution> ways;
    std::vector<ReachSearch::Found> found;
    bool complete = true;
    long looked = 0;
    bool goals = false;
};

Looked look(const Ground& ground, const ReachRequest& request, bool countLimits = false)
{
    const auto searched = [&](ReachSearch& search) {
        for (const int range : rangesOf(ground, request))
            search.run(range);
        return Looked{{}, search.found(), search.complete(), search.looked(), search.goalsInTheWay()};
    };
    ReachSearch first(ground.now, ground.rates, request, countLimits);
    Looked out = searched(first);
    if (first.droppedTooMuch() && first.complete()) {
        ReachSearch again(ground.now, ground.rates, request, countLimits);
        again.keepAsFastAs(first.found().front().key.speeds);
        Looked more = searched(again);
        more.looked += out.looked;
        out = std::move(more);
    }
    for (const ReachSearch::Found& found : out.found)
        out.ways.push_back(wayOf(ground, request, found));
    return out;
}

/// What a way that counts limits breaks, in words.
std::vector<std::string> brokenIn(const Ground& ground, const ReachSearch::Found& found, const ReachRequest& request)
{
    ClockTrial then = ground.now;
    then.setRange(found.range);
    then.clocks = found.clocks;
    std::vector<std::string> out;
    for (ClockIndex i = 0; i < int(then.size()); ++i) {
        const bool target = std::any_of(request.targets.begin(), request.targets.end(),
                                        [i](const ReachTarget& t) { return t.clock == i; });
        if ((target ? then.outside(i) : then.breaks(i)) &&
            !(ground.now.breaks(i) && ground.now.clocks[i].rate == then.clocks[i].rate))
            out.push_back(say("then ") + limitText(then, int(i)));
    }
    const std::vector<int> before = ground.now.forbiddenNow();
    for (const int c : then.forbiddenNow())
        if (std::find(before.begin(), before.end(), c) == before.end())
            out.push_back(say("then ") + forbiddenText(then, ground.device.neverTogether[size_t(c)]));
    return out;
}

/// What cuts off the settings that would do it.
std::vector<std::string> obstacles(const Ground& ground, const ReachRequest& request)
{
    ReachRequest one = request;
    one.most = 1;
    std::vector<std::string> out;
    if (std::any_of(one.targets.begin(), one.targets.end(), [](const ReachTarget& t) { return t.withTolerance; })) {
        ReachRequest loose = one;
        for (ReachTarget& target : loose.targets)
            target.withTolerance = false;
        if (const Looked other = look(ground, loose); !other.found.empty()) {
            for (const ReachTarget& target : one.targets) {
                const TrialClock& clock = other.found.front().clocks[target.clock];
                if (!target.withTolerance ||
                    shifted(clock.rate, clock.tolerance.high) <= shifted(target.rate, target.permitted))
                    continue;
                out.push_back(say("{} could be {}, but the tolerance of {} leaves less than {} headroom",
                                  ground.device.clocks[target.clock].name, format(clock.rate), format(clock.tolerance),
                                  format(target.permitted)));
            }
            return out;
        }
    }
    ReachRequest lossy = one;
    lossy.loseGoals = true;
    if (const Looked other = look(ground, lossy); !other.ways.empty()) {
        for (const NeedIndex need : other.ways.front().lost)
            out.push_back(say("{} would miss a goal", ground.plan.needs[need].title));
        return out;
    }
    if (const Looked other = look(ground, lossy, true); !other.found.empty())
        return brokenIn(ground, other.found.front(), request);
    Plan free = ground.plan;
    std::erase_if(free.holds, [](const Hold& hold) { return hold.of == Hold::Of::Clock; });
    const Ground open(ground.device, ground.board, free, ground.bindings, {});
    if (free.holds.size() != ground.plan.holds.size() || !request.holds.empty())
        if (const Looked other = look(open, lossy); !other.ways.empty())
            for (const Change& change : other.ways.front().edit.changes)
                if (const auto* set = std::get_if<SetClock>(&change);
                    set && (ground.plan.held(holdOfClock(set->node)) || request.holds.contains(set->node)))
                    out.push_back(say("{} is held; it would have to be {}",
                                      ground.device.clocks[ground.device.findClock(set->node)].name,
                                      set->value ? clockDecisionText(*set->value) : say("reset value")));
    if (out.empty())
        out.push_back(say("no setting of the clocks in this path gives this rate"));
    return out;
}

std::vector<ReachMiss> nearestMisses(const Ground& ground, const ReachRequest& request)
{
    std::vector<ReachMiss> out;
    for (size_t t = 0; t < request.targets.size(); ++t) {
        const ReachTarget& target = request.targets[t];
        if (target.kind == Kind::Fastest || target.kind == Kind::Slowest)
            continue;
        ReachMiss miss{t, {}, true};
        for (const bool alone : {false, true}) {
            if (!miss.nearest.empty() || (alone && request.targets.size() == 1))
                break;
            for (const Kind kind : {Kind::Fastest, Kind::Slowest}) {
                if ((kind == Kind::Fastest && target.kind == Kind::AtMost) ||
                    (kind == Kind::Slowest && target.kind == Kind::AtLeast))
                    continue;
                ReachRequest near = request;
                near.most = 1;
                if (alone)
                    near.targets = {target};
                ReachTarget& asked = near.targets[alone ? 0 : t];
                asked.kind = kind;
                asked.withTolerance = false;
                for (ClockSolution& way : look(ground, near).ways) {
                    // The errors are told against what was wanted.
                    const Frequency rate = way.achieved[alone ? 0 : t];
                    way.errors[alone ? 0 : t] = errorOf(rate, target.rate);
                    way.worstError = Ppm(way.errors[alone ? 0 : t].value.abs());
                    if (miss.nearest.empty() || miss.nearest.front().achieved[alone ? 0 : t] != rate)
                        miss.nearest.push_back(std::move(way));
                }
                miss.othersKept = !alone;
            }
        }
        out.push_back(std::move(miss));
    }
    return out;
}

} // namespace

ReachResult reach(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                  const ReachRequest& request)
{
    const Ground ground(device, board, plan, bindings, request.holds);
    Looked looked = look(ground, request);
    ReachResult out{std::move(looked.ways), looked.complete, looked.looked, {}, {}};
    if (!out.ways.empty() || !out.complete || request.targets.empty())
        return out;
    out.inTheWay = obstacles(ground, request);
    out.misses = nearestMisses(ground, request);
    return out;
}

std::string wayText(const Device& device, const ClockSolution& way)
{
    std::vector<std::string> parts;
    for (const Change& change : way.edit.changes) {
        if (const auto* text = std::get_if<SetText>(&change); text && device.findRange(text->value) >= 0)
            parts.push_back(device.ranges[size_t(device.findRange(text->value))].name);
        const auto* set = std::get_if<SetClock>(&change);
        const ClockIndex clock = set ? device.findClock(set->node) : ClockIndex();
        if (clock < 0)
            continue;
        const ClockNode& node = device.clocks[clock];
        const std::string value = clockDecisionText(set->value);
        if (node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply)
            parts.push_back(
                fmt::format("{} {}{}", node.name, node.type == ClockNode::Type::Divide ? "\u00f7" : "\u00d7", value));
        else if (node.type == ClockNode::Type::Select)
            parts.push_back(say("{} from {}", node.name,
                                device.findClock(value) < 0 ? value : device.clocks[device.findClock(value)].name));
        else
            parts.push_back(fmt::format("{} {}", node.name, value.empty() ? say("reset value") : value));
    }
    return parts.empty() ? say("no change") : joined(parts, ", ");
}

std::vector<std::string> consequencesOf(const Device& device, const Plan& plan, const ClockSolution& way)
{
    std::vector<std::string> out;
    for (const Change& change : way.edit.changes)
        if (const auto* text = std::get_if<SetText>(&change); text && text->what == SetText::What::Range)
            out.push_back(describe(plan, change));
    for (const RateChanged& other : way.others)
        out.push_back(fmt::format("{} {} \u2192 {}", device.clocks[other.clock].name, format(other.before),
                                  other.after.value.isZero() ? "stopped" : format(other.after)));
    for (const ClockIndex clock : way.wakes)
        out.push_back(device.clocks[clock].name + say(" starts"));
    for (const ClockIndex clock : way.stops)
        out.push_back(device.clocks[clock].name + say(" stops"));
    for (const NeedIndex need : way.lost)
        out.push_back(plan.needs[need].title + say(" misses its goal"));
    const Current more(way.current.value - way.currentBefore.value);
    if (!more.value.isZero())
        out.push_back(
            say("about {}{}", more.value > Rational(0) ? "+" : "\u2212", format(Current(more.value.abs()), 2)));
    return out;
}

std::string wishText(const ReachTarget& target)
{
    switch (target.kind) {
    case Kind::Rate:
        return target.permitted.value.isZero() ? format(target.rate)
                                               : say("{} within {}", format(target.rate), format(target.permitted));
    case Kind::AtMost:
        return say("at most ") + format(target.rate);
    case Kind::AtLeast:
        return say("at least ") + format(target.rate);
    case Kind::Fastest:
        return target.rate.value.isZero() ? say("as fast as allowed")
                                          : say("as fast as allowed up to {}", format(target.rate));
    case Kind::Slowest:
        return target.rate.value.isZero() ? say("as slow as allowed")
                                          : say("as slow as allowed from {}", format(target.rate));
    }
    return {};
}

Expected<ReachTarget> readReachWish(ClockIndex clock, std::string_view given)
{
    std::string_view text = trimmed(given);
    ReachTarget out;
    out.clock = clock;
    const auto starts = [&text](std::string_view mark) {
        if (!text.starts_with(mark))
            return false;
        text = trimmed(text.substr(mark.size()));
        return true;
    };
    bool bounded = false;
    if (starts("max") || starts("fastest")) {
        out.kind = Kind::Fastest;
        bounded = starts("<=") || starts("\u2264");
        if (!bounded && text.empty())
            return out;
    } else if (starts("min") || starts("slowest")) {
        out.kind = Kind::Slowest;
        bounded = starts(">=") || starts("\u2265");
        if (!bounded && text.empty())
            return out;
    } else if (starts("<=") || starts("\u2264")) {
        out.kind = Kind::AtMost;
    } else if (starts(">=") || starts("\u2265")) {
        out.kind = Kind::AtLeast;
    }
    const Expected<Target<Frequency>> target = parseFrequencyTarget(text);
    if (!target)
        return problemOf(
            say("\"{}\" is not a target rate: {} Write 48 MHz, 48 MHz \u00b10.25 %, >= 100 MHz, <= 80 MHz, max or min.",
                given, target.problem().message));
    if (!(target->value.value > Rational(0)))
        return problemOf(say("\"{}\": the rate must be above zero.", given));
    if (target->permitted && out.kind != Kind::Rate)
        return problemOf(say("\"{}\": a tolerance belongs to a rate, not to a bound.", given));
    out.rate = target->value;
    out.withTolerance = target->permitted.has_value();
    out.permitted = target->permitted.value_or(Ppm());
    return out;
}

Expected<ReachTarget> readReachTarget(const Device& device, std::string_view text)
{
    const size_t at =
        std::min({text.find('='), text.find('<'), text.find('>'), text.find("\u2264"), text.find("\u2265")});
    if (at == std::string_view::npos)
        return problemOf(say("\"{}\" is not a target; write CLOCK=48MHz, CLOCK=48MHz\u00b10.25%, "
                             "CLOCK>=100MHz, CLOCK<=80MHz, CLOCK=max or CLOCK=min.",
                             text));
    const std::string name(trimmed(text.substr(0, at)));
    ClockIndex clock = device.findClock(name);
    std::vector<std::string> names;
    for (const ClockIndex i : device.clocks.indices()) {
        names.push_back(device.clocks[i].id);
        if (clock < 0 &&
            (lowered(device.clocks[i].name) == lowered(name) || lowered(device.clocks[i].id) == lowered(name)))
            clock = int(i);
    }
    if (clock < 0)
        return problemOf(say("\"{}\" is not a clock of {}.{}", name, device.name, didYouMean(name, names)));
    std::string_view wish = text.substr(at);
    if (wish.starts_with("="))
        wish.remove_prefix(1);
    return readReachWish(clock, wish);
}

} // namespace bindrel
