// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/inspector_text.h"

#include "app/theme/theme.h"
#include "core/clocks/modes.h"
#include "core/clocks/repair.h"
#include "core/pins/routes.h"
#include "core/plan/board_facts.h"
#include "core/plan/check_setting.h"
#include "core/plan/pin_property.h"
#include "core/quantity/format.h"

#include <algorithm>

namespace bindrel {

namespace {

QString html(const std::string& text) { return typeset(text).toHtmlEscaped(); }

QString colour(const QColor& c, const QString& text) { return QString("<span style='color:%1'>%2</span>").arg(c.name(), text); }

/// Rows of a key and a value, headings between them.
class Sheet {
public:
    void heading(const QString& text)
    {
        end();
        out_ += QString("<p style='margin:12px 0 3px 0; font-size:10px; font-weight:600; color:%1; letter-spacing:1px'>%2</p>").arg(Theme::get().muted.name(), text.toUpper());
    }
    void row(const QString& key, const QString& value)
    {
        begin();
        out_ += QString("<tr><td style='padding:2px 8px 2px 0; color:%1'>%2</td><td align='right' style='padding:2px 0; font-family:\"JetBrains Mono\"; font-size:11px'>%3</td></tr>")
                    .arg(Theme::get().muted.name(), key, value);
    }
    void line(const QString& text)
    {
        end();
        out_ += "<p style='margin:3px 0'>" + text + "</p>";
    }
    QString take()
    {
        end();
        return out_;
    }

private:
    void begin()
    {
        if (!open_)
            out_ += "<table width='100%' cellspacing='0'>";
        open_ = true;
    }
    void end()
    {
        if (open_)
            out_ += "</table>";
        open_ = false;
    }
    QString out_;
    bool open_ = false;
};

QString link(const QString& target, const QString& text) { return QString("<a href='%1' style='color:%2; text-decoration:none'>%3</a>").arg(target, Theme::get().accent.name(), text); }

QString clockLink(const Snapshot& s, int clock)
{
    return link("clock:" + QString::fromStdString(s.device->clocks[size_t(clock)].id), html(s.device->clocks[size_t(clock)].name));
}

QString needLink(const Snapshot& s, int need)
{
    return link("need:" + QString::fromStdString(s.plan.needs[size_t(need)].id), html(s.plan.needs[size_t(need)].title));
}

QString holdLink(const Snapshot& s, const std::string& target)
{
    return link("hold:" + QString::fromStdString(target), s.plan.held(target) ? "held \u00b7 let go" : "hold");
}

} // namespace

/// Whether a source stands as one of its choices says.
static bool sourceSays(const Snapshot& s, int clock, const std::string& choice)
{
    const ClockNode& node = s.device->clocks[size_t(clock)];
    const ClockState& c = s.rates.clocks[size_t(clock)];
    if (choice == "trimmed" || choice == "monitored")
        return choice == "trimmed" ? c.trimmed : c.monitored;
    const Expected<SourceDecision> decision = readSourceDecision(node, choice);
    return decision && decision->rate && *decision->rate == c.setting;
}

QString clockText(const Snapshot& s, int clock)
{
    const Theme& t = Theme::get();
    const ClockNode& node = s.device->clocks[size_t(clock)];
    const ClockState& c = s.rates.clocks[size_t(clock)];
    Sheet sheet;
    if (const auto broken = limitBreak(c))
        sheet.line(colour(broken->toleranceOnly ? t.caution : t.error,
                          html(std::string(broken->which == LimitBreak::Which::Above ? "Above" : "Below") + " its limit of " + format(broken->limit) +
                               (broken->toleranceOnly ? " with its tolerance" : "") + (broken->because.empty() ? "" : ": " + broken->because) + ".")));
    if (!c.running)
        sheet.line(colour(t.caution, "Does not run: " + html(c.stopped) + "."));
    sheet.row("Rate", html(format(c.rate, 9)));
    if (!c.rate.value.isInteger())
        sheet.row("exactly", html(c.rate.value.text() + " Hz"));
    sheet.row("Tolerance", html(format(c.tolerance)));
    if (const auto room = headRoom(c))
        sheet.row("Head-room", html(format(*room, 3)));
    if (c.min)
        sheet.row("At least", html(format(*c.min)));
    if (c.max)
        sheet.row("At most", html(format(*c.max)));
    sheet.row("In", html(s.device->ranges[size_t(s.rates.range)].name));
    if (clock == s.device->flashClock && s.rates.waitStates)
        sheet.row("Flash wait states", QString::number(*s.rates.waitStates));
    if (const auto& because = c.maxBecause.empty() ? c.minBecause : c.maxBecause; !because.empty())
        sheet.line(colour(t.muted, "Limit: " + html(because) + "."));
    sheet.row("Decision", holdLink(s, holdOfClock(node.id)));

    const std::vector<int> path = pathToSource(s.rates, clock);
    if (path.size() > 1) {
        sheet.heading("Path");
        for (auto it = path.rbegin(); it != path.rend(); ++it) {
            const ClockState& step = s.rates.clocks[size_t(*it)];
            const std::string op = s.device->clocks[size_t(*it)].type == ClockNode::Type::Select ? std::string() : operationText(*s.device, s.rates, *it);
            sheet.row(clockLink(s, *it), html((op.empty() ? "" : op + " = ") + format(step.rate)));
        }
    }
    if (!c.users.empty()) {
        sheet.heading("Times");
        for (const int need : c.users)
            sheet.line(needLink(s, need) + colour(t.muted, " on " + html(s.plan.needs[size_t(need)].binding.instance)));
    }
    QString feeds;
    for (size_t i = 0; i < s.device->clocks.size(); ++i)
        if (s.rates.clocks[i].input == clock)
            feeds += (feeds.isEmpty() ? "" : ", ") + clockLink(s, int(i));
    if (!feeds.isEmpty()) {
        sheet.heading("Feeds");
        sheet.line(feeds);
    }
    const std::vector<std::string> choices = clockChoices(*s.device, clock);
    if (!choices.empty() && node.factors.empty()) {
        sheet.heading("Choices");
        for (const std::string& choice : choices) {
            const int input = s.device->findClock(choice);
            const bool now = node.type == ClockNode::Type::Select && input == c.input;
            const bool set = now || (node.isSource() && sourceSays(s, clock, choice));
            sheet.row(set ? "<b>" + html(input < 0 ? choice : s.device->clocks[size_t(input)].name) + "</b>"
                          : link("set:" + QString::fromStdString(choice), html(input < 0 ? choice : s.device->clocks[size_t(input)].name)),
                      input < 0 || s.rates.clocks[size_t(input)].rate.value.isZero() ? QString() : html(format(s.rates.clocks[size_t(input)].rate)));
        }
    } else if (node.factors.size() > 1) {
        sheet.line(colour(t.muted, QString("It can be %1 to %2%3; type one, or a rate.").arg(node.factors.front()).arg(node.factors.back())
                                       .arg(node.unit > 1 ? QString(" in steps of 1/%1").arg(node.unit) : QString())));
    }
    if (node.trim)
        sheet.row("Trimmed", c.trimmed ? "by " + html(node.trim->by >= 0 ? s.device->clocks[size_t(node.trim->by)].name : node.trim->bySignal)
                                       : "can be, to " + html(format(node.trim->tolerance)));
    if (node.monitor)
        sheet.row("Monitor", (c.monitored ? "on, falls back to " : "off; it would fall back to ") + html(s.device->clocks[size_t(node.monitor->fallsBackTo)].name));
    if (const auto* load = nearestLoad(node, c.load))
        sheet.row("Load", html(format(load->first)) + " for " + html(format(c.load)));
    else if (const auto capacitor = loadCapacitor(c))
        sheet.row("Capacitors", QString("2 \u00d7 ") + html(format(*capacitor)) + " for " + html(format(c.load)) + (c.stray.value.isZero() ? QString() : ", stray " + html(format(c.stray))));
    if (c.external)
        sheet.line("No crystal: the board feeds a clock in.");
    if (!node.startup.value.isZero())
        sheet.row(node.isSource() ? "Starts in" : "Locks in", html(format(node.startup)));
    for (const LowPowerMode& mode : s.device->modes)
        if (c.running && c.used && !mode.keepsAll)
            sheet.row("In " + html(mode.name), modeState(*s.device, s.plan, s.bindings, s.rates, mode).alive[size_t(clock)] ? "runs on" : "stands still");
    if (node.control.valid()) {
        sheet.heading("Register");
        sheet.row(html(s.device->nameOf(node.control)), QString::number(s.image.codeOf(*s.device, node.control)));
    }
    return sheet.take();
}

/// What can be said of the pad that carries a signal, each a link to say it; bold what the plan says.
static void propertyRows(Sheet& sheet, const Snapshot& s, const PadSetup& setup)
{
    const Theme& t = Theme::get();
    const Need& need = s.plan.needs[size_t(setup.need)];
    const SignalSpec& signal = s.bindings.needs[size_t(setup.need)].seats[size_t(setup.seat)].signal;
    const Pad& pad = s.device->pads[size_t(setup.pad)];
    for (const PinProperty& property : pinProperties()) {
        const std::optional<std::string> said = pinProperty(need, signal.id, property.id);
        std::string value = said.value_or("\u2013");
        const bool onlyTold = setup.wired && !property.choices.empty();
        const bool analog = signal.direction == SignalSpec::Direction::Analog && !property.choices.empty() && property.id != "pull";
        if (onlyTold || analog || (property.id == "level" && !(setup.gpio && setup.output)) || (property.id == "speed" && pad.slowToggle.value.isZero()))
            continue;
        if (property.id == "pull")
            value = nameOf(setup.pull);
        else if (property.id == "drive")
            value = nameOf(setup.drive);
        else if (property.id == "speed")
            value = setup.fast ? "fast" : "slow";
        else if (property.id == "open_drain")
            value = setup.openDrain ? "yes" : "no";
        else if (property.id == "level")
            value = setup.levelHigh ? "high" : "low";
        const QString text = link(QString("prop:%1:%2:%3").arg(QString::fromStdString(need.id), QString::fromStdString(signal.id), QString::fromStdString(property.id)), html(value));
        sheet.row(QString::fromStdString(property.title), said ? "<b>" + text + "</b>" : text);
    }
    if (!setup.because.empty() && !setup.wired)
        sheet.line(colour(t.muted, (setup.said.empty() ? "Because " : "What the plan does not say follows from the signal: ") + html(setup.because) + "."));
    if (const TerminalFact* fact = terminalFact(*s.board, need, signal.id)) {
        QStringList known;
        if (fact->pull)
            known << QString("pulled %1").arg(*fact->pull == TerminalFact::Level::High ? "up" : "down");
        if (fact->volts != Voltage())
            known << "up to " + html(format(fact->volts));
        if (fact->current != Current())
            known << "takes " + html(format(fact->current));
        if (fact->off)
            known << QString("off when %1").arg(*fact->off == TerminalFact::Level::High ? "high" : "low");
        sheet.line(colour(t.muted, "At the other end: " + known.join(", ") + "."));
    }
}

QString needText(const Snapshot& s, int index, const std::string& signal, const std::vector<Option>& options)
{
    const Theme& t = Theme::get();
    const Need& need = s.plan.needs[size_t(index)];
    const BoundNeed& bound = s.bindings.needs[size_t(index)];
    const Setting& setting = s.settings[size_t(index)];
    Sheet sheet;
    for (const Finding& finding : s.findings)
        if (finding.place.id == need.id || finding.place.sub == need.id)
            sheet.line(colour(finding.severity == Finding::Severity::Error ? t.error : t.caution, html(finding.text)));
    if (bound.instance >= 0) {
        sheet.row("Instance", link("instance:" + QString::fromStdString(need.id), html(need.binding.instance)));
        const int kernel = s.device->instances[size_t(bound.instance)].kernel;
        sheet.row("Clock", clockLink(s, kernel) + " " + html(format(s.rates.clocks[size_t(kernel)].rate)));
    }
    sheet.row("Decision", holdLink(s, holdOfNeed(need.id)));
    for (const Achieved& row : setting.achieved)
        sheet.row(html(row.title), colour(row.ok ? t.ink : t.error, html(row.achieved)) + (row.error ? colour(t.muted, " " + html(format(*row.error, true))) : QString()));
    sheet.heading("Signals");
    for (const Seat& seat : bound.seats) {
        const QString pad = seat.pad < 0 ? QString("\u2013")
                                         : link("pad:" + QString::fromStdString(s.device->pads[size_t(seat.pad)].name), html(s.device->pads[size_t(seat.pad)].name)) +
                                               colour(t.muted, " pin " + html(s.device->pinOf(seat.pad)));
        const QString name = link(QString("signal:%1:%2").arg(QString::fromStdString(need.id), QString::fromStdString(seat.signal.id)), html(seat.signal.title));
        sheet.row(seat.signal.id == signal ? "<b>" + name + "</b>" : name, pad);
    }
    if (options.empty())
        for (const PadSetup& setup : s.pads)
            if (setup.need == index && bound.seats[size_t(setup.seat)].signal.id == signal) {
                sheet.heading("Pad of " + html(bound.seats[size_t(setup.seat)].signal.title));
                propertyRows(sheet, s, setup);
            }
    if (!options.empty()) {
        sheet.heading("Options for " + QString::fromStdString(signal));
        int number = 0;
        for (const Option& option : options) {
            ++number;
            if (number > 24) {
                sheet.line(colour(t.muted, QString("and %1 more on the picture").arg(options.size() - 24)));
                break;
            }
            const bool takes = option.cost == Option::Cost::Free || option.cost == Option::Cost::Moves || option.cost == Option::Cost::Room || option.cost == Option::Cost::Contends;
            QString name = html(s.device->pads[size_t(option.pad)].name);
            if (option.instance >= 0 && option.instance != bound.instance)
                name += " " + html(s.device->instances[size_t(option.instance)].name);
            const QColor tint = option.cost == Option::Cost::Free || option.cost == Option::Cost::Current ? t.ink : option.cost == Option::Cost::Impossible ? t.muted : t.caution;
            sheet.row((number < 10 ? QString("%1&nbsp; ").arg(number) : QString("&nbsp;&nbsp;&nbsp; ")) + (takes ? link(QString("option:%1").arg(number), name) : name), colour(tint, html(option.reason)));
        }
    } else if (!signal.empty()) {
        sheet.line(colour(t.muted, "Space shows where it could go."));
    }
    return sheet.take();
}

/// What a route takes, in the words of its mechanism.
static QString routeText(const Device& device, const Route& route)
{
    const auto settings = [&] {
        QStringList out;
        for (const FieldCode& select : route.selects)
            if (select.ref != device.pads[size_t(route.pad)].function)
                out << QString("%1 = %2").arg(html(device.nameOf(select.ref)), html(codeName(device, select)));
        return out.join(", ");
    };
    switch (route.mechanism) {
    case Route::Mechanism::Selector:
        return QString("code %1").arg(route.code) + (route.group >= 0 ? ", group " + html(device.groups[size_t(route.group)]) : QString());
    case Route::Mechanism::GroupRemap:
        return "by " + settings();
    case Route::Mechanism::Lanes:
        return QString("code %1, lane").arg(route.code);
    case Route::Mechanism::Matrix:
        return "matrix";
    case Route::Mechanism::Fixed:
        break;
    }
    return "fixed";
}

QString padText(const Snapshot& s, int pad)
{
    const Theme& t = Theme::get();
    const Pad& facts = s.device->pads[size_t(pad)];
    Sheet sheet;
    for (const Finding& finding : s.findings)
        if (finding.place.kind == Place::Kind::Pad && finding.place.id == facts.name)
            sheet.line(colour(finding.severity == Finding::Severity::Error ? t.error : t.caution, html(finding.text)));
    const auto& claims = s.bindings.padClaims[size_t(pad)];
    for (const Claim& claim : claims) {
        const Seat& seat = s.bindings.needs[size_t(claim.need)].seats[size_t(claim.seat)];
        sheet.row(html(seat.signal.title), needLink(s, claim.need));
    }
    if (claims.empty())
        sheet.line(colour(t.muted, "No need uses it."));
    for (const PadSetup& setup : s.pads) {
        if (setup.pad != pad)
            continue;
        sheet.heading("Set up as");
        sheet.row("Function", setup.wired ? QString("fixed") : setup.code < 0 ? QString("nothing to pick at the pad") : QString::number(setup.code));
        if (setup.gpio)
            sheet.row("Direction", setup.output ? "output" : "input");
        propertyRows(sheet, s, setup);
        if (setup.line >= 0)
            sheet.row("Interrupt line", QString("%1, %2").arg(setup.line).arg(setup.rising && setup.falling ? "both edges" : setup.rising ? "rising" : "falling"));
    }
    sheet.heading("The pad");
    sheet.row("Supply", html(facts.bank) + (facts.weak ? ", weak" : ""));
    sheet.row("5 V tolerant", facts.fiveVolt ? "yes" : "no");
    if (facts.maxToggle.value > Rational(0))
        sheet.row("Toggles up to", html(format(facts.maxToggle)));
    if (!facts.drives.empty()) {
        QStringList drives;
        for (const Current& drive : facts.drives)
            drives << html(format(drive));
        sheet.row("Drives", drives.join(", "));
    }
    const auto pulls = [&facts](Pad::Pull pull) { return std::find(facts.pulls.begin(), facts.pulls.end(), pull) != facts.pulls.end(); };
    sheet.row("Pulls", pulls(Pad::Pull::Up) && pulls(Pad::Pull::Down) ? "up, down" : pulls(Pad::Pull::Up) ? "up" : pulls(Pad::Pull::Down) ? "down" : "none");
    if (facts.line >= 0 && s.device->lineInstance >= 0)
        sheet.row("Interrupt line", QString::number(facts.line));
    if (!facts.resetClaim.empty())
        sheet.row("At reset", html(facts.resetClaim));
    if (const auto net = s.board->nets.find(facts.name); net != s.board->nets.end())
        sheet.row("Net", html(net->second));
    sheet.heading("Can carry");
    // Lanes lead to one signal in several roles; the first says it.
    QStringList said;
    for (const int r : facts.routes) {
        const Route& route = s.device->routes[size_t(r)];
        const QString name = html(s.device->signalName(route));
        if (said.contains(name))
            continue;
        said << name;
        sheet.row(name, routeText(*s.device, route));
    }
    return sheet.take();
}

QString registerText(const Snapshot& s, const std::string& dotted)
{
    const Theme& t = Theme::get();
    Sheet sheet;
    for (const RegisterValue& value : s.image.registers) {
        const Register& reg = s.device->blockOf(value.instance).registers[size_t(value.reg)];
        if (s.device->instances[size_t(value.instance)].name + "." + reg.name != dotted)
            continue;
        sheet.row("Address", QString("0x%1").arg(s.device->addressOf(value.instance, value.reg), 8, 16, QChar('0')));
        sheet.row("At reset", QString("0x%1").arg(value.reset, 8, 16, QChar('0')));
        sheet.row("As planned", QString("0x%1").arg(value.value, 8, 16, QChar('0')));
        if (!reg.about.empty())
            sheet.line(colour(t.muted, html(reg.about)));
        sheet.heading("Fields");
        for (const Field& field : reg.fields) {
            const auto write = std::find_if(value.fields.begin(), value.fields.end(), [&](const FieldWrite& w) { return &s.device->fieldOf(w.ref) == &field; });
            const std::uint32_t code = value.value >> field.lsb & field.maxCode();
            sheet.row(html(field.name), QString::number(code) + (write == value.fields.end() ? colour(t.muted, " as at reset") : colour(t.muted, " " + html(write->cause))));
        }
    }
    return sheet.take();
}

QString planSummary(const Snapshot& s)
{
    Sheet sheet;
    sheet.row("Board", html(s.board->title));
    for (const Core& core : s.device->cores) {
        const QString id = s.device->cores.size() > 1 ? html(core.id) + " " : QString();
        sheet.row(id.isEmpty() ? QString("Core") : id, html(core.name) + " at " + html(format(s.rates.clocks[size_t(core.clock)].rate)));
        sheet.row(id.isEmpty() ? QString("Flash, RAM") : id + "flash, RAM", QString("%1 KiB, %2 KiB").arg(core.flashBytes / 1024).arg(core.ramBytes / 1024));
    }
    // The lowest setting that carries the rates as they are draws the least.
    if (const int lowest = lowestRange(*s.device, *s.board, s.plan, s.bindings); lowest >= 0 && lowest != s.rates.range)
        sheet.row("Range", html(s.device->ranges[size_t(s.rates.range)].name + "; " + s.device->ranges[size_t(lowest)].name + " would do"));
    sheet.row("Wait states", s.rates.waitStates ? QString::number(*s.rates.waitStates) : QString("too fast"));
    sheet.row("Needs", QString("%1, %2 open").arg(s.plan.needs.size()).arg(s.bindings.count(BoundNeed::State::Open)));
    sheet.line(colour(Theme::get().muted, "Select a need, a pad or a clock to see it here."));
    return sheet.take();
}

} // namespace bindrel
