// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/source_station.h"

#include "app/session/path_text.h"
#include "app/source/backups_dialog.h"
#include "app/source/build_panel.h"
#include "app/source/conflict_view.h"
#include "app/source/file_list.h"
#include "app/source/project_dialog.h"
#include "app/source/search_panel.h"
#include "app/source/source_text.h"
#include "app/theme/theme.h"
#include "app/widgets/compiler_question.h"
#include "app/widgets/marks.h"
#include "app/widgets/panel.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/output/merge.h"
#include "core/output/tree_format.h"
#include "core/output/write_summary.h"
#include "core/plan/memory_size.h"
#include "core/source/safe_text.h"

#include <QCheckBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QShortcut>
#include <QVBoxLayout>

namespace bindrel {

SourceStation::SourceStation(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    row->addWidget(makeFiles());
    row->addWidget(verticalRule());
    auto* main = new QVBoxLayout;
    main->setContentsMargins(0, 8, 0, 8);
    main->setSpacing(6);
    main->addLayout(makeFields());
    addTexts(*main);
    main->addLayout(makeBuildRow());
    row->addLayout(main, 1);
    retheme();
    follow();
    takeFieldsAsTyped();
    setFocusProxy(files_);
}

/// The files, the search over them, and what is done with all of them.
QWidget* SourceStation::makeFiles()
{
    const auto [left, leftColumn] = sidePanel(say("Files"), 234);
    leftColumn->setContentsMargins(0, 10, 0, 8);
    files_ = new FileList;
    files_->setAccessibleName(say("Files"));
    auto* searchRow = new QHBoxLayout;
    searchRow->setContentsMargins(12, 0, 12, 4);
    search_ = new QLineEdit;
    search_->setPlaceholderText(say("Search all files"));
    search_->setAccessibleName(say("Search all files"));
    search_->setToolTip("Ctrl+F");
    search_->setClearButtonEnabled(true);
    searchRow->addWidget(search_);
    leftColumn->addLayout(searchRow);
    leftColumn->addWidget(files_, 1);
    searchByKeys();
    leftColumn->addLayout(makeWriting());
    return left;
}

void SourceStation::searchByKeys()
{
    connect(search_, &QLineEdit::textChanged, this, &SourceStation::findText);
    connect(search_, &QLineEdit::returnPressed, this, [this] { found_->goToNext(); });
    auto* find = new QShortcut(QKeySequence::Find, this);
    find->setContext(Qt::WidgetWithChildrenShortcut);
    connect(find, &QShortcut::activated, this, [this] {
        search_->setFocus();
        search_->selectAll();
    });
    auto* leave = new QShortcut(Qt::Key_Escape, search_);
    leave->setContext(Qt::WidgetShortcut);
    connect(leave, &QShortcut::activated, this, [this] {
        search_->clear();
        files_->setFocus();
    });
}

QLayout* SourceStation::makeWriting()
{
    auto* under = new QVBoxLayout;
    under->setContentsMargins(12, 0, 12, 0);
    under->setSpacing(5);
    message_ = new QLabel;
    message_->setWordWrap(true);
    under->addWidget(message_);
    write_ = new QPushButton(say("Write\u2026"));
    write_->setProperty("primary", true);
    write_->setToolTip("Ctrl+Return");
    takeOver_ = new QPushButton(say("Replace the folder's files"));
    takeOver_->setToolTip(
        say("The folder belongs to another plan. Its unedited files will be replaced by this plan's; the "
            "old files are kept in .bindrel/backup."));
    takeOver_->setVisible(false);
    under->addWidget(takeOver_);
    under->addWidget(write_);
    earlier_ = new QPushButton(say("Earlier texts\u2026"));
    earlier_->setToolTip(say("What stood in the folder before the last writes; it can be restored"));
    connect(earlier_, &QPushButton::clicked, this, &SourceStation::showEarlier);
    auto* pair = new QHBoxLayout;
    pair->addWidget(earlier_);
    auto* layout = new QPushButton(say("Layout\u2026"));
    layout->setToolTip(say("Folders, file names, line ends and a notice above each file"));
    connect(layout, &QPushButton::clicked, this, &SourceStation::askForLayout);
    pair->addWidget(layout);
    under->addLayout(pair);
    return under;
}

/// Folder and prefix, and whether the difference is shown.
QLayout* SourceStation::makeFields()
{
    auto* top = new QHBoxLayout;
    top->setContentsMargins(12, 0, 12, 0);
    top->addWidget(new QLabel(say("Folder")));
    folder_ = new QLineEdit;
    folder_->setAccessibleName(say("Output folder"));
    top->addWidget(folder_, 1);
    auto* choose = new QPushButton(say("Choose\u2026"));
    top->addWidget(choose);
    top->addWidget(new QLabel(say("Prefix")));
    prefix_ = new QLineEdit;
    prefix_->setFixedWidth(84);
    prefix_->setAccessibleName(say("Prefix of files and C names"));
    prefix_->setToolTip(say("Prefix of file names and C names. Empty: from the plan's name."));
    top->addWidget(prefix_);
    difference_ = new QCheckBox(say("Difference"));
    difference_->setToolTip(say("Show what writing would change, instead of the text"));
    top->addWidget(difference_);
    connect(choose, &QPushButton::clicked, this, [this] {
        const QString picked = QFileDialog::getExistingDirectory(this, say("Folder for the source"), folder_->text());
        if (!picked.isEmpty()) {
            folder_->setText(picked);
            takeFolder();
        }
    });
    return top;
}

/// The text, and what takes its place or stands below it.
void SourceStation::addTexts(QVBoxLayout& main)
{
    text_ = new SourceText;
    main.addWidget(text_, 1);
    conflict_ = new ConflictView;
    conflict_->hide();
    connect(conflict_, &ConflictView::chosen, this, &SourceStation::settle);
    main.addWidget(conflict_, 1);
    found_ = new SearchPanel;
    connect(found_, &SearchPanel::placeChosen, this, &SourceStation::showLine);
    main.addWidget(found_);
    build_ = new BuildPanel;
    connect(build_, &BuildPanel::placeChosen, this, &SourceStation::showLine);
    main.addWidget(build_);
    trace_ = new QLabel;
    trace_->setContentsMargins(12, 0, 12, 0);
    trace_->setTextFormat(Qt::PlainText);
    trace_->setMinimumHeight(18);
    trace_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred); // a long reason must not widen the window
    main.addWidget(trace_);
}

QLayout* SourceStation::makeBuildRow()
{
    auto* bottom = new QHBoxLayout;
    bottom->setContentsMargins(12, 0, 12, 0);
    bottom->addWidget(new QLabel(say("Compile with")));
    command_ = new QLineEdit;
    command_->setReadOnly(true);
    command_->setAccessibleName(say("Compile command"));
    bottom->addWidget(command_, 1);
    auto* build = new QPushButton(say("Build"));
    build->setToolTip(say("Build what stands in the folder, with its own build files"));
    connect(build, &QPushButton::clicked, this, &SourceStation::build);
    bottom->addWidget(build);
    stack_ = memoryField(say("Stack"),
                         say("Bytes that the linker script keeps for the stack, as in 4 KiB; a function tells how many "
                             "have been in use. Empty: what the data leave, unchecked."),
                         SetText::What::Stack, *bottom);
    heap_ = memoryField(say("Heap"), say("Bytes between the data and the stack, for a C library. Empty: none."),
                        SetText::What::Heap, *bottom);
    return bottom;
}

/// Keeps up with the document, the selection and the lists.
void SourceStation::follow()
{
    debounce_.setSingleShot(true);
    debounce_.setInterval(150);
    connect(&debounce_, &QTimer::timeout, this, &SourceStation::refreshBeside);
    connect(&document_, &Document::changed, this, &SourceStation::refresh);
    connect(&document_, &Document::opened, this, [this] {
        settlements_.clear();
        folder_->setText(defaultFolder());
    });
    connect(&document_, &Document::fileChanged, this, [this] {
        if (folder_->text().isEmpty())
            folder_->setText(defaultFolder());
    });
    connect(&view_, &ViewState::selectionChanged, this, &SourceStation::markNeed);
    connect(files_, &RowList::currentChanged, this, [this](int r) {
        if (const FileChange* file = files_->fileAt(r))
            showFile(QString::fromStdString(file->name));
    });
    connect(difference_, &QCheckBox::toggled, this, [this] { showFile(shownFile_); });
    connect(write_, &QPushButton::clicked, this, &SourceStation::write);
    connect(takeOver_, &QPushButton::clicked, this, [this] {
        if (!view_.pending().settle())
            return;
        takenOver_ = folder_->text();
        refreshPreview();
    });
    connect(text_, &QsciScintilla::cursorPositionChanged, this, [this](int line, int) {
        if (!filling_)
            showTrace(line);
    });
}

/// What is typed into a field and not entered is settled when one goes elsewhere.
void SourceStation::takeFieldsAsTyped()
{
    PendingText& pending = view_.pending();
    connect(folder_, &QLineEdit::textEdited, this, [this, &pending] {
        pending.typed(folder_, [this] {
            takeFolder();
            return QString();
        });
    });
    connect(folder_, &QLineEdit::editingFinished, this, [this, &pending] { pending.settle(folder_); });
    connect(prefix_, &QLineEdit::textEdited, this, [this, &pending] {
        pending.typed(prefix_, [this] {
            const std::string typed = prefix_->text().trimmed().toStdString();
            // What C takes for a name is what is kept, so that the field shows what the files will have.
            const std::string kept = typed.empty() ? typed : identifierOf(typed);
            if (document_.isOpen() && kept != document_.snapshot().plan.prefix)
                document_.apply(editOf(say("Prefix ") + kept, SetText{SetText::What::Prefix, kept}));
            refresh();
            return QString();
        });
    });
    connect(prefix_, &QLineEdit::editingFinished, this, [this, &pending] { pending.settle(prefix_); });
}

void SourceStation::takeFolder()
{
    if (document_.isOpen() && !document_.path().isEmpty())
        QSettings().setValue("output/" + QString(document_.path().toUtf8().toHex()), folder_->text());
    refreshPreview();
}

QString SourceStation::defaultFolder() const
{
    if (document_.path().isEmpty())
        return {};
    const QString kept = QSettings().value("output/" + QString(document_.path().toUtf8().toHex())).toString();
    if (!kept.isEmpty())
        return kept;
    const QFileInfo plan(document_.path());
    return plan.absolutePath() + "/" + plan.completeBaseName() + "-source";
}

void SourceStation::retheme()
{
    const Theme& t = Theme::get();
    text_->retheme();
    conflict_->retheme();
    build_->retheme();
    found_->retheme();
    search_->setFont(t.text(12));
    restyle(trace_, QString("color: %1; font-size: 11px").arg(t.muted.name()));
    restyle(message_, QString("color: %1; font-size: 11px").arg(t.muted.name()));
    command_->setFont(t.mono(11));
    folder_->setFont(t.mono(11));
}

void SourceStation::showEvent(QShowEvent*)
{
    if (!document_.isOpen())
        return;
    // A formatter takes its time.
    if (hasTreeFormat(document_.snapshot().source(), pathOf(folder_->text())))
        refreshBeside();
    else
        refreshPreview();
    showCommand();
}

void SourceStation::showCommand()
{
    const Source& source = document_.snapshot().source();
    prefix_->setPlaceholderText(QString::fromStdString(source.prefix));
    const QString command = QString::fromStdString(source.buildCommand);
    if (command_->text() != command) {
        command_->setText(command);
        command_->setCursorPosition(0);
    }
}

/// A size of memory that the plan states.
QLineEdit* SourceStation::memoryField(const char* label, const char* tip, SetText::What what, QHBoxLayout& row)
{
    auto* field = new QLineEdit;
    row.addWidget(new QLabel(label));
    field->setFixedWidth(70);
    field->setMaxLength(24);
    field->setAccessibleName(label);
    field->setObjectName(QString(label).toLower());
    field->setToolTip(tip);
    field->setPlaceholderText(what == SetText::What::Stack ? say("the rest") : "none");
    row.addWidget(field);
    PendingText& pending = view_.pending();
    connect(field, &QLineEdit::textEdited, this, [this, &pending, field, label, what] {
        pending.typed(field, [this, field, label, what]() -> QString {
            if (!document_.isOpen())
                return {};
            const std::string typed = field->text().trimmed().toStdString();
            const Expected<std::uint32_t> size = parseMemorySize(typed);
            if (!typed.empty() && !size)
                return QString::fromStdString(size.problem().message);
            const std::string kept = size ? memorySizeText(*size) : std::string();
            const Plan& plan = document_.snapshot().plan;
            if (kept != (what == SetText::What::Stack ? plan.stack : plan.heap))
                document_.apply(
                    editOf(std::string(label) + " " + (kept.empty() ? say("not stated") : kept), SetText{what, kept}));
            refresh();
            return {};
        });
    });
    connect(field, &QLineEdit::editingFinished, this, [&pending, field] { pending.settle(field); });
    // A size that is refused can be given up.
    auto* escape = new QShortcut(Qt::Key_Escape, field);
    escape->setContext(Qt::WidgetShortcut);
    connect(escape, &QShortcut::activated, this, [this, &pending, field] {
        pending.forget(field);
        refresh();
    });
    return field;
}

void SourceStation::refresh()
{
    if (!document_.isOpen())
        return;
    for (const auto& [field, size] :
         {std::pair(stack_, document_.snapshot().plan.stack), {heap_, document_.snapshot().plan.heap}})
        if (!view_.pending().waits(field))
            field->setText(QString::fromStdString(size));
    if (!view_.pending().waits(prefix_))
        prefix_->setText(QString::fromStdString(document_.snapshot().plan.prefix));
    // The source is made, and the disk looked at, beside the interface: at once while it is seen, else after a pause.
    if (isVisible())
        refreshBeside();
    else
        debounce_.start();
}

const Source& SourceStation::source() const
{
    return formatted_ && formattedOf_ == document_.sharedSnapshot() ? *formatted_ : document_.snapshot().source();
}

SourceStation::Look SourceStation::look(const std::shared_ptr<const Snapshot>& of, const std::filesystem::path& folder,
                                        Ownership ownership, const Settlements& settlements,
                                        const std::function<bool()>& stopped)
{
    const Snapshot& s = *of;
    Look out;
    if (folder.empty()) {
        for (const SourceFile& file : s.source().files)
            out.files.push_back({file.name, FileChange::State::New, "", file.text(), "", {}});
        out.trouble = say("Save the plan, or choose a folder, to write the source.");
        return out;
    }
    const Source* source = &s.source();
    if (hasTreeFormat(*source, folder)) {
        TreeFormatted laid = inTreeFormat(*source, folder, stopped);
        out.formattedOf = of;
        out.formatted = std::make_shared<const Source>(std::move(laid.source));
        if (!laid.trouble.empty())
            out.notes.push_back(std::move(laid.trouble));
        source = out.formatted.get();
    }
    Expected<OutputPreview> preview = previewOutput(*source, folder, ownership, settlements);
    if (preview) {
        out.files = std::move(preview->files);
        out.notes.insert(out.notes.end(), preview->notes.begin(), preview->notes.end());
        out.first = std::move(preview->first);
    } else {
        out.trouble = preview.problem().text();
        out.owner = folderOwner(folder);
    }
    return out;
}

void SourceStation::findText()
{
    // The page has room for one of the two.
    if (!search_->text().isEmpty() && !build_->isBuilding())
        build_->hide();
    found_->search(search_->text().trimmed(), files_->files());
}

void SourceStation::build()
{
    if (!document_.isOpen() || !view_.pending().settle())
        return;
    const Expected<bool> may = mayRunCompilers(document_.snapshot(), this);
    if (!may)
        Q_EMIT document_.refused(QString::fromStdString(may.problem().text()));
    if (!may || !*may)
        return;
    search_->clear();
    build_->build(document_.sharedSnapshot(), folder_->text());
}

/// The line that a message is about, and with it what the line was written for.
void SourceStation::showLine(const QString& file, int line)
{
    if (files_->choose(file)) {
        difference_->setChecked(false);
        showFile(file);
        text_->setCursorPosition(std::max(0, line - 1), 0);
        text_->ensureLineVisible(std::max(0, line - 1));
        showTrace(line - 1);
        return;
    }
    message_->setText(QString(say("%1 is not a file of this plan.")).arg(file));
}

void SourceStation::settle(const QString& file, const QString& piece, const std::optional<PieceChoice>& choice)
{
    PieceChoices& choices = settlements_[file.toStdString()];
    if (choice)
        choices[piece.toStdString()] = *choice;
    else
        choices.erase(piece.toStdString());
    // Typing goes on while the list is made anew.
    refreshBeside();
}

void SourceStation::showEarlier()
{
    const Expected<std::vector<Backup>> backups = backupsIn(pathOf(folder_->text()));
    if (!backups) {
        Q_EMIT document_.refused(QString::fromStdString(backups.problem().text()));
        return;
    }
    if (backups->empty()) {
        Q_EMIT document_.refused(say("There is no earlier text yet: each write keeps what it replaces."));
        return;
    }
    BackupsDialog(pathOf(folder_->text()), *backups, shownFile_, window()).exec();
    refreshPreview();
}

void SourceStation::askForLayout()
{
    if (!document_.isOpen())
        return;
    ProjectDialog dialog(document_.snapshot().plan.project,
                         QString::fromStdString(document_.snapshot().source().prefix), window());
    if (dialog.exec() == QDialog::Accepted && dialog.layout() != document_.snapshot().plan.project)
        document_.apply(editOf(say("Project layout"), SetProject{dialog.layout()}));
}

void SourceStation::refreshPreview()
{
    debounce_.stop();
    looking_.cancel();
    if (document_.isOpen())
        show(look(document_.sharedSnapshot(), pathOf(folder_->text()), ownership(), settlements_, {}));
}

void SourceStation::refreshBeside()
{
    debounce_.stop();
    const auto s = document_.sharedSnapshot();
    if (!s)
        return;
    looking_.run<Look>(
        QString(), // too short to be told
        [s, folder = pathOf(folder_->text()), own = ownership(), settlements = settlements_](
            const Background::Stopped& stopped) { return look(s, folder, own, settlements, stopped); },
        [this](Look seen) { show(std::move(seen)); }, std::chrono::milliseconds(0));
}

void SourceStation::show(Look seen)
{
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    showCommand();
    QString trouble = QString::fromStdString(seen.trouble);
    first_ = std::move(seen.first);
    formatted_ = std::move(seen.formatted);
    formattedOf_ = std::move(seen.formattedOf);
    files_->setFiles(std::move(seen.files), groupsOf(source()));
    write_->setEnabled(trouble.isEmpty());
    takeOver_->setVisible(!seen.owner.empty() && seen.owner != s.source().plan && ownership() == Ownership::OwnOnly);
    if (trouble.isEmpty()) {
        QStringList parts;
        for (const auto state :
             {FileChange::State::New, FileChange::State::Moved, FileChange::State::Changed, FileChange::State::Merged,
              FileChange::State::Conflict, FileChange::State::Obsolete, FileChange::State::Left})
            if (const auto count = std::count_if(files_->files().begin(), files_->files().end(),
                                                 [state](const FileChange& file) { return file.state == state; }))
                parts << QString("%1 %2").arg(count).arg(nameOf(state));
        trouble = parts.isEmpty() ? say("The folder is up to date.") : parts.join(", ") + ".";
        QStringList left;
        for (const OutputPart part : s.plan.leftOut)
            left << nameOf(part);
        for (const Need& need : s.plan.needs)
            if (s.plan.leavesOut(need))
                left << QString::fromStdString(need.title);
        if (!left.isEmpty())
            trouble += say(" Left out: ") + left.join(", ") + ".";
        for (const std::string& note : seen.notes)
            trouble += " " + QString::fromStdString(note);
        if (const int errors = s.count(Finding::Severity::Error))
            trouble += QString::fromStdString(say(" The plan has ") + sayCount(errors, "{} error", "{} errors") + ".");
    }
    message_->setText(trouble);
    if (!search_->text().isEmpty())
        findText();
    // What is shown stays, and so does a heading that somebody stands on.
    const QString first = files_->files().empty() ? QString() : QString::fromStdString(files_->files().front().name);
    const bool onHeading = files_->currentRow() >= 0 && !files_->fileAt(files_->currentRow());
    if (!first.isEmpty() && !(onHeading ? files_->has(shownFile_) : files_->choose(shownFile_))) {
        files_->choose(first);
        showFile(first);
    } else if (!first.isEmpty()) {
        showFile(shownFile_);
    }
    Q_EMIT waitingChanged();
}

Ownership SourceStation::ownership() const
{
    return !takenOver_.isEmpty() && takenOver_ == folder_->text() ? Ownership::TakeOver : Ownership::OwnOnly;
}

int SourceStation::waiting() const
{
    int count = 0;
    for (const FileChange& file : files_->files())
        count += file.touchesDisk() || file.state == FileChange::State::Conflict;
    return count;
}

void SourceStation::showFile(const QString& name)
{
    if (!document_.isOpen())
        return;
    filling_ = true;
    const bool same = name == shownFile_;
    shownFile_ = name;
    const FileChange* change = nullptr;
    for (const FileChange& file : files_->files())
        if (QString::fromStdString(file.name) == name)
            change = &file;
    const bool diff = difference_->isChecked();
    const bool settling = change && !diff && conflicts(change->pieces) > 0;
    conflict_->setVisible(settling);
    text_->setVisible(!settling);
    if (settling)
        conflict_->show(*change, settlements_[change->name]);
    QString content;
    if (change)
        content = QString::fromStdString(diff ? unifiedDiff(change->before, change->state == FileChange::State::Obsolete
                                                                                ? std::string()
                                                                                : change->after)
                                         : change->after.empty() ? change->before
                                                                 : change->after);
    if (diff && content.isEmpty())
        content = say("No difference.\n");
    using Language = SourceText::Language;
    text_->showText(content,
                    diff                                         ? Language::Difference
                    : name.endsWith(".c") || name.endsWith(".h") ? Language::C
                                                                 : Language::None,
                    same);
    const SourceFile* file = source().find(name.toStdString());
    // Kept regions and merged edits shift lines; hues are drawn where the text is just what is generated.
    if (file && !diff && change && change->after == file->text())
        text_->markCauses(*file, document_.snapshot());
    filling_ = false;
    markNeed();
}

void SourceStation::markNeed()
{
    const SourceFile* file =
        document_.isOpen() && !difference_->isChecked() ? source().find(shownFile_.toStdString()) : nullptr;
    text_->markSelected(file, view_.selected(), view_.selectedNeed());
}

void SourceStation::showTrace(int line)
{
    trace_->clear();
    const SourceFile* file = document_.isOpen() ? source().find(shownFile_.toStdString()) : nullptr;
    if (!file || difference_->isChecked() || line < 0 || line >= int(file->lines.size()) ||
        file->lines[size_t(line)].trace < 0)
        return;
    const Trace& trace = file->traces[size_t(file->lines[size_t(line)].trace)];
    const Need* need =
        document_.snapshot().plan.need(trace.place.kind == Place::Kind::Pad ? trace.place.sub : trace.place.id);
    const std::string cause = need ? need->title : trace.place.id;
    trace_->setText(
        typeset(trace.why.empty() ? say("Because of {}", cause) : say("Because of {}: {}", cause, trace.why)));
    view_.select(trace.place);
}

bool SourceStation::writeNow()
{
    if (!document_.isOpen() || folder_->text().isEmpty())
        return false;
    const Expected<std::vector<std::string>> done =
        writeOutput(source(), pathOf(folder_->text()), {files_->files(), {}, first_}, ownership());
    if (!done)
        Q_EMIT document_.refused(QString::fromStdString(done.problem().text()));
    if (done)
        settlements_.clear();
    refreshPreview();
    if (done)
        Q_EMIT written(folder_->text());
    if (done && !done->empty())
        Q_EMIT document_.refused(QString::fromStdString(joined(*done, " ")));
    return done.ok();
}

void SourceStation::write()
{
    if (!document_.isOpen() || !view_.pending().settle())
        return;
    refreshPreview();
    if (!write_->isEnabled()) {
        Q_EMIT document_.refused(message_->text());
        return;
    }
    QDialog dialog(this);
    dialog.setWindowTitle(say("Write the source"));
    dialog.setMinimumSize(480, 420);
    auto* column = new QVBoxLayout(&dialog);
    column->setContentsMargins(18, 16, 18, 14);
    auto* title = new QLabel(say("To ") + folder_->text());
    title->setFont(Theme::get().text(13, true));
    title->setWordWrap(true);
    column->addWidget(title);
    const int errors = document_.snapshot().count(Finding::Severity::Error);
    if (errors > 0) {
        auto* warning =
            new QLabel(QString::fromStdString(say("The plan has ") + sayCount(errors, "{} error", "{} errors") +
                                              say(". Needs that are not bound are left out of the source.")));
        warning->setWordWrap(true);
        restyle(warning, QString("color: %1").arg(Theme::get().error.name()));
        column->addWidget(warning);
    }
    const std::vector<std::string> sentences = writeSummary(document_.snapshot(), {files_->files(), {}, {}});
    if (!sentences.empty()) {
        auto* summary = new QLabel(typeset(joined(sentences, "\n")));
        summary->setObjectName("summary");
        summary->setTextFormat(Qt::PlainText);
        summary->setWordWrap(true);
        column->addWidget(summary);
    }
    auto* list = new FileList;
    std::vector<FileChange> touched;
    bool conflict = false;
    for (const FileChange& file : files_->files()) {
        if (file.state != FileChange::State::Same && file.state != FileChange::State::Yours)
            touched.push_back(file);
        conflict = conflict || file.state == FileChange::State::Conflict;
    }
    const bool nothing = touched.empty();
    list->setFiles(std::move(touched), groupsOf(source()));
    column->addWidget(list, 1);
    auto* note = new QLabel(conflict  ? say("A file in conflict blocks the write: choose it in the list to settle it.")
                            : nothing ? say("The folder is already up to date.")
                                      : say("The present files are kept in .bindrel/backup."));
    note->setWordWrap(true);
    column->addWidget(note);
    auto* buttons = new QDialogButtonBox;
    auto* go = buttons->addButton(errors > 0 ? say("Write anyway") : say("Write"), QDialogButtonBox::AcceptRole);
    go->setProperty("primary", true);
    go->setEnabled(!conflict && !nothing);
    go->setDefault(true);
    list->setFocusPolicy(Qt::NoFocus); // Enter is for the button
    buttons->addButton(say("Cancel"), QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    column->addWidget(buttons);
    if (dialog.exec() == QDialog::Accepted)
        writeNow();
}

} // namespace bindrel
