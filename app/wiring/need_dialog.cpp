// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/need_dialog.h"

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/pins/stated_need.h"
#include "core/plan/fences.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QCompleter>
#include <QCoreApplication>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStringListModel>
#include <QVBoxLayout>

#include <algorithm>

namespace bindrel {

namespace {
constexpr const char* kNewPart = "\n"; ///< data of the last entry; no part has such an id
} // namespace

NeedDialog::NeedDialog(const Snapshot& snapshot, const Need* need, const std::string& part, QWidget* parent)
    : QDialog(parent), snapshot_(snapshot), existing_(need)
{
    setWindowTitle(need ? say("Edit the need") : say("Add a need"));
    setMinimumWidth(460);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    form_ = new QFormLayout;
    if (!need) {
        line_ = new QLineEdit;
        line_->setAccessibleName(say("The need in one line"));
        line_->setPlaceholderText(say("uart 460.8k rts/cts for modem"));
        line_->setToolTip(
            say("Kind, goals and part, in any order. Tab or Down completes a word; a goal can be named: dma both."));
        line_->setMaxLength(1000);
        offered_ = new QStringListModel(this);
        auto* completer = new QCompleter(offered_, this);
        completer->setCaseSensitivity(Qt::CaseInsensitive);
        completer->setCompletionMode(QCompleter::PopupCompletion);
        completer->setMaxVisibleItems(10);
        line_->setCompleter(completer);
        // A window of its own: what is transparent elsewhere would show nothing but black here.
        completer->popup()->setObjectName("completion");
        completer->popup()->installEventFilter(this);
        connect(line_, &QLineEdit::textEdited, this, &NeedDialog::offerWords);
        connect(line_, &QLineEdit::textChanged, this, &NeedDialog::readLine);
        form_->addRow(say("In one line"), line_);
    }
    part_ = new QComboBox;
    for (const Part& p : snapshot.board->parts)
        part_->addItem(QString::fromStdString(p.title), QString::fromStdString(p.id));
    part_->addItem(say("the firmware itself"), QString());
    part_->addItem(say("a new part\u2026"), kNewPart);
    part_->setCurrentIndex(std::max(0, part_->findData(QString::fromStdString(part))));
    partTitle_ = new QLineEdit;
    partTitle_->setMaxLength(60);
    partTitle_->setPlaceholderText(say("what it is called"));
    kind_ = new QComboBox;
    for (const KindSpec& kind : kinds())
        kind_->addItem(QString::fromStdString(say(kind.title)), QString::fromStdString(kind.id));
    title_ = new QLineEdit;
    title_->setPlaceholderText(say("as the part"));
    title_->setMaxLength(60);
    if (need) {
        kind_->setCurrentIndex(std::max(0, kind_->findData(QString::fromStdString(need->kind))));
        kind_->setEnabled(false);
        kind_->setToolTip(say("The kind is fixed. Add another need."));
        title_->setText(QString::fromStdString(need->title));
    }
    form_->addRow(say("For"), part_);
    form_->addRow(say("Part"), partTitle_);
    form_->addRow(say("Kind"), kind_);
    form_->addRow(say("Title"), title_);
    if (snapshot.device->cores.size() > 1) {
        core_ = new QComboBox;
        for (const Core& core : snapshot.device->cores)
            core_->addItem(QString::fromStdString(core.id), QString::fromStdString(core.id));
        if (need)
            core_->setCurrentIndex(std::max(0, core_->findData(QString::fromStdString(need->core))));
        form_->addRow(say("Core"), core_);
    }
    if (const std::vector<std::string> choices = openToChoices(*snapshot.device); !choices.empty()) {
        openTo_ = new QComboBox;
        openTo_->addItem(say("reset value"), QString());
        for (const std::string& choice : choices)
            openTo_->addItem(choice == "nobody" ? QString(say("only its core"))
                                                : QString::fromStdString(choice) + say(" too"),
                             QString::fromStdString(choice));
        if (need)
            openTo_->setCurrentIndex(std::max(0, openTo_->findData(QString::fromStdString(need->openTo))));
        openTo_->setToolTip(say("Who may access the registers of its instance besides the core that owns it."));
        form_->addRow(say("Access for"), openTo_);
    }
    column->addLayout(form_);
    note_ = new QLabel;
    note_->setWordWrap(true);
    column->addWidget(note_);
    auto* buttons = new QDialogButtonBox;
    done_ = buttons->addButton(need ? say("Apply") : say("Add it"), QDialogButtonBox::AcceptRole);
    done_->setProperty("primary", true);
    done_->setDefault(true);
    buttons->addButton(say("Cancel"), QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    connect(part_, &QComboBox::currentIndexChanged, this, &NeedDialog::refillTerminals);
    connect(kind_, &QComboBox::currentIndexChanged, this, &NeedDialog::refillTerminals);
    // Goals of another kind would mean nothing.
    if (line_)
        connect(kind_, &QComboBox::activated, line_, &QLineEdit::clear);
    connect(title_, &QLineEdit::textChanged, this, &NeedDialog::check);
    connect(partTitle_, &QLineEdit::textChanged, this, &NeedDialog::check);
    refillTerminals();
    (need ? title_ : line_)->setFocus();
}

void NeedDialog::begin(const QString& line)
{
    line_->setText(line);
    line_->setSelection(0, int(line.indexOf(' ')));
}

/// The line says what it says; what it leaves open stays as the boxes have it.
void NeedDialog::readLine()
{
    const QString text = line_->text().trimmed();
    unread_.clear();
    stated_ = {};
    if (!text.isEmpty()) {
        if (const Expected<StatedNeed> stated =
                parseNeedLine(text.toStdString(), *snapshot_.device, *snapshot_.board)) {
            stated_ = *stated;
            kind_->setCurrentIndex(kind_->findData(QString::fromStdString(stated_.kind)));
            if (stated_.part)
                part_->setCurrentIndex(std::max(0, part_->findData(QString::fromStdString(*stated_.part))));
            if (!stated_.title.empty())
                title_->setText(QString::fromStdString(stated_.title));
            if (core_ && !stated_.core.empty())
                core_->setCurrentIndex(core_->findData(QString::fromStdString(stated_.core)));
        } else {
            unread_ = QString::fromStdString(stated.problem().message);
        }
    }
    refillTerminals();
}

/// Enter with nothing picked in the list means the line, not the list.
bool NeedDialog::eventFilter(QObject* watched, QEvent* event)
{
    auto* popup = line_ && line_->completer() ? line_->completer()->popup() : nullptr;
    if (popup && watched == popup && event->type() == QEvent::KeyPress && !popup->currentIndex().isValid())
        if (auto* key = static_cast<QKeyEvent*>(event); key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
            popup->hide();
            QCoreApplication::sendEvent(this, key);
            return true;
        }
    return QDialog::eventFilter(watched, event);
}

void NeedDialog::offerWords()
{
    const NextWords next = nextWords(line_->text().toStdString(), *snapshot_.device, *snapshot_.board);
    QStringList lines;
    for (const std::string& word : next.words)
        lines << QString::fromStdString(next.before + word);
    offered_->setStringList(lines);
}

bool NeedDialog::newPart() const
{
    return part_->currentData().toString() == kNewPart;
}

void NeedDialog::refillTerminals()
{
    form_->setRowVisible(partTitle_, newPart());
    for (const auto& [signal, box] : terminals_)
        form_->removeRow(box);
    terminals_.clear();
    const Part* part = snapshot_.board->part(part_->currentData().toString().toStdString());
    Need asked = existing_ ? *existing_ : Need();
    asked.kind = kind_->currentData().toString().toStdString();
    if (!existing_ && stated_.kind == asked.kind)
        asked.goals = stated_.goals;
    for (const SignalSpec& signal : part && !part->terminals.empty() ? signalsOf(asked) : std::vector<SignalSpec>()) {
        auto* box = new QComboBox;
        box->addItem("\u2013", QString());
        for (const std::string& terminal : part->terminals)
            box->addItem(QString::fromStdString(terminal), QString::fromStdString(terminal));
        const auto said = asked.terminals.find(signal.id);
        const bool own = existing_ && existing_->part == part->id && said != asked.terminals.end();
        box->setCurrentIndex(std::max(0, box->findData(QString::fromStdString(own ? said->second : signal.id))));
        form_->addRow(QString::fromStdString(say(signal.title)) + say(" to"), box);
        terminals_.emplace_back(signal.id, box);
    }
    check();
    adjustSize();
}

/// A title that another need has, or two signals at one terminal, are said at once.
void NeedDialog::check()
{
    const Theme& t = Theme::get();
    QString trouble;
    const std::string title = title_->text().trimmed().toStdString();
    for (const Need& other : snapshot_.plan.needs)
        if (!title.empty() && other.title == title && &other != existing_)
            trouble =
                QString(say("There already is a need called %1; choose another title.")).arg(title_->text().trimmed());
    if (newPart() && partTitle_->text().trimmed().isEmpty())
        trouble = say("Give the new part a name.");
    for (size_t a = 0; a < terminals_.size(); ++a)
        for (size_t b = a + 1; b < terminals_.size(); ++b)
            if (const QString name = terminals_[a].second->currentData().toString();
                !name.isEmpty() && name == terminals_[b].second->currentData().toString())
                trouble = QString(say("Two signals go to the terminal %1.")).arg(name);
    if (!unread_.isEmpty())
        trouble = unread_;
    else if (trouble.isEmpty() && !existing_ && !stated_.pads.empty()) {
        // Whether the line's pads can carry it is known before it is added.
        if (const Expected<Edit> whole = edit(); !whole)
            trouble = QString::fromStdString(whole.problem().message);
    }
    done_->setEnabled(trouble.isEmpty());
    QString note = trouble;
    if (note.isEmpty() && !existing_ && !stated_.goals.empty()) {
        StatedNeed goalsAlone;
        goalsAlone.kind = stated_.kind;
        goalsAlone.goals = stated_.goals;
        goalsAlone.pads = stated_.pads;
        note = QString::fromStdString(describe(goalsAlone, *snapshot_.board)) + say(". Other goals are set in Tuning.");
    } else if (note.isEmpty()) {
        note = say("Its goals are set in Tuning.");
    }
    note_->setText(note);
    restyle(note_, QString("color: %1").arg((trouble.isEmpty() ? t.muted : t.error).name()));
}

std::string NeedDialog::partId() const
{
    if (!newPart())
        return part_->currentData().toString().toStdString();
    Plan parts;
    for (const Part& part : snapshot_.board->parts)
        parts.needs.push_back({part.id});
    return freeNeedId(parts, partTitle_->text().trimmed().toStdString());
}

Need NeedDialog::need() const
{
    StatedNeed stated = stated_;
    stated.kind = kind_->currentData().toString().toStdString();
    stated.part = partId();
    stated.title = title_->text().trimmed().toStdString();
    stated.core = core_ && core_->currentIndex() > 0 ? core_->currentData().toString().toStdString() : std::string();
    if (stated.title.empty() && newPart())
        stated.title = freeNeedTitle(snapshot_.plan, partTitle_->text().trimmed().toStdString());
    Need need = existing_ ? *existing_ : newNeed(stated, snapshot_.plan, *snapshot_.device, *snapshot_.board);
    if (existing_) {
        need.part = *stated.part;
        need.core = core_ ? stated.core : need.core;
        if (!stated.title.empty())
            need.title = stated.title;
    }
    if (openTo_)
        need.openTo = openTo_->currentData().toString().toStdString();
    need.terminals.clear();
    for (const auto& [signal, box] : terminals_)
        if (const QString terminal = box->currentData().toString(); !terminal.isEmpty())
            need.terminals[signal] = terminal.toStdString();
    return need;
}

Expected<Edit> NeedDialog::edit() const
{
    Need asked = need();
    Edit edit{(existing_ ? say("Change ") : say("Add ")) + asked.title, {}};
    if (newPart()) {
        // Its terminals are called as the signals, until its own file says better.
        Part part;
        part.id = asked.part;
        part.title = partTitle_->text().trimmed().toStdString();
        for (const SignalSpec& signal : signalsOf(asked)) {
            part.terminals.push_back(signal.id);
            asked.terminals[signal.id] = signal.id;
        }
        edit.changes.push_back(InsertPart{snapshot_.plan.parts.size(), part});
    }
    if (existing_)
        edit.changes.push_back(ReplaceNeed{existing_->id, asked});
    else {
        const Expected<Plan> plan = applied(snapshot_.plan, edit);
        const Expected<Edit> added = plan ? addOnPads(asked, stated_.pads, *plan, *snapshot_.device, *snapshot_.board)
                                          : Expected<Edit>(plan.problem());
        if (!added)
            return added.problem();
        edit.changes.insert(edit.changes.end(), added->changes.begin(), added->changes.end());
    }
    return edit;
}

} // namespace bindrel
