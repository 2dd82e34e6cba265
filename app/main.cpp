// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/end_signals.h"
#include "app/frame/main_window.h"
#include "app/frame/window_place.h"
#include "app/session/background.h"
#include "app/session/path_text.h"
#include "app/session/spoken.h"
#include "app/theme/theme.h"
#include "core/base/files.h"
#include "core/base/say.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>
#include <QTimer>

#include <algorithm>
#include <chrono>
#include <cstdlib>

using bindrel::say;

namespace {

/// The path as it was given: Qt's text of it has lost the bytes that are no UTF-8.
QString planArgument(const QString& argument, int argc, char** argv)
{
    for (int i = 1; i < argc; ++i)
        if (QString::fromLocal8Bit(argv[i]) == argument)
            return bindrel::pathText(argv[i]);
    return argument;
}

} // namespace

int main(int argc, char** argv)
{
    QApplication app(argc, argv);
    QApplication::setApplicationName("bindrel");
    QApplication::setOrganizationName("bindrel");
    QApplication::setApplicationVersion(BINDREL_VERSION);
    bindrel::speak(app);
    QCommandLineParser parser;
    parser.setApplicationDescription(
        say("Plans pins, clocks and registers of a microcontroller and generates the C that initialises them."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("plan", say("Plan to open"), "[PLAN]");
    const QCommandLineOption deviceDir("device-dir", say("Folder searched first for device, board and part files"),
                                       "folder");
    parser.addOption(deviceDir);
    parser.process(app);

    bindrel::Theme::apply(app, QSettings().value("dark", false).toBool());
    bindrel::Library library = bindrel::Library::shipped();
    // The folder that was given first is looked into first.
    QStringList folders = parser.values(deviceDir);
    std::reverse(folders.begin(), folders.end());
    for (const QString& folder : folders)
        library = library.with(bindrel::absolutePath(folder.toStdString()), bindrel::Origin::Folder);
    bindrel::MainWindow window(library);
    const bindrel::EndSignals endSignals(window);
    // The plan first: reading the catalogue of the start page for nobody would only cost time.
    if (!parser.positionalArguments().isEmpty())
        window.openFile(planArgument(parser.positionalArguments().constFirst(), argc, argv));
    bindrel::restorePlace(window);
    window.show();
    QTimer::singleShot(0, &window, &bindrel::MainWindow::offerNeverSaved);
    const int code = QApplication::exec();
    // A window that is gone is a program that has ended: nobody waits for a search that does not hear that it was
    // stopped.
    for (bindrel::Background* background : window.findChildren<bindrel::Background*>())
        if (!background->endWithin(std::chrono::seconds(2))) {
            QSettings().sync();
            std::_Exit(code);
        }
    return code;
}
