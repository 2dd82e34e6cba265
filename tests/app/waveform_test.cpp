// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/goals_form.h"
#include "app/tuning/tuning_station.h"
#include "app/tuning/waveform_view.h"
#include "core/plan/plan_file.h"
#include "tests/support/window_fixture.h"

#include <QClipboard>
#include <QMimeData>
#include <QWheelEvent>

#include <cmath>

using namespace bindrel;
using namespace bindrel::test;

/// Pictures are handled: what states a goal is dragged and snaps to what the hardware makes, wheel and arrows step,
/// the rest is zoomed and measured.
class WaveformTest : public WindowFixture {
    Q_OBJECT

    WaveformView* picture() const { return w_->tuning()->picture(); }
    void show(const char* need)
    {
        w_->view().select({Place::Kind::Need, need, {}});
        w_->showStation(Station::Tuning);
        QApplication::processEvents();
    }
    std::string goalOf(const char* need, const char* name) const { return goalText(*now().plan.need(need), name); }
    const Achieved* achieved(const char* need, const char* goal) const
    {
        for (const Achieved& row : now().settings[needIndex(now().plan, need)].achieved)
            if (row.goal == goal && !row.check)
                return &row;
        return nullptr;
    }
    void moveTo(const QPoint& at, bool pressed = true)
    {
        QMouseEvent event(QEvent::MouseMove, QPointF(at), picture()->mapToGlobal(QPointF(at)), Qt::NoButton,
                          pressed ? Qt::LeftButton : Qt::NoButton, Qt::NoModifier);
        QApplication::sendEvent(picture(), &event);
    }
    void turnWheel(const QPoint& at, bool up)
    {
        QWheelEvent event(at, picture()->mapToGlobal(at), {}, {0, up ? 120 : -120}, Qt::NoButton, Qt::NoModifier,
                          Qt::NoScrollPhase, false);
        QApplication::sendEvent(picture(), &event);
        QApplication::processEvents();
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void anEdgeIsDraggedToWhatCanBeMade()
    {
        open("done");
        show("gate-bridge");
        const std::string text = planText(now().plan);
        const QPoint from = picture()->handleOf("duty1");
        QVERIFY(from.x() > 0);
        const QPoint to = from + QPoint(60, 0);
        const double time = picture()->timeAt(to.x());
        QTest::mousePress(picture(), Qt::LeftButton, {}, from);
        QVERIFY(picture()->dragging());
        for (int i = 1; i <= 5; ++i)
            moveTo(from + (to - from) * i / 5);
        QVERIFY(planText(now().plan) == text); // shown, not taken
        QTest::mouseRelease(picture(), Qt::LeftButton, {}, to);
        // Centre-aligned at 24 kHz: the falling edge lies at half the duty of the period.
        const std::optional<Ratio> duty = goalAs<Ratio>(*now().plan.need("gate-bridge"), "duty1");
        QVERIFY(duty);
        QVERIFY2(std::abs(duty->toDouble() - time * 2 * 24'000) < 0.002, goalOf("gate-bridge", "duty1").c_str());
        shortcut(QKeySequence::Undo);
        QVERIFY(planText(now().plan) == text);
    }

    void escapeGivesUpADrag()
    {
        open("done");
        show("gate-bridge");
        const std::string text = planText(now().plan);
        const QPoint from = picture()->handleOf("dead");
        QTest::mousePress(picture(), Qt::LeftButton, {}, from);
        moveTo(from + QPoint(30, 0));
        QTest::keyClick(picture(), Qt::Key_Escape);
        QVERIFY(!picture()->dragging());
        QTest::mouseRelease(picture(), Qt::LeftButton, {}, from + QPoint(30, 0));
        QVERIFY(planText(now().plan) == text);
        // So does another need in the middle of it.
        QTest::mousePress(picture(), Qt::LeftButton, {}, picture()->handleOf("dead"));
        moveTo(from + QPoint(30, 0));
        show("uplink");
        QVERIFY(!picture()->dragging());
        QVERIFY(planText(now().plan) == text);
    }

    void everyHandleOfEveryPlanCanBeDragged()
    {
        open("done");
        int dragged = 0;
        for (const Need& need : IndexVector<NeedIndex, Need>(now().plan.needs)) {
            show(need.id.c_str());
            std::vector<std::string> goals;
            const Look look = now().lookAt(needIndex(now().plan, need.id));
            for (const Waveform::Handle& handle :
                 look.waveform ? look.waveform->handles : std::vector<Waveform::Handle>())
                goals.push_back(handle.goal);
            for (const std::string& goal : goals) {
                const QPoint at = picture()->handleOf(goal);
                const std::string before = goalOf(need.id.c_str(), goal.c_str());
                QTest::mousePress(picture(), Qt::LeftButton, {}, at);
                for (const int by : {2, -9, 17})
                    moveTo(at + QPoint(by, 0));
                QTest::mouseRelease(picture(), Qt::LeftButton, {}, at + QPoint(17, 0));
                QApplication::processEvents();
                QVERIFY2(goalOf(need.id.c_str(), goal.c_str()) != before, (need.id + " " + goal).c_str());
                // What was taken is what is made: no error to speak of, but where the goal is a bound to stay below.
                const bool bound =
                    findKind(need.kind)->goal(goal)->title.starts_with("Max") || goal == "dead" || goal == "dead_low";
                if (bound)
                    picture()->grab(); // coarse steps: the nearest can be far
                else if (const Achieved* row = achieved(need.id.c_str(), goal.c_str()); row && row->error && row->ok)
                    QVERIFY2(row->error->value.abs() < Rational(200),
                             (need.id + " " + goal + ": " + row->achieved).c_str());
                ++dragged;
                shortcut(QKeySequence::Undo);
            }
        }
        QVERIFY(dragged > 12);
        QVERIFY(planText(now().plan) == planText(demo().plan));
    }

    void wheelAndArrowsStep()
    {
        open("done");
        show("gate-bridge");
        const std::string before = goalOf("gate-bridge", "duty1");
        turnWheel(picture()->handleOf("duty1"), true);
        const std::string up = goalOf("gate-bridge", "duty1");
        QVERIFY(up != before);
        QVERIFY(goalAs<Ratio>(*now().plan.need("gate-bridge"), "duty1")->value > Rational(2, 5));
        turnWheel(picture()->handleOf("duty1"), false);
        QVERIFY(goalAs<Ratio>(*now().plan.need("gate-bridge"), "duty1")->value == Rational(2, 5));
        picture()->setFocus();
        QTest::keyClick(picture(), Qt::Key_Right);
        QCOMPARE(QString::fromStdString(goalOf("gate-bridge", "duty1")), QString::fromStdString(up));
    }

    void elsewhereTheWheelZooms()
    {
        open("done");
        show("uplink");
        const double left = picture()->timeAt(0), right = picture()->timeAt(picture()->width());
        const QPoint middle(picture()->width() / 2 + 7, 20);
        const double at = picture()->timeAt(middle.x());
        for (int i = 0; i < 5; ++i)
            turnWheel(middle, true);
        QVERIFY(picture()->timeAt(picture()->width()) - picture()->timeAt(0) < (right - left) / 2);
        QVERIFY(std::abs(picture()->timeAt(middle.x()) - at) < (right - left) / 200);
        QVERIFY(!picture()->grab().isNull());
        QTest::keyClick(picture(), Qt::Key_0);
        QCOMPARE(picture()->timeAt(0), left);
        QCOMPARE(picture()->timeAt(picture()->width()), right);
    }

    void picturesAreExportedAndCopied()
    {
        open("done");
        show("gate-bridge");
        for (const char* ending : {"svg", "png", "pdf"}) {
            const QString path = dir_->filePath(QString("wave.%1").arg(ending));
            QVERIFY(picture()->exportPicture(path, "Gate bridge").ok());
            QVERIFY(QFileInfo(path).size() > 500);
        }
        picture()->copyPicture();
        QVERIFY(QGuiApplication::clipboard()->mimeData()->hasImage());
    }

    void goalsAreCopiedToAnotherNeedOfTheKind()
    {
        open("done");
        w_->view().select({Place::Kind::Need, "uplink", {}});
        shortcut(QKeySequence("Ctrl+D"));
        const std::string copy = now().plan.needs.back().kind == "uart" ? now().plan.needs.back().id : [this] {
            for (const Need& need : now().plan.needs)
                if (need.kind == "uart" && need.id != "uplink")
                    return need.id;
            return std::string();
        }();
        QVERIFY(!copy.empty());
        w_->document().apply(editOf("", SetGoal{copy, "baud", "9600"}));
        w_->tuning()->copyGoals("uplink", copy);
        QVERIFY(goalText(*now().plan.need(copy), "baud") == goalOf("uplink", "baud"));
        shortcut(QKeySequence::Undo);
        COMPARE_TEXT(goalText(*now().plan.need(copy), "baud"), "9600");
    }
};

BINDREL_TEST(WaveformTest)
#include "waveform_test.moc"
