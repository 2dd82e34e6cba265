// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validator.hpp>

#include <functional>
#include <set>

using namespace bindrel;
using namespace bindrel::test;

/// The published schemas, judged by a general validator, accept what ships and refuse what the readers refuse.
class SchemaTest : public QObject {
    Q_OBJECT

    static nlohmann::json parsed(const std::string& text) { return nlohmann::json::parse(text, nullptr, true, true); }

    static std::string judge(const char* schemaName, const std::string& text)
    {
        const nlohmann::json schemaText =
            parsed(textOf(dataPath(std::string("schema/") + schemaName + ".schema.json")));
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
        int files = 0;
        for (const auto& [kind, folder] :
             std::vector<std::pair<const char*, std::filesystem::path>>{{"device", dataPath("devices")},
                                                                        {"board", dataPath("boards")},
                                                                        {"part", dataPath("parts")},
                                                                        {"plan", BINDREL_EXAMPLES}})
            for (const auto& entry : std::filesystem::recursive_directory_iterator(folder)) {
                // Beside the plans lies the folder of a maker's files.
                if (!entry.is_regular_file() || (std::string(kind) == "plan" && entry.path().extension() != ".bindrel"))
                    continue;
                const std::string verdict = judge(kind, textOf(entry.path()));
                QVERIFY2(verdict.empty(), (entry.path().string() + ": " + verdict).c_str());
                ++files;
            }
        QVERIFY(files > 40);
        const std::string verdict = judge("plan", planText(fullPlan().plan));
        QVERIFY2(verdict.empty(), verdict.c_str());
    }

    void refusesWhatTheReadersRefuse_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::newRow("unknown key") << "\"cpu_clock\""
                                     << "\"cpu_clok\"";
        QTest::newRow("wrong type") << "\"vectors\": 64"
                                    << "\"vectors\": \"many\"";
        QTest::newRow("range") << "\"vectors\": 64"
                               << "\"vectors\": 6400";
        QTest::newRow("access") << "\"access\": \"wo\""
                                << "\"access\": \"w\"";
        QTest::newRow("tier") << "\"tier\": \"source\""
                              << "\"tier\": \"top\"";
        QTest::newRow("format") << "\"format\": 1"
                                << "\"format\": 2";
        QTest::newRow("field") << "\"enable\": \"CLK.OSC.LFXON\""
                               << "\"enable\": \"CLK.LFXON\"";
    }
    void refusesWhatTheReadersRefuse()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        const std::string bad =
            replaced(textOf(dataPath("devices/sedge/sedge.json")), from.toStdString(), to.toStdString());
        QVERIFY(!judge("device", bad).empty());
        QVERIFY(!parseDevice(textOf(dataPath("devices/sedge/se4332-c64.json")), "own", bad, "family").ok());
    }

    /// A key that no chip of ours uses would be one that nobody has tried.
    void everyKeyIsUsed()
    {
        std::set<std::string> known, used;
        const std::function<void(const nlohmann::json&)> declared = [&](const nlohmann::json& node) {
            if (node.is_object())
                for (const auto& [key, value] : node.items()) {
                    if (key == "properties")
                        for (const auto& property : value.items())
                            known.insert(property.key());
                    declared(value);
                }
            else if (node.is_array())
                for (const nlohmann::json& item : node)
                    declared(item);
        };
        declared(parsed(textOf(dataPath("schema/device.schema.json"))));
        const std::function<void(const nlohmann::json&)> written = [&](const nlohmann::json& node) {
            if (node.is_object())
                for (const auto& [key, value] : node.items()) {
                    used.insert(key);
                    written(value);
                }
            else if (node.is_array())
                for (const nlohmann::json& item : node)
                    written(item);
        };
        const std::string root = BINDREL_SOURCE_ROOT;
        for (const std::filesystem::path& folder :
             {std::filesystem::path(dataPath("devices")), std::filesystem::path(root + "/tests/data/library/devices")})
            for (const auto& entry : std::filesystem::recursive_directory_iterator(folder))
                if (entry.path().extension() == ".json")
                    written(parsed(textOf(entry.path())));
        const std::string page = textOf(root + "/docs/a-chip-of-bytes.md");
        for (size_t at = page.find("```json device\n"); at != std::string::npos;
             at = page.find("```json device\n", at + 1)) {
            const size_t begin = at + std::string("```json device\n").size();
            written(parsed("{" + page.substr(begin, page.find("```", begin) - begin) + "}"));
        }
        // Mechanisms that no file has are tried on chips that are changed to have them.
        const std::string tried = textOf(root + "/tests/core/device/mechanisms_test.cpp") +
                                  textOf(root + "/tests/core/device/layers_test.cpp") +
                                  textOf(root + "/docs/your-chip.md"); // done as it says by YourChipTest
        std::string never;
        for (const std::string& key : known)
            if (!used.contains(key) && tried.find("\"" + key + "\"") == std::string::npos)
                never += key + " ";
        QVERIFY2(never.empty(), never.c_str());
        QVERIFY(known.size() > 100);
    }

    void schemasNameEveryKind()
    {
        for (const char* file : {"plan", "part"}) {
            const nlohmann::json schema = parsed(textOf(dataPath(std::string("schema/") + file + ".schema.json")));
            const nlohmann::json& listed = schema["properties"]["needs"]["items"]["properties"]["kind"]["enum"];
            QCOMPARE(listed.size(), kinds().size());
            for (const KindSpec& kind : kinds())
                QVERIFY(std::find(listed.begin(), listed.end(), kind.id) != listed.end());
        }
    }
};

BINDREL_TEST(SchemaTest)
#include "schema_test.moc"
