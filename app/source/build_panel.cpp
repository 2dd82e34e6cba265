// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/build_panel.h"

#include "app/session/path_text.h"
#include "app/source/memory_bars.h"
#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/rehearsal/program_size.h"
#include "core/source/names.h"

#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QProgressBar>
#include <QPushButton>
#include <QStandardPaths>
#include <QVBoxLayout>

#include <csignal>
#include <unistd.h>

namespace bindrel {

namespace {

constexpr qsizetype kMostOutput = 4 << 20; ///< bytes of a build's output that are looked at

/// How Debian's package of a compiler is called; empty when it is not known.
QString packageOf(const QString& compiler)
{
    const QString name = QFileInfo(compiler).fileName();
    return name.startsWith("arm-none-eabi-")         ? "gcc-arm-none-eabi"
           : name.startsWith("riscv64-unknown-elf-") ? "gcc-riscv64-unknown-elf"
                                                     : QString();
}

/// What a person can do about tools that are missing; empty when all are there.
QString missingTool(const Source& source)
{
    for (const Source::Program& program : source.programs) {
        const QString compiler = QString::fromStdString(program.compiler);
        if (!QStandardPaths::findExecutable(compiler).isEmpty())
            continue;
        const QString package = packageOf(compiler);
        return package.isEmpty()
                   ? QString(say("%1 is not installed. Install it, and build again.")).arg(compiler)
                   : QString(say("%1 is not installed. On Debian: sudo apt install %2")).arg(compiler, package);
    }
    return {};
}

} // namespace

BuildPanel::BuildPanel(QWidget* parent) : QWidget(parent)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 4, 12, 0);
    column->setSpacing(6);
    auto* top = new QHBoxLayout;
    status_ = new QLabel;
    status_->setTextFormat(Qt::PlainText);
    status_->setWordWrap(true);
    status_->setObjectName("build status");
    top->addWidget(status_, 1);
    progress_ = new QProgressBar;
    progress_->setFixedWidth(140);
    progress_->setAccessibleName(say("Progress of the build"));
    top->addWidget(progress_);
    cancel_ = new QPushButton(say("Cancel"));
    top->addWidget(cancel_);
    close_ = new QPushButton(say("Close"));
    top->addWidget(close_);
    column->addLayout(top);
    list_ = new QListWidget;
    list_->setAccessibleName(say("What the compiler says"));
    list_->setFixedHeight(96);
    column->addWidget(list_);
    bars_ = new MemoryBars;
    column->addWidget(bars_);
    connect(cancel_, &QPushButton::clicked, this, &BuildPanel::cancel);
    connect(close_, &QPushButton::clicked, this, &QWidget::hide);
    const auto choose = [this](int row) {
        if (row >= 0 && row < int(messages_.size()) && !messages_[size_t(row)].file.empty())
            Q_EMIT placeChosen(QString::fromStdString(messages_[size_t(row)].file), messages_[size_t(row)].line);
    };
    connect(list_, &QListWidget::itemClicked, this,
            [this, choose](QListWidgetItem* item) { choose(list_->row(item)); });
    connect(list_, &QListWidget::itemActivated, this,
            [this, choose](QListWidgetItem* item) { choose(list_->row(item)); });
    process_.setProcessChannelMode(QProcess::MergedChannels);
    // A group of its own, so that the compilers end with the build.
    process_.setChildProcessModifier([] { ::setpgid(0, 0); });
    connect(&process_, &QProcess::readyReadStandardOutput, this, &BuildPanel::hear);
    connect(&process_, &QProcess::finished, this,
            [this](int code, QProcess::ExitStatus status) { end(status == QProcess::CrashExit, code); });
    connect(&process_, &QProcess::errorOccurred, this, [this](QProcess::ProcessError error) {
        if (error == QProcess::FailedToStart)
            end(true, -1);
    });
    retheme();
    hide();
}

BuildPanel::~BuildPanel()
{
    process_.disconnect(this);
    cancel();
    process_.waitForFinished(2000);
}

QString BuildPanel::status() const
{
    return status_->text();
}

void BuildPanel::retheme()
{
    const Theme& t = Theme::get();
    status_->setFont(t.text(12));
    list_->setFont(t.mono(11));
    bars_->update();
}

void BuildPanel::tell(const QString& text, bool wrong)
{
    restyle(status_, QString("color: %1").arg((wrong ? Theme::get().error : Theme::get().ink).name()));
    status_->setText(text);
}

void BuildPanel::build(std::shared_ptr<const Snapshot> snapshot, const QString& folder)
{
    if (isBuilding()) {
        cancel();
        process_.waitForFinished(2000);
    }
    snapshot_ = std::move(snapshot);
    folder_ = folder;
    output_.clear();
    line_.clear();
    messages_.clear();
    cancelled_ = false;
    list_->clear();
    list_->hide();
    bars_->setRows({});
    progress_->setRange(0, 0);
    progress_->show();
    show();
    const auto refuse = [this](const QString& why) {
        progress_->hide();
        cancel_->hide();
        close_->show();
        tell(why, true);
        Q_EMIT finished(false);
    };
    if (!QDir(folder_).exists())
        return refuse(say("There is nothing to build yet: write the source first."));
    if (const QString missing = missingTool(snapshot_->source()); !missing.isEmpty())
        return refuse(missing);
    const bool byCMake =
        QFileInfo::exists(folder_ + "/CMakeLists.txt") && !QStandardPaths::findExecutable("cmake").isEmpty();
    const bool byMake = QFileInfo::exists(folder_ + "/Makefile") && !QStandardPaths::findExecutable("make").isEmpty();
    const Names names = namesFor(snapshot_->facts(), CoreIndex(0));
    const QString toolchain = QString::fromStdString(names.path(WordLiteral("toolchain"), ".cmake"));
    buildFolder_ = byCMake ? "build" : byMake ? "build-make" : "";
    const QString command =
        byCMake
            ? QString(say("cmake -B build -DCMAKE_TOOLCHAIN_FILE=%1 && cmake --build build --parallel")).arg(toolchain)
        : byMake ? QString(say("make --jobs"))
                 : QString::fromStdString(snapshot_->source().buildCommand);
    tell(say("Building: ") + command, false);
    cancel_->show();
    close_->hide();
    process_.setWorkingDirectory(folder_);
    // Messages are read, so they must be in the language that is understood.
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert("LC_ALL", "C.UTF-8");
    process_.setProcessEnvironment(environment);
    process_.start("sh", {"-c", command});
}

void BuildPanel::hear()
{
    const QByteArray said = process_.readAllStandardOutput();
    if (output_.size() < kMostOutput)
        output_ += said;
    line_ += said;
    for (qsizetype end = line_.indexOf('\n'); end >= 0; end = line_.indexOf('\n')) {
        if (const int percent = buildProgress(std::string_view(line_.constData(), size_t(end))); percent >= 0) {
            progress_->setRange(0, 100);
            progress_->setValue(percent);
        }
        line_.remove(0, end + 1);
    }
    if (line_.size() > 100'000)
        line_.clear();
}

void BuildPanel::cancel()
{
    if (!isBuilding())
        return;
    cancelled_ = true;
    if (const qint64 id = process_.processId(); id > 0)
        ::kill(-pid_t(id), SIGTERM);
    process_.kill();
}

void BuildPanel::end(bool crashed, int code)
{
    hear();
    progress_->hide();
    cancel_->hide();
    close_->show();
    const QString real = QFileInfo(folder_).canonicalFilePath();
    messages_ = buildMessages(output_.toStdString(), real.toStdString());
    for (const BuildMessage& message : messages_) {
        using Severity = BuildMessage::Severity;
        const QString place = message.file.empty() ? QString()
                              : message.line > 0
                                  ? QString("%1:%2  ").arg(QString::fromStdString(message.file)).arg(message.line)
                                  : QString::fromStdString(message.file) + "  ";
        const char* word = message.severity == Severity::Error     ? say("error: ")
                           : message.severity == Severity::Warning ? say("warning: ")
                                                                   : "";
        auto* item = new QListWidgetItem(place + word + QString::fromStdString(message.text));
        item->setForeground(message.severity == Severity::Error     ? Theme::get().error
                            : message.severity == Severity::Warning ? Theme::get().caution
                                                                    : Theme::get().muted);
        item->setToolTip(message.file.empty() ? QString() : say("Shows the line, and what it was written for."));
        list_->addItem(item);
    }
    const auto count = [this](BuildMessage::Severity severity) {
        return std::count_if(messages_.begin(), messages_.end(),
                             [severity](const BuildMessage& m) { return m.severity == severity; });
    };
    const auto errors = count(BuildMessage::Severity::Error), warnings = count(BuildMessage::Severity::Warning);
    const bool succeeded = !crashed && code == 0 && !cancelled_;
    if (cancelled_) {
        tell(say("The build was cancelled."), false);
    } else if (!succeeded && messages_.empty()) {
        // A tool that says nothing which is understood: its last words.
        const QList<QByteArray> lines = output_.trimmed().split('\n');
        tell(say("The build failed: ") + (crashed && output_.isEmpty() ? QString(say("it could not be started."))
                                                                       : QString::fromUtf8(lines.last().left(300))),
             true);
    } else if (!succeeded) {
        tell(QString::fromStdString(say("The build failed: ") + sayCount(int(errors), "{} error", "{} errors") + "."),
             true);
    } else {
        tell(warnings ? QString::fromStdString(say("Built, with ") +
                                               sayCount(int(warnings), "{} warning", "{} warnings") + ".")
                      : say("Built."),
             false);
    }
    list_->setVisible(!messages_.empty());
    if (succeeded) {
        std::vector<MemoryBars::Row> rows;
        for (CoreIndex i = 0; i < int(snapshot_->source().programs.size()); ++i) {
            const Core& core = snapshot_->device->cores[i];
            const std::string prefix = namesFor(snapshot_->facts(), i).prefix.text();
            QString elf = folder_ + "/" + buildFolder_ + "/" + QString::fromStdString(prefix) + ".elf";
            // Another compiler than the first core's builds in a folder of its own.
            if (!QFileInfo::exists(elf))
                elf = folder_ + "/" + buildFolder_ + "/" + QString::fromStdString(prefix + "/" + prefix) + ".elf";
            const Expected<ProgramImage> program = readProgram(pathOf(elf));
            if (!program)
                continue;
            const ProgramSize size = sizeOf(*program, core, prefix);
            const QString name = QString::fromStdString(prefix);
            rows.push_back({name + say(", flash"), size.flash, core.flashBytes});
            if (size.ram)
                rows.push_back({name + ", RAM", *size.ram, core.ramBytes});
        }
        bars_->setRows(std::move(rows));
    }
    bars_->setVisible(succeeded);
    Q_EMIT finished(succeeded);
}

} // namespace bindrel
