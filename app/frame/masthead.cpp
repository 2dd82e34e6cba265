// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/masthead.h"

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QToolButton>

namespace bindrel {

namespace {
QToolButton* flatButton(const QString& name)
{
    auto* button = new QToolButton;
    button->setAutoRaise(true);
    button->setFocusPolicy(Qt::TabFocus);
    button->setCursor(Qt::PointingHandCursor);
    button->setAccessibleName(name);
    return button;
}

void tint(QToolButton* button, const QColor& colour, bool bold)
{
    restyle(button, QString("QToolButton { border: 0; background: transparent; color: %1; font-weight: %2; padding: "
                            "3px 5px; } QToolButton:hover, QToolButton:focus { background: %3; }")
                        .arg(colour.name())
                        .arg(bold ? 600 : 400)
                        .arg(Theme::get().sunken.name()));
}
} // namespace

Masthead::Masthead(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    setFixedHeight(42);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(14, 0, 12, 0);
    row->setSpacing(6);
    name_ = new QLabel;
    device_ = flatButton(say("Device and board"));
    device_->setToolTip(say("Change chip, package or board"));
    range_ = flatButton(say("Supply and operating range"));
    goto_ = new GotoField(document_, view_);
    goto_->setMinimumWidth(130);
    goto_->setMaximumWidth(280);
    row->addWidget(name_);
    row->addWidget(device_);
    row->addWidget(range_);
    row->addStretch(1);
    row->addWidget(goto_, 6);
    row->addStretch(1);
    for (int i = 0; i < 4; ++i) {
        tallies_[i] =
            flatButton(QStringList{say("Open needs"), say("Needs in conflict"), say("Errors"), say("Cautions")}[i]);
        row->addWidget(tallies_[i]);
    }
    connect(device_, &QToolButton::clicked, this, &Masthead::moveWanted);
    connect(range_, &QToolButton::clicked, this, &Masthead::chooseRange);
    const auto jumpToNeed = [this](BoundNeed::State state) {
        if (!document_.isOpen())
            return;
        const Snapshot& s = document_.snapshot();
        for (const NeedIndex n : s.plan.needs.indices())
            if (s.bindings.needs[n].state == state) {
                view_.jump({Place::Kind::Need, s.plan.needs[n].id, {}});
                return;
            }
    };
    connect(tallies_[0], &QToolButton::clicked, this, [=] { jumpToNeed(BoundNeed::State::Open); });
    connect(tallies_[1], &QToolButton::clicked, this, [=] { jumpToNeed(BoundNeed::State::Contested); });
    connect(tallies_[2], &QToolButton::clicked, this, [this] { Q_EMIT findingWanted(Finding::Severity::Error); });
    connect(tallies_[3], &QToolButton::clicked, this, [this] { Q_EMIT findingWanted(Finding::Severity::Caution); });
    connect(&document_, &Document::changed, this, &Masthead::refresh);
    connect(&document_, &Document::findingsChanged, this, &Masthead::refresh);
    connect(&document_, &Document::fileChanged, this, &Masthead::refresh);
    refresh();
}

void Masthead::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.fillRect(QRect(0, height() - 1, width(), 1), Theme::get().rule);
}

void Masthead::refresh()
{
    const Theme& t = Theme::get();
    const bool open = document_.isOpen();
    for (QWidget* w : {static_cast<QWidget*>(device_), static_cast<QWidget*>(range_), static_cast<QWidget*>(goto_)})
        w->setVisible(open);
    for (QToolButton* tally : tallies_)
        tally->setVisible(open);
    name_->setFont(t.text(13, true));
    if (!open) {
        name_->setText(say("Bindrel"));
        return;
    }
    const Snapshot& s = document_.snapshot();
    const QString file = document_.path().isEmpty() ? QString::fromStdString(s.plan.name) + say(" (not saved)")
                                                    : QFileInfo(document_.path()).fileName();
    name_->setText(
        QFontMetrics(name_->font()).elidedText(file, Qt::ElideMiddle, 180).toHtmlEscaped() +
        (document_.unsaved() ? QString(" <span style='color:%1'>\u25cf</span>").arg(t.caution.name()) : QString()));
    name_->setToolTip(document_.unsaved() ? document_.path() + say("\nnot saved") : document_.path());
    const QString where = QString::fromStdString(s.device->name + "  " + s.board->title);
    device_->setText(QFontMetrics(t.text(12)).elidedText(where, Qt::ElideRight, 230));
    device_->setToolTip(where + say("\nChange chip, package or board"));
    tint(device_, t.accent, false);
    const QString range = typeset(format(s.rates.supply) + ", " + s.device->ranges[size_t(s.rates.range)].name);
    range_->setText(QFontMetrics(t.text(12)).elidedText(range, Qt::ElideRight, 150));
    range_->setToolTip(range);
    tint(range_, t.ink, false);
    const int open_ = s.bindings.count(BoundNeed::State::Open);
    const int contested = s.bindings.count(BoundNeed::State::Contested);
    const int errors = document_.count(Finding::Severity::Error);
    const int cautions = document_.count(Finding::Severity::Caution);
    tallies_[0]->setText(QString(say("%1 unbound")).arg(open_));
    tint(tallies_[0], open_ ? t.ink : t.muted, open_ > 0);
    tallies_[1]->setText(QString(say("%1 in conflict")).arg(contested));
    tint(tallies_[1], contested ? t.error : t.muted, contested > 0);
    tallies_[2]->setText(QString::fromStdString(sayCount(errors, "{} error", "{} errors")));
    tint(tallies_[2], errors ? t.error : t.muted, errors > 0);
    tallies_[3]->setText(QString::fromStdString(sayCount(cautions, "{} caution", "{} cautions")));
    tint(tallies_[3], cautions ? t.caution : t.muted, cautions > 0);
}

void Masthead::chooseRange()
{
    const Snapshot& s = document_.snapshot();
    QMenu menu(this);
    for (size_t i = 0; i < s.device->ranges.size(); ++i) {
        const OperatingRange& range = s.device->ranges[i];
        QAction* action =
            menu.addAction(typeset(range.name + ": " + format(range.supplyMin) + say(" to ") + format(range.supplyMax) +
                                   say(", up to ") + format(range.waitStateLimits.back())));
        action->setCheckable(true);
        action->setChecked(int(i) == s.rates.range);
        connect(action, &QAction::triggered, this, [this, id = range.id, name = range.name] {
            document_.apply(editOf(say("Use ") + name, SetText{SetText::What::Range, id}));
        });
    }
    if (!s.device->regulators.empty())
        menu.addSection(say("Core voltage from"));
    for (const Regulator& regulator : s.device->regulators) {
        QAction* action =
            menu.addAction(typeset(regulator.name + (regulator.about.empty() ? "" : ". " + regulator.about)));
        action->setCheckable(true);
        const bool isReset = regulator.code == s.device->resetCode(s.device->regulatorControl);
        action->setChecked(s.plan.regulator.empty() ? isReset : s.plan.regulator == regulator.id);
        connect(action, &QAction::triggered, this,
                [this, id = isReset ? std::string() : regulator.id, name = regulator.name] {
                    document_.apply(editOf(say("Core voltage from ") + name, SetText{SetText::What::Regulator, id}));
                });
    }
    menu.addSeparator();
    connect(menu.addAction(say("Supply voltage\u2026")), &QAction::triggered, this, [this] {
        bool ok = false;
        const QString now = QString::fromStdString(exactly(document_.snapshot().rates.supply, parseVoltage));
        const QString typed = QInputDialog::getText(this, say("Supply voltage"),
                                                    say("Supply of the chip, as in 3.3 V; empty for the board's:"),
                                                    QLineEdit::Normal, now, &ok);
        if (!ok)
            return;
        const std::string text = typed.trimmed().toStdString();
        if (!text.empty())
            if (const Expected<Voltage> v = parseVoltage(text); !v) {
                Q_EMIT document_.refused(QString::fromStdString(v.problem().message));
                return;
            }
        document_.apply(editOf(say("Supply ") + text, SetText{SetText::What::Supply, text}));
    });
    menu.exec(range_->mapToGlobal(QPoint(0, range_->height())));
}

} // namespace bindrel
