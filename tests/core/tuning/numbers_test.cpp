// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/one_need.h"
#include "core/tuning/words.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// What a search is told is what a person is told, without the words.
class NumbersTest : public QObject {
    Q_OBJECT

    static std::string differ(const Setting& a, const Setting& b)
    {
        const auto sameRole = [](const RoleValue& x, const RoleValue& y) {
            return x.role == y.role && x.value == y.value && x.goal == y.goal && x.when == y.when && x.back == y.back;
        };
        const auto sameStep = [](const RoleStep& x, const RoleStep& y) {
            return x.kind == y.kind && x.role == y.role && x.value == y.value;
        };
        const auto sameEvent = [](const NeedEvent& x, const NeedEvent& y) {
            return x.event == y.event && x.enable == y.enable && x.flag == y.flag && x.function == y.function &&
                   x.rate == y.rate && x.own == y.own && x.instance == y.instance;
        };
        const auto sameStream = [&](const StreamSetting& x, const StreamSetting& y) {
            return x.channel == y.channel && x.spec.request == y.spec.request && x.most == y.most &&
                   std::ranges::equal(x.roles, y.roles, sameRole);
        };
        const auto sameRow = [](const Achieved& x, const Achieved& y) {
            return x.goal == y.goal && x.title == y.title && x.error == y.error && x.ok == y.ok && x.check == y.check &&
                   x.trouble.empty() == y.trouble.empty();
        };
        return a.computed != b.computed || a.notComputed.empty() != b.notComputed.empty() ? "computed"
               : a.atStart != b.atStart || a.kernel != b.kernel                           ? "frame"
               : !std::ranges::equal(a.achieved, b.achieved, sameRow)                     ? "rows"
               : !std::ranges::equal(a.roles, b.roles, sameRole)                          ? "roles"
               : !std::ranges::equal(a.before, b.before, sameStep) || !std::ranges::equal(a.after, b.after, sameStep)
                   ? "steps"
               : !std::ranges::equal(a.events, b.events, sameEvent)    ? "events"
               : !std::ranges::equal(a.streams, b.streams, sameStream) ? "streams"
                                                                       : "";
    }

private Q_SLOTS:
    void areTheSameWithoutWords_data()
    {
        QTest::addColumn<QString>("name");
        for (const auto& entry :
             std::filesystem::directory_iterator(std::filesystem::path(demoPath("sluice-node-c-done")).parent_path()))
            if (entry.path().extension() == ".bindrel")
                QTest::newRow(entry.path().stem().c_str()) << QString::fromStdString(entry.path().stem().string());
    }
    void areTheSameWithoutWords()
    {
        QFETCH(QString, name);
        const auto s = run(demo(name.toStdString()));
        std::mt19937 random(seeded(11));
        for (int round = 0; round < 40; ++round) {
            // The planned rates, and then any: faster, slower, worse, none.
            Rates rates = s->rates;
            for (ClockState& clock : rates.clocks)
                if (round > 0 && random() % 2 == 0) {
                    clock.rate = Frequency(clock.rate.value *
                                           Rational(1 + std::int64_t(random() % 40), 1 + std::int64_t(random() % 40)));
                    clock.tolerance.high = Ppm(Rational(std::int64_t(random() % 40'000)));
                    clock.running = random() % 10 != 0;
                }
            for (const NeedIndex n : s->plan.needs.indices()) {
                const std::string which = s->plan.needs[n].title + ", round " + std::to_string(round) + ": ";
                const Setting told = tuneNeed(*s->device, s->plan, s->bindings, rates, n),
                              bare = numbersOfNeed(*s->device, s->plan, s->bindings, rates, n);
                const std::string where = differ(told, bare);
                QVERIFY2(where.empty(), (which + where).c_str());
                // Nobody reads a stand-in.
                for (const Achieved& row : told.achieved)
                    for (const std::string& text : {row.wanted, row.achieved, row.formula, row.trouble})
                        QVERIFY2(text.find(kUnsaid) == std::string::npos, (which + text).c_str());
                const Accuracy a = accuracyOfNeed(*s->device, s->plan, s->bindings, rates, n),
                               b = accuracyOfNeed(*s->device, s->plan, s->bindings, rates, n, false);
                QVERIFY2(a.clock == b.clock && a.allowed == b.allowed && a.rate == b.rate && a.given == b.given &&
                             a.stated == b.stated && a.inGoals == b.inGoals && a.trouble.empty() == b.trouble.empty() &&
                             a.ok() == b.ok(),
                         which.c_str());
            }
        }
    }
};

BINDREL_TEST(NumbersTest)
#include "numbers_test.moc"
