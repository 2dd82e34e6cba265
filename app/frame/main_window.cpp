// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/main_window.h"

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
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/wiring_station.h"
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
    resize(1280, 800);
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
    for (QWidget* station : {static_cast<QWidget*>(start_), static_cast<QWidget*>(wiring_), static_cast<QWidget*>(clocks_), static_cast<QWidget*>(tuning_), static_cast<QWidget*>(source_), static_cast<QWidget*>(rehearsal_)})
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
    message_->setContentsMargins(12, 0, 12, 3);
    message_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    work->addWidget(message_);
    middle->addLayout(work, 1);
    rows->addLayout(middle, 1);
    setCentralWidget(central);
    buildMenus();

    connect(rail_, &Rail::picked, this, &MainWindow::showStation);
    connect(&view_, &ViewState::jumped, this, &MainWindow::jumpTo);
    connect(&document_, &Document::changed, this, [this] {
        say({}, false);
        refresh();
    });
    connect(&document_, &Document::fileChanged, this, &MainWindow::refresh);
    connect(&document_, &Document::changedOnDisk, this, &MainWindow::diskChanged);
    connect(&document_, &Document::refused, this, [this](const QString& why) { say(why, true); });
    connect(&document_, &Document::opened, this, [this] {
        view_.showOptions(false);
        view_.select({});
    });
    connect(masthead_, &Masthead::moveWanted, this, [this] { changeDevice(); });
    auto* escape = new QShortcut(QKeySequence(Qt::Key_Escape), this);
    escape->setEnabled(false);
    connect(escape, &QShortcut::activated, this, [this] {
        wiring_->background().cancel();
        clocks_->reach()->background().cancel();
    });
    for (Background* background : findChildren<Background*>())
        connect(background, &Background::failed, this, [this](const QString& why) { say(why, true); });
    for (Background* background : {&wiring_->background(), &clocks_->reach()->background()})
        connect(background, &Background::busyChanged, this, [this, escape](const QString& what) {
            // Only while something runs: at other times the key belongs to whoever has the focus.
            escape->setEnabled(!what.isEmpty());
            say(what.isEmpty() ? QString() : what + "\u2026 Esc stops it.", false);
        });
    connect(masthead_, &Masthead::findingWanted, this, [this](Finding::Severity severity) {
        const auto& all = document_.findings();
        for (size_t i = 0; i < all.size(); ++i)
            if (all[i].severity == severity) {
                findings_->setOpen(true);
                findings_->list()->setCurrentRow(int(i));
                view_.jump(all[i].place);
                return;
            }
    });
    connect(start_, &StartStation::openWanted, this, [this](const QString& path) {
        if (mayLeave())
            openPlan(path);
    });
    connect(start_, &StartStation::copyWanted, this, [this](const QString& path) {
        if (!mayLeave())
            return;
        if (const Outcome done = document_.openCopy(path); !done)
            say(QString::fromStdString(done.problem().text()), true);
        else
            showStation(Station::Wiring);
    });
    connect(start_, &StartStation::newWanted, this, [this](const QString& board) {
        if (!mayLeave())
            return;
        if (const Outcome done = document_.newFromBoard(board.toStdString()); !done)
            say(QString::fromStdString(done.problem().text()), true);
        else
            showStation(Station::Wiring);
    });
    connect(start_, &StartStation::browseWanted, this, &MainWindow::browse);
    connect(start_->chips(), &ChipCatalogue::newWanted, this, [this](const QString& device) {
        if (!mayLeave())
            return;
        if (const Outcome done = document_.newForDevice(device.toStdString()); !done)
            say(QString::fromStdString(done.problem().text()), true);
        else
            showStation(Station::Wiring);
    });
    connect(start_->chips(), &ChipCatalogue::moveWanted, this, &MainWindow::changeDevice);
    connect(inspector_, &Inspector::optionTaken, wiring_, &WiringStation::takeOptionNumber);
    connect(clocks_->ladder(), &LadderView::editWanted, inspector_, &Inspector::beginEdit);
    connect(inspector_, &Inspector::reachWanted, this, [this](const ReachTarget& target, bool also) {
        showStation(Station::Clocks);
        clocks_->reach()->want(target, also);
    });
    connect(findings_->list(), &FindingsList::waysWanted, this, [this](const WaysOffer& offer) {
        showStation(Station::Clocks);
        const Device& device = *document_.snapshot().device;
        const Expected<ReachTarget> target = offer.clock.empty() ? problemOf("none") : readReachTarget(device, offer.clock + "=" + offer.wish);
        if (target)
            clocks_->reach()->want(*target, false);
        else
            clocks_->reach()->repair();
    });
    connect(source_, &SourceStation::waitingChanged, this, &MainWindow::refresh);
    connect(rehearsal_, &RehearsalStation::rehearsed, this, &MainWindow::refresh);
    connect(wiring_, &WiringStation::told, this, [this](const QString& what) { say(what, false); });
    connect(source_, &SourceStation::written, this, [this](const QString& folder) { say("Written to " + folder + ".", false); });
    refresh();
    showStation(Station::Start);
}

MainWindow::~MainWindow()
{
    // A field that has the focus ends its edit when it goes: it must still find the document, and nobody must listen.
    document_.disconnect();
    view_.disconnect();
    delete takeCentralWidget();
}

void MainWindow::buildMenus()
{
    const auto add = [this](QMenu* menu, const QString& text, const QKeySequence& key, auto slot) {
        QAction* action = menu->addAction(text);
        action->setShortcut(key);
        connect(action, &QAction::triggered, this, slot);
        return action;
    };
    QMenu* plan = menuBar()->addMenu("&Plan");
    add(plan, "&New or example\u2026", QKeySequence::New, [this] { showStation(Station::Start); });
    add(plan, "&Open\u2026", QKeySequence::Open, [this] { browse(); });
    recent_ = plan->addMenu("&Recent");
    connect(recent_, &QMenu::aboutToShow, this, [this] {
        recent_->clear();
        for (const QString& path : recentPlans())
            connect(recent_->addAction(path), &QAction::triggered, this, [this, path] {
                if (mayLeave())
                    openPlan(path);
            });
        if (recent_->isEmpty())
            recent_->addAction("none yet")->setEnabled(false);
    });
    plan->addSeparator();
    add(plan, "&Save", QKeySequence::Save, [this] { save(); });
    add(plan, "Save &as\u2026", QKeySequence("Ctrl+Shift+S"), [this] { saveAs(); });
    plan->addSeparator();
    add(plan, "&Change chip or board\u2026", QKeySequence("Ctrl+Shift+D"), [this] { changeDevice(); });
    plan->addSeparator();
    add(plan, "&Write source\u2026", QKeySequence("Ctrl+Return"), [this] {
        showStation(Station::Source);
        source_->write();
    });
    plan->addSeparator();
    add(plan, "&Quit", QKeySequence::Quit, [this] { close(); });

    QMenu* edit = menuBar()->addMenu("&Edit");
    undo_ = add(edit, "&Undo", QKeySequence("Ctrl+Z"), [this] { document_.undo(); });
    redo_ = add(edit, "&Redo", QKeySequence("Ctrl+Shift+Z"), [this] { document_.redo(); });
    QMenu* history = edit->addMenu("&History");
    connect(history, &QMenu::aboutToShow, this, [this, history] { fillHistory(history); });
    edit->addSeparator();
    add(edit, "&Go to\u2026", QKeySequence("Ctrl+K"), [this] { masthead_->gotoField()->begin(); });

    QMenu* wiring = menuBar()->addMenu("&Wiring");
    add(wiring, "A&dd a need\u2026", QKeySequence("Ctrl+Shift+A"), [this] {
        showStation(Station::Wiring);
        wiring_->addNeed();
    });
    add(wiring, "Add a &part\u2026", QKeySequence("Ctrl+Shift+L"), [this] {
        showStation(Station::Wiring);
        wiring_->addPart();
    });
    add(wiring, "&Edit the selected need\u2026", QKeySequence("Ctrl+E"), [this] { wiring_->editNeed(); });
    add(wiring, "&Copy the selected need", QKeySequence("Ctrl+D"), [this] { wiring_->copyNeed(); });
    add(wiring, "&Remove the selected need", QKeySequence("Ctrl+Delete"), [this] { wiring_->removeSelected(); });
    wiring->addSeparator();
    add(wiring, "&Bind the selected need", QKeySequence("Ctrl+B"), [this] { wiring_->bindSelected(); });
    add(wiring, "Bind &all open needs", QKeySequence("Ctrl+Shift+B"), [this] { wiring_->bindAll(); });
    add(wiring, "Un&tangle", QKeySequence("Ctrl+U"), [this] {
        showStation(Station::Wiring);
        wiring_->untangle();
    });
    add(wiring, "&Unbind the selected need", QKeySequence("Ctrl+Shift+Backspace"), [this] { wiring_->unbindSelected(); });
    add(wiring, "Show &options of the signal", QKeySequence("Ctrl+Space"), [this] { wiring_->toggleOptions(); });
    add(wiring, "Other &instance\u2026", QKeySequence("Ctrl+I"), [this] { inspector_->askInstance(view_.selectedNeed()); });
    add(wiring, "&Hold or let go", QKeySequence("Ctrl+H"), [this] { wiring_->holdSelected(); });
    wiring->addSeparator();
    add(wiring, "Pin &sheet or picture", QKeySequence("Ctrl+Shift+P"), [this] {
        showStation(Station::Wiring);
        wiring_->toggleSheet();
    });
    add(wiring, "Take &nets from a table\u2026", QKeySequence("Ctrl+Shift+T"), [this] { wiring_->readNetsFromFile(); });
    add(wiring, "Paste nets", QKeySequence("Ctrl+Shift+V"), [this] { wiring_->pasteNets(); });
    add(wiring, "Export the picture\u2026", QKeySequence("Ctrl+Shift+E"), [this] { wiring_->exportPicture(); });
    add(wiring, "Export the pin sheet\u2026", QKeySequence("Ctrl+Shift+X"), [this] { wiring_->exportSheet(); });

    QMenu* clocks = menuBar()->addMenu("&Clocks");
    add(clocks, "&Repair limits and goals", QKeySequence("Ctrl+Shift+R"), [this] {
        showStation(Station::Clocks);
        clocks_->reach()->repair();
    });
    add(clocks, "&Keep these settings as the slow ones", QKeySequence("Ctrl+Shift+K"), [this] {
        if (document_.isOpen())
            document_.apply(editOf("Keep the clock settings as the slow ones", SetSlow{document_.snapshot().plan.clockSet()}));
    });
    add(clocks, "S&wap with the slow settings", QKeySequence("Ctrl+Shift+W"), [this] { swapClocks(); });
    add(clocks, "Drop the slow settings", QKeySequence(), [this] {
        if (document_.isOpen() && document_.snapshot().plan.slow)
            document_.apply(editOf("Drop the slow clock settings", SetSlow{std::nullopt}));
    });
    QMenu* failing = clocks->addMenu("When a clock does not &start");
    connect(failing, &QMenu::aboutToShow, this, [this, failing] {
        failing->clear();
        if (!document_.isOpen())
            return;
        const std::pair<OnFailure, const char*> choices[] = {{OnFailure::Stop, "&Stop: a status, pads at safe levels"}, {OnFailure::GoOn, "&Go on with what does not come from it"}, {OnFailure::FallBack, "&Fall back to the slow clocks"}};
        for (const auto& [policy, words] : choices) {
            QAction* action = failing->addAction(words, this, [this, policy] { document_.apply(editOf(fmt::format("When a clock does not start: {}", nameOf(policy)), SetOnFailure{policy})); });
            action->setCheckable(true);
            action->setChecked(document_.snapshot().plan.onFailure == policy);
        }
    });
    QMenu* modes = clocks->addMenu("Low-power &modes");
    connect(modes, &QMenu::aboutToShow, this, [this, modes] {
        modes->clear();
        if (!document_.isOpen())
            return;
        for (const LowPowerMode& mode : document_.snapshot().device->modes)
            modes->addAction(QString::fromStdString(mode.name), this, [this, id = mode.id] { view_.jump({Place::Kind::Mode, id, {}}); });
    });
    add(clocks, "Export the &ladder\u2026", QKeySequence("Ctrl+Shift+G"), [this] { clocks_->exportPicture(); });

    QMenu* tuning = menuBar()->addMenu("&Tuning");
    add(tuning, "&Interrupts and DMA\u2026", QKeySequence("Ctrl+Shift+I"), [this] { showInterrupts(); });

    QMenu* stored = tuning->addMenu("&Non-volatile settings");
    connect(stored, &QMenu::aboutToShow, this, [this, stored] {
        stored->clear();
        if (!document_.isOpen())
            return;
        for (const std::string& id : storedIds(*document_.snapshot().device))
            stored->addAction(QString::fromStdString(id), this, [this, id] { view_.jump({Place::Kind::Stored, id, {}}); });
        if (stored->isEmpty())
            stored->addAction("The chip has none")->setEnabled(false);
    });

    QMenu* view = menuBar()->addMenu("&View");
    const char* names[kStations] = {"&Start", "&Wiring", "&Clocks", "&Tuning", "S&ource", "R&ehearsal"};
    for (int i = 0; i < kStations; ++i)
        add(view, names[i], QKeySequence(QString("Ctrl+%1").arg(i + 1)), [this, i] { showStation(Station(i)); });
    view->addSeparator();
    add(view, "Next &finding", QKeySequence("F8"), [this] { findings_->list()->step(1); });
    add(view, "Previous finding", QKeySequence("Shift+F8"), [this] { findings_->list()->step(-1); });
    add(view, "F&ix the finding\u2026", QKeySequence("Ctrl+."), [this] { findings_->list()->fixCurrent(); });
    add(view, "&Ways for the finding\u2026", QKeySequence("Ctrl+Shift+."), [this] { findings_->list()->waysForCurrent(); });
    add(view, "Findings open or shut", QKeySequence("F9"), [this] { findings_->setOpen(!findings_->isOpen()); });
    view->addSeparator();
    add(view, "Fit the picture", QKeySequence("Ctrl+0"), [this] { wiring_->chip()->fit(); });
    add(view, "Larger", QKeySequence::ZoomIn, [this] { wiring_->chip()->zoomBy(1.2); });
    add(view, "Smaller", QKeySequence::ZoomOut, [this] { wiring_->chip()->zoomBy(1 / 1.2); });
    view->addSeparator();
    add(view, "&Night fen", QKeySequence("Ctrl+Shift+N"), [this] { setDark(!Theme::get().dark); });

    QMenu* help = menuBar()->addMenu("&Help");
    add(help, "&Keys", QKeySequence("F1"), [this] { showKeys(); });
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
        say("There are no slow settings yet; keep the present ones as such, then change what is to differ.", true);
        return;
    }
    Plan swapped = withClockSet(plan, *plan.slow);
    swapped.slow = plan.clockSet();
    document_.apply(difference(plan, swapped, "Swap with the slow clock settings"));
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

QString MainWindow::message() const { return message_->text(); }

void MainWindow::say(const QString& message, bool trouble)
{
    restyle(message_, QString("color: %1; font-size: 11px").arg((trouble ? Theme::get().error : Theme::get().muted).name()));
    const QString text = typeset(message);
    message_->setText(text);
    message_->setToolTip(text);
}

void MainWindow::refresh()
{
    undo_->setEnabled(document_.canUndo());
    redo_->setEnabled(document_.canRedo());
    undo_->setText(document_.canUndo() ? "&Undo: " + document_.undoTitle() : QString("&Undo"));
    redo_->setText(document_.canRedo() ? "&Redo: " + document_.redoTitle() : QString("&Redo"));
    if (!document_.isOpen()) {
        setWindowTitle("Bindrel");
        return;
    }
    const Snapshot& s = document_.snapshot();
    setWindowTitle(QString("%1[*] \u2013 Bindrel").arg(document_.path().isEmpty() ? QString::fromStdString(s.plan.name) : QFileInfo(document_.path()).fileName()));
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

bool MainWindow::openPlan(const QString& path)
{
    if (const Outcome done = document_.open(path); !done) {
        say(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    rememberPlan(document_.path());
    showStation(Station::Wiring);
    if (!document_.deviceChanges().empty())
        QTimer::singleShot(0, this, &MainWindow::tellDeviceChanges);
    if (document_.recovered())
        QTimer::singleShot(0, this, &MainWindow::offerRecovered);
    if (!document_.damagedJournal().isEmpty())
        say("Unsaved work of an earlier session is damaged and cannot be read; it is kept as " + document_.damagedJournal(), true);
    return true;
}

void MainWindow::tellDeviceChanges()
{
    QStringList lines;
    for (const std::string& change : document_.deviceChanges())
        lines << QString::fromStdString(change);
    QMessageBox box(QMessageBox::NoIcon, "Changed device", QString("The file of %1 has changed since this plan was saved. What that changes here:").arg(QString::fromStdString(document_.snapshot().device->name)),
                    QMessageBox::Ok, this);
    // The first are seen at once; a long list scrolls.
    constexpr qsizetype kAtOnce = 8;
    box.setInformativeText(lines.mid(0, kAtOnce).join("\n") + (lines.size() > kAtOnce ? QString("\nand %1 more").arg(lines.size() - kAtOnce) : QString()));
    if (lines.size() > kAtOnce)
        box.setDetailedText(lines.join("\n"));
    box.setObjectName("deviceChanges");
    box.exec();
}

void MainWindow::offerRecovered()
{
    QMessageBox box(QMessageBox::NoIcon, "Unsaved work",
                    QString("An earlier session ended before this plan was saved; its last changes are of %1. Bring them back? They come as one step that can be undone. "
                            "Until you decide they are kept, whatever you do meanwhile.")
                        .arg(document_.recoveredWhen()),
                    QMessageBox::NoButton, this);
    QPushButton* yes = box.addButton("Bring them back", QMessageBox::AcceptRole);
    box.addButton("Drop them", QMessageBox::DestructiveRole);
    QPushButton* later = box.addButton("Decide later", QMessageBox::RejectRole);
    box.setDefaultButton(yes);
    box.exec();
    if (box.clickedButton() == later)
        return;
    if (box.clickedButton() == yes)
        document_.takeRecovered();
    else
        document_.dropRecovered();
}

void MainWindow::browse()
{
    if (!mayLeave())
        return;
    const QString path = QFileDialog::getOpenFileName(this, "Open a plan", QFileInfo(document_.path()).absolutePath(), "Plans (*.bindrel)");
    if (!path.isEmpty())
        openPlan(path);
}

bool MainWindow::save()
{
    if (!document_.isOpen())
        return false;
    if (document_.path().isEmpty())
        return saveAs();
    if (document_.onDisk() == Document::OnDisk::Changed && !settleDisk())
        return false;
    if (const Outcome done = document_.save(); !done) {
        say(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    rememberPlan(document_.path());
    say("Saved.", false);
    return true;
}

bool MainWindow::settleDisk()
{
    DiskDialog dialog(document_, this);
    if (dialog.exec() != QDialog::Accepted) {
        say("The plan and its file differ; saving will ask again.", true);
        return false;
    }
    const Outcome done = dialog.takesTheirs() ? document_.takeTheirs() : document_.save(Document::Overwrite::Yes);
    if (!done) {
        say(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    say(dialog.takesTheirs() ? "The plan is as it is on the disk; undo brings yours back." : "Saved over the other version.", false);
    return true;
}

void MainWindow::diskChanged()
{
    if (document_.onDisk() == Document::OnDisk::Gone) {
        say("The plan's file was removed by somebody else. Saving writes it again.", true);
        return;
    }
    if (document_.onDisk() == Document::OnDisk::Changed && !QApplication::activeModalWidget())
        settleDisk();
    else
        say("The plan's file was changed by somebody else; saving will ask what to keep.", true);
}

void MainWindow::offerNeverSaved()
{
    for (const Journal::Entry& entry : document_.neverSaved()) {
        QMessageBox box(QMessageBox::NoIcon, "Unsaved work", QString("A plan of %1 was never saved. Open it?").arg(entry.when), QMessageBox::NoButton, this);
        box.setObjectName("neverSaved");
        QPushButton* yes = box.addButton("Open it", QMessageBox::AcceptRole);
        QPushButton* drop = box.addButton("Drop it", QMessageBox::DestructiveRole);
        box.addButton("Decide later", QMessageBox::RejectRole);
        box.setDefaultButton(yes);
        box.exec();
        if (box.clickedButton() == drop)
            document_.dropNeverSaved(entry);
        if (box.clickedButton() != yes)
            continue;
        if (!mayLeave())
            return;
        if (const Outcome done = document_.openNeverSaved(entry); !done) {
            say(QString::fromStdString(done.problem().text()), true);
            continue;
        }
        showStation(Station::Wiring);
        return;
    }
}

bool MainWindow::saveAs()
{
    if (!document_.isOpen())
        return false;
    const QString suggested = document_.path().isEmpty() ? QString::fromStdString(document_.snapshot().plan.name) + ".bindrel" : document_.path();
    QString path = QFileDialog::getSaveFileName(this, "Save the plan", suggested, "Plans (*.bindrel)");
    if (path.isEmpty())
        return false;
    if (!path.endsWith(".bindrel"))
        path += ".bindrel";
    if (const Outcome done = document_.saveAs(path); !done) {
        say(QString::fromStdString(done.problem().text()), true);
        return false;
    }
    rememberPlan(document_.path());
    say("Saved.", false);
    return true;
}

bool MainWindow::mayLeave()
{
    if (!document_.isOpen() || !document_.unsaved())
        return true;
    QMessageBox box(QMessageBox::NoIcon, "Unsaved changes", QString("%1 has changes that are not saved.").arg(QString::fromStdString(document_.snapshot().plan.name)), QMessageBox::NoButton, this);
    QPushButton* keep = box.addButton("Save", QMessageBox::AcceptRole);
    QPushButton* drop = box.addButton("Drop the changes", QMessageBox::DestructiveRole);
    box.addButton("Stay here", QMessageBox::RejectRole);
    box.setDefaultButton(keep);
    box.exec();
    if (box.clickedButton() == keep)
        return save();
    if (box.clickedButton() != drop)
        return false;
    document_.clearJournal();
    return true;
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (mayLeave())
        event->accept();
    else
        event->ignore();
}

void MainWindow::fillHistory(QMenu* menu)
{
    menu->clear();
    const std::vector<std::string> titles = document_.undoTitles();
    if (titles.empty())
        menu->addAction("nothing to undo")->setEnabled(false);
    const size_t shown = std::min<size_t>(titles.size(), 15);
    for (size_t i = 0; i < shown; ++i) {
        const size_t steps = i + 1;
        connect(menu->addAction("Undo back to before: " + QString::fromStdString(titles[titles.size() - 1 - i])), &QAction::triggered, this, [this, steps] {
            for (size_t k = 0; k < steps; ++k)
                document_.undo();
        });
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

void MainWindow::showKeys()
{
    std::vector<std::pair<QString, QString>> rows;
    for (const QAction* menu : menuBar()->actions())
        for (const QAction* action : menu->menu()->actions())
            if (!action->shortcut().isEmpty())
                rows.emplace_back(action->shortcut().toString(QKeySequence::NativeText), action->text().remove('&').section(':', 0, 0));
    rows.emplace_back("Enter", "Needs: bind. Findings: jump. Ladder: type");
    rows.emplace_back("Space, 1 \u2026 9", "Needs: where the signal could go; take one");
    rows.emplace_back("Double click", "Picture: where the signal could go");
    rows.emplace_back("Shift + drop", "Picture: take a taken pad without making room");
    rows.emplace_back("F, + and \u2212", "Picture: fit, larger, smaller");
    rows.emplace_back("R, Shift+R", "Picture: turn by a quarter; as in the data sheet");
    rows.emplace_back("F2, Delete", "Pin sheet: edit, for all selected cells; back to the default");
    rows.emplace_back("Ctrl+C, Ctrl+V", "Pin sheet: copy, paste from a spreadsheet");
    rows.emplace_back("Esc", "Leave proposals and options; stop a search");
    rows.emplace_back("Delete", "Needs: unbind");
    rows.emplace_back("H", "Hold or let go, in needs and ladder");
    rows.emplace_back("48M Enter", "Type a rate on a clock for the ways to it; also >= 100 MHz, max; Shift+Enter adds a wish");
    rows.emplace_back("U, +, -, F", "Ladder: fold what is unused or alike, zoom the axis (also Ctrl and the wheel), fit it");
    rows.emplace_back("M", "Ladder: the low-power modes, one after another");
    rows.emplace_back("\u2190, \u2192, T, N, M", "Rehearsal: step, axis of time, next hazard, run the machine code");
    rows.emplace_back("F, W", "Findings: preview the fix; the ways that may mend it");
    // Two columns, so that the sheet fits under the smallest window.
    QString text = "<table cellspacing='4'>";
    const size_t half = (rows.size() + 1) / 2;
    const auto cell = [&rows](size_t i) {
        return i < rows.size() ? QString("<td align='right' style='white-space:pre; padding-left:14px'><b>%1</b></td><td style='white-space:pre'>%2</td>").arg(rows[i].first.toHtmlEscaped(), rows[i].second.toHtmlEscaped())
                               : QString();
    };
    for (size_t i = 0; i < half; ++i)
        text += "<tr>" + cell(i) + cell(half + i) + "</tr>";
    QMessageBox box(QMessageBox::NoIcon, "Keys", text + "</table>", QMessageBox::Close, this);
    box.exec();
}

} // namespace bindrel
