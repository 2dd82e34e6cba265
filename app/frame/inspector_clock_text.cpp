// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/inspector_sheet.h"
#include "app/frame/inspector_text.h"
#include "core/base/say.h"
#include "core/clocks/modes.h"
#include "core/image/gates.h"
#include "core/plan/clock_decision.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

namespace bindrel {

/// What each need that is timed through the clock, near or far, asks of its accuracy.
static void accuracyRows(Sheet& sheet, const Snapshot& s, ClockIndex clock)
{
    const Theme& t = Theme::get();
    bool first = true;
    for (const NeedIndex n : s.accuracy.indices()) {
        const Accuracy& a = s.accuracy[n];
        if (a.clock < 0 || (!a.allowed && a.effect.empty()))
            continue;
        const std::vector<ClockIndex> path = pathToSource(s.rates, a.clock);
        // Far from the need only its demand matters.
        if (std::find(path.begin(), path.end(), clock) == path.end() || (a.clock != clock && !a.allowed))
            continue;
        if (std::exchange(first, false))
            sheet.heading(say("Required accuracy"));
        const QString given = "\u00b1" + html(format(a.given));
        sheet.row(needLink(s, int(n)), !a.allowed ? given
                                                  : colour(a.ok()     ? t.ink
                                                           : a.stated ? t.error
                                                                      : t.caution,
                                                           given) +
                                                        colour(t.muted, say(" of \u00b1") + html(format(*a.allowed))));
        if (a.clock == clock && !(a.trouble.empty() ? a.effect : a.trouble).empty())
            sheet.line(colour(t.muted, html(a.trouble.empty() ? a.effect : a.trouble)));
    }
}

/// What can be measured where the clock is led out of the chip.
static void outputRows(Sheet& sheet, const Snapshot& s, ClockIndex clock)
{
    const ClockState& c = s.rates.clocks[clock];
    for (const NeedIndex need : c.users) {
        if (s.plan.needs[need].kind != "clockout" || !c.running)
            continue;
        for (const Seat& seat : s.bindings.needs[need].seats) {
            if (seat.pad < 0)
                continue;
            sheet.heading(say("Measured at ") + html(s.device->pads[seat.pad].name) + say(", pin ") +
                          html(s.device->pinOf(seat.pad)));
            sheet.row(say("From"), html(format(shifted(c.rate, c.tolerance.low), 9)));
            sheet.row("To", html(format(shifted(c.rate, c.tolerance.high), 9)));
        }
    }
}

/// What a bus clocks through its gates, and what is shut off from it.
static void gateRows(Sheet& sheet, const Snapshot& s, ClockIndex clock)
{
    const Theme& t = Theme::get();
    QStringList open, idle, shut;
    for (const Gate& gate : gatesOf(*s.device, s.bindings, s.image)) {
        if (gate.bus != clock)
            continue;
        for (const InstanceIndex instance : gate.instances)
            (gate.idle() ? idle : gate.open ? open : shut) << html(s.device->instances[instance].name);
    }
    if (open.isEmpty() && idle.isEmpty() && shut.isEmpty())
        return;
    sheet.heading(say("Gates"));
    if (!open.isEmpty())
        sheet.line(colour(t.muted, say("Open: ")) + open.join(", "));
    if (!idle.isEmpty())
        sheet.line(colour(t.caution, say("Open, unused: ")) + idle.join(", "));
    if (!shut.isEmpty())
        sheet.line(colour(t.muted, say("Off: ") + shut.join(", ")));
}

static QString modeLink(const LowPowerMode& mode)
{
    return link("mode:" + QString::fromStdString(mode.id), html(mode.name));
}

/// A row for each thing that can be decided about a clock; what holds is bold, and all else a link that decides it.
static void choiceRows(Sheet& sheet, const Snapshot& s, ClockIndex clock)
{
    const ClockState& c = s.rates.clocks[clock];
    const auto said = s.plan.clocks.find(s.device->clocks[clock].id);
    const std::optional<ClockDecision> decided =
        said == s.plan.clocks.end() ? std::nullopt : std::optional(said->second);
    for (const ClockDecision& choice : clockChoices(*s.device, clock)) {
        const auto* from = std::get_if<InputDecision>(&choice);
        const auto* word = std::get_if<RunDecision>(&choice);
        const ClockIndex input = from ? s.device->findClock(from->clock) : ClockIndex();
        const bool stands = from         ? input == c.input
                            : word->rate ? settingOf(*s.device, clock, choice) == c.setting
                                         : holdsChoice(decided, choice);
        const std::string text = clockDecisionText(choice);
        const QString label = html(input < 0 ? text : s.device->clocks[input].name);
        const QString shown = stands ? "<b>" + label + "</b>" : label;
        const bool takenBack = word && (word->trimmed || word->monitored);
        sheet.row(stands && !takenBack ? shown : link("set:" + QString::fromStdString(text), shown),
                  input < 0 || s.rates.clocks[input].rate.value.isZero() ? QString()
                                                                         : html(format(s.rates.clocks[input].rate)));
    }
}

QString clockText(const Snapshot& s, ClockIndex clock)
{
    const Theme& t = Theme::get();
    const ClockNode& node = s.device->clocks[clock];
    const ClockState& c = s.rates.clocks[clock];
    Sheet sheet;
    if (const auto broken = limitBreak(c))
        sheet.line(colour(broken->toleranceOnly ? t.caution : t.error,
                          html(say("{} its limit of {}{}{}{}.",
                                   broken->which == LimitBreak::Which::Above ? say("Above") : say("Below"),
                                   format(broken->limit), broken->toleranceOnly ? say(" with its tolerance") : "",
                                   broken->because.empty() ? "" : ": ", broken->because))));
    if (!c.running)
        sheet.line(colour(t.caution, say("Does not run: ") + html(c.stopped) + "."));
    else if (!isSet(*s.device, s.rates, clock))
        sheet.line(colour(t.muted, say("Unused; keeps its reset value. These are the values it would have.")));
    else if (!c.used)
        sheet.line(colour(t.muted, say("Unused, but running: the program sets it up, and its limits apply.")));
    sheet.row(say("Rate"), html(format(c.rate, 9)));
    if (!c.rate.value.isInteger())
        sheet.row(say("exactly"), html(c.rate.value.text() + " Hz"));
    sheet.row(say("Tolerance"), html(format(c.tolerance)));
    if (const auto room = headRoom(c))
        sheet.row(say("Head-room"), html(format(*room, 3)));
    if (c.min)
        sheet.row(say("At least"), html(format(*c.min)));
    if (c.max)
        sheet.row(say("At most"), html(format(*c.max)));
    sheet.row(say("In"), html(s.device->ranges[size_t(s.rates.range)].name));
    if (clock == s.device->flashClock && s.rates.waitStates)
        sheet.row(say("Flash wait states"), QString::number(*s.rates.waitStates));
    if (const auto& because = c.maxBecause.empty() ? c.minBecause : c.maxBecause; !because.empty())
        sheet.line(colour(t.muted, say("Limit: ") + html(because) + "."));
    sheet.row(say("Decision"), holdLink(s, holdOfClock(node.id)));

    if (node.trim)
        sheet.row(say("Trimmed"), c.trimmed
                                      ? say("by ") + html(node.trim->by >= 0 ? s.device->clocks[node.trim->by].name
                                                                             : node.trim->bySignal)
                                      : say("can be, to ") + html(format(node.trim->tolerance)));
    if (node.monitor)
        sheet.row(say("Monitor"), (c.monitored ? say("on, falls back to ") : say("off; would fall back to ")) +
                                      html(s.device->clocks[node.monitor->fallsBackTo].name));
    if (const auto* load = nearestLoad(node, c.load))
        sheet.row(say("Load"), html(format(load->first)) + say(" for ") + html(format(c.load)));
    else if (const auto capacitor = loadCapacitor(c))
        sheet.row(say("Capacitors"),
                  QString("2 \u00d7 ") + html(format(*capacitor)) + say(" for ") + html(format(c.load)) +
                      (c.stray.value.isZero() ? QString() : say(", stray ") + html(format(c.stray))));
    if (c.external)
        sheet.line("No crystal: external clock.");
    if (!node.startup.value.isZero())
        sheet.row(node.isSource() ? say("Starts in") : say("Locks in"), html(format(node.startup)));

    const std::vector<ClockIndex> path = pathToSource(s.rates, clock);
    if (path.size() > 1) {
        sheet.heading(say("Path"));
        for (auto it = path.rbegin(); it != path.rend(); ++it) {
            const ClockState& step = s.rates.clocks[*it];
            const std::string op = s.device->clocks[*it].type == ClockNode::Type::Select
                                       ? std::string()
                                       : operationText(*s.device, s.rates, *it);
            sheet.row(clockLink(s, *it), html((op.empty() ? "" : op + " = ") + format(step.rate)));
        }
    }
    if (!c.users.empty()) {
        sheet.heading(say("Times"));
        for (const NeedIndex need : c.users)
            sheet.line(needLink(s, need) + colour(t.muted, say(" on ") + html(s.plan.needs[need].binding.instance)));
    }
    accuracyRows(sheet, s, clock);
    outputRows(sheet, s, clock);
    QString feeds;
    for (const ClockIndex i : s.device->clocks.indices())
        if (s.rates.clocks[i].input == clock)
            feeds += (feeds.isEmpty() ? "" : ", ") + clockLink(s, int(i));
    if (!feeds.isEmpty()) {
        sheet.heading(say("Feeds"));
        sheet.line(feeds);
    }
    gateRows(sheet, s, clock);
    if (c.running && c.used && !s.device->modes.empty()) {
        sheet.heading(say("In low-power modes"));
        for (const LowPowerMode& mode : s.device->modes)
            sheet.row(modeLink(mode), modeState(*s.device, s.plan, s.bindings, s.rates, mode).alive[size_t(clock)]
                                          ? say("runs on")
                                          : "stops");
    }
    const std::vector<ClockDecision> choices = clockChoices(*s.device, clock);
    if (!choices.empty() && node.factors.empty()) {
        sheet.heading(say("Choices"));
        choiceRows(sheet, s, clock);
    } else if (node.factors.size() > 1) {
        sheet.line(
            colour(t.muted, QString(say("Range: %1 to %2%3. Type a value or a rate."))
                                .arg(QString::fromStdString(clockDecisionText(choices.front())),
                                     QString::fromStdString(clockDecisionText(choices.back())),
                                     node.dense ? QString(say(" in steps of 1/%1")).arg(node.unit) : QString())));
    }
    if (node.control.valid()) {
        sheet.heading(say("Register"));
        sheet.row(html(s.device->nameOf(node.control)), QString::number(s.image.codeOf(*s.device, node.control)));
    }
    originRow(sheet, originOf(*s.device, OriginOf::Clock, node.id));
    return sheet.take();
}

QString modeText(const Snapshot& s, int index)
{
    const Theme& t = Theme::get();
    const LowPowerMode& mode = s.device->modes[size_t(index)];
    const ModeState state = modeState(*s.device, s.plan, s.bindings, s.rates, mode);
    Sheet sheet;
    for (const Finding& finding : s.findings)
        if (finding.place.kind == Place::Kind::Mode && finding.place.id == mode.id)
            sheet.line(colour(finding.severity == Finding::Severity::Error ? t.error : t.caution, html(finding.text)));
    if (!mode.about.empty())
        sheet.line(html(mode.about));
    const bool entered = s.plan.modes.contains(mode.id);
    sheet.row(say("The program"),
              entered ? say("enters it \u00b7 ") + link("enter:" + QString::fromStdString(mode.id), "drop")
                      : link("enter:" + QString::fromStdString(mode.id), say("write a function")));
    if (!state.current.value.isZero())
        sheet.row(say("Draws"), say("about ") + html(format(state.current, 3)));
    sheet.row(say("Core runs after"), html(format(state.wakeTime)));
    if (const auto waking = wakingOf(*s.device, *s.board, s.plan, s.bindings, s.rates, mode))
        sheet.row(say("It wakes on"),
                  clockLink(s, mode.wakesOn) + ", " + html(format(waking->rates.clocks[s.device->cpuClock()].rate)));
    sheet.row(say("All clocks after"), html(format(state.fullTime)));
    if (mode.retains)
        sheet.row(say("RAM kept"), QString(say("the first %1 KiB")).arg(*mode.retains / 1024));
    const auto list = [&](const QString& heading, const auto& items, const auto& itemLink, const QString& none) {
        sheet.heading(heading);
        QStringList links;
        for (const int item : items)
            links << itemLink(s, item);
        sheet.line(links.isEmpty() ? colour(t.muted, none) : links.join(", "));
    };
    list(say("Woken by"), state.wakers, needLink, say("Nothing in the plan."));
    list(say("Works on"), state.working, needLink, say("Nothing in the plan."));
    if (!mode.drops.empty())
        list(say("Loses power, initialised again"), state.dropped, needLink, say("Nothing in the plan."));
    std::vector<NeedIndex> stopped;
    for (const NeedIndex n : s.plan.needs.indices())
        if (const auto in =
                [n](const std::vector<NeedIndex>& needs) {
                    return std::find(needs.begin(), needs.end(), int(n)) != needs.end();
                };
            s.bindings.needs[n].instance >= 0 && !in(state.working) && !in(state.dropped))
            stopped.push_back(int(n));
    list(say("Stopped"), stopped, needLink, say("Nothing."));
    list(say("Restarts"), state.restarted, clockLink, say("Nothing."));
    return sheet.take();
}

QString modesSummary(const Snapshot& s)
{
    Sheet sheet;
    if (s.device->modes.empty())
        return {};
    sheet.heading(say("Low-power modes"));
    for (const LowPowerMode& mode : s.device->modes) {
        const ModeState state = modeState(*s.device, s.plan, s.bindings, s.rates, mode);
        sheet.row(modeLink(mode), QString(s.plan.modes.contains(mode.id) ? say("entered, back in ") : say("back in ")) +
                                      html(format(state.fullTime)));
    }
    return sheet.take();
}

} // namespace bindrel
