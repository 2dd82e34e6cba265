// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/gates.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

class GatesTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    /// On every family: what a need is served by is clocked, what is clocked has a reason, each instance has one gate.
    void nothingUnusedIsClocked_data()
    {
        QTest::addColumn<QString>("name");
        for (const char* name : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"})
            QTest::newRow(name) << name;
    }
    void nothingUnusedIsClocked()
    {
        QFETCH(QString, name);
        const auto s = run(demo(name.toStdString()));
        std::set<int> seen;
        size_t open = 0, shut = 0;
        for (const Gate& gate : gatesOf(*s->device, s->bindings, s->image)) {
            QVERIFY2(gate.needs.empty() || gate.open, s->device->nameOf(gate.field.ref).c_str());
            QVERIFY2(!gate.idle(), s->device->nameOf(gate.field.ref).c_str());
            for (const int instance : gate.instances)
                QVERIFY(seen.insert(instance).second);
            ++(gate.open ? open : shut);
        }
        QVERIFY(open > 5 && shut > 0);
    }
};

BINDREL_TEST(GatesTest)
#include "gates_test.moc"
