// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rehearsal/operations_list.h"
#include "app/rehearsal/rehearsal_station.h"
#include "app/rehearsal/scenario_list.h"
#include "app/rehearsal/timeline_view.h"
#include "app/source/file_list.h"
#include "app/source/source_station.h"
#include "tests/support/window_fixture.h"

#include <QLabel>
#include <QMenuBar>
#include <QPushButton>

#include <algorithm>

using namespace bindrel;
using namespace bindrel::test;

/// The rehearsal in the window: scenarios, the cursor by mouse and keys, hazards, the machine code.
class RehearsalWindowTest : public WindowFixture {
    Q_OBJECT

    RehearsalStation& station() const { return *w_->rehearsal(); }
    OperationsList& operations() const { return *station().operations(); }
    TimelineView& timeline() const { return *station().timeline(); }

    void rehearse()
    {
        shortcut(QKeySequence("Ctrl+6"));
        QCOMPARE(w_->station(), Station::Rehearsal);
        QTRY_VERIFY_WITH_TIMEOUT(station().scenarios()->rowCount() > 0 && !station().background().busy(), 20'000);
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void theCursorFollowsKeysAndMouse()
    {
        open("done");
        rehearse();
        QVERIFY(timeline().hasFocus());
        QCOMPARE(timeline().cursorOperation(), 0);
        QTest::keyClick(&timeline(), Qt::Key_Right);
        QTest::keyClick(&timeline(), Qt::Key_Right);
        QCOMPARE(timeline().cursorOperation(), 2);
        QCOMPARE(operations().currentRow(), operations().rowOf(2));
        // The line of C at the cursor, and the decision in the inspector.
        QVERIFY2(station().line()->text().contains(".c "), qPrintable(station().line()->text()));
        QVERIFY(w_->view().selected().kind != Place::Kind::None);
        QTest::keyClick(&timeline(), Qt::Key_End);
        const int last = timeline().cursorOperation();
        QVERIFY(last > 50);
        QTest::mouseClick(timeline().viewport(), Qt::LeftButton, {}, QPoint(int(timeline().xOfOperation(20)), 40));
        QCOMPARE(timeline().cursorOperation(), 20);
        QTest::keyClick(&timeline(), Qt::Key_T);
        QVERIFY(timeline().timeAxis());
        // On the axis of time an operation lies elsewhere.
        int apart = 20; // one that stands alone there
        while (apart < last - 1 && timeline().xOfOperation(apart + 1) - timeline().xOfOperation(apart - 1) < 12)
            ++apart;
        QVERIFY(apart < last - 1);
        QTest::mouseClick(timeline().viewport(), Qt::LeftButton, {}, QPoint(int(timeline().xOfOperation(apart)), 40));
        QVERIFY(std::abs(timeline().cursorOperation() - apart) <= 1);
        // The list moves the cursor too.
        operations().setFocus();
        QTest::keyClick(&operations(), Qt::Key_Home);
        QTest::keyClick(&operations(), Qt::Key_Down);
        QCOMPARE(timeline().cursorOperation(), 1);
    }

    void scenariosAreChosenAndKeptOverAnEdit()
    {
        open("done");
        rehearse();
        ScenarioList& list = *station().scenarios();
        int dead = -1;
        for (int row = 0; row < list.rowCount(); ++row)
            if (list.runOf(row) > 0)
                dead = row;
        QVERIFY(dead > 0);
        QTest::mouseClick(list.viewport(), Qt::LeftButton, {}, list.rowRect(dead).center());
        const int operationsThen = operations().rowCount();
        QVERIFY(operationsThen > 5);
        const int run = list.runOf(dead);
        QVERIFY(w_->document().apply(editOf("mode", SetMode{"STOP", true})));
        QTRY_VERIFY_WITH_TIMEOUT(station().scenarios()->rowCount() > 0 && list.runOf(list.currentRow()) == run + 1,
                                 20'000);
        // A mode adds a scenario of the program.
        QCOMPARE(operations().rowCount(), operationsThen);
    }

    /// The policy is chosen in the menu; the scenario of a dead crystal then tells what is up without it.
    void whatFollowsAFailureIsChosen()
    {
        open("done");
        rehearse();
        const auto outcomeOf = [this](const QString& title) {
            ScenarioList& list = *station().scenarios();
            for (int row = 0; row < list.rowCount(); ++row)
                if (list.rowText(row).startsWith(title))
                    return list.rowText(row);
            return QString();
        };
        QVERIFY2(outcomeOf("HF crystal never starts").contains("ends with an error"),
                 qPrintable(outcomeOf("HF crystal never starts")));
        QVERIFY(outcomeOf("LF crystal never starts").contains("continues"));
        QMenu* menu = nullptr;
        for (QMenu* m : w_->menuBar()->findChildren<QMenu*>())
            if (m->title().contains("fails to"))
                menu = m;
        QVERIFY(menu);
        Q_EMIT menu->aboutToShow();
        QCOMPARE(menu->actions().size(), 3);
        QVERIFY(menu->actions()[0]->isChecked());
        menu->actions()[1]->trigger();
        QCOMPARE(now().plan.onFailure, OnFailure::GoOn);
        QTRY_VERIFY_WITH_TIMEOUT(outcomeOf("HF crystal never starts").contains("continues"), 20'000);
        shortcut(QKeySequence("Ctrl+Z"));
        QCOMPARE(now().plan.onFailure, OnFailure::Stop);
        QVERIFY(outcomeOf("Supply falls below").contains("hazard"));
    }

    /// What a team has of its own is left out by the menu, said on the page, and rehearsed all the same.
    void partsOfTheSourceAreLeftOut()
    {
        open("done");
        w_->showStation(Station::Source);
        const auto has = [this](const char* name) {
            w_->source()->refreshNow();
            const std::vector<FileChange>& files = w_->source()->files()->files();
            return std::any_of(files.begin(), files.end(),
                               [name](const FileChange& file) { return file.name == name; });
        };
        QVERIFY(has("sluice.ld") && has("sluice_start.c"));
        QMenu* menu = nullptr;
        for (QMenu* m : w_->menuBar()->findChildren<QMenu*>())
            if (m->title().contains("Leave out"))
                menu = m;
        QVERIFY(menu);
        const auto choose = [menu](const QString& part) {
            Q_EMIT menu->aboutToShow();
            for (QAction* action : menu->actions())
                if (action->text() == part)
                    return action->trigger();
            QFAIL(qPrintable(part));
        };
        choose("Linker script");
        choose("Start-up");
        QVERIFY(!has("sluice.ld") && !has("sluice_start.c") && has("sluice_core.c"));
        QCOMPARE(now().plan.leftOut.size(), size_t(2));
        bool told = false;
        for (const QLabel* label : w_->source()->findChildren<QLabel*>())
            told = told || label->text().contains("Left out: start-up, linker script.");
        QVERIFY(told);
        choose("Start-up");
        QVERIFY(!has("sluice.ld") && has("sluice_start.c"));
        shortcut(QKeySequence("Ctrl+Z"));
        shortcut(QKeySequence("Ctrl+Z"));
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan.leftOut.empty() && has("sluice.ld"));
    }

    /// A setting in non-volatile memory by the menu: the plan has it, the page shows it, a level that the supply does
    /// not bear is a finding, and what if the supply falls is no question where the chip is held in reset before.
    void settingsInMemoryAreChosen()
    {
        open("done");
        rehearse();
        const auto menuOf = [this](const QString& title) {
            for (QMenu* m : w_->menuBar()->findChildren<QMenu*>())
                if (m->title().contains(title))
                    return m;
            return static_cast<QMenu*>(nullptr);
        };
        const auto choose = [&](const QString& setting, const QString& value) {
            Q_EMIT menuOf("on-volatile")->aboutToShow();
            for (QAction* action : menuOf(setting)->actions())
                if (action->text() == value)
                    return action->trigger();
            QFAIL(qPrintable(value));
        };
        choose("BOOT.DOG", "by reset");
        QCOMPARE(now().plan.stored.at("BOOT.DOG"), std::string("by reset"));
        QCOMPARE(w_->view().selected().id, std::string("BOOT.DOG"));
        const int watchdog = now().device->findInstance("WDG");
        QCOMPARE(now().device->ability(watchdog, "runs_at_reset", 0), 1);
        choose("BOOT.LEVEL", typeset(QString("2.75 V")));
        QVERIFY(hasFinding(now(), "NVM-02") == false);
        const auto isAsked = [this] {
            ScenarioList& list = *station().scenarios();
            for (int row = 0; row < list.rowCount(); ++row)
                if (list.rowText(row).contains("Supply falls"))
                    return true;
            return false;
        };
        QTRY_VERIFY_WITH_TIMEOUT(!isAsked(), 20'000);
        choose("BOOT.LEVEL", typeset(QString("2.4 V")));
        QVERIFY(hasFinding(now(), "NVM-02"));
        // Its page is beside every station but Start, so only from there the station changes.
        w_->view().jump({Place::Kind::Stored, "BOOT.LEVEL", {}});
        QCOMPARE(w_->station(), Station::Rehearsal);
        w_->showStation(Station::Start);
        w_->view().jump({Place::Kind::Stored, "BOOT.LEVEL", {}});
        QCOMPARE(w_->station(), Station::Tuning);
        w_->showStation(Station::Rehearsal);
        choose("BOOT.LEVEL", "factory default");
        QVERIFY(!now().plan.stored.contains("BOOT.LEVEL"));
        for (int undone = 0; undone < 4; ++undone)
            shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan.stored.empty());
        QCOMPARE(now().device->ability(watchdog, "runs_at_reset", 0), 0);
    }

    void hazardsAreShownAndLeadToTheDecision()
    {
        open("tangled");
        rehearse();
        QVERIFY(station().hazards() > 0);
        QTest::keyClick(&timeline(), Qt::Key_N);
        QVERIFY(operations().hazardOf(operations().currentRow()) >= 0);
        QCOMPARE(w_->view().selected().kind, Place::Kind::Clock);
        operations().setFocus();
        QTest::keyClick(&operations(), Qt::Key_Return);
        QCOMPARE(w_->station(), Station::Clocks);
        // Mended, it is gone; nothing of the old run is pointed into meanwhile.
        shortcut(QKeySequence("Ctrl+6"));
        QVERIFY(w_->document().apply(editOf("divide", SetClock{"BUS1", clockSaid("2")})));
        QTRY_COMPARE_WITH_TIMEOUT(station().hazards(), 0, 20'000);
    }

    void theMachineCodeIsRunOnDemand()
    {
        open("done");
        rehearse();
        QPushButton* button = nullptr;
        for (QPushButton* b : station().findChildren<QPushButton*>())
            if (b->text().contains("machine code"))
                button = b;
        QVERIFY(button);
        QTest::mouseClick(button, Qt::LeftButton);
        QTRY_VERIFY2_WITH_TIMEOUT(station().verdict()->text().contains("writes as planned"),
                                  qPrintable(station().verdict()->text()), 60'000);
        // An edit makes the verdict one about another program.
        QVERIFY(w_->document().apply(editOf("baud", SetGoal{"uplink", "baud", "115.2k"})));
        QVERIFY(!station().verdict()->isVisible());
    }

    void anEmptyPlanAndFastEditsDoNoHarm()
    {
        open("start");
        rehearse();
        for (int i = 0; i < 30; ++i) {
            w_->document().apply(editOf("x", SetClock{"BUS1", FactorDecision{1 + i % 3}}));
            QTest::keyClick(&timeline(), i % 2 ? Qt::Key_Right : Qt::Key_End);
            QTest::keyClick(&timeline(), Qt::Key_N);
            if (i % 5 == 0)
                station().refreshNow();
            QApplication::processEvents();
        }
        QTRY_VERIFY_WITH_TIMEOUT(!station().background().busy(), 20'000);
        timeline().grab();
    }
};

BINDREL_TEST(RehearsalWindowTest)
#include "rehearsal_window_test.moc"
