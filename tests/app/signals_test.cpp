// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/end_signals.h"
#include "app/session/journal.h"
#include "app/session/path_text.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"
#include "tests/support/window_fixture.h"

#include <QLineEdit>

#include <csignal>
#include <fstream>
#include <sys/wait.h>
#include <unistd.h>

using namespace bindrel;
using namespace bindrel::test;

/// The program is told to end, the home cannot be written to, names are no text: the work is there afterwards, or
/// somebody has been told.
class SignalsTest : public WindowFixture {
    Q_OBJECT

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void whatIsTypedIsThereAfterASignal_data()
    {
        QTest::addColumn<int>("number");
        for (const auto& [name, number] :
             {std::pair("SIGTERM", SIGTERM), {"SIGHUP", SIGHUP}, {"SIGINT", SIGINT}, {"SIGQUIT", SIGQUIT}})
            QTest::newRow(name) << number;
    }
    void whatIsTypedIsThereAfterASignal()
    {
        QFETCH(int, number);
        open("done");
        w_.reset();
        // In a process of its own, with text in a field and nothing else changed.
        const pid_t child = fork();
        if (child == 0) {
            MainWindow window(library());
            const EndSignals signals_(window);
            if (!window.openPlan(planPath()))
                _exit(3);
            window.show();
            window.view().select({Place::Kind::Need, "uplink", {}});
            window.showStation(Station::Tuning);
            window.tuning()->goals()->focusGoal("baud");
            auto* field = qobject_cast<QLineEdit*>(window.tuning()->goals()->editor("baud"));
            field->selectAll();
            QTest::keyClicks(field, "9600");
            ::kill(::getpid(), number);
            QTest::qWait(5000);
            _exit(4);
        }
        int status = 0;
        QCOMPARE(waitpid(child, &status, 0), child);
        QVERIFY2(WIFSIGNALED(status) && WTERMSIG(status) == number, qPrintable(QString("status %1").arg(status)));
        w_ = std::make_unique<MainWindow>(library());
        w_->show();
        QString seen;
        answer("Restore", &seen);
        QVERIFY(w_->openPlan(planPath()));
        QTRY_VERIFY(!seen.isEmpty());
        QTRY_COMPARE(QString::fromStdString(goalText(*now().plan.need("uplink"), "baud")), QString("9600"));
    }

    void aJournalThatCannotBeWrittenIsTold()
    {
        QTemporaryDir home;
        // A file where the folder should be: nobody can write there, not even root.
        std::ofstream((home.path() + "/bindrel-test").toStdString()) << "in the way";
        qputenv("XDG_DATA_HOME", home.path().toUtf8());
        w_ = std::make_unique<MainWindow>(library());
        w_->show();
        open("done");
        QVERIFY(w_->document().apply(editOf("test", SetGoal{"uplink", "baud", "9600"})));
        QTRY_VERIFY_WITH_TIMEOUT(w_->message().contains("is not writable"), 5000);
        qputenv("XDG_DATA_HOME", home_.path().toUtf8());
    }

    void workEditedByALinkIsFoundByTheRealName()
    {
        open("done");
        const QString link = dir_->filePath("link.bindrel");
        QVERIFY(QFile::link(planPath(), link));
        QVERIFY(w_->openPlan(link));
        COMPARE_TEXT(w_->document().path().toStdString(),
                     QString::fromStdString(std::filesystem::canonical(planPath().toStdString()).string()));
        QVERIFY(w_->document().apply(editOf("test", SetGoal{"uplink", "baud", "9600"})));
        QVERIFY(w_->document().save().ok());
        QVERIFY(QFileInfo(link).isSymLink());
    }

    void namesOnTheDiskAreBytes()
    {
        for (const std::string& bytes :
             {std::string("plain"), std::string("caf\xc3\xa9"), std::string("caf\xe9"), std::string("\xff\xfe\x80"),
              std::string("\xf0\x9f\x9a\x80 \xf0\x9f"), std::string("\xed\xb2\x80")})
            COMPARE_TEXT(pathOf(pathText(bytes)).string(), QString::fromStdString(bytes));
        open("done");
        const std::filesystem::path odd = std::filesystem::path(dir_->path().toStdString()) / "caf\xe9.bindrel";
        std::filesystem::copy_file(planPath().toStdString(), odd);
        QVERIFY2(w_->openPlan(pathText(odd)), qPrintable(w_->message()));
        QVERIFY(w_->document().apply(editOf("test", SetGoal{"uplink", "baud", "9600"})));
        QVERIFY(w_->document().save().ok());
        const Expected<LoadedPlan> saved = loadPlan(odd, library());
        QVERIFY(saved.ok());
        COMPARE_TEXT(goalText(*saved->plan.need("uplink"), "baud"), "9600");
    }
};

BINDREL_TEST(SignalsTest)
#include "signals_test.moc"
