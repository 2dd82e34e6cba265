// SPDX-License-Identifier: GPL-3.0-or-later
// Takes a picture of each main view from the demo data: bindrel-screenshots EXAMPLES OUTPUT [NAME …]
// Runs with the offscreen platform unless QT_QPA_PLATFORM says otherwise; the window is 1280 x 800.
#include "app/source/source_station.h"
#include "app/theme/theme.h"
#include "tools/screenshots/scene.h"

#include <QApplication>
#include <QDir>
#include <QStandardPaths>
#include <QTemporaryDir>

#include <cstdio>

using namespace bindrel;

static void take(QApplication& app, const Scene& scene, const QString& file)
{
    Theme::apply(app, false);
    // What a scene before has changed is not to be offered for recovery in this one.
    QDir(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation)).removeRecursively();
    MainWindow window(Library::shipped());
    window.show();
    scene.arrange(window);
    // The source station's count comes after a pause: sometimes within the picture, sometimes not.
    window.source()->refreshNow();
    for (int i = 0; i < 5; ++i)
        QApplication::processEvents();
    QWidget* picture = scene.picture ? scene.picture(window) : nullptr;
    (picture ? picture : &window)->grab().save(file);
}

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
    setExamples(scratch.path());
    QDir().mkpath(arguments[2]);
    const QStringList wanted = arguments.mid(3);
    for (const auto& scenes : {planScenes(), wiringScenes(), clocksScenes(), tuningScenes(), rehearsalScenes()})
        for (const Scene& scene : scenes)
            if (wanted.isEmpty() || wanted.contains(scene.name)) {
                take(app, scene, arguments[2] + "/" + scene.name + ".png");
                std::printf("%s\n", scene.name);
            }
    return 0;
}
