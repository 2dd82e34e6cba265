// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/output.h"
#include "tests/support/output_fixture.h"

#include "core/base/directory.h"

#include <csignal>
#include <fstream>
#include <random>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// A disk that fills up, and a process that is killed: a write is all or nothing, and what a person made is never lost.
class OutputFailureTest : public QObject, public OutputFixture {
    Q_OBJECT

    /// Runs `work` in a child whose files may not grow over `bytes`: each write past that fails, as on a full disk.
    template <typename Work> static int withSmallDisk(rlim_t bytes, Work work)
    {
        const pid_t child = fork();
        if (child == 0) {
            std::signal(SIGXFSZ, SIG_IGN);
            const rlimit limit{bytes, bytes};
            setrlimit(RLIMIT_FSIZE, &limit);
            _exit(work() ? 0 : 1);
        }
        int status = 0;
        waitpid(child, &status, 0);
        return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    }

private Q_SLOTS:
    void aFullDiskLeavesTheOldSource()
    {
        QTemporaryDir dir;
        const auto old = run(demo());
        const auto fresh = run(with(with(demo(), SetGoal{"uplink", "baud", "9600"}), SetClock{"BUS1", clockSaid("4")}));
        write(*old, folderOf(dir));
        const auto before = filesOf(folderOf(dir));
        for (const rlim_t bytes : {0, 10, 500, 1000, 2000, 3000, 5000, 8000}) {
            const int code = withSmallDisk(bytes, [&] { return tryWrite(*fresh, folderOf(dir)).ok(); });
            if (code == 0)
                break; // it fitted after all
            QCOMPARE(code, 1);
            QVERIFY(filesOf(folderOf(dir)) == before);
        }
        // And when there is room again, it works.
        write(*fresh, folderOf(dir));
        COMPARE_TEXT(textOf(folderOf(dir) / "sluice_clocks.c"),
                     QString::fromStdString(fresh->source().find("sluice_clocks.c")->text()));
    }

    void aFullDiskLeavesTheOldPlan()
    {
        QTemporaryDir dir;
        const fs::path file = fs::path(dir.path().toStdString()) / "p.bindrel";
        QVERIFY(savePlan(demo().plan, file).ok());
        const std::string before = textOf(file);
        for (const rlim_t bytes : {0, 1, 100, 2000}) {
            QCOMPARE(withSmallDisk(bytes, [&] { return savePlan(demo("sluice-node-c-tangled").plan, file).ok(); }), 1);
            COMPARE_TEXT(textOf(file), QString::fromStdString(before));
        }
        int files = 0;
        for ([[maybe_unused]] const auto& entry : fs::directory_iterator(dir.path().toStdString()))
            ++files;
        QCOMPARE(files, 1);
    }

    /// The disk is full at the n-th change, whichever that is: the folder is as it was, or the write went through.
    void noSpaceAtAnyCallChangesNothing()
    {
        const auto a = run(demo());
        const auto b = run(with(with(with(demo(), SetGoal{"uplink", "baud", "9600"}), SetClock{"BUS1", clockSaid("4")}),
                                SetBinding{"beacon", {}}));
        QTemporaryDir dir;
        write(*a, folderOf(dir));
        put(folderOf(dir) / "sluice_pins.c", textOf(folderOf(dir) / "sluice_pins.c") + "/* mine */\n");
        const auto before = filesOf(folderOf(dir));
        int failures = 0;
        for (int n = 0;; ++n) {
            int calls = 0;
            setDirectoryWatcher_TESTING([&](const std::string&) { return calls++ == n; });
            const auto done = tryWrite(*b, folderOf(dir));
            setDirectoryWatcher_TESTING({});
            if (done && calls <= n)
                break; // the call that was to fail never came
            if (done) {
                // It failed behind the last rename: only tidying up was left.
                for (const SourceFile& file : b->source().files)
                    QVERIFY(file.owner == SourceFile::Owner::User || fs::exists(folderOf(dir) / file.name));
            } else {
                ++failures;
                QVERIFY2(filesOf(folderOf(dir)) == before,
                         qPrintable(QString("call %1: %2").arg(n).arg(done.problem().text().c_str())));
                QVERIFY(done.problem().message.find("o space") != std::string::npos ||
                        done.problem().message.find("cannot") != std::string::npos);
            }
            write(*a, folderOf(dir));
            QVERIFY(filesOf(folderOf(dir)) == before);
        }
        QVERIFY(failures > 40);
    }

    /// Somebody saves a file at the n-th change of a write: that text is in the folder afterwards, under one name or
    /// another.
    void whatIsSavedDuringAWriteIsKept()
    {
        const auto a = run(demo());
        const auto b = run(with(with(with(demo(), SetGoal{"uplink", "baud", "9600"}), SetClock{"BUS1", clockSaid("4")}),
                                SetBinding{"beacon", {}}));
        for (const char* name : {"sluice_uplink.c", "sluice_beacon.c", "sluice_clocks.c", "main.c"})
            for (int n = 0; n < 75; n += 7) {
                QTemporaryDir dir;
                write(*a, folderOf(dir));
                const fs::path file = folderOf(dir) / name;
                int calls = 0;
                setDirectoryWatcher_TESTING([&](const std::string&) {
                    if (calls++ == n)
                        std::ofstream(file.string() + "~") << "/* saved in this moment */\n",
                            fs::rename(file.string() + "~", file);
                    return false;
                });
                const auto done = tryWrite(*b, folderOf(dir));
                setDirectoryWatcher_TESTING({});
                bool kept = calls <= n;
                for (const auto& [other, text] : filesOf(folderOf(dir)))
                    kept = kept || text == "/* saved in this moment */\n";
                QVERIFY2(kept, qPrintable(QString("%1 at call %2").arg(name).arg(n)));
                if (done && calls > n && std::string(name) != "main.c" &&
                    textOf(file) != "/* saved in this moment */\n")
                    QVERIFY(!done->empty());
            }
    }

    void aKilledWriteIsFinishedByTheNextOne()
    {
        const int rounds =
            qEnvironmentVariableIntValue("BINDREL_KILLS") > 0 ? qEnvironmentVariableIntValue("BINDREL_KILLS") : 80;
        QTemporaryDir dir;
        const auto a = run(demo());
        const auto b = run(with(with(with(demo(), SetGoal{"uplink", "baud", "9600"}), SetClock{"BUS1", clockSaid("4")}),
                                SetBinding{"beacon", {}}));
        (void)a->source(), (void)b->source();
        write(*a, folderOf(dir));
        std::mt19937 random(7);
        int died = 0, edits = 0;
        std::vector<std::string> typed;
        for (int round = 0; round < rounds; ++round) {
            // At the n-th change the process is gone, without a word.
            const int last = int(random() % 75);
            const Snapshot& wanted = round % 2 ? *a : *b;
            const pid_t child = fork();
            if (child == 0) {
                int calls = 0;
                setDirectoryWatcher_TESTING([&](const std::string&) {
                    if (calls++ == last)
                        kill(getpid(), SIGKILL);
                    return false;
                });
                (void)tryWrite(wanted, folderOf(dir));
                _exit(0);
            }
            int status = 0;
            waitpid(child, &status, 0);
            died += WIFSIGNALED(status);
            // Looking changes nothing, and says that something was interrupted.
            const auto before = treeOf(folderOf(dir));
            QVERIFY(previewOutput(a->source(), folderOf(dir)).ok());
            QVERIFY(treeOf(folderOf(dir)) == before);
            // A person edits between the death and the next write, also a file that was to be removed.
            for (const char* name : {"sluice_uplink.c", "sluice_beacon.c"})
                if (const fs::path file = folderOf(dir) / name; random() % 3 == 0 && fs::exists(file)) {
                    typed.push_back("/* edit " + std::to_string(edits++) + " */");
                    put(file, textOf(file) + typed.back() + "\n");
                }
            const Snapshot& next = random() % 2 ? *a : *b;
            const auto done = tryWrite(next, folderOf(dir));
            QVERIFY2(done.ok(), done.ok() ? "" : (std::to_string(round) + " " + done.problem().text()).c_str());
            for (const SourceFile& file : next.source().files)
                if (file.owner == SourceFile::Owner::Generated && file.name.find("uplink") == std::string::npos &&
                    file.name.find("beacon") == std::string::npos)
                    COMPARE_TEXT(textOf(folderOf(dir) / file.name), QString::fromStdString(file.text()));
            std::string all;
            for (const auto& [name, text] : filesOf(folderOf(dir)))
                all += text;
            for (const std::string& mine : typed)
                QVERIFY2(all.find(mine) != std::string::npos,
                         (mine + " is lost in round " + std::to_string(round)).c_str());
            QVERIFY(textOf(folderOf(dir) / "sluice_uplink.c").find(&next == a.get() ? "DIV 163" : "DIV 781") !=
                    std::string::npos);
            // Nothing is left lying about.
            for (const auto& entry : fs::directory_iterator(folderOf(dir) / ".bindrel"))
                QVERIFY(entry.path().filename().string().rfind("stage", 0) != 0);
        }
        qInfo("died %d times of %d, %d edits between", died, rounds, edits);
        QVERIFY(died > rounds / 4);
    }

    void oneWriterAtATime()
    {
        QTemporaryDir dir;
        const auto a = run(demo());
        write(*a, folderOf(dir));
        // Another process holds the folder; it says so when it does, and dies without letting go.
        int ready[2];
        QVERIFY(pipe(ready) == 0);
        const pid_t child = fork();
        if (child == 0) {
            const auto folder = Directory::open(folderOf(dir) / ".bindrel");
            const auto lock = FolderLock::take(*folder);
            (void)!::write(ready[1], "x", 1);
            pause();
            _exit(0);
        }
        char byte = 0;
        QVERIFY(read(ready[0], &byte, 1) == 1);
        const auto refused = tryWrite(*run(with(demo(), SetClock{"BUS1", clockSaid("4")})), folderOf(dir));
        QVERIFY(!refused.ok());
        QVERIFY2(refused.problem().message.find("process " + std::to_string(child)) != std::string::npos,
                 refused.problem().message.c_str());
        kill(child, SIGKILL);
        waitpid(child, nullptr, 0);
        close(ready[0]);
        close(ready[1]);
        write(*run(with(demo(), SetClock{"BUS1", clockSaid("4")})), folderOf(dir));
    }

    void aPlanThatSomebodyChangedIsNotOverwritten()
    {
        QTemporaryDir dir;
        const fs::path file = fs::path(dir.path().toStdString()) / "p.bindrel";
        QVERIFY(savePlan(demo().plan, file).ok());
        const std::string read = textOf(file);
        const auto done = savePlanOver(demo("sluice-node-c-tangled").plan, file, read);
        QVERIFY(done.ok() && *done);
        const auto late = savePlanOver(demo("sluice-node-c-start").plan, file, read);
        QVERIFY(late.ok() && !*late);
        COMPARE_TEXT(textOf(file), QString::fromStdString(planText(demo("sluice-node-c-tangled").plan)));
    }
};

BINDREL_TEST(OutputFailureTest)
#include "output_failure_test.moc"
