// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/inspector.h"

#include "app/frame/inspector_text.h"
#include "app/session/option_finder.h"
#include "app/theme/theme.h"
#include "app/widgets/panel.h"
#include "core/base/say.h"
#include "core/clocks/clock_entry.h"
#include "core/interchange/pin_sheet.h"
#include "core/plan/board_facts.h"
#include "core/plan/clock_decision.h"
#include "core/plan/crystal_text.h"
#include "core/plan/pin_property.h"
#include "core/plan/stored_settings.h"

#include <fmt/format.h>

#include <QApplication>
#include <QCursor>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QScrollBar>
#include <QStyle>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace bindrel {

Inspector::Inspector(Document& document, ViewState& view, OptionFinder& options, QWidget* parent)
    : QWidget(parent), document_(document), view_(view), finder_(options)
{
    setFixedWidth(270);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 10, 0, 0);
    column->setSpacing(2);
    column->addWidget(panelHeading(say("Inspector")));
    auto* inner = new QVBoxLayout;
    inner->setContentsMargins(12, 2, 12, 0);
    inner->setSpacing(3);
    title_ = new QLabel;
    title_->setWordWrap(true);
    subtitle_ = new QLabel;
    subtitle_->setWordWrap(true);
    field_ = new QLineEdit;
    field_->setAccessibleName(say("Setting or rate of the clock"));
    trouble_ = new QLabel;
    trouble_->setWordWrap(true);
    trouble_->hide();
    // Names come from plans, which may come from strangers: never markup.
    for (QLabel* label : {title_, subtitle_, trouble_})
        label->setTextFormat(Qt::PlainText);
    inner->addWidget(title_);
    inner->addWidget(subtitle_);
    inner->addWidget(field_);
    inner->addWidget(trouble_);
    column->addLayout(inner);
    text_ = new QTextBrowser;
    text_->setOpenLinks(false);
    text_->setFrameShape(QFrame::NoFrame);
    text_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    text_->document()->setDocumentMargin(12);
    text_->setAccessibleName(say("Details"));
    text_->viewport()->setAutoFillBackground(false);
    column->addWidget(text_, 1);

    connect(&document_, &Document::changed, this, &Inspector::refresh);
    connect(&document_, &Document::changed, &background_, &Background::cancel);
    connect(&view_, &ViewState::selectionChanged, this, &Inspector::refresh);
    connect(&view_, &ViewState::previewChanged, this, &Inspector::refresh);
    connect(&finder_, &OptionFinder::changed, this, &Inspector::refresh);
    connect(field_, &QLineEdit::returnPressed, this, [this] {
        view_.pending().forget(field_);
        const QString why = commitField(clock_, field_->text(), true);
        if (why.isEmpty())
            field_->selectAll();
        else
            noteTyping();
    });
    connect(field_, &QLineEdit::textEdited, this, [this] {
        trouble_->hide();
        noteTyping();
    });
    field_->installEventFilter(this);
    connect(text_, &QTextBrowser::anchorClicked, this, [this](const QUrl& url) { follow(url.toString()); });
    refresh();
}

QString Inspector::shownText() const
{
    return title_->text() + "\n" + subtitle_->text() + "\n" + text_->toPlainText() + "\n" +
           (trouble_->isHidden() ? QString() : trouble_->text());
}

void Inspector::noteTyping()
{
    view_.pending().typed(field_, [this, clock = clock_] { return commitField(clock, field_->text(), false); });
}

bool Inspector::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == field_ && event->type() == QEvent::KeyPress &&
        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape && view_.pending().waits(field_)) {
        view_.pending().forget(field_);
        refresh();
        field_->selectAll();
        return true;
    }
    // As in every other field; but looking into the data sheet in another window is not leaving it.
    if (watched == field_ && event->type() == QEvent::FocusOut &&
        static_cast<QFocusEvent*>(event)->reason() != Qt::PopupFocusReason &&
        static_cast<QFocusEvent*>(event)->reason() != Qt::ActiveWindowFocusReason)
        view_.pending().settle(field_);
    return QWidget::eventFilter(watched, event);
}

void Inspector::beginEdit(const QString& first)
{
    if (field_->isHidden())
        return;
    field_->setFocus(Qt::OtherFocusReason);
    field_->selectAll();
    if (first.isEmpty())
        return;
    field_->setText(first);
    noteTyping();
}

QString Inspector::commitField(const std::string& id, const QString& text, bool search)
{
    const auto s = document_.isOpen() ? document_.sharedSnapshot() : nullptr;
    const ClockIndex clock = s ? s->device->findClock(id) : ClockIndex();
    if (clock < 0) {
        Q_EMIT document_.refused(
            QString(say("\"%1\" was discarded: the chip does not have the clock that it was typed for.")).arg(text));
        return {};
    }
    const QString name = QString::fromStdString(s->device->clocks[clock].name);
    const Expected<ClockEntry> entry = readClockEntry(*s->device, clock, text.toStdString());
    if (!entry) {
        const QString why = typeset(entry.problem().message);
        if (clock_ == id) {
            trouble_->setText(why);
            restyle(trouble_, QString("color: %1; font-size: 11px").arg(Theme::get().error.name()));
            trouble_->show();
        }
        return QString(say("%1: %2 Correct it, or press Esc to discard it.")).arg(name, why);
    }
    if (entry->wish) {
        // A rate changes nothing by itself; it asks for a search, which nobody wants who has gone elsewhere.
        if (search)
            Q_EMIT reachWanted(*entry->wish, QApplication::keyboardModifiers() & Qt::ShiftModifier);
        else
            Q_EMIT document_.refused(
                QString(say("%1: %2 was not searched for. Type it again and press Enter to search."))
                    .arg(name, text.trimmed()));
        return {};
    }
    const auto said = s->plan.clocks.find(id);
    const auto fitted = s->plan.crystals.find(id);
    if (fitted != s->plan.crystals.end() && QString::fromStdString(crystalText(fitted->second)) == text.trimmed())
        return {};
    if (said == s->plan.clocks.end() || QString::fromStdString(clockDecisionText(said->second)) != text.trimmed())
        (void)document_.apply(entry->edit);
    return {};
}

void Inspector::follow(const QString& link)
{
    const QString kind = link.section(':', 0, 0);
    const std::string id = link.section(':', 1).toStdString();
    if (kind == "clock")
        view_.jump({Place::Kind::Clock, id, {}});
    else if (kind == "need")
        view_.select({Place::Kind::Need, id, {}});
    else if (kind == "signal")
        view_.select({Place::Kind::Signal, link.section(':', 1, 1).toStdString(), link.section(':', 2).toStdString()});
    else if (kind == "register")
        view_.select({Place::Kind::Register, id, {}});
    else if (kind == "pad")
        view_.jump({Place::Kind::Pad, id, view_.selectedNeed()});
    else if (kind == "hold") {
        if (const std::optional<Hold> hold = readHold(id)) {
            const bool held = document_.snapshot().plan.held(*hold);
            document_.apply(editOf((held ? say("Release ") : say("Hold ")) + id, SetHold{*hold, !held}));
        }
    } else if (kind == "option")
        Q_EMIT optionTaken(QString::fromStdString(id).toInt());
    else if (kind == "instance")
        askInstance(id);
    else if (kind == "prop")
        askProperty(link.section(':', 1, 1).toStdString(), link.section(':', 2, 2).toStdString(),
                    link.section(':', 3).toStdString());
    else if (kind == "net")
        askNet(id);
    else if (kind == "mode")
        view_.jump({Place::Kind::Mode, id, {}});
    else if (kind == "stored")
        view_.jump({Place::Kind::Stored, id, {}});
    else if (kind == "keep") {
        // "keep:WORD.SETTING:value"; without a value: as from the factory
        const std::string setting = link.section(':', 1, 1).toStdString(), value = link.section(':', 2).toStdString();
        document_.apply(editOf(setting + (value.empty() ? say(": factory default") : " = " + value),
                               SetStored{setting, value.empty() ? std::nullopt : std::optional(value)}));
    } else if (kind == "enter") {
        const bool entered = document_.snapshot().plan.modes.contains(id);
        document_.apply(editOf((entered ? say("Do not enter ") : say("Enter ")) + id, SetMode{id, !entered}));
    } else if (kind == "set") {
        takeChoice(id);
    }
}

/// One of the choices that clockText() lists.
void Inspector::takeChoice(const std::string& text)
{
    const auto s = document_.isOpen() ? document_.sharedSnapshot() : nullptr;
    const ClockIndex clock = s ? s->device->findClock(clock_) : ClockIndex();
    if (clock < 0)
        return;
    const Expected<ClockDecision> choice = readClockDecision(*s->device, clock, text);
    if (!choice)
        return;
    const auto said = s->plan.clocks.find(clock_);
    const ClockDecision decision =
        withChoice(said == s->plan.clocks.end() ? std::nullopt : std::optional(said->second), *choice);
    document_.apply(editOf(fmt::format("{}: {}", s->device->clocks[clock].name, clockDecisionText(decision)),
                           SetClock{clock_, decision}));
}

void Inspector::askInstance(const std::string& id)
{
    const auto s = document_.isOpen() ? document_.sharedSnapshot() : nullptr;
    for (NeedIndex n = 0; s && n < int(s->plan.needs.size()); ++n)
        if (s->plan.needs[n].id == id)
            return (void)background_.run<std::vector<InstanceOption>>(
                say("Trying the other instances"),
                [s, n](const Background::Stopped& stopped) {
                    return instanceOptions(*s->device, *s->board, s->plan, int(n), stopped);
                },
                [this, s, n](const std::vector<InstanceOption>& options) { offerInstances(s, int(n), options); });
}

void Inspector::offerInstances(const std::shared_ptr<const Snapshot>& s, NeedIndex need,
                               const std::vector<InstanceOption>& options)
{
    if (options.empty()) {
        Q_EMIT document_.refused(QString::fromStdString(s->plan.needs[need].title) +
                                 say(" uses no instance, so there is none to choose."));
        return;
    }
    QMenu menu(this);
    for (const InstanceOption& option : options) {
        QAction* action =
            menu.addAction(QString::fromStdString(s->device->instances[option.instance].name + ": " + option.reason));
        action->setCheckable(true);
        action->setChecked(option.cost == Option::Cost::Current);
        action->setEnabled(option.cost != Option::Cost::Impossible);
    }
    const QAction* picked = menu.exec(QCursor::pos());
    // What was offered is for the plan as it was.
    if (picked && s != document_.sharedSnapshot()) {
        Q_EMIT document_.refused(say("The plan has changed in the meantime; nothing was done. Try again."));
        return;
    }
    for (size_t i = 0; i < options.size(); ++i)
        if (picked && picked == menu.actions().value(qsizetype(i)) && !options[i].edit.changes.empty()) {
            document_.apply(options[i].edit);
            return;
        }
}

void Inspector::askNet(const std::string& pad)
{
    if (!document_.isOpen())
        return;
    const auto rowOf = [&pad](const Snapshot& s) -> std::optional<SheetRow> {
        for (const SheetRow& row : pinSheet(s))
            if (row.pad >= 0 && s.device->pads[row.pad].name == pad)
                return row;
        return std::nullopt;
    };
    const std::optional<SheetRow> before = rowOf(document_.snapshot());
    if (!before)
        return;
    const auto column = std::ranges::find(sheetColumns(), std::string_view("net"), &SheetColumn::id);
    bool ok = false;
    const QString text =
        QInputDialog::getText(
            this, say("Net"), QString(say("Net of %1; empty for none:")).arg(QString::fromStdString(pad)),
            QLineEdit::Normal, QString::fromStdString(before->cells[size_t(column - sheetColumns().begin())]), &ok)
            .trimmed();
    // The plan may be another by the time somebody has answered.
    const std::optional<SheetRow> row = ok && document_.isOpen() ? rowOf(document_.snapshot()) : std::nullopt;
    if (!row)
        return;
    const Expected<Change> change = cellChange(document_.snapshot(), *row, "net", text.toStdString());
    if (change)
        (void)document_.apply(editOf(say("Net of ") + pad, *change));
    else
        Q_EMIT document_.refused(QString::fromStdString(change.problem().message));
}

void Inspector::askProperty(const std::string& id, const std::string& signal, const std::string& name)
{
    const Need* need = document_.isOpen() ? document_.snapshot().plan.need(id) : nullptr;
    const PinProperty* property = findPinProperty(name);
    if (!need || !property)
        return;
    const std::optional<std::string> said = pinProperty(*need, signal, name);
    const std::string needTitle = need->title;
    const QString title = QString::fromStdString(say(property->title));
    const auto set = [&, this](const std::optional<std::string>& value) {
        // The plan may be another by the time somebody has answered.
        if (const Need* now = document_.snapshot().plan.need(id))
            document_.apply(editOf(say("{} of {} {}", say(property->title), now->title, signal),
                                   pinPropertyChange(*now, signal, name, value)));
    };
    if (property->choices.empty()) {
        bool ok = false;
        const QString text =
            QInputDialog::getText(this, title,
                                  QString(say("%1 of the pad for %2 %3; empty for none:"))
                                      .arg(title, QString::fromStdString(needTitle), QString::fromStdString(signal)),
                                  QLineEdit::Normal, QString::fromStdString(said.value_or(std::string())), &ok)
                .trimmed();
        if (ok)
            set(text.isEmpty() ? std::nullopt : std::optional(text.toStdString()));
        return;
    }
    QMenu menu(this);
    for (const std::string& choice : property->choices) {
        QAction* action = menu.addAction(QString::fromStdString(choice));
        action->setCheckable(true);
        action->setChecked(said == choice);
    }
    menu.addSeparator();
    QAction* back = menu.addAction("automatic");
    back->setCheckable(true);
    back->setChecked(!said);
    if (const QAction* picked = menu.exec(QCursor::pos()))
        set(picked == back ? std::nullopt : std::optional(picked->text().remove('&').toStdString()));
}

void Inspector::refresh()
{
    trouble_->setVisible(!trouble_->text().isEmpty() && view_.pending().waits(field_));
    const Theme& t = Theme::get();
    if (text_->document()->defaultFont() != t.text(12))
        text_->document()->setDefaultFont(t.text(12));
    title_->setFont(t.text(14, true));
    subtitle_->setFont(t.text(11));
    restyle(subtitle_, QString("color: %1").arg(t.muted.name()));
    field_->setFont(t.mono(12));
    if (!document_.isOpen()) {
        title_->clear();
        subtitle_->clear();
        field_->hide();
        text_->clear();
        html_.clear();
        return;
    }
    const Snapshot& s = document_.snapshot();
    const Place& place = view_.selected();
    QString title = QString::fromStdString(s.plan.name),
            subtitle = QString::fromStdString(s.device->name + ", " + s.board->title), body;
    bool editable = false;
    if (const ClockIndex clock = place.kind == Place::Kind::Clock ? s.device->findClock(place.id) : ClockIndex();
        clock >= 0) {
        const ClockNode& node = s.device->clocks[clock];
        // During a preview, describe the clock as the change would leave it.
        const bool previewed = view_.preview() && view_.preview()->device->name == s.device->name;
        const Snapshot& seen = previewed ? *view_.preview() : s;
        title = QString::fromStdString(node.name);
        subtitle = QString::fromStdString(
            node.id + (seen.rates.clocks[clock].input >= 0 ? ", " + operationText(*s.device, seen.rates, clock) : "") +
            (previewed ? say(", previewed") : ""));
        body = clockText(seen, clock);
        editable = true;
        const auto said = s.plan.clocks.find(node.id);
        const ClockState& c = s.rates.clocks[clock];
        const auto fitted = s.plan.crystals.find(node.id);
        QString shown = fitted != s.plan.crystals.end() ? QString::fromStdString(crystalText(fitted->second))
                        : said != s.plan.clocks.end()   ? QString::fromStdString(clockDecisionText(said->second))
                        : node.type == ClockNode::Type::Select
                            ? QString::fromStdString(c.input < 0 ? "none" : s.device->clocks[c.input].id)
                        : !node.factors.empty() ? QString::fromStdString(factorText(node, c.setting))
                                                : QString();
        if (clock_ != node.id || !view_.pending().waits(field_))
            field_->setText(shown);
        clock_ = node.id;
        field_->setPlaceholderText(takesCrystal(node) ? say("what is fitted: 12 MHz, 20 ppm; or on, off")
                                   : node.isSource() && node.rates.empty() ? say("auto, on or off")
                                                                           : say("setting, or a rate: 48 MHz"));
    } else if (const PadIndex pad = place.kind == Place::Kind::Pad ? s.device->findPad(place.id) : PadIndex();
               pad >= 0 && !view_.optionsShown()) {
        title = QString::fromStdString(place.id);
        subtitle =
            QString(say("pin %1 of %2"))
                .arg(QString::fromStdString(s.device->pinOf(pad)), QString::fromStdString(s.device->package.name));
        body = padText(s, pad);
    } else if (const int mode = place.kind == Place::Kind::Mode ? s.device->findMode(place.id) : -1; mode >= 0) {
        title = QString::fromStdString(s.device->modes[size_t(mode)].name);
        subtitle = say("low-power mode");
        body = modeText(s, mode);
    } else if (const StoredSetting* stored =
                   place.kind == Place::Kind::Stored ? findStored(*s.device, place.id) : nullptr) {
        title = QString::fromStdString(place.id);
        subtitle = say("setting in non-volatile memory");
        body = storedText(s, place.id, *stored);
    } else if (place.kind == Place::Kind::Register) {
        title = QString::fromStdString(place.id);
        subtitle = "register";
        body = registerText(s, place.id);
    } else {
        body = planSummary(s);
        for (const NeedIndex n : s.plan.needs.indices()) {
            const Need& need = s.plan.needs[n];
            if (need.id != view_.selectedNeed())
                continue;
            const KindSpec* kind = findKind(need.kind);
            const Part* part = s.board->part(need.part);
            title = QString::fromStdString(need.title) + " \u00b7 " + QString::fromStdString(say(kind->title));
            subtitle = typeset(kind->brief(need)) + (part ? ", " + QString::fromStdString(part->title) : QString());
            std::string signal = place.kind == Place::Kind::Signal ? place.sub : "";
            std::vector<Option> options;
            if (view_.optionsShown()) {
                signal = finder_.signal();
                options = finder_.options();
            }
            body = needText(s, int(n), signal, options);
        }
    }
    title_->setText(title);
    subtitle_->setText(subtitle);
    field_->setVisible(editable);
    if (!editable)
        clock_.clear();
    const int scroll = text_->verticalScrollBar()->value();
    // The same words laid out anew would cost a good part of an edit.
    if (body != html_ || t.dark != dark_)
        text_->setHtml(body);
    html_ = body;
    dark_ = t.dark;
    text_->verticalScrollBar()->setValue(scroll);
}

} // namespace bindrel
