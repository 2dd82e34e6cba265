// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/inspector.h"
#include "tests/support/window_fixture.h"

#include <QDropEvent>
#include <QMimeData>

using namespace bindrel;
using namespace bindrel::test;

/// A chip of the user's own: its files opened in the window, used as far as they go, and read again when they change.
class DeviceFileTest : public WindowFixture {
    Q_OBJECT

    static constexpr const char* kRegisters =
        R"(<?xml version="1.0"?><device><name>MILL</name><width>32</width><size>32</size><peripherals>
<peripheral><name>SAY1</name><description>Asynchronous serial port.</description><baseAddress>0x61000000</baseAddress>
<registers><register><name>CTL</name><addressOffset>0</addressOffset></register></registers></peripheral></peripherals></device>)";
    static constexpr const char* kDevice =
        R"({ "name": "MILL", "layers": [ { "file": "mill.svd" }, { "file": "mill.csv" } ],
  "blocks": { "say1": { "kind": "uart" } },
  "instances": { "SAY1": { "signals": { "TX": "out", "RX": "in" } } },
  "pads": { "A0": { "routes": { "1": "SAY1.TX" } }, "A1": { "routes": { "1": "SAY1.RX" } } } })";

    QString at(const char* name) const { return dir_->filePath(name); }
    void save(const char* name, const std::string& text) const
    {
        QVERIFY(writeFileAtomically(at(name).toStdString(), text));
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init()
    {
        openWindow();
        save("mill.svd", kRegisters);
        save("mill.csv", "pin,pad\n1,A0\n2,A1\n3,VDD\n4,VSS\n");
        save("mill.json", kDevice);
    }
    void cleanup() { closeWindow(); }

    void aRegisterFileAlone()
    {
        QVERIFY(w_->openFile(at("mill.svd")));
        QVERIFY2(w_->message().contains("1 cannot be used"), qPrintable(w_->message()));
        for (const Station station :
             {Station::Start, Station::Wiring, Station::Clocks, Station::Tuning, Station::Source, Station::Rehearsal}) {
            w_->showStation(station);
            QCoreApplication::processEvents();
        }
        QCOMPARE(now().findings.size(), size_t(1));
    }

    void placementFromPinsAndFunctions()
    {
        QVERIFY(w_->openFile(at("mill.json")));
        Need need;
        need.id = "line";
        need.title = "Line";
        need.kind = "uart";
        QVERIFY(w_->document().apply(editOf("Add", InsertNeed{0, need})));
        w_->showStation(Station::Wiring);
        w_->view().select({Place::Kind::Need, "line", {}});
        shortcut(QKeySequence("Ctrl+B"));
        QTRY_VERIFY(!now().plan.needs.front().binding.pads.empty());
        COMPARE_TEXT(now().plan.needs.front().binding.pads.at("tx"), "A0");
        for (const Station station :
             {Station::Clocks, Station::Tuning, Station::Source, Station::Rehearsal, Station::Wiring}) {
            w_->showStation(station);
            QCoreApplication::processEvents();
        }
        shortcut(QKeySequence("Ctrl+Return"));
        QCoreApplication::processEvents();
        QVERIFY(now().source().files.empty());
    }

    void aDroppedFile()
    {
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(at("mill.json"))});
        QDragEnterEvent enter(QPoint(20, 20), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QCoreApplication::sendEvent(w_.get(), &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent drop(QPointF(20, 20), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QCoreApplication::sendEvent(w_.get(), &drop);
        QTRY_VERIFY(w_->document().isOpen() && now().device->name == "MILL");
    }

    /// A change on the disk: the plan is computed on it anew; a file that cannot be read leaves all as it was.
    void changedOnTheDisk()
    {
        QVERIFY(w_->openFile(at("mill.json")));
        const auto before = w_->document().sharedSnapshot();
        save("mill.csv", "pin,pad\n1,A0\n2,A1\n3,VDD\n4,VSS\n5,A2\n");
        QTRY_COMPARE_WITH_TIMEOUT(now().device->pads.size(), size_t(3), 5000);
        QVERIFY2(w_->message().contains("has changed"), qPrintable(w_->message()));
        save("mill.csv", "nonsense\n");
        QTRY_VERIFY_WITH_TIMEOUT(w_->message().contains("heading"), 5000);
        QCOMPARE(now().device->pads.size(), size_t(3));
        save("mill.csv", "pin,pad\n1,A0\n2,A1\n3,VDD\n4,VSS\n");
        QTRY_COMPARE_WITH_TIMEOUT(now().device->pads.size(), size_t(2), 5000);
    }

    void whatCannotBeReadLeavesAllAsItWas()
    {
        QVERIFY(w_->openFile(at("mill.json")));
        const auto before = w_->document().sharedSnapshot();
        save("bad.svd", "<device><periph");
        QVERIFY(!w_->openFile(at("bad.svd")));
        QVERIFY2(w_->message().contains("is not XML"), qPrintable(w_->message()));
        QVERIFY(w_->document().sharedSnapshot() == before);
    }

    void valuesSayWhereTheyWereRead()
    {
        QVERIFY(w_->openFile(at("mill.json")));
        w_->view().select({Place::Kind::Pad, "A0", {}});
        QTRY_VERIFY2(w_->inspector()->findChild<QTextBrowser*>()->toPlainText().contains("mill.csv, line 2"),
                     qPrintable(w_->inspector()->findChild<QTextBrowser*>()->toPlainText()));
    }
};

BINDREL_TEST(DeviceFileTest)
#include "device_file_test.moc"
