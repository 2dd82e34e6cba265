// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/compile.h"
#include "tests/support/fixtures.h"

#include <QProcess>
#include <QTemporaryDir>

using namespace bindrel;
using namespace bindrel::test;

/// What the rehearsal runs is what the shown command makes, whatever was compiled before.
class CompileTest : public QObject {
    Q_OBJECT

    static std::vector<std::string> programsIn(const QTemporaryDir& folder, const Source& source)
    {
        std::vector<std::string> out;
        for (const Source::Program& program : source.programs)
            out.push_back(textOf(folder.filePath(QString::fromStdString(program.output)).toStdString()));
        return out;
    }
    static std::vector<std::string> built(const Source& source)
    {
        const QTemporaryDir folder;
        const Outcome compiled = compileSource(source, folder.path().toStdString());
        if (!compiled)
            qFatal("%s", compiled.problem().text().c_str());
        return programsIn(folder, source);
    }
    static Source changed(Source source, const std::string& file, const std::string& line)
    {
        for (SourceFile& each : source.files)
            if (each.name.ends_with(file)) {
                each.lines.insert(each.lines.begin(), each.lines.front());
                each.lines.front().text = line;
            }
        return source;
    }

private Q_SLOTS:
    void equalsTheShownCommand_data()
    {
        QTest::addColumn<QString>("name");
        for (const char* name : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"})
            QTest::newRow(name) << name;
    }
    void equalsTheShownCommand()
    {
        QFETCH(QString, name);
        const auto s = run(demo(name.toStdString()));
        const QTemporaryDir folder;
        for (const SourceFile& file : s->source().files)
            QVERIFY(writeFileAtomically(folder.filePath(QString::fromStdString(file.name)).toStdString(), file.text())
                        .ok());
        QProcess shell;
        shell.setWorkingDirectory(folder.path());
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", "export LC_ALL=C; " + QString::fromStdString(s->source().buildCommand)});
        QVERIFY(shell.waitForFinished(120'000) && shell.exitCode() == 0);
        const std::vector<std::string> shown = programsIn(folder, s->source());
        QCOMPARE(shown.size(), s->device->cores.size());
        // The second time from what was kept.
        for (int time = 0; time < 2; ++time)
            QVERIFY(built(s->source()) == shown);
    }

    void whatAUnitDependsOnIsSeen()
    {
        const auto s = run(demo());
        const Source& source = s->source();
        const std::vector<std::string> before = built(source);
        // A header alone, a unit alone, an option alone.
        const Source header = changed(source, "_board.h",
                                      "#ifndef BINDREL_TEST_IN_ALL\n#define BINDREL_TEST_IN_ALL\nstatic const int "
                                      "bindrel_test_in_all __attribute__((used)) = 1;\n#endif");
        QVERIFY(built(header) != before);
        QVERIFY(built(changed(source, "_pins.c", "const int bindrel_test_here = 1;")) != before);
        Source slower = source;
        std::replace(slower.programs.front().options.begin(), slower.programs.front().options.end(), std::string("-O2"),
                     std::string("-O0"));
        QVERIFY(built(slower) != before);
        QVERIFY(built(source) == before);
    }

    void whatDoesNotCompileIsTold()
    {
        const auto s = run(demo());
        const QTemporaryDir folder;
        const auto told = [&](const Source& source) {
            const Outcome compiled = compileSource(source, folder.path().toStdString());
            return compiled ? std::string() : compiled.problem().message;
        };
        const std::string broken = told(changed(s->source(), "_clocks.c", "#error made up"));
        QVERIFY2(broken.find("_clocks.c") != std::string::npos && broken.find("made up") != std::string::npos,
                 broken.c_str());
        Source missing = s->source();
        missing.programs.front().compiler = "no-such-compiler-gcc";
        const std::string absent = told(missing);
        QVERIFY2(absent.find("no-such-compiler-gcc is not installed") != std::string::npos, absent.c_str());
        Source unlinked = s->source();
        unlinked.programs.front().linkerScript = "nowhere.ld";
        QVERIFY(told(unlinked).find("nowhere.ld") != std::string::npos);
        QVERIFY(told(s->source()).empty());
    }

    /// One that never ends is ended, with what it has started; and one that is not wanted any more as well.
    void aCompilerThatDoesNotEndIsEnded()
    {
        const auto s = run(demo());
        const QTemporaryDir tools, folder;
        const std::string sleeper = tools.path().toStdString() + "/sleeper-gcc",
                          trace = tools.path().toStdString() + "/alive";
        QFile script(QString::fromStdString(sleeper));
        QVERIFY(script.open(QIODevice::WriteOnly));
        script.write(("#!/bin/sh\n(sleep 2; echo still here > " + trace + ") &\nsleep 60\n").c_str());
        script.close();
        QVERIFY(script.setPermissions(QFile::ReadOwner | QFile::WriteOwner | QFile::ExeOwner));
        Source source = s->source();
        source.programs.front().compiler = sleeper;
        const auto began = std::chrono::steady_clock::now();
        const Outcome late = compileSource(source, folder.path().toStdString(), {}, std::chrono::milliseconds(300));
        QVERIFY(!late.ok() && late.problem().message.find("sleeper-gcc did not finish") != std::string::npos);
        const Outcome stopped = compileSource(source, folder.path().toStdString(), [began] {
            return std::chrono::steady_clock::now() - began > std::chrono::milliseconds(900);
        });
        QVERIFY(!stopped.ok() && stopped.problem().message.find("Stopped") != std::string::npos);
        QVERIFY(std::chrono::steady_clock::now() - began < std::chrono::seconds(30));
        QTest::qWait(2500);
        QVERIFY(!QFile::exists(QString::fromStdString(trace)));
    }
};

BINDREL_TEST(CompileTest)
#include "compile_test.moc"
