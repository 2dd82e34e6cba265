// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/main_window.h"

#include "app/board/board_station.h"
#include "app/clocks/clocks_station.h"
#include "app/frame/disk_dialog.h"
#include "app/frame/findings_drawer.h"
#include "app/frame/inspector.h"
#include "app/frame/masthead.h"
#include "app/frame/move_dialog.h"
#include "app/rehearsal/rehearsal_station.h"
#include "app/source/source_station.h"
#include "app/start/start_station.h"
#include "app/theme/theme.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/interrupts_dialog.h"
#include "app/tuning/tuning_station.h"
#include "app/widgets/accessible_items.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/wiring_station.h"
#include "core/base/say.h"
#include "core/plan/clock_set.h"
#include "core/plan/stored_settings.h"

#include <QApplication>
#include <QCloseEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QSettings>
#include <QShortcut>
#include <QStackedWidget>
#include <QTimer>
#include <QVBoxLayout>

namespace bindrel {

MainWindow::MainWindow(Library library, QWidget* parent) : QMainWindow(parent), document_(std::move(library))
{
    installAccessibleItems();
    resize(1280, 800);
    setAcceptDrops(true);
    buildRooms();
    buildMenus();
    followDocument();
    followSearches();
    followStart();
    followStations();
    refresh();
    showStation(Station::Start);
}

void MainWindow::buildRooms()
{
    auto* central = new QWidget;
    auto* rows = new QVBoxLayout(central);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    masthead_ = new Masthead(document_, view_);
    rows->addWidget(masthead_);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    rail_ = new Rail;
    middle->addWidget(rail_);
    auto* work = new QVBoxLayout;
    work->setSpacing(0);
    auto* across = new QHBoxLayout;
    across->setSpacing(0);
    stack_ = new QStackedWidget;
    start_ = new StartStation(document_);
    options_ = new OptionFinder(document_, view_, this);
    wiring_ = new WiringStation(document_, view_, *options_);
    clocks_ = new ClocksStation(document_, view_);
    tuning_ = new TuningStation(document_, view_);
    source_ = new SourceStation(document_, view_);
    rehearsal_ = new RehearsalStation(document_, view_);
    board_ = new BoardStation(document_, view_);
    for (QWidget* station :
         {static_cast<QWidget*>(start_), static_cast<QWidget*>(wiring_), static_cast<QWidget*>(clocks_),
          static_cast<QWidget*>(tuning_), static_cast<QWidget*>(source_), static_cast<QWidget*>(rehearsal_),
          static_cast<QWidget*>(board_)})
        stack_->addWidget(station);
    across->addWidget(stack_, 1);
    inspectorRule_ = verticalRule();
    across->addWidget(inspectorRule_);
    inspector_ = new Inspector(document_, view_, *options_);
    across->addWidget(inspector_);
    work->addLayout(across, 1);
    findings_ = new FindingsDrawer(document_, view_);
    work->addWidget(findings_);
    message_ = new QLabel;
    message_->setTextFormat(Qt::PlainText);
    message_->setFixedHeight(20);
    message_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed); // a long message must not widen the window
    message_->setContentsMargins(12, 0, 12, 3);
    message_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    work->addWidget(message_);
    middle->addLayout(work, 1);
    rows->addLayout(middle, 1);
    setCentralWidget(central);
}

void MainWindow::followDocument()
{
    connect(rail_, &Rail::picked, this, [this](Station station) {
        if (view_.pending().settle())
            showStation(station);
    });
    connect(&view_.pending(), &PendingText::refused, this, [this](const QString& why) { showStatus(why, true); });
    connect(&view_, &ViewState::jumped, this, &MainWindow::jumpTo);
    connect(&document_, &Document::changed, this, [this] {
        showStatus({}, false);
        refresh();
    });
    connect(&document_, &Document::fileChanged, this, &MainWindow::refresh);
    connect(&document_, &Document::changedOnDisk, this, &MainWindow::diskChanged);
    connect(&document_, &Document::deviceReloaded, this, &MainWindow::showStatus);
    connect(&document_, &Document::refused, this, [this](const QString& why) { showStatus(why, true); });
    connect(&document_, &Document::told, this, [this](const QString& what) { showStatus(what, false); });
    connect(masthead_, &Masthead::moveWanted, this, [this] {
        if (view_.pending().settle())
            changeDevice();
    });
    connect(masthead_, &Masthead::findingWanted, this, [this](Finding::Severity severity) {
        const auto& all = document_.findings();
        for (size_t i = 0; i < all.size(); ++i)
            if (all[i].severity == severity) {
                findings_->setOpen(true);
                findings_->list()->setCurrentRow(int(i));
                findings_->list()->goTo(int(i));
                return;
            }
    });
}

/// Esc stops what runs beside the window, and a search that fails says so.
void MainWindow::followSearches()
{
    auto* escape = new QShortcut(QKeySequence(Qt::Key_Escape), this);
    escape->setEnabled(false);
    connect(escape, &QShortcut::activated, this, [this] {
        for (Background* background : stoppable())
            background->cancel();
    });
    for (Background* background : findChildren<Background*>())
        connect(background, &Background::failed, this, [this](const QString& why) { showStatus(why, true); });
    for (Background* background : stoppable())
        connect(background, &Background::busyChanged, this, [this, escape](const QString& what) {
            // Only while something runs: at other times the key belongs to whoever has the focus.
            escape->setEnabled(!what.isEmpty());
            showStatus(what.isEmpty() ? QString() : what + say("\u2026 Esc stops it."), false);
        });
}

void MainWindow::followStart()
{
    const auto shown = [this](const Outcome& done) {
        if (!done)
            showStatus(QString::fromStdString(done.problem().text()), true);
        else
            showStation(Station::Wiring);
    };
    connect(start_, &StartStation::openWanted, this, [this](const QString& path) {
        if (mayLeave())
            openPlan(path);
    });
    connect(start_, &StartStation::copyWanted, this, [this, shown](const QString& path) {
        if (mayLeave())
            shown(document_.openCopy(path));
    });
    connect(start_, &StartStation::newWanted, this, [this, shown](const QString& board) {
        if (mayLeave())
            shown(document_.newFromBoard(board.toStdString()));
    });
    connect(start_, &StartStation::browseWanted, this, &MainWindow::browse);
    connect(start_->chips(), &ChipCatalogue::newWanted, this, [this, shown](const QString& device) {
        if (mayLeave())
            shown(document_.newForDevice(device.toStdString()));
    });
    connect(start_->chips(), &ChipCatalogue::moveWanted, this, &MainWindow::changeDevice);
}

void MainWindow::followStations()
{
    connect(inspector_, &Inspector::optionTaken, wiring_, &WiringStation::takeOptionNumber);
    connect(clocks_->ladder(), &LadderView::editWanted, inspector_, &Inspector::beginEdit);
    connect(inspector_, &Inspector::reachWanted, this, [this](const ReachTarget& target, bool also) {
        showStation(Station::Clocks);
        clocks_->reach()->want(target, also);
    });
    connect(findings_->list(), &FindingsList::waysWanted, this, [this](const WaysOffer& offer) {
        showStation(Station::Clocks);
        const Device& device = *document_.snapshot().device;
        const Expected<ReachTarget> target =
            offer.clock.empty() ? problemOf("none") : readReachTarget(device, offer.clock + "=" + offer.wish);
        if (target)
            clocks_->reach()->want(*target, false);
        else
            clocks_->reach()->repair();
    });
    connect(source_, &SourceStation::waitingChanged, this, &MainWindow::refresh);
    connect(rehearsal_, &RehearsalStation::rehearsed, this, &MainWindow::refresh);
    connect(board_, &BoardStation::partWanted, this, [this] {
        showStation(Station::Wiring);
        wiring_->addPart();
    });
    connect(board_, &BoardStation::netsWanted, wiring_, &WiringStation::readNetsFromFile);
    connect(wiring_, &WiringStation::told, this, [this](const QString& what) { showStatus(what, false); });
    connect(source_, &SourceStation::written, this,
            [this](const QString& folder) { showStatus(say("Written to ") + folder + ".", false); });
}

MainWindow::~MainWindow()
{
    // A field that has the focus ends its edit when it goes: it must still find the document, and nobody must listen.
    view_.pending().forgetAll();
    document_.disconnect();
    view_.disconnect();
    delete takeCentralWidget();
}

void MainWindow::showInterrupts()
{
    if (!document_.isOpen())
        return;
    InterruptsDialog dialog(document_, this);
    if (dialog.exec() == QDialog::Accepted && !dialog.chosen().empty()) {
        view_.select({Place::Kind::Need, dialog.chosen(), {}});
        showStation(Station::Tuning);
    }
}

void MainWindow::swapClocks()
{
    if (!document_.isOpen())
        return;
    const Plan& plan = document_.snapshot().plan;
    if (!plan.slow) {
        showStatus(say("There is no low-speed clock set yet; save the present settings as one, then change what should "
                       "differ."),
                   true);
        return;
    }
    Plan swapped = withClockSet(plan, *plan.slow);
    swapped.slow = plan.clockSet();
    document_.apply(difference(plan, swapped, say("Swap with the low-speed clock set")));
}

void MainWindow::changeDevice(const QString& device)
{
    if (!document_.isOpen())
        return;
    MoveDialog dialog(document_, this);
    if (!device.isEmpty())
        dialog.showDevice(device.toStdString());
    if (dialog.exec() == QDialog::Accepted && document_.apply(dialog.edit()) && station_ == Station::Start)
        showStation(Station::Wiring);
}

std::vector<Background*> MainWindow::stoppable() const
{
    return {&wiring_->background(), &clocks_->reach()->background(), &inspector_->background()};
}

QString MainWindow::message() const
{
    return message_->text();
}

void MainWindow::showStatus(const QString& message, bool trouble)
{
    restyle(message_,
            QString("color: %1; font-size: 11px").arg((trouble ? Theme::get().error : Theme::get().muted).name()));
    const QString text = typeset(message);
    message_->setText(text);
    message_->setToolTip(text);
}

void MainWindow::refresh()
{
    undo_->setEnabled(document_.canUndo());
    redo_->setEnabled(document_.canRedo());
    undo_->setText(document_.canUndo() ? say("&Undo: ") + document_.undoTitle() : QString(say("&Undo")));
    redo_->setText(document_.canRedo() ? say("&Redo: ") + document_.redoTitle() : QString(say("&Redo")));
    if (!document_.isOpen()) {
        setWindowTitle(say("Bindrel"));
        return;
    }
    const Snapshot& s = document_.snapshot();
    setWindowTitle(QString(say("%1[*] \u2013 Bindrel"))
                       .arg(document_.path().isEmpty() ? QString::fromStdString(s.plan.name)
                                                       : QFileInfo(document_.path()).fileName()));
    setWindowModified(document_.unsaved());
    int clockErrors = 0, goalErrors = 0;
    for (const Finding& finding : s.findings) {
        clockErrors += finding.subject == Finding::Subject::Clocks;
        goalErrors += finding.subject == Finding::Subject::Goals;
    }
    const int contested = s.bindings.count(BoundNeed::State::Contested);
    rail_->setCount(Station::Wiring, s.bindings.count(BoundNeed::State::Open) + contested, contested > 0);
    rail_->setCount(Station::Clocks, clockErrors, clockErrors > 0);
    rail_->setCount(Station::Tuning, goalErrors, goalErrors > 0);
    rail_->setCount(Station::Source, source_->waiting(), false);
    rail_->setCount(Station::Rehearsal, rehearsal_->hazards(), true);
}

void MainWindow::showStation(Station station)
{
    station_ = station;
    rail_->setCurrent(station);
    stack_->setCurrentIndex(int(station));
    // Stations that nobody sees do not say how small the window may be.
    for (int i = 0; i < stack_->count(); ++i) {
        const auto policy = i == int(station) ? QSizePolicy::Preferred : QSizePolicy::Ignored;
        stack_->widget(i)->setSizePolicy(policy, policy);
    }
    const bool open = document_.isOpen();
    const bool work = open && station != Station::Start;
    inspector_->setVisible(work);
    inspectorRule_->setVisible(inspector_->isVisibleTo(this));
    findings_->setVisible(work);
    stack_->currentWidget()->setFocus(Qt::OtherFocusReason);
}

void MainWindow::jumpTo(const Place& place)
{
    switch (place.kind) {
    case Place::Kind::Clock:
    case Place::Kind::Range:
    case Place::Kind::Mode:
        showStation(Station::Clocks);
        break;
    case Place::Kind::Goal:
        showStation(Station::Tuning);
        tuning_->goals()->focusGoal(place.sub);
        break;
    case Place::Kind::Stored: // its page in the inspector is beside every station but Start
        if (station_ == Station::Start)
            showStation(Station::Tuning);
        break;
    case Place::Kind::Pad:
    case Place::Kind::Signal:
        showStation(Station::Wiring);
        break;
    case Place::Kind::Need:
        if (station_ != Station::Tuning)
            showStation(Station::Wiring);
        break;
    case Place::Kind::Instance:
    case Place::Kind::Register:
        showStation(Station::Tuning);
        break;
    case Place::Kind::None:
        break;
    }
}

void MainWindow::setDark(bool dark)
{
    Theme::apply(*qApp, dark);
    QSettings().setValue("dark", dark);
    source_->retheme();
    // Labels that were given colours take them anew with the next snapshot; the same one will do.
    if (document_.isOpen())
        Q_EMIT document_.changed();
    for (QWidget* widget : findChildren<QWidget*>())
        widget->update();
}

} // namespace bindrel
