// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/move_dialog.h"
#include "app/start/start_station.h"
#include "app/tables/net_table_dialog.h"
#include "app/wiring/pin_sheet_view.h"
#include "core/plan/pin_property.h"
#include "tests/support/window_fixture.h"

#include <QAbstractItemView>
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QCompleter>
#include <QHeaderView>
#include <QLineEdit>
#include <QMenu>
#include <QSpinBox>
#include <QSvgRenderer>
#include <QTableView>
#include <QTextBrowser>

using namespace bindrel;
using namespace bindrel::test;

/// The wiring station in full: room, parts, pads, the pin sheet, change of chip. By real mouse and keys.
class WiringTest : public WindowFixture {
    Q_OBJECT

    PinSheetView* sheet() const { return w_->wiring()->sheet(); }
    QModelIndex cell(const char* pad, const char* column) const
    {
        const QAbstractItemModel* model = sheet()->table()->model();
        for (int r = 0; r < model->rowCount(); ++r)
            if (model->index(r, 1).data().toString() == pad)
                for (size_t c = 0; c < sheetColumns().size(); ++c)
                    if (std::string(sheetColumns()[c].id) == column)
                        return model->index(r, int(c));
        return {};
    }
    QString text(const char* pad, const char* column) const { return cell(pad, column).data().toString(); }
    void clickCell(const char* pad, const char* column, Qt::KeyboardModifiers modifiers = {}) const
    {
        QTableView* table = sheet()->table();
        table->scrollTo(cell(pad, column));
        QTest::mouseClick(table->viewport(), Qt::LeftButton, modifiers, table->visualRect(cell(pad, column)).center());
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void draggingOntoATakenPadShowsTheChainAndMakesRoom()
    {
        open("done");
        ChipView* chip = w_->wiring()->chip();
        const Plan before = now().plan;
        const std::string pad = padOf("rain-tipper", "in");
        // Half way, with the button still down: the chain is told, and nothing has happened yet.
        const QPoint from = pin(padOf("lid-switch", "pin").c_str());
        QTest::mousePress(chip, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 5; ++i) {
            const QPoint at = from + (pin(pad.c_str()) - from) * i / 5;
            QMouseEvent move(QEvent::MouseMove, at, chip->mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                             Qt::NoModifier);
            QApplication::sendEvent(chip, &move);
        }
        const QStringList lines = chip->dragText();
        QVERIFY2(lines.size() >= 3 && lines[0].contains("Lid switch") && lines[0].contains("taken by Rain tipper"),
                 qPrintable(lines.join("\n")));
        QVERIFY2(lines.join("\n").contains("Rain tipper: "), qPrintable(lines.join("\n")));
        QVERIFY(now().plan == before);
        QTest::mouseRelease(chip, Qt::LeftButton, {}, pin(pad.c_str()));
        COMPARE_TEXT(padOf("lid-switch", "pin"), QString::fromStdString(pad));
        QVERIFY(padOf("rain-tipper", "in") != pad && now().bindings.contests.empty());
        QCOMPARE(stateOf("rain-tipper"), BoundNeed::State::Bound);
        // One step.
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan == before);
        // A drag that is let go with Escape does nothing.
        QTest::mousePress(chip, Qt::LeftButton, {}, from);
        const QPoint away = from + QPoint(30, 30);
        QMouseEvent move(QEvent::MouseMove, away, chip->mapToGlobal(away), Qt::NoButton, Qt::LeftButton,
                         Qt::NoModifier);
        QApplication::sendEvent(chip, &move);
        QTest::keyClick(chip, Qt::Key_Escape);
        QVERIFY(chip->dragText().isEmpty());
        QTest::mouseRelease(chip, Qt::LeftButton, {}, pin(pad.c_str()));
        QVERIFY(now().plan == before);
    }

    void optionsArePricedAndTakenByNumber()
    {
        open("done");
        w_->view().select({Place::Kind::Signal, "lid-switch", "pin"});
        shortcut(QKeySequence("Ctrl+Space"));
        QTRY_VERIFY(!w_->options()->pricing());
        int room = 0;
        for (size_t i = 0; i < w_->options()->options().size(); ++i) {
            const Option& option = w_->options()->options()[i];
            QVERIFY(option.cost != Option::Cost::Contends);
            room += option.cost == Option::Cost::Room;
        }
        QVERIFY(room > 3);
        QVERIFY(w_->inspector()->shownText().contains("OPTIONS FOR PIN"));
        const Option second = w_->options()->options()[1];
        QTest::keyClick(w_->wiring()->needs(), Qt::Key_2);
        COMPARE_TEXT(padOf("lid-switch", "pin"), QString::fromStdString(now().device->pads[second.pad].name));
    }

    void contentionBeyondPadsIsWordedOnThePicture()
    {
        open("tangled");
        ChipView* chip = w_->wiring()->chip();
        QVERIFY(!chip->contestNotes().empty());
        QVERIFY(chip->contestNotes()[0].first.startsWith("Interrupt line 6 is assigned to"));
        QTest::mouseClick(chip, Qt::LeftButton, {}, chip->noteRect(0).center().toPoint());
        QVERIFY(w_->view().selectedNeed() == "lid-switch" || w_->view().selectedNeed() == "modem-ring");
        open2("done");
        QVERIFY(chip->contestNotes().empty());
    }

    void open2(const char* name)
    {
        const QString other = dir_->filePath(QString("%1.bindrel").arg(name));
        QVERIFY(QFile::copy(QString::fromStdString(demoPath(std::string("sluice-node-c-") + name)), other));
        QVERIFY(w_->openPlan(other));
        QApplication::processEvents();
    }

    void whatWouldFreeIsOfferedWhenNothingUntangles()
    {
        open("tangled");
        for (const Need& need : demo("sluice-node-c-tangled").plan.needs)
            w_->document().apply(editOf("hold", SetHold{holdOfNeed(need.id), true}));
        const Plan before = now().plan;
        // Settled but for one pad, so that letting go of one need is enough.
        Plan fewer = before;
        for (const Need& need : demo().plan.needs)
            if (need.id != "probe-alert")
                fewer.need(need.id)->binding = need.binding;
        QVERIFY(w_->document().apply(difference(before, fewer, "settle")));
        QCOMPARE(now().bindings.contests.size(), size_t(1));
        shortcut(QKeySequence("Ctrl+U"));
        QTRY_VERIFY_WITH_TIMEOUT(w_->wiring()->proposing(), 60'000);
        ProposalList* list = w_->wiring()->proposals();
        QVERIFY(list->rowCount() >= 2 && list->proposals()[0].title.startsWith("Release"));
        QTest::keyClick(list, Qt::Key_Return);
        QVERIFY(now().bindings.contests.empty());
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan == fewer);
    }

    /// While places for all get better, the picture shows the best so far: Enter takes it, Escape leaves all as it is.
    void theBestSoFarCanBeTaken()
    {
        const QString folder = QString(BINDREL_SOURCE_ROOT) + "/tests/data/placement/";
        for (const char* file : {"m-blank-apart-1.bindrel", "m-blank-apart-1.json", "m-blank-apart-1-board.json"})
            QVERIFY(QFile::copy(folder + file, dir_->filePath(file)));
        QVERIFY(w_->openPlan(dir_->filePath("m-blank-apart-1.bindrel")));
        w_->showStation(Station::Wiring);
        const Plan before = now().plan;
        const auto begin = [this] {
            w_->activateWindow();
            QTRY_VERIFY(w_->isActiveWindow());
            // On a busy machine the search can be over before its first answer is seen.
            for (int tries = 0; tries < 5 && !w_->wiring()->proposing(); ++tries) {
                if (now().bindings.count(BoundNeed::State::Bound) > 0)
                    w_->document().undo();
                QTest::keySequence(w_.get(), QKeySequence("Ctrl+Shift+B"));
                QTRY_VERIFY_WITH_TIMEOUT(w_->wiring()->proposing() || !w_->wiring()->background().busy(), 60'000);
            }
            QVERIFY(w_->wiring()->proposing());
            QVERIFY(w_->wiring()->background().busy());
        };
        begin();
        ProposalList* list = w_->wiring()->proposals();
        QCOMPARE(list->rowCount(), 1);
        QVERIFY2(list->proposals()[0].lines[0].contains("extra side"), qPrintable(list->proposals()[0].lines[0]));
        QVERIFY(w_->view().preview() &&
                w_->view().preview()->bindings.count(BoundNeed::State::Bound) == int(before.needs.size()) &&
                now().plan == before);
        QTest::keyClick(list, Qt::Key_Escape);
        QVERIFY(!w_->wiring()->proposing() && !w_->wiring()->background().busy() && now().plan == before &&
                !w_->view().preview());
        begin();
        QTest::keyClick(list, Qt::Key_Return);
        QVERIFY(!w_->wiring()->proposing() && !w_->wiring()->background().busy());
        QCOMPARE(now().bindings.count(BoundNeed::State::Bound), int(before.needs.size()));
        QVERIFY2(w_->message().contains("extra side"), qPrintable(w_->message()));
        // One step.
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan == before);
    }

    /// A short search ends at once, and says how good its end is and why it is not better.
    void bindingAllTellsHowGoodItIs()
    {
        open("start");
        shortcut(QKeySequence("Ctrl+Shift+B"));
        QCOMPARE(now().bindings.count(BoundNeed::State::Open), 0);
        QVERIFY2(w_->message().contains("No solution is better.") &&
                     w_->message().contains("The chip has no side with pads for all its signals"),
                 qPrintable(w_->message()));
    }

    void aPartIsPickedAndSeenBeforeItIsAdded()
    {
        open("done");
        const Plan before = now().plan;
        shortcut(QKeySequence("Ctrl+Shift+L"));
        QTRY_VERIFY_WITH_TIMEOUT(w_->wiring()->proposing(), 60'000);
        // Type, and the list narrows; the picture shows where it would stand.
        QVERIFY(w_->wiring()->partFilter()->hasFocus());
        QTest::keyClicks(w_->wiring()->partFilter(), "contact");
        ProposalList* list = w_->wiring()->proposals();
        QVERIFY(list->rowCount() >= 1 && list->proposals()[0].title == "Contact");
        QVERIFY(w_->view().preview() && w_->view().preview()->plan.parts.size() == 1 && now().plan == before);
        QTest::keyClick(w_->wiring()->partFilter(), Qt::Key_Return);
        QCOMPARE(now().plan.parts.size(), size_t(1));
        QCOMPARE(now().plan.needs.size(), before.needs.size() + 1);
        QCOMPARE(now().bindings.count(BoundNeed::State::Open), 0);
        QVERIFY(!w_->wiring()->proposing() && w_->view().selectedNeed() == now().plan.needs.back().id);
        // It is saved and read back with its part; removed with its need.
        QVERIFY(w_->document().save() && w_->openPlan(planPath()));
        QCOMPARE(now().plan.parts.size(), size_t(1));
        w_->view().select({Place::Kind::Need, now().plan.needs.back().id, {}});
        shortcut(QKeySequence("Ctrl+Delete"));
        QVERIFY(now().plan.parts.empty() && now().plan.needs.size() == before.needs.size());
        // With Shift its needs stay open; Escape leaves all as it is.
        shortcut(QKeySequence("Ctrl+Shift+L"));
        QTRY_VERIFY_WITH_TIMEOUT(w_->wiring()->proposing(), 60'000);
        QTest::keyClick(w_->wiring()->partFilter(), Qt::Key_Escape);
        QVERIFY(!w_->wiring()->proposing() && now().plan.parts.empty());
        shortcut(QKeySequence("Ctrl+Shift+L"));
        QTRY_VERIFY_WITH_TIMEOUT(w_->wiring()->proposing(), 60'000);
        QTest::keyClicks(w_->wiring()->partFilter(), "contact");
        QTest::keyClick(w_->wiring()->partFilter(), Qt::Key_Return, Qt::ShiftModifier);
        QCOMPARE(now().bindings.count(BoundNeed::State::Open), 1);
    }

    void aNeedIsStatedInOneLineByKeys()
    {
        open("start");
        const size_t before = now().plan.needs.size();
        inDialog([](QWidget* dialog) {
            auto* line = dialog->findChildren<QLineEdit*>().front();
            QVERIFY(line->hasFocus());
            QTest::keyClicks(line, "uart 460.8k rts/ctz");
            QVERIFY(!button(dialog, "Add it")->isEnabled());
            QTest::keyClick(line, Qt::Key_Backspace);
            QTest::keyClicks(line, "s for up");
            // The part is taken from what is offered.
            QTRY_VERIFY(line->completer()->popup()->isVisible());
            QTest::keyClick(line->completer()->popup(), Qt::Key_Down);
            QTest::keyClick(line->completer()->popup(), Qt::Key_Return);
            QCOMPARE(line->text(), QString("uart 460.8k rts/cts for Uplink modem"));
            QVERIFY(button(dialog, "Add it")->isEnabled());
            QTest::keyClick(line, Qt::Key_Return);
        });
        shortcut(QKeySequence("Ctrl+Shift+A"));
        QCOMPARE(now().plan.needs.size(), before + 1);
        const Need& added = now().plan.needs.back();
        QVERIFY(added.part == "uplink-modem" && added.goals.at("flow") == "RTS/CTS" &&
                added.goals.at("baud") == "460.8k");
        shortcut(QKeySequence("Ctrl+Z"));
        QCOMPARE(now().plan.needs.size(), before);
    }

    void needsAreEditedCopiedAndGrouped()
    {
        open("done");
        w_->view().select({Place::Kind::Need, "uplink", {}});
        w_->document().apply(editOf("x", SetPin{"uplink", "tx", "drive", "strong"}));
        shortcut(QKeySequence("Ctrl+D"));
        const Need* copy = now().plan.need(w_->view().selectedNeed());
        QVERIFY(copy && copy->title == "Uplink 2" && copy->goals == now().plan.need("uplink")->goals &&
                copy->binding.empty());
        QVERIFY(pinProperty(*copy, "tx", "drive") == "strong");
        // A title that is taken is refused at once; a new part groups it.
        const std::string id = copy->id;
        inDialog([](QWidget* dialog) {
            auto* title = dialog->findChildren<QLineEdit*>().back();
            for (QLineEdit* field : dialog->findChildren<QLineEdit*>())
                if (field->text() == "Uplink 2")
                    title = field;
            title->setText("Beacon");
            QAbstractButton* change = button(dialog, "Apply");
            QVERIFY(!change->isEnabled());
            title->setText("Spare line");
            QVERIFY(change->isEnabled());
            auto* part = dialog->findChildren<QComboBox*>().front();
            part->setCurrentIndex(part->count() - 1);
            QVERIFY(!change->isEnabled());
            for (QLineEdit* field : dialog->findChildren<QLineEdit*>())
                if (field->isVisible() && field != title)
                    QTest::keyClicks(field, "Spare port");
            QTest::mouseClick(change, Qt::LeftButton);
        });
        shortcut(QKeySequence("Ctrl+E"));
        const Need* changed = now().plan.need(id);
        QVERIFY(changed && changed->title == "Spare line" && changed->part == "spare-port");
        QVERIFY(now().board->part("spare-port") && now().board->part("spare-port")->terminals.size() == 4);
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan.need(id)->title == "Uplink 2" && !now().board->part("spare-port"));
    }

    void thePinSheetIsEditedInPlace()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+Shift+P"));
        QVERIFY(w_->wiring()->sheetShown() && sheet()->table()->isVisible());
        QCOMPARE(sheet()->table()->model()->rowCount(), 64);
        // Free text, by F2 and Enter.
        const std::string tx = padOf("uplink", "tx");
        clickCell(tx.c_str(), "name");
        COMPARE_TEXT(w_->view().selected().id, QString::fromStdString(tx)); // the inspector follows
        QTest::keyClick(sheet()->table(), Qt::Key_F2);
        auto* field = sheet()->table()->findChild<QLineEdit*>();
        QVERIFY(field);
        QTest::keyClicks(field, "MODEM_RXD");
        QTest::keyClick(field, Qt::Key_Return);
        QTRY_COMPARE(text(tx.c_str(), "name"), QString("MODEM_RXD")); // the editor commits when the key is done with
        QVERIFY(pinProperty(*now().plan.need("uplink"), "tx", "name") == "MODEM_RXD");
        // A choice for several rows at once, as one step.
        const std::string rts = padOf("uplink", "rts");
        clickCell(tx.c_str(), "drive");
        clickCell(rts.c_str(), "drive", Qt::ControlModifier);
        QTest::keyClick(sheet()->table(), Qt::Key_F2);
        auto* box = sheet()->table()->findChild<QComboBox*>();
        QVERIFY(box);
        box->setCurrentText("strong");
        Q_EMIT box->activated(box->currentIndex());
        QCOMPARE(text(tx.c_str(), "drive") + text(rts.c_str(), "drive"), QString("strongstrong"));
        // Delete goes back to what follows from the signal.
        clickCell(tx.c_str(), "drive");
        QTest::keyClick(sheet()->table(), Qt::Key_Delete);
        QCOMPARE(text(tx.c_str(), "drive"), QString("weak"));
        shortcut(QKeySequence("Ctrl+Z"));
        shortcut(QKeySequence("Ctrl+Z"));
        QCOMPARE(text(rts.c_str(), "drive"), QString("weak"));
        // What is wrong is refused with a word, and nothing changes.
        const Plan before = now().plan;
        clickCell(tx.c_str(), "net");
        QTest::keyClick(sheet()->table(), Qt::Key_F2);
        // The editor of before may still be on its way out.
        for (auto* one : sheet()->table()->findChildren<QLineEdit*>())
            if (!one->isHidden())
                field = one;
        QTest::keyClicks(field, "two words");
        QTest::keyClick(field, Qt::Key_Return);
        QTRY_VERIFY(w_->message().contains("is not a net"));
        QVERIFY(now().plan == before);
        // What is told only cannot be edited.
        clickCell(tx.c_str(), "signal");
        QTest::keyClick(sheet()->table(), Qt::Key_F2);
        QVERIFY(!(sheet()->table()->model()->flags(cell(tx.c_str(), "signal")) & Qt::ItemIsEditable));
    }

    void columnsArePastedFromASpreadsheet()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+Shift+P"));
        const Plan before = now().plan;
        // Pins 10 to 13 are the log flash.
        QGuiApplication::clipboard()->setText("FL_SCK\r\nFL_SO\r\nFL_SI\r\nFL_CS\r\n");
        clickCell("PA6", "name");
        QTest::keySequence(sheet()->table(), QKeySequence::Paste);
        QCOMPARE(text("PA6", "name") + text("PA7", "name") + text("PA8", "name") + text("PA9", "name"),
                 QString("FL_SCKFL_SOFL_SIFL_CS"));
        QCOMPARE(w_->document().undoTitle(), QString("Paste 4 cells"));
        clickCell("PA6", "name");
        clickCell("PA9", "name", Qt::ShiftModifier);
        QTest::keySequence(sheet()->table(), QKeySequence::Copy);
        QCOMPARE(QGuiApplication::clipboard()->text(), QString("FL_SCK\nFL_SO\nFL_SI\nFL_CS"));
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan == before);
        // One bad cell, and nothing of it is done.
        QGuiApplication::clipboard()->setText("up\nsideways");
        clickCell("PA6", "pull");
        QTest::keySequence(sheet()->table(), QKeySequence::Paste);
        QVERIFY(w_->message().contains("Pin 11") && w_->message().contains("sideways") && now().plan == before);
        // More than there is room for.
        QGuiApplication::clipboard()->setText(QString("X\n").repeated(80));
        QTest::keySequence(sheet()->table(), QKeySequence::Paste);
        QVERIFY(w_->message().contains("nothing was pasted") && now().plan == before);
        // One text into all that is selected.
        QGuiApplication::clipboard()->setText("up");
        clickCell("PA6", "pull");
        clickCell("PA8", "pull", Qt::ShiftModifier);
        QTest::keySequence(sheet()->table(), QKeySequence::Paste);
        QCOMPARE(text("PA6", "pull") + text("PA7", "pull") + text("PA8", "pull") + text("PA9", "pull"),
                 QString("upupupnone"));
    }

    void theSheetIsFilteredSortedAndExported()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+Shift+P"));
        sheet()->filter()->setFocus();
        QTest::keyClicks(sheet()->filter(), "uplink tx");
        QCOMPARE(sheet()->table()->model()->rowCount(), 1);
        const QString one = dir_->filePath("one.csv");
        QVERIFY(sheet()->exportTo(one));
        QCOMPARE(QString::fromStdString(textOf(one.toStdString())).count("\r\n"), 2);
        sheet()->filter()->clear();
        QTest::mouseClick(sheet()->table()->horizontalHeader()->viewport(), Qt::LeftButton, {},
                          QPoint(sheet()->table()->columnViewportPosition(1) + 8, 8));
        QCOMPARE(sheet()->table()->model()->index(0, 1).data().toString(), QString("NRST"));
        QVERIFY(sheet()->exportTo(dir_->filePath("all.xlsx")) && QFileInfo(dir_->filePath("all.xlsx")).size() > 4000);
        QVERIFY(!sheet()->exportTo(dir_->filePath("all.odt")));
        shortcut(QKeySequence("Ctrl+Shift+P"));
        QVERIFY(!w_->wiring()->sheetShown());
    }

    void netsArePastedAndPreviewed()
    {
        open("done");
        const Plan before = now().plan;
        QGuiApplication::clipboard()->setText("Pin,Net\n4,SPARE_A\n10,FLASH_CLK\n");
        answer("Cancel");
        shortcut(QKeySequence("Ctrl+Shift+V"));
        QVERIFY(now().plan == before);
        answer("Apply");
        shortcut(QKeySequence("Ctrl+Shift+V"));
        QVERIFY(now().board->nets.at("PA2") == "SPARE_A" && now().board->nets.at("PA6") == "FLASH_CLK");
        QVERIFY(hasFinding(now(), "PIN-06", "log-flash")); // a net that nobody names
        w_->document().apply(editOf("name it", SetPin{"log-flash", "sck", "net", "FLASH_CLK"}));
        QVERIFY2(!hasFinding(now(), "PIN-06"), findingsText(now()).c_str());
        // What names no pin changes nothing, and says so row by row.
        const Plan named = now().plan;
        QGuiApplication::clipboard()->setText("Pin,Net\nPZ9,X\n");
        inDialog([](QWidget* modal) {
            auto* dialog = qobject_cast<NetTableDialog*>(modal);
            QVERIFY(dialog && !dialog->applyButton()->isEnabled());
            auto* list = dialog->findChild<QListWidget*>();
            QVERIFY(list->count() == 1 && list->item(0)->text().startsWith("not read: line 2: \"PZ9\""));
            QTest::keyClick(dialog, Qt::Key_Escape);
        });
        shortcut(QKeySequence("Ctrl+Shift+V"));
        QVERIFY(now().plan == named);
    }

    void theChipIsChangedWithAPreviewAndUndone()
    {
        open("done");
        const Plan before = now().plan;
        QString seen;
        const auto choose = [&seen](const char* chip, const char* button) {
            inDialog([&seen, chip, button](QWidget* dialog) {
                auto* move = qobject_cast<MoveDialog*>(dialog);
                QVERIFY(move);
                DestinationList* list = move->list();
                for (int row = 0; row < list->rowCount(); ++row)
                    if (list->destinations()[size_t(row)].title == chip) {
                        list->setCurrentRow(row);
                        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->rowRect(row).center());
                    }
                QTRY_VERIFY_WITH_TIMEOUT(move->shown(), 60'000);
                seen = QString::number(move->shown()->count(Relocation::Fate::Opens));
                for (QAbstractButton* b : move->findChildren<QAbstractButton*>())
                    if (b->text().remove('&') == button)
                        QTest::mouseClick(b, Qt::LeftButton);
            });
        };
        choose("SE4332-C100", "Cancel");
        shortcut(QKeySequence("Ctrl+Shift+D"));
        QVERIFY(now().plan == before && seen == "0");
        choose("SE4332-C100", "Apply");
        shortcut(QKeySequence("Ctrl+Shift+D"));
        COMPARE_TEXT(now().device->name, "SE4332-C100");
        QVERIFY(now().device->package.pins.size() == 100 && now().bindings.count(BoundNeed::State::Open) == 0);
        QVERIFY(hasFinding(now(), "BRD-01"));
        // Undo brings the chip back, redo the other; saving and opening keeps it.
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().plan == before && now().device->package.pins.size() == 64);
        shortcut(QKeySequence("Ctrl+Shift+Z"));
        QVERIFY(w_->document().save() && w_->openPlan(planPath()));
        COMPARE_TEXT(now().device->name, "SE4332-C100");
        // With loss: what cannot be placed stays in the plan, open.
        choose("MS0816-A48", "Apply");
        shortcut(QKeySequence("Ctrl+Shift+D"));
        QVERIFY(seen.toInt() >= 3 && now().plan.need("moss-bus") && stateOf("moss-bus") == BoundNeed::State::Open);
        QCOMPARE(now().bindings.count(BoundNeed::State::Open), seen.toInt());
        for (const Station station : {Station::Wiring, Station::Clocks, Station::Tuning, Station::Source}) {
            w_->showStation(station);
            QVERIFY(!w_->grab().isNull());
        }
        shortcut(QKeySequence("Ctrl+Z"));
        COMPARE_TEXT(now().device->name, "SE4332-C100");
        w_->document().clearJournal();
    }

    void chipsAreFilteredFittedAndCompared()
    {
        open("done");
        shortcut(QKeySequence("Ctrl+1"));
        ChipCatalogue* chips = w_->start()->chips();
        QCOMPARE(chips->shownChips().size(), 7);
        QTest::keyClicks(chips->text(), "cortex-m4f");
        QCOMPARE(chips->shownChips().size(), 2);
        chips->text()->clear();
        chips->package()->setCurrentText("ball grid");
        QCOMPARE(chips->shownChips(), QStringList("AL7654-B176"));
        chips->package()->setCurrentIndex(0);
        chips->pins()->setValue(64);
        QCOMPARE(chips->shownChips().size(), 4);
        chips->flash()->setValue(512);
        QCOMPARE(chips->shownChips(), QStringList("SE4332-C64"));
        chips->flash()->setValue(0);
        chips->pins()->setValue(0);
        chips->rate()->setValue(97);
        QCOMPARE(chips->shownChips().size(), 4);
        chips->rate()->setValue(0);
        QTest::keyClicks(chips->supply(), "1.77 V");
        QCOMPARE(chips->shownChips().size(), 2);
        chips->supply()->clear();
        chips->kind()->setCurrentText("CAN");
        chips->kindCount()->setValue(1);
        QVERIFY(!chips->shownChips().contains("MS0816-A48") && chips->shownChips().contains("SE4332-C64"));
        chips->kindCount()->setValue(0);
        QTest::mouseClick(chips->mustFit(), Qt::LeftButton, {}, QPoint(6, chips->mustFit()->height() / 2));
        QVERIFY(chips->mustFit()->isChecked());
        QTRY_VERIFY_WITH_TIMEOUT(
            (chips->shownChips() == QStringList{"AL7654-B176", "AL7654-F144", "SE4332-C100", "SE4332-C64"}), 60'000);
        // Two, side by side.
        QTableView* table = chips->table();
        const auto click = [table](const char* chip, Qt::KeyboardModifiers modifiers) {
            for (int row = 0; row < table->model()->rowCount(); ++row)
                if (const QModelIndex index = table->model()->index(row, 0); index.data().toString() == chip)
                    QTest::mouseClick(table->viewport(), Qt::LeftButton, modifiers, table->visualRect(index).center());
        };
        // Sizes are sorted as numbers: 64 KiB stand before 512.
        table->sortByColumn(5, Qt::AscendingOrder);
        for (int row = 1; row < table->model()->rowCount(); ++row)
            QVERIFY(table->model()->index(row - 1, 5).data().toString().split(' ')[0].toInt() <=
                    table->model()->index(row, 5).data().toString().split(' ')[0].toInt());
        table->sortByColumn(0, Qt::AscendingOrder);
        click("SE4332-C64", {});
        click("AL7654-F144", Qt::ControlModifier);
        QVERIFY2(chips->comparison().contains("SE4332-C64") && chips->comparison().contains("AL7654-F144") &&
                     chips->comparison().contains("280"),
                 qPrintable(chips->comparison()));
        // A plan for one of them alone.
        click("SE4332-C64", {});
        for (QAbstractButton* b : chips->findChildren<QAbstractButton*>())
            if (b->text().remove('&') == "New plan for this chip")
                QTest::mouseClick(b, Qt::LeftButton);
        QVERIFY(now().plan.needs.empty() && now().plan.board.empty() && now().plan.device == "SE4332-C64");
        shortcut(QKeySequence("Ctrl+Shift+L"));
        QTRY_VERIFY_WITH_TIMEOUT(w_->wiring()->proposing(), 60'000);
        QTest::keyClicks(w_->wiring()->partFilter(), "modem");
        QTest::keyClick(w_->wiring()->partFilter(), Qt::Key_Return);
        QVERIFY(now().plan.needs.size() == 3 && now().bindings.count(BoundNeed::State::Open) == 0);
        const QString saved = dir_->filePath("bare.bindrel");
        QVERIFY(w_->document().saveAs(saved) && w_->openPlan(saved) && now().plan.needs.size() == 3);
    }

    void thePictureTurnsAndIsExported()
    {
        open("done");
        ChipView* chip = w_->wiring()->chip();
        chip->setFocus();
        const auto firstPin = [&] { return chip->layoutShown().pins[PinIndex(0)].side; };
        using Side = ChipLayout::Side;
        QCOMPARE(firstPin(), Side::Left);
        for (const Side side : {Side::Bottom, Side::Right, Side::Top, Side::Left}) {
            QTest::keyClick(chip, Qt::Key_R);
            QCOMPARE(firstPin(), side);
        }
        QTest::keyClick(chip, Qt::Key_R);
        QTest::keyClick(chip, Qt::Key_R, Qt::ShiftModifier);
        QCOMPARE(firstPin(), Side::Left);
        for (const char* ending : {"svg", "pdf", "png"}) {
            const QString path = dir_->filePath(QString("picture.%1").arg(ending));
            QVERIFY(chip->exportPicture(path));
            QVERIFY(QFileInfo(path).size() > 3000);
        }
        // The drawing is one: it has the names of parts and pads as text, and the size of the whole picture.
        QSvgRenderer svg(dir_->filePath("picture.svg"));
        QVERIFY(svg.isValid());
        QVERIFY(std::abs(svg.viewBoxF().width() - chip->layoutShown().bounds.width()) < 2);
        const std::string text = textOf(dir_->filePath("picture.svg").toStdString());
        QVERIFY(text.find("Gate bridge") != std::string::npos && text.find("PD0") != std::string::npos);
        QVERIFY(textOf(dir_->filePath("picture.pdf").toStdString()).starts_with("%PDF"));
        QVERIFY(!chip->exportPicture(dir_->filePath("picture.bmp")));
        QVERIFY(!chip->exportPicture(dir_->filePath("none/picture.svg")));
    }

    void padsAreSetUpFromTheInspector()
    {
        open("done");
        w_->view().select({Place::Kind::Signal, "uplink", "rx"});
        QVERIFY2(w_->inspector()->shownText().contains("the line idles high"),
                 qPrintable(w_->inspector()->shownText()));
        auto* timer = new QTimer(qApp);
        timer->setInterval(20);
        connect(timer, &QTimer::timeout, qApp, [timer] {
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            if (!menu)
                return;
            timer->stop();
            timer->deleteLater();
            for (QAction* action : menu->actions())
                if (action->text() == "down")
                    QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(action).center());
        });
        timer->start();
        Q_EMIT w_->inspector()->findChild<QTextBrowser*>()->anchorClicked(QUrl("prop:uplink:rx:pull"));
        QVERIFY(pinProperty(*now().plan.need("uplink"), "rx", "pull") == "down");
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(!pinProperty(*now().plan.need("uplink"), "rx", "pull"));
    }

    /// A pad has one net, wherever it is said: at the pad, at the signal that is there, in the pin sheet.
    void aPadHasOneNet()
    {
        open("done");
        const std::string pad = padOf("uplink", "rx");
        auto* text = w_->inspector()->findChild<QTextBrowser*>();
        const auto nets = [text] { return text->toHtml().count("href=\"net:"); };
        w_->view().select({Place::Kind::Pad, pad, {}});
        QApplication::processEvents();
        QCOMPARE(nets(), 1);
        inDialog([](QWidget* modal) {
            auto* field = modal->findChild<QLineEdit*>();
            QVERIFY(field);
            QTest::keyClicks(field, "UP_RX");
            QTest::keyClick(field, Qt::Key_Return);
        });
        Q_EMIT text->anchorClicked(QUrl(QString::fromStdString("net:" + pad)));
        QCOMPARE(now().plan.nets.at(pad), std::string("UP_RX"));
        QApplication::processEvents();
        QVERIFY(text->toPlainText().contains("UP_RX"));
        QCOMPARE(nets(), 1);
        w_->view().select({Place::Kind::Signal, "uplink", "rx"});
        QApplication::processEvents();
        QVERIFY(text->toPlainText().contains("UP_RX"));
        QCOMPARE(nets(), 1);
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(!now().plan.nets.contains(pad));
    }

    /// On a bare chip, by the inspector's links: what is chosen of a source adds up, and is taken back by itself.
    void choicesOfASourceAddUp()
    {
        QVERIFY(w_->document().newForDevice("RL1224-Q48"));
        w_->view().jump({Place::Kind::Clock, "HRC", {}});
        QApplication::processEvents();
        auto* text = w_->inspector()->findChild<QTextBrowser*>();
        const auto choose = [&](const char* choice) {
            QVERIFY2(text->toHtml().contains(QString("href=\"set:%1\"").arg(choice)), qPrintable(text->toHtml()));
            Q_EMIT text->anchorClicked(QUrl(QString("set:%1").arg(choice)));
            QApplication::processEvents();
        };
        const auto said = [&] {
            const auto decision = now().plan.clocks.find("HRC");
            return decision == now().plan.clocks.end() ? std::string() : clockDecisionText(decision->second);
        };
        choose("on");
        choose("trimmed");
        COMPARE_TEXT(said(), "on, trimmed");
        // What stands is no link, except for a word that can be taken back.
        QVERIFY(!text->toHtml().contains("href=\"set:on\"") && text->toHtml().contains("href=\"set:trimmed\""));
        choose("off");
        COMPARE_TEXT(said(), "off, trimmed");
        choose("trimmed");
        choose("auto");
        COMPARE_TEXT(said(), "");
        shortcut(QKeySequence("Ctrl+Z"));
        COMPARE_TEXT(said(), "off");
    }
};

BINDREL_TEST(WiringTest)
#include "wiring_test.moc"
