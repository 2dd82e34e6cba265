// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/main_window.h"

#include <functional>
#include <vector>

namespace bindrel {

/// One picture: how the window is brought to what it shows.
struct Scene {
    const char* name; ///< of the file
    std::function<void(MainWindow&)> arrange;
    QWidget* (*picture)(MainWindow&) = nullptr; ///< what is taken; null: the window
};

std::vector<Scene> planScenes(); ///< the start, dialogs, the plan's own page, source
std::vector<Scene> wiringScenes();
std::vector<Scene> clocksScenes();
std::vector<Scene> tuningScenes();
std::vector<Scene> rehearsalScenes();

/// Where the plans lie that scenes open.
void setExamples(const QString& folder);

// What scenes are made of.
void open(MainWindow& w, const char* plan);
void select(MainWindow& w, Place::Kind kind, const char* id, const char* sub = "");
/// A plan at a station, with something selected.
std::function<void(MainWindow&)> shows(const char* plan, Station station, Place place = {});
/// What runs beside the interface is given up to twenty seconds.
void waitFor(const std::function<bool()>& there);

} // namespace bindrel
