// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rehearsal/rehearsal_station.h"

#include "app/rehearsal/operations_list.h"
#include "app/rehearsal/scenario_list.h"
#include "app/rehearsal/timeline_view.h"
#include "app/theme/theme.h"
#include "app/widgets/compiler_question.h"
#include "app/widgets/panel.h"
#include "core/base/say.h"
#include "core/base/scratch_folder.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace bindrel {

namespace {

QLabel* plainLabel()
{
    auto* label = new QLabel;
    label->setTextFormat(Qt::PlainText);
    label->setContentsMargins(12, 0, 12, 0);
    // A long text must not widen the window.
    label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    return label;
}

/// Where the written C does a planned operation: "sluice_clocks.c 42: SLUICE_CLK->OSC |= …".
QString lineOf(const Source& source, const Step* step)
{
    for (const SourceFile& file : source.files)
        for (size_t i = 0; i < file.lines.size(); ++i)
            if (step && file.lines[i].step == step)
                return QString("%1 %2:  %3")
                    .arg(QString::fromStdString(file.name))
                    .arg(i + 1)
                    .arg(QString::fromStdString(file.lines[i].text).trimmed());
    return {};
}

} // namespace

RehearsalStation::RehearsalStation(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(0);
    const SidePanel left = sidePanel(say("Rehearsal"), 224);
    scenarios_ = new ScenarioList;
    left.column->addWidget(scenarios_, 1);
    across->addWidget(left.widget);
    across->addWidget(verticalRule());
    auto* column = new QVBoxLayout;
    column->setContentsMargins(0, 8, 0, 0);
    column->setSpacing(4);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(0, 0, 12, 0);
    title_ = plainLabel();
    head->addWidget(title_, 1);
    axis_ = new QPushButton;
    axis_->setFocusPolicy(Qt::TabFocus);
    head->addWidget(axis_);
    machineCode_ = new QPushButton(say("Run the machine code"));
    machineCode_->setToolTip(
        say("Compiles the written C and executes it on an emulated core against the same chip (M)"));
    machineCode_->setFocusPolicy(Qt::TabFocus);
    head->addWidget(machineCode_);
    column->addLayout(head);
    split_ = plainLabel();
    split_->setWordWrap(true);
    column->addWidget(split_);
    verdict_ = plainLabel();
    column->addWidget(verdict_);
    timeline_ = new TimelineView;
    column->addWidget(timeline_, 3);
    column->addWidget(horizontalRule());
    line_ = plainLabel();
    line_->setFixedHeight(20);
    line_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(line_);
    operations_ = new OperationsList;
    column->addWidget(operations_, 2);
    across->addLayout(column, 1);
    setFocusProxy(timeline_);

    pause_.setSingleShot(true);
    pause_.setInterval(150);
    connect(&pause_, &QTimer::timeout, this, &RehearsalStation::refreshNow);
    connect(&document_, &Document::changed, this, [this] {
        machine_.cancel();
        verdict_->clear();
        verdict_->hide();
        pause_.start();
    });
    connect(&document_, &Document::opened, this, [this] {
        background_.cancel();
        run_ = 0;
    });
    connect(scenarios_, &RowList::currentChanged, this, [this](int row) {
        if (const int run = scenarios_->runOf(row); run >= 0) {
            run_ = run;
            showRun();
        }
    });
    connect(timeline_, &TimelineView::picked, this, [this](int operation) {
        operations_->setCurrentRow(operations_->rowOf(operation));
        showOperation(operation, true);
    });
    connect(timeline_, &TimelineView::axisChanged, this,
            [this] { axis_->setText(timeline_->timeAxis() ? say("Axis: time") : say("Axis: operations")); });
    connect(operations_, &RowList::currentChanged, this, [this](int row) {
        const int operation = operations_->operationOf(row);
        timeline_->setCursor(operation);
        showOperation(operation, operations_->hazardOf(row) < 0);
        if (const int hazard = operations_->hazardOf(row); hazard >= 0 && current())
            view_.select(current()->rehearsal.hazards[size_t(hazard)].place);
    });
    connect(operations_, &RowList::activated, this, [this](int row) {
        const Runs::One* run = current();
        const int hazard = operations_->hazardOf(row), operation = operations_->operationOf(row);
        if (run && hazard >= 0)
            view_.jump(run->rehearsal.hazards[size_t(hazard)].place);
        else if (run && operation >= 0)
            view_.jump(run->rehearsal.operations[size_t(operation)].place);
    });
    connect(axis_, &QPushButton::clicked, this, [this] { timeline_->setTimeAxis(!timeline_->timeAxis()); });
    connect(machineCode_, &QPushButton::clicked, this, &RehearsalStation::runMachineCode);
    axis_->setText(say("Axis: operations"));
    verdict_->hide();
}

const Runs::One* RehearsalStation::current() const
{
    return runs_ && run_ < int(runs_->list.size()) ? &runs_->list[size_t(run_)] : nullptr;
}

int RehearsalStation::hazards() const
{
    int out = 0;
    for (const Runs::One& run : runs_ ? runs_->list : std::vector<Runs::One>())
        out += run.whatIf() ? 0 : int(run.rehearsal.hazards.size());
    return out;
}

void RehearsalStation::refreshNow()
{
    pause_.stop();
    if (!document_.isOpen())
        return;
    background_.run<std::shared_ptr<const Runs>>(
        say("Rehearsing"),
        [snapshot = document_.sharedSnapshot()](const Background::Stopped&) { return rehearseAll(snapshot); },
        [this](const std::shared_ptr<const Runs>& runs) { take(runs); }, std::chrono::milliseconds(0));
}

void RehearsalStation::take(std::shared_ptr<const Runs> runs)
{
    // What was looked at stays looked at, where it is still there.
    const Runs::One* before = current();
    const std::optional<Scenario> wanted = before ? std::optional(before->scenario) : std::nullopt;
    const int cursor = timeline_->cursorOperation();
    timeline_->setRun(nullptr, nullptr);
    operations_->setRun(nullptr);
    runs_ = std::move(runs);
    run_ = 0;
    for (size_t i = 0; wanted && i < runs_->list.size(); ++i)
        if (runs_->list[i].scenario == *wanted)
            run_ = int(i);
    scenarios_->setRuns(runs_);
    showRun();
    if (const Runs::One* now = current(); now && cursor > 0 && cursor < int(now->rehearsal.operations.size())) {
        timeline_->setCursor(cursor);
        operations_->setCurrentRow(operations_->rowOf(cursor));
        showOperation(cursor, false);
    }
    document_.addHazards(runs_->snapshot, runs_->hazards);
    Q_EMIT rehearsed();
}

void RehearsalStation::showRun()
{
    const Runs::One* run = current();
    if (!run)
        return;
    const Theme& t = Theme::get();
    const Rehearsal& r = run->rehearsal;
    scenarios_->setCurrentRow(scenarios_->rowOfRun(run_));
    restyle(title_, QString("color: %1; font-size: 13px; font-weight: bold").arg(t.ink.name()));
    title_->setText(QString::fromStdString(r.title));
    QString text = QString::fromStdString(r.gaveUp.empty() ? say("Up after ") + momentText(r.untilUp)
                                                           : say("An error is returned after ") +
                                                                 momentText(r.untilUp) + ": " + r.gaveUp);
    if (!r.wentOn.empty())
        text += QString::fromStdString(say("; the program ") + r.wentOn);
    QStringList causes;
    for (const auto& [cause, time] : r.split)
        if (time * 50 >= r.untilUp && causes.size() < 3)
            causes << QString::fromStdString(momentText(time) + " " + cause);
    if (r.untilLate > 0 && r.untilLate * 2 < r.untilUp && r.shorter.empty())
        text += QString::fromStdString(say("; everything except what uses the slow source after ") +
                                       momentText(r.untilLate));
    if (!causes.isEmpty())
        text += ". " + causes.join(", ");
    if (!r.shorter.empty())
        text += ". " + QString::fromStdString(r.shorter);
    restyle(split_, QString("color: %1; font-size: 12px").arg(t.muted.name()));
    split_->setText(text + ".");
    split_->setToolTip(text);
    timeline_->setRun(runs_->snapshot.get(), &r);
    operations_->setRun(&r);
    showOperation(timeline_->cursorOperation(), false);
}

void RehearsalStation::showOperation(int operation, bool select)
{
    const Runs::One* run = current();
    if (!run || operation < 0 || operation >= int(run->rehearsal.operations.size())) {
        line_->clear();
        return;
    }
    const Operation& o = run->rehearsal.operations[size_t(operation)];
    restyle(line_, QString("color: %1").arg(Theme::get().ink.name()));
    line_->setFont(Theme::get().editor(11));
    const QString line = lineOf(runs_->snapshot->source(), o.step);
    line_->setText(line.isEmpty() ? QString::fromStdString(o.why) : line);
    line_->setToolTip(line_->text());
    if (select && o.place.kind != Place::Kind::None)
        view_.select(o.place);
}

void RehearsalStation::showMessage(const QString& text, bool trouble)
{
    restyle(verdict_,
            QString("color: %1; font-size: 12px").arg((trouble ? Theme::get().error : Theme::get().accent).name()));
    verdict_->setText(typeset(text));
    verdict_->setToolTip(text);
    verdict_->show();
}

void RehearsalStation::runMachineCode()
{
    const Runs::One* run = current();
    if (!run)
        return;
    if (run->scenario.laterOn())
        return showMessage(say("A later failure is not caused by the program: there is no machine code to run for it."),
                           false);
    const std::shared_ptr<const Snapshot> asked = runs_->snapshot;
    const Expected<bool> may = mayRunCompilers(*asked, this);
    if (!may)
        return showMessage(QString::fromStdString(may.problem().text()), true);
    if (!*may)
        return;
    if (asked != runs_->snapshot)
        return runMachineCode(); // with what is shown by now
    struct Ran {
        std::string text;
        bool trouble = false;
    };
    showMessage(say("Compiling and running the generated C\u2026"), false);
    machine_.run<Ran>(
        say("Running the machine code"),
        [runs = runs_, scenario = run->scenario, planned = &run->rehearsal](const Background::Stopped& stopped) -> Ran {
            const Expected<ScratchFolder> folder = ScratchFolder::make();
            if (!folder)
                return {folder.problem().message, true};
            const Expected<Rehearsal> machine = rehearseMachineCode(
                runs->snapshot->facts(), makeWholeSource(runs->snapshot->facts()), scenario, folder->path(), stopped);
            if (!machine)
                return {machine.problem().text(), true};
            if (!machine->hazards.empty())
                return {say("Machine code: {}. {}", sayCount(long(machine->hazards.size()), "{} hazard", "{} hazards"),
                            machine->hazards.front().text),
                        true};
            if (const std::vector<Hazard> differ = compareWrites(*runs->snapshot->device, *planned, *machine);
                !differ.empty())
                return {say("Machine code: ") + differ.front().text, true};
            return {say("Machine code: {} writes as planned, {} {}; at the end every register has its planned value.",
                        machine->writes.size(),
                        machine->gaveUp.empty() ? say("up after") : say("ends with an error after"),
                        momentText(machine->untilUp)),
                    false};
        },
        [this](const Ran& ran) { showMessage(QString::fromStdString(ran.text), ran.trouble); });
}

void RehearsalStation::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    if (document_.isOpen() && (!runs_ || runs_->snapshot != document_.sharedSnapshot()))
        refreshNow();
}

void RehearsalStation::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_M && event->modifiers() == Qt::NoModifier)
        return runMachineCode();
    if (event->key() == Qt::Key_N && event->modifiers() == Qt::NoModifier) {
        if (const int row = operations_->nextHazard(1); row >= 0) {
            operations_->setCurrentRow(row);
            Q_EMIT operations_->currentChanged(row);
        }
        return;
    }
    QWidget::keyPressEvent(event);
}

} // namespace bindrel
