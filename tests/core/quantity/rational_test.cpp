// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/rational.h"

#include "tests/support/test_program.h"

#include <QtTest>

#include <cmath>
#include <cstdint>
#include <random>

using bindrel::Rational;

/// Checked against plain integer cross-multiplication on random values, and against arithmetic modulo primes where
/// those do not fit.
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
        const auto pick = [&] {
            return Rational(int64_t(random() % 2'000'001) - 1'000'000, int64_t(random() % 100'000) + 1);
        };
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

    /// Wide values against arithmetic modulo primes, which shares nothing with it: what holds modulo several primes of
    /// 61 bits holds.
    void wideValuesAreExact()
    {
        constexpr std::uint64_t primes[] = {2305843009213693951u, 2305843009213693921u, 2305843009213693907u};
        const auto times = [](std::uint64_t a, std::uint64_t b, std::uint64_t p) {
            return std::uint64_t((unsigned __int128)(a)*b % p);
        };
        const auto power = [&](std::uint64_t a, std::uint64_t n, std::uint64_t p) {
            std::uint64_t out = 1;
            for (; n; n >>= 1, a = times(a, a, p))
                if (n & 1)
                    out = times(out, a, p);
            return out;
        };
        // The value of a number's text, "num/den", modulo p.
        const auto residue = [&](const Rational& value, std::uint64_t p) {
            const std::string text = value.text();
            std::uint64_t parts[2] = {0, 0};
            int part = 0;
            bool negative = false;
            for (const char c : text) {
                if (c == '-')
                    negative = true;
                else if (c == '/')
                    ++part;
                else
                    parts[part] = (times(parts[part], 10, p) + std::uint64_t(c - '0')) % p;
            }
            const std::uint64_t out = times(parts[0], power(part ? parts[1] : 1, p - 2, p), p);
            return negative && out ? p - out : out;
        };
        std::mt19937_64 random(11);
        const auto bits = [&](int n) { return std::int64_t(random() >> (64 - n)); };
        int wide = 0;
        for (int i = 0; i < 20'000; ++i) {
            const int size = 8 + int(random() % 50);
            const Rational a(bits(size) - bits(size), bits(size) + 1), b(bits(size) - bits(size) / 2, bits(size) + 1),
                c(bits(20) + 1, bits(20) + 1);
            const Rational product = a * b * c, sum = a + b, quotient = b.isZero() ? a : a / b, minus = sum - b;
            QVERIFY(minus == a);
            wide += product.text().size() > 40;
            for (const std::uint64_t p : primes) {
                const std::uint64_t ra = residue(a, p), rb = residue(b, p);
                if (product.defined())
                    QCOMPARE(residue(product, p), times(times(ra, rb, p), residue(c, p), p));
                QCOMPARE(residue(sum, p), (ra + rb) % p);
                if (!b.isZero())
                    QCOMPARE(times(residue(quotient, p), rb, p), ra);
            }
            // Order is the sign of the difference, and rounding stays within one.
            QCOMPARE(a < b, (a - b) < Rational(0));
            if (product.defined() && product.abs() < Rational(Rational::kLargest) &&
                (product - product.round()).defined()) {
                QVERIFY(Rational(product.floor()) <= product && product < Rational(product.floor()) + 1);
                QVERIFY(Rational(product.ceil()) >= product && product > Rational(product.ceil()) - 1);
                QVERIFY((Rational(product.round()) - product).abs() <= Rational(1, 2));
            }
        }
        QVERIFY(wide > 1000);
    }

    void aSampleTimeFits()
    {
        // 13 ln 2 (10 kOhm + 1 kOhm) 5 pF at a rate of 12 MHz × 4095 / 4096, 20 ppm and a fraction fast.
        const Rational time =
            Rational(693'148, 1'000'000) * 13 * 11'000 * Rational(5'000, INT64_C(1'000'000'000'000'000));
        const Rational rate =
            Rational(12'000'000) * Rational(983'041, 4096 * 27) * (Rational(1) + Rational(20'013, 1'000'000'000));
        const Rational cycles = time * rate;
        QVERIFY(cycles.defined());
        QCOMPARE(cycles.ceil(), std::int64_t(std::ceil(time.toDouble() * rate.toDouble())));
    }

    void whatIsNoNumberStaysSoAndIsNeverRounded()
    {
        const Rational huge(INT64_MAX);
        QCOMPARE(huge * 2 / 2, huge);
        QVERIFY((huge * 2).floor() == Rational::kLargest && (-huge * 2).ceil() == -Rational::kLargest);
        Rational beyond = huge;
        for (int i = 0; i < 3; ++i)
            beyond = beyond * huge;
        QVERIFY(!beyond.defined());
        for (const Rational& none : {beyond, Rational(1) / Rational(0), Rational::undefined() + 1,
                                     Rational::undefined() * 0, Rational(1, 0), huge / Rational(0) - 1}) {
            QVERIFY(!none.defined());
            QVERIFY(!(none < Rational(1)) && !(none > Rational(1)) && !(none == none));
            QVERIFY_EXCEPTION_THROWN(none.floor(), bindrel::UndefinedNumber);
            QVERIFY_EXCEPTION_THROWN(none.round(), bindrel::UndefinedNumber);
            QVERIFY_EXCEPTION_THROWN(none.ceil(), bindrel::UndefinedNumber);
        }
        // A product whose reduced form fits is no overflow, however large it is on the way.
        QCOMPARE(huge * Rational(1, INT64_MAX), Rational(1));
    }
};

BINDREL_TEST(RationalTest)
#include "rational_test.moc"
