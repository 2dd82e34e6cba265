// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/inspector_text.h"

#include "app/frame/inspector_sheet.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/clocks/modes.h"
#include "core/clocks/repair.h"
#include "core/describe/coverage.h"
#include "core/device/layers.h"
#include "core/interchange/pin_sheet.h"
#include "core/pins/routes.h"
#include "core/plan/board_facts.h"
#include "core/plan/pin_property.h"
#include "core/plan/stored_settings.h"
#include "core/quantity/format.h"
#include "core/tuning/supply_current.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <utility>

namespace bindrel {

/// The net that a pad is on, a link to say it: the board's word, else what the need that has the pad calls it. The same
/// as the net of the pin sheet.
static void netRow(Sheet& sheet, const Snapshot& s, PadIndex pad)
{
    for (const SheetRow& row : pinSheet(s))
        if (row.pad == pad) {
            const std::size_t net = std::size_t(
                std::ranges::find(sheetColumns(), std::string_view("net"), &SheetColumn::id) - sheetColumns().begin());
            const std::string& name = row.cells[net];
            const QString text = link("net:" + QString::fromStdString(s.device->pads[pad].name),
                                      html(name.empty() ? std::string("\u2013") : name));
            sheet.row(say("Net"), s.plan.nets.contains(s.device->pads[pad].name) ? "<b>" + text + "</b>" : text);
            return;
        }
}

/// What can be said of the pad that carries a signal, each a link to say it; bold what the plan says.
static void propertyRows(Sheet& sheet, const Snapshot& s, const PadSetup& setup)
{
    const Theme& t = Theme::get();
    const Need& need = s.plan.needs[setup.need];
    const SignalSpec& signal = s.bindings.needs[setup.need].seats[size_t(setup.seat)].signal;
    const Pad& pad = s.device->pads[setup.pad];
    for (const PinProperty& property : pinProperties()) {
        if (property.id == "net")
            continue; // a fact about the board, of the pad; see netRow()
        const std::optional<std::string> said = pinProperty(need, signal.id, property.id);
        std::string value = said.value_or("\u2013");
        const bool onlyTold = setup.wired && !property.choices.empty();
        const bool analog =
            signal.direction == SignalSpec::Direction::Analog && !property.choices.empty() && property.id != "pull";
        if (onlyTold || analog || (property.id == "level" && !(setup.gpio && setup.output)) ||
            (property.id == "speed" && pad.slowToggle.value.isZero()))
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
        const QString text = link(QString("prop:%1:%2:%3")
                                      .arg(QString::fromStdString(need.id), QString::fromStdString(signal.id),
                                           QString::fromStdString(property.id)),
                                  html(value));
        sheet.row(QString::fromStdString(say(property.title)), said ? "<b>" + text + "</b>" : text);
    }
    if (!setup.because.empty() && !setup.wired)
        sheet.line(colour(t.muted, (setup.said.empty() ? say("Because ") : say("Automatic, from the signal: ")) +
                                       html(setup.because) + "."));
    if (const std::optional<TerminalFact> fact = padFact(*s.board, need, signal.id, s.device->pads[setup.pad])) {
        QStringList known;
        if (fact->pull)
            known << QString(say("pulled %1")).arg(*fact->pull == TerminalFact::Level::High ? "up" : "down");
        if (fact->volts != Voltage())
            known << say("up to ") + html(format(fact->volts));
        if (fact->current != Current())
            known << say("takes ") + html(format(fact->current));
        if (fact->off)
            known << QString(say("off when %1")).arg(*fact->off == TerminalFact::Level::High ? "high" : "low");
        sheet.line(colour(t.muted, say("At the other end: ") + known.join(", ") + "."));
    }
}

namespace {

/// What the form of its goals does not show: what is set by hand, how its numbers are calculated, what it shares.
void behindNeed(Sheet& sheet, const Snapshot& s, NeedIndex index)
{
    const Theme& t = Theme::get();
    const Need& need = s.plan.needs[index];
    const BoundNeed& bound = s.bindings.needs[index];
    if (!need.overrides.empty()) {
        sheet.heading(say("Set by hand"));
        for (const auto& [field, text] : need.overrides)
            sheet.row(bound.instance < 0 ? html(field)
                                         : link("register:" + QString::fromStdString(need.binding.instance + "." +
                                                                                     field.substr(0, field.find('.'))),
                                                html(field)),
                      colour(t.caution, html(text)));
    }
    bool any = false;
    for (const Achieved& row : s.settings[index].achieved)
        if (!row.formula.empty()) {
            if (!std::exchange(any, true))
                sheet.heading(say("Calculation"));
            sheet.row(html(row.title), colour(t.muted, html(row.formula)));
        }
    if (bound.instance < 0)
        return;
    const ClockIndex kernel = s.device->instances[bound.instance].kernel;
    QStringList with, clocked;
    for (const NeedIndex n : s.plan.needs.indices()) {
        const InstanceIndex other = s.bindings.needs[n].instance;
        if (NeedIndex(int(n)) == index || other < 0)
            continue;
        const QString name = link("need:" + QString::fromStdString(s.plan.needs[n].id), html(s.plan.needs[n].title));
        if (other == bound.instance)
            with << name;
        else if (kernel >= 0 && s.device->instances[other].kernel == kernel)
            clocked << name;
    }
    if (!with.isEmpty() || !clocked.isEmpty())
        sheet.heading(say("Shares"));
    if (!with.isEmpty())
        sheet.row(html(need.binding.instance), with.join(", "));
    constexpr qsizetype kShown = 6;
    if (!clocked.isEmpty())
        sheet.row(html(s.device->clocks[kernel].name),
                  clocked.mid(0, kShown).join(", ") + (clocked.size() > kShown
                                                           ? QString(say(" and %1 more")).arg(clocked.size() - kShown)
                                                           : QString()));
}

} // namespace

QString needText(const Snapshot& s, NeedIndex index, const std::string& signal, const std::vector<Option>& options)
{
    const Theme& t = Theme::get();
    const Need& need = s.plan.needs[index];
    const BoundNeed& bound = s.bindings.needs[index];
    const Setting& setting = s.settings[index];
    Sheet sheet;
    for (const Finding& finding : s.findings)
        if (finding.place.id == need.id || finding.place.sub == need.id)
            sheet.line(colour(finding.severity == Finding::Severity::Error ? t.error : t.caution, html(finding.text)));
    if (bound.instance >= 0) {
        sheet.row(say("Instance"), link("instance:" + QString::fromStdString(need.id), html(need.binding.instance)));
        const ClockIndex kernel = s.device->instances[bound.instance].kernel;
        sheet.row(say("Clock"), clockLink(s, kernel) + " " + html(format(s.rates.clocks[kernel].rate)));
        if (const Accuracy& a = s.accuracy[index]; a.clock >= 0 && a.allowed)
            sheet.row(say("Its accuracy"), colour(a.ok()     ? t.ink
                                                  : a.stated ? t.error
                                                             : t.caution,
                                                  "\u00b1" + html(format(a.given))) +
                                               colour(t.muted, say(" of \u00b1") + html(format(*a.allowed))));
    }
    if (bound.instance >= 0 && !s.device->instances[bound.instance].fences.empty()) {
        QStringList who;
        for (const Fence& fence : s.device->instances[bound.instance].fences)
            if (const auto admits = fence.admits.find(s.image.codeOf(*s.device, fence.field));
                admits != fence.admits.end())
                for (const std::string& name : admits->second)
                    who << html(name);
        sheet.row(say("Reached by"),
                  who.join(", ") + (need.openTo.empty() ? QString() : colour(t.muted, say(" as stated"))));
    }
    sheet.row(say("Decision"), holdLink(s, holdOfNeed(need.id)));
    for (const Achieved& row : setting.achieved)
        sheet.row(html(row.title), colour(row.ok ? t.ink : t.error, html(row.achieved)) +
                                       (row.error ? colour(t.muted, " " + html(format(*row.error, true))) : QString()));
    sheet.heading(say("Signals"));
    for (const Seat& seat : bound.seats) {
        const QString pad = seat.pad < 0 ? QString("\u2013")
                                         : link("pad:" + QString::fromStdString(s.device->pads[seat.pad].name),
                                                html(s.device->pads[seat.pad].name)) +
                                               colour(t.muted, say(" pin ") + html(s.device->pinOf(seat.pad)));
        const QString name =
            link(QString("signal:%1:%2").arg(QString::fromStdString(need.id), QString::fromStdString(seat.signal.id)),
                 html(say(seat.signal.title)));
        sheet.row(seat.signal.id == signal ? "<b>" + name + "</b>" : name, pad);
    }
    if (options.empty() && signal.empty())
        behindNeed(sheet, s, index);
    if (options.empty())
        for (const PadSetup& setup : s.pads)
            if (setup.need == index && bound.seats[size_t(setup.seat)].signal.id == signal) {
                sheet.heading(say("Pad of ") + html(say(bound.seats[size_t(setup.seat)].signal.title)));
                propertyRows(sheet, s, setup);
                netRow(sheet, s, setup.pad);
            }
    if (!options.empty()) {
        sheet.heading(say("Options for ") + QString::fromStdString(signal));
        int number = 0;
        for (const Option& option : options) {
            ++number;
            if (number > 24) {
                sheet.line(colour(t.muted, QString(say("and %1 more on the picture")).arg(options.size() - 24)));
                break;
            }
            const bool takes = option.cost == Option::Cost::Free || option.cost == Option::Cost::Moves ||
                               option.cost == Option::Cost::Room || option.cost == Option::Cost::Contends;
            QString name = html(s.device->pads[option.pad].name);
            if (option.instance >= 0 && option.instance != bound.instance)
                name += " " + html(s.device->instances[option.instance].name);
            const QColor tint = option.cost == Option::Cost::Free || option.cost == Option::Cost::Current ? t.ink
                                : option.cost == Option::Cost::Impossible                                 ? t.muted
                                                                                                          : t.caution;
            sheet.row((number < 10 ? QString("%1&nbsp; ").arg(number) : QString("&nbsp;&nbsp;&nbsp; ")) +
                          (takes ? link(QString("option:%1").arg(number), name) : name),
                      colour(tint, html(option.reason)));
        }
    } else if (!signal.empty()) {
        sheet.line(colour(t.muted, say("Space shows where it could go.")));
    }
    return sheet.take();
}

/// What a route takes, in the words of its mechanism.
static QString routeText(const Device& device, const Route& route)
{
    const auto settings = [&] {
        QStringList out;
        for (const FieldCode& select : route.selects)
            if (!device.pads[route.pad].isPickedBy(select.ref))
                out << QString("%1 = %2").arg(html(device.nameOf(select.ref)), html(codeName(device, select)));
        return out.join(", ");
    };
    switch (route.mechanism) {
    case Route::Mechanism::Selector:
        return QString(say("code %1")).arg(route.code) +
               (route.group >= 0 ? say(", group ") + html(device.groups[size_t(route.group)]) : QString());
    case Route::Mechanism::GroupRemap:
        return say("by ") + settings();
    case Route::Mechanism::Lanes:
        return QString(say("code %1, lane")).arg(route.code);
    case Route::Mechanism::Matrix:
        return "matrix";
    case Route::Mechanism::Fixed:
        break;
    }
    return "fixed";
}

QString padText(const Snapshot& s, PadIndex pad)
{
    const Theme& t = Theme::get();
    const Pad& facts = s.device->pads[pad];
    Sheet sheet;
    for (const Finding& finding : s.findings)
        if (finding.place.kind == Place::Kind::Pad && finding.place.id == facts.name)
            sheet.line(colour(finding.severity == Finding::Severity::Error ? t.error : t.caution, html(finding.text)));
    const auto& claims = s.bindings.padClaims[pad];
    for (const Claim& claim : claims) {
        const Seat& seat = s.bindings.needs[claim.need].seats[size_t(claim.seat)];
        sheet.row(html(say(seat.signal.title)), needLink(s, claim.need));
    }
    if (claims.empty())
        sheet.line(colour(t.muted, say("No need uses it.")));
    originRow(sheet, originOf(*s.device, OriginOf::Pad, facts.name));
    for (const PadSetup& setup : s.pads) {
        if (setup.pad != pad)
            continue;
        sheet.heading(say("Set up as"));
        sheet.row(say("Function"), setup.wired      ? QString("fixed")
                                   : setup.code < 0 ? QString(say("no selection at the pad"))
                                                    : QString::number(setup.code));
        if (setup.gpio)
            sheet.row(say("Direction"), setup.output ? "output" : "input");
        propertyRows(sheet, s, setup);
        if (setup.line >= 0)
            sheet.row(say("Interrupt line"), QString("%1, %2")
                                                 .arg(setup.line)
                                                 .arg(setup.rising && setup.falling ? say("both edges")
                                                      : setup.rising                ? "rising"
                                                                                    : "falling"));
    }
    sheet.heading(say("The pad"));
    sheet.row(say("Supply"), html(facts.bank) + (facts.weak ? say(", weak") : ""));
    sheet.row(say("5 V tolerant"), facts.fiveVolt ? "yes" : "no");
    if (facts.maxToggle.value > Rational(0))
        sheet.row(say("Toggles up to"), html(format(facts.maxToggle)));
    if (!facts.drives.empty()) {
        QStringList drives;
        for (const Current& drive : facts.drives)
            drives << html(format(drive));
        sheet.row(say("Drives"), drives.join(", "));
    }
    const auto pulls = [&facts](Pad::Pull pull) {
        return std::find(facts.pulls.begin(), facts.pulls.end(), pull) != facts.pulls.end();
    };
    sheet.row(say("Pulls"), pulls(Pad::Pull::Up) && pulls(Pad::Pull::Down) ? say("up, down")
                            : pulls(Pad::Pull::Up)                         ? "up"
                            : pulls(Pad::Pull::Down)                       ? "down"
                                                                           : "none");
    if (facts.line >= 0 && s.device->lineInstance >= 0)
        sheet.row(say("Interrupt line"), QString::number(facts.line));
    if (!facts.resetClaim.empty())
        sheet.row(say("After reset"), html(facts.resetClaim));
    netRow(sheet, s, pad);
    sheet.heading(say("Can carry"));
    // Lanes lead to one signal in several roles; the first says it.
    QStringList said;
    for (const RouteIndex r : facts.routes) {
        const Route& route = s.device->routes[r];
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
        const Register& reg = s.device->blockOf(value.instance).registers[value.reg];
        if (s.device->instances[value.instance].name + "." + reg.name != dotted)
            continue;
        sheet.row(say("Address"),
                  QString("0x%1").arg(s.device->addressOf(value.instance, value.reg), 8, 16, QChar('0')));
        sheet.row(say("After reset"), QString("0x%1").arg(value.reset, 8, 16, QChar('0')));
        sheet.row(say("As planned"), QString("0x%1").arg(value.value, 8, 16, QChar('0')));
        if (!reg.about.empty())
            sheet.line(colour(t.muted, html(reg.about)));
        originRow(sheet, originOf(*s.device, OriginOf::Register, dotted));
        sheet.heading(say("Fields"));
        for (const Field& field : reg.fields) {
            const auto write = std::find_if(value.fields.begin(), value.fields.end(),
                                            [&](const FieldWrite& w) { return &s.device->fieldOf(w.ref) == &field; });
            const std::uint32_t code = field.in(value.value);
            sheet.row(html(field.name), QString::number(code) + (write == value.fields.end()
                                                                     ? colour(t.muted, say(" reset value"))
                                                                     : colour(t.muted, " " + html(write->cause))));
        }
    }
    return sheet.take();
}

QString storedText(const Snapshot& s, const std::string& id, const StoredSetting& setting)
{
    const Theme& t = Theme::get();
    Sheet sheet;
    for (const Finding& finding : s.findings)
        if (finding.place.kind == Place::Kind::Stored && finding.place.id == id)
            sheet.line(colour(finding.severity == Finding::Severity::Error ? t.error : t.caution, html(finding.text)));
    sheet.line(html(setting.bits.about));
    const auto word = std::find_if(s.device->stored.begin(), s.device->stored.end(),
                                   [&](const StoredWord& w) { return id.starts_with(w.name + "."); });
    const std::uint32_t holds = storedValue(*s.device, s.plan, *word).value_or(word->factory);
    const auto codeIn = [&](std::uint32_t value) { return (value & setting.bits.mask()) >> setting.bits.lsb; };
    sheet.row(say("Word"),
              html(fmt::format("{} at 0x{:08X}: 0x{:0{}X}", word->name, word->address, holds, word->bytes() * 2)));
    for (const StoredSetting::Decides& decides : setting.decides)
        sheet.row(say("After reset"),
                  html(fmt::format("{} = {}", s.device->nameOf(decides.ref), decides.codeFor(codeIn(holds)))));
    sheet.heading(say("Choices"));
    const bool chosen = s.plan.stored.contains(id);
    const QString keep = "keep:" + QString::fromStdString(id) + ":";
    for (const EnumValue& value : setting.bits.values) {
        const auto level = setting.holdsBelow.find(value.code);
        QString note =
            level == setting.holdsBelow.end() ? QString() : say("held in reset below ") + html(format(level->second));
        if (value.code == codeIn(word->factory))
            note += QString(note.isEmpty() ? "" : ", ") + say("factory default");
        const bool now = value.code == codeIn(holds);
        sheet.row(now ? "<b>" + html(value.name) + "</b>"
                      : link(keep + QString::fromStdString(value.name), html(value.name)),
                  note);
    }
    if (chosen)
        sheet.line(link(keep, say("Restore the factory default")));
    sheet.line(
        colour(t.muted,
               say("The word is part of the generated program; it takes effect at the next reset after programming.")));
    return sheet.take();
}

/// Links to the settings in non-volatile memory, with their values.
static QString storedSummary(const Snapshot& s)
{
    Sheet sheet;
    if (s.device->stored.empty())
        return {};
    sheet.heading(say("Non-volatile settings"));
    for (const StoredWord& word : s.device->stored)
        for (const StoredSetting& setting : word.settings) {
            const std::string id = word.name + "." + setting.bits.name;
            const auto chosen = s.plan.stored.find(id);
            sheet.row(link("stored:" + QString::fromStdString(id), html(setting.bits.name)),
                      chosen == s.plan.stored.end() ? colour(Theme::get().muted, say("factory default"))
                                                    : html(chosen->second));
        }
    return sheet.take();
}

QString planSummary(const Snapshot& s)
{
    Sheet sheet;
    sheet.row(say("Board"), html(s.board->title));
    if (!s.device->undescribed.empty()) {
        std::map<CoverageLevel, int> levels;
        for (const InstanceCoverage& instance : coverageOf(*s.device))
            ++levels[instance.level];
        for (const auto& [level, count] : levels)
            sheet.row(QString(nameOf(level)), QString::fromStdString(sayCount(count, "{} instance", "{} instances")));
        sheet.row(say("Not described"), html(listed(s.device->undescribed)));
    }
    if (s.device->origins && !s.device->origins->remarks.empty()) {
        const std::vector<Problem>& remarks = s.device->origins->remarks;
        constexpr std::size_t kAtOnce = 6;
        for (std::size_t i = 0; i < remarks.size() && i < kAtOnce; ++i)
            sheet.line(colour(Theme::get().muted, html(say("Line {}: {}", remarks[i].line, remarks[i].message))));
        if (remarks.size() > kAtOnce)
            sheet.line(colour(Theme::get().muted, QString(say("and %1 more")).arg(remarks.size() - kAtOnce)));
    }
    for (const Core& core : s.device->cores) {
        if (!s.device->canBeWritten())
            break;
        const QString id = s.device->cores.size() > 1 ? html(core.id) + " " : QString();
        sheet.row(id.isEmpty() ? QString(say("Core")) : id,
                  html(core.name) + say(" at ") + html(format(s.rates.clocks[core.clock].rate)));
        sheet.row(id.isEmpty() ? QString(say("Flash, RAM")) : id + say("flash, RAM"),
                  QString(say("%1 KiB, %2 KiB")).arg(core.flashBytes / 1024).arg(core.ramBytes / 1024));
    }
    // The lowest setting that carries the rates as they are draws the least.
    if (const int lowest = lowestRange(*s.device, *s.board, s.plan, s.bindings); lowest >= 0 && lowest != s.rates.range)
        sheet.row(say("Range"), html(s.device->ranges[size_t(s.rates.range)].name + "; " +
                                     s.device->ranges[size_t(lowest)].name + say(" would do")));
    for (const Regulator& regulator : s.device->regulators)
        if (s.plan.regulator.empty() ? regulator.code == s.device->resetCode(s.device->regulatorControl)
                                     : regulator.id == s.plan.regulator)
            sheet.row(say("Core voltage from"), html(regulator.name));
    if (const SupplyCurrent current = supplyCurrent(*s.device, s.plan, s.bindings, s.rates, s.pads);
        !current.rows.empty())
        sheet.row(say("Supply current"), say("about ") + html(format(current.total, 2)));
    sheet.row(say("Wait states"), s.rates.waitStates ? QString::number(*s.rates.waitStates) : QString(say("too fast")));
    sheet.row(say("If a clock fails"), QString::fromStdString(nameOf(s.plan.onFailure)));
    sheet.row(say("Needs"),
              QString(say("%1, %2 unbound")).arg(s.plan.needs.size()).arg(s.bindings.count(BoundNeed::State::Open)));
    sheet.line(colour(Theme::get().muted, say("Select a need, a pad or a clock to see it here.")));
    return sheet.take() + modesSummary(s) + storedSummary(s);
}

} // namespace bindrel
