// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme/theme.h"
#include "app/tuning/alternatives_list.h"
#include "app/tuning/digits_view.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/interrupts_dialog.h"
#include "app/tuning/tuning_station.h"
#include "app/tuning/waveform_view.h"
#include "core/interchange/interrupt_sheet.h"
#include "core/plan/plan_file.h"
#include "tests/support/window_fixture.h"

#include <QLabel>
#include <QTableView>
#include <QToolButton>

using namespace bindrel;
using namespace bindrel::test;

/// The station where people decide: alternatives, needs that belong together, digits, priorities; by mouse and by keys.
class TuningTest : public WindowFixture {
    Q_OBJECT

    TuningStation* station() const { return w_->tuning(); }
    AlternativesList* list() const { return station()->alternatives(); }
    void show(const char* need)
    {
        w_->view().select({Place::Kind::Need, need, {}});
        w_->showStation(Station::Tuning);
        QApplication::processEvents();
    }
    const Setting& setting(const char* need) const { return now().settings[needIndex(now().plan, need)]; }
    bool openExample(const char* name)
    {
        QFile::remove(planPath());
        return QFile::copy(QString::fromStdString(demoPath(name)), planPath()) && w_->openPlan(planPath());
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void anAlternativeIsComparedAndApplied()
    {
        open("done");
        show("uplink");
        const std::string text = planText(now().plan);
        QVERIFY(list()->isVisible() && list()->rowCount() > 1);
        QCOMPARE(list()->alternatives().used, 0);
        list()->setFocus();
        QTest::keyClick(list(), Qt::Key_Down);
        QTest::keyClick(list(), Qt::Key_Down);
        QCOMPARE(list()->currentRow(), 1);
        QVERIFY(station()->picture()->comparing());
        QVERIFY(planText(now().plan) == text); // compared, not applied
        QTest::keyClick(list(), Qt::Key_Escape);
        QVERIFY(!station()->picture()->comparing() && list()->currentRow() == -1);
        QTest::keyClick(list(), Qt::Key_Down);
        QTest::keyClick(list(), Qt::Key_Down);
        const Alternative chosen = list()->alternatives().all[1];
        QTest::keyClick(list(), Qt::Key_Return);
        QApplication::processEvents();
        QCOMPARE(list()->alternatives().used, 1);
        for (const auto& [role, value] : chosen.roles)
            QVERIFY(setting("uplink").role(role) == value);
        QVERIFY(!now().plan.need("uplink")->overrides.empty());
        // By mouse back to what the goals give; one undo step each.
        QTest::mouseDClick(list()->viewport(), Qt::LeftButton, {}, list()->rowRect(0).center());
        QApplication::processEvents();
        QVERIFY(planText(now().plan) == text);
        shortcut(QKeySequence::Undo);
        QCOMPARE(list()->alternatives().used, 1);
        shortcut(QKeySequence::Undo);
        QVERIFY(planText(now().plan) == text);
        // Another need has its own, and nothing of this one's.
        show("watchdog");
        QVERIFY(!list()->isVisible() && list()->rowCount() == 0);
    }

    void whatTimesItIsAStepAway()
    {
        open("done");
        show("uplink");
        auto* checks = station()->findChild<QLabel*>("checks");
        QVERIFY(checks && checks->text().contains("Timed by"));
        Q_EMIT checks->linkActivated(QString::fromStdString(now().device->clocks[setting("uplink").kernel].id));
        QVERIFY(w_->station() == Station::Clocks);
        QCOMPARE(w_->view().selected().id, now().device->clocks[setting("uplink").kernel].id);
    }

    void needsInStepShareAnAxis()
    {
        open("done");
        show("uplink");
        auto* button = station()->findChild<QToolButton*>("in-step");
        QVERIFY(button && !button->isVisible());
        show("gate-bridge");
        QVERIFY(button->isVisible());
        QTest::mouseClick(button, Qt::LeftButton);
        QApplication::processEvents();
        // Still handled: an edge of the bridge is dragged with the converter below it.
        const std::string before = goalText(*now().plan.need("gate-bridge"), "duty1");
        const QPoint from = station()->picture()->handleOf("duty1");
        QVERIFY(from.x() > 0);
        drag(station()->picture(), from, from + QPoint(40, 0));
        QApplication::processEvents();
        QVERIFY(goalText(*now().plan.need("gate-bridge"), "duty1") != before);
        show("shunt-amplifier");
        QVERIFY(station()->picture()->handleOf("duty1") == QPoint(-1, -1)); // not this need's
        QTest::mouseClick(button, Qt::LeftButton);
        QVERIFY(!button->isChecked());
    }

    void twoNeedsAreCompared()
    {
        open("done");
        show("shunt-amplifier");
        station()->compareWith("supply-sense");
        auto* checks = station()->findChild<QLabel*>("checks");
        const QString title = QString::fromStdString(now().plan.need("supply-sense")->title);
        QVERIFY(checks->text().contains("Compared with " + title));
        QVERIFY(station()->picture()->comparing());
        // Gone with the need, without a trace.
        w_->document().apply(editOf("x", RemoveNeed{"supply-sense"}));
        QVERIFY(!checks->text().contains("Compared with"));
        shortcut(QKeySequence::Undo);
        QVERIFY(checks->text().contains("Compared with"));
        Q_EMIT checks->linkActivated("end-comparison");
        QVERIFY(!checks->text().contains("Compared with") && !station()->picture()->comparing());
    }

    void digitsAreConnectedByClicks()
    {
        QVERIFY(openExample("rain-post-b-done"));
        const auto need = std::find_if(now().plan.needs.begin(), now().plan.needs.end(),
                                       [](const Need& one) { return one.kind == "segments"; });
        QVERIFY(need != now().plan.needs.end());
        const std::string id = need->id;
        show(id.c_str());
        DigitsView* digits = station()->digits();
        QVERIFY(digits->isVisible() && !station()->picture()->isVisible());
        const std::string text = planText(now().plan);
        const auto shown = [&] { return *now().lookAt(needIndex(now().plan, id)).digits; };
        const SegmentDigits before = shown();
        QVERIFY(!before.digits.empty());
        // Segment a of the first digit to where another one is: the two change places.
        const SegmentDigits::Place a = before.digits[0][0], b = before.digits[0][1];
        QVERIFY(a.connected() && b.connected());
        QTest::mouseClick(digits, Qt::LeftButton, {}, digits->segmentAt(0, 0).toPoint());
        QTest::mouseClick(digits, Qt::LeftButton, {}, digits->placeAt(b.backplane, b.line).center().toPoint());
        QVERIFY(shown().digits[0][0] == b && shown().digits[0][1] == a);
        shortcut(QKeySequence::Undo);
        QVERIFY(planText(now().plan) == text);
        // By keys: the next segment goes, comes back elsewhere.
        digits->setFocus();
        QTest::keyClick(digits, Qt::Key_Right);
        QTest::keyClick(digits, Qt::Key_Delete);
        QVERIFY(!shown().digits[0][1].connected());
        QTest::keyClick(digits, Qt::Key_Right, Qt::ShiftModifier);
        QVERIFY(shown().digits[0][1].connected());
        // Another digit.
        const std::size_t many = shown().digits.size();
        if (many < SegmentDigits::kMostDigits) {
            QTest::keyClick(digits, Qt::Key_Insert);
            QTest::keyClick(digits, Qt::Key_Right, Qt::ShiftModifier);
            QCOMPARE(shown().digits.size(), many + 1);
        }
        QVERIFY(!digits->accessibleItems().empty());
        while (w_->document().canUndo())
            shortcut(QKeySequence::Undo);
        QVERIFY(planText(now().plan) == text);
    }

    void prioritiesAreDragged()
    {
        open("done");
        for (const auto& [need, level] : {std::pair{"gate-bridge", "2"}, {"tick", "6"}, {"rain-tipper", "9"}})
            for (const auto& [goal, value] : {std::pair{"interrupt", "yes"}, {"priority", level}})
                (void)w_->document().apply(editOf("x", SetGoal{need, goal, std::string(value)}));
        inDialog([this](QWidget* modal) {
            auto* dialog = qobject_cast<InterruptsDialog*>(modal);
            QVERIFY(dialog);
            QTableView* table = dialog->interrupts();
            const NeedTable rows = interruptsByUrgency(now());
            QVERIFY(rows.rows.size() >= 3);
            QCOMPARE(table->model()->rowCount(), int(rows.rows.size()));
            const auto rowOf = [&](const char* need) {
                const NeedTable urgent = interruptsByUrgency(now());
                for (size_t r = 0; r < urgent.rows.size(); ++r)
                    if (urgent.rows[r].need == need)
                        return int(r);
                return -1;
            };
            const auto middle = [&](int row) {
                return QPoint(40, table->rowViewportPosition(row) + table->rowHeight(row) / 2);
            };
            const auto priority = [this](const char* need) { return goalText(*now().plan.need(need), "priority"); };
            const int tick = rowOf("tick"), rain = rowOf("rain-tipper");
            QVERIFY(tick >= 0 && rain >= 0 && tick < rain);
            // Onto another row: as urgent as that.
            drag(table->viewport(), middle(rain), middle(tick));
            QApplication::processEvents();
            QCOMPARE(priority("rain-tipper"), std::string("6"));
            w_->document().undo();
            QApplication::processEvents();
            QCOMPARE(priority("rain-tipper"), std::string("9"));
            // Alt and an arrow: by one place.
            const int now9 = rowOf("rain-tipper");
            table->setCurrentIndex(table->model()->index(now9, 0));
            QTest::keyClick(table, Qt::Key_Up, Qt::AltModifier);
            QApplication::processEvents();
            QVERIFY(priority("rain-tipper") != "9");
            dialog->reject();
        });
        shortcut(QKeySequence("Ctrl+Shift+I"));
    }

    /// Whatever is shown, on a large window too, must not keep it from becoming small again.
    void theWindowCanBecomeSmall()
    {
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            w_->resize(1900, 1000);
            QVERIFY(openExample(plan));
            for (const Need& need : IndexVector<NeedIndex, Need>(now().plan.needs)) {
                show(need.id.c_str());
                if (auto* button = station()->findChild<QToolButton*>("in-step"); button->isVisible())
                    button->setChecked(!button->isChecked());
                QApplication::processEvents();
                const QSize least = w_->minimumSizeHint();
                QVERIFY2(least.width() <= 1024 && least.height() <= 700,
                         qPrintable(QString("%1: %2 x %3")
                                        .arg(QString::fromStdString(need.id))
                                        .arg(least.width())
                                        .arg(least.height())));
            }
            for (const Station other : {Station::Wiring, Station::Clocks, Station::Source, Station::Rehearsal,
                                        Station::Board, Station::Start}) {
                w_->showStation(other);
                QApplication::processEvents();
                const QSize least = w_->minimumSizeHint();
                QVERIFY2(least.width() <= 1024 && least.height() <= 700,
                         qPrintable(QString("%1: %2 x %3").arg(int(other)).arg(least.width()).arg(least.height())));
            }
        }
    }

    void headsFollowTheTheme()
    {
        open("done");
        show("uplink");
        for (const bool dark : {true, false}) {
            w_->setDark(dark);
            QApplication::processEvents();
            int heads = 0;
            const QList<QLabel*> labels = station()->goals()->findChildren<QLabel*>();
            for (const QLabel* label : labels)
                if (label->isVisible() && (label->text() == "achieved" || label->text() == "error")) {
                    ++heads;
                    QVERIFY(label->styleSheet().contains(Theme::get().muted.name()));
                }
            QVERIFY(heads >= 2);
        }
    }
};

BINDREL_TEST(TuningTest)
#include "tuning_test.moc"
