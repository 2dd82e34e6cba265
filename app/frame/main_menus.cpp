// SPDX-License-Identifier: GPL-3.0-or-later
// The menus of the window and the sheet of keys.
#include "app/frame/main_window.h"

#include "app/board/board_station.h"
#include "app/clocks/clocks_station.h"
#include "app/frame/disk_dialog.h"
#include "app/frame/findings_drawer.h"
#include "app/frame/inspector.h"
#include "app/frame/masthead.h"
#include "app/frame/move_dialog.h"
#include "app/rehearsal/rehearsal_station.h"
#include "app/session/path_text.h"
#include "app/source/source_station.h"
#include "app/start/start_station.h"
#include "app/theme/theme.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/interrupts_dialog.h"
#include "app/tuning/tuning_station.h"
#include "app/tuning/waveform_view.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/wiring_station.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/interchange/register_sheet.h"
#include "core/plan/clock_set.h"
#include "core/plan/stored_settings.h"

#include <fmt/format.h>

#include <QApplication>
#include <QCloseEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QPointer>
#include <QSettings>
#include <QShortcut>
#include <QStackedWidget>
#include <QTimer>
#include <QVBoxLayout>

#include <algorithm>

namespace bindrel {

QAction* MainWindow::addEntry(QMenu* menu, const QString& text, const QKeySequence& key, std::function<void()> slot)
{
    QAction* action = menu->addAction(text);
    action->setShortcut(key);
    entries_.insert(QString(text).remove('&'), action);
    // Whatever the entry does, it does it to the plan as the person has typed it.
    connect(action, &QAction::triggered, this, [this, slot = std::move(slot)] {
        if (view_.pending().settle())
            slot();
    });
    return action;
}

void MainWindow::buildMenus()
{
    buildPlanMenu();
    buildEditMenu();
    buildWiringMenu();
    buildClocksMenu();
    buildTuningMenu();
    buildViewMenu();
    buildHelpMenu();
}

void MainWindow::buildPlanMenu()
{
    QMenu* plan = menuBar()->addMenu(say("&Plan"));
    addEntry(plan, say("&New or example\u2026"), QKeySequence::New, [this] { showStation(Station::Start); });
    addEntry(plan, say("&Open\u2026"), QKeySequence::Open, [this] { browse(); });
    recent_ = plan->addMenu(say("&Recent"));
    connect(recent_, &QMenu::aboutToShow, this, [this] {
        recent_->clear();
        for (const QString& path : recentPlans())
            connect(recent_->addAction(path), &QAction::triggered, this, [this, path] {
                if (mayLeave())
                    openPlan(path);
            });
        if (recent_->isEmpty())
            recent_->addAction(say("none yet"))->setEnabled(false);
    });
    plan->addSeparator();
    addEntry(plan, say("&Save"), QKeySequence::Save, [this] { save(); });
    addEntry(plan, say("Save &as\u2026"), QKeySequence("Ctrl+Shift+S"), [this] { saveAs(); });
    plan->addSeparator();
    addEntry(plan, say("Save the &board as a file\u2026"), {}, [this] { board_->askForFile(); });
    addEntry(plan, say("&Change chip or board\u2026"), QKeySequence("Ctrl+Shift+D"), [this] { changeDevice(); });
    plan->addSeparator();
    addEntry(plan, say("&Write source\u2026"), QKeySequence("Ctrl+Return"), [this] {
        showStation(Station::Source);
        source_->write();
    });
    addEntry(plan, say("B&uild the source"), QKeySequence("Ctrl+Shift+Return"), [this] {
        showStation(Station::Source);
        source_->build();
    });
    addEntry(plan, say("&Earlier texts of the source\u2026"), {}, [this] {
        showStation(Station::Source);
        source_->showEarlier();
    });
    addEntry(plan, say("E&xport the register values\u2026"), {}, [this] { exportRegisters(); });
    addEntry(plan, say("Pro&ject layout\u2026"), {}, [this] { source_->askForLayout(); });
    QMenu* left = plan->addMenu(say("&Leave out of the source"));
    connect(left, &QMenu::aboutToShow, this, [this, left] { fillLeftOut(left); });
    plan->addSeparator();
    connect(plan->addAction(say("&Quit")), &QAction::triggered, this, &QWidget::close); // asks for what is typed itself
    plan->actions().last()->setShortcut(QKeySequence::Quit);
}

/// The parts of the project that a team may have of its own; what is checked is not written.
void MainWindow::fillLeftOut(QMenu* menu)
{
    menu->clear();
    if (!document_.isOpen())
        return;
    const Plan& plan = document_.snapshot().plan;
    const auto add = [this](QMenu* to, const QString& words, bool isOut, std::function<void()> change) {
        QAction* action = to->addAction(words, this, std::move(change));
        action->setCheckable(true);
        action->setChecked(isOut);
    };
    for (const std::string& name : outputPartNames()) {
        const OutputPart part = *outputPartOf(name);
        QString words = say(name);
        words[0] = words[0].toUpper();
        add(menu, words, plan.leftOut.contains(part), [this, part] {
            const Plan& now = document_.snapshot().plan;
            SetLeftOut change{now.leftOut, now.leftOutKinds};
            const bool out = change.parts.erase(part) == 0;
            if (out)
                change.parts.insert(part);
            document_.apply(
                editOf(say("{} the {}", out ? say("Leave out") : say("Write"), nameOf(part)), std::move(change)));
        });
    }
    if (plan.needs.empty())
        return;
    menu->addSeparator();
    QMenu* needs = menu->addMenu(say("&Needs with your own driver"));
    QMenu* ofKinds = menu->addMenu(say("&Kinds with your own driver"));
    for (const Need& need : plan.needs)
        add(needs, QString::fromStdString(need.title).replace("&", "&&"), need.leftOut,
            [this, id = need.id] { toggleLeftOut(id); });
    for (const KindSpec& kind : kinds()) {
        if (std::none_of(plan.needs.begin(), plan.needs.end(),
                         [&kind](const Need& need) { return need.kind == kind.id; }) &&
            !plan.leftOutKinds.contains(kind.id))
            continue;
        add(ofKinds, QString::fromStdString(say(kind.title)).replace("&", "&&"), plan.leftOutKinds.contains(kind.id),
            [this, id = std::string(kind.id), title = std::string(say(kind.title))] {
                const Plan& now = document_.snapshot().plan;
                SetLeftOut change{now.leftOut, now.leftOutKinds};
                const bool out = change.kinds.erase(id) == 0;
                if (out)
                    change.kinds.insert(id);
                document_.apply(editOf(say("{} needs of kind {}", out ? say("Leave out") : say("Write"), title),
                                       std::move(change)));
            });
    }
}

/// For people with drivers of their own: a header of C, a table or JSON, by the name's ending.
void MainWindow::exportRegisters()
{
    if (!document_.isOpen() || !view_.pending().settle())
        return;
    const QString path =
        QFileDialog::getSaveFileName(this, say("Export the register values"),
                                     QString::fromStdString(document_.snapshot().source().prefix) + "_values.h",
                                     say("C header (*.h);;Comma-separated values (*.csv);;JSON (*.json)"));
    if (path.isEmpty())
        return;
    const InEnglish whileWriting;
    const std::shared_ptr<const Snapshot> snapshot = document_.snapshot().inEnglish();
    const Facts facts = snapshot->facts();
    const std::string text = path.endsWith(".csv")    ? registerSheetCsv(facts)
                             : path.endsWith(".json") ? registerSheetJson(facts)
                                                      : registerSheetHeader(facts);
    if (const Outcome done = writeFileAtomically(pathOf(path), text); !done)
        Q_EMIT document_.refused(QString::fromStdString(done.problem().text()));
}

/// Whether the user's own code drives a need.
void MainWindow::toggleLeftOut(const std::string& id)
{
    const Need* now = document_.snapshot().plan.need(id);
    if (!now)
        return;
    Need with = *now;
    with.leftOut = !now->leftOut;
    document_.apply(editOf(fmt::format("{} {}", with.leftOut ? say("Leave out") : say("Write"), with.title),
                           ReplaceNeed{id, with}));
}

void MainWindow::buildEditMenu()
{
    QMenu* edit = menuBar()->addMenu(say("&Edit"));
    undo_ = addEntry(edit, say("&Undo"), QKeySequence("Ctrl+Z"), [this] { document_.undo(); });
    redo_ = addEntry(edit, say("&Redo"), QKeySequence("Ctrl+Shift+Z"), [this] { document_.redo(); });
    QMenu* history = edit->addMenu(say("&History"));
    connect(history, &QMenu::aboutToShow, this, [this, history] { fillHistory(history); });
    edit->addSeparator();
    addEntry(edit, say("&Go to\u2026"), QKeySequence("Ctrl+K"), [this] { masthead_->gotoField()->begin(); });
}

void MainWindow::buildWiringMenu()
{
    QMenu* wiring = menuBar()->addMenu(say("&Wiring"));
    addEntry(wiring, say("A&dd a need\u2026"), QKeySequence("Ctrl+Shift+A"), [this] {
        showStation(Station::Wiring);
        wiring_->addNeed();
    });
    addEntry(wiring, say("Add a &part\u2026"), QKeySequence("Ctrl+Shift+L"), [this] {
        showStation(Station::Wiring);
        wiring_->addPart();
    });
    addEntry(wiring, say("&Edit the selected need\u2026"), QKeySequence("Ctrl+E"), [this] { wiring_->editNeed(); });
    addEntry(wiring, say("&Copy the selected need"), QKeySequence("Ctrl+D"), [this] { wiring_->copyNeed(); });
    addEntry(wiring, say("&Remove the selected need"), QKeySequence("Ctrl+Delete"),
             [this] { wiring_->removeSelected(); });
    wiring->addSeparator();
    addEntry(wiring, say("&Bind the selected need"), QKeySequence("Ctrl+B"), [this] { wiring_->bindSelected(); });
    addEntry(wiring, say("Bind &all open needs"), QKeySequence("Ctrl+Shift+B"), [this] { wiring_->bindAll(); });
    addEntry(wiring, say("Un&tangle"), QKeySequence("Ctrl+U"), [this] {
        showStation(Station::Wiring);
        wiring_->untangle();
    });
    addEntry(wiring, say("&Unbind the selected need"), QKeySequence("Ctrl+Shift+Backspace"),
             [this] { wiring_->unbindSelected(); });
    addEntry(wiring, say("Show &options of the signal"), QKeySequence("Ctrl+Space"),
             [this] { wiring_->toggleOptions(); });
    addEntry(wiring, say("Other &instance\u2026"), QKeySequence("Ctrl+I"),
             [this] { inspector_->askInstance(view_.selectedNeed()); });
    addEntry(wiring, say("&Hold or release"), QKeySequence("Ctrl+H"), [this] { wiring_->holdSelected(); });
    wiring->addSeparator();
    addEntry(wiring, say("Pin &sheet or picture"), QKeySequence("Ctrl+Shift+P"), [this] {
        showStation(Station::Wiring);
        wiring_->toggleSheet();
    });
    addEntry(wiring, say("Take &nets from a netlist or table\u2026"), QKeySequence("Ctrl+Shift+T"),
             [this] { wiring_->readNetsFromFile(); });
    addEntry(wiring, say("Paste nets or a table"), QKeySequence("Ctrl+Shift+V"), [this] { pasteTable(); });
    addEntry(wiring, say("Export the picture\u2026"), QKeySequence("Ctrl+Shift+E"),
             [this] { wiring_->exportPicture(); });
    addEntry(wiring, say("Export the pin sheet\u2026"), QKeySequence("Ctrl+Shift+X"),
             [this] { wiring_->exportSheet(); });
    addEntry(wiring, say("Export the pins by net\u2026"), QKeySequence("Ctrl+Alt+X"),
             [this] { wiring_->exportNets(); });
}

void MainWindow::buildClocksMenu()
{
    QMenu* clocks = menuBar()->addMenu(say("&Clocks"));
    addEntry(clocks, say("&Repair limits and goals"), QKeySequence("Ctrl+Shift+R"), [this] {
        showStation(Station::Clocks);
        clocks_->reach()->repair();
    });
    addEntry(clocks, say("Save as &low-speed clock set"), QKeySequence("Ctrl+Shift+K"), [this] {
        if (document_.isOpen())
            document_.apply(editOf(say("Save as low-speed clock set"), SetSlow{document_.snapshot().plan.clockSet()}));
    });
    addEntry(clocks, say("S&wap with the low-speed clock set"), QKeySequence("Ctrl+Shift+W"), [this] { swapClocks(); });
    addEntry(clocks, say("Discard the low-speed clock set"), QKeySequence(), [this] {
        if (document_.isOpen() && document_.snapshot().plan.slow)
            document_.apply(editOf(say("Discard the low-speed clock set"), SetSlow{std::nullopt}));
    });
    QMenu* failing = clocks->addMenu(say("If a clock fails to &start"));
    connect(failing, &QMenu::aboutToShow, this, [this, failing] {
        failing->clear();
        if (!document_.isOpen())
            return;
        const std::pair<OnFailure, const char*> choices[] = {
            {OnFailure::Stop, say("&Stop with an error, pads at safe levels")},
            {OnFailure::GoOn, say("&Continue without it")},
            {OnFailure::FallBack, say("&Fall back to the low-speed clocks")}};
        for (const auto& [policy, words] : choices) {
            QAction* action = failing->addAction(words, this, [this, policy = policy] {
                document_.apply(editOf(say("If a clock fails to start: {}", nameOf(policy)), SetOnFailure{policy}));
            });
            action->setCheckable(true);
            action->setChecked(document_.snapshot().plan.onFailure == policy);
        }
    });
    QMenu* modes = clocks->addMenu(say("Low-power &modes"));
    connect(modes, &QMenu::aboutToShow, this, [this, modes] {
        modes->clear();
        if (!document_.isOpen())
            return;
        for (const LowPowerMode& mode : document_.snapshot().device->modes)
            modes->addAction(QString::fromStdString(mode.name), this, [this, id = mode.id] {
                view_.jump({Place::Kind::Mode, id, {}});
            });
    });
    addEntry(clocks, say("Export the &ladder\u2026"), QKeySequence("Ctrl+Shift+G"),
             [this] { clocks_->exportPicture(); });
}

void MainWindow::buildTuningMenu()
{
    QMenu* tuning = menuBar()->addMenu(say("&Tuning"));
    addEntry(tuning, say("&Interrupts and DMA\u2026"), QKeySequence("Ctrl+Shift+I"), [this] { showInterrupts(); });
    addEntry(tuning, say("Take over &registers from a file\u2026"), QKeySequence("Ctrl+Shift+O"),
             [this] { tuning_->adoptFromFile(); });
    addEntry(tuning, say("&Paste register values"), QKeySequence(), [this] { tuning_->adoptFromClipboard(); });
    tuning->addSeparator();
    addEntry(tuning, say("Export the &waveform\u2026"), QKeySequence(), [this] {
        showStation(Station::Tuning);
        tuning_->exportPicture();
    });
    addEntry(tuning, say("&Copy the waveform"), QKeySequence(), [this] {
        showStation(Station::Tuning);
        tuning_->picture()->copyPicture();
    });

    QMenu* stored = tuning->addMenu(say("&Non-volatile settings"));
    connect(stored, &QMenu::aboutToShow, this, [this, stored] { fillStored(stored); });
}

void MainWindow::buildViewMenu()
{
    QMenu* view = menuBar()->addMenu(say("&View"));
    const char* names[kStations] = {say("&Start"),  say("&Wiring"),    say("&Clocks"), say("&Tuning"),
                                    say("S&ource"), say("R&ehearsal"), say("&Board")};
    for (int i = 0; i < kStations; ++i)
        addEntry(view, names[i], QKeySequence(QString("Ctrl+%1").arg(i + 1)), [this, i] { showStation(Station(i)); });
    view->addSeparator();
    addEntry(view, say("Next &finding"), QKeySequence("F8"), [this] { findings_->list()->step(1); });
    addEntry(view, say("Previous finding"), QKeySequence("Shift+F8"), [this] { findings_->list()->step(-1); });
    addEntry(view, say("F&ix the finding\u2026"), QKeySequence("Ctrl+."), [this] { findings_->list()->fixCurrent(); });
    addEntry(view, say("Find &solutions\u2026"), QKeySequence("Ctrl+Shift+."),
             [this] { findings_->list()->waysForCurrent(); });
    addEntry(view, say("Show or hide the findings"), QKeySequence("F9"),
             [this] { findings_->setOpen(!findings_->isOpen()); });
    view->addSeparator();
    addEntry(view, say("Fit the picture"), QKeySequence("Ctrl+0"), [this] { wiring_->chip()->fit(); });
    addEntry(view, say("Larger"), QKeySequence::ZoomIn, [this] { wiring_->chip()->zoomBy(1.2); });
    addEntry(view, say("Smaller"), QKeySequence::ZoomOut, [this] { wiring_->chip()->zoomBy(1 / 1.2); });
    view->addSeparator();
    addEntry(view, say("&Dark theme"), QKeySequence("Ctrl+Shift+N"), [this] { setDark(!Theme::get().dark); });
}

void MainWindow::buildHelpMenu()
{
    masthead_->gotoField()->setCommands([this] { return commands(); });
    QMenu* help = menuBar()->addMenu(say("&Help"));
    addEntry(help, say("&Keys"), QKeySequence("F1"), [this] { showKeys(); });
}

/// A menu for each setting in the chip's non-volatile memory, with its values.
void MainWindow::fillStored(QMenu* menu)
{
    menu->clear();
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    for (const std::string& id : storedIds(*s.device)) {
        QMenu* one = menu->addMenu(QString::fromStdString(id));
        const auto chosen = s.plan.stored.find(id);
        const auto offer = [&](const std::string& words, const std::optional<std::string>& value) {
            QAction* action = one->addAction(typeset(words), this, [this, id, value] {
                document_.apply(editOf(id + (value ? " = " + *value : say(": factory default")), SetStored{id, value}));
                view_.jump({Place::Kind::Stored, id, {}});
            });
            action->setCheckable(true);
            action->setChecked(value ? chosen != s.plan.stored.end() && chosen->second == *value
                                     : chosen == s.plan.stored.end());
        };
        offer(say("factory default"), std::nullopt);
        for (const EnumValue& value : findStored(*s.device, id)->bits.values)
            offer(value.name, value.name);
        one->addSeparator();
        one->addAction(say("Show it"), this, [this, id] { view_.jump({Place::Kind::Stored, id, {}}); });
    }
    if (menu->isEmpty())
        menu->addAction(say("The chip has none"))->setEnabled(false);
}

void MainWindow::fillHistory(QMenu* menu)
{
    menu->clear();
    const std::vector<std::string> titles = document_.undoTitles();
    if (titles.empty())
        menu->addAction(say("nothing to undo"))->setEnabled(false);
    const size_t shown = std::min<size_t>(titles.size(), 15);
    for (size_t i = 0; i < shown; ++i) {
        const size_t steps = i + 1;
        connect(menu->addAction(say("Undo back to before: ") + QString::fromStdString(titles[titles.size() - 1 - i])),
                &QAction::triggered, this, [this, steps] {
                    for (size_t k = 0; k < steps; ++k)
                        document_.undo();
                });
    }
}

std::vector<GotoTarget> MainWindow::commands() const
{
    std::vector<GotoTarget> out;
    for (auto entry = entries_.begin(); entry != entries_.end(); ++entry) {
        GotoTarget target;
        target.label = entry.key().toStdString();
        target.kind = "command";
        target.hint = entry.value()->shortcut().toString(QKeySequence::NativeText).toStdString();
        target.run = [action = QPointer<QAction>(entry.value())] {
            if (action)
                action->trigger();
        };
        out.push_back(std::move(target));
    }
    std::sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.label < b.label; });
    return out;
}

void MainWindow::showKeys()
{
    std::vector<std::pair<QString, QString>> rows;
    for (const QAction* menu : menuBar()->actions())
        for (const QAction* action : menu->menu()->actions())
            if (!action->shortcut().isEmpty())
                rows.emplace_back(action->shortcut().toString(QKeySequence::NativeText),
                                  action->text().remove('&').section(':', 0, 0));
    rows.emplace_back(say("Enter"), say("Needs: bind. Findings: jump. Ladder: type"));
    rows.emplace_back(say("Space, 1 \u2026 9"), say("Needs: possible pads of the signal; apply one"));
    rows.emplace_back(say("Double click"), say("Picture: possible pads of the signal"));
    rows.emplace_back(say("Shift + drop"), say("Picture: use an occupied pad without making room"));
    rows.emplace_back(say("F, + and \u2212"), say("Picture: fit, larger, smaller"));
    rows.emplace_back(say("R, Shift+R"), say("Picture: turn by a quarter; as in the data sheet"));
    rows.emplace_back(say("F2, Delete"), say("Pin sheet: edit all selected cells; restore the default"));
    rows.emplace_back(say("Ctrl+C, Ctrl+V"), say("Pin sheet: copy, paste from a spreadsheet"));
    rows.emplace_back(say("Esc"), say("Close solutions and options; stop a search"));
    rows.emplace_back(say("Delete"), say("Needs: unbind"));
    rows.emplace_back("H", say("Hold or release, in needs and ladder"));
    rows.emplace_back(
        say("48M Enter"),
        say("Type a rate on a clock to find settings for it; also >= 100 MHz, max; Shift+Enter adds a target"));
    rows.emplace_back("\u2191, \u2193", say("Goals: the next value that the hardware can make"));
    rows.emplace_back("\u2191, \u2193, \u2190, \u2192",
                      say("Waveform: choose a handle, step its goal; +, \u2212, 0 zoom (also the wheel)"));
    rows.emplace_back(say("F2, Del"), say("Bits: change a field or register; drop what is set by hand"));
    rows.emplace_back("U, +, -, F",
                      say("Ladder: fold unused or equal clocks, zoom the axis (also Ctrl+wheel), fit it"));
    rows.emplace_back("M", say("Ladder: step through the low-power modes"));
    rows.emplace_back("\u2190, \u2192, T, N, M",
                      say("Rehearsal: step, axis of time, next hazard, run the machine code"));
    rows.emplace_back("F, W", say("Findings: preview the fix; find solutions"));
    // Two columns, so that the sheet fits under the smallest window.
    QString text = "<table cellspacing='4'>";
    const size_t half = (rows.size() + 1) / 2;
    const auto cell = [&rows](size_t i) {
        return i < rows.size() ? QString("<td align='right' style='white-space:pre; "
                                         "padding-left:14px'><b>%1</b></td><td style='white-space:pre'>%2</td>")
                                     .arg(rows[i].first.toHtmlEscaped(), rows[i].second.toHtmlEscaped())
                               : QString();
    };
    for (size_t i = 0; i < half; ++i)
        text += "<tr>" + cell(i) + cell(half + i) + "</tr>";
    QMessageBox box(QMessageBox::NoIcon, say("Keys"), text + "</table>", QMessageBox::Close, this);
    box.exec();
}

} // namespace bindrel
