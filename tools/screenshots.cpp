// SPDX-License-Identifier: GPL-3.0-or-later
// Takes a picture of each main view from the demo data: bindrel-screenshots EXAMPLES OUTPUT [NAME …]
// Runs with the offscreen platform unless QT_QPA_PLATFORM says otherwise; the window is 1280 x 800.
#include "app/clocks/clocks_station.h"
#include "app/frame/findings_drawer.h"
#include "app/frame/main_window.h"
#include "app/frame/disk_dialog.h"
#include "app/frame/move_dialog.h"
#include "app/source/file_list.h"
#include "app/rehearsal/operations_list.h"
#include "app/rehearsal/rehearsal_station.h"
#include "app/rehearsal/scenario_list.h"
#include "app/rehearsal/timeline_view.h"
#include "app/source/source_station.h"
#include "app/start/start_station.h"
#include "app/theme/theme.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/wiring_station.h"

#include <QKeyEvent>
#include <QApplication>
#include <QCheckBox>
#include <QDir>
#include <QPushButton>
#include <QLineEdit>
#include <QStandardPaths>
#include <QTableView>
#include <QTemporaryDir>
#include <QThread>

#include <cstdio>
#include <functional>

using namespace bindrel;

namespace {

struct Scene {
    const char* name;
    std::function<void(MainWindow&)> arrange;
};

QString g_examples;

/// A search is answered when it is done.
void waitForProposals(MainWindow& w)
{
    for (int i = 0; i < 500 && !w.wiring()->proposing(); ++i) {
        QApplication::processEvents();
        QThread::msleep(10);
    }
}

void open(MainWindow& w, const char* plan) { w.openPlan(g_examples + "/" + plan); }
void chooseScenario(MainWindow& w, const QString& title)
{
    ScenarioList& list = *w.rehearsal()->scenarios();
    for (int row = 0; row < list.rowCount(); ++row)
        if (list.rowText(row).startsWith(title)) {
            list.setCurrentRow(row);
            Q_EMIT list.currentChanged(row);
        }
}

void select(MainWindow& w, Place::Kind kind, const char* id, const char* sub = "") { w.view().select({kind, id, sub}); }

/// What runs beside the interface is given up to twenty seconds.
void waitFor(const std::function<bool()>& there)
{
    for (int i = 0; i < 2000 && !there(); ++i) {
        QApplication::processEvents();
        QThread::msleep(10);
    }
}

const std::vector<Scene>& scenes()
{
    static const std::vector<Scene> all{
        {"start", [](MainWindow&) {}},
        {"wiring-open", [](MainWindow& w) { open(w, "sluice-node-c-start.bindrel"); }},
        {"wiring", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             select(w, Place::Kind::Need, "uplink");
         }},
        {"wiring-options", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             select(w, Place::Kind::Signal, "uplink", "cts");
             w.view().showOptions(true);
             waitFor([&w] { // until each option has its price
                 const std::vector<Option>& found = w.options()->options();
                 return !found.empty() && std::none_of(found.begin(), found.end(), [](const Option& option) { return option.cost == Option::Cost::Contends; });
             });
         }},
        {"wiring-contention", [](MainWindow& w) {
             open(w, "sluice-node-c-tangled.bindrel");
             w.findings()->list()->setCurrentRow(0);
         }},
        {"untangle", [](MainWindow& w) {
             open(w, "sluice-node-c-tangled.bindrel");
             w.wiring()->untangle();
             waitForProposals(w);
         }},
        {"wiring-drag", [](MainWindow& w) {
             open(w, "sluice-node-c-start.bindrel");
             ChipView* chip = w.wiring()->chip();
             select(w, Place::Kind::Need, "level-probes");
             chip->dragOver({Place::Kind::Signal, "level-probes", "scl"}, chip->pinPosition("PB8") + QPointF(2, 3));
         }},
        {"room", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             ChipView* chip = w.wiring()->chip();
             select(w, Place::Kind::Signal, "uplink", "rts");
             chip->dragOver({Place::Kind::Signal, "uplink", "rts"}, chip->pinPosition("PB9") + QPointF(2, 3));
         }},
        {"parts", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.wiring()->addPart();
             waitForProposals(w);
             w.wiring()->partFilter()->setText("radio");
         }},
        {"pin-sheet", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.document().apply(editOf("x", SetPin{"log-flash", "sck", "drive", "strong"}));
             w.document().apply(editOf("x", SetPin{"log-flash", "sck", "name", "FLASH_CLK"}));
             w.wiring()->toggleSheet();
             select(w, Place::Kind::Pad, "PA6", "log-flash");
         }},
        {"pad-findings", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.document().apply(editOf("x", SetPin{"log-flash", "sck", "drive", "weak"}));
             w.document().apply(editOf("x", SetGoal{"frost-heater", "level", "high"}));
             select(w, Place::Kind::Signal, "log-flash", "sck");
         }},
        {"rehearsal", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.document().apply(editOf("x", SetMode{"STOP", true}));
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             w.rehearsal()->timeline()->setFocus();
             for (int i = 0; i < 50; ++i)
                 QApplication::postEvent(w.rehearsal()->timeline(), new QKeyEvent(QEvent::KeyPress, Qt::Key_Right, Qt::NoModifier));
             QApplication::processEvents();
             w.rehearsal()->runMachineCode();
             waitFor([&w] { return w.rehearsal()->verdict()->text().contains("writes"); });
         }},
        {"rehearsal-hazard", [](MainWindow& w) {
             open(w, "sluice-node-c-tangled.bindrel");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             const int row = w.rehearsal()->operations()->nextHazard(1);
             w.rehearsal()->operations()->setCurrentRow(row);
             Q_EMIT w.rehearsal()->operations()->currentChanged(row);
         }},
        {"rehearsal-ditch", [](MainWindow& w) {
             open(w, "ditch-meter-d-done.bindrel");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             chooseScenario(w, "High crystal never");
         }},
        {"rehearsal-rain", [](MainWindow& w) {
             open(w, "rain-post-b-done.bindrel");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
         }},
        {"rehearsal-pump", [](MainWindow& w) {
             open(w, "pump-hall-a-done.bindrel");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             w.rehearsal()->timeline()->setTimeAxis(true);
         }},
        {"night-rehearsal", [](MainWindow& w) {
             w.setDark(true);
             open(w, "ditch-meter-d-done.bindrel");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             chooseScenario(w, "High crystal fails");
         }},
        {"turned", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.wiring()->chip()->turn();
         }},
        {"grid-near", [](MainWindow& w) {
             open(w, "pump-hall-a-grid.bindrel");
             w.wiring()->chip()->zoomBy(2.4);
         }},
        {"grid-far", [](MainWindow& w) {
             open(w, "pump-hall-a-grid.bindrel");
             w.wiring()->chip()->zoomBy(0.55);
         }},
        {"night-sheet", [](MainWindow& w) {
             w.setDark(true);
             open(w, "sluice-node-c-tangled.bindrel");
             w.wiring()->toggleSheet();
             select(w, Place::Kind::Pad, "PD3", "uplink");
         }},
        {"night-tangled", [](MainWindow& w) {
             w.setDark(true);
             open(w, "sluice-node-c-tangled.bindrel");
         }},
        {"change-chip", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             auto* dialog = new MoveDialog(w.document(), &w);
             dialog->show();
             dialog->showDevice("RL1224-Q48");
             for (int i = 0; i < 300 && !dialog->shown(); ++i) {
                 QApplication::processEvents();
                 QThread::msleep(10);
             }
         }},
        {"chips", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Start);
             w.start()->chips()->mustFit()->setChecked(true);
             for (int i = 0; i < 100; ++i) {
                 QApplication::processEvents();
                 QThread::msleep(10);
             }
             w.start()->chips()->table()->selectRow(0);
             w.start()->chips()->table()->selectionModel()->select(w.start()->chips()->table()->model()->index(6, 0), QItemSelectionModel::Select | QItemSelectionModel::Rows);
         }},
        {"clocks", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "DRIVEK");
         }},
        {"clocks-broken", [](MainWindow& w) {
             open(w, "sluice-node-c-tangled.bindrel");
             w.showStation(Station::Clocks);
         }},
        {"clocks-reach", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Clocks);
             const Device& device = *w.document().snapshot().device;
             select(w, Place::Kind::Clock, "CANK");
             w.clocks()->reach()->want(*readReachTarget(device, "USBK=48MHz\u00b10.25%"), false);
             w.clocks()->reach()->want(*readReachTarget(device, "CANK=40MHz"), true);
             for (int waits = 0; waits < 200 && w.clocks()->reach()->isHidden(); ++waits) {
                 QThread::msleep(10);
                 QCoreApplication::processEvents();
             }
             w.clocks()->reach()->list()->setCurrentRow(2);
             Q_EMIT w.clocks()->reach()->list()->hovered(2);
             waitFor([&w] { return !w.clocks()->reach()->verdict().startsWith("Rehearsing"); });
         }},
        {"clocks-impossible", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "SYS");
             w.clocks()->reach()->want(*readReachTarget(*w.document().snapshot().device, "SYS=200MHz"), false);
             for (int waits = 0; waits < 200 && w.clocks()->reach()->isHidden(); ++waits) {
                 QThread::msleep(10);
                 QCoreApplication::processEvents();
             }
         }},
        {"clocks-mode", [](MainWindow& w) {
             open(w, "rain-post-b-done.bindrel");
             w.document().apply(editOf("Enter Deep", SetMode{"DEEP", true}));
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Mode, "DEEP");
         }},
        {"clocks-hush", [](MainWindow& w) {
             open(w, "pump-hall-a-done.bindrel");
             w.document().apply(editOf("Enter Hush", SetMode{"HUSH", true}));
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Mode, "HUSH");
         }},
        {"stored", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.document().apply(editOf("x", SetStored{"BOOT.LEVEL", "2.4 V"}));
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Stored, "BOOT.LEVEL");
         }},
        {"plan-page", [](MainWindow& w) {
             open(w, "rain-post-b-done.bindrel");
             w.showStation(Station::Wiring);
         }},
        {"reached-by", [](MainWindow& w) {
             open(w, "pump-hall-a-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "level");
         }},
        {"clocks-accuracy", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.document().apply(editOf("USB from its oscillator", SetClock{"UOSC", std::nullopt}));
             w.document().apply(editOf("USB from its oscillator", SetClock{"USBK", "UOSC"}));
             w.document().apply(editOf("CAN from inside", SetClock{"CANK", "HFI"}));
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "USBK");
         }},
        {"tuning", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "gate-bridge");
             w.tuning()->goals()->focusGoal("dead");
         }},
        {"tuning-can", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "moss-bus");
         }},
        {"tuning-adc", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "supply-sense");
         }},
        {"tuning-display", [](MainWindow& w) {
             open(w, "rain-post-b-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "display");
         }},
        {"tuning-watchdog", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.document().apply(editOf("x", SetGoal{"watchdog", "window", "50 %"}));
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "watchdog");
         }},
        {"tuning-uart", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "uplink");
         }},
        {"tuning-spi", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Tuning);
             w.document().apply(editOf("", SetGoal{"log-flash", "valid", "8 ns"}));
             select(w, Place::Kind::Need, "log-flash");
         }},
        {"tuning-i2c", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "level-probes");
         }},
        {"tuning-gpio", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "lid-switch");
         }},
        {"source", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Source);
             select(w, Place::Kind::Need, "gate-bridge");
             w.source()->folder()->setText("firmware/sluice");
             w.source()->files()->setCurrentRow(6);
             Q_EMIT w.source()->files()->currentChanged(6);
         }},
        {"changed-on-disk", [](MainWindow& w) {
             open(w, "sluice-node-c-done.bindrel");
             w.document().apply(editOf("", SetClock{"BUS1", "4"}));
             Plan theirs = w.document().snapshot().plan;
             theirs.supply = "3.2 V";
             theirs.clocks["BUS1"] = "2";
             (void)savePlan(theirs, w.document().path().toStdString());
             auto* dialog = new DiskDialog(w.document(), &w);
             dialog->show();
             dialog->compare()->click();
         }},
        {"wiring-rain", [](MainWindow& w) {
             open(w, "rain-post-b-done.bindrel");
             select(w, Place::Kind::Need, "radio");
         }},
        {"wiring-pump", [](MainWindow& w) {
             open(w, "pump-hall-a-done.bindrel");
             select(w, Place::Kind::Need, "pump");
         }},
        {"wiring-grid", [](MainWindow& w) {
             open(w, "pump-hall-a-grid.bindrel");
             select(w, Place::Kind::Need, "pump");
         }},
        {"wiring-ditch", [](MainWindow& w) {
             open(w, "ditch-meter-d-done.bindrel");
             select(w, Place::Kind::Need, "fence-bus");
         }},
        {"clocks-rain", [](MainWindow& w) {
             open(w, "rain-post-b-done.bindrel");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "RCO");
         }},
        {"clocks-pump", [](MainWindow& w) {
             open(w, "pump-hall-a-done.bindrel");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "R.VCO");
         }},
        {"clocks-folded", [](MainWindow& w) {
             open(w, "pump-hall-a-done.bindrel");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "BUS1");
             QKeyEvent fold(QEvent::KeyPress, Qt::Key_U, Qt::NoModifier, "u");
             QApplication::sendEvent(w.clocks()->ladder(), &fold);
         }},
        {"clocks-ditch", [](MainWindow& w) {
             open(w, "ditch-meter-d-done.bindrel");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "HRC");
         }},
        {"tuning-bound-only", [](MainWindow& w) {
             open(w, "ditch-meter-d-done.bindrel");
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Need, "moss-bus");
         }},
        {"night-wiring", [](MainWindow& w) {
             w.setDark(true);
             open(w, "sluice-node-c-done.bindrel");
             select(w, Place::Kind::Signal, "gate-bridge", "fault");
         }},
        {"night-clocks", [](MainWindow& w) {
             w.setDark(true);
             open(w, "sluice-node-c-done.bindrel");
             w.showStation(Station::Clocks);
             select(w, Place::Kind::Clock, "UART1K");
         }},
    };
    return all;
}

} // namespace

int main(int argc, char** argv)
{
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    QApplication::setApplicationName("bindrel-screenshots");
    QApplication::setOrganizationName("bindrel-screenshots");
    const QStringList arguments = QApplication::arguments();
    if (arguments.size() < 3) {
        std::fprintf(stderr, "usage: bindrel-screenshots EXAMPLES OUTPUT [NAME ...]\n");
        return 2;
    }
    // A copy under a plain path, so that no picture shows where it was made.
    QTemporaryDir scratch(QDir::tempPath() + "/plans-XXXXXX");
    for (const QString& name : QDir(arguments[1]).entryList({"*.bindrel"}, QDir::Files))
        QFile::copy(arguments[1] + "/" + name, scratch.path() + "/" + name);
    // The same plan on the chip's other package.
    QFile pump(scratch.filePath("pump-hall-a-done.bindrel"));
    QFile grid(scratch.filePath("pump-hall-a-grid.bindrel"));
    if (pump.open(QIODevice::ReadOnly) && grid.open(QIODevice::WriteOnly))
        grid.write(pump.readAll().replace("AL7654-F144", "AL7654-B176"));
    grid.close();
    g_examples = scratch.path();
    QDir().mkpath(arguments[2]);
    const QStringList wanted = arguments.mid(3);
    for (const Scene& scene : scenes()) {
        if (!wanted.isEmpty() && !wanted.contains(scene.name))
            continue;
        Theme::apply(app, false);
        // What a scene before has changed is not to be offered for recovery in this one.
        QDir(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation)).removeRecursively();
        {
            MainWindow window(Library::shipped());
            window.show();
            scene.arrange(window);
            for (int i = 0; i < 5; ++i)
                QApplication::processEvents();
            QWidget* top = std::string_view(scene.name) == "change-chip"       ? window.findChild<MoveDialog*>()
                           : std::string_view(scene.name) == "changed-on-disk" ? window.findChild<DiskDialog*>()
                                                                               : static_cast<QWidget*>(&window);
            (top ? top : &window)->grab().save(arguments[2] + "/" + scene.name + ".png");
        }
        std::printf("%s\n", scene.name);
    }
    return 0;
}
