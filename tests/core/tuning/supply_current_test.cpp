// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/modes.h"
#include "core/tuning/supply_current.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

/// Supply currents against sums worked out from the pages of a family by hand.
class SupplyCurrentTest : public QObject {
    Q_OBJECT

    using What = SupplyCurrent::Row::What;

    static SupplyCurrent of(const Snapshot& s) { return supplyCurrent(*s.device, s.plan, s.bindings, s.rates, s.pads); }
    static double microamps(const SupplyCurrent& current, What what, int index)
    {
        for (const SupplyCurrent::Row& row : current.rows)
            if (row.what == what && row.index == index)
                return row.current.value.toDouble() * 1e6;
        return 0;
    }
    static bool near(double a, double b) { return std::abs(a - b) <= 1e-6 * std::max(1.0, std::abs(b)); }

private Q_SLOTS:
    void coresClocksAndInstances()
    {
        const auto s = run(demo());
        const SupplyCurrent current = of(*s);
        QVERIFY(near(microamps(current, What::Core, 0), 150 * 105));
        QVERIFY(near(microamps(current, What::Clock, s->device->findClock("PLLA.VCO")), 310 + 300 * 2.1));
        // Fourteen registers of the timer for power stages, 0.13 uA/MHz each.
        QVERIFY(near(microamps(current, What::Instance, s->device->findInstance("DRIVE1")), 150 * 1.82));
        double sum = 0;
        for (size_t i = 0; i < current.rows.size(); ++i) {
            sum += current.rows[i].current.value.toDouble();
            QVERIFY(i == 0 || !(current.rows[i - 1].current < current.rows[i].current));
            QVERIFY(!current.rows[i].formula.empty());
        }
        QVERIFY(near(sum * 1e6, current.total.value.toDouble() * 1e6));
        // Nothing is taken by an instance that no need has.
        QCOMPARE(microamps(current, What::Instance, s->device->findInstance("SPI2")), 0.0);
    }

    void aLowerVoltageAndAnotherRegulator()
    {
        const auto s = run(demo("rain-post-b-done"));
        QVERIFY(near(microamps(of(*s), What::Core, 0), 4 * 38 * 0.64));
        const auto pump = run(with(demo("pump-hall-a-done"), SetText{SetText::What::Regulator, "LINEAR"}));
        const auto coil = run(with(demo("pump-hall-a-done"), SetText{SetText::What::Regulator, "COIL"}));
        QVERIFY(near(microamps(of(*pump), What::Core, 0), 280 * 161));
        QVERIFY(near(microamps(of(*coil), What::Core, 0), 280 * 161 * 0.49));
        // What does not move with a clock comes from the supply itself.
        const int vco = pump->device->findClock("P.VCO");
        QVERIFY(near(microamps(of(*coil), What::Clock, vco), 280 + 560 * 1.4 * 0.49));
    }

    void padsAtTheirLoad()
    {
        // 13 pF, charged to the supply of 3.3 V once a cycle.
        const auto s = run(demo());
        const SupplyCurrent current = of(*s);
        int pads = 0;
        for (const PadSetup& setup : s->pads)
            if (!setup.toggles.value.isZero()) {
                QVERIFY(near(microamps(current, What::Pad, setup.pad),
                             13e-12 * s->rates.supply.value.toDouble() * setup.toggles.toDouble() * 1e6));
                ++pads;
            }
        QVERIFY(pads > 5);
    }

    void modesHaveTheirOwn()
    {
        const auto s = run(demo());
        const ModeState stop = modeState(*s->device, s->plan, s->bindings, s->rates, s->device->modes.back());
        double sum = 1.3; // of the whole chip
        for (const ClockIndex i : s->device->clocks.indices())
            if (stop.alive[i])
                sum += s->device->clocks[i].draws.value.toDouble() * 1e6 +
                       s->device->clocks[i].drawsPerMegahertz.value.toDouble() * s->rates.clocks[i].rate.toDouble();
        QVERIFY(near(stop.current.value.toDouble() * 1e6, sum));
    }
};

BINDREL_TEST(SupplyCurrentTest)
#include "supply_current_test.moc"
