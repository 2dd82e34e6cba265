// SPDX-License-Identifier: GPL-3.0-or-later
#include "tools/screenshots/scene.h"

#include <QApplication>
#include <QThread>

namespace bindrel {

namespace {
QString examples;
} // namespace

void setExamples(const QString& folder)
{
    examples = folder;
}

void open(MainWindow& w, const char* plan)
{
    w.openPlan(examples + "/" + plan + ".bindrel");
}

void select(MainWindow& w, Place::Kind kind, const char* id, const char* sub)
{
    w.view().select({kind, id, sub});
}

std::function<void(MainWindow&)> shows(const char* plan, Station station, Place place)
{
    return [plan, station, place](MainWindow& w) {
        open(w, plan);
        w.showStation(station);
        if (place.kind != Place::Kind::None)
            w.view().select(place);
    };
}

void waitFor(const std::function<bool()>& there)
{
    for (int i = 0; i < 2000 && !there(); ++i) {
        QApplication::processEvents();
        QThread::msleep(10);
    }
}

} // namespace bindrel
