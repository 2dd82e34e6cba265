// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include "tests/support/test_program.h"

#include <QtTest>

#include <random>

using namespace bindrel;

class ParseFormatTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void readsFrequencies_data()
    {
        QTest::addColumn<QString>("typed");
        QTest::addColumn<qint64>("num");
        QTest::addColumn<qint64>("den");
        QTest::newRow("prefix") << "460.8k" << qint64(460'800) << qint64(1);
        QTest::newRow("unit") << "48 MHz" << qint64(48'000'000) << qint64(1);
        QTest::newRow("baud") << "115.2 kBd" << qint64(115'200) << qint64(1);
        QTest::newRow("fraction") << "1/32k" << qint64(1) << qint64(32'000);
        QTest::newRow("exact fraction") << "320000000/7 Hz" << qint64(320'000'000) << qint64(7);
        QTest::newRow("thin space") << "48\u2009MHz" << qint64(48'000'000) << qint64(1);
        QTest::newRow("bare") << "32768" << qint64(32'768) << qint64(1);
        QTest::newRow("decimals") << "32.768 kHz" << qint64(32'768) << qint64(1);
    }
    void readsFrequencies()
    {
        QFETCH(QString, typed);
        QFETCH(qint64, num);
        QFETCH(qint64, den);
        const Expected<Frequency> f = parseFrequency(typed.toStdString());
        QVERIFY2(f.ok(), f.ok() ? "" : f.problem().message.c_str());
        QCOMPARE(f->value, Rational(num, den));
    }

    void refusesWithAdvice_data()
    {
        QTest::addColumn<QString>("typed");
        for (const char* typed : {"", "MHz", "48,5 MHz", "4 8 x", "48 MHzz", "-3 MHz", "1/0", "99999999999999999999",
                                  "48 MHz \u00b1", "999999999999999999 GHz"})
            QTest::newRow(*typed ? typed : "empty") << typed;
    }
    void refusesWithAdvice()
    {
        QFETCH(QString, typed);
        const Expected<Target<Frequency>> f = parseFrequencyTarget(typed.toStdString());
        QVERIFY(!f.ok());
        QVERIFY2(f.problem().message.size() > 20, f.problem().message.c_str());
    }

    void readsTolerances()
    {
        const auto t = parseFrequencyTarget("48 MHz \u00b10.25 %");
        QVERIFY(t.ok() && t->permitted);
        QCOMPARE(t->permitted->value, Rational(2500));
        QCOMPARE(parseFrequencyTarget("48M +-20ppm")->permitted->value, Rational(20));
        QVERIFY(!parseFrequencyTarget("48M")->permitted);
    }

    void readsOtherQuantities()
    {
        QCOMPARE(parseDuration("650 ns")->value, Rational(13, 20'000'000));
        QCOMPARE(parseDuration("2.5 \u00b5s")->value, Rational(1, 400'000));
        QVERIFY(!parseDuration("650").ok()); // of what?
        QVERIFY(parseDuration("0").ok());
        QCOMPARE(parseVoltage("3V3")->value, Rational(33, 10));
        QCOMPARE(parseVoltage("1.8 V")->value, Rational(9, 5));
        QCOMPARE(parseRatio("40 %")->value, Rational(2, 5));
        QCOMPARE(parseRatio("0.4")->value, Rational(2, 5));
        QVERIFY(!parseRatio("40").ok());
        QCOMPARE(parsePpm("\u00b120 ppm")->value, Rational(20));
    }

    void writesEngineeringNotation_data()
    {
        QTest::addColumn<qint64>("num");
        QTest::addColumn<qint64>("den");
        QTest::addColumn<QString>("text");
        QTest::newRow("MHz") << qint64(48'000'000) << qint64(1) << "48 MHz";
        QTest::newRow("rounded") << qint64(320'000'000) << qint64(7) << "45.7143 MHz";
        QTest::newRow("kHz") << qint64(32'768) << qint64(1) << "32.768 kHz";
        QTest::newRow("small") << qint64(1) << qint64(3) << "333.333 mHz";
        QTest::newRow("zero") << qint64(0) << qint64(1) << "0 Hz";
        QTest::newRow("edge of a decade") << qint64(999'999) << qint64(1) << "999.999 kHz";
    }
    void writesEngineeringNotation()
    {
        QFETCH(qint64, num);
        QFETCH(qint64, den);
        QTEST(QString::fromStdString(format(Frequency(Rational(num, den)))), "text");
    }

    void writesTolerances()
    {
        QCOMPARE(QString::fromStdString(format(Ppm(Rational(-2235)), true)), "-0.224 %");
        QCOMPARE(QString::fromStdString(format(Ppm(Rational(100)), true)), "+100 ppm");
        QCOMPARE(QString::fromStdString(format(Tolerance::symmetric(20))), "\u00b120 ppm");
        QCOMPARE(QString::fromStdString(format(Tolerance{})), "exact");
    }

    void exactTextReadsBackAsTheSameValue()
    {
        std::mt19937_64 random(11);
        for (int i = 0; i < 5000; ++i) {
            const Frequency f(Rational(int64_t(random() % 1'000'000'000) + 1, int64_t(random() % 1000) + 1));
            const std::string text = exactText(f);
            const Expected<Frequency> back = parseFrequency(text);
            QVERIFY2(back.ok() && *back == f, text.c_str());
        }
    }

    void survivesAnything()
    {
        std::mt19937 random(3);
        const std::string alphabet = "0123456789.,kMGHz%ppm\u00b1+-/ sVun\xff\x00";
        for (int i = 0; i < 50'000; ++i) {
            std::string text;
            for (unsigned k = random() % 12; k > 0; --k)
                text += alphabet[random() % alphabet.size()];
            (void)parseFrequencyTarget(text).ok();
            (void)parseDuration(text).ok();
            (void)parseVoltage(text).ok();
            (void)parseRatio(text).ok();
        }
    }
};

BINDREL_TEST(ParseFormatTest)
#include "parse_format_test.moc"
