// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"
#include "app/clocks/reach_panel.h"
#include "app/frame/findings_drawer.h"
#include "app/source/source_station.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"
#include "app/wiring/pin_sheet_view.h"
#include "tests/support/window_fixture.h"

#include <QDialog>
#include <QLineEdit>
#include <QTableView>

using namespace bindrel;
using namespace bindrel::test;

/// Text that is typed and not entered goes where typing began, before anything else is selected, saved, written or
/// closed; or it is refused where a person sees it. And what the window remembers is not taken for something else when
/// the plan has changed.
class PendingTextTest : public WindowFixture {
    Q_OBJECT

    QLineEdit* goal(const char* need, const char* name)
    {
        w_->view().select({Place::Kind::Need, need, {}});
        w_->showStation(Station::Tuning);
        w_->tuning()->goals()->focusGoal(name);
        return qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor(name));
    }
    void type(QLineEdit* field, const QString& text)
    {
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, text);
    }
    std::string goalOf(const char* need, const char* name) const { return goalText(*now().plan.need(need), name); }
    /// The text of a need in the file, as another program reads it.
    std::string savedGoal(const char* need, const char* name) const
    {
        const Expected<LoadedPlan> saved = loadPlan(planPath().toStdString(), library());
        return saved ? goalText(*saved->plan.need(need), name) : saved.problem().text();
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void aGoalGoesToItsNeedWhateverIsSelectedNext_data()
    {
        QTest::addColumn<QKeySequence>("keys");
        QTest::newRow("next finding") << QKeySequence("F8");
        QTest::newRow("copy") << QKeySequence("Ctrl+D");
        QTest::newRow("station") << QKeySequence("Ctrl+3");
        QTest::newRow("undo of another edit is undo of this one") << QKeySequence();
    }
    void aGoalGoesToItsNeedWhateverIsSelectedNext()
    {
        QFETCH(QKeySequence, keys);
        open("tangled");
        QLineEdit* baud = goal("uplink", "baud");
        QVERIFY(baud);
        type(baud, "9600");
        if (keys.isEmpty()) {
            w_->view().select({Place::Kind::Need, "gate-bridge", {}}); // of another kind altogether
        } else {
            shortcut(keys);
        }
        COMPARE_TEXT(goalOf("uplink", "baud"), "9600");
        for (const Need& need : now().plan.needs)
            if (need.id != "uplink" && need.kind != "uart")
                QVERIFY2(!need.goals.contains("baud"), need.id.c_str());
        w_->document().undo();
        if (keys == QKeySequence("Ctrl+D"))
            w_->document().undo();
        QVERIFY(goalOf("uplink", "baud") != "9600");
    }

    void whatIsSavedIsWhatIsSeen()
    {
        open("done");
        type(goal("uplink", "baud"), "9600");
        shortcut(QKeySequence::Save);
        COMPARE_TEXT(savedGoal("uplink", "baud"), "9600");
        QVERIFY(!w_->document().unsaved());
    }

    void refusedTextIsSeenAndNothingHappens()
    {
        open("done");
        const std::string before = goalOf("uplink", "baud");
        QLineEdit* baud = goal("uplink", "baud");
        type(baud, "twelve");
        shortcut(QKeySequence::Save);
        QVERIFY2(w_->message().contains("Esc"), qPrintable(w_->message()));
        w_->view().select({Place::Kind::Need, "beacon", {}});
        COMPARE_TEXT(w_->view().selectedNeed(), "uplink");
        QCOMPARE(baud->text(), QString("twelve"));
        QVERIFY(baud->hasFocus());
        // Leaving the window asks.
        inDialog([](QWidget* modal) {
            QCOMPARE(modal->objectName(), QString("textNotEntered"));
            QTest::mouseClick(button(modal, "Return to field"), Qt::LeftButton);
        });
        w_->close();
        QVERIFY(w_->isVisible());
        QTest::keyClick(baud, Qt::Key_Escape);
        COMPARE_TEXT(baud->text().toStdString(), QString::fromStdString(before));
        w_->view().select({Place::Kind::Need, "beacon", {}});
        COMPARE_TEXT(w_->view().selectedNeed(), "beacon");
        COMPARE_TEXT(goalOf("uplink", "baud"), QString::fromStdString(before));
    }

    void aClocksFieldKeepsToItsClock()
    {
        open("done");
        w_->view().jump({Place::Kind::Clock, "BUS1", {}});
        QLineEdit* field = w_->inspector()->field();
        type(field, "4");
        shortcut(QKeySequence("Ctrl+D")); // nothing is selected that could be copied; the setting is taken all the same
        COMPARE_TEXT(clockDecisionText(now().plan.clocks.at("BUS1")), "4");
        // A rate is a question and no setting: it is not carried to another clock, nor searched for unasked.
        type(field, "75 MHz");
        w_->view().jump({Place::Kind::Clock, "BUS2", {}});
        QVERIFY(field->text() != "75 MHz");
        QVERIFY2(w_->message().contains("not searched for"), qPrintable(w_->message()));
        COMPARE_TEXT(clockDecisionText(now().plan.clocks.at("BUS1")), "4");
    }

    void aCellOfThePinSheetIsTakenWhenTheStationChanges()
    {
        open("done");
        w_->showStation(Station::Wiring);
        shortcut(QKeySequence("Ctrl+Shift+P"));
        QTableView* table = w_->wiring()->sheet()->table();
        const PinSheetModel& model = *w_->wiring()->sheet()->model();
        int net = 0;
        while (std::string(sheetColumns()[size_t(net)].id) != "net")
            ++net;
        QModelIndex cell;
        for (int r = 0; r < table->model()->rowCount() && !cell.isValid(); ++r)
            if (table->model()->index(r, net).flags() & Qt::ItemIsEditable)
                cell = table->model()->index(r, net);
        QVERIFY(cell.isValid() && model.rowCount() > 0);
        const std::string pad = table->model()->index(cell.row(), 1).data().toString().toStdString();
        table->setCurrentIndex(cell);
        table->edit(cell);
        auto* editor = qobject_cast<QLineEdit*>(QApplication::focusWidget());
        QVERIFY(editor);
        editor->selectAll();
        QTest::keyClicks(editor, "MY_NET");
        shortcut(QKeySequence("Ctrl+3"));
        QCOMPARE(w_->station(), Station::Clocks);
        COMPARE_TEXT(now().board->nets.at(pad), "MY_NET");
        // Refused, it stays where it was typed, until Esc gives it up.
        shortcut(QKeySequence("Ctrl+2"));
        cell = QModelIndex(); // the rows are others by now
        for (int r = 0; r < table->model()->rowCount() && !cell.isValid(); ++r)
            if (table->model()->index(r, 1).data().toString().toStdString() == pad)
                cell = table->model()->index(r, net);
        QVERIFY(cell.isValid());
        table->setCurrentIndex(cell);
        table->edit(cell);
        editor = qobject_cast<QLineEdit*>(QApplication::focusWidget());
        QVERIFY(editor);
        editor->selectAll();
        QTest::keyClicks(editor, "two words");
        shortcut(QKeySequence("Ctrl+3"));
        QVERIFY2(w_->station() == Station::Wiring && !w_->message().isEmpty(), qPrintable(w_->message()));
        editor = qobject_cast<QLineEdit*>(QApplication::focusWidget());
        QVERIFY(editor && editor->text() == "two words");
        QTest::keyClick(editor, Qt::Key_Escape);
        shortcut(QKeySequence("Ctrl+3"));
        QCOMPARE(w_->station(), Station::Clocks);
        COMPARE_TEXT(now().board->nets.at(pad), "MY_NET");
    }

    void thePrefixIsTakenBeforeTheSourceIsWritten()
    {
        open("done");
        w_->showStation(Station::Source);
        type(w_->source()->prefix(), "mine");
        QString seen;
        inDialog([&](QWidget* modal) {
            seen = modal->windowTitle();
            QTest::mouseClick(button(modal, "Write"), Qt::LeftButton);
        });
        shortcut(QKeySequence("Ctrl+Return"));
        QCOMPARE(seen, QString("Write the source"));
        COMPARE_TEXT(now().plan.prefix, "mine");
        QVERIFY(QFile::exists(w_->source()->folder()->text() + "/mine_board.h"));
    }

    void theSelectionNamesNothingThatIsGone()
    {
        open("done");
        w_->view().select({Place::Kind::Need, "uplink", {}});
        shortcut(QKeySequence("Ctrl+D"));
        QVERIFY(w_->view().selectedNeed() != "uplink");
        shortcut(QKeySequence::Undo);
        COMPARE_TEXT(w_->view().selectedNeed(), "");
        for (const char* keys :
             {"Ctrl+H", "Ctrl+E", "Ctrl+B", "Ctrl+I", "Ctrl+Space", "Ctrl+Delete", "Ctrl+Shift+Backspace"})
            shortcut(QKeySequence(keys));
    }

    /// A rehearsal adds rows behind those of the snapshot: what is done to a row is done to that row.
    void aRowOfARehearsalIsNoRowOfTheSnapshot()
    {
        open("done");
        Finding hazard;
        hazard.rule = "REH-01";
        hazard.text = message("A hazard of a rehearsal.");
        w_->document().addHazards(w_->document().sharedSnapshot(), {hazard, hazard});
        FindingsList* list = w_->findings()->list();
        QVERIFY(list->rowCount() >= 2);
        list->setCurrentRow(list->rowCount() - 1);
        shortcut(QKeySequence("Ctrl+."));
        QVERIFY2(!w_->message().isEmpty(), "it says that there is no fix");
        shortcut(QKeySequence("Ctrl+Shift+."));
        // What was current is gone with the next snapshot, and nothing else has taken its place.
        w_->document().apply(editOf("test", SetGoal{"uplink", "baud", "9600"}));
        QVERIFY(list->currentRow() < 0 || list->rowText(list->currentRow()) != "A hazard of a rehearsal.");
    }

    void aNewListForgetsTheRowOfTheOldOne()
    {
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Clocks);
        for (const auto& [clock, rate] :
             {std::pair("SYS", "96 MHz"), {"HFX", "12 MHz"}, {"SYS", "97.123 MHz"}, {"HFX", "1 MHz"}}) {
            w_->view().jump({Place::Kind::Clock, clock, {}});
            type(w_->inspector()->field(), rate);
            QTest::keyClick(w_->inspector()->field(), Qt::Key_Return);
            QTRY_VERIFY_WITH_TIMEOUT(!w_->clocks()->reach()->background().busy(), 20'000);
            QTest::keyClick(w_->clocks()->reach()->list(), Qt::Key_Down);
            QApplication::processEvents();
        }
    }

    void aWishOfOneChipIsNotAskedOfAnother()
    {
        QVERIFY(w_->document().newForDevice("AL7654-F144"));
        w_->showStation(Station::Clocks);
        const Device& large = *now().device;
        ReachTarget wish;
        wish.clock = int(large.clocks.size()) - 1;
        wish.rate = Frequency(Rational(1'000'000));
        w_->clocks()->reach()->want(wish, false);
        QTRY_VERIFY_WITH_TIMEOUT(!w_->clocks()->reach()->background().busy(), 20'000);
        QVERIFY(w_->document().apply(editOf("test", SetText{SetText::What::Device, "MS0816-A32"})));
        QVERIFY(w_->clocks()->reach()->targets().empty());
        wish.clock = now().device->cpuClock();
        wish.rate = Frequency(Rational(8'000'000));
        w_->clocks()->reach()->want(wish, true);
        QCOMPARE(w_->clocks()->reach()->targets().size(), size_t(1));
        QTRY_VERIFY_WITH_TIMEOUT(!w_->clocks()->reach()->background().busy(), 20'000);
    }

    void aPreviewOfOneChipIsNotShownOverAnother()
    {
        open("done");
        w_->showStation(Station::Clocks);
        const auto next = w_->document().preview(editOf("test", SetClock{"BUS1", clockSaid("4")}));
        QVERIFY(next.ok());
        w_->view().setPreview(*next);
        QVERIFY(w_->document().apply(editOf("test", SetText{SetText::What::Device, "MS0816-A32"})));
        QVERIFY(!w_->view().preview());
        QApplication::processEvents();
        (void)w_->grab();
        w_->document().undo();
        // And a preview of another chip, as a way out of contention may be, does not confuse the ladder.
        const auto chip = w_->document().preview(editOf("test", SetText{SetText::What::Device, "MS0816-A32"}));
        QVERIFY(chip.ok());
        w_->view().setPreview(*chip);
        (void)w_->grab();
        w_->showStation(Station::Wiring);
        (void)w_->grab();
    }

    void anUnboundNeedWithDmaIsListed()
    {
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        Need need;
        need.id = "link";
        need.title = "Link";
        need.kind = "uart";
        need.goals = {};
        need.binding.dma = {{"RX", -1}};
        QVERIFY(w_->document().apply(editOf("test", InsertNeed{0, need})));
        QVERIFY(w_->document().apply(editOf("test", SetGoal{"link", "dma", "receive"})));
        inDialog([](QWidget* modal) { qobject_cast<QDialog*>(modal)->reject(); });
        shortcut(QKeySequence("Ctrl+Shift+I"));
    }

    void aLongMessageDoesNotWidenTheWindow()
    {
        open("done");
        w_->resize(1024, 700);
        QApplication::processEvents();
        Q_EMIT w_->document().refused(QString("words ").repeated(400));
        QApplication::processEvents();
        QCOMPARE(w_->size(), QSize(1024, 700));
        QVERIFY(w_->minimumSizeHint().width() <= 1024);
    }

    /// Stack and heap on a bare plan: entered, forgotten to be entered, refused and given up, in both themes.
    void sizesOfMemoryAreTyped()
    {
        for (const bool dark : {false, true}) {
            w_->setDark(dark);
            QVERIFY(w_->document().newForDevice("RL1224-Q48"));
            w_->showStation(Station::Source);
            QLineEdit* stack = w_->source()->findChild<QLineEdit*>("stack");
            QLineEdit* heap = w_->source()->findChild<QLineEdit*>("heap");
            QVERIFY(stack && heap);
            type(stack, "2048");
            QTest::keyClick(stack, Qt::Key_Return);
            QCOMPARE(now().plan.stack, std::string("2 KiB"));
            QCOMPARE(stack->text(), QString("2 KiB"));
            type(heap, "1 KiB");
            shortcut(QKeySequence("Ctrl+3")); // no Enter
            QVERIFY(w_->station() == Station::Clocks);
            QCOMPARE(now().plan.heap, std::string("1 KiB"));
            w_->showStation(Station::Source);
            type(stack, "plenty");
            shortcut(QKeySequence("Ctrl+3"));
            QVERIFY(w_->station() == Station::Source && w_->message().contains("plenty"));
            QVERIFY(stack->hasFocus() && stack->text() == "plenty");
            QTest::keyClick(stack, Qt::Key_Escape);
            QCOMPARE(stack->text(), QString("2 KiB"));
            shortcut(QKeySequence("Ctrl+3"));
            QVERIFY(w_->station() == Station::Clocks);
            QCOMPARE(now().plan.stack, std::string("2 KiB"));
        }
        w_->setDark(false);
    }
};

BINDREL_TEST(PendingTextTest)
#include "pending_text_test.moc"
