// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/board_station.h"
#include "app/widgets/change_dialog.h"
#include "core/base/text.h"
#include "core/device/load_device.h"
#include "core/interchange/board_text.h"
#include "core/plan/board_entry.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QInputDialog>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>

using namespace bindrel;
using namespace bindrel::test;

/// The board is entered in the window, from a bare chip, with the keys and with the mouse.
class BoardTest : public WindowFixture {
    Q_OBJECT

    QTableView* facts() const { return w_->board()->facts(); }
    QTableView* parts() const { return w_->board()->parts(); }
    QTableView* nets() const { return w_->board()->nets(); }

    /// Row of the cell with a text; -1 without.
    static int rowWith(const QTableView* table, int column, const QString& text)
    {
        for (int r = 0; r < table->model()->rowCount(); ++r)
            if (table->model()->index(r, column).data(Qt::EditRole).toString() == text)
                return r;
        return -1;
    }
    static int columnOf(const QTableView* table, const QString& title)
    {
        for (int c = 0; c < table->model()->columnCount(); ++c)
            if (table->model()->headerData(c, Qt::Horizontal).toString() == title)
                return c;
        return -1;
    }
    /// Types a text into a cell as a person does: goes there, opens it, replaces what is there.
    void type(QTableView* table, int row, int column, const QString& text, Qt::Key end = Qt::Key_Return)
    {
        QVERIFY(row >= 0 && column >= 0);
        table->setFocus();
        table->setCurrentIndex(table->model()->index(row, column));
        QTest::keyClick(table, Qt::Key_Return);
        QWidget* editor = QApplication::focusWidget();
        QVERIFY2(qobject_cast<QLineEdit*>(editor), editor ? editor->metaObject()->className() : "nothing");
        QTest::keySequence(editor, QKeySequence::SelectAll);
        QTest::keyClicks(editor, text);
        if (end != Qt::Key_unknown)
            QTest::keyClick(editor, end);
        QApplication::processEvents();
    }
    void press(const QString& text)
    {
        for (QPushButton* button : w_->board()->findChildren<QPushButton*>())
            if (button->text() == text) {
                QTest::mouseClick(button, Qt::LeftButton);
                // The offscreen platform does not give the focus back when a dialog closes.
                w_->activateWindow();
                QVERIFY(QTest::qWaitForWindowActive(w_.get()));
                return;
            }
        QFAIL(qPrintable(text));
    }
    /// What the next dialog asks for in a line.
    static void enterLine(const QString& line)
    {
        inDialog([line](QWidget* dialog) {
            auto* field = dialog->findChild<QLineEdit*>();
            QVERIFY(field);
            field->selectAll();
            QTest::keyClicks(field, line);
            QTest::keyClick(field, Qt::Key_Return);
        });
    }

    /// Types where something stands, having gone to it by keys. An empty title: the chip.
    void enterPlace(const std::string& title, const BoardPlace& place)
    {
        BoardPicture* picture = w_->board()->picture();
        QTRY_VERIFY(picture->isVisible());
        picture->setFocus();
        const auto isIt = [&] {
            const BoardItem* now = picture->chosen();
            return now && (title.empty() ? now->part.empty() : now->title == title);
        };
        for (size_t i = 0; i <= now().board->parts.size(); ++i)
            QTest::keyClick(picture, Qt::Key_PageUp);
        for (size_t i = 0; i <= now().board->parts.size() && !isIt(); ++i)
            QTest::keyClick(picture, Qt::Key_PageDown);
        QVERIFY2(isIt(), title.c_str());
        QTest::keyClick(picture, Qt::Key_Return);
        QLineEdit* field = w_->board()->placeField();
        QTRY_VERIFY(field->hasFocus());
        QTest::keySequence(field, QKeySequence::SelectAll);
        QTest::keyClicks(field, QString::fromStdString(placeText(place)));
        QTest::keyClick(field, Qt::Key_Return);
        QApplication::processEvents();
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    /// The sluice node's board, entered for a bare chip; as a file it says what the shipped one says.
    void aBoardIsEntered_data()
    {
        QTest::addColumn<bool>("dark");
        QTest::newRow("light") << false;
        QTest::newRow("dark") << true;
    }
    void aBoardIsEntered()
    {
        QFETCH(bool, dark);
        w_->setDark(dark);
        const Board wanted = *library().board("sluice-node-c");
        QVERIFY(w_->document().newForDevice(QString::fromStdString(wanted.device).toStdString()));
        shortcut(QKeySequence("Ctrl+7"));
        QVERIFY(w_->station() == Station::Board);
        QApplication::processEvents();
        const int value = BoardFactsModel::Value;
        type(facts(), rowWith(facts(), 0, "Supply"), value, "3.3 V");
        type(facts(), rowWith(facts(), 0, "Temperature"), value, "-20 to 60");
        type(facts(), rowWith(facts(), 0, "HF crystal"), value, "12 MHz, 20 ppm, load 10 pF, stray 3 pF");
        type(facts(), rowWith(facts(), 0, "LF crystal"), value, "32.768 kHz, 20 ppm, load 7 pF, stray 2 pF");
        for (const Part& part : wanted.parts) {
            enterLine(QString::fromStdString(part.title + ": " + terminalList(part)));
            press("New part\u2026");
            QCOMPARE(now().board->parts.back().title, part.title);
            const int head = rowWith(parts(), BoardPartsModel::Title, QString::fromStdString(part.title));
            for (size_t t = 0; t < part.terminals.size(); ++t) {
                const auto fact = part.facts.find(part.terminals[t]);
                if (fact == part.facts.end())
                    continue;
                const int row = head + 1 + int(t);
                const std::string volts = terminalText(fact->second, TerminalProperty::Voltage);
                const std::string current = terminalText(fact->second, TerminalProperty::Current);
                if (!volts.empty())
                    type(parts(), row, BoardPartsModel::Voltage, QString::fromStdString(volts));
                if (!current.empty())
                    type(parts(), row, BoardPartsModel::Current, QString::fromStdString(current));
                // What is a choice is picked from its list.
                for (const auto& [column, property] : {std::pair{BoardPartsModel::Pull, TerminalProperty::Pull},
                                                       {BoardPartsModel::Inactive, TerminalProperty::Inactive}}) {
                    const std::string text = terminalText(fact->second, property);
                    if (text.empty())
                        continue;
                    parts()->setFocus();
                    parts()->setCurrentIndex(parts()->model()->index(row, column));
                    QTest::keyClick(parts(), Qt::Key_Return);
                    auto* box = qobject_cast<QComboBox*>(QApplication::focusWidget());
                    QVERIFY(box);
                    box->setCurrentText(QString::fromStdString(text));
                    QTest::keyClick(box, Qt::Key_Return);
                    QApplication::processEvents();
                }
            }
        }
        const int net = columnOf(nets(), "Net"), pad = columnOf(nets(), "Pad");
        for (const auto& [name, of] : wanted.nets)
            type(nets(), rowWith(nets(), pad, QString::fromStdString(name)), net, QString::fromStdString(of));

        type(facts(), rowWith(facts(), 0, "Board size"), value, QString::fromStdString(outlineText(*wanted.outline)));
        press("Outli&ne");
        enterPlace({}, *wanted.chipPlace);
        for (const auto& [part, place] : wanted.places)
            enterPlace(wanted.part(part)->title, place);

        press("Wis&hes");
        QTableView* wishes = w_->board()->wishes();
        for (const auto& [sentence, strength] : wanted.wishes)
            type(wishes, wishes->model()->rowCount() - 1, BoardWishesModel::Sentence, QString::fromStdString(sentence));

        const QString path = dir_->filePath("sluice-node-c.json");
        w_->board()->saveAsFile(path);
        const Expected<Board> made = loadBoard(path.toStdString());
        QVERIFY2(made, made ? qPrintable(w_->message()) : made.problem().text().c_str());
        QVERIFY(made->supply == wanted.supply && made->crystals == wanted.crystals && made->nets == wanted.nets &&
                made->wishes == wanted.wishes);
        QVERIFY(made->temperature && made->temperature->low == wanted.temperature->low &&
                made->temperature->high == wanted.temperature->high);
        QVERIFY(made->outline == wanted.outline && made->chipPlace == wanted.chipPlace);
        QCOMPARE(made->places.size(), wanted.places.size());
        for (const auto& [part, place] : made->places) {
            const auto same = std::ranges::find(wanted.parts, made->part(part)->title, &Part::title);
            QVERIFY(same != wanted.parts.end() && wanted.places.at(same->id) == place);
        }
        QCOMPARE(made->parts.size(), wanted.parts.size());
        for (size_t p = 0; p < made->parts.size(); ++p)
            QVERIFY2(made->parts[p].title == wanted.parts[p].title &&
                         made->parts[p].terminals == wanted.parts[p].terminals &&
                         made->parts[p].row == wanted.parts[p].row && made->parts[p].facts == wanted.parts[p].facts,
                     wanted.parts[p].title.c_str());
        // All of it can be undone, and done again.
        const std::string all = planText(now().plan);
        while (w_->document().canUndo())
            w_->document().undo();
        QVERIFY(now().board->parts.empty() && now().board->crystals.empty() && now().board->nets.empty());
        while (w_->document().canRedo())
            w_->document().redo();
        QCOMPARE(QString::fromStdString(planText(now().plan)), QString::fromStdString(all));
        w_->setDark(false);
    }

    /// What is typed and not entered is taken when one goes elsewhere; what cannot be is said.
    void typedTextIsNotLost()
    {
        open("done");
        w_->showStation(Station::Board);
        QApplication::processEvents();
        type(facts(), rowWith(facts(), 0, "Supply"), BoardFactsModel::Value, "3.0 V", Qt::Key_unknown);
        shortcut(QKeySequence("Ctrl+3"));
        QCOMPARE(now().plan.supply, std::string("3 V"));
        w_->showStation(Station::Board);
        type(facts(), rowWith(facts(), 0, "Temperature"), BoardFactsModel::Value, "cold");
        QVERIFY2(w_->message().contains("cold"), qPrintable(w_->message()));
        // Refused by Enter it stays too, to be mended.
        auto* wrong = qobject_cast<QLineEdit*>(QApplication::focusWidget());
        QVERIFY(wrong && wrong->text() == "cold");
        QTest::keyClick(wrong, Qt::Key_Escape);
        // Refused without an Enter: it stays where it was typed, until Esc gives it up.
        for (QTableView* cells : {facts(), nets()}) {
            const bool isNet = cells == nets();
            const QString text = isNet ? "two words" : "12 MHz, soon";
            type(cells, isNet ? 3 : rowWith(cells, 0, "HF crystal"),
                 isNet ? columnOf(cells, "Net") : int(BoardFactsModel::Value), text, Qt::Key_unknown);
            shortcut(QKeySequence("Ctrl+3"));
            QVERIFY2(w_->station() == Station::Board, qPrintable(w_->message()));
            auto* field = qobject_cast<QLineEdit*>(QApplication::focusWidget());
            QVERIFY(field && field->text() == text);
            QTest::keyClick(field, Qt::Key_Escape);
            shortcut(QKeySequence("Ctrl+3"));
            QVERIFY(w_->station() == Station::Clocks);
            shortcut(QKeySequence("Ctrl+7"));
        }
        QVERIFY(now().plan.temperature.empty());
        facts()->setFocus();
        facts()->setCurrentIndex(facts()->model()->index(rowWith(facts(), 0, "Supply"), 0));
        QTest::keyClick(facts(), Qt::Key_Delete);
        QVERIFY(now().plan.supply.empty());
    }

    /// A clock's menu leads to where its crystal is stated.
    void aClockLeadsHere()
    {
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Board);
        QApplication::processEvents();
        w_->board()->editClock("HFX");
        QTest::keyClicks(QApplication::focusWidget(), "external 8 MHz, 50 ppm");
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
        QApplication::processEvents();
        QVERIFY2(now().board->crystals.contains("HFX") && now().board->crystals.find("HFX")->second.external,
                 qPrintable(w_->message()));
    }

    /// Parts: filtered whole, their terminals listed anew, taken back by Delete.
    void partsAreKept()
    {
        open("done");
        w_->showStation(Station::Board);
        QApplication::processEvents();
        const int all = parts()->model()->rowCount();
        QTest::keyClicks(w_->board()->filter(), "uplink");
        QVERIFY(parts()->model()->rowCount() > 2 && parts()->model()->rowCount() < all);
        const int row = rowWith(parts(), BoardPartsModel::Title, "ring");
        QVERIFY(row > 0);
        parts()->setFocus();
        parts()->setCurrentIndex(parts()->model()->index(row, 0));
        QCOMPARE(w_->view().selectedNeed(), std::string("modem-ring"));
        const auto isOfPlan = [this] {
            return parts()->model()->index(0, BoardPartsModel::LeadsTo).data().toString().contains("from the plan");
        };
        QVERIFY(!isOfPlan());
        enterLine("key, ring, cts, rts, txd, rxd, shield");
        QTest::keyClick(parts(), Qt::Key_Return);
        QVERIFY2(rowWith(parts(), BoardPartsModel::Title, "shield") > 0, qPrintable(w_->message()));
        QVERIFY(isOfPlan());
        parts()->setCurrentIndex(parts()->model()->index(0, 0));
        QTest::keyClick(parts(), Qt::Key_Delete);
        QVERIFY(rowWith(parts(), BoardPartsModel::Title, "shield") < 0 && !isOfPlan());
        QTest::keyClick(parts(), Qt::Key_Delete);
        QVERIFY2(w_->message().contains("board file"), qPrintable(w_->message()));
    }

    /// Wishes typed into the last row, made rules, dropped by a key; what is no wish stays in its cell.
    void wishesAreEntered_data()
    {
        QTest::addColumn<bool>("dark");
        QTest::newRow("light") << false;
        QTest::newRow("dark") << true;
    }
    void wishesAreEntered()
    {
        QFETCH(bool, dark);
        w_->setDark(dark);
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        shortcut(QKeySequence("Ctrl+7"));
        QApplication::processEvents();
        press("Wis&hes");
        QTableView* wishes = w_->board()->wishes();
        QCOMPARE(wishes->model()->rowCount(), 1);
        type(wishes, 0, BoardWishesModel::Sentence, "keep PA3,PA4 free");
        QVERIFY((now().plan.wishes == Wishes{{"keep PA3, PA4 free", WishStrength::Wish}}));
        QCOMPARE(wishes->model()->rowCount(), 2);
        QCOMPARE(wishes->model()->index(0, BoardWishesModel::State).data().toString(), QString("kept"));
        // What is not understood says so and stays.
        type(wishes, 1, BoardWishesModel::Sentence, "nicely please");
        QVERIFY(qobject_cast<QLineEdit*>(QApplication::focusWidget()));
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Escape);
        QCOMPARE(int(now().plan.wishes.size()), 1);
        type(wishes, 1, BoardWishesModel::Sentence, "pump in order");
        const int row = rowWith(wishes, BoardWishesModel::Sentence, "pump in order");
        QVERIFY(wishes->model()->index(row, BoardWishesModel::State).data().toString().contains("no need pump"));
        wishes->setCurrentIndex(wishes->model()->index(row, BoardWishesModel::Sentence));
        wishes->setFocus();
        QTest::keyClick(wishes, Qt::Key_Delete);
        QCOMPARE(int(now().plan.wishes.size()), 1);
        shortcut(QKeySequence::Undo);
        QCOMPARE(int(now().plan.wishes.size()), 2);
    }

    /// From a bare chip and by keys: a connector, what may be swapped on it, and what is wrong where it is no row.
    void terminalsThatMayBeSwapped_data() { wishesAreEntered_data(); }
    void terminalsThatMayBeSwapped()
    {
        QFETCH(bool, dark);
        w_->setDark(dark);
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        shortcut(QKeySequence("Ctrl+7"));
        QApplication::processEvents();
        enterLine("Tap: a, b, c in a row");
        press("New part\u2026");
        QVERIFY(now().board->parts.back().row);
        QCOMPARE(int(now().board->parts.back().terminals.size()), 3);
        press("Wis&hes");
        QTableView* wishes = w_->board()->wishes();
        const QString sentence = "part tap.a, part tap.b may be swapped";
        // An Enter forgotten is none.
        type(wishes, 0, BoardWishesModel::Sentence, sentence, Qt::Key_unknown);
        shortcut(QKeySequence("Ctrl+3"));
        QVERIFY(now().plan.wishes.contains(sentence.toStdString()));
        shortcut(QKeySequence("Ctrl+7"));
        const auto state = [&] {
            const int row = rowWith(wishes, BoardWishesModel::Sentence, sentence);
            return wishes->model()->index(row, BoardWishesModel::State).data().toString();
        };
        QCOMPARE(state(), QString("kept"));
        press("Pa&rts");
        parts()->setFocus();
        parts()->setCurrentIndex(parts()->model()->index(1, 0));
        enterLine("a, b, c");
        QTest::keyClick(parts(), Qt::Key_Return);
        QVERIFY(!now().board->parts.back().row);
        press("Wis&hes");
        QVERIFY2(state().contains("a, b in a row"), qPrintable(state()));
        shortcut(QKeySequence::Undo);
        QCOMPARE(state(), QString("kept"));
        w_->setDark(false);
    }

    /// What keeping a wish would cost is seen beside what is, before anything is changed.
    void bothLayoutsAreSeen_data() { wishesAreEntered_data(); }
    void bothLayoutsAreSeen()
    {
        QFETCH(bool, dark);
        w_->setDark(dark);
        open("done");
        QVERIFY(
            w_->document().apply(editOf("Wish", SetWish{"part uplink-modem on the left side", WishStrength::Wish})));
        const auto finding = std::ranges::find(now().findings, "BRD-02", &Finding::rule);
        QVERIFY(finding != now().findings.end());
        const Expected<Edit> edit = fixFor(now().facts(), *finding);
        QVERIFY(edit.ok());
        const std::string before = planText(now().plan);
        ChangeDialog dialog(w_->document(), *edit, w_.get());
        dialog.show();
        QTRY_VERIFY(dialog.pair()->isVisible());
        const QStringList sides = dialog.pair()->accessibleDescription().split(". After: ");
        QCOMPARE(sides.size(), 2);
        QVERIFY2(sides[0].contains("wishes not kept: ") && !sides[0].contains("wishes not kept: 0"),
                 qPrintable(sides[0]));
        QVERIFY2(sides[1].contains("wishes not kept: 0"), qPrintable(sides[1]));
        // Where both are drawn there are marks of the parts on both, and they differ.
        const QImage picture = dialog.pair()->grab().toImage();
        const int half = picture.width() / 2;
        QVERIFY(picture.copy(0, 0, half, picture.height()) != picture.copy(half, 0, half, picture.height()));
        dialog.reject();
        QCOMPARE(planText(now().plan), before);
        w_->setDark(false);
    }

    /// Parts are put onto the outline by hand, moved by keys, and placed as text.
    void partsArePlaced_data() { wishesAreEntered_data(); }
    void partsArePlaced()
    {
        QFETCH(bool, dark);
        w_->setDark(dark);
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        shortcut(QKeySequence("Ctrl+7"));
        QApplication::processEvents();
        enterLine("Pressure sensor: sda, scl");
        press("New part\u2026");
        type(facts(), rowWith(facts(), 0, "Board size"), BoardFactsModel::Value, "100 x 80 mm");
        QVERIFY(now().board->outline == (BoardOutline{100'000, 80'000}));
        press("Outli&ne");
        BoardPicture* picture = w_->board()->picture();
        QTRY_VERIFY(picture->isVisible());
        const auto drag = [&](int item, const BoardPlace& to) {
            const QPoint from = picture->rectOf(item).center().toPoint(), end = picture->pointOf(to).toPoint();
            QTest::mousePress(picture, Qt::LeftButton, {}, from);
            QTest::mouseMove(picture, (from + end) / 2);
            QTest::mouseMove(picture, end);
            QTest::mouseRelease(picture, Qt::LeftButton, {}, end);
            QApplication::processEvents();
        };
        drag(0, {50'000, 40'000, 0, false});
        QVERIFY(now().board->chipPlace);
        QVERIFY(std::abs(now().board->chipPlace->x - 50'000) <= 1000 &&
                std::abs(now().board->chipPlace->y - 40'000) <= 1000);
        drag(1, {10'000, 40'000, 0, false});
        QVERIFY(now().board->places.contains("pressure-sensor"));
        const BoardPlace before = now().board->places.at("pressure-sensor");
        QTest::keyClick(picture, Qt::Key_Right, Qt::ShiftModifier);
        QCOMPARE(now().board->places.at("pressure-sensor").x, before.x + 1000);
        QTest::keyClick(picture, Qt::Key_Up, Qt::ShiftModifier | Qt::ControlModifier);
        QCOMPARE(now().board->places.at("pressure-sensor").y, before.y + 5000);
        QTest::keyClick(picture, Qt::Key_Right);
        QCOMPARE(picture->chosen()->part, std::string());
        QTest::keyClick(picture, Qt::Key_R);
        QCOMPARE(now().board->chipPlace->turn, 90);
        QTest::keyClick(picture, Qt::Key_Return);
        QLineEdit* field = w_->board()->placeField();
        QTRY_VERIFY(field->hasFocus());
        QTest::keySequence(field, QKeySequence::SelectAll);
        QTest::keyClicks(field, "20, 30 mm, below");
        // An Enter forgotten is none: whoever goes elsewhere settles it.
        shortcut(QKeySequence("Ctrl+1"));
        QVERIFY(now().board->chipPlace == (BoardPlace{20'000, 30'000, 0, true}));
        shortcut(QKeySequence("Ctrl+7"));
        picture->setFocus();
        QTest::keyClick(picture, Qt::Key_Delete);
        QVERIFY(!now().board->chipPlace);
        for (int i = 0; i < 8; ++i)
            shortcut(QKeySequence::Undo);
        QVERIFY(now().board->places.empty());
    }
};

BINDREL_TEST(BoardTest)
#include "board_test.moc"
