// SPDX-License-Identifier: GPL-3.0-or-later
#include "tools/screenshots/scene.h"

#include "app/board/board_station.h"
#include "app/frame/disk_dialog.h"
#include "app/frame/move_dialog.h"
#include "app/source/file_list.h"
#include "app/source/source_station.h"
#include "app/start/start_station.h"

#include <QApplication>
#include <QCheckBox>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>
#include <QThread>

namespace bindrel {

std::vector<Scene> planScenes()
{
    return {
        {"start", [](MainWindow&) {}},
        {"change-chip",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             auto* dialog = new MoveDialog(w.document(), &w);
             dialog->show();
             dialog->showDevice("RL1224-Q48");
             waitFor([dialog] { return dialog->shown(); });
         },
         [](MainWindow& w) -> QWidget* { return w.findChild<MoveDialog*>(); }},
        {"chips",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.showStation(Station::Start);
             w.start()->chips()->mustFit()->setChecked(true);
             for (int i = 0; i < 100; ++i) {
                 QApplication::processEvents();
                 QThread::msleep(10);
             }
             w.start()->chips()->table()->selectRow(0);
             w.start()->chips()->table()->selectionModel()->select(w.start()->chips()->table()->model()->index(6, 0),
                                                                   QItemSelectionModel::Select |
                                                                       QItemSelectionModel::Rows);
         }},
        {"stored",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.document().apply(editOf("x", SetStored{"BOOT.LEVEL", "2.4 V"}));
             w.showStation(Station::Tuning);
             select(w, Place::Kind::Stored, "BOOT.LEVEL");
         }},
        {"board",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.showStation(Station::Board);
             w.board()->showLower(BoardStation::Lower::Outline);
             select(w, Place::Kind::Need, "beacon");
         }},
        {"plan-page", shows("rain-post-b-done", Station::Wiring)},
        {"source",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.showStation(Station::Source);
             select(w, Place::Kind::Need, "gate-bridge");
             w.source()->folder()->setText("firmware/sluice");
             w.source()->refreshNow();
             w.source()->files()->choose("sluice_gate_bridge.c");
             Q_EMIT w.source()->files()->currentChanged(w.source()->files()->currentRow());
         }},
        {"changed-on-disk",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.document().apply(editOf("", SetClock{"BUS1", FactorDecision{4}}));
             Plan theirs = w.document().snapshot().plan;
             theirs.supply = "3.2 V";
             theirs.clocks["BUS1"] = FactorDecision{2};
             (void)savePlan(theirs, w.document().path().toStdString());
             auto* dialog = new DiskDialog(w.document(), &w);
             dialog->show();
             dialog->compare()->click();
         },
         [](MainWindow& w) -> QWidget* { return w.findChild<DiskDialog*>(); }},
    };
}

} // namespace bindrel
