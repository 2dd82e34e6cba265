// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"
#include "app/clocks/ladder_view.h"
#include "app/frame/goto_field.h"
#include "app/frame/masthead.h"
#include "app/tuning/tuning_station.h"
#include "app/wiring/need_dialog.h"
#include "tests/support/window_fixture.h"

#include <QContextMenuEvent>
#include <QLineEdit>
#include <QMenu>

using namespace bindrel;
using namespace bindrel::test;

/// What can be done is offered where one points, and found by what it is called.
class PlaceMenuTest : public WindowFixture {
    Q_OBJECT

    /// Asks for a menu as the right button (or the menu key) does; gives its entries, and triggers one of them.
    QStringList menuAt(QWidget* at, const QPoint& where, const QString& choose = {}, bool byKey = false)
    {
        QStringList entries;
        QTimer::singleShot(50, this, [&] {
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            if (!menu)
                return;
            QAction* chosen = nullptr;
            for (QAction* action : menu->actions()) {
                if (!action->isSeparator() && action->isEnabled())
                    entries << action->text().remove('&');
                if (!choose.isEmpty() && action->text().remove('&') == choose)
                    chosen = action;
            }
            if (chosen) {
                menu->setActiveAction(chosen);
                QTest::keyClick(menu, Qt::Key_Return);
            } else {
                menu->close();
            }
        });
        if (!byKey) {
            QTest::mousePress(at, Qt::RightButton, {}, where);
            QTest::mouseRelease(at, Qt::RightButton, {}, where);
        }
        QContextMenuEvent event(byKey ? QContextMenuEvent::Keyboard : QContextMenuEvent::Mouse, where,
                                at->mapToGlobal(where));
        QApplication::sendEvent(at, &event);
        QApplication::processEvents();
        return entries;
    }
    QLineEdit* goTo() const { return w_->masthead()->gotoField(); }
    QString firstFound() const
    {
        auto* list = w_->findChild<GotoList*>();
        return list && list->isVisible() && !list->targets.empty()
                   ? QString::fromStdString(list->targets[0].label + " | " + list->targets[0].kind)
                   : QString();
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void aNeedsMenu()
    {
        open("done");
        w_->showStation(Station::Wiring);
        const QStringList entries = menuAt(w_->wiring()->needs()->viewport(), needRow("uplink"), "Hold or release");
        QVERIFY2(entries.contains("Unbind the selected need") && entries.contains("Other instance\u2026") &&
                     entries.contains("Set its goals"),
                 qPrintable(entries.join(", ")));
        QVERIFY(!entries.contains("Bind the selected need")); // it is bound
        QVERIFY(now().plan.held(holdOfNeed("uplink")));
        // The same by the menu key, and from there to its clock.
        w_->wiring()->needs()->setFocus();
        w_->view().select({Place::Kind::Need, "uplink", {}});
        const QStringList byKey = menuAt(w_->wiring()->needs(), {5, 5}, {}, true);
        QVERIFY2(byKey.contains("Hold or release"), qPrintable(byKey.join(", ")));
        (void)menuAt(w_->wiring()->needs()->viewport(), needRow("uplink"), "Set its goals");
        QVERIFY(w_->station() == Station::Tuning);
    }

    void aPadsMenuAddsANeedThere()
    {
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Wiring);
        QApplication::processEvents();
        inDialog([](QWidget* modal) {
            auto* dialog = qobject_cast<NeedDialog*>(modal);
            QVERIFY(dialog);
            QTest::keyClicks(QApplication::focusWidget(), "led");
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Escape); // the completion
            dialog->accept();
        });
        const QStringList entries = menuAt(w_->wiring()->chip(), pin("PA3"), "Add a need here\u2026");
        QVERIFY2(entries.contains("Copy \"PA3\""), qPrintable(entries.join(", ")));
        QCOMPARE(now().plan.needs.size(), size_t(1));
        QCOMPARE(now().plan.needs[0].title, std::string("LED"));
        QCOMPARE(now().plan.needs[0].binding.pads.at("pin"), std::string("PA3"));
        // Where nobody has a part, the pad says whose it is: the picture has room for that.
        QVERIFY(w_->wiring()->chip()->layoutShown().bounds.left() <=
                w_->wiring()->chip()->layoutShown().body.left() - ChipLayout::kLabelLength);
    }

    void aClocksMenuSetsIt()
    {
        open("done");
        w_->showStation(Station::Clocks);
        w_->view().select({Place::Kind::Clock, "CPU", {}});
        QApplication::processEvents();
        auto* ladder = w_->clocks()->findChild<LadderView*>();
        const QPoint at = ladder->rowRect(ladder->currentRow()).center();
        const QStringList entries = menuAt(ladder->viewport(), at, "Hold");
        QVERIFY2(entries.contains("Setting") && entries.contains("Type a setting or a rate"),
                 qPrintable(entries.join(", ")));
        QVERIFY(now().plan.held(holdOfClock("CPU")));
        QVERIFY(menuAt(ladder->viewport(), at).contains("Release"));
    }

    void needsComeFirstAndNothingIsSaid()
    {
        open("done");
        goTo()->setFocus();
        QTest::keyClicks(goTo(), "uar");
        QVERIFY2(firstFound().endsWith("| need"), qPrintable(firstFound()));
        goTo()->clear();
        QTest::keyClicks(goTo(), "bind all");
        QCOMPARE(firstFound(), QString("Bind all open needs | command"));
        goTo()->clear();
        QTest::keyClicks(goTo(), "zzzqqq");
        QVERIFY2(firstFound().startsWith("Nothing"), qPrintable(firstFound()));
        QTest::keyClick(goTo(), Qt::Key_Return); // nothing to go to, no harm
        QTest::keyClick(goTo(), Qt::Key_Escape);
        goTo()->setFocus();
        QTest::keyClicks(goTo(), "uplink.baud=9600");
        QVERIFY2(firstFound().endsWith("| change"), qPrintable(firstFound()));
        QTest::keyClick(goTo(), Qt::Key_Return);
        QCOMPARE(goalText(*now().plan.need("uplink"), "baud"), std::string("9600"));
        w_->document().undo();
        goTo()->setFocus();
        QTest::keyClicks(goTo(), "uplink.baud=oak");
        QVERIFY(!firstFound().endsWith("| change"));
        QTest::keyClick(goTo(), Qt::Key_Return);
        QVERIFY(goalText(*now().plan.need("uplink"), "baud") != "oak");
    }

    void aRegisterShowsItsNeed()
    {
        open("done");
        w_->showStation(Station::Tuning);
        w_->view().select({Place::Kind::Need, now().plan.needs.back().id, {}});
        const std::string dotted = now().plan.need("uplink")->binding.instance + ".CTL";
        w_->view().jump({Place::Kind::Register, dotted, {}});
        QApplication::processEvents();
        QVERIFY(w_->tuning()->findChild<QLabel*>());
        bool titled = false;
        for (const QLabel* label : w_->tuning()->findChildren<QLabel*>())
            titled = titled || label->text().startsWith(QString::fromStdString(now().plan.need("uplink")->title));
        QVERIFY(titled);
    }

    /// A crystal is stated in the field of its clock, on a bare chip.
    void aCrystalIsStated()
    {
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Clocks);
        w_->view().select({Place::Kind::Clock, "HFX", {}});
        w_->inspector()->beginEdit({});
        keys("12 MHz");
        QVERIFY2(w_->inspector()->shownText().contains("tolerance"), qPrintable(w_->inspector()->shownText()));
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Escape);
        w_->inspector()->beginEdit({});
        keys("12 MHz, 20 ppm, load 10 pF");
        QVERIFY(now().board->crystals.contains("HFX"));
        w_->document().undo();
        QVERIFY(!now().board->crystals.contains("HFX"));
    }
};

BINDREL_TEST(PlaceMenuTest)
#include "place_menu_test.moc"
