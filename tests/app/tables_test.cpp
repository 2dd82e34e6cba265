// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tables/chip_table_dialog.h"
#include "app/tables/net_table_dialog.h"
#include "core/base/files.h"
#include "core/device/layer_entry.h"
#include "core/device/load_device.h"
#include "core/interchange/netlist.h"
#include "tests/support/window_fixture.h"

#include <QClipboard>
#include <QLineEdit>
#include <QMimeData>

using namespace bindrel;
using namespace bindrel::test;

/// Tables that are dropped or pasted: shown as they are understood, with columns that can be reassigned, before
/// anything changes.
class TablesTest : public WindowFixture {
    Q_OBJECT

    QString write(const QString& name, const QString& text) const
    {
        const QString path = dir_->filePath(name);
        QFile file(path);
        if (!file.open(QIODevice::WriteOnly))
            qFatal("no file");
        file.write(text.toUtf8());
        return path;
    }
    QString read(const QString& name) const
    {
        return QString::fromStdString(textOf(dir_->filePath(name).toStdString()));
    }
    void drop(const QString& path)
    {
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(path)});
        QDragEnterEvent enter(QPoint(20, 20), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QCoreApplication::sendEvent(w_.get(), &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent event(QPointF(20, 20), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QCoreApplication::sendEvent(w_.get(), &event);
        for (int i = 0; i < 5; ++i)
            QApplication::processEvents();
    }
    /// Chooses in the box above a column, by keys.
    static void choose(ColumnsTable* table, int column, const QString& text)
    {
        QComboBox* box = table->box(column);
        box->setFocus();
        if (box->isEditable()) {
            box->lineEdit()->selectAll();
            QTest::keyClicks(box->lineEdit(), text);
            QTest::keyClick(box->lineEdit(), Qt::Key_Tab);
        } else {
            for (int i = 0; i < box->count() && box->currentText() != text; ++i)
                QTest::keyClick(box, Qt::Key_Down);
            for (int i = 0; i < box->count() && box->currentText() != text; ++i)
                QTest::keyClick(box, Qt::Key_Up);
            QCOMPARE(box->currentText(), text);
        }
        QApplication::processEvents();
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    /// Headings of another language, and two columns that could be the net: the cells say the pins, the person the net.
    void columnsAreReassigned()
    {
        open("done");
        const Plan before = now().plan;
        const QString path =
            write("liste.csv", "Kontakt;Blatt;Leitung;Notiz\nPA2;S1;L_TX;\nPA3;S1;L_RX;x\nPQ9;S2;L_Q;\n");
        inDialog([&](QWidget* modal) {
            auto* dialog = qobject_cast<NetTableDialog*>(modal);
            QVERIFY(dialog);
            QCOMPARE(dialog->columns()->choice(0), QString("pin or pad"));
            QCOMPARE(dialog->columns()->choice(1), QString("net"));
            choose(dialog->columns(), 2, "net");
            QCOMPARE(dialog->columns()->choice(1), QString("not used"));
            QVERIFY2(dialog->summary().startsWith("2 nets, "), qPrintable(dialog->summary()));
            auto* list = dialog->findChild<QListWidget*>();
            QVERIFY(list->item(list->count() - 1)->text().startsWith("not read: line 4: \"PQ9\""));
            QTest::keyClick(dialog, Qt::Key_Return);
        });
        drop(path);
        QCOMPARE(now().board->nets.find("PA2")->second, std::string("L_TX"));
        QCOMPARE(now().board->nets.find("PA3")->second, std::string("L_RX"));
        // The choice is kept beside the table, for the window and for the command line.
        QVERIFY(read("liste.csv.columns").contains("column \"Leitung\" is net"));
        w_->document().undo();
        QVERIFY(now().plan == before);
        write("liste.csv", "Notiz;Leitung;Kontakt\n;M_TX;PA2\n");
        inDialog([&](QWidget* modal) {
            auto* dialog = qobject_cast<NetTableDialog*>(modal);
            QCOMPARE(dialog->columns()->choice(1), QString("net"));
            QCOMPARE(dialog->columns()->choice(2), QString("pin or pad"));
            dialog->accept();
        });
        drop(path);
        QCOMPARE(now().board->nets.find("PA2")->second, std::string("M_TX"));
    }

    void whatSaysNothingChangesNothing()
    {
        open("done");
        const Plan before = now().plan;
        inDialog([](QWidget* modal) {
            auto* dialog = qobject_cast<NetTableDialog*>(modal);
            QVERIFY(dialog && !dialog->applyButton()->isEnabled());
            QVERIFY(dialog->summary().startsWith("Choose"));
            choose(dialog->columns(), 0, "pin or pad");
            choose(dialog->columns(), 1, "net");
            QVERIFY(!dialog->applyButton()->isEnabled());
            QVERIFY(dialog->summary().startsWith("No row gives a net"));
            dialog->accept(); // does nothing
            QVERIFY(dialog->isVisible());
            dialog->reject();
        });
        drop(write("x.csv", "a,b\nc,d\n"));
        QVERIFY(now().plan == before);
        drop(write("y.csv", "one\ntwo\n"));
        QVERIFY2(w_->message().contains("neither a netlist nor a table"), qPrintable(w_->message()));
        // Nets that are known already.
        inDialog([](QWidget* modal) {
            auto* dialog = qobject_cast<NetTableDialog*>(modal);
            QVERIFY(dialog && !dialog->applyButton()->isEnabled());
            QVERIFY2(dialog->summary().contains("known already"), qPrintable(dialog->summary()));
            dialog->reject();
        });
        const auto& [pad, net] = *now().board->nets.begin();
        drop(write("z.csv", QString("Pad,Net\n%1,%2\n").arg(QString::fromStdString(pad), QString::fromStdString(net))));
        QVERIFY(now().plan == before);
    }

    /// A table of the data sheet becomes a layer of the chip that is described, with what was said of it.
    void aTableOfTheChip()
    {
        const QString facts = "# by hand\nclock RING \"Ring\": source oscillator 21 MHz\ncore clock RING\n"
                              "instance SAY1: kind uart, signals TX out, RX in\npad A1: carries 1 = SAY1.TX\n";
        write("mill.facts", facts);
        write("pins.csv", "pin,pad\n1,A1\n2,A2\n3,VDD\n4,VSS\n");
        const QString chip =
            write("mill.json", "// My chip.\n{\n  \"format\": 1,\n  \"name\": \"MILL\",\n  \"layers\": [\n"
                               "    { \"file\": \"pins.csv\" }, // pins\n    { \"file\": \"mill.facts\" }\n  ]\n}\n");
        QVERIFY2(w_->openFile(chip), qPrintable(w_->message()));
        const QString numbers =
            write("numbers.csv", "Position;Interrupt;Description\n3;TALK_ONE;serial\n4;Reserved;\n");
        inDialog([&](QWidget* modal) {
            auto* dialog = qobject_cast<ChipTableDialog*>(modal);
            QVERIFY(dialog);
            QCOMPARE(dialog->columns()->choice(1), QString("interrupt"));
            QCOMPARE(dialog->names()->rowCount(), 1);
            QVERIFY2(dialog->summary().contains("1 name without a meaning"), qPrintable(dialog->summary()));
            // A word that is none, and one that is.
            choose(dialog->columns(), 2, "code");
            QVERIFY2(!dialog->addButton()->isEnabled() && dialog->summary().contains("need a number"),
                     qPrintable(dialog->summary()));
            choose(dialog->columns(), 2, "ignored");
            dialog->names()->item(0, 1)->setText("nonsense");
            QVERIFY(!dialog->addButton()->isEnabled());
            dialog->names()->item(0, 1)->setText("SAY1.event");
            QVERIFY2(dialog->addButton()->isEnabled(), qPrintable(dialog->summary()));
            dialog->accept();
        });
        drop(numbers);
        QVERIFY2(w_->message().contains("is a layer of mill.json"), qPrintable(w_->message()));
        const QString now = read("mill.json");
        QVERIFY2(now.startsWith("// My chip.\n") && now.contains("// pins\n"), qPrintable(now));
        QVERIFY2(now.contains("{ \"file\": \"numbers.csv\", \"columns\": \"numbers.csv.columns\" }"), qPrintable(now));
        const Expected<Device> device = loadDevice(chip.toStdString());
        QVERIFY2(device.ok(), device ? "" : device.problem().text().c_str());
        QCOMPARE(device->instances[device->findInstance("SAY1")].interrupts.at("event"), 3);
        // Once more, with a person's own lines in the file of columns: they stay.
        write("numbers.csv.columns", "# mine\n" + read("numbers.csv.columns") + "# the end\n");
        write("numbers.csv", "Position;Interrupt;Description\n5;TALK_ONE;serial\n6;OTHER;\n");
        inDialog([&](QWidget* modal) {
            auto* dialog = qobject_cast<ChipTableDialog*>(modal);
            QVERIFY(dialog && dialog->names()->rowCount() == 2);
            QCOMPARE(dialog->names()->item(0, 0)->text(), QString("OTHER"));
            dialog->names()->item(0, 1)->setText("ignored");
            dialog->accept();
        });
        drop(numbers);
        const QString columns = read("numbers.csv.columns");
        QVERIFY2(columns.startsWith("# mine\n") && columns.contains("# the end\n") &&
                     columns.contains("name \"OTHER\" is ignored") && columns.count("name \"TALK_ONE\"") == 1,
                 qPrintable(columns));
        QCOMPARE(read("mill.json"), now); // the layer is there already
        // Pasted: a copy in the chip's folder.
        QGuiApplication::clipboard()->setText("Wait states\tANY (MHz)\n0\t12\n");
        inDialog([&](QWidget* modal) {
            auto* dialog = qobject_cast<ChipTableDialog*>(modal);
            QVERIFY(dialog && dialog->addButton()->isEnabled());
            dialog->accept();
        });
        shortcut(QKeySequence("Ctrl+Shift+V"));
        QCOMPARE(QDir(dir_->path()).entryList({"pasted-*.txt"}).size(), 1);
    }

    /// From a bare new plan by keys alone, in both themes; and in a cell of the other dialog an Enter forgotten.
    void fromABarePlan_data()
    {
        QTest::addColumn<bool>("dark");
        QTest::newRow("light") << false;
        QTest::newRow("dark") << true;
    }
    void fromABarePlan()
    {
        QFETCH(bool, dark);
        w_->setDark(dark);
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Wiring);
        QGuiApplication::clipboard()->setText("Kontakt\tBlatt\tLeitung\nPA2\tS1\tL_TX\nPA3\tS1\tL_RX\n");
        inDialog([](QWidget* modal) {
            auto* dialog = qobject_cast<NetTableDialog*>(modal);
            QVERIFY(dialog);
            choose(dialog->columns(), 2, "net");
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
            if (dialog->isVisible()) // a box keeps Enter for itself
                QTest::keyClick(dialog, Qt::Key_Return);
        });
        shortcut(QKeySequence("Ctrl+Shift+V"));
        QVERIFY(now().board->nets.contains("PA2") && now().board->nets.at("PA2") == "L_TX");
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(now().board->nets.empty());
        w_->document().clearJournal();

        write("facts.facts", "clock RING \"Ring\": source oscillator 21 MHz\ncore clock RING\n"
                             "instance SAY1: kind uart, signals TX out, RX in\n");
        write("pins.csv", "pin,pad\n1,A1\n2,A2\n3,VDD\n4,VSS\n");
        QVERIFY2(w_->openFile(write("mill.json", "{ \"format\": 1, \"name\": \"MILL\", \"layers\": [ { \"file\": "
                                                 "\"pins.csv\" }, { \"file\": \"facts.facts\" } ] }\n")),
                 qPrintable(w_->message()));
        inDialog([](QWidget* modal) {
            auto* dialog = qobject_cast<ChipTableDialog*>(modal);
            QVERIFY(dialog);
            QTableWidget* names = dialog->names();
            names->setFocus();
            names->setCurrentCell(0, 1);
            names->editItem(names->item(0, 1));
            QTest::keyClicks(QApplication::focusWidget(), "SAY1.event");
            QTest::mouseClick(dialog->addButton(), Qt::LeftButton);
        });
        drop(write("numbers.csv", "Position;Interrupt\n3;TALK_ONE\n"));
        QVERIFY2(read("numbers.csv.columns").contains("name \"TALK_ONE\" is SAY1.event"),
                 qPrintable(read("numbers.csv.columns") + w_->message()));
    }

    void layersAreAdded_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<bool>("possible");
        const QString entry = "{ \"file\": \"t.csv\", \"columns\": \"t.csv.columns\" }";
        QTest::newRow("none") << "{ \"name\": \"A\" }" << true;
        QTest::newRow("empty") << "{ \"layers\": [ ], \"name\": \"A\" }" << true;
        QTest::newRow("one") << "{ \"layers\": [ { \"file\": \"a.svd\" /* ] } */ } ] }" << true;
        QTest::newRow("brackets in texts")
            << "{ \"about\": \"]}\", \"layers\": [ { \"file\": \"a]}.svd\" } ] }" << true;
        QTest::newRow("there with others") << "{ \"layers\": [ { \"file\": \"t.csv\" } ] }" << false;
        QTest::newRow("a family's member") << "{ \"family\": \"f.json\" }" << false;
        QTest::newRow("no object") << "[]" << false;
        QTest::newRow("cut off") << "{ \"layers\": [ { \"file\": \"a.svd\" }" << false;
    }
    void layersAreAdded()
    {
        QFETCH(QString, text);
        QFETCH(bool, possible);
        const Expected<std::string> now = withLayer(text.toStdString(), "d.json", "t.csv", "t.csv.columns");
        QVERIFY2(now.ok() == possible, now ? now->c_str() : now.problem().text().c_str());
        if (!now)
            return;
        const auto layers = layersOf(*now, "d.json");
        QVERIFY(layers.ok() && layers->back().file == "t.csv" && layers->back().columns == "t.csv.columns");
        QCOMPARE(*withLayer(*now, "d.json", "t.csv", "t.csv.columns"), *now);
    }
};

BINDREL_TEST(TablesTest)
#include "tables_test.moc"
