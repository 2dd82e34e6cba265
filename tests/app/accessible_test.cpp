// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/bits_view.h"
#include "app/tuning/tuning_station.h"
#include "tests/support/window_fixture.h"

#include <QAccessible>
#include <QComboBox>
#include <QLineEdit>
#include <QTableView>

using namespace bindrel;
using namespace bindrel::test;

/// What assistive technology is told: each control by what it is, each painted thing by name.
class AccessibleTest : public WindowFixture {
    Q_OBJECT

    static QStringList childNames(QWidget* widget)
    {
        QStringList out;
        QAccessibleInterface* all = QAccessible::queryAccessibleInterface(widget);
        for (int i = 0; all && i < all->childCount(); ++i)
            if (QAccessibleInterface* child = all->child(i))
                out << child->text(QAccessible::Name);
        return out;
    }

private Q_SLOTS:
    void initTestCase() { prepare(); }
    void init() { openWindow(); }
    void cleanup() { closeWindow(); }

    void everyControlHasAName()
    {
        open("done");
        for (const Station station : {Station::Start, Station::Wiring, Station::Clocks, Station::Tuning,
                                      Station::Source, Station::Rehearsal, Station::Board}) {
            w_->showStation(station);
            w_->view().select({Place::Kind::Need, "uplink", {}});
            QApplication::processEvents();
            for (QWidget* widget : w_->findChildren<QWidget*>()) {
                const bool control = qobject_cast<QAbstractButton*>(widget) || qobject_cast<QLineEdit*>(widget) ||
                                     qobject_cast<QComboBox*>(widget) || qobject_cast<QAbstractItemView*>(widget);
                // Parts of other controls are told by those.
                const bool part = qobject_cast<QComboBox*>(widget->parentWidget()) ||
                                  widget->objectName().startsWith("qt_") || widget->inherits("QHeaderView") ||
                                  widget->inherits("QTableCornerButton") ||
                                  qobject_cast<QLineEdit*>(widget->parentWidget()); // its own clear button
                if (!control || part || !widget->isVisible() || widget->focusPolicy() == Qt::NoFocus)
                    continue;
                QAccessibleInterface* told = QAccessible::queryAccessibleInterface(widget);
                QVERIFY(told);
                const QString name = told->text(QAccessible::Name);
                QVERIFY2(!name.isEmpty(), qPrintable(QString("%1 of %2 in station %3 has no name")
                                                         .arg(widget->metaObject()->className(),
                                                              widget->parentWidget()->metaObject()->className())
                                                         .arg(int(station))));
            }
        }
    }

    void padsAreTold()
    {
        open("done");
        w_->showStation(Station::Wiring);
        QApplication::processEvents();
        const QStringList names = childNames(w_->wiring()->chip());
        QCOMPARE(size_t(names.size()), now().device->package.pins.size());
        const QString tx = QString::fromStdString(padOf("uplink", "tx"));
        const QStringList its = names.filter(QRegularExpression("^" + tx + ","));
        QVERIFY2(its.size() == 1 && its[0].contains("Uplink") && its[0].contains("pin "), qPrintable(its.join("; ")));
        QVERIFY(!names.filter(", free").isEmpty() && !names.filter(", ground").isEmpty());
        QAccessibleInterface* chip = QAccessible::queryAccessibleInterface(w_->wiring()->chip());
        QAccessibleInterface* pad = chip->child(int(names.indexOf(its[0])));
        QVERIFY(pad && pad->actionInterface() && chip->indexOfChild(pad) >= 0);
        QVERIFY(chip->childAt(pad->rect().center().x(), pad->rect().center().y()) == pad);
        pad->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
        QCOMPARE(w_->view().selected().id, tx.toStdString());
    }

    void bitsAreTold()
    {
        open("done");
        w_->showStation(Station::Tuning);
        w_->view().select({Place::Kind::Need, "uplink", {}});
        QApplication::processEvents();
        const QStringList names = childNames(w_->tuning()->findChild<BitsView*>());
        QVERIFY2(names.size() > 5, qPrintable(names.join("; ")));
        QVERIFY(!names.filter(QString::fromStdString(now().plan.need("uplink")->binding.instance) + ".").isEmpty());
        // Of no plan nothing is told, and of another one the other's.
        QVERIFY(w_->document().newForDevice("MS0816-A32"));
        QApplication::processEvents();
        QVERIFY(childNames(w_->tuning()->findChild<BitsView*>()).isEmpty());
    }
};

BINDREL_TEST(AccessibleTest)
#include "accessible_test.moc"
