// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validator.hpp>

using namespace bindrel;
using namespace bindrel::test;

/// The published schemas, judged by a general validator, accept what ships and refuse what the readers refuse.
class SchemaTest : public QObject {
    Q_OBJECT

    static nlohmann::json parsed(const std::string& text) { return nlohmann::json::parse(text, nullptr, true, true); }

    static std::string judge(const char* schemaName, const std::string& text)
    {
        const nlohmann::json schemaText = parsed(textOf(dataPath(std::string("schema/") + schemaName + ".schema.json")));
        valijson::Schema schema;
        valijson::SchemaParser parser;
        parser.populateSchema(valijson::adapters::NlohmannJsonAdapter(schemaText), schema);
        valijson::Validator validator;
        valijson::ValidationResults results;
        const nlohmann::json document = parsed(text);
        if (validator.validate(schema, valijson::adapters::NlohmannJsonAdapter(document), &results))
            return {};
        std::string out;
        for (valijson::ValidationResults::Error error; results.popError(error);)
            out += error.description + "\n";
        return out.empty() ? "refused" : out;
    }

private Q_SLOTS:
    void acceptsWhatShips()
    {
        COMPARE_TEXT(judge("device", textOf(dataPath("devices/sedge/sedge.json"))), "");
        COMPARE_TEXT(judge("device", textOf(dataPath("devices/sedge/se4332-c64.json"))), "");
        COMPARE_TEXT(judge("board", textOf(dataPath("boards/sluice-node-c.json"))), "");
        for (const char* name : {"start", "done", "tangled"})
            COMPARE_TEXT(judge("plan", textOf(demoPath(std::string("sluice-node-c-") + name))), "");
    }

    void refusesWhatTheReadersRefuse_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::newRow("unknown key") << "\"cpu_clock\"" << "\"cpu_clok\"";
        QTest::newRow("wrong type") << "\"vectors\": 64" << "\"vectors\": \"many\"";
        QTest::newRow("range") << "\"vectors\": 64" << "\"vectors\": 6400";
        QTest::newRow("access") << "\"access\": \"wo\"" << "\"access\": \"w\"";
        QTest::newRow("tier") << "\"tier\": \"source\"" << "\"tier\": \"top\"";
        QTest::newRow("format") << "\"format\": 1" << "\"format\": 2";
        QTest::newRow("field") << "\"enable\": \"CLK.OSC.LFXON\"" << "\"enable\": \"CLK.LFXON\"";
    }
    void refusesWhatTheReadersRefuse()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        const std::string bad = replaced(textOf(dataPath("devices/sedge/sedge.json")), from.toStdString(), to.toStdString());
        QVERIFY(!judge("device", bad).empty());
        QVERIFY(!parseDevice(textOf(dataPath("devices/sedge/se4332-c64.json")), "own", bad, "family").ok());
    }

    void planSchemaNamesEveryKind()
    {
        const nlohmann::json schema = parsed(textOf(dataPath("schema/plan.schema.json")));
        const nlohmann::json& listed = schema["properties"]["needs"]["items"]["properties"]["kind"]["enum"];
        QCOMPARE(listed.size(), kinds().size());
        for (const KindSpec& kind : kinds())
            QVERIFY(std::find(listed.begin(), listed.end(), kind.id) != listed.end());
    }
};

QTEST_APPLESS_MAIN(SchemaTest)
#include "schema_test.moc"
