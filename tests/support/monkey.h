// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/clocks/clocks_station.h"
#include "app/clocks/reach_panel.h"
#include "app/frame/findings_drawer.h"
#include "app/source/source_station.h"
#include "app/start/chip_catalogue.h"
#include "app/start/start_station.h"
#include "core/plan/plan_file.h"
#include "tests/support/window_fixture.h"

#include <QAbstractButton>
#include <QComboBox>
#include <QEventLoop>
#include <QFileDialog>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenu>
#include <QMenuBar>
#include <QMessageBox>
#include <QWheelEvent>
#include <QWindow>

#include <cstdio>
#include <random>

namespace bindrel::test {

/// Uses the real window as a hasty person would: every shortcut, quantities and garbage typed into whatever has the
/// focus, clicks, drags, the wheel, bursts of undo, stations changed while something is searched, the plan's file
/// changed on the disk, other chips, other sizes. Events go to the windows, as the system sends them, one a turn of the
/// event loop, so that dialogs are worked on as well.
class Monkey : public QObject {
public:
    /// `folder` is what may be written to; `plans` are copied there to be opened.
    Monkey(MainWindow& window, const QString& folder, unsigned seed) : w_(window), folder_(folder), random_(seed)
    {
        for (QAction* menu : w_.menuBar()->actions())
            for (QAction* action : menu->menu() ? menu->menu()->actions() : QList<QAction*>())
                if (!action->shortcut().isEmpty())
                    shortcuts_ << action->shortcut();
        connect(&w_.document(), &Document::opened, this, [this] { first_ = text(); });
        if (w_.document().isOpen())
            first_ = text();
    }

    /// Sends that many events, and ends with every dialog closed and nothing being typed.
    void run(int events)
    {
        left_ = events;
        QTimer::singleShot(0, this, &Monkey::turn);
        loop_.exec();
        calm();
    }
    /// The plan as it was when it was opened.
    const std::string& first() const { return first_; }
    std::string text() const { return planText(w_.document().snapshot().plan); }
    long events() const { return sent_; }

    void calm()
    {
        while (QWidget* open = QApplication::activePopupWidget() ? QApplication::activePopupWidget()
                                                                 : QApplication::activeModalWidget()) {
            open->close();
            QApplication::processEvents();
        }
        w_.view().pending().forgetAll();
        for (Background* background : w_.findChildren<Background*>())
            background->cancel();
        QApplication::processEvents();
    }

private:
    unsigned draw(unsigned below) { return random_() % below; }
    bool chance(unsigned percent) { return draw(100) < percent; }
    template <typename List> auto one(const List& list) { return list[draw(unsigned(std::size(list)))]; }
    void note(const QString& what)
    {
        static const bool told = qEnvironmentVariableIsSet("BINDREL_MONKEY_LOG");
        if (told)
            std::fprintf(stderr, "%ld %s\n", sent_, qPrintable(what));
    }

    void turn()
    {
        if (left_-- <= 0) {
            // Inside a dialog's own loop the dialog has to go first.
            if (QWidget* open = QApplication::activePopupWidget() ? QApplication::activePopupWidget()
                                                                  : QApplication::activeModalWidget())
                open->close();
            if (QApplication::activePopupWidget() || QApplication::activeModalWidget())
                QTimer::singleShot(0, this, &Monkey::turn);
            else
                loop_.quit();
            return;
        }
        QTimer::singleShot(0, this, &Monkey::turn); // before the event: a dialog that it opens runs a loop of its own
        ++sent_;
        if (QWidget* popup = QApplication::activePopupWidget())
            return inPopup(popup);
        if (QWidget* modal = QApplication::activeModalWidget())
            return inDialog(modal);
        if (!w_.isVisible())
            w_.show();
        if (QGuiApplication::focusWindow() != w_.windowHandle()) {
            w_.activateWindow();
            QApplication::setActiveWindow(&w_);
        }
        inWindow();
    }

    /// A key goes to the window that has the focus by now; nothing is sent any more when all is over. By what Qt Test
    /// itself sends events with: its own functions let the event loop run between a press and a release, which nobody's
    /// hand does.
    void send(Qt::Key key, Qt::KeyboardModifiers with, const QString& text)
    {
        QWindow* window = QApplication::activePopupWidget()   ? QApplication::activePopupWidget()->windowHandle()
                          : QApplication::activeModalWidget() ? QApplication::activeModalWidget()->windowHandle()
                                                              : w_.windowHandle();
        if (left_ < 0 || !window)
            return;
        // The shortcut comes first, as with a real key.
        if (qt_sendShortcutOverrideEvent(window->focusObject() ? window->focusObject() : window, ulong(++time_), key,
                                         with, text))
            return;
        qt_handleKeyEvent(window, QEvent::KeyPress, key, with, text);
        qt_handleKeyEvent(window, QEvent::KeyRelease, key, with, text);
    }
    void key(QWidget* at, Qt::Key key, Qt::KeyboardModifiers with = {})
    {
        note(QString("key %1 in %2").arg(QKeySequence(int(key) | int(with)).toString(), at->metaObject()->className()));
        const bool letter = key >= Qt::Key_Space && key <= Qt::Key_AsciiTilde && !(with & Qt::ControlModifier);
        send(key, with, letter ? QString(QChar(int(key))).toLower() : QString());
    }
    void type(const QString& what)
    {
        note("type " + what);
        for (const QChar c : what)
            send(Qt::Key(c.toUpper().unicode()), {}, QString(c));
    }
    void mouse(QWindow* window, QEvent::Type type, Qt::MouseButton button, const QPoint& at,
               Qt::KeyboardModifiers with = {})
    {
        if (left_ < 0)
            return;
        const Qt::MouseButtons held = type == QEvent::MouseButtonRelease ? Qt::NoButton
                                      : type == QEvent::MouseMove        ? Qt::MouseButtons(Qt::LeftButton)
                                                                         : Qt::MouseButtons(button);
        time_ += 700; // two clicks are no double click
        qt_handleMouseEvent(window, at, window->mapToGlobal(at), held,
                            type == QEvent::MouseMove ? Qt::NoButton : button, type, with, int(time_));
    }
    QString words()
    {
        static const char* const some[] = {
            "48 MHz",  "96M",    "12 MHz",     "115200",    "460.8 kBd", "9600 Bd",
            "1/32k",   "max",    ">= 100 MHz", "0",         "-1",        "999999999999999999",
            "1e99",    "4",      "2.5",        "HFX",       "auto",      "off",
            "yes",     "no",     "24 kHz",     "650 ns",    "87.5 %",    "3.3 V",
            "10 kOhm", "0x40",   "PA3",        "uart 9600", "gate",      "modem",
            "??",      "",       "12 mhz x",   "50 %",      "200 Hz",    "1 s",
            "100 kHz", "8 bits", "up",         "PB",        "CLK",       "a b c d",
            "1,2,3",   "none",   "all",        "high",      "Q",         "12345678901234567890"};
        return QString::fromLatin1(one(some));
    }
    Qt::Key someKey()
    {
        static const Qt::Key keys[] = {
            Qt::Key_Up,        Qt::Key_Down,   Qt::Key_Down, Qt::Key_Left,    Qt::Key_Right, Qt::Key_Return,
            Qt::Key_Return,    Qt::Key_Escape, Qt::Key_Tab,  Qt::Key_Backtab, Qt::Key_Space, Qt::Key_Delete,
            Qt::Key_Home,      Qt::Key_End,    Qt::Key_F,    Qt::Key_H,       Qt::Key_U,     Qt::Key_R,
            Qt::Key_M,         Qt::Key_N,      Qt::Key_T,    Qt::Key_W,       Qt::Key_Plus,  Qt::Key_Minus,
            Qt::Key_F2,        Qt::Key_1,      Qt::Key_2,    Qt::Key_3,       Qt::Key_9,     Qt::Key_PageDown,
            Qt::Key_Backspace, Qt::Key_Enter};
        return one(keys);
    }
    QPoint somewhere(const QWidget* widget)
    {
        return {int(draw(unsigned(std::max(1, widget->width())))), int(draw(unsigned(std::max(1, widget->height()))))};
    }
    QWidget* someChild(QWidget* of)
    {
        QList<QWidget*> seen;
        for (QWidget* child : of->findChildren<QWidget*>())
            if (child->isVisible() && child->window() == of->window() && child->width() > 4 && child->height() > 4)
                seen << child;
        return seen.isEmpty() ? of : seen[int(draw(unsigned(seen.size())))];
    }
    void click(QWidget* at, const QPoint& where)
    {
        QWindow* window = at->window()->windowHandle();
        const QPoint point = at->mapTo(at->window(), where);
        if (!window || !QRect(QPoint(), window->size()).contains(point))
            return;
        const Qt::MouseButton button = chance(92) ? Qt::LeftButton : Qt::RightButton;
        const Qt::KeyboardModifiers with = chance(90)   ? Qt::NoModifier
                                           : chance(50) ? Qt::ShiftModifier
                                                        : Qt::ControlModifier;
        note(QString("click %1 %2,%3").arg(at->metaObject()->className()).arg(where.x()).arg(where.y()));
        const QPointer<QWindow> guard(window);
        for (int i = chance(15) ? 2 : 1; i > 0 && guard; --i) {
            mouse(window, QEvent::MouseButtonPress, button, point, with);
            if (guard)
                mouse(window, QEvent::MouseButtonRelease, button, point, with);
            time_ -= 1300; // the second comes soon
        }
        time_ += 5000;
    }
    void drag()
    {
        QWindow* window = w_.windowHandle();
        const auto at = [this](QWidget* widget) { return widget->mapTo(&w_, somewhere(widget)); };
        QWidget* from = someChild(&w_);
        QWidget* to = chance(50) ? from : someChild(&w_);
        if (chance(40) && w_.station() == Station::Wiring) {
            from = w_.wiring()->needs()->viewport();
            to = w_.wiring()->chip();
        }
        const QPoint start = at(from), end = at(to);
        if (!window || !w_.rect().contains(start))
            return;
        note(QString("drag %1 to %2").arg(from->metaObject()->className(), to->metaObject()->className()));
        mouse(window, QEvent::MouseButtonPress, Qt::LeftButton, start);
        for (int i = 1; i <= 4 && !QApplication::activeModalWidget() && !QApplication::activePopupWidget(); ++i) {
            mouse(window, QEvent::MouseMove, Qt::LeftButton, start + (end - start) * i / 4);
            if (chance(5)) // a hand on the keyboard meanwhile
                key(&w_, someKey());
            if (chance(3) && w_.document().canUndo())
                w_.document().undo();
        }
        mouse(window, QEvent::MouseButtonRelease, Qt::LeftButton, end, chance(85) ? Qt::NoModifier : Qt::ShiftModifier);
    }
    void wheel()
    {
        QWidget* at = someChild(&w_);
        QWindow* window = w_.windowHandle();
        const QPoint point = at->mapTo(&w_, at->rect().center());
        if (!window || !w_.rect().contains(point))
            return;
        note(QString("wheel %1").arg(at->metaObject()->className()));
        QWheelEvent event(point, w_.mapToGlobal(point), {}, {0, chance(50) ? 120 : -120}, Qt::NoButton,
                          chance(70) ? Qt::NoModifier : Qt::ControlModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(at, &event);
    }
    void changeFile()
    {
        const QString path = w_.document().path();
        if (path.isEmpty() || !path.startsWith(folder_))
            return;
        note("file changed");
        if (chance(20)) {
            QFile::remove(path);
            return;
        }
        const QString text = QString::fromStdString(textOf(path.toStdString()));
        std::string other = chance(25) ? "{ not a plan" : text.toStdString();
        if (const size_t at = other.find("\"title\": \""); at != std::string::npos)
            other.insert(at + 10, "X");
        (void)writeFileAtomically(path.toStdString(), other);
    }
    void openAnother()
    {
        note("open another");
        if (!w_.view().pending().settle())
            return;
        static const char* const plans[] = {"sluice-node-c-tangled", "sluice-node-c-start", "sluice-node-c-done",
                                            "rain-post-b-done",      "pump-hall-a-done",    "ditch-meter-d-done"};
        const std::string plan = one(plans);
        const QString path = folder_ + "/" + QString::fromStdString(plan) + QString::number(draw(3)) + ".bindrel";
        if (chance(35)) {
            const std::vector<std::shared_ptr<const Device>> devices = w_.document().library().devices();
            (void)w_.document().newForDevice(devices[draw(unsigned(devices.size()))]->name);
            w_.showStation(Station(1 + draw(kStations - 1)));
            return;
        }
        if (!QFile::exists(path))
            QFile::copy(QString::fromStdString(demoPath(plan)), path);
        w_.openPlan(path);
    }

    void inPopup(QWidget* popup)
    {
        static const Qt::Key keys[] = {Qt::Key_Down,   Qt::Key_Down,  Qt::Key_Up,  Qt::Key_Return,
                                       Qt::Key_Escape, Qt::Key_Right, Qt::Key_Left};
        if (chance(15))
            click(popup, somewhere(popup));
        else
            key(popup, one(keys));
    }
    void inDialog(QWidget* dialog)
    {
        note(QString("in %1").arg(dialog->metaObject()->className()));
        if (auto* files = qobject_cast<QFileDialog*>(dialog)) {
            // Only into the folder that is the monkey's own.
            static const char* const names[] = {"a.bindrel",     "b.bindrel",   "pins.csv",    "pins.xlsx",
                                                "picture.svg",   "picture.png", "picture.pdf", "no-such-file.bindrel",
                                                "ending.nowhere"};
            auto* name = files->findChild<QLineEdit*>("fileNameEdit");
            if (chance(50) || !name || files->fileMode() == QFileDialog::Directory)
                return files->reject();
            name->setText(folder_ + "/" + one(names));
            return key(name, Qt::Key_Return);
        }
        const unsigned what = draw(10);
        if (what < 3) {
            const QList<QAbstractButton*> buttons = dialog->findChildren<QAbstractButton*>();
            QList<QAbstractButton*> seen;
            for (QAbstractButton* button : buttons)
                if (button->isVisible() && button->isEnabled())
                    seen << button;
            if (!seen.isEmpty())
                return click(seen[int(draw(unsigned(seen.size())))], {3, 3});
        }
        if (what < 5)
            return type(words());
        if (what < 6)
            return click(dialog, somewhere(dialog));
        if (what < 7)
            return key(dialog, Qt::Key_Escape);
        key(dialog, someKey());
    }
    void inWindow()
    {
        QWidget* focus = QApplication::focusWidget() ? QApplication::focusWidget() : &w_;
        const unsigned what = draw(1000);
        if (what < 170) {
            const QKeySequence shortcut = one(shortcuts_);
            note("shortcut " + shortcut.toString());
            for (int i = 0; i < shortcut.count(); ++i)
                send(shortcut[uint(i)].key(), shortcut[uint(i)].keyboardModifiers(), {});
        } else if (what < 430) {
            key(focus, someKey(), chance(92) ? Qt::NoModifier : Qt::ShiftModifier);
        } else if (what < 520) {
            type(words());
            if (chance(40))
                key(focus, Qt::Key_Return, chance(85) ? Qt::NoModifier : Qt::ShiftModifier);
        } else if (what < 740) {
            QWidget* child = someChild(&w_);
            click(child, somewhere(child));
        } else if (what < 800) {
            drag();
        } else if (what < 840) {
            wheel();
        } else if (what < 870) {
            note("undo burst");
            for (unsigned i = draw(12); i > 0; --i)
                key(&w_, Qt::Key_Z, Qt::ControlModifier);
            for (unsigned i = draw(8); i > 0; --i)
                key(&w_, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        } else if (what < 920) {
            key(&w_, Qt::Key(int(Qt::Key_1) + int(draw(6))), Qt::ControlModifier);
        } else if (what < 926) {
            w_.resize(1024 + int(draw(896)), 700 + int(draw(380)));
        } else if (what < 932) {
            changeFile();
        } else if (what < 936) {
            openAnother();
        } else if (what < 940) {
            note("close");
            w_.close();
        } else {
            QLineEdit* field = nullptr;
            for (QLineEdit* one : w_.findChildren<QLineEdit*>())
                if (one->isVisible() && one->isEnabled() && !one->isReadOnly() && (!field || chance(40)))
                    field = one;
            if (field) {
                click(field, field->rect().center());
                if (chance(50) && field->hasFocus())
                    key(field, Qt::Key_A, Qt::ControlModifier);
                type(words());
            }
        }
    }

    MainWindow& w_;
    QString folder_;
    std::mt19937 random_;
    QList<QKeySequence> shortcuts_;
    QEventLoop loop_;
    std::string first_;
    int left_ = 0;
    long sent_ = 0;
    long time_ = 1000; ///< of events, in milliseconds
};

} // namespace bindrel::test
