// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/c_text.h"
#include "core/source/keep_regions.h"
#include "core/source/output.h"
#include "tests/support/fixtures.h"

#include <QProcess>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// The written source goes through the real cross-compiler and linker; what a person did to the files is never lost.
class SourceTest : public QObject {
    Q_OBJECT

    static fs::path folderOf(const QTemporaryDir& dir) { return dir.path().toStdString(); }

    static void write(const Snapshot& s, const fs::path& folder)
    {
        const auto preview = previewOutput(s.source, folder);
        QVERIFY2(preview.ok(), preview.ok() ? "" : preview.problem().text().c_str());
        const Outcome done = writeOutput(s.source, folder, *preview);
        QVERIFY2(done.ok(), done.ok() ? "" : done.problem().text().c_str());
    }

    static FileChange::State stateOf(const Snapshot& s, const fs::path& folder, const std::string& name)
    {
        const auto preview = previewOutput(s.source, folder);
        if (preview)
            for (const FileChange& change : *preview)
                if (change.name == name)
                    return change.state;
        qFatal("no such file: %s", name.c_str());
    }

    static void put(const fs::path& path, const std::string& text) { QVERIFY(writeFileAtomically(path, text).ok()); }

    /// Runs the command that the tool shows, in the folder.
    static void compile(const Snapshot& s, const fs::path& folder)
    {
        QProcess shell;
        shell.setWorkingDirectory(QString::fromStdString(folder.string()));
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", QString::fromStdString(s.source.buildCommand)});
        QVERIFY(shell.waitForFinished(120'000));
        const QByteArray output = shell.readAll();
        QVERIFY2(shell.exitCode() == 0 && output.isEmpty(), output.constData());
        QVERIFY(fs::exists(folder / (s.source.prefix + ".elf")));
    }

private Q_SLOTS:
    void initTestCase()
    {
        QProcess probe;
        probe.start("arm-none-eabi-gcc", {"--version"});
        QVERIFY2(probe.waitForFinished() && probe.exitCode() == 0, "the cross-compiler is needed; scripts/install-packages brings it");
    }

    void compilesAndLinksWithoutAWarning_data()
    {
        QTest::addColumn<Workpiece>("work");
        QTest::newRow("done") << demo();
        QTest::newRow("nothing bound") << demo("sluice-node-c-start");
        QTest::newRow("tangled") << demo("sluice-node-c-tangled");
        QTest::newRow("other goals") << with(with(with(with(demo(), SetGoal{"uplink", "direction", "transmit"}), SetGoal{"uplink", "flow", "none"}),
                                                       SetGoal{"gate-bridge", "alignment", "edge"}),
                                                  SetGoal{"gate-bridge", "idle", "high"});
        QTest::newRow("odd rates") << with(with(demo(), SetClock{"PLLA.VCO", "79"}), SetClock{"PLLA.MAIN", "7"});
        QTest::newRow("internal, slow") << with(with(demo(), SetClock{"SYS", "HFI"}), SetText{SetText::What::Range, "R3"});
        Workpiece hostile = demo();
        hostile.plan.name = "*/ int main(void) { return 0; } /* \\\n#error ?" "?/";
        hostile.plan.prefix = "9 bad-prefix*/";
        for (Need& need : hostile.plan.needs)
            need.title = "x */ #error \" \\";
        hostile.plan.needs[3].id = "while";
        hostile.plan.needs[4].id = "board";
        QTest::newRow("low-power modes") << with(with(demo(), SetMode{"STOP", true}), SetMode{"SLEEP", true});
        QTest::newRow("RISC-V doze") << with(demo("ditch-meter-d-done"), SetMode{"DOZE", true});
        QTest::newRow("two cores stop, two sets") << with(with(demo("pump-hall-a-done"), SetMode{"STOP", true}), SetSlow{ClockSet{"", {{"HFX", "on"}}}});
        QTest::newRow("hostile names") << hostile;
    }
    void compilesAndLinksWithoutAWarning()
    {
        QFETCH(Workpiece, work);
        QTemporaryDir dir;
        const auto s = run(work);
        write(*s, folderOf(dir));
        compile(*s, folderOf(dir));
        for (const SourceFile& file : s->source.files) {
            const std::string text = file.text();
            QVERIFY(std::all_of(text.begin(), text.end(), [](char c) { return c == '\n' || (c >= ' ' && c < 127); }));
        }
    }

    void buildsWithItsOwnCMakeFiles()
    {
        QTemporaryDir dir;
        const auto s = run(demo());
        write(*s, folderOf(dir));
        QProcess shell;
        shell.setWorkingDirectory(dir.path());
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", "cmake -B build -DCMAKE_TOOLCHAIN_FILE=sluice_toolchain.cmake && cmake --build build"});
        QVERIFY(shell.waitForFinished(180'000));
        QVERIFY2(shell.exitCode() == 0, shell.readAll().constData());
        QVERIFY(fs::exists(folderOf(dir) / "build" / "sluice.elf"));
    }

    void assertsHoldTheNumbersTogether()
    {
        QTemporaryDir dir;
        const auto s = run(demo());
        write(*s, folderOf(dir));
        // Someone changes a constant by hand: the compiler must object.
        put(folderOf(dir) / "sluice_board.h", replaced(textOf(folderOf(dir) / "sluice_board.h"), "80000000u", "40000000u"));
        QProcess shell;
        shell.setWorkingDirectory(dir.path());
        shell.start("sh", {"-c", QString::fromStdString(s->source.buildCommand)});
        QVERIFY(shell.waitForFinished(120'000));
        QVERIFY(shell.exitCode() != 0);
        QVERIFY(shell.readAllStandardError().contains("static assertion failed"));
    }

    void everyDecidedLineHasATrace()
    {
        const auto s = run(demo());
        for (const char* name : {"sluice_clocks.c", "sluice_pins.c", "sluice_uplink.c"}) {
            const SourceFile* file = s->source.find(name);
            QVERIFY(file);
            for (const SourceLine& line : file->lines)
                if (line.text.find("SLUICE_") != std::string::npos && line.text.find("->") != std::string::npos)
                    QVERIFY2(line.trace >= 0, line.text.c_str());
        }
        const SourceFile* pins = s->source.find("sluice_pins.c");
        bool found = false;
        for (const SourceLine& line : pins->lines)
            if (line.trace >= 0 && pins->traces[size_t(line.trace)].place.id == "PD0")
                found = found || line.text.find("CFG0") != std::string::npos;
        QVERIFY(found);
    }

    void samePlanSameBytes()
    {
        const auto a = run(demo()), b = run(demo());
        for (const SourceFile& file : a->source.files)
            COMPARE_TEXT(b->source.find(file.name)->text(), QString::fromStdString(file.text()));
    }

    void secondWriteChangesNothing()
    {
        QTemporaryDir dir;
        const auto s = run(demo());
        write(*s, folderOf(dir));
        const auto preview = previewOutput(s->source, folderOf(dir));
        for (const FileChange& change : *preview)
            QVERIFY(change.state == (change.name == "main.c" ? FileChange::State::Yours : FileChange::State::Same));
    }

    void theUsersFileIsNeverWrittenAgain()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        put(folderOf(dir) / "main.c", "int main(void) { return 7; }\n");
        write(*run(with(demo(), SetClock{"BUS1", "4"})), folderOf(dir));
        COMPARE_TEXT(textOf(folderOf(dir) / "main.c"), "int main(void) { return 7; }\n");
    }

    void keepRegionsAreCarriedOver()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        put(file, replaced(textOf(file), "/*~ keep uplink_bring_up */\n", "/*~ keep uplink_bring_up */\n    sluice_uplink_send(0x55u);\n"));
        const auto next = run(with(demo(), SetGoal{"uplink", "baud", "57600"}));
        QCOMPARE(stateOf(*next, folderOf(dir), "sluice_uplink.c"), FileChange::State::Changed);
        write(*next, folderOf(dir));
        QVERIFY(textOf(file).find("sluice_uplink_send(0x55u);") != std::string::npos);
        QVERIFY(textOf(file).find("AT(1389u)") != std::string::npos);
        QVERIFY(textOf(folderOf(dir) / ".bindrel/backup/sluice_uplink.c").find("0x55u") != std::string::npos);
        // And once more, since the memory of the last write now holds the region too.
        write(*run(demo()), folderOf(dir));
        QVERIFY(textOf(file).find("sluice_uplink_send(0x55u);") != std::string::npos);
    }

    void otherEditsAreMerged()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        put(file, textOf(file) + "\n/* my own helper */\n");
        const auto next = run(with(demo(), SetGoal{"uplink", "baud", "57600"}));
        QCOMPARE(stateOf(*next, folderOf(dir), "sluice_uplink.c"), FileChange::State::Merged);
        write(*next, folderOf(dir));
        QVERIFY(textOf(file).find("my own helper") != std::string::npos);
        QVERIFY(textOf(file).find("AT(1389u)") != std::string::npos);
        write(*run(demo()), folderOf(dir));
        QVERIFY(textOf(file).find("my own helper") != std::string::npos);
        compile(*run(demo()), folderOf(dir));
    }

    void conflictsHoldTheWholeWriteBack()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.h";
        put(file, replaced(textOf(file), "SLUICE_UPLINK_BAUD 459770u", "SLUICE_UPLINK_BAUD 1u"));
        const std::string edited = textOf(file), clocks = textOf(folderOf(dir) / "sluice_clocks.c");
        const auto next = run(with(with(demo(), SetGoal{"uplink", "baud", "57600"}), SetClock{"BUS1", "4"}));
        const auto preview = previewOutput(next->source, folderOf(dir));
        const Outcome done = writeOutput(next->source, folderOf(dir), *preview);
        QVERIFY(!done.ok());
        COMPARE_TEXT(textOf(file), QString::fromStdString(edited));
        COMPARE_TEXT(textOf(folderOf(dir) / "sluice_clocks.c"), QString::fromStdString(clocks));
    }

    void foreignAndBrokenFilesAreConflicts()
    {
        QTemporaryDir dir;
        put(folderOf(dir) / "sluice_pins.c", "/* mine */\n");
        QCOMPARE(stateOf(*run(demo()), folderOf(dir), "sluice_pins.c"), FileChange::State::Conflict);
        fs::remove(folderOf(dir) / "sluice_pins.c");
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        put(file, replaced(textOf(file), "    /*~ */\n", ""));
        QCOMPARE(stateOf(*run(with(demo(), SetGoal{"uplink", "baud", "57600"})), folderOf(dir), "sluice_uplink.c"), FileChange::State::Conflict);
    }

    void filesNoLongerNeededGoUnlessEdited()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        put(folderOf(dir) / "sluice_beacon.c", textOf(folderOf(dir) / "sluice_beacon.c") + "/* mine */\n");
        const fs::path header = folderOf(dir) / "sluice_uplink.c";
        put(header, replaced(textOf(header), "/*~ keep uplink_bring_up */\n", "/*~ keep uplink_bring_up */\n    kept_text();\n"));
        const auto less = run(with(with(demo(), SetBinding{"beacon", {}}), SetBinding{"uplink", {}}));
        write(*less, folderOf(dir));
        QVERIFY(!fs::exists(folderOf(dir) / "sluice_beacon.h"));
        QVERIFY(textOf(folderOf(dir) / "sluice_beacon.c").find("/* mine */") != std::string::npos);
        QVERIFY(!fs::exists(folderOf(dir) / "sluice_uplink.c"));
        QVERIFY(textOf(folderOf(dir) / "sluice_orphans.c").find("kept_text();") != std::string::npos);
        QVERIFY(textOf(folderOf(dir) / "sluice_orphans.c").find("#if 0") != std::string::npos);
    }

    void linksAreNotFollowedOut()
    {
        QTemporaryDir dir, outside;
        write(*run(demo()), folderOf(dir));
        const fs::path target = folderOf(outside) / "victim.c";
        put(target, "untouched\n");
        fs::remove(folderOf(dir) / "sluice_pins.c");
        fs::create_symlink(target, folderOf(dir) / "sluice_pins.c");
        QVERIFY(!previewOutput(run(demo())->source, folderOf(dir)).ok());
        COMPARE_TEXT(textOf(target), "untouched\n");
    }

    void aWriteThatDiedIsFinishedByTheNextLook()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        // As a process would leave it that died after its list was complete: one file moved, one not.
        const fs::path stage = folderOf(dir) / ".bindrel/stage";
        fs::create_directories(stage);
        put(stage / "sluice_pins.c", "/* new pins */\n");
        put(stage / "list", "g sluice_clocks.c\ng sluice_pins.c\n- sluice_beacon.h\n");
        QVERIFY(previewOutput(run(demo())->source, folderOf(dir)).ok());
        COMPARE_TEXT(textOf(folderOf(dir) / "sluice_pins.c"), "/* new pins */\n");
        QVERIFY(textOf(folderOf(dir) / ".bindrel/backup/sluice_pins.c.at-recovery").find("sluice_pins_bring_up") != std::string::npos);
        QVERIFY(!fs::exists(folderOf(dir) / "sluice_beacon.h"));
        QVERIFY(!fs::exists(stage));
        // Without a list nothing had been decided yet, so nothing is done.
        fs::create_directories(stage);
        put(stage / "sluice_pins.c", "/* half */\n");
        QVERIFY(previewOutput(run(demo())->source, folderOf(dir)).ok());
        COMPARE_TEXT(textOf(folderOf(dir) / "sluice_pins.c"), "/* new pins */\n");
    }

    void aFolderThatCannotBeWrittenGivesAWord()
    {
        QTemporaryDir dir;
        put(folderOf(dir) / "file", "x");
        QVERIFY(!previewOutput(run(demo())->source, folderOf(dir) / "file").ok());
        const auto preview = previewOutput(run(demo())->source, folderOf(dir) / "fresh");
        QVERIFY(preview.ok());
        put(folderOf(dir) / "fresh", "a file now");
        QVERIFY(!writeOutput(run(demo())->source, folderOf(dir) / "fresh", *preview).ok());
    }

    void keepMarksAreReadStrictly()
    {
        QVERIFY(keepRegions("a\n/*~ keep x */\nb\n/*~ */\n").ok());
        QVERIFY(!keepRegions("/*~ keep x */\n").ok());
        QVERIFY(!keepRegions("/*~ */\n").ok());
        QVERIFY(!keepRegions("/*~ keep x */\n/*~ keep y */\n/*~ */\n").ok());
        QVERIFY(!keepRegions("/*~ keep x */\n/*~ */\n/*~ keep x */\n/*~ */\n").ok());
    }

    void textForCommentsIsHarmless()
    {
        COMPARE_TEXT(commentText("a*/b/*c\\\n?" "?/ \u00b1 \u2603"), "a* /b/ *c/ ? ?/ +- ?");
        COMPARE_TEXT(identifierOf("Gate bridge!"), "gate_bridge");
        COMPARE_TEXT(identifierOf("9 lives"), "n9_lives");
        COMPARE_TEXT(identifierOf("\u2603"), "plan");
        Identifiers names;
        COMPARE_TEXT(names.take("a-b"), "a_b");
        COMPARE_TEXT(names.take("a b"), "a_b_2");
        COMPARE_TEXT(names.take("while"), "while_");
    }
};

BINDREL_TEST(SourceTest)
#include "source_test.moc"
