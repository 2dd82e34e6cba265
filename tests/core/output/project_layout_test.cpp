// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assignment.h"
#include "core/base/directory.h"
#include "core/output/output.h"
#include "core/plan/plan_file.h"
#include "core/source/names.h"
#include "core/source/seal.h"
#include "tests/support/output_fixture.h"

#include <csignal>
#include <random>
#include <sys/wait.h>
#include <unistd.h>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// The project in the shape of a team's own tree: folders, file names, line ends, a notice; and the way from one shape
/// to another, on which nothing that a person typed is lost.
class ProjectLayoutTest : public QObject, public OutputFixture {
    Q_OBJECT

    static ProjectLayout apart()
    {
        ProjectLayout out;
        out.sources = "firmware/src";
        out.headers = "inc";
        out.fileNames = ProjectLayout::FileNames::Hyphens;
        out.notice = "Copyright 2026 Sluice Works\nSPDX-License-Identifier: MIT */ int x; /*";
        return out;
    }
    static void plans()
    {
        QTest::addColumn<QString>("plan");
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"})
            QTest::newRow(plan) << plan;
    }
    /// Texts of all files outside the memory, by path.
    static std::map<std::string, std::string> projectOf(const fs::path& folder)
    {
        std::map<std::string, std::string> out;
        for (const auto& [path, text] : treeOf(folder))
            if (const std::string name = fs::path(path).lexically_relative(folder).string();
                !name.starts_with(".bindrel"))
                out[name] = text;
        return out;
    }
    static QByteArray ran(const fs::path& folder, const QString& command, int& code)
    {
        QProcess shell;
        shell.setWorkingDirectory(QString::fromStdString(folder.string()));
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", command});
        code = shell.waitForFinished(240'000) ? shell.exitCode() : -1;
        return shell.readAll();
    }
    static std::string inserted(std::string text, const std::string& behind, const std::string& what)
    {
        const std::size_t at = text.find(behind);
        if (at == std::string::npos)
            qFatal("no %s", behind.c_str());
        return text.insert(text.find('\n', at) + 1, what);
    }

private Q_SLOTS:
    void eachSettingIsReadAndKept()
    {
        const LoadedPlan work = demo();
        for (const auto& [key, value] :
             std::vector<std::pair<std::string, std::string>>{{"sources_in", "src"},
                                                              {"sources_in", "a/b-2/c_d.e"},
                                                              {"headers_in", "inc"},
                                                              {"file_names", "hyphens"},
                                                              {"line_ends", "LF"},
                                                              {"line_ends", "CRLF"},
                                                              {"notice", "Mine.\nAll \"of\" it."}}) {
            const Expected<Edit> edit = readAssignment(work, "project." + key + "=" + value);
            QVERIFY2(edit.ok(), key.c_str());
            const Expected<Plan> set = applied(work.plan, *edit);
            QVERIFY(set.ok());
            COMPARE_TEXT(layoutSetting(key)->text(set->project), QString::fromStdString(value));
            const auto again = parsePlan(planText(*set), "again.bindrel", library());
            QVERIFY2(again.ok(), again.ok() ? "" : again.problem().text().c_str());
            QVERIFY(again->plan == *set);
            const Expected<Edit> back = inverse(work.plan, *edit);
            QVERIFY(back.ok() && *applied(*set, *back) == work.plan);
            // Given up again, nothing is left of it in the file.
            const Expected<Edit> none =
                readAssignment({work.device, work.board, *set, {}, {}, {}}, "project." + key + "=");
            QVERIFY(none.ok());
            COMPARE_TEXT(planText(*applied(*set, *none)), QString::fromStdString(planText(work.plan)));
        }
    }

    void whatIsNoFolderIsRefused()
    {
        const LoadedPlan work = demo();
        for (const char* folder : {"..", "../up", "a/../b", "/tmp", "a//b", ".git", "a/.b", "a b", "a$(x)", "a;b",
                                   "a\\b", "-rf", "build", "build/x", "build-make", "\u00e4", "a\nb", "a@b", "*"}) {
            QVERIFY2(!readAssignment(work, std::string("project.sources_in=") + folder).ok(), folder);
            QVERIFY2(!readAssignment(work, std::string("project.headers_in=") + folder).ok(), folder);
        }
        QVERIFY(!readAssignment(work, "project.sources_in=" + std::string(101, 'a')).ok());
        for (const char* wrong : {"file_names=hyphen", "line_ends=crlf", "folder=src", "=src"})
            QVERIFY2(!readAssignment(work, std::string("project.") + wrong).ok(), wrong);
        COMPARE_TEXT(readAssignment(work, "project.file_names=hyphen").problem().message,
                     "\"hyphen\" is not possible; use underscores or hyphens. Did you mean \"hyphens\"?");
        std::string text = planText(work.plan);
        text.insert(text.find("\"needs\""), "\"project\": { \"sources_in\": \"../x\" },\n  ");
        const auto refused = parsePlan(text, "wrong.bindrel", library());
        QVERIFY(!refused.ok() && refused.problem().line > 0);
    }

    /// The longest notice leaves each file its seal: a second write has nothing to do.
    void longNotices()
    {
        const LoadedPlan work = demo();
        QVERIFY(!readAssignment(work, "project.notice=" + std::string(1501, 'x')).ok());
        QVERIFY(!readAssignment(work, "project.notice=a" + std::string(40, '\n') + "b").ok());
        for (const std::string& unit :
             {std::string("*/"), std::string("\u00b1"), std::string("?\?/"), std::string("x")}) {
            std::string notice;
            while (notice.size() + unit.size() < 1450) {
                notice += unit;
                if (notice.size() / 40 > size_t(std::count(notice.begin(), notice.end(), '\n')))
                    notice += "\n";
            }
            const Expected<Edit> edit = readAssignment(work, "project.notice=" + notice);
            QVERIFY2(edit.ok(), edit.ok() ? "" : edit.problem().text().c_str());
            const auto s = run({work.device, work.board, *applied(work.plan, *edit), {}, {}, {}});
            for (const SourceFile& file : s->source().files)
                if (file.owner == SourceFile::Owner::Generated)
                    QVERIFY2(sealOf(file.text()) && isUntouched(file.text()), file.name.c_str());
        }
    }

    /// In folders of its own, with other names: the compiler's command, CMake and make build it without a warning.
    void itBuildsInFolders_data() { plans(); }
    void itBuildsInFolders()
    {
        QFETCH(QString, plan);
        QTemporaryDir dir;
        const auto s = run(with(demo(qPrintable(plan)), SetProject{apart()}));
        write(*s, folderOf(dir));
        for (const auto& [path, text] : projectOf(folderOf(dir))) {
            QVERIFY2(!path.ends_with(".c") || path.starts_with("firmware/src/"), path.c_str());
            QVERIFY2(!path.ends_with(".h") || path.starts_with("inc/"), path.c_str());
            QVERIFY2(path.find('_') == std::string::npos, path.c_str());
            if (path.ends_with(".c") || path.ends_with(".h"))
                QVERIFY2(text.starts_with("/* Copyright 2026 Sluice Works\n * SPDX-License-Identifier: MIT "),
                         path.c_str());
        }
        compile(*s, folderOf(dir));
        // By CMake and make, for two cores and one.
        if (plan != "pump-hall-a-done" && plan != "rain-post-b-done")
            return;
        int code = 0;
        const QByteArray built = ran(
            folderOf(dir), "cmake -G Ninja -B build --preset small && cmake --build build && make OPTIMISE=-Os", code);
        QVERIFY2(code == 0 && !built.contains("warning"), built.constData());
        // What is written by default builds the same program.
        QTemporaryDir flat;
        const auto plain = run(demo(qPrintable(plan)));
        write(*plain, folderOf(flat));
        (void)ran(folderOf(flat), "make OPTIMISE=-Os", code);
        for (size_t core = 0; core < s->device->cores.size(); ++core) {
            const std::string bin = "build-make/" + namesFor(s->facts(), int(core)).prefix.text() + ".bin";
            QVERIFY2(textOf(folderOf(dir) / bin).size() == textOf(folderOf(flat) / bin).size() &&
                         !textOf(folderOf(dir) / bin).empty(),
                     bin.c_str());
        }
    }

    /// A person's text in keep regions, between generated lines and in main.c goes along, and the old files go.
    void editsMoveAlong()
    {
        QTemporaryDir dir;
        const fs::path folder = folderOf(dir);
        const auto flat = run(demo());
        const auto moved = run(with(with(demo(), SetProject{apart()}), SetGoal{"uplink", "baud", "9600"}));
        write(*flat, folder);
        put(folder / "sluice_uplink.c",
            inserted(textOf(folder / "sluice_uplink.c"), "/*~ keep uplink_bring_up */", "    kept_text();\n"));
        put(folder / "sluice_pins.c", textOf(folder / "sluice_pins.c") + "/* behind the end */\n");
        put(folder / "main.c", "/* all mine */\nint main(void) { return 0; }\n");
        put(folder / "notes.txt", "mine too\n");
        QVERIFY(stateOf(*moved, folder, "firmware/src/sluice-uplink.c") == FileChange::State::Moved);
        QVERIFY(stateOf(*moved, folder, "sluice_pins.c") == FileChange::State::Obsolete);
        QVERIFY(stateOf(*moved, folder, "firmware/src/main.c") == FileChange::State::Moved);
        write(*moved, folder);
        auto files = projectOf(folder);
        QVERIFY(files["firmware/src/sluice-uplink.c"].find("    kept_text();\n") != std::string::npos);
        QVERIFY(files["firmware/src/sluice-pins.c"].ends_with("/* behind the end */\n"));
        COMPARE_TEXT(files["firmware/src/main.c"], "/* all mine */\nint main(void) { return 0; }\n");
        COMPARE_TEXT(files["notes.txt"], "mine too\n");
        for (const auto& [path, text] : files)
            QVERIFY2(path.find("_") == std::string::npos, path.c_str());
        // A second write has nothing to do, and the way back leads to what was there.
        const auto again = previewOutput(moved->source(), folder);
        QVERIFY(again.ok());
        for (const FileChange& change : again->files)
            QVERIFY2(!change.touchesDisk() && change.state != FileChange::State::Conflict, change.name.c_str());
        write(*flat, folder);
        files = projectOf(folder);
        QVERIFY(!files.contains("firmware") && !files.contains("inc") && !files.contains("firmware/src"));
        QVERIFY(files["sluice_uplink.c"].find("    kept_text();\n") != std::string::npos);
        QVERIFY(files["sluice_pins.c"].ends_with("/* behind the end */\n"));
        COMPARE_TEXT(files["main.c"], "/* all mine */\nint main(void) { return 0; }\n");
    }

    void aConflictStopsTheMove()
    {
        QTemporaryDir dir;
        const fs::path folder = folderOf(dir);
        write(*run(demo()), folder);
        std::string text = textOf(folder / "sluice_uplink.c");
        const std::size_t at = text.find("DIV ");
        put(folder / "sluice_uplink.c", text.replace(at, 4, "DIV! "));
        const auto before = treeOf(folder);
        const auto moved = run(with(with(demo(), SetProject{apart()}), SetGoal{"uplink", "baud", "9600"}));
        QVERIFY(stateOf(*moved, folder, "firmware/src/sluice-uplink.c") == FileChange::State::Conflict);
        QVERIFY(!tryWrite(*moved, folder).ok());
        QVERIFY(treeOf(folder) == before);
    }

    /// A folder of the layout that is a link, or a file, is refused and nothing is written through it.
    void linksAreNotFollowed()
    {
        for (const bool link : {true, false}) {
            QTemporaryDir dir;
            const fs::path folder = folderOf(dir), elsewhere = fs::path(dir.path().toStdString()) / "elsewhere";
            fs::create_directories(folder);
            fs::create_directories(elsewhere);
            if (link)
                fs::create_directory_symlink(elsewhere, folder / "inc");
            else
                put(folder / "inc", "a file\n");
            const auto before = treeOf(folder);
            const auto done = tryWrite(*run(with(demo(), SetProject{apart()})), folder);
            QVERIFY(!done.ok());
            QVERIFY2(done.problem().message.find("link") != std::string::npos, done.problem().message.c_str());
            QVERIFY(treeOf(folder) == before);
            QVERIFY(fs::is_empty(elsewhere));
        }
    }

    void lineEndsAreThoseOfThePlan()
    {
        QTemporaryDir dir;
        const fs::path folder = folderOf(dir);
        const auto ends = [&folder](const std::string& name) {
            const std::string text = textOf(folder / name);
            const auto returns = std::count(text.begin(), text.end(), '\r'),
                       lines = std::count(text.begin(), text.end(), '\n');
            return returns == 0 ? "LF" : returns == lines ? "CRLF" : "mixed";
        };
        ProjectLayout layout;
        write(*run(demo()), folder);
        COMPARE_TEXT(ends("sluice_pins.c"), "LF");
        layout.lineEnds = ProjectLayout::LineEnds::CrLf;
        write(*run(with(demo(), SetProject{layout})), folder);
        for (const char* name : {"sluice_pins.c", "CMakeLists.txt", "CMakePresets.json", "sluice_project.md"})
            COMPARE_TEXT(ends(name), "CRLF");
        COMPARE_TEXT(ends("main.c"), "LF"); // the user's own, there already
        layout.lineEnds = ProjectLayout::LineEnds::AsFound;
        write(*run(with(with(demo(), SetProject{layout}), SetGoal{"uplink", "baud", "9600"})), folder);
        COMPARE_TEXT(ends("sluice_uplink.c"), "CRLF");
        layout.lineEnds = ProjectLayout::LineEnds::Lf;
        write(*run(with(demo(), SetProject{layout})), folder);
        COMPARE_TEXT(ends("sluice_uplink.c"), "LF");
        compile(*run(demo()), folder);
    }

    /// The disk is full at the n-th change while every file moves: the folder is as it was, or the write went through.
    void noSpaceAtAnyCallWhileFilesMove()
    {
        const auto flat = run(demo());
        const auto moved = run(with(demo(), SetProject{apart()}));
        QTemporaryDir dir;
        const fs::path folder = folderOf(dir);
        write(*flat, folder);
        put(folder / "sluice_pins.c", textOf(folder / "sluice_pins.c") + "/* mine */\n");
        const auto before = projectOf(folder);
        int failures = 0;
        for (int n = 0;; n += 7) {
            int calls = 0;
            setDirectoryWatcher_TESTING([&](const std::string&) { return calls++ == n; });
            const auto done = tryWrite(*moved, folder);
            setDirectoryWatcher_TESTING({});
            if (done && calls <= n)
                break;
            if (!done) {
                ++failures;
                QVERIFY2(projectOf(folder) == before, qPrintable(QString("call %1").arg(n)));
            }
            write(*flat, folder);
            QVERIFY(projectOf(folder) == before);
        }
        QVERIFY2(failures > 12, qPrintable(QString::number(failures)));
    }

    /// A process is killed at the n-th change while every file moves: what a person typed is in the project afterwards.
    void aKilledMoveLosesNothing()
    {
        QTemporaryDir dir;
        const fs::path folder = folderOf(dir);
        const auto flat = run(demo());
        const auto moved = run(with(demo(), SetProject{apart()}));
        (void)flat->source(), (void)moved->source();
        write(*flat, folder);
        std::mt19937 random(11);
        std::vector<std::string> typed;
        int died = 0;
        for (int round = 0; round < 24; ++round) {
            const int last = int(random() % 160);
            const Snapshot& wanted = round % 2 ? *flat : *moved;
            const pid_t child = fork();
            if (child == 0) {
                int calls = 0;
                setDirectoryWatcher_TESTING([&](const std::string&) {
                    if (calls++ == last)
                        kill(getpid(), SIGKILL);
                    return false;
                });
                (void)tryWrite(wanted, folder);
                _exit(0);
            }
            int status = 0;
            waitpid(child, &status, 0);
            died += WIFSIGNALED(status);
            for (const char* name : {"sluice_pins.c", "firmware/src/sluice-pins.c", "main.c", "firmware/src/main.c"})
                if (const fs::path file = folder / name; random() % 3 == 0 && fs::exists(file)) {
                    typed.push_back("/* typed " + std::to_string(typed.size()) + " */");
                    put(file, textOf(file) + typed.back() + "\n");
                }
            const Snapshot& next = random() % 2 ? *flat : *moved;
            const auto done = tryWrite(next, folder);
            QVERIFY2(done.ok(), done.ok() ? "" : (std::to_string(round) + " " + done.problem().text()).c_str());
            std::string all;
            for (const auto& [name, text] : projectOf(folder))
                all += text;
            for (const std::string& mine : typed)
                QVERIFY2(all.find(mine) != std::string::npos,
                         (mine + " is lost in round " + std::to_string(round)).c_str());
        }
        QVERIFY2(died > 6, qPrintable(QString::number(died)));
    }
};

BINDREL_TEST(ProjectLayoutTest)
#include "project_layout_test.moc"
