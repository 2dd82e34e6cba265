// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/rational.h"

#include "tests/support/test_program.h"

#include <QtTest>

#include <cstdint>
#include <random>

using bindrel::Rational;

/// Checked against plain integer cross-multiplication on random values, and at the edges of 64 bits.
class RationalTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void isReducedAndHasPositiveDenominator()
    {
        QCOMPARE(Rational(6, -4), Rational(-3, 2));
        QCOMPARE(Rational(6, -4).den(), 2);
        QCOMPARE(Rational(0, 7).den(), 1);
    }

    void obeysFieldLawsOnRandomValues()
    {
        std::mt19937_64 random(7);
        const auto pick = [&] { return Rational(int64_t(random() % 2'000'001) - 1'000'000, int64_t(random() % 100'000) + 1); };
        for (int i = 0; i < 20'000; ++i) {
            const Rational a = pick(), b = pick();
            // The oracle: cross-multiplied integers, which fit easily at this size.
            const __int128 sum = __int128(a.num()) * b.den() + __int128(b.num()) * a.den();
            QVERIFY(__int128((a + b).num()) * a.den() * b.den() == sum * (a + b).den());
            QVERIFY((a - b) + b == a);
            if (!b.isZero())
                QVERIFY((a / b) * b == a);
            QCOMPARE(a < b, __int128(a.num()) * b.den() < __int128(b.num()) * a.den());
        }
    }

    void roundsLikePeopleDo()
    {
        QCOMPARE(Rational(5, 2).round(), 3);
        QCOMPARE(Rational(-5, 2).round(), -3);
        QCOMPARE(Rational(7, 3).floor(), 2);
        QCOMPARE(Rational(-7, 3).floor(), -3);
        QCOMPARE(Rational(7, 3).ceil(), 3);
        QCOMPARE(Rational(-7, 3).ceil(), -2);
    }

    void overflowIsUndefinedAndStaysSo()
    {
        const Rational huge(INT64_MAX);
        QVERIFY(!(huge * 2).defined());
        QVERIFY((huge * 2 / 2 == huge) == false);
        QVERIFY(!(huge + 1).defined());
        QVERIFY(!(Rational(1) / Rational(0)).defined());
        QVERIFY(!(Rational::undefined() < Rational(1)));
        QVERIFY(!(Rational::undefined() == Rational::undefined()));
        // A product whose reduced form fits is no overflow, however large it is on the way.
        QCOMPARE(huge * Rational(1, INT64_MAX), Rational(1));
    }
};

BINDREL_TEST(RationalTest)
#include "rational_test.moc"
