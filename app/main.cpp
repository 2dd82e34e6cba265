// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/main_window.h"
#include "app/theme/theme.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>

int main(int argc, char** argv)
{
    QApplication app(argc, argv);
    QApplication::setApplicationName("bindrel");
    QApplication::setOrganizationName("bindrel");
    QApplication::setApplicationVersion(BINDREL_VERSION);
    QCommandLineParser parser;
    parser.setApplicationDescription("Plans pins, clocks and registers of a microcontroller and writes the C that sets them up.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("plan", "Plan to open", "[PLAN]");
    const QCommandLineOption deviceDir("device-dir", "Folder with device, board and part files that is looked into first", "folder");
    parser.addOption(deviceDir);
    parser.process(app);

    bindrel::Theme::apply(app, QSettings().value("dark", false).toBool());
    bindrel::Library library = bindrel::Library::shipped();
    for (const QString& folder : parser.values(deviceDir))
        library = library.with(std::filesystem::absolute(folder.toStdString()), bindrel::Origin::Folder);
    bindrel::MainWindow window(library);
    // The plan first: reading the catalogue of the start page for nobody would only cost time.
    if (!parser.positionalArguments().isEmpty())
        window.openPlan(parser.positionalArguments().constFirst());
    window.show();
    return QApplication::exec();
}
