// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"
#include "app/source/source_station.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"
#include "core/source/safe_text.h"
#include "tests/support/window_fixture.h"

#include <QDialog>
#include <QFileDialog>
#include <QLineEdit>

using namespace bindrel;
using namespace bindrel::test;

/// From a bare chip to written C by the keyboard alone, as a newcomer would who never presses Enter in a field: in both
/// themes, with the text that is on the screen ending up in the plan, the saved file and the C.
class JourneyTest : public WindowFixture {
    Q_OBJECT

    void station(Station which) { shortcut(QKeySequence(QString("Ctrl+%1").arg(int(which) + 1))); }

    void state(const QString& line)
    {
        const size_t before = now().plan.needs.size();
        inDialog([line](QWidget* dialog) {
            auto* field = dialog->findChildren<QLineEdit*>().front();
            QVERIFY(field->hasFocus());
            QTest::keyClicks(field, line);
            QVERIFY2(button(dialog, "Add it")->isEnabled(), qPrintable(line));
            QTest::keyClick(field, Qt::Key_Return);
            if (dialog->isVisible()) // the first Enter may have taken a completion
                QTest::keyClick(field, Qt::Key_Return);
        });
        shortcut(QKeySequence("Ctrl+Shift+A"));
        QCOMPARE(now().plan.needs.size(), before + 1);
    }

    static void type(QLineEdit* field, const QString& text)
    {
        QVERIFY(field);
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, text);
    }

    std::string idOf(const char* kind) const
    {
        for (const Need& need : now().plan.needs)
            if (need.kind == kind)
                return need.id;
        return {};
    }

    std::string bytes() const { return planText(now().plan); }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup()
    {
        closeWindow();
        Theme::apply(*qApp, false);
    }

    void fromABareChipToC_data()
    {
        QTest::addColumn<bool>("dark");
        QTest::newRow("day") << false;
        QTest::newRow("night") << true;
    }
    void fromABareChipToC()
    {
        QFETCH(bool, dark);
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Wiring);
        if (dark)
            shortcut(QKeySequence("Ctrl+Shift+N"));
        QCOMPARE(Theme::get().dark, dark);
        const std::string nothing = bytes();

        for (const char* line : {"uart 115.2k", "i2c 100k", "spi 4M", "led", "500 ms interrupt"})
            state(line);
        QCOMPARE(now().bindings.count(BoundNeed::State::Open), 5);
        shortcut(QKeySequence("Ctrl+Shift+B"));
        QTRY_COMPARE_WITH_TIMEOUT(now().bindings.count(BoundNeed::State::Bound), 5, 60'000);

        // A goal, and then the next need: no Enter.
        const std::string uart = idOf("uart"), spi = idOf("spi");
        w_->view().select({Place::Kind::Need, uart, {}});
        station(Station::Tuning);
        w_->tuning()->goals()->focusGoal("baud");
        type(qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor("baud")), "9600");
        w_->view().select({Place::Kind::Need, spi, {}});
        COMPARE_TEXT(goalText(*now().plan.need(uart), "baud"), "9600");
        // A lamp that blinks, and the next need: no Enter.
        const std::string blink = idOf("interval"), lamp = idOf("gpio");
        w_->view().select({Place::Kind::Need, blink, {}});
        w_->tuning()->goals()->focusGoal("toggles");
        type(qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor("toggles")), QString::fromStdString(lamp));
        w_->view().select({Place::Kind::Need, spi, {}});
        COMPARE_TEXT(goalText(*now().plan.need(blink), "toggles"), QString::fromStdString(lamp));
        w_->tuning()->goals()->focusGoal("rate");
        type(qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor("rate")), "2 MHz");

        // A clock's setting, and then the source: no Enter.
        station(Station::Clocks);
        COMPARE_TEXT(goalText(*now().plan.need(spi), "rate"), "2 MHz");
        w_->view().jump({Place::Kind::Clock, "BUS1", {}});
        type(w_->inspector()->field(), "2");
        station(Station::Source);
        COMPARE_TEXT(clockDecisionText(now().plan.clocks.at("BUS1")), "2");

        // The prefix, and the folder, and then the write: no Enter but that of the question.
        type(w_->source()->prefix(), "gate");
        const QString folder = dir_->filePath("firmware");
        type(w_->source()->folder(), folder);
        COMPARE_TEXT(now().plan.prefix, "gate");

        // Saved under a name that is typed into the dialog; what is pending is in the file.
        const QString path = dir_->filePath("gate.bindrel");
        inDialog([path](QWidget* dialog) {
            auto* field = dialog->findChild<QLineEdit*>();
            QVERIFY(field);
            field->selectAll();
            QTest::keyClicks(field, path);
            QTest::keyClick(field, Qt::Key_Return);
        });
        shortcut(QKeySequence::Save);
        QTRY_VERIFY(QFile::exists(path));
        const Expected<LoadedPlan> saved = loadPlan(path.toStdString(), library());
        QVERIFY2(saved.ok(), saved.ok() ? "" : saved.problem().text().c_str());
        COMPARE_TEXT(goalText(*saved->plan.need(uart), "baud"), "9600");
        COMPARE_TEXT(goalText(*saved->plan.need(spi), "rate"), "2 MHz");
        COMPARE_TEXT(clockDecisionText(saved->plan.clocks.at("BUS1")), "2");
        COMPARE_TEXT(saved->plan.prefix, "gate");
        QVERIFY(!w_->document().unsaved());

        QVERIFY2(now().count(Finding::Severity::Error) == 0, findingsText(now()).c_str());
        inDialog([](QWidget* dialog) { QTest::keyClick(dialog, Qt::Key_Return); });
        shortcut(QKeySequence("Ctrl+Return"));
        QTRY_VERIFY(QFile::exists(folder + "/gate_board.c"));
        const std::string c =
            textOf((folder + "/gate_" + QString::fromStdString(uart).replace('-', '_') + ".c").toStdString());
        QVERIFY2(!c.empty(), uart.c_str());
        QVERIFY(textOf((folder + "/gate_board.h").toStdString()).find("GATE_") != std::string::npos);
        QVERIFY(textOf((folder + "/gate_interrupts.c").toStdString()).find("gate_" + lamp + "_toggle();") !=
                std::string::npos);
        QVERIFY(textOf((folder + "/main.c").toStdString()).find("gate_" + blink + "_start();") != std::string::npos);

        // Every step back, and forth again.
        const std::string done = bytes();
        while (w_->document().canUndo())
            shortcut(QKeySequence("Ctrl+Z"));
        COMPARE_TEXT(bytes(), QString::fromStdString(nothing));
        while (w_->document().canRedo())
            shortcut(QKeySequence("Ctrl+Shift+Z"));
        COMPARE_TEXT(bytes(), QString::fromStdString(done));
    }

    /// Words that make no sense are held back at each field until they are mended or given up; nothing is saved with
    /// them, and nothing is lost.
    void whatMakesNoSenseIsHeldBack()
    {
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Wiring);
        state("uart 115.2k");
        const std::string uart = idOf("uart");
        const std::string before = bytes();
        w_->view().select({Place::Kind::Need, uart, {}});
        station(Station::Tuning);
        for (const char* goal : {"baud", "peer", "match"}) {
            auto* field = qobject_cast<QLineEdit*>(w_->tuning()->goals()->editor(goal));
            if (!field || !field->isVisible())
                continue;
            w_->tuning()->goals()->focusGoal(goal);
            type(field, "sometimes");
            station(Station::Clocks);
            QVERIFY2(w_->tuning()->isVisible() && field->text() == "sometimes", goal);
            QVERIFY(!w_->message().isEmpty());
            QTest::keyClick(field, Qt::Key_Escape);
            COMPARE_TEXT(bytes(), QString::fromStdString(before));
        }
        // A prefix that is no name of C becomes one, and the field says which.
        station(Station::Source);
        type(w_->source()->prefix(), "9 lives");
        station(Station::Wiring);
        QVERIFY(w_->wiring()->isVisible());
        COMPARE_TEXT(now().plan.prefix, QString::fromStdString(identifierOf("9 lives")));
        COMPARE_TEXT(w_->source()->prefix()->text().toStdString(), QString::fromStdString(now().plan.prefix));
        shortcut(QKeySequence("Ctrl+Z"));
        COMPARE_TEXT(bytes(), QString::fromStdString(before));
    }
};

BINDREL_TEST(JourneyTest)
#include "journey_test.moc"
