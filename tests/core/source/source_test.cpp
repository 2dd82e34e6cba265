// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/output.h"
#include "core/plan/memory_size.h"
#include "core/source/keep_regions.h"
#include "core/source/safe_text.h"
#include "tests/support/output_fixture.h"

#include <QProcess>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// The written source goes through the real cross-compiler and linker; what a person did to the files is never lost.
class SourceTest : public QObject, public OutputFixture {
    Q_OBJECT
private Q_SLOTS:
    void initTestCase()
    {
        QProcess probe;
        probe.start("arm-none-eabi-gcc", {"--version"});
        QVERIFY2(probe.waitForFinished() && probe.exitCode() == 0,
                 "the cross-compiler is needed; scripts/install-packages brings it");
    }

    void compilesAndLinksWithoutAWarning_data()
    {
        QTest::addColumn<LoadedPlan>("work");
        QTest::newRow("done") << demo();
        QTest::newRow("nothing bound") << demo("sluice-node-c-start");
        QTest::newRow("tangled") << demo("sluice-node-c-tangled");
        QTest::newRow("other goals") << with(
            with(with(with(demo(), SetGoal{"uplink", "direction", "transmit"}), SetGoal{"uplink", "flow", "none"}),
                 SetGoal{"gate-bridge", "alignment", "edge"}),
            SetGoal{"gate-bridge", "idle", "high"});
        QTest::newRow("odd rates") << with(with(demo(), SetClock{"PLLA.VCO", clockSaid("79")}),
                                           SetClock{"PLLA.MAIN", clockSaid("7")});
        QTest::newRow("internal, slow") << with(with(demo(), SetClock{"SYS", clockSaid("HFI")}),
                                                SetText{SetText::What::Range, "R3"});
        LoadedPlan hostile = demo();
        hostile.plan.name = "*/ int main(void) { return 0; } /* \\\n#error ?"
                            "?/";
        hostile.plan.prefix = "9 bad-prefix*/";
        for (Need& need : hostile.plan.needs)
            need.title = "x */ #error \" \\";
        hostile.plan.needs[NeedIndex(3)].id = "while";
        hostile.plan.needs[NeedIndex(4)].id = "board";
        QTest::newRow("goes on, two cores") << with(demo("pump-hall-a-done"), SetOnFailure{OnFailure::GoOn});
        QTest::newRow("falls back") << with(
            with(with(demo(), SetMode{"STOP", true}), SetOnFailure{OnFailure::FallBack}), SetSlow{ClockSet{"", {}}});
        QTest::newRow("low-power modes") << with(with(demo(), SetMode{"STOP", true}), SetMode{"SLEEP", true});
        QTest::newRow("RISC-V doze") << with(demo("ditch-meter-d-done"), SetMode{"DOZE", true});
        QTest::newRow("two cores stop, two sets") << with(with(demo("pump-hall-a-done"), SetMode{"STILL", true}),
                                                          SetSlow{ClockSet{"", {{"HX", clockSaid("on")}}}});
        const auto sized = [](const char* plan, const char* stack, const char* heap) {
            return with(with(demo(plan), SetText{SetText::What::Stack, stack}), SetText{SetText::What::Heap, heap});
        };
        QTest::newRow("stack and heap") << sized("sluice-node-c-done", "2 KiB", "1 KiB");
        QTest::newRow("stack alone") << sized("rain-post-b-done", "1000 bytes", "");
        QTest::newRow("heap alone, RISC-V") << sized("ditch-meter-d-done", "", "512 bytes");
        QTest::newRow("two cores with stacks") << sized("pump-hall-a-done", "4 KiB", "8 KiB");
        QTest::newRow("hostile names") << hostile;
    }
    void compilesAndLinksWithoutAWarning()
    {
        QFETCH(LoadedPlan, work);
        QTemporaryDir dir;
        const auto s = run(work);
        write(*s, folderOf(dir));
        compile(*s, folderOf(dir));
        for (const SourceFile& file : s->source().files) {
            const std::string text = file.text();
            QVERIFY(std::all_of(text.begin(), text.end(),
                                [](char c) { return c == '\n' || c == '\t' || (c >= ' ' && c < 127); }));
        }
    }

    /// What a person's own main.c may do: copy a struct, run something before main, divide 64 bits.
    void aProgramOfTheUsersLinks()
    {
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            QTemporaryDir dir;
            const auto s = run(demo(plan));
            write(*s, folderOf(dir));
            put(folderOf(dir) / "main.c", "#include \"" + s->source().prefix +
                                              "_board.h\"\n"
                                              "struct big { uint32_t words[64]; };\n"
                                              "extern struct big before_copy;\n"
                                              "struct big before_copy = {{1u, 2u}};\n"
                                              "static volatile uint32_t seen;\n"
                                              "__attribute__((constructor)) static void first(void) { seen = 7u; }\n"
                                              "int main(void)\n{\n    struct big copy = before_copy;\n    for (;;) {\n"
                                              "        seen = copy.words[seen & 63u] + (uint32_t)(((uint64_t)seen << "
                                              "20) / (seen + 3u));\n    }\n}\n");
            compile(*s, folderOf(dir));
        }
    }

    /// Stack, heap and data that do not fit are the linker's to refuse, and what cannot fit at all is a finding.
    void memoryThatIsTooSmallIsRefused()
    {
        const LoadedPlan work = demo();
        const std::uint32_t ram = work.device->core().ramBytes;
        const auto sized = [&](std::uint32_t stack) {
            return with(with(work, SetText{SetText::What::Stack, memorySizeText(stack)}),
                        SetText{SetText::What::Heap, "1 KiB"});
        };
        const auto told = [](const Snapshot& s) {
            return std::ranges::count(s.findings, std::string("MEM-01"), &Finding::rule);
        };
        const auto fits = run(sized(ram - 1024 - 8));
        QCOMPARE(int(told(*fits)), 0);
        QCOMPARE(int(told(*run(sized(ram - 1024)))), 1);
        QTemporaryDir dir;
        write(*fits, folderOf(dir));
        put(folderOf(dir) / "main.c",
            "static volatile unsigned char data[64];\nint main(void)\n{\n    return data[0];\n}\n");
        QProcess shell;
        shell.setWorkingDirectory(QString::fromStdString(folderOf(dir).string()));
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", "export LC_ALL=C; " + QString::fromStdString(fits->source().buildCommand)});
        QVERIFY(shell.waitForFinished(120'000));
        const QByteArray said = shell.readAll();
        QVERIFY2(shell.exitCode() != 0 && said.contains("RAM is too small for data, heap and stack"), said.constData());
    }

    void buildsWithItsOwnCMakeFiles()
    {
        QTemporaryDir dir;
        const auto s = run(demo());
        write(*s, folderOf(dir));
        QProcess shell;
        shell.setWorkingDirectory(QString::fromStdString(folderOf(dir).string()));
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh",
                    {"-c", "cmake -B build -DCMAKE_TOOLCHAIN_FILE=sluice_toolchain.cmake && cmake --build build"});
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
        put(folderOf(dir) / "sluice_board.h",
            replaced(textOf(folderOf(dir) / "sluice_board.h"), "75000000u", "37500000u"));
        QProcess shell;
        shell.setWorkingDirectory(QString::fromStdString(folderOf(dir).string()));
        shell.start("sh", {"-c", QString::fromStdString(s->source().buildCommand)});
        QVERIFY(shell.waitForFinished(120'000));
        QVERIFY(shell.exitCode() != 0);
        QVERIFY(shell.readAllStandardError().contains("static assertion failed"));
    }

    void everyDecidedLineHasATrace()
    {
        const auto s = run(demo());
        for (const char* name : {"sluice_clocks.c", "sluice_pins.c", "sluice_uplink.c"}) {
            const SourceFile* file = s->source().find(name);
            QVERIFY(file);
            for (const SourceLine& line : file->lines)
                if (line.text.find("SLUICE_") != std::string::npos && line.text.find("->") != std::string::npos)
                    QVERIFY2(line.trace >= 0, line.text.c_str());
        }
        // The input of the modem's data is led to its pad at once, the output when the port is set.
        const auto says = [&s](const char* name, const char* place, const char* text) {
            const SourceFile* file = s->source().find(name);
            return std::any_of(file->lines.begin(), file->lines.end(), [&](const SourceLine& line) {
                return line.trace >= 0 && file->traces[size_t(line.trace)].place.id == place &&
                       line.text.find(text) != std::string::npos;
            });
        };
        QVERIFY(says("sluice_pins.c", "PD1", "PORTD->CFG1") && !says("sluice_pins.c", "PD0", "PORTD->CFG0"));
        QVERIFY(says("sluice_uplink.c", "uplink", "PORTD->CFG0"));
    }

    void samePlanSameBytes()
    {
        const auto a = run(demo()), b = run(demo());
        for (const SourceFile& file : a->source().files)
            COMPARE_TEXT(b->source().find(file.name)->text(), QString::fromStdString(file.text()));
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
        COMPARE_TEXT(commentText("a*/b/*c\\\n?"
                                 "?/ \u00b1 \u2603"),
                     "a* /b/ *c/ ? ?/ +- ?");
        COMPARE_TEXT(identifierOf("Gate bridge!"), "gate_bridge");
        COMPARE_TEXT(identifierOf("9 lives"), "n9_lives");
        COMPARE_TEXT(identifierOf("\u2603"), "plan");
        COMPARE_TEXT(cString("a\"b\\c\n?"
                             "?=\u2603")
                         .text(),
                     "\"a\\\"b\\\\c\\012\\?\\?=\\342\\230\\203\"");
        COMPARE_TEXT(shellWord("a b'c").text(), "'a b'\\''c'");
        COMPARE_TEXT(shellWord("out/plain-1.0").text(), "out/plain-1.0");
    }
};

BINDREL_TEST(SourceTest)
#include "source_test.moc"
