// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/build_log.h"
#include "tests/support/output_fixture.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// What compilers and linkers really print, in each way that a project is built.
class BuildLogTest : public QObject, public OutputFixture {
    Q_OBJECT
private Q_SLOTS:
    /// The same mistake, seen by the compiler's own command, CMake and make, in flat and in parted folders.
    void whatTheToolsPrint_data()
    {
        QTest::addColumn<QString>("command");
        QTest::addColumn<bool>("apart");
        for (const bool apart : {false, true}) {
            QTest::newRow(apart ? "command, folders" : "command") << QString() << apart;
            QTest::newRow(apart ? "CMake, folders" : "CMake")
                << QString("cmake -B build -DCMAKE_TOOLCHAIN_FILE=sluice_toolchain.cmake && cmake --build build")
                << apart;
            QTest::newRow(apart ? "make, folders" : "make") << QString("make -k") << apart;
        }
    }
    void whatTheToolsPrint()
    {
        QFETCH(QString, command);
        QFETCH(bool, apart);
        ProjectLayout layout;
        if (apart)
            layout.sources = "firmware/src", layout.headers = "inc";
        QTemporaryDir dir;
        const fs::path folder = folderOf(dir);
        const auto s = run(with(demo(), SetProject{layout}));
        write(*s, folder);
        const std::string file = apart ? "firmware/src/sluice_pins.c" : "sluice_pins.c";
        const std::string text = textOf(folder / file);
        const auto wrongLine = std::count(text.begin(), text.end(), '\n') + 1;
        put(folder / file, text + "int wrong(void) { return missing; }\n");
        const auto said = [&](QByteArray& output) {
            QProcess shell;
            shell.setWorkingDirectory(QString::fromStdString(folder.string()));
            shell.setProcessChannelMode(QProcess::MergedChannels);
            shell.start("sh",
                        {"-c", "export LC_ALL=C; " +
                                   (command.isEmpty() ? QString::fromStdString(s->source().buildCommand) : command)});
            if (!shell.waitForFinished(240'000))
                qFatal("the build hangs");
            output = shell.readAll();
            return buildMessages(output.toStdString(), fs::canonical(folder).string());
        };
        QByteArray output;
        std::vector<BuildMessage> messages = said(output);
        const auto error = std::find_if(messages.begin(), messages.end(), [](const BuildMessage& m) {
            return m.text.find("missing") != std::string::npos && m.severity == BuildMessage::Severity::Error;
        });
        QVERIFY2(error != messages.end(), output.constData());
        COMPARE_TEXT(error->file, QString::fromStdString(file));
        QCOMPARE(error->line, int(wrongLine));
        // What only the linker sees.
        put(folder / file, text + "int missing(void);\nint wrong(void);\nint wrong(void) { return missing(); }\n");
        put(folder / (apart ? "firmware/src/main.c" : "main.c"),
            "int wrong(void);\nint main(void) { return wrong(); }\n");
        messages = said(output);
        QVERIFY2(std::any_of(messages.begin(), messages.end(),
                             [](const BuildMessage& m) {
                                 return m.text.find("undefined reference to") != std::string::npos &&
                                        m.severity == BuildMessage::Severity::Error;
                             }),
                 output.constData());
    }

    void progress()
    {
        QCOMPARE(buildProgress("[ 12%] Building C object x"), 12);
        QCOMPARE(buildProgress("[100%] Built target sluice"), 100);
        QCOMPARE(buildProgress("[3/24] Building C object"), 12);
        for (const char* other :
             {"", "[", "[]", "[x%]", "[1/0] x", "12%", "[ %]", "[99999999999%]", "[-3/5]", "gcc [ 12%]"})
            QVERIFY2(buildProgress(other) == -1, other);
    }

    /// Any text is read; a place that it names is inside the folder.
    void anyText()
    {
        std::mt19937 random(5);
        const std::vector<std::string> parts{
            "/out/",         "../",        "a.c",         ":",    "12",
            ":3: error: ",   " warning: ", "\n",          " ",    "undefined reference to",
            "overflowed by", "-7",         "99999999999", "\x01", "\xff"};
        for (int round = 0; round < 6000; ++round) {
            std::string text;
            for (int i = int(random() % 12); i >= 0; --i)
                text += parts[random() % parts.size()];
            for (const BuildMessage& message : buildMessages(text, "/out")) {
                QVERIFY(message.line >= 0);
                for (const fs::path& part : fs::path(message.file))
                    QVERIFY2(part != ".." && part != "/", text.c_str());
            }
        }
    }
};

BINDREL_TEST(BuildLogTest)
#include "build_log_test.moc"
