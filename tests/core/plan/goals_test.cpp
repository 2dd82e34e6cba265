// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"
#include "tests/support/fixtures.h"

#include <stdexcept>
#include <thread>

using namespace bindrel;
using namespace bindrel::test;

/// What a need states as values: by type, by default, anew after a change, the same for all spellings.
class GoalsTest : public QObject {
    Q_OBJECT

    static Need need(const char* kind, Goals goals = {})
    {
        Need out;
        out.id = out.title = kind;
        out.kind = kind;
        out.goals = std::move(goals);
        return out;
    }

private Q_SLOTS:
    void defaultsOfAllKindsHaveValues()
    {
        for (const KindSpec& kind : kinds())
            for (const GoalSpec& goal : kind.goals) {
                const std::string where = kind.id + " " + goal.id;
                const bool none = (goal.orNone && goal.fallback == "none") ||
                                  (goal.type == GoalSpec::Type::Name && goal.fallback.empty());
                QVERIFY2(std::holds_alternative<std::monostate>(goalValue(need(kind.id.c_str()), goal.id)) == none,
                         where.c_str());
                if (goal.type == GoalSpec::Type::Choice)
                    QVERIFY2(goalIs(need(kind.id.c_str()), goal.id, goal.fallback), where.c_str());
            }
    }

    void typesAreKept()
    {
        const Need pwm = need(
            "pwm",
            {{"frequency", "24 kHz"}, {"duty1", "1.5 ms"}, {"duty2", "25 %"}, {"duty3", "1.2 V"}, {"channels", "3"}});
        QVERIFY(goalRate(pwm, "frequency") == Frequency(Rational(24'000)));
        QVERIFY(goalAs<Duration>(pwm, "duty1") == Duration(Rational(3, 2000)) && !goalAs<Ratio>(pwm, "duty1"));
        QVERIFY(goalAs<Ratio>(pwm, "duty2") == Ratio(Rational(1, 4)));
        QVERIFY(goalAs<Voltage>(pwm, "duty3") == Voltage(Rational(6, 5)));
        QCOMPARE(goalNumber(pwm, "channels"), std::int64_t(3));
        // A time that is asked for as a number is none, and so is a goal that the kind does not have.
        QVERIFY(goalNumber(pwm, "duty1") == 0 && goalNumber(pwm, "baud") == 0 && !goalIs(pwm, "line", "RS-485"));
        QVERIFY(!goalAs<Frequency>(need("can"), "data_rate")); // "none"
    }

    void spellingsOfOneValueAreTheSame()
    {
        QVERIFY(goalValue(need("pwm", {{"frequency", "200 Hz"}}), "frequency") ==
                goalValue(need("pwm", {{"frequency", "0.2 kHz"}}), "frequency"));
        QVERIFY(sameText(goalValue(need("pwm", {{"duty1", "1 ms"}}), "duty1")) !=
                sameText(goalValue(need("pwm", {{"duty1", "0.1 %"}}), "duty1")));
    }

    void changesAreSeenAndCopiesStandForThemselves()
    {
        Need one = need("uart", {{"baud", "9600 Bd"}});
        QVERIFY(goalRate(one, "baud").value == Rational(9600));
        Need two = one;
        two.goals.state("baud", "19.2 kBd");
        QVERIFY(goalRate(one, "baud").value == Rational(9600) && goalRate(two, "baud").value == Rational(19'200));
        two.goals.erase("baud");
        QVERIFY(goalRate(two, "baud").value == Rational(115'200));
        const Need moved = std::move(one);
        QVERIFY(goalRate(moved, "baud").value == Rational(9600));
        // Another kind reads its own goals from the same texts.
        two.goals.state("rate", "50 kHz");
        two.kind = "i2c";
        QVERIFY(goalRate(two, "rate").value == Rational(50'000));
    }

    void aWordThatIsNoChoiceIsAMistakeOfTheProgram()
    {
        QVERIFY_THROWS_EXCEPTION(std::logic_error, goalIs(need("uart"), "line", "RS485"));
    }

    void theStructOfAKindIsMadeOnce()
    {
        struct Frame {
            std::int64_t bits = 0;
            static Frame of(const Need& need) { return {goalNumber(need, "control")}; }
        };
        Need one = need("usb", {{"control", "16"}});
        const Frame& read = goalsOf<Frame>(one);
        QCOMPARE(read.bits, std::int64_t(16));
        QVERIFY(&goalsOf<Frame>(one) == &read);
        // A copy shares what was read, until it says something else.
        Need two = one;
        QVERIFY(&goalsOf<Frame>(two) == &read);
        two.goals.state("control", "32");
        QVERIFY(goalsOf<Frame>(two).bits == 32 && read.bits == 16);
        // A second struct for the kind would be made again and again.
        struct Other {
            static Other of(const Need&) { return {}; }
        };
        QVERIFY_THROWS_EXCEPTION(std::bad_cast, goalsOf<Other>(one));
    }

    void severalThreadsMayAskAtOnce()
    {
        struct Line {
            bool own = false;
            static Line of(const Need& need) { return {goalIs(need, "line", "RS-485")}; }
        };
        for (int round = 0; round < 50; ++round) {
            const Need asked = need("uart", {{"baud", "460.8k"}, {"line", "RS-485"}});
            std::vector<std::thread> threads;
            std::atomic<int> right = 0;
            for (int t = 0; t < 4; ++t)
                threads.emplace_back([&] {
                    right += goalsOf<Line>(asked).own && goalRate(asked, "baud").value == Rational(460'800) &&
                             goalIs(asked, "line", "RS-485");
                });
            for (std::thread& thread : threads)
                thread.join();
            QCOMPARE(right.load(), 4);
        }
    }
};

BINDREL_TEST(GoalsTest)
#include "goals_test.moc"
