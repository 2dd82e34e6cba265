// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"
#include "app/clocks/ladder_view.h"
#include "app/frame/findings_drawer.h"
#include "app/frame/goto_field.h"
#include "app/frame/masthead.h"
#include "app/tuning/tuning_station.h"
#include "app/wiring/need_dialog.h"
#include "core/plan/plan_file.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
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

    /// A netlist of the open plan's chip: what each pin's net joins, with %1 for the pin.
    QString netlistOf(const char* nodes) const
    {
        QString nets;
        for (const PackagePin& pin : now().device->package.pins)
            nets += QString("(net (name \"/%1\") %2)\n")
                        .arg(pin.pad < 0 ? QString("POWER") : "N_" + QString::fromStdString(pin.name),
                             QString(nodes).arg(QString::fromStdString(pin.number)));
        const QString path = dir_->filePath("board.net");
        QFile file(path);
        if (!file.open(QIODevice::WriteOnly))
            qFatal("no file");
        file.write(("(export (nets\n" + nets + "))").toUtf8());
        return path;
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
        // The team's own driver: its files are not written, and undo brings them back.
        const auto isWritten = [this] { return now().source().find("sluice_uplink.c") != nullptr; };
        QVERIFY(isWritten());
        (void)menuAt(w_->wiring()->needs()->viewport(), needRow("uplink"), "Driven by your own code");
        QVERIFY(now().plan.need("uplink")->leftOut && !isWritten());
        shortcut(QKeySequence("Ctrl+Z"));
        QVERIFY(isWritten());
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
            dialog->accept();
        });
        const QStringList entries = menuAt(w_->wiring()->chip(), pin("PA3"), "Add a need here\u2026");
        QVERIFY2(entries.contains("Copy \"PA3\""), qPrintable(entries.join(", ")));
        QCOMPARE(now().plan.needs.size(), size_t(1));
        QCOMPARE(now().plan.needs.front().title, std::string("LED"));
        QCOMPARE(now().plan.needs.front().binding.pads.at("pin"), std::string("PA3"));
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

    void aFindingsMenu()
    {
        open("tangled");
        w_->findings()->setOpen(true);
        QApplication::processEvents();
        auto* list = w_->findings()->list();
        list->setCurrentRow(0);
        const QStringList entries = menuAt(list->viewport(), list->rowRect(0).center());
        QVERIFY2(entries.contains("Go to it") && entries.contains("Fix the finding\u2026"),
                 qPrintable(entries.join(", ")));
    }

    /// A netlist is shown as what it changes, and taken as one step.
    void aNetlistIsTaken()
    {
        open("done");
        const QString path = netlistOf("(node (ref U4) (pin %1)) (node (ref J1) (pin A%1))");
        const Plan before = now().plan;
        for (const bool take : {false, true}) {
            inDialog([take](QWidget* modal) {
                auto* dialog = qobject_cast<QDialog*>(modal);
                QVERIFY(dialog);
                take ? dialog->accept() : dialog->reject();
            });
            w_->wiring()->takeNetsFrom(path);
            QVERIFY2((now().plan == before) == !take, qPrintable(w_->message()));
        }
        QCOMPARE(now().board->nets.find("PA2")->second, std::string("N_PA2"));
        w_->document().undo();
        QVERIFY(now().plan == before);
    }

    /// Two parts with the pins of the chip: the window asks which one it is.
    void theChipOfANetlistIsAsked()
    {
        open("done");
        const QString path = netlistOf("(node (ref J1) (pin %1)) (node (ref U4) (pin %1))");
        QStringList offered;
        inDialog([&offered, this](QWidget* asked) {
            for (const QComboBox* box : asked->findChildren<QComboBox*>())
                for (int i = 0; i < box->count(); ++i)
                    offered << box->itemText(i);
            inDialog([](QWidget* shown) { qobject_cast<QDialog*>(shown)->accept(); });
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Down);
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
        });
        w_->wiring()->takeNetsFrom(path);
        QCOMPARE(offered, QStringList({"J1", "U4"}));
        QVERIFY2(now().board->nets.find("PA2")->second == "N_PA2", qPrintable(w_->message()));
        const Plan taken = now().plan;
        inDialog([](QWidget* asked) { qobject_cast<QDialog*>(asked)->reject(); });
        w_->wiring()->takeNetsFrom(path);
        QVERIFY(now().plan == taken);
    }

    /// From a bare chip by keys alone, in both themes: a need in one line with its pads, and an Enter forgotten.
    void byKeysAlone_data()
    {
        QTest::addColumn<bool>("dark");
        QTest::newRow("light") << false;
        QTest::newRow("dark") << true;
    }
    void byKeysAlone()
    {
        QFETCH(bool, dark);
        w_->setDark(dark);
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Wiring);
        inDialog([](QWidget*) {
            QTest::keyClicks(QApplication::focusWidget(), "uart 115,200 on PD0/PD1 called Uplink");
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
        });
        shortcut(QKeySequence("Ctrl+Shift+A"));
        QVERIFY2(now().plan.needs.size() == 1, qPrintable(w_->message()));
        QCOMPARE(now().bindings.count(BoundNeed::State::Bound), 1);
        // What is typed of a crystal is taken when the person goes elsewhere.
        shortcut(QKeySequence("Ctrl+3"));
        w_->view().select({Place::Kind::Clock, "HFX", {}});
        w_->inspector()->beginEdit({});
        QTest::keyClicks(QApplication::focusWidget(), "12 MHz, 20 ppm");
        shortcut(QKeySequence("Ctrl+4"));
        QVERIFY(w_->station() == Station::Tuning && now().plan.crystals.contains("HFX"));
        // What is not whole is refused where it stands, and gone with Esc.
        shortcut(QKeySequence("Ctrl+3"));
        w_->view().select({Place::Kind::Clock, "LFX", {}});
        w_->inspector()->beginEdit({});
        QTest::keyClicks(QApplication::focusWidget(), "32.768 kHz, soon");
        shortcut(QKeySequence("Ctrl+4"));
        QVERIFY(w_->station() == Station::Clocks && w_->message().contains("soon"));
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Escape);
        shortcut(QKeySequence("Ctrl+4"));
        QVERIFY(w_->station() == Station::Tuning && !now().plan.crystals.contains("LFX"));
        // A signal is held and its goal changed: the plan that is saved opens again.
        w_->document().apply(
            Edit{"x", {SetGoal{"uplink", "flow", "RTS/CTS"}, SetHold{holdOfSignal("uplink", "rts"), true}}});
        w_->document().apply(editOf("y", SetGoal{"uplink", "flow", "none"}));
        const Expected<LoadedPlan> read = parsePlan(planText(now().plan), "saved.bindrel", w_->document().library());
        QVERIFY2(read, read ? "" : read.problem().text().c_str());
        w_->document().undo();
        QVERIFY(now().plan.held(holdOfSignal("uplink", "rts")));
        w_->setDark(false);
    }

    /// A crystal is stated in the field of its clock, on a bare chip.
    void aCrystalIsStated()
    {
        QVERIFY(w_->document().newForDevice("SE4332-C64"));
        w_->showStation(Station::Clocks);
        w_->view().select({Place::Kind::Clock, "HFX", {}});
        w_->inspector()->beginEdit({});
        keys("12 MHz, soon");
        QVERIFY2(w_->inspector()->shownText().contains("soon"), qPrintable(w_->inspector()->shownText()));
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
