// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/output.h"
#include "tests/support/fixtures.h"

#include <csignal>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// A disk that fills up, and a process that is killed: a write is all or nothing, and what a person made is never lost.
class OutputFailureTest : public QObject {
    Q_OBJECT

    static fs::path folderOf(const QTemporaryDir& dir) { return fs::path(dir.path().toStdString()) / "out"; }

    static Outcome write(const Snapshot& s, const fs::path& folder)
    {
        const auto preview = previewOutput(s.source, folder);
        return preview ? writeOutput(s.source, folder, *preview) : Outcome(preview.problem());
    }

    static std::map<std::string, std::string> filesOf(const fs::path& folder)
    {
        std::map<std::string, std::string> out;
        for (const auto& entry : fs::directory_iterator(folder))
            if (entry.is_regular_file())
                out[entry.path().filename().string()] = textOf(entry.path());
        return out;
    }

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
        const auto fresh = run(with(with(demo(), SetGoal{"uplink", "baud", "9600"}), SetClock{"BUS1", "4"}));
        QVERIFY(write(*old, folderOf(dir)).ok());
        const auto before = filesOf(folderOf(dir));
        for (const rlim_t bytes : {0, 10, 500, 1000, 2000, 3000, 5000, 8000}) {
            const int code = withSmallDisk(bytes, [&] { return write(*fresh, folderOf(dir)).ok(); });
            if (code == 0)
                break; // it fitted after all
            QCOMPARE(code, 1);
            QVERIFY(filesOf(folderOf(dir)) == before);
        }
        // And when there is room again, it works.
        QVERIFY(write(*fresh, folderOf(dir)).ok());
        COMPARE_TEXT(textOf(folderOf(dir) / "sluice_clocks.c"), QString::fromStdString(fresh->source.find("sluice_clocks.c")->text()));
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

    void aKilledWriteIsAllOrNothingAfterTheNextLook()
    {
        QTemporaryDir dir;
        const auto a = run(demo());
        const auto b = run(with(with(with(demo(), SetGoal{"uplink", "baud", "9600"}), SetClock{"BUS1", "4"}), SetBinding{"beacon", {}}));
        QVERIFY(write(*a, folderOf(dir)).ok());
        int wroteB = 0, keptA = 0;
        // Later and later, until the child is through before it is killed.
        for (int round = 0; round < 60; ++round) {
            const pid_t child = fork();
            if (child == 0) {
                (void)write(*b, folderOf(dir));
                _exit(0);
            }
            usleep(useconds_t(200 + round * 600));
            kill(child, SIGKILL);
            waitpid(child, nullptr, 0);
            // The next look finishes or forgets what was begun.
            QVERIFY(previewOutput(a->source, folderOf(dir)).ok());
            const std::string clocks = textOf(folderOf(dir) / "sluice_clocks.c");
            const bool isB = clocks == b->source.find("sluice_clocks.c")->text();
            (isB ? wroteB : keptA)++;
            const Snapshot& expected = isB ? *b : *a;
            for (const SourceFile& file : expected.source.files)
                if (file.owner == SourceFile::Owner::Generated)
                    COMPARE_TEXT(textOf(folderOf(dir) / file.name), QString::fromStdString(file.text()));
            QCOMPARE(fs::exists(folderOf(dir) / "sluice_beacon.c"), !isB);
            QVERIFY(write(*a, folderOf(dir)).ok());
        }
        qInfo("killed before the point of no return %d times, after it %d times", keptA, wroteB);
        QVERIFY(keptA > 0);
    }

    void aMergedEditSurvivesAKillToo()
    {
        QTemporaryDir dir;
        const auto a = run(demo());
        const auto b = run(with(demo(), SetGoal{"uplink", "baud", "9600"}));
        for (int round = 0; round < 25; ++round) {
            fs::remove_all(folderOf(dir));
            QVERIFY(write(*a, folderOf(dir)).ok());
            const fs::path file = folderOf(dir) / "sluice_uplink.c";
            QVERIFY(writeFileAtomically(file, textOf(file) + "/* typed by a person */\n").ok());
            const pid_t child = fork();
            if (child == 0) {
                (void)write(*b, folderOf(dir));
                _exit(0);
            }
            usleep(useconds_t(200 + round * 1200));
            kill(child, SIGKILL);
            waitpid(child, nullptr, 0);
            QVERIFY(write(*b, folderOf(dir)).ok());
            QVERIFY(textOf(file).find("/* typed by a person */") != std::string::npos);
            QVERIFY(textOf(file).find("9.6") != std::string::npos);
        }
    }
};

BINDREL_TEST(OutputFailureTest)
#include "output_failure_test.moc"
