// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/goals_form.h"

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/field_entry.h"
#include "core/plan/kind.h"
#include "core/quantity/format.h"
#include "core/tuning/setting.h"

#include <algorithm>

#include <QComboBox>
#include <QEvent>
#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QSignalBlocker>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>

namespace bindrel {

GoalsForm::GoalsForm(Document& document, PendingText& pending, QWidget* parent)
    : QWidget(parent), document_(document), pending_(pending)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    body_ = new QWidget;
    column->addWidget(body_);
    trouble_ = new QLabel;
    trouble_->setTextFormat(Qt::PlainText);
    trouble_->setWordWrap(true);
    trouble_->hide();
    column->addWidget(trouble_);
    column->addStretch(1);
}

void GoalsForm::showNeed(NeedIndex need)
{
    std::string shape;
    std::string id;
    if (need >= 0) {
        const Need& facts = document_.snapshot().plan.needs[need];
        const KindSpec* kind = findKind(facts.kind);
        id = facts.id;
        for (const GoalSpec& goal : kind->goals)
            if (matters(facts, goal.id))
                shape += goal.id + " ";
        shape += facts.kind;
        shape += Theme::get().muted.name().toStdString(); // heads are written in its colours
    }
    if (id != shownId_) {
        more_ = false;
        trouble_->hide();
    }
    if (shape != shape_ || id != shownId_) {
        shape_ = shape;
        shownId_ = id;
        build();
    }
    fill();
}

void GoalsForm::build()
{
    const Theme& t = Theme::get();
    // A text that was refused goes on waiting in the new field of its goal.
    std::map<std::string, QString> refused;
    for (const auto& [goal, row] : rows_)
        if (auto* edit = qobject_cast<QLineEdit*>(row.editor); edit && pending_.waits(edit)) {
            if (shownId_ == builtFor_)
                refused[goal] = edit->text();
            else
                Q_EMIT document_.refused(
                    QString(say("\"%1\" was discarded: its need is no longer shown.")).arg(edit->text()));
            pending_.forget(edit);
        }
    builtFor_ = shownId_;
    rows_.clear();
    // The old body goes as a whole; a child with the focus may be in the middle of its own event.
    body_->hide();
    body_->deleteLater();
    auto* old = body_;
    body_ = new QWidget;
    delete layout()->replaceWidget(old, body_); // gives back the item that held the old one
    grid_ = new QGridLayout(body_);
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setHorizontalSpacing(8);
    grid_->setVerticalSpacing(3);
    grid_->setColumnMinimumWidth(0, 82);
    grid_->setColumnStretch(2, 1);
    const NeedIndex shown = shownNeed();
    if (shown < 0)
        return;
    const Need& need = document_.snapshot().plan.needs[shown];
    const KindSpec* kind = findKind(need.kind);
    int r = 0;
    const auto head = [&](const char* text, int column) {
        auto* label = new QLabel(text);
        label->setFont(t.text(11));
        restyle(label, QString("color: %1").arg(t.muted.name()));
        grid_->addWidget(label, 0, column, Qt::AlignRight);
    };
    if (tuningOf(need.kind).solve) {
        head(say("achieved"), 2);
        head(say("error"), 3);
    }
    ++r;
    bool rare = false;
    for (const GoalSpec& goal : kind->goals) {
        if (!matters(need, goal.id))
            continue;
        rare = rare || goal.rare;
        if (goal.rare && !more_)
            continue;
        Row row;
        row.title = new QLabel(QString::fromStdString(say(goal.title)));
        row.title->setFont(t.text(12));
        row.title->setToolTip(QString::fromStdString(say(goal.about)));
        const std::string id = goal.id;
        if (goal.type == GoalSpec::Type::Choice) {
            auto* combo = new QComboBox;
            for (const std::string& choice : goal.choices)
                combo->addItem(QString::fromStdString(choice));
            connect(combo, &QComboBox::textActivated, this,
                    [this, id, of = shownId_](const QString& text) { commit(of, id, text); });
            row.editor = combo;
        } else {
            auto* edit = new QLineEdit;
            edit->setFont(t.mono(12));
            connect(edit, &QLineEdit::textEdited, this, [this, id, edit] { noteTyping(id, edit); });
            connect(edit, &QLineEdit::editingFinished, this, [this, edit] { pending_.settle(edit); });
            if (const auto kept = refused.find(id); kept != refused.end()) {
                edit->setText(kept->second);
                edit->setProperty("wrong", true);
                noteTyping(id, edit);
            }
            row.editor = edit;
        }
        row.editor->setObjectName("goal-" + QString::fromStdString(id));
        row.editor->setAccessibleName(QString::fromStdString(say(goal.title)));
        row.editor->setToolTip(QString::fromStdString(say(goal.about)));
        row.editor->setFixedHeight(24);
        row.editor->setFixedWidth(124);
        row.editor->installEventFilter(this);
        row.achieved = new QLabel;
        row.achieved->setFont(t.mono(11));
        row.achieved->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
        row.error = new QLabel;
        row.error->setFont(t.mono(11));
        row.error->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
        grid_->addWidget(row.title, r, 0);
        grid_->addWidget(row.editor, r, 1);
        grid_->addWidget(row.achieved, r, 2);
        grid_->addWidget(row.error, r, 3);
        rows_[id] = row;
        ++r;
    }
    if (rare) {
        auto* button = new QToolButton;
        button->setText(more_ ? say("Less \u25b4") : say("More \u25b8"));
        button->setAutoRaise(true);
        button->setObjectName("more");
        restyle(button, QString("QToolButton { border: 0; padding: 2px 0; color: %1; }").arg(t.accent.name()));
        connect(button, &QToolButton::clicked, this, [this] {
            more_ = !more_;
            build();
            fill();
        });
        grid_->addWidget(button, r, 0, 1, 2, Qt::AlignLeft);
    }
}

NeedIndex GoalsForm::shownNeed() const
{
    if (document_.isOpen() && !shownId_.empty())
        for (const NeedIndex n : document_.snapshot().plan.needs.indices())
            if (document_.snapshot().plan.needs[n].id == shownId_)
                return int(n);
    return -1;
}

void GoalsForm::fill()
{
    const NeedIndex shown = shownNeed();
    if (shown < 0)
        return;
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    const Need& need = s.plan.needs[shown];
    for (auto& [id, row] : rows_) {
        const QString text = typeset(goalText(need, id));
        if (auto* combo = qobject_cast<QComboBox*>(row.editor)) {
            const QSignalBlocker quiet(combo);
            combo->setCurrentText(QString::fromStdString(goalText(need, id)));
        } else if (auto* edit = qobject_cast<QLineEdit*>(row.editor); edit && !pending_.waits(edit)) {
            edit->setText(QString::fromStdString(goalText(need, id)));
            edit->setProperty("wrong", false);
            edit->style()->polish(edit);
        }
        // Rows of other titles are checks beside the goal; the station lists them.
        const Achieved* got = nullptr;
        for (const Achieved& a : s.settings[shown].achieved)
            if (a.goal == id && !a.check)
                got = &a;
        row.achieved->setText(!got ? QString() : got->unknown ? QString(say("set by hand")) : typeset(got->achieved));
        row.achieved->setToolTip(!got           ? QString()
                                 : got->unknown ? typeset(got->achieved)
                                 : got->byHand ? typeset(got->formula) + say(" \u2013 with a field that is set by hand")
                                               : typeset(got->formula));
        row.error->setText(got && got->error ? typeset(format(*got->error, true)) : QString());
        const QColor colour = got && !got->ok ? t.error : got && got->byHand ? t.caution : t.ink;
        restyle(row.achieved, QString("color: %1").arg(colour.name()));
        restyle(row.error, QString("color: %1").arg((got && !got->ok ? t.error : t.muted).name()));
        restyle(row.title, id == lit_ ? QString("color: %1").arg(t.accent.name()) : QString());
    }
}

QWidget* GoalsForm::editor(const std::string& goal) const
{
    const auto found = rows_.find(goal);
    return found == rows_.end() ? nullptr : found->second.editor;
}

void GoalsForm::focusGoal(const std::string& goal)
{
    if (!editor(goal) && !more_) {
        more_ = true;
        build();
        fill();
    }
    if (QWidget* field = editor(goal))
        field->setFocus(Qt::OtherFocusReason);
}

void GoalsForm::lightGoal(const std::string& goal)
{
    if (goal == lit_)
        return;
    lit_ = goal;
    fill();
}

void GoalsForm::noteTyping(const std::string& goal, QLineEdit* edit)
{
    pending_.typed(edit, [this, need = shownId_, goal, edit] { return commit(need, goal, edit->text()); });
}

void GoalsForm::showTrouble(const std::string& goal, const QString& why)
{
    trouble_->setText(why);
    restyle(trouble_, QString("color: %1").arg(Theme::get().error.name()));
    trouble_->setVisible(!why.isEmpty());
    if (auto* edit = qobject_cast<QLineEdit*>(editor(goal))) {
        edit->setProperty("wrong", !why.isEmpty());
        edit->style()->polish(edit);
    }
}

void GoalsForm::restore(const std::string& goal)
{
    if (QWidget* field = editor(goal))
        pending_.forget(field);
    showTrouble(goal, {});
    fill();
}

QString GoalsForm::commit(const std::string& id, const std::string& goal, const QString& text)
{
    const Need* need = document_.isOpen() ? document_.snapshot().plan.need(id) : nullptr;
    const GoalSpec* spec = need ? findKind(need->kind)->goal(goal) : nullptr;
    if (!spec) {
        Q_EMIT document_.refused(
            QString(say("\"%1\" was discarded: the plan no longer has the need that it was typed for.")).arg(text));
        return {};
    }
    const std::string typed = text.trimmed().toStdString();
    if (!typed.empty())
        if (const Expected<std::string> ok = checkGoal(*spec, typed); !ok) {
            const QString why = typeset(ok.problem().message);
            if (id == shownId_)
                showTrouble(goal, why);
            return QString(say("%1, %2: %3 Correct it, or press Esc to discard it."))
                .arg(QString::fromStdString(need->title), QString::fromStdString(say(spec->title)), why);
        }
    if (id == shownId_)
        showTrouble(goal, {});
    if ((typed.empty() ? spec->fallback : typed) == goalText(*need, goal)) {
        fill();
        return {};
    }
    // What refuses an edit says so itself.
    (void)document_.apply(
        editOf(need->title + ", " + say(spec->title) + ": " + (typed.empty() ? spec->fallback : typed),
               SetGoal{need->id, goal, typed.empty() ? std::nullopt : std::optional(typed)}));
    return {};
}

void GoalsForm::step(QLineEdit* edit, bool up)
{
    if (!pending_.settle(edit))
        return;
    const NeedIndex shown = shownNeed();
    for (const auto& [id, row] : rows_)
        if (row.editor == edit && shown >= 0) {
            const GoalSpec* spec = findKind(document_.snapshot().plan.needs[shown].kind)->goal(id);
            if (!spec || spec->type == GoalSpec::Type::Text || spec->type == GoalSpec::Type::Name)
                return;
            const FieldEntry next = stepGoal(document_.snapshot(), shown, spec->id, up);
            if (!next.edit.changes.empty())
                (void)document_.apply(next.edit);
            else
                Q_EMIT document_.refused(QString(say("%1 has no %2 value here that the hardware can make."))
                                             .arg(QString::fromStdString(say(spec->title)), up ? "larger" : "smaller"));
            return;
        }
}

bool GoalsForm::eventFilter(QObject* watched, QEvent* event)
{
    if (auto* edit = qobject_cast<QLineEdit*>(watched); edit && event->type() == QEvent::KeyPress &&
                                                        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape &&
                                                        pending_.waits(edit)) {
        for (const auto& [id, row] : rows_)
            if (row.editor == watched)
                return restore(std::string(id)), true;
    }
    // Arrows step to the next value that the hardware can make; the wheel scrolls, whatever field has the focus.
    if (auto* edit = qobject_cast<QLineEdit*>(watched); edit && event->type() == QEvent::KeyPress)
        if (const auto* key = static_cast<QKeyEvent*>(event);
            (key->key() == Qt::Key_Up || key->key() == Qt::Key_Down) && key->modifiers() == Qt::NoModifier)
            return step(edit, key->key() == Qt::Key_Up), true;
    if (event->type() == QEvent::FocusIn || event->type() == QEvent::Enter)
        for (const auto& [id, row] : rows_)
            if (row.editor == watched)
                Q_EMIT goalEntered(id);
    return QWidget::eventFilter(watched, event);
}

} // namespace bindrel
