// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"
#include "app/frame/findings_drawer.h"
#include "app/frame/inspector.h"
#include "app/frame/main_window.h"
#include "app/frame/masthead.h"
#include "app/frame/window_place.h"
#include "app/source/file_list.h"
#include "app/source/source_station.h"
#include "app/start/start_station.h"
#include "app/theme/theme.h"
#include "app/tuning/bits_view.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/interrupts_dialog.h"
#include "app/tuning/tuning_station.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/proposal_list.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/wiring_station.h"
#include "tests/support/window_fixture.h"

#include <QAbstractButton>
#include <QApplication>
#include <QDialog>
#include <QDirIterator>
#include <QHeaderView>
#include <QLineEdit>
#include <QMessageBox>
#include <QProcess>
#include <QStandardPaths>
#include <QTableView>
#include <QToolButton>

#include <QScreen>
#include <QSettings>

using namespace bindrel;
using namespace bindrel::test;

/// The real window on the offscreen platform, by mouse and keys.
class WindowTest : public WindowFixture {
    Q_OBJECT

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void bindsByDragFromTheList()
    {
        open("start");
        NeedsList* list = w_->wiring()->needs();
        ChipView* chip = w_->wiring()->chip();
        const QPoint target = list->viewport()->mapFromGlobal(chip->mapToGlobal(pin("PB6")));
        drag(list->viewport(), needRow("lid-switch"), target);
        COMPARE_TEXT(padOf("lid-switch", "pin"), "PB6");
        QCOMPARE(stateOf("lid-switch"), BoundNeed::State::Bound);
        // A whole need dropped on the chip's body takes its best option.
        const QPoint body = list->viewport()->mapFromGlobal(chip->mapToGlobal(chip->rect().center()));
        drag(list->viewport(), needRow("uplink"), body);
        QCOMPARE(stateOf("uplink"), BoundNeed::State::Bound);
        // Dropped nowhere, nothing happens.
        drag(list->viewport(), needRow("beacon"), QPoint(5, 400));
        QCOMPARE(stateOf("beacon"), BoundNeed::State::Open);
    }

    void bindsByKeyboardAlone()
    {
        open("start");
        NeedsList* list = w_->wiring()->needs();
        QVERIFY(list->hasFocus());
        QTest::keyClick(list, Qt::Key_Home);
        COMPARE_TEXT(w_->view().selectedNeed(), "gate-bridge");
        QTest::keyClick(list, Qt::Key_Return);
        QCOMPARE(stateOf("gate-bridge"), BoundNeed::State::Bound);
        QTest::keyClick(list, Qt::Key_Delete);
        QCOMPARE(stateOf("gate-bridge"), BoundNeed::State::Open);
        shortcut(QKeySequence("Ctrl+Shift+B"));
        QCOMPARE(now().bindings.count(BoundNeed::State::Bound), int(now().plan.needs.size()));
        QVERIFY(w_->masthead()->tally(0)->text().startsWith("0 "));
        shortcut(QKeySequence("Ctrl+Z"));
        QCOMPARE(now().bindings.count(BoundNeed::State::Open), int(now().plan.needs.size()));
    }

    void optionsAreTakenByNumberAndByClick()
    {
        open("done");
        NeedsList* list = w_->wiring()->needs();
        w_->view().select({Place::Kind::Signal, "lid-switch", "pin"});
        list->setFocus();
        QTest::keyClick(list, Qt::Key_Space);
        QVERIFY(w_->view().optionsShown());
        QVERIFY(w_->inspector()->shownText().contains("OPTIONS FOR PIN"));
        const std::string second = now().device->pads[w_->options()->options()[1].pad].name;
        QTest::keyClick(list, Qt::Key_2);
        COMPARE_TEXT(padOf("lid-switch", "pin"), QString::fromStdString(second));
        QVERIFY(!w_->view().optionsShown());
        QTest::keyClick(list, Qt::Key_Space);
        QTest::mouseClick(w_->wiring()->chip(), Qt::LeftButton, {}, pin("PA2"));
        COMPARE_TEXT(padOf("lid-switch", "pin"), "PA2");
        QTest::keyClick(list, Qt::Key_Space);
        QTest::keyClick(list, Qt::Key_Escape);
        QVERIFY(!w_->view().optionsShown());
    }

    void contentionIsSeenEverywhereAndUndone()
    {
        open("done");
        ChipView* chip = w_->wiring()->chip();
        const Plan before = now().plan;
        const QImage clean = chip->grab().toImage();
        const std::string from = padOf("lid-switch", "pin");
        drag(chip, pin(from.c_str()), pin("PD0"), Qt::ShiftModifier); // where the uplink transmits
        QCOMPARE(stateOf("lid-switch"), BoundNeed::State::Contested);
        QCOMPARE(stateOf("uplink"), BoundNeed::State::Contested);
        QVERIFY(hasFinding(now(), "PIN-01", "PD0"));
        QCOMPARE(w_->findings()->list()->rowCount(), 1);
        QVERIFY(w_->masthead()->tally(1)->text().startsWith("2 "));
        QVERIFY(chip->grab().toImage() != clean);
        // The contested pad is drawn in both hues.
        const QImage picture = chip->grab().toImage();
        const QPoint at = pin("PD0");
        QVERIFY(picture.pixelColor(at + QPoint(-3, -2)) != picture.pixelColor(at + QPoint(2, 3)));
        shortcut(QKeySequence("F8"));
        COMPARE_TEXT(w_->view().selected().id, "PD0");
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan == before);
        QCOMPARE(w_->findings()->list()->rowCount(), 0);
        shortcut(QKeySequence("Ctrl+Shift+Z"));
        QCOMPARE(stateOf("uplink"), BoundNeed::State::Contested);
    }

    void impossibleDropChangesNothing()
    {
        open("done");
        const Plan before = now().plan;
        drag(w_->wiring()->chip(), pin("PD0"), pin("PA2")); // UART1.TX does not reach there; UART4 does, but has no CTS
        drag(w_->wiring()->chip(), pin("PD0"), pin("PC11"));
        drag(w_->wiring()->chip(), pin("PD0"), QPoint(2, 2));
        QVERIFY(now().plan.need("uplink")->binding == before.need("uplink")->binding ||
                stateOf("uplink") != BoundNeed::State::Contested);
        while (w_->document().canUndo())
            w_->document().undo();
        QVERIFY(now().plan == before);
    }

    void holdsAreSetByKey()
    {
        open("done");
        NeedsList* list = w_->wiring()->needs();
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, needRow("uplink"));
        QTest::keyClick(list, Qt::Key_H);
        QVERIFY(now().plan.held(holdOfNeed("uplink")));
        QTest::keyClick(list, Qt::Key_H);
        QVERIFY(!now().plan.held(holdOfNeed("uplink")));
        shortcut(QKeySequence("Ctrl+3"));
        LadderView* ladder = w_->clocks()->ladder();
        QTest::mouseClick(ladder->viewport(), Qt::LeftButton, {}, ladder->rowRect(ladder->rowOf("PLLA.IN")).center());
        QTest::keyClick(ladder, Qt::Key_H);
        QVERIFY(now().plan.held(holdOfClock("PLLA.IN")));
    }

    void aDividerIsTypedUntilALimitBreaks()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+3"));
        LadderView* ladder = w_->clocks()->ladder();
        QTest::mouseClick(ladder->viewport(), Qt::LeftButton, {}, ladder->rowRect(ladder->rowOf("BUS1")).center());
        COMPARE_TEXT(w_->view().selected().id, "BUS1");
        QVERIFY(w_->inspector()->shownText().contains("75"));
        QTest::keyClick(ladder, Qt::Key_1); // begins to type in the inspector
        QVERIFY(w_->inspector()->field()->hasFocus());
        keys("");
        QCOMPARE(hertz(now(), "BUS1"), 150e6);
        QVERIFY(hasFinding(now(), "CLK-01", "BUS1"));
        QVERIFY(w_->inspector()->shownText().contains("Above its limit of 75"));
        // A rate is typed instead, and reached.
        w_->inspector()->field()->selectAll();
        keys("40 MHz");
        QTRY_VERIFY(w_->clocks()->reach()->isVisible());
        QVERIFY(w_->view().preview()); // looked at before it is made
        QCOMPARE(hertz(*w_->view().preview(), "BUS1"), 40e6);
        QTRY_VERIFY2(w_->clocks()->reach()->verdict().startsWith("Solution 1. Rehearsed: "),
                     qPrintable(w_->clocks()->reach()->verdict()));
        QCOMPARE(hertz(now(), "BUS1"), 150e6);
        QTest::keyClick(w_->clocks()->reach()->list(), Qt::Key_Return);
        QCOMPARE(hertz(now(), "BUS1"), 40e6);
        QVERIFY(!hasFinding(now(), "CLK-01"));
        // One that is out of reach gives the nearest, and changes nothing.
        const Plan before = now().plan;
        w_->inspector()->beginEdit({});
        w_->inspector()->field()->selectAll();
        keys("41.3 MHz");
        QTRY_VERIFY(w_->clocks()->reach()->isVisible());
        QVERIFY2(w_->clocks()->reach()->note().startsWith("In the way"), qPrintable(w_->clocks()->reach()->note()));
        QVERIFY(w_->clocks()->reach()->list()->rowCount() >= 1 &&
                w_->clocks()->reach()->list()->proposals()[0].title.startsWith("Nearest"));
        QTest::keyClick(w_->clocks()->reach()->list(), Qt::Key_Escape);
        QVERIFY(!w_->clocks()->reach()->isVisible() && !w_->view().preview());
        QVERIFY(now().plan == before);
        shortcut(QKeySequence("Ctrl+Z"));
        shortcut(QKeySequence("Ctrl+Z"));
        QCOMPARE(hertz(now(), "BUS1"), 75e6);
    }

    void severalRatesAreReachedAtOnce()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+3"));
        LadderView* ladder = w_->clocks()->ladder();
        ReachPanel* reach = w_->clocks()->reach();
        const Plan before = now().plan;
        w_->view().select({Place::Kind::Clock, "USBK", {}});
        w_->inspector()->beginEdit({});
        w_->inspector()->field()->selectAll();
        keys("48 MHz \u00b10.25 %");
        QTRY_VERIFY(reach->isVisible());
        const int alone = reach->list()->rowCount();
        w_->view().select({Place::Kind::Clock, "CANK", {}});
        w_->inspector()->beginEdit({});
        w_->inspector()->field()->selectAll();
        QTest::keyClicks(w_->inspector()->field(), "40 MHz");
        QTest::keyClick(w_->inspector()->field(), Qt::Key_Return, Qt::ShiftModifier);
        QTRY_VERIFY(reach->targets().size() == 2 && reach->isVisible() && reach->list()->rowCount() != alone);
        QTest::keyClick(reach->list(), Qt::Key_Down);
        QVERIFY(w_->view().preview());
        QTest::keyClick(reach->list(), Qt::Key_Return);
        QCOMPARE(hertz(now(), "CANK"), 40e6);
        QCOMPARE(hertz(now(), "USBK"), 48e6);
        QVERIFY(!w_->view().preview());
        QVERIFY(ladder->hasFocus());
        shortcut(QKeySequence("Ctrl+Z")); // one step
        QVERIFY(now().plan == before);
        // What is held stays.
        w_->view().select({Place::Kind::Clock, "CANK", {}});
        QTest::keyClick(ladder, Qt::Key_H);
        QVERIFY(now().plan.held(holdOfClock("CANK")));
        w_->inspector()->beginEdit({});
        w_->inspector()->field()->selectAll();
        keys("40 MHz");
        QTRY_VERIFY(reach->isVisible());
        for (const Proposal& proposal : reach->list()->proposals())
            if (proposal.edit)
                for (const Change& change : proposal.edit->changes)
                    QVERIFY(!std::get_if<SetClock>(&change) || std::get<SetClock>(change).node != "CANK");
        QTest::keyClick(reach->list(), Qt::Key_Escape);
    }

    void limitsAndGoalsAreRepaired()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+3"));
        QVERIFY(w_->document().apply(editOf("break", SetClock{"BUS1", clockSaid("1")})));
        QVERIFY(hasFinding(now(), "CLK-01", "BUS1"));
        shortcut(QKeySequence("Ctrl+Shift+R"));
        ReachPanel* reach = w_->clocks()->reach();
        QTRY_VERIFY(reach->isVisible());
        QVERIFY(reach->list()->rowCount() >= 1);
        QTest::keyClick(reach->list(), Qt::Key_Return);
        QVERIFY(!hasFinding(now(), "CLK-01"));
        shortcut(QKeySequence("Ctrl+Shift+R")); // nothing is wrong any more
        QTRY_VERIFY(w_->message().contains("No limit is broken"));
    }

    void aMarkIsDraggedToWhatItsDividerCanMake()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+3"));
        LadderView* ladder = w_->clocks()->ladder();
        const int bus = now().device->findClock("BUS1");
        const QPoint from = ladder->markOf(bus).toPoint();
        QTest::mousePress(ladder->viewport(), Qt::LeftButton, {}, from);
        QVERIFY(ladder->dragging());
        const QPoint to(from.x() - 62, from.y()); // about an octave down
        QMouseEvent move(QEvent::MouseMove, to, ladder->viewport()->mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                         Qt::NoModifier);
        QCoreApplication::sendEvent(ladder->viewport(), &move);
        QTRY_VERIFY(w_->view().preview()); // on a busy machine it comes a frame later
        const double looked = hertz(*w_->view().preview(), "BUS1");
        QVERIFY(looked == 50e6 || looked == 37.5e6 || looked == 25e6);
        QCOMPARE(hertz(now(), "BUS1"), 75e6);
        QTest::mouseRelease(ladder->viewport(), Qt::LeftButton, {}, to);
        QCOMPARE(hertz(now(), "BUS1"), looked);
        QVERIFY(!w_->view().preview());
        shortcut(QKeySequence("Ctrl+Z"));
        QCOMPARE(hertz(now(), "BUS1"), 75e6);
        // Folding, zoom, and a picture of it all.
        const int all = ladder->rowCount();
        QTest::keyClick(ladder, Qt::Key_U);
        QVERIFY(ladder->rowCount() < all);
        QTest::keyClick(ladder, Qt::Key_U);
        QCOMPARE(ladder->rowCount(), all);
        QTest::keyClicks(ladder, "++");
        QTest::keyClick(ladder, Qt::Key_F);
        QTemporaryDir dir;
        for (const char* ending : {"svg", "pdf", "png"})
            QVERIFY(ladder->exportPicture(dir.filePath(QString("clocks.") + ending)));
        QVERIFY(!ladder->exportPicture(dir.filePath("clocks.txt")));
        // Two sets of settings, swapped as one step.
        shortcut(QKeySequence("Ctrl+Shift+K"));
        QVERIFY(now().plan.slow.has_value());
        QVERIFY(w_->document().apply(editOf("slower", SetClock{"BUS1", clockSaid("8")})));
        shortcut(QKeySequence("Ctrl+Shift+W"));
        QCOMPARE(hertz(now(), "BUS1"), 75e6);
        COMPARE_TEXT(clockDecisionText(now().plan.slow->clocks.at("BUS1")), "8");
    }

    /// A finding about a clock offers the search that may mend it: by the mouse on its words, and by a key.
    void aFindingOffersWays()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+3"));
        QVERIFY(w_->document().apply(editOf("rough", SetClock{"UOSC", std::nullopt})));
        QVERIFY(hasFinding(now(), "CLK-11", "USBK"));
        FindingsList* list = w_->findChild<FindingsList*>();
        QVERIFY(list && list->rowCount() == 1);
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, QPoint(list->viewport()->width() - 30, 10));
        ReachPanel* reach = w_->clocks()->reach();
        QTRY_VERIFY(reach->isVisible());
        QCOMPARE(reach->targets().size(), size_t(1));
        COMPARE_TEXT(now().device->clocks[reach->targets().front().clock].id, "USBK");
        QVERIFY(hasFinding(now(), "CLK-11", "USBK")); // nothing is done unasked
        QTest::keyClick(reach->list(), Qt::Key_Return);
        QVERIFY(!hasFinding(now(), "CLK-11"));
        shortcut(QKeySequence("Ctrl+Z"));
        // Another supply: its finding offers to repair.
        QVERIFY(w_->document().apply(editOf("mended", SetClock{"UOSC", clockSaid("trimmed")})));
        QVERIFY(w_->document().apply(editOf("supply", SetText{SetText::What::Supply, "2.5 V"})));
        QVERIFY(hasFinding(now(), "CLK-06"));
        shortcut(QKeySequence("F8"));
        shortcut(QKeySequence("Ctrl+Shift+."));
        QTRY_VERIFY(reach->isVisible() && reach->list()->rowCount() >= 1);
        QTest::keyClick(reach->list(), Qt::Key_Escape);
        QVERIFY(!reach->isVisible());
        QTest::keyClick(list, Qt::Key_W);
        QTRY_VERIFY(reach->isVisible() && reach->list()->rowCount() >= 1);
        QTest::keyClick(reach->list(), Qt::Key_Return);
        QVERIFY2(!hasFinding(now(), "CLK-06") && now().count(Finding::Severity::Error) == 0,
                 findingsText(now()).c_str());
    }

    /// M goes through the modes; what stands still there is said, and a function is asked for with a click.
    void lowPowerModesAreSeenAndEntered()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+3"));
        LadderView* ladder = w_->clocks()->ladder();
        QTest::keyClick(ladder, Qt::Key_M);
        COMPARE_TEXT(w_->view().selected().id, "SLEEP");
        QTest::keyClick(ladder, Qt::Key_M);
        COMPARE_TEXT(w_->view().selected().id, "STOP");
        QVERIFY2(w_->inspector()->shownText().contains("Lid switch"), qPrintable(w_->inspector()->shownText()));
        const auto written = [this] {
            return QString::fromStdString(now().source().find("sluice_clocks.c")->text()).contains("sluice_enter_stop");
        };
        QVERIFY(!written());
        QVERIFY(clickLink("enter:STOP"));
        QVERIFY(now().plan.modes.contains("STOP"));
        QVERIFY(written());
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan.modes.empty());
        QTest::keyClick(ladder, Qt::Key_M);
        QVERIFY(w_->view().selected() == Place{});
    }

    void ladderIsWalkedByKeysAndFollowsUsers()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+3"));
        LadderView* ladder = w_->clocks()->ladder();
        QTest::keyClick(ladder, Qt::Key_Home);
        COMPARE_TEXT(w_->view().selected().id, "LFX");
        QTest::keyClick(ladder, Qt::Key_End);
        COMPARE_TEXT(w_->view().selected().id, "CKO");
        w_->view().select({Place::Kind::Need, "uplink", {}});
        QCOMPARE(ladder->currentRow(), ladder->rowOf("UART1K"));
    }

    void goalsAreTypedAndTheirAnswersFollow()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+4"));
        w_->view().select({Place::Kind::Need, "uplink", {}});
        w_->tuning()->goals()->focusGoal("baud");
        auto* field = qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor("baud"));
        QVERIFY(field && field->hasFocus());
        field->selectAll();
        keys("57.6k");
        QCOMPARE(now().settings[needIndex(now().plan, "uplink")].role("divider"), std::optional<int64_t>(1302));
        // A text that is no baud marks the field and leaves the plan.
        field->selectAll();
        keys("quick");
        QVERIFY(field->property("wrong").toBool());
        COMPARE_TEXT(goalText(*now().plan.need("uplink"), "baud"), "57.6k");
        // Emptied, it takes its default.
        field->selectAll();
        QTest::keyClick(field, Qt::Key_Delete);
        keys("");
        COMPARE_TEXT(goalText(*now().plan.need("uplink"), "baud"), "115.2 kBd");
        shortcut(QKeySequence("Ctrl+Z"));
        COMPARE_TEXT(goalText(*now().plan.need("uplink"), "baud"), "57.6k");
        QVERIFY(w_->tuning()->bits()->sizeHint().height() > 40);
    }

    void everyNeedIsShownInTuning()
    {
        open("tangled");
        shortcut(QKeySequence("Ctrl+4"));
        for (const Need& need : now().plan.needs) {
            w_->view().select({Place::Kind::Need, need.id, {}});
            QVERIFY(!w_->tuning()->grab().isNull());
        }
    }

    void aChangedDeviceIsTold()
    {
        const std::string text =
            replaced(textOf(demoPath("sluice-node-c-done")), "\"board\":",
                     "\"device_file\": { \"revision\": \"0123456789abcdef\", \"from\": \"shipped\" },\n  \"board\":");
        QVERIFY(writeFileAtomically(planPath().toStdString(), text).ok());
        bool told = false;
        inDialog([&told](QWidget* modal) {
            auto* box = qobject_cast<QMessageBox*>(modal);
            QVERIFY(box && box->objectName() == "deviceChanges");
            told = box->text().contains("SE4332-C64") && box->informativeText().contains("is not kept on this machine");
            QTest::keyClick(box, Qt::Key_Return);
        });
        QVERIFY(w_->openPlan(planPath()));
        QTRY_VERIFY(told);
        // Saving notes the file as it is now, and nothing is told any more.
        shortcut(QKeySequence("Ctrl+B"));
        QVERIFY(w_->document().save().ok());
        QVERIFY(w_->openPlan(planPath()));
        QVERIFY(w_->document().deviceChanges().empty());
    }

    void waysOutAreLookedAtThenTaken()
    {
        open("tangled");
        const Plan before = now().plan;
        shortcut(QKeySequence("Ctrl+U"));
        ProposalList* ways = w_->wiring()->proposals();
        QTRY_VERIFY(ways->isVisible() && !w_->wiring()->needs()->isVisible());
        QCOMPARE(ways->rowCount(), 5);
        // The picture shows the plan as the way would make it; the plan itself stays.
        QVERIFY(w_->view().preview() && w_->view().preview()->bindings.contests.empty());
        QVERIFY(now().plan == before && !now().bindings.contests.empty());
        const QImage first = w_->wiring()->chip()->grab().toImage();
        QTest::keyClick(ways, Qt::Key_Down);
        QCOMPARE(ways->currentRow(), 1);
        QVERIFY(w_->wiring()->chip()->grab().toImage() != first);
        QTest::mouseMove(ways->viewport(), ways->rowRect(3).center());
        QTRY_COMPARE(ways->currentRow(), 3);
        // Leaving changes nothing.
        QTest::keyClick(ways, Qt::Key_Escape);
        QVERIFY(!w_->view().preview() && w_->wiring()->needs()->isVisible() && now().plan == before);
        // Taking one is one undo step.
        shortcut(QKeySequence("Ctrl+U"));
        QTRY_VERIFY(ways->isVisible());
        QTest::keyClick(ways, Qt::Key_Down);
        QTest::keyClick(ways, Qt::Key_Return);
        QVERIFY(!w_->view().preview() && now().bindings.contests.empty());
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan == before);
        // A hand on the picture, and any change, mean the plan as it is.
        shortcut(QKeySequence("Ctrl+U"));
        QTRY_VERIFY(ways->isVisible());
        QTest::mouseClick(w_->wiring()->chip(), Qt::LeftButton, {}, QPoint(5, 5));
        QVERIFY(!w_->view().preview() && w_->wiring()->needs()->isVisible());
        shortcut(QKeySequence("Ctrl+U"));
        w_->document().redo();
        w_->document().undo();
        shortcut(QKeySequence("Ctrl+U"));
        QTRY_VERIFY(ways->isVisible());
        QTest::mouseDClick(ways->viewport(), Qt::LeftButton, {}, ways->rowRect(0).center());
        QVERIFY(now().bindings.contests.empty());
        // With nothing contested there is nothing to list.
        shortcut(QKeySequence("Ctrl+U"));
        QVERIFY(!ways->isVisible());
    }

    void fixIsPreviewedThenMade()
    {
        open("tangled");
        FindingsList* list = w_->findings()->list();
        list->setFocus();
        list->setCurrentRow(0);
        const Plan before = now().plan;
        answer("Cancel");
        QTest::keyClick(list, Qt::Key_F);
        QVERIFY(now().plan == before);
        answer("Apply");
        QTest::keyClick(list, Qt::Key_F);
        QVERIFY(!hasFinding(now(), "PIN-01", "PD3"));
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan == before);
    }

    void writesTheSourceToAFolderAndItCompiles()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+5"));
        w_->source()->folder()->setText(dir_->filePath("out"));
        Q_EMIT w_->source()->folder()->editingFinished();
        QCOMPARE(w_->source()->waiting(), int(now().source().files.size()));
        answer("Cancel");
        shortcut(QKeySequence("Ctrl+Return"));
        QVERIFY(!QFileInfo::exists(dir_->filePath("out/sluice_clocks.c")));
        answer("Write");
        shortcut(QKeySequence("Ctrl+Return"));
        for (const SourceFile& file : now().source().files)
            COMPARE_TEXT(textOf(dir_->filePath("out").toStdString() + "/" + file.name),
                         QString::fromStdString(file.text()));
        QCOMPARE(w_->source()->waiting(), 0);
        QProcess shell;
        shell.setWorkingDirectory(dir_->filePath("out"));
        shell.start("sh", {"-c", QString::fromStdString(now().source().buildCommand)});
        QVERIFY(shell.waitForFinished(120'000) && shell.exitCode() == 0);
    }

    void thePrefixIsSetWhereTheFilesAre()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+5"));
        w_->source()->prefix()->setFocus();
        w_->source()->prefix()->selectAll();
        keys("Gate 7!");
        COMPARE_TEXT(now().plan.prefix, "gate_7");
        QVERIFY(now().source().find("gate_7_clocks.c"));
        w_->source()->refreshNow();
        QVERIFY(w_->source()->files()->files()[0].name.starts_with("gate_7_"));
        shortcut(QKeySequence("Ctrl+Z"));
        COMPARE_TEXT(now().plan.prefix, "sluice");
    }

    void goToBringsUpTheStation()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+K"));
        keys("pll a v");
        QCOMPARE(w_->station(), Station::Clocks);
        COMPARE_TEXT(w_->view().selected().id, "PLLA.VCO");
        shortcut(QKeySequence("Ctrl+K"));
        keys("pd3");
        QCOMPARE(w_->station(), Station::Wiring);
        shortcut(QKeySequence("Ctrl+K"));
        keys("zzz", Qt::Key_Escape);
        COMPARE_TEXT(w_->view().selected().id, "PD3");
    }

    void savesAndWarnsBeforeWorkIsLost()
    {
        open("start");
        QVERIFY(!w_->isWindowModified());
        shortcut(QKeySequence("Ctrl+Shift+B"));
        QVERIFY(w_->isWindowModified());
        answer("Cancel");
        QVERIFY(!w_->close());
        shortcut(QKeySequence::Save);
        QVERIFY(!w_->isWindowModified());
        COMPARE_TEXT(textOf(planPath().toStdString()),
                     QString::fromStdString(planText(stamped(now().plan, *now().device, Origin::Shipped))));
        w_->document().undo();
        QVERIFY(w_->isWindowModified());
        answer("Discard changes");
        QVERIFY(w_->close());
        QVERIFY(recentPlans().contains(planPath()));
    }

    void brokenPlansLeaveTheOpenOne()
    {
        open("done");
        const Plan before = now().plan;
        for (const QByteArray& text :
             {QByteArray(""), QByteArray("{"), QByteArray("[]"), QByteArray("{\"bindrel\": 1}"),
              QByteArray("{\"bindrel\": 99}"), QByteArray(100'000, '[')}) {
            QFile file(dir_->filePath("bad.bindrel"));
            QVERIFY(file.open(QIODevice::WriteOnly));
            file.write(text);
            file.close();
            QVERIFY(!w_->openPlan(file.fileName()));
            QVERIFY(w_->message().contains("bad.bindrel:1"));
            QVERIFY(now().plan == before);
        }
        QVERIFY(!w_->openPlan(dir_->filePath("missing.bindrel")));
        QVERIFY(now().plan == before);
    }

    void unsavedWorkComesBackAfterAKill()
    {
        open("start");
        shortcut(QKeySequence("Ctrl+Shift+B"));
        const Plan bound = now().plan;
        // The journal is written a second after the last change.
        const auto journal = [&] {
            QDirIterator files(home_.path(), {"*.bindrel"}, QDir::Files, QDirIterator::Subdirectories);
            return files.hasNext() ? files.next() : QString();
        };
        QTRY_VERIFY_WITH_TIMEOUT(!journal().isEmpty(), 20'000);
        COMPARE_TEXT(textOf(journal().toStdString()), QString::fromStdString(planText(bound)));
        // A session that lives keeps its work to itself; a copy of its folder stands for one that died.
        const QFileInfo session(QFileInfo(journal()).absolutePath());
        {
            MainWindow beside(library());
            QVERIFY(beside.openPlan(planPath()));
            QVERIFY(!beside.document().recovered());
        }
        const QString dead = session.absolutePath() + "/dead";
        QVERIFY(QDir().mkpath(dead));
        for (const QFileInfo& file : QDir(session.absoluteFilePath()).entryInfoList(QDir::Files))
            QVERIFY(QFile::copy(file.absoluteFilePath(), dead + "/" + file.fileName()));
        MainWindow next(library());
        next.show();
        answer("Restore");
        QVERIFY(next.openPlan(planPath()));
        QTRY_VERIFY(next.document().snapshot().plan == bound);
        next.document().undo();
        QVERIFY(next.document().snapshot().plan == demo("sluice-node-c-start").plan);
        // What was taken is settled: it lies in this session's own journal now, and is not offered again.
        QVERIFY(!QFileInfo::exists(dead));
        next.document().clearJournal();
    }

    void laterKeepsTheJournalWhateverIsDone()
    {
        open("start");
        const QString dead = home_.path() + "/journal-test";
        Journal mine(dead);
        Plan work = now().plan;
        work.supply = "3.2 V";
        {
            Journal died(dead);
            QVERIFY(died.write(planPath(), work));
            QVERIFY(died.write("", work)); // one that was never saved takes the place of the other as the open plan
        }
        QCOMPARE(mine.leftOver(planPath()).size(), size_t(0));
        const auto left = mine.leftOver("");
        QCOMPARE(left.size(), size_t(1));
        QVERIFY(mine.write("", now().plan));
        COMPARE_TEXT(textOf(left.front().file.toStdString()), QString::fromStdString(planText(work)));
        const QString aside = mine.setAside(left.front());
        COMPARE_TEXT(textOf(aside.toStdString()), QString::fromStdString(planText(work)));
        QVERIFY(mine.leftOver("").empty());
    }

    void aPlanThatWasNeverSavedIsOffered()
    {
        const QString root = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + "/journal";
        const Plan work = demo("rain-post-b-done").plan;
        {
            Journal died(root);
            QVERIFY(died.write("", work));
        }
        MainWindow next(library());
        next.show();
        answer("Open");
        next.offerNeverSaved();
        QVERIFY(next.document().isOpen() && next.document().path().isEmpty() && next.document().unsaved());
        QVERIFY(next.document().snapshot().plan == work);
        QVERIFY(next.document().neverSaved().empty());
        next.document().clearJournal();
    }

    void aPlanThatChangedOnTheDiskIsSettledFirst()
    {
        open("start");
        shortcut(QKeySequence("Ctrl+Shift+B"));
        const Plan mine = now().plan;
        Plan theirs = demo("sluice-node-c-start").plan;
        theirs.supply = "3.1 V";
        // Somebody saves: the window notices by itself; nothing is decided yet.
        answer("Decide later");
        QVERIFY(savePlan(theirs, planPath().toStdString()).ok());
        QTRY_VERIFY_WITH_TIMEOUT(w_->message().contains("saving will ask"), 10'000);
        QVERIFY(now().plan == mine);
        answer("Decide later");
        shortcut(QKeySequence::Save);
        COMPARE_TEXT(textOf(planPath().toStdString()), QString::fromStdString(planText(theirs)));
        // Theirs, as one step that can be undone.
        answer("Load the file");
        shortcut(QKeySequence::Save);
        QVERIFY(now().plan == theirs);
        QVERIFY(!w_->document().unsaved());
        w_->document().undo();
        QVERIFY(now().plan == mine);
        // And mine, over theirs.
        theirs.supply = "3.0 V";
        answer("Decide later");
        QVERIFY(savePlan(theirs, planPath().toStdString()).ok());
        QTRY_VERIFY_WITH_TIMEOUT(w_->message().contains("saving will ask"), 10'000);
        answer("Keep mine");
        shortcut(QKeySequence::Save);
        QVERIFY(textOf(planPath().toStdString()).find("\"supply\": \"3.0 V\"") == std::string::npos);
        QVERIFY(!w_->document().unsaved());
    }

    void startOffersExamplesAndBoards()
    {
        StartList* list = w_->start()->list();
        int example = -1, board = -1;
        for (size_t i = 0; i < list->entries().size(); ++i) {
            if (list->entries()[i].kind == StartEntry::Kind::Example)
                example = int(i);
            if (list->entries()[i].kind == StartEntry::Kind::Board)
                board = int(i);
        }
        QVERIFY(example >= 0 && board >= 0);
        list->setFocus();
        list->setCurrentRow(board);
        QTest::keyClick(list, Qt::Key_Return);
        QVERIFY(w_->document().isOpen() &&
                now().bindings.count(BoundNeed::State::Open) == int(now().plan.needs.size()) &&
                w_->document().path().isEmpty());
        QVERIFY(now().plan.needs.size() > 5);
        QVERIFY(!w_->grab().isNull());
        for (const Station station :
             {Station::Wiring, Station::Clocks, Station::Tuning, Station::Source, Station::Start}) {
            w_->showStation(station);
            QVERIFY(!w_->grab().isNull());
        }
        w_->document().clearJournal();
        list->setCurrentRow(example);
        answer("Discard changes");
        QTest::keyClick(list, Qt::Key_Return);
        QVERIFY(w_->document().path().isEmpty() && !now().plan.needs.empty());
    }

    void aPlanIsMadeFromNothing()
    {
        StartList* list = w_->start()->list();
        for (size_t i = 0; i < list->entries().size(); ++i)
            if (list->entries()[i].kind == StartEntry::Kind::Board)
                list->setCurrentRow(int(i));
        list->setFocus();
        QTest::keyClick(list, Qt::Key_Return);
        // The board's parts have brought their needs along, all open.
        const size_t stated = now().plan.needs.size();
        QVERIFY(stated > 10);
        answer("Add it");
        shortcut(QKeySequence("Ctrl+Shift+A"));
        QCOMPARE(now().plan.needs.size(), stated + 1);
        const Need* added = now().plan.need(w_->view().selected().id);
        QVERIFY(added);
        COMPARE_TEXT(added->part, ""); // the firmware's, where no part is looked at
        answer("Cancel");
        shortcut(QKeySequence("Ctrl+Shift+A"));
        QCOMPARE(now().plan.needs.size(), stated + 1);
        shortcut(QKeySequence("Ctrl+B"));
        QCOMPARE(now().bindings.count(BoundNeed::State::Bound), 1);
        shortcut(QKeySequence("Ctrl+H"));
        shortcut(QKeySequence("Ctrl+Delete"));
        QVERIFY(now().plan.needs.size() == stated && now().plan.holds.empty());
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan.needs.size() == stated + 1 && now().plan.holds.size() == 1);
    }

    void thePictureTakesTheSameKeys()
    {
        open("done");
        ChipView* chip = w_->wiring()->chip();
        QTest::mouseDClick(chip, Qt::LeftButton, {}, pin("PD2"));
        QVERIFY(w_->view().optionsShown());
        COMPARE_TEXT(w_->options()->signal(), "cts");
        QTest::keyClick(chip, Qt::Key_Escape);
        QVERIFY(!w_->view().optionsShown());
        QTest::mouseClick(chip, Qt::LeftButton, {}, pin("PD2"));
        QTest::keyClick(chip, Qt::Key_Space);
        QVERIFY(w_->view().optionsShown());
        QTest::keyClick(chip, Qt::Key_Space);
        QTest::keyClick(chip, Qt::Key_Delete);
        QCOMPARE(stateOf("uplink"), BoundNeed::State::Open);
        QTest::keyClick(chip, Qt::Key_Return);
        QCOMPARE(stateOf("uplink"), BoundNeed::State::Bound);
    }

    void everythingWorksWithoutAPlan()
    {
        for (const char* key :
             {"Ctrl+1", "Ctrl+2", "Ctrl+3", "Ctrl+4", "Ctrl+5", "Ctrl+6", "Ctrl+7", "F8", "Shift+F8", "F9", "Ctrl+Z",
              "Ctrl+Shift+Z", "Ctrl+K", "Ctrl+B", "Ctrl+Shift+B", "Ctrl+H", "Ctrl+S", "Ctrl+Return", "Ctrl+."})
            shortcut(QKeySequence(key));
        QVERIFY(!w_->grab().isNull());
    }

    /// The window comes back as large as it was closed; what is no place leaves it alone.
    void theWindowIsRemembered()
    {
        w_->resize(1100, 720);
        QApplication::processEvents();
        QVERIFY(w_->close());
        MainWindow again(library());
        restorePlace(again);
        QCOMPARE(again.size(), QSize(1100, 720));
        const QString key =
            QString("window/%1x%2").arg(again.screen()->geometry().width()).arg(again.screen()->geometry().height());
        for (const QByteArray& strange : {QByteArray("none"), QByteArray(4000, '\xff'), QByteArray()}) {
            QSettings().setValue(key, strange);
            MainWindow other(library());
            const QSize before = other.size();
            restorePlace(other);
            QCOMPARE(other.size(), before);
        }
    }

    void nightFenIsDarkAndComesBack()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+Shift+N"));
        const QColor corner = w_->grab().toImage().pixelColor(400, 700);
        QVERIFY(corner.lightness() < 80);
        shortcut(QKeySequence("Ctrl+Shift+N"));
        QVERIFY(w_->grab().toImage().pixelColor(400, 700).lightness() > 200);
    }

    void filterAndZoom()
    {
        open("done");
        NeedsList* list = w_->wiring()->needs();
        const int all = list->rowCount();
        list->setFilter("uart");
        QVERIFY(list->rowCount() > 0 && list->rowCount() < all);
        list->setFilter("");
        QCOMPARE(list->rowCount(), all);
        const QPointF before = w_->wiring()->chip()->pinPosition("PA2");
        shortcut(QKeySequence::ZoomIn);
        QVERIFY(w_->wiring()->chip()->pinPosition("PA2") != before);
        shortcut(QKeySequence("Ctrl+0"));
        QCOMPARE(w_->wiring()->chip()->pinPosition("PA2"), before);
    }

    /// All interrupts in one view; a priority is typed there, Enter goes to the goals.
    void interruptsAndDma()
    {
        open("done");
        w_->document().apply(editOf("x", SetGoal{"uplink", "interrupt", "receive"}));
        inDialog([](QWidget* modal) {
            auto* dialog = qobject_cast<InterruptsDialog*>(modal);
            QVERIFY(dialog);
            QTableView* table = dialog->interrupts();
            QAbstractItemModel* model = table->model();
            int row = -1, column = -1;
            for (int r = 0; r < model->rowCount(); ++r)
                if (model->index(r, 4).data().toString() == "Uplink")
                    row = r;
            for (int c = 0; c < model->columnCount(); ++c)
                if (model->headerData(c, Qt::Horizontal).toString() == "Priority")
                    column = c;
            QVERIFY(row >= 0 && column >= 0);
            QVERIFY(table->hasFocus());
            const QPersistentModelIndex priority(model->index(row, column)); // the row goes to where it is due
            table->setCurrentIndex(priority);
            QTest::keyClick(table, Qt::Key_F2);
            auto* field = table->findChild<QLineEdit*>();
            QVERIFY(field);
            QTest::keyClicks(field, "3");
            QTest::keyClick(field, Qt::Key_Return);
            QTRY_COMPARE(priority.data().toString(), QString("3"));
            QCOMPARE(QPersistentModelIndex(table->currentIndex()), priority);
            // What is no priority is not taken, and no other cell can be written.
            QVERIFY(!model->setData(priority, "soon") && !model->setData(priority.sibling(priority.row(), 4), "other"));
            QCOMPARE(priority.data().toString(), QString("3"));
            table->setCurrentIndex(priority.sibling(priority.row(), 0));
            table->setFocus();
            QTest::keyClick(table, Qt::Key_Return);
        });
        shortcut(QKeySequence("Ctrl+Shift+I"));
        QVERIFY(now().plan.need("uplink")->goals.at("priority") == "3");
        QCOMPARE(w_->view().selectedNeed(), std::string("uplink"));
        QVERIFY(w_->station() == Station::Tuning);
    }
};

BINDREL_TEST(WindowTest)
#include "window_test.moc"
