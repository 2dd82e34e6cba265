// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/goto_field.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/assignment.h"
#include "core/base/say.h"

#include <QKeyEvent>
#include <QPainter>

namespace bindrel {

void GotoList::paintEvent(QPaintEvent* event)
{
    QPainter p(viewport());
    p.fillRect(viewport()->rect(), Theme::get().raised);
    p.setPen(Theme::get().accent);
    p.drawRect(viewport()->rect().adjusted(0, 0, -1, -1));
    p.end();
    RowList::paintEvent(event);
}

void GotoList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    const GotoTarget& target = targets[size_t(row)];
    p.setFont(t.text(12, true));
    p.setPen(t.ink);
    const QString label = QString::fromStdString(target.label);
    drawLine(p, rect.adjusted(10, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, label);
    const int used = QFontMetrics(p.font()).horizontalAdvance(label) + 22;
    p.setFont(t.text(11));
    p.setPen(t.muted);
    const QRect hint = rect.adjusted(used, 0, -70, 0);
    drawLine(p, hint, Qt::AlignVCenter | Qt::AlignLeft, typeset(target.hint), Qt::ElideRight);
    drawLine(p, rect.adjusted(0, 0, -10, 0), Qt::AlignVCenter | Qt::AlignRight, QString::fromStdString(target.kind));
}

GotoField::GotoField(Document& document, ViewState& view, QWidget* parent)
    : QLineEdit(parent), document_(document), view_(view)
{
    setPlaceholderText(say("Go to, or do\u2026          Ctrl+K"));
    setAccessibleName(say("Go to"));
    connect(this, &QLineEdit::textEdited, this, &GotoField::search);
}

void GotoField::begin()
{
    setFocus(Qt::ShortcutFocusReason);
    selectAll();
}

/// What "uplink.baud=9600" would do; without a kind where it cannot be done.
GotoTarget GotoField::changeOf(const std::string& typed) const
{
    const Snapshot& s = document_.snapshot();
    const LoadedPlan work{s.filedDevice, s.filedBoard, s.plan, s.provenance, {}, {}};
    const Expected<Edit> edit = readAssignment(work, typed);
    if (!edit)
        return {typed, "", edit.problem().message, {}, {}, {}};
    std::string words;
    for (const Change& change : edit->changes)
        words += (words.empty() ? "" : "; ") + describe(s.plan, change);
    return {typed, "change", words.empty() ? say("nothing changes") : words, {}, {}, [this, edit = *edit] {
                if (!edit.changes.empty())
                    document_.apply(edit);
            }};
}

void GotoField::search()
{
    if (!document_.isOpen())
        return;
    if (!list_) {
        list_ = new GotoList(window());
        list_->setFocusPolicy(Qt::NoFocus);
        connect(list_, &RowList::currentChanged, this, &GotoField::go);
    }
    const std::string typed = text().trimmed().toStdString();
    all_ = gotoTargets(document_.snapshot());
    if (commands_)
        for (GotoTarget& command : commands_())
            all_.push_back(std::move(command));
    list_->targets = matchTargets(all_, typed, 12);
    if (typed.find('=') != std::string::npos)
        list_->targets.insert(list_->targets.begin(), changeOf(typed));
    // A row without a kind cannot be chosen.
    if (list_->targets.empty() && !typed.empty())
        list_->targets.push_back({say("Nothing is called that"),
                                  "",
                                  say("needs, pads, clocks, registers and commands are searched"),
                                  {},
                                  {},
                                  {}});
    list_->refresh();
    list_->setCurrentRow(list_->targets.empty() || list_->targets[0].kind.empty() ? -1 : 0);
    const QPoint at = mapTo(window(), QPoint(0, height() + 2));
    list_->setGeometry(at.x() - 60, at.y(), width() + 160, 22 * int(list_->targets.size()) + 2);
    list_->setVisible(!list_->targets.empty());
    list_->raise();
}

void GotoField::go(int row)
{
    if (!list_ || row < 0 || row >= int(list_->targets.size()))
        return;
    const GotoTarget target = list_->targets[size_t(row)];
    if (target.kind.empty())
        return;
    list_->hide();
    clear();
    clearFocus();
    if (target.run)
        target.run();
    else
        view_.jump(target.place);
}

void GotoField::keyPressEvent(QKeyEvent* event)
{
    const bool open = list_ && list_->isVisible();
    if (open && (event->key() == Qt::Key_Down || event->key() == Qt::Key_Up)) {
        const int count = list_->rowCount();
        list_->setCurrentRow((list_->currentRow() + (event->key() == Qt::Key_Down ? 1 : count - 1)) % count);
    } else if (open && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)) {
        go(list_->currentRow());
    } else if (event->key() == Qt::Key_Escape) {
        if (open)
            list_->hide();
        clear();
        clearFocus();
    } else {
        QLineEdit::keyPressEvent(event);
    }
}

void GotoField::focusOutEvent(QFocusEvent* event)
{
    QLineEdit::focusOutEvent(event);
    if (list_)
        list_->hide();
}

} // namespace bindrel
