// SPDX-License-Identifier: GPL-3.0-or-later
#include "tools/screenshots/scene.h"

#include "app/rehearsal/operations_list.h"
#include "app/rehearsal/rehearsal_station.h"
#include "app/rehearsal/scenario_list.h"
#include "app/rehearsal/timeline_view.h"

#include <QApplication>
#include <QKeyEvent>

namespace bindrel {

namespace {

void chooseScenario(MainWindow& w, const QString& title)
{
    ScenarioList& list = *w.rehearsal()->scenarios();
    for (int row = 0; row < list.rowCount(); ++row)
        if (list.rowText(row).startsWith(title)) {
            list.setCurrentRow(row);
            Q_EMIT list.currentChanged(row);
        }
}

} // namespace

std::vector<Scene> rehearsalScenes()
{
    return {
        {"rehearsal",
         [](MainWindow& w) {
             open(w, "sluice-node-c-done");
             w.document().apply(editOf("x", SetMode{"STOP", true}));
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             w.rehearsal()->timeline()->setFocus();
             for (int i = 0; i < 50; ++i)
                 QApplication::postEvent(w.rehearsal()->timeline(),
                                         new QKeyEvent(QEvent::KeyPress, Qt::Key_Right, Qt::NoModifier));
             QApplication::processEvents();
             w.rehearsal()->runMachineCode();
             waitFor([&w] { return w.rehearsal()->verdict()->text().contains("writes"); });
         }},
        {"rehearsal-hazard",
         [](MainWindow& w) {
             open(w, "sluice-node-c-tangled");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             const int row = w.rehearsal()->operations()->nextHazard(1);
             w.rehearsal()->operations()->setCurrentRow(row);
             Q_EMIT w.rehearsal()->operations()->currentChanged(row);
         }},
        {"rehearsal-ditch",
         [](MainWindow& w) {
             open(w, "ditch-meter-d-done");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             chooseScenario(w, "High crystal never");
         }},
        {"rehearsal-rain",
         [](MainWindow& w) {
             open(w, "rain-post-b-done");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
         }},
        {"rehearsal-pump",
         [](MainWindow& w) {
             open(w, "pump-hall-a-done");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             w.rehearsal()->timeline()->setTimeAxis(true);
         }},
        {"night-rehearsal",
         [](MainWindow& w) {
             w.setDark(true);
             open(w, "ditch-meter-d-done");
             w.showStation(Station::Rehearsal);
             waitFor([&w] { return w.rehearsal()->scenarios()->rowCount() > 0; });
             chooseScenario(w, "High crystal fails");
         }},
    };
}

} // namespace bindrel
