// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/bits_view.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"
#include "core/plan/plan_file.h"
#include "tests/support/window_fixture.h"

#include <fmt/format.h>

#include <QDialog>
#include <QLineEdit>

using namespace bindrel;
using namespace bindrel::test;

/// Bits are edited in the window, by mouse and by keys: a goal follows where one says the same, else the field is set
/// by hand, is seen to be, and follows the goals again when that is dropped.
class BitsTest : public WindowFixture {
    Q_OBJECT

    BitsView* bits() const { return w_->tuning()->bits(); }
    void show(const char* need)
    {
        w_->view().select({Place::Kind::Need, need, {}});
        w_->showStation(Station::Tuning);
        QApplication::processEvents();
    }
    QRect itemOf(const QString& name) const
    {
        for (const AccessibleItem& item : bits()->accessibleItems())
            if (item.name.startsWith(name + ","))
                return item.rect;
        qFatal("no item %s", qPrintable(name));
    }
    QString wordsOf(const QString& name) const
    {
        for (const AccessibleItem& item : bits()->accessibleItems())
            if (item.name.startsWith(name + ","))
                return item.name;
        return {};
    }
    std::uint32_t codeOf(const char* dotted) const
    {
        return now().image.codeOf(*now().device, *now().device->findField(dotted));
    }
    void enter(const QString& text)
    {
        QVERIFY(bits()->editor());
        bits()->editor()->selectAll();
        QTest::keyClicks(bits()->editor(), text);
        QTest::keyClick(bits()->editor(), Qt::Key_Return);
        QApplication::processEvents();
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void aFieldThatAGoalDecidesChangesTheGoal()
    {
        open("done");
        show("uplink");
        const std::string text = planText(now().plan);
        QTest::mouseDClick(bits(), Qt::LeftButton, {}, itemOf("UART1.CTL.PARITY").center());
        enter("even");
        QVERIFY(goalText(*now().plan.need("uplink"), "frame").find('E') != std::string::npos);
        QVERIFY(now().plan.need("uplink")->overrides.empty());
        QCOMPARE(codeOf("UART1.CTL.PARITY"), 1u);
        QVERIFY(!bits()->editor());
        shortcut(QKeySequence::Undo);
        QVERIFY(planText(now().plan) == text);
    }

    void byKeysAlone()
    {
        open("done");
        show("uplink");
        bits()->setFocus();
        QTest::keyClick(bits(), Qt::Key_Home);
        for (int step = 0; step < 200 && !wordsOf("UART1.RATE.DIV").isEmpty(); ++step) {
            QTest::keyClick(bits(), Qt::Key_F2);
            const bool there = bits()->editor() && bits()->editor()->accessibleName() == "UART1.RATE.DIV";
            if (bits()->editor())
                QTest::keyClick(bits()->editor(), Qt::Key_Escape);
            QVERIFY(!bits()->editor());
            QVERIFY(bits()->hasFocus());
            if (there)
                break;
            QTest::keyClick(bits(), Qt::Key_Right);
        }
        // A digit begins to type.
        const std::uint32_t wanted = codeOf("UART1.RATE.DIV") + 4;
        const QString digits = QString::number(wanted);
        QTest::keyClicks(bits(), digits.left(1));
        QVERIFY(bits()->editor());
        QTest::keyClicks(bits()->editor(), digits.mid(1));
        QTest::keyClick(bits()->editor(), Qt::Key_Return);
        QCOMPARE(codeOf("UART1.RATE.DIV"), wanted);
        QVERIFY(now().plan.need("uplink")->overrides.empty());
    }

    void whatNoGoalSaysIsSetByHandUntilItIsDropped()
    {
        open("done");
        show("uplink");
        const std::string text = planText(now().plan);
        const QImage plain = bits()->grab().toImage();
        bits()->edit("UART1.CTL.OVS");
        QVERIFY(bits()->editor());
        const std::string name = bits()->editor()->accessibleName().toStdString();
        enter("1");
        const std::map<std::string, std::string, std::less<>>& set = now().plan.need("uplink")->overrides;
        QVERIFY(!set.empty());
        QVERIFY(wordsOf(QString::fromStdString(name)).contains("set by hand"));
        QVERIFY(bits()->grab().toImage() != plain);
        // It stays when goals change.
        w_->document().apply(editOf("", SetGoal{"uplink", "baud", "9600"}));
        QCOMPARE(codeOf(name.c_str()), 1u);
        bits()->setFocus();
        QTest::mouseClick(bits(), Qt::LeftButton, {}, itemOf(QString::fromStdString(name)).center());
        QTest::keyClick(bits(), Qt::Key_Delete);
        QVERIFY(now().plan.need("uplink")->overrides.empty());
        shortcut(QKeySequence::Undo);
        shortcut(QKeySequence::Undo);
        shortcut(QKeySequence::Undo);
        QVERIFY(planText(now().plan) == text);
    }

    void aWholeRegisterIsTyped()
    {
        open("done");
        show("uplink");
        const std::uint32_t word = codeOf("UART1.RATE.DIV") + 7;
        QTest::mouseDClick(bits(), Qt::LeftButton, {}, itemOf("UART1.RATE").center());
        enter(QString("0x%1").arg(word, 0, 16));
        QCOMPARE(codeOf("UART1.RATE.DIV"), word);
    }

    void refusedTextStaysUntilItIsCorrectedOrDropped()
    {
        open("done");
        show("uplink");
        const std::string text = planText(now().plan);
        bits()->edit("UART1.CTL.PARITY");
        enter("nonsense");
        QVERIFY(bits()->editor());
        QVERIFY(bits()->editor()->property("wrong").toBool());
        QTest::keyClick(bits()->editor(), Qt::Key_Escape);
        QVERIFY(!bits()->editor());
        QVERIFY(planText(now().plan) == text);
        // What cannot be set has no editor.
        for (const char* status : {"UART1.STAT.RXF", "UART1.DATA.BYTE"})
            bits()->edit(status);
        QVERIFY(!bits()->editor());
    }

    void whatIsTypedGoesWhereItWasBegun()
    {
        open("done");
        show("uplink");
        bits()->edit("UART1.CTL.PARITY");
        bits()->editor()->selectAll();
        QTest::keyClicks(bits()->editor(), "odd");
        show("gate-bridge");
        QVERIFY(goalText(*now().plan.need("uplink"), "frame").find('O') != std::string::npos);
        QVERIFY(!bits()->editor());
    }

    /// A dump that is pasted is shown as a change, and taken as one step.
    void registersAreTakenOver()
    {
        open("done");
        show("uplink");
        std::string dump;
        for (const RegisterValue& value : now().image.registers)
            dump += fmt::format("{:#x} {:#x}\n", now().device->addressOf(value.instance, value.reg), value.value);
        w_->document().apply(editOf("", SetGoal{"uplink", "baud", "9600"}));
        w_->document().apply(editOf("", SetClock{"BUS1", clockSaid("8")}));
        const std::string text = planText(now().plan);
        const std::uint32_t divider = codeOf("UART1.RATE.DIV");
        bool asked = false;
        inDialog([&asked](QWidget* modal) {
            asked = true;
            static_cast<QDialog*>(modal)->reject();
        });
        w_->tuning()->adopt(dump, "The dump");
        QTRY_VERIFY(asked);
        QTRY_VERIFY(!QApplication::activeModalWidget());
        QVERIFY(planText(now().plan) == text);
        inDialog([](QWidget* modal) { static_cast<QDialog*>(modal)->accept(); });
        w_->tuning()->adopt(dump, "The dump");
        QTRY_VERIFY(codeOf("UART1.RATE.DIV") != divider);
        QTRY_VERIFY(!QApplication::activeModalWidget());
        COMPARE_TEXT(goalText(*now().plan.need("uplink"), "baud").substr(0, 3), "460");
        shortcut(QKeySequence::Undo);
        QVERIFY(planText(now().plan) == text);
        w_->tuning()->adopt("nothing of the sort", "The clipboard");
        QVERIFY(planText(now().plan) == text);
    }

    void arrowsStepToWhatCanBeMade()
    {
        open("done");
        show("uplink");
        w_->tuning()->goals()->focusGoal("baud");
        auto* field = qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor("baud"));
        QVERIFY(field);
        const std::uint32_t was = codeOf("UART1.RATE.DIV");
        QTest::keyClick(field, Qt::Key_Up);
        QCOMPARE(codeOf("UART1.RATE.DIV"), was - 1);
        QTest::keyClick(field, Qt::Key_Down);
        QTest::keyClick(field, Qt::Key_Down);
        QCOMPARE(codeOf("UART1.RATE.DIV"), was + 1);
        for (const Achieved& row : now().settings[needIndex(now().plan, "uplink")].achieved)
            if (row.goal == "baud" && !row.check)
                QVERIFY2(row.error && row.error->value.abs() < Rational(100), row.achieved.c_str());
    }
};

BINDREL_TEST(BitsTest)
#include "bits_test.moc"
