// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/inspector.h"
#include "app/frame/main_window.h"
#include "app/session/option_finder.h"
#include "app/theme/theme.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/proposal_list.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/wiring_station.h"
#include "tests/support/fixtures.h"

#include <QAbstractButton>
#include <QApplication>
#include <QDialog>
#include <QMessageBox>
#include <QPointer>
#include <QTextBrowser>

namespace bindrel::test {

/// The real window on the offscreen platform, by mouse and keys. Tests of the window derive from it.
class WindowFixture : public QObject {
protected:
    QTemporaryDir home_;
    std::unique_ptr<QTemporaryDir> dir_;
    std::unique_ptr<MainWindow> w_;

    const Snapshot& now() const { return w_->document().snapshot(); }
    QString planPath() const { return dir_->filePath("plan.bindrel"); }

    void open(const char* name)
    {
        QVERIFY(QFile::copy(QString::fromStdString(demoPath(std::string("sluice-node-c-") + name)), planPath()));
        QVERIFY(w_->openPlan(planPath()));
        QApplication::processEvents();
    }

    BoundNeed::State stateOf(const char* need) const { return now().bindings.needs[needIndex(now().plan, need)].state; }
    std::string padOf(const char* need, const char* signal) const
    {
        const auto& pads = now().plan.need(need)->binding.pads;
        const auto found = pads.find(signal);
        return found == pads.end() ? "" : found->second;
    }

    /// Drags with the left button; the widget that got the press gets the rest too, as a grab does.
    static void drag(QWidget* from, const QPoint& start, const QPoint& endInFrom, Qt::KeyboardModifiers atEnd = {})
    {
        QTest::mousePress(from, Qt::LeftButton, {}, start);
        const auto move = [&](const QPoint& at) {
            QMouseEvent event(QEvent::MouseMove, at, from->mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                              Qt::NoModifier);
            QApplication::sendEvent(from, &event);
        };
        for (int i = 1; i <= 5; ++i)
            move(start + (endInFrom - start) * i / 5);
        QTest::mouseRelease(from, Qt::LeftButton, atEnd, endInFrom);
        QApplication::processEvents();
    }

    /// Clicks words of the inspector that lead somewhere; false when they are not in view.
    bool clickLink(const QString& link) const
    {
        auto* text = w_->inspector()->findChild<QTextBrowser*>();
        for (int y = 0; y < text->viewport()->height(); y += 4)
            for (int x = 0; x < text->viewport()->width(); x += 4)
                if (text->anchorAt({x, y}) == link) {
                    QTest::mouseClick(text->viewport(), Qt::LeftButton, {}, {x, y});
                    return true;
                }
        return false;
    }

    QPoint needRow(const char* need, const char* signal = "") const
    {
        return w_->wiring()->needs()->rowRect(w_->wiring()->needs()->rowOf(need, signal)).center();
    }
    QPoint pin(const char* pad) const { return w_->wiring()->chip()->pinPosition(pad).toPoint(); }

    /// Works on the next modal dialog once it is up. A dialog that a failed act leaves open is closed, so that the test
    /// ends and tells why instead of waiting for a person.
    template <typename Act> static void inDialog(Act act)
    {
        auto* timer = new QTimer(qApp);
        timer->setInterval(20);
        QObject::connect(timer, &QTimer::timeout, qApp, [=] {
            QWidget* modal = QApplication::activeModalWidget();
            if (!modal)
                return;
            timer->deleteLater();
            timer->stop();
            const QPointer<QWidget> guard(modal);
            // The platform tells of the activation later.
            (void)QTest::qWaitFor([modal] { return QApplication::activeWindow() == modal; }, 1000);
            act(modal);
            if (auto* dialog = qobject_cast<QDialog*>(guard.data());
                dialog && dialog->isVisible() && QTest::currentTestFailed())
                dialog->reject();
        });
        timer->start();
    }

    /// The button of that text; null when there is none.
    static QAbstractButton* button(QWidget* dialog, const QString& text)
    {
        for (QAbstractButton* b : dialog->findChildren<QAbstractButton*>())
            if (b->text().remove('&') == text)
                return b;
        return nullptr;
    }

    /// RowButtons a button of the next modal dialog, by its text.
    static void answer(const QString& button, QString* seen = nullptr)
    {
        inDialog([=](QWidget* modal) {
            if (seen)
                if (auto* box = qobject_cast<QMessageBox*>(modal))
                    *seen = box->text();
            if (QAbstractButton* b = WindowFixture::button(modal, button)) {
                QTest::mouseClick(b, Qt::LeftButton);
                return;
            }
            qWarning("no button \"%s\"", qPrintable(button));
            qobject_cast<QDialog*>(modal)->reject();
        });
    }

    void keys(const QString& text, Qt::Key end = Qt::Key_Return)
    {
        QWidget* focus = QApplication::focusWidget();
        QVERIFY(focus);
        QTest::keyClicks(focus, text);
        QTest::keyClick(focus, end);
        QApplication::processEvents();
    }
    void shortcut(const QKeySequence& sequence)
    {
        // The offscreen platform does not give the focus back when a dialog closes.
        w_->activateWindow();
        QVERIFY(QTest::qWaitForWindowActive(w_.get()));
        QTest::keySequence(w_.get(), sequence);
        QApplication::processEvents();
        // A search that takes longer than a frame is answered later.
        QTRY_VERIFY_WITH_TIMEOUT(!w_->wiring()->background().busy(), 60'000);
    }

    void prepare()
    {
        qputenv("XDG_CONFIG_HOME", home_.path().toUtf8());
        qputenv("XDG_DATA_HOME", home_.path().toUtf8());
        QApplication::setOrganizationName("bindrel-test");
        QApplication::setApplicationName("bindrel-test");
        Theme::apply(*qApp, false);
    }

    void openWindow()
    {
        dir_ = std::make_unique<QTemporaryDir>();
        w_ = std::make_unique<MainWindow>(library());
        w_->show();
        QVERIFY(QTest::qWaitForWindowActive(w_.get()));
    }

    void closeWindow()
    {
        if (w_->document().isOpen())
            w_->document().clearJournal();
        w_.reset();
    }
};

} // namespace bindrel::test
