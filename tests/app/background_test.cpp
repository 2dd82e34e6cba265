// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/background.h"
#include "tests/support/window_fixture.h"

#include <QSemaphore>
#include <QSignalSpy>

using namespace bindrel;
using namespace bindrel::test;

/// Searches beside the interface: short ones are answered at once, long ones say so and can be stopped.
class BackgroundTest : public WindowFixture {
    Q_OBJECT

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void whatIsDoneWithinAFrameIsDeliveredAtOnce()
    {
        Background background;
        int got = 0;
        // A loaded machine may not start the thread within a frame; one of many does.
        for (int i = 0; i < 200 && got == 0; ++i) {
            background.run<int>(
                "quick", [](const Background::Stopped&) { return 7; }, [&got](int value) { got = value; });
            if (got == 0)
                background.cancel();
        }
        QCOMPARE(got, 7);
        QVERIFY(!background.busy());
    }

    void aLongOneSaysWhatItIsAndIsDeliveredInThisThread()
    {
        Background background;
        QSignalSpy busy(&background, &Background::busyChanged);
        QSemaphore go;
        QThread* in = nullptr;
        background.run<int>(
            "long",
            [&go](const Background::Stopped&) {
                go.acquire();
                return 1;
            },
            [&in](int) { in = QThread::currentThread(); });
        QVERIFY(background.busy() && in == nullptr);
        QCOMPARE(busy.takeFirst().at(0).toString(), QString("long"));
        go.release();
        QTRY_VERIFY(in == QThread::currentThread());
        QVERIFY(!background.busy());
        QCOMPARE(busy.takeFirst().at(0).toString(), QString());
    }

    void whatIsStoppedIsNeverDelivered()
    {
        int delivered = 0;
        std::atomic_int stopped = 0;
        const auto until = [&stopped](const Background::Stopped& stop) {
            while (!stop())
                QThread::yieldCurrentThread();
            ++stopped;
            return 1;
        };
        {
            Background background;
            const auto count = [&delivered](int) { ++delivered; };
            background.run<int>("a", until, count);
            background.cancel();
            QTRY_COMPARE(stopped.load(), 1);
            // A second one stops the first; an owner that goes takes its work along.
            background.run<int>("b", until, count);
            background.run<int>("c", until, count);
            QTRY_COMPARE(stopped.load(), 2);
        }
        QCOMPARE(stopped.load(), 3);
        QApplication::processEvents();
        QCOMPARE(delivered, 0);
    }

    void whatIsToldFasterThanItIsShownIsShownAsItWasLast()
    {
        Background background;
        QSemaphore told, go;
        std::vector<int> shown;
        bool done = false;
        background.runTelling<int, int>(
            "telling",
            [&](const Background::Stopped&, const std::function<void(const int&)>& tell) {
                for (int i = 1; i <= 1000; ++i)
                    tell(i);
                told.release();
                go.acquire();
                tell(1001);
                return 0;
            },
            [&shown](const int& value) { shown.push_back(value); }, [&done](int) { done = true; });
        told.acquire();
        QApplication::processEvents();
        QVERIFY((shown == std::vector<int>{1000}));
        go.release();
        QTRY_VERIFY(done);
        QVERIFY((shown == std::vector<int>{1000, 1001}));
    }

    void escapeStopsASearchInTheWindow()
    {
        open("tangled");
        Background& background = w_->wiring()->background();
        bool delivered = false;
        background.run<int>(
            "Looking for something",
            [](const Background::Stopped& stop) {
                while (!stop())
                    QThread::yieldCurrentThread();
                return 1;
            },
            [&delivered](int) { delivered = true; });
        QVERIFY(w_->message().startsWith("Looking for something") && w_->message().contains("Esc"));
        QVERIFY(!w_->grab().isNull()); // the window goes on
        shortcut(QKeySequence("Escape"));
        QVERIFY(!background.busy() && w_->message().isEmpty());
        QApplication::processEvents();
        QVERIFY(!delivered);
        // So does any change of the plan, since the answer would be for another one.
        background.run<int>(
            "again",
            [](const Background::Stopped& stop) {
                while (!stop())
                    QThread::yieldCurrentThread();
                return 1;
            },
            [&delivered](int) { delivered = true; });
        w_->document().apply(editOf("x", SetHold{holdOfNeed("uplink"), true}));
        QVERIFY(!background.busy());
        QApplication::processEvents();
        QVERIFY(!delivered);
    }
};

BINDREL_TEST(BackgroundTest)
#include "background_test.moc"
