// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/options.h"
#include "core/pins/placement.h"
#include "tests/support/fixtures.h"

#include <numeric>

using namespace bindrel;
using namespace bindrel::test;

/// Made-up chips and plans of two sizes (tests/data/placement) whose best answers are known: what can be counted is
/// decided, explanations can spare nobody, and ways that exist are found.
class PlacementCasesTest : public QObject {
    Q_OBJECT

    static LoadedPlan load(const std::string& name)
    {
        const std::string folder = std::string(BINDREL_SOURCE_ROOT) + "/tests/data/placement";
        Expected<LoadedPlan> work = loadPlan(folder + "/" + name + ".bindrel", Library(folder));
        if (!work)
            qFatal("%s", work.problem().text().c_str());
        return *std::move(work);
    }

    static std::vector<NeedIndex> openNeeds(const LoadedPlan& work)
    {
        const Bindings bindings = bind(*work.device, work.plan);
        std::vector<NeedIndex> out;
        for (const NeedIndex n : bindings.needs.indices())
            if (bindings.needs[n].state == BoundNeed::State::Open)
                out.push_back(int(n));
        return out;
    }

    static PlacementResult bindAll(const LoadedPlan& work, const std::vector<NeedIndex>& needs)
    {
        return place(*work.device, *work.board, work.plan, {.needs = needs});
    }
    static PlacementResult untangled(const LoadedPlan& work, std::size_t count, long effort = PlacementRequest().effort)
    {
        return place(*work.device, *work.board, work.plan, {.mayMove = true, .count = count, .effort = effort});
    }

    /// The plan with a way taken has no contention.
    static void isLawful(const LoadedPlan& work, const Placement& way)
    {
        Plan plan = work.plan;
        for (const auto& [need, binding] : way.bindings)
            plan.needs[need].binding = binding;
        QCOMPARE(bind(*work.device, plan).count(BoundNeed::State::Contested), 0);
    }

private Q_SLOTS:
    void impossibleCasesAreDecidedAndExplained_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<int>("culprits");
        QTest::newRow("more signals than pads, small") << "s-pads-apart-1" << 3;
        QTest::newRow("more rates than timers, small") << "s-rates-apart-1" << 4;
        QTest::newRow("more signals than pads") << "m-pads-apart-1" << 4;
        QTest::newRow("more than the chip is wide") << "m-wide-apart-1" << 9;
        QTest::newRow("more rates than timers") << "m-rates-apart-1" << 11;
    }
    void impossibleCasesAreDecidedAndExplained()
    {
        QFETCH(QString, name);
        QFETCH(int, culprits);
        const LoadedPlan work = load(name.toStdString());
        const PlacementResult result = bindAll(work, openNeeds(work));
        QVERIFY(result.ways.empty() && result.proven && result.minimal);
        QCOMPARE(int(result.culprits.size()), culprits);
        // They cannot stand alone, and without any one of them the others can.
        QVERIFY(bindAll(work, result.culprits).ways.empty());
        for (const NeedIndex spared : result.culprits) {
            std::vector<NeedIndex> rest = result.culprits;
            std::erase(rest, spared);
            QVERIFY2(!bindAll(work, rest).ways.empty(), work.plan.needs[spared].id.c_str());
        }
    }

    void waysAreNoMoreScattered_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<int>("sides");
        QTest::newRow("small") << "s-blank-apart-1" << 3;
        QTest::newRow("middle") << "m-blank-apart-1" << 1;
        QTest::newRow("large") << "l-blank-apart-1" << 3;
    }
    void waysAreNoMoreScattered()
    {
        QFETCH(QString, name);
        QFETCH(int, sides);
        const LoadedPlan work = load(name.toStdString());
        const PlacementResult result = bindAll(work, openNeeds(work));
        QCOMPARE(result.ways.size(), size_t(1));
        const Placement& way = result.ways.front();
        isLawful(work, way);
        QCOMPARE(way.cost.sides, sides);
        QVERIFY(way.proof.provenTo(PlacementLevel::Sides, way.cost));
    }

    void theFewestMoveOutOfContention_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<int>("needs");
        QTest::addColumn<int>("signals_");
        QTest::addColumn<int>("sides");
        QTest::newRow("small") << "s-tangled-apart-1" << 3 << 6 << 7;
        QTest::newRow("middle") << "m-tangled-apart-1" << 6 << 17 << 9;
        QTest::newRow("large") << "l-tangled-apart-1" << 41 << 71 << 23;
    }
    void theFewestMoveOutOfContention()
    {
        QFETCH(QString, name);
        QFETCH(int, needs);
        QFETCH(int, signals_);
        QFETCH(int, sides);
        const LoadedPlan work = load(name.toStdString());
        const PlacementResult result = untangled(work, 1, 40'000'000);
        QVERIFY(!result.ways.empty() && result.proven);
        const Placement& way = result.ways.front();
        QCOMPARE(way.cost.moved, needs);
        QCOMPARE(way.cost.pads, signals_);
        QCOMPARE(way.cost.sides, sides);
        QVERIFY(way.proof.provenTo(PlacementLevel::Sides, way.cost));
        isLawful(work, way);
    }

    /// Five hundred pads, two hundred needs: fewer than 41 cannot move, and no more do.
    void aLargeTangleIsCleared()
    {
        const LoadedPlan work = load("l-tangled-apart-1");
        const PlacementResult result = untangled(work, 1);
        QVERIFY(!result.ways.empty());
        QCOMPARE(result.ways.front().cost.moved, 41);
        QVERIFY(result.ways.front().proof.provenTo(PlacementLevel::Moved, result.ways.front().cost));
        isLawful(work, result.ways.front());
    }

    /// Each way that is told on the way is lawful and better than the one before.
    void waysGetBetter()
    {
        const LoadedPlan work = load("m-blank-apart-1");
        PlacementRequest request{.needs = openNeeds(work)};
        std::vector<Placement> told;
        request.improved = [&told](const Placement& way) { told.push_back(way); };
        const PlacementResult result = place(*work.device, *work.board, work.plan, request);
        QVERIFY(told.size() > 3);
        for (size_t i = 0; i < told.size(); ++i) {
            isLawful(work, told[i]);
            QVERIFY(i == 0 || told[i].cost <= told[i - 1].cost);
        }
        QVERIFY(told.back().bindings == result.ways.front().bindings);
        // What is known from below is never above what was found.
        for (const Placement& way : told)
            for (size_t level = 0; level < kPlacementLevels; ++level)
                QVERIFY(!way.proof.least[level] || *way.proof.least[level] <= way.cost.at(PlacementLevel(level)));
    }

    void theSameEachTime()
    {
        const LoadedPlan work = load("m-tangled-apart-1");
        QVERIFY(untangled(work, 2).ways.front().bindings == untangled(work, 2).ways.front().bindings);
    }

    /// Two signals of one need on one pad: it is in its own way, and must move.
    void aNeedCanBeInItsOwnWay()
    {
        const LoadedPlan work = load("b-own-pads");
        const PlacementResult result = untangled(work, 3);
        QVERIFY(!result.ways.empty());
        for (const Placement& way : result.ways) {
            QCOMPARE(way.cost.moved, 1);
            isLawful(work, way);
        }
    }

    /// Where the one that is tried first has no other place, another may: also of a half-bound need, which keeps what
    /// it has no pad for.
    void theOtherMayMove_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QString>("mover");
        QTest::newRow("half-bound") << "c-other-mover"
                                    << "need1";
        QTest::newRow("the half-bound one cannot") << "c2-other-mover"
                                                   << "need3";
    }
    void theOtherMayMove()
    {
        QFETCH(QString, name);
        QFETCH(QString, mover);
        const LoadedPlan work = load(name.toStdString());
        const PlacementResult result = untangled(work, 1);
        QCOMPARE(result.ways.size(), size_t(1));
        QCOMPARE(result.ways.front().bindings.size(), size_t(1));
        COMPARE_TEXT(work.plan.needs[result.ways.front().bindings.front().first].id, mover);
        isLawful(work, result.ways.front());
    }

    void theExplanationNamesNobodyInVain()
    {
        const LoadedPlan work = load("d-not-minimal");
        const PlacementResult result = untangled(work, 1);
        QVERIFY(result.ways.empty() && result.proven && result.minimal);
        std::set<std::string> names;
        for (const NeedIndex need : result.culprits)
            names.insert(work.plan.needs[need].id);
        QVERIFY((names == std::set<std::string>{"need2", "need4", "need5"}));
    }
};

BINDREL_TEST(PlacementCasesTest)
#include "placement_cases_test.moc"
