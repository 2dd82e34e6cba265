// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/json/json_document.h"

#include "tests/support/test_program.h"

#include <QtTest>

using namespace bindrel;

class JsonDocumentTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void namesTheLineOfAProblem()
    {
        JsonDocument doc("{\n  // a comment\n  \"a\": 1,\n  \"list\": [1, 2,\n    \"x\"]\n}", "f.json");
        QVERIFY(doc.ok());
        doc.root().child("list").items()[2].asInteger(0, 9);
        QVERIFY(!doc.ok());
        QCOMPARE(QString::fromStdString(doc.problem().text()),
                 "f.json:5:5: /list/2: must be a whole number, but is string.");
    }

    void keepsTheFirstProblem()
    {
        JsonDocument doc("{\"a\": 1}", "f");
        doc.root().child("b");
        doc.root().child("c");
        QVERIFY(doc.problem().message.find("\"b\"") != std::string::npos);
    }

    void suggestsNearKeys()
    {
        JsonDocument doc("{\"fomrat\": 1}", "f");
        doc.root().allowOnly({"format", "name"});
        QVERIFY2(doc.problem().message.find("Did you mean \"format\"?") != std::string::npos,
                 doc.problem().message.c_str());
        QCOMPARE(QString::fromStdString(doc.problem().pointer), "/fomrat");
    }

    void refuses_data()
    {
        QTest::addColumn<QByteArray>("text");
        QTest::addColumn<int>("line");
        QTest::newRow("empty") << QByteArray("") << 1;
        QTest::newRow("truncated") << QByteArray("{\n\"a\": [1, 2") << 2;
        QTest::newRow("duplicate key") << QByteArray("{\n\"a\": 1,\n\"a\": 2}") << 3;
        QTest::newRow("not utf-8") << QByteArray("{\"a\": \"\xff\xfe\"}") << 1;
        QTest::newRow("too deep") << QByteArray(200'000, '[') << 1;
        QTest::newRow("too deep objects") << QByteArray("{\"a\":").repeated(100) << 1;
        QTest::newRow("bare word") << QByteArray("\n\nnonsense") << 3;
        QTest::newRow("lone slash") << QByteArray("{ / }") << 1;
    }
    void refuses()
    {
        QFETCH(QByteArray, text);
        JsonDocument doc(text.toStdString(), "f");
        QVERIFY(!doc.ok());
        QTEST(doc.problem().line, "line");
    }

    void refusesEveryTruncationWithoutCrashing()
    {
        const std::string whole = "{ \"a\": [ {\"b\": \"x\\\"y\"}, 1.5e3, true ], /* c */ \"d\": null }";
        QVERIFY(JsonDocument(whole, "f").ok());
        for (size_t n = 0; n < whole.size(); ++n)
            QVERIFY(!JsonDocument(whole.substr(0, n), "f").ok());
    }

    void readsWordsAndBounds()
    {
        JsonDocument doc("{\"w\": \"0x4000 2000\", \"big\": 18446744073709551615, \"neg\": -1}", "f");
        QCOMPARE(doc.root().child("w").asWord(), 0x40002000u);
        QVERIFY(doc.ok());
        doc.root().child("big").asInteger(0, 10);
        QVERIFY(!doc.ok());
    }

    void ordersNamesNaturally()
    {
        QVERIFY(naturalLess("PA2", "PA10"));
        QVERIFY(!naturalLess("PA10", "PA2"));
        QVERIFY(naturalLess("PA", "PA1"));
        QVERIFY(naturalLess("PA01", "PA1") != naturalLess("PA1", "PA01"));
    }
};

BINDREL_TEST(JsonDocumentTest)
#include "json_document_test.moc"
