// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/end_signals.h"
#include "core/base/scratch_folder.h"
#include "tests/support/fixtures.h"

#include <QTemporaryDir>

#include <csignal>
#include <sys/wait.h>
#include <unistd.h>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

namespace {

volatile std::sig_atomic_t caught = 0;
void note(int signal)
{
    caught = signal;
}

/// Runs an act in a process of its own; gives how it ended, as waitpid tells.
template <typename Act> int inChild(Act act)
{
    const pid_t child = ::fork();
    if (child == 0) {
        act();
        ::_exit(0);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    return status;
}

} // namespace

/// What a process leaves behind, and what ends it.
class ProcessTest : public QObject {
    Q_OBJECT

    std::unique_ptr<QTemporaryDir> temporary_;
    size_t folders() const
    {
        size_t out = 0;
        for ([[maybe_unused]] const auto& entry : fs::directory_iterator(temporary_->path().toStdString()))
            ++out;
        return out;
    }

private Q_SLOTS:
    void init()
    {
        temporary_ = std::make_unique<QTemporaryDir>();
        qputenv("TMPDIR", temporary_->path().toUtf8());
    }
    void cleanup()
    {
        qunsetenv("TMPDIR");
        temporary_.reset();
    }

    void aScratchFolderGoesWithItsOwner()
    {
        fs::path was;
        {
            Expected<ScratchFolder> made = ScratchFolder::make();
            QVERIFY2(made.ok(), made.ok() ? "" : made.problem().text().c_str());
            was = made->path();
            QVERIFY(fs::is_directory(was));
            QCOMPARE(int(fs::status(was).permissions()), 0700);
            fs::create_directories(was / "deep");
            QVERIFY(writeFileAtomically(was / "deep" / "object.o", "x"));
            // Moved, it has one owner.
            const ScratchFolder moved = std::move(*made);
            QVERIFY(moved.path() == was && fs::is_directory(was));
        }
        QVERIFY(!fs::exists(was));
        QCOMPARE(folders(), size_t(0));
    }

    /// One that was killed leaves its folder; the next process takes it away, but not that of one that lives.
    void whatTheKilledLeftGoesWithTheNext()
    {
        const Expected<ScratchFolder> mine = ScratchFolder::make();
        QVERIFY(mine.ok());
        const int status = inChild([] {
            Expected<ScratchFolder> made = ScratchFolder::make();
            if (made)
                (void)writeFileAtomically(made->path() / "left", "x");
            ::raise(SIGKILL);
        });
        QVERIFY(WIFSIGNALED(status) && WTERMSIG(status) == SIGKILL);
        QCOMPARE(folders(), size_t(2));
        // One that is a minute old: of a younger one the owner may not stand in it yet.
        for (const auto& entry : fs::directory_iterator(temporary_->path().toStdString()))
            fs::last_write_time(entry.path(), fs::file_time_type::clock::now() - std::chrono::minutes(2));
        const Expected<ScratchFolder> next = ScratchFolder::make();
        QVERIFY(next.ok());
        QCOMPARE(folders(), size_t(2));
        QVERIFY(fs::is_directory(mine->path()) && fs::is_directory(next->path()));
    }

    void noPlaceForAScratchFolder()
    {
        qputenv("TMPDIR", "/nowhere/at/all");
        const Expected<ScratchFolder> made = ScratchFolder::make();
        if (made)
            QVERIFY(fs::is_directory(made->path())); // the system's own place instead
        else
            QVERIFY(!made.problem().message.empty());
    }

    void signalsThatEndAProgram()
    {
        for (const int signal : {SIGTERM, SIGHUP, SIGINT, SIGQUIT}) {
            caught = 0;
            struct sigaction before {
            }, now{};
            ::sigaction(signal, nullptr, &before);
            {
                const EndSignalHandler handler(note, false);
                ::raise(signal);
                QCOMPARE(int(caught), signal);
                // Again and again.
                caught = 0;
                ::raise(signal);
                QCOMPARE(int(caught), signal);
            }
            // What was there before is there again.
            ::sigaction(signal, nullptr, &now);
            QVERIFY(now.sa_handler == before.sa_handler && now.sa_flags == before.sa_flags);
        }
    }

    void aSecondSignalEndsAtOnce()
    {
        const int status = inChild([] {
            const EndSignalHandler handler(note, true);
            ::raise(SIGTERM);
            ::raise(SIGTERM);
        });
        QVERIFY(WIFSIGNALED(status) && WTERMSIG(status) == SIGTERM);
        const int first = inChild([] {
            const EndSignalHandler handler(note, true);
            ::raise(SIGTERM);
            ::_exit(caught == SIGTERM ? 7 : 8);
        });
        QVERIFY(WIFEXITED(first) && WEXITSTATUS(first) == 7);
    }

    /// Under nohup a terminal that goes does not end the program.
    void anIgnoredSignalStaysIgnored()
    {
        const int status = inChild([] {
            ::signal(SIGHUP, SIG_IGN);
            caught = 0;
            const EndSignalHandler handler(note, true);
            ::raise(SIGHUP);
            ::_exit(caught == 0 ? 7 : 8);
        });
        QVERIFY(WIFEXITED(status) && WEXITSTATUS(status) == 7);
    }
};

BINDREL_TEST(ProcessTest)
#include "process_test.moc"
