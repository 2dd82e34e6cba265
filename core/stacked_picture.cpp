// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/stacked_picture.h"

#include <algorithm>

namespace bindrel {

namespace {

/// The picture of a timer, on which others are laid.
class Stack {
public:
    /// Lines of a need that has a title here carry it.
    Stack(Waveform base, const std::string& title) : out_(std::move(base))
    {
        for (Waveform::Trace& trace : out_.traces)
            trace.title = named(title, trace.title);
        for (Waveform::Band& band : out_.bands)
            band.title = named(title, band.title);
    }
    void add(const Waveform& picture, const std::string& title)
    {
        const Duration start = out_.triggers.value_or(Duration());
        const auto later = [&start](const Duration& at) { return start + at; };
        const int first = int(out_.traces.size());
        for (Waveform::Trace trace : picture.traces) {
            trace.title = named(title, trace.title);
            // Its idle level, until the timer starts it.
            const bool rests = trace.edges.empty() ? trace.high : trace.edges.back().high;
            if (trace.high != rests && !start.value.isZero())
                trace.edges.insert(trace.edges.begin(), {Duration(), trace.high});
            if (!start.value.isZero())
                trace.high = rests;
            for (Waveform::Edge& edge : trace.edges)
                edge.at = later(edge.at);
            out_.traces.push_back(std::move(trace));
        }
        for (Waveform::Mark mark : picture.marks) {
            // What is over all lines there is over its own here.
            mark.trace = mark.trace < 0 ? first : first + mark.trace;
            mark.from = later(mark.from);
            mark.to = later(mark.to);
            if (mark.to <= out_.span)
                out_.marks.push_back(std::move(mark));
        }
        for (Waveform::Band band : picture.bands) {
            band.title = named(title, band.title);
            for (Waveform::Band::Part& part : band.parts) {
                part.from = later(part.from);
                part.to =
                    std::min(later(part.to), out_.span, [](const Duration& a, const Duration& b) { return a < b; });
            }
            std::erase_if(band.parts, [](const Waveform::Band::Part& part) { return !(part.from < part.to); });
            out_.bands.push_back(std::move(band));
        }
    }
    Waveform take() && { return std::move(out_); }

private:
    static std::string named(const std::string& need, const std::string& line)
    {
        return need.empty() ? line : need + "\n" + line;
    }

    Waveform out_;
};

} // namespace

std::vector<NeedIndex> inStepWith(const Snapshot& s, NeedIndex need, const Look& look)
{
    std::vector<NeedIndex> out;
    const bool isTimer = look.waveform && look.waveform->triggers;
    if (look.startedBy.empty() && !isTimer)
        return out;
    const std::string& own = s.plan.needs[need].id;
    const std::string& timer = look.startedBy.empty() ? own : look.startedBy;
    for (const NeedIndex n : s.plan.needs.indices())
        if (s.plan.needs[n].id == timer && timer != own)
            out.push_back(n);
    for (const NeedIndex n : s.plan.needs.indices())
        if (NeedIndex(n) != need && s.plan.needs[n].id != timer && s.bindings.needs[n].instance >= 0 &&
            tuningOf(s.plan.needs[n].kind).startedByTimers && s.lookAt(n).startedBy == timer)
            out.push_back(n);
    return out;
}

std::optional<Waveform> stackedPicture(const Snapshot& s, NeedIndex need)
{
    const Look own = s.lookAt(need);
    const std::vector<NeedIndex> others = inStepWith(s, need, own);
    if (others.empty() || !own.waveform)
        return own.waveform;
    const bool isTimer = own.startedBy.empty();
    const NeedIndex timer = isTimer ? need : others.front();
    std::optional<Waveform> base = isTimer ? own.waveform : s.lookAt(timer).waveform;
    if (!base)
        return own.waveform;
    if (!isTimer)
        base->handles.clear();
    Stack stack(std::move(*base), isTimer ? std::string() : s.plan.needs[timer].title);
    std::vector<NeedIndex> started = others;
    std::erase(started, timer);
    if (!isTimer)
        started.insert(started.begin(), need);
    for (const NeedIndex other : started)
        if (const Look look = s.lookAt(other); look.waveform)
            stack.add(*look.waveform, other == need ? std::string() : s.plan.needs[other].title);
    return std::move(stack).take();
}

} // namespace bindrel
