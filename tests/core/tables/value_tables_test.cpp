// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/quantity_names.h"
#include "core/interchange/open_forms.h"
#include "core/makers/chip_table.h"
#include "core/quantity/parse.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

#include <random>

using namespace bindrel;
using namespace bindrel::test;
using Json = nlohmann::ordered_json;

/// Wait states, limits and electrical values as data sheets have them: read exactly, or not at all.
class ValueTablesTest : public QObject {
    Q_OBJECT

    struct Seen {
        Json sections;
        std::string remarks;
        std::string columns;
    };
    static Seen look(const std::string& text, const std::string& columns = {}, const std::string& more = {})
    {
        const Expected<Grid> grid = readGrid(text, "t.csv");
        if (!grid)
            return {{}, grid.problem().text(), {}};
        Expected<Columns> so =
            columns.empty() ? recogniseColumns(*grid, "t.csv") : readColumns(columns, "t.columns", *grid, "t.csv");
        if (so && !more.empty())
            so = readColumns(columnsText(*so, "t.csv") + more, "t.columns", *grid, "t.csv");
        const Expected<ChipTable> table =
            so ? readChipTable(*grid, *so, "t.csv", {}) : Expected<ChipTable>(so.problem());
        if (!table)
            return {{}, table.problem().text(), {}};
        Seen out{table->file.sections.value(), {}, columnsText(*so, "t.csv")};
        for (const Problem& remark : table->file.remarks)
            out.remarks += remark.text() + "\n";
        return out;
    }
    static bool has(const std::string& text, const char* what) { return text.find(what) != std::string::npos; }

private Q_SLOTS:
    void waitStates_data()
    {
        QTest::addColumn<QString>("table");
        QTest::addColumn<QString>("more");
        QTest::newRow("a column a range") << "Wait states,LOW f max (MHz),HIGH f max (MHz)\n0,11,11\n1,,24\n"
                                          << "";
        QTest::newRow("bounds and units in the cells") << "Wait states,LOW,HIGH\n0 WS (1 cycle),\u2264 11 MHz,0 < f "
                                                          "\u2264 11 MHz\n1 WS (2 cycles),-,11 < f \u2264 24 MHz\n"
                                                       << "";
        QTest::newRow("two rows of headings")
            << "Wait states,Frequency (MHz),\n,LOW,HIGH\n0,11,11\n1,\u2013,24(1)\n(1) Only with the buffer on.\n"
            << "";
        QTest::newRow("a row a range") << "Range,0 WS (MHz),1 WS (MHz)\nlow supply,11,\nhigh supply,11,24\n"
                                       << "name \"low supply\" is range LOW\nname \"high supply\" is range HIGH\n";
        QTest::newRow("a row for both, merged")
            << "Range,Wait states,Max frequency,Unit\nLOW,0,11,MHz\nHIGH,0,11,MHz\n,1,24000,kHz\n"
            << "name \"LOW\" is range LOW\nname \"HIGH\" is range HIGH\n";
        QTest::newRow("blanks between columns")
            << "Wait states   LOW (MHz)   HIGH (MHz)\n0             11          11\n1             -           24\n"
            << "";
    }
    void waitStates()
    {
        QFETCH(QString, table);
        QFETCH(QString, more);
        const Seen seen = look(table.toStdString(), {}, more.toStdString());
        QVERIFY2(seen.sections.contains("ranges"), (seen.remarks + seen.columns).c_str());
        std::map<std::string, std::vector<Frequency>> read;
        for (const Json& range : seen.sections["ranges"]["list"])
            for (const Json& limit : range["wait_states"])
                read[range["id"].get<std::string>()].push_back(*parseFrequency(limit.get<std::string>()));
        const Frequency slow = *parseFrequency("11 MHz"), fast = *parseFrequency("24 MHz");
        QVERIFY2((read == std::map<std::string, std::vector<Frequency>>{{"LOW", {slow}}, {"HIGH", {slow, fast}}}),
                 (seen.sections.dump() + seen.remarks + seen.columns).c_str());
    }

    void waitStatesThatAreNotWhole()
    {
        QVERIFY(has(look("Wait states,LOW (MHz)\n0,11\n2,24\n").remarks, "do not go up from 0 one by one"));
        QVERIFY(has(look("Wait states,f max (MHz)\n0,11\n").remarks, "nothing says of which operating range"));
        QVERIFY(has(look("Wait states,LOW (MHz)\nnone,11\n").remarks, "is no number of wait states"));
        const Seen two = look("Wait states,LOW (MHz)\n0,11\n0,12\n");
        QVERIFY(has(two.remarks, "said to allow 11 MHz and 12 MHz") && !two.sections.contains("ranges"));
        QVERIFY(has(look("Wait states,LOW\n0,11\n").remarks, "has no unit"));
        QVERIFY(has(look("Wait states,LOW\n0,11 V\n").remarks, "cannot be that value"));
    }

    void valuesAsDataSheetsHaveThem()
    {
        const std::string table = "Table 12. Operating conditions\n"
                                  "Symbol,Parameter,Conditions,Value,,,Unit\n"
                                  ",,,Min,Typ,Max,\n"
                                  "VDD,Operating voltage,,2.1,\u2013,5.2(1),V\n"
                                  "TA,Ambient temperature,,\u221240,,85,\u00b0C\n"
                                  "fSYS,Frequency of the core,high supply,,,24,MHz\n"
                                  ",,low supply,,,\"11,5\",MHz\n"
                                  "fQ,Crystal,,1,,24,MHz\n"
                                  "tQ,Quartz start-up,,,3,6,ms\n"
                                  "accF,Accuracy,,-2.5,,2,%\n"
                                  "fF,Fast oscillator,,,8,,MHZ\n"
                                  "IIO,\"Output current\nof a pad\",,,,5,mA\n"
                                  ",Output current of a strong pad,,,,12,mA\n"
                                  "tW,Wake-up,,,,40,\u00b5s\n"
                                  "(1) Absolute maximum, see there.\n";
        const Seen seen = look(
            table, {},
            "name \"VDD\" is supply\nname \"TA\" is temperature\nname \"fSYS\" is limit of CPU\n"
            "name \"high supply\" is range HIGH\nname \"low supply\" is range LOW\n"
            "name \"fQ\" is crystal range of QUARTZ\nname \"tQ\" is start-up time of QUARTZ\n"
            "name \"accF\" is tolerance of FAST\nname \"fF\" is rate of FAST\n"
            "name \"IIO\" is drive strength of pads\n"
            "name \"Output current of a strong pad\" is drive strength of pads\nname \"tW\" is wake-up time of DOZE\n");
        QVERIFY2(seen.remarks.empty(), seen.remarks.c_str());
        const Json& v = seen.sections;
        QVERIFY(v["supply"] == Json::array({"2.1 V", "5.2 V"}));
        QVERIFY(v["temperature"] == Json::array({-40, 85}));
        const auto clock = [&](const char* id) {
            for (const Json& one : v["clocks"])
                if (one["id"] == id)
                    return one;
            return Json();
        };
        QVERIFY(
            (clock("CPU")["limits"] == Json{{"HIGH", Json{{"max", "24 MHz"}}}, {"LOW", Json{{"max", "11.5 MHz"}}}}));
        QVERIFY(clock("QUARTZ")["crystal"] == Json::array({"1 MHz", "24 MHz"}));
        QVERIFY(clock("QUARTZ")["startup"] == "6 ms");
        QVERIFY(clock("FAST")["tolerance"] == Json::array({"2.5 %", "2 %"}));
        QVERIFY(clock("FAST")["rate"] == "8 MHz");
        QVERIFY(v["pad_defaults"]["drives"] == Json::array({"5 mA", "12 mA"}));
        QVERIFY(v["modes"][0]["wake_time"] == "40 us");
        // Every value knows its line, and a clock that no file describes is told with it.
        const Expected<Grid> grid = readGrid(table, "t.csv");
        const Expected<Columns> so = readColumns(seen.columns, "c", *grid, "t.csv");
        const Expected<ChipTable> read = readChipTable(*grid, *so, "t.csv", {});
        QCOMPARE(read->file.sections.place("/supply").line, 4);
        for (size_t i = 0; i < v["clocks"].size(); ++i)
            if (v["clocks"][i]["id"] == "QUARTZ")
                QCOMPARE(read->file.sections.place(fmt::format("/clocks/{}/startup", i)).line, 9);
    }

    /// A value that holds under a condition only is not taken for all; nor is one of two.
    void nothingIsGuessed()
    {
        const std::string head = "Symbol,Conditions,Min,Typ,Max,Unit\n";
        const std::string limit = "name \"f\" is limit of CPU\n";
        const Seen under = look(head + "f,V > 3 V,,,24,MHz\n", {}, limit);
        QVERIFY2(has(under.remarks, "t.csv:2:") && has(under.remarks, "V > 3 V") && under.sections.empty(),
                 under.remarks.c_str());
        QVERIFY(!look(head + "f,V > 3 V,,,24,MHz\n", {}, limit + "name \"V > 3 V\" is ignored\n").sections.empty());
        const Seen twice = look(head + "f,,,,24,MHz\nf,,,,11,MHz\nf,,,,24,MHz\n", {}, limit);
        QVERIFY2(has(twice.remarks, "neither is read"), twice.remarks.c_str());
        QVERIFY(!twice.sections["clocks"][0].contains("limit"));
        for (const auto& [row, why] : std::vector<std::pair<const char*, const char*>>{
                 {"f,,,,\"24,000\",kHz", "could be thousands"},
                 {"f,,,,24,", "has no unit"},
                 {"f,,,,24,V", "cannot be that value"},
                 {"f,,,,fast,MHz", "is no number"},
                 {"f,,,24,,MHz", "has no lowest or highest value"},
                 {"f,,,,24.,MHz", "is no number"},
                 {"f,,,,1234567890123456,MHz", "too many digits"},
                 {"g,,,,24,MHz", "\"g\" is not read: nothing says which value it is"},
             }) {
            const Seen seen = look(head + row + "\n", {}, limit);
            QVERIFY2(has(seen.remarks, why), (row + seen.remarks).c_str());
            QVERIFY(seen.sections.dump().find("24") == std::string::npos);
        }
        for (const char* what : {"supply", "temperature", "start-up time of A", "crystal range of A", "rate of A",
                                 "wake-up time of A", "voltage of A"})
            QVERIFY2(has(look(head + "f,,,,,\n", {}, fmt::format("name \"f\" is {}\n", what)).remarks, "value; it is"),
                     what);
        // A word that is nearly one.
        const Seen near = look(head + "f,,,,24,MHz\n", {}, "name \"f\" is limits of CPU\n");
        QVERIFY2(has(near.remarks, "limit"), near.remarks.c_str());
    }

    /// Whatever a row is said to be, and whatever stands in it: a value of that kind, or a remark.
    void anyFactWithAnyCell()
    {
        std::mt19937 random(7);
        const std::vector<std::string> cells{"",      "1",    "-1", "0.5",   "\u00b12",      "1e5", "1/2", "9999999999",
                                             "2.5 V", "3 ms", "40", "-40.5", "\u2264 7 MHz", "x",   "1 %", "12 pF"};
        const std::vector<std::string> units{"", "MHz", "V", "ms", "%", "\u00b0C", "mA", "pF", "furlong"};
        for (int i = 0; i < 4000; ++i) {
            const TableFactSpec& spec = tableFactSpecs()[random() % tableFactSpecs().size()];
            const TableFact fact{spec.what, spec.of == TableFactSpec::Of::Never ? "" : "A"};
            const std::string row =
                fmt::format("q,{},{},{},{}", cells[random() % cells.size()], cells[random() % cells.size()],
                            cells[random() % cells.size()], units[random() % units.size()]);
            const Seen seen =
                look("Symbol,Min,Typ,Max,Unit\n" + row + "\n", {}, fmt::format("name \"q\" is {}\n", textOf(fact)));
            QVERIFY2(!seen.remarks.empty() || !seen.sections.empty(), row.c_str());
            // No key without a value: the reader of devices would stumble there.
            QVERIFY2(seen.sections.dump().find("null") == std::string::npos, seen.sections.dump().c_str());
        }
    }

    void wordsOfFactsAndColumns()
    {
        for (const TableFactSpec& spec : tableFactSpecs()) {
            const TableFact fact{spec.what, spec.of == TableFactSpec::Of::Never ? "" : "X.Y"};
            QVERIFY(tableFactFrom(textOf(fact)) == fact);
        }
        for (int what = 0; what <= int(Column::What::FastestWith); ++what) {
            Column column;
            column.what = Column::What(what);
            column.code = column.what == Column::What::Code || column.what == Column::What::FastestWith ? 3 : -1;
            if (column.what == Column::What::Fastest)
                column.range = "LOW";
            if (column.what == Column::What::Most)
                column.unit = "MHz";
            const std::optional<Column> again = columnFrom(textOf(column));
            QVERIFY2(again && again->what == column.what && again->code == column.code &&
                         again->range == column.range && again->unit == column.unit,
                     textOf(column).c_str());
        }
        QVERIFY(!columnFrom("code") && !columnFrom("fastest clock with") && !columnFrom("nonsense"));
    }

    void thereAndBack_data()
    {
        QTest::addColumn<QString>("chip");
        for (const auto& device : library().devices())
            QTest::newRow(device->name.c_str()) << QString::fromStdString(device->name);
    }
    /// What a chip says of its values, it says again when they are read from its own tables.
    void thereAndBack()
    {
        QFETCH(QString, chip);
        const std::shared_ptr<const Device> device = *library().device(chip.toStdString());
        const Seen waits = look(waitStateTable(*device), waitStateColumns(*device));
        QVERIFY2(waits.remarks.empty(), waits.remarks.c_str());
        for (const OperatingRange& range : device->ranges) {
            std::vector<Frequency> read;
            for (const Json& one : waits.sections["ranges"]["list"])
                if (one["id"] == range.id)
                    for (const Json& limit : one["wait_states"])
                        read.push_back(*parseFrequency(limit.get<std::string>()));
            QVERIFY2(read == range.waitStateLimits, range.id.c_str());
        }
        std::vector<std::string> left;
        const Seen values = look(valueTable(*device, left), valueColumns(*device));
        QVERIFY2(values.remarks.empty(), values.remarks.c_str());
        const auto frequency = [](const Json& object, const char* key) {
            return object.contains(key) ? std::optional(*parseFrequency(object[key].get<std::string>())) : std::nullopt;
        };
        int limits = 0;
        for (const Json& one : values.sections["clocks"]) {
            const ClockNode& clock = device->clocks[device->findClock(one["id"].get<std::string>())];
            if (one.contains("limit")) {
                QVERIFY(frequency(one["limit"], "max") == clock.limit.max);
                QVERIFY(frequency(one["limit"], "min") == clock.limit.min);
                ++limits;
            }
            if (one.contains("startup"))
                QVERIFY(*parseDuration(one["startup"].get<std::string>()) == clock.startup);
            if (one.contains("rate"))
                QVERIFY(*parseFrequency(one["rate"].get<std::string>()) == clock.rate);
            if (one.contains("crystal"))
                QVERIFY(*parseFrequency(one["crystal"][1].get<std::string>()) == clock.crystalMax);
            if (one.contains("tolerance") && one["tolerance"].is_array())
                QVERIFY(-parsePpm(one["tolerance"][0].get<std::string>())->value == clock.tolerance.low.value);
            if (one.contains("limits"))
                for (const auto& [range, limit] : one["limits"].items())
                    QVERIFY(frequency(limit, "max") == clock.limitIn(range).max);
        }
        QVERIFY(limits > 0);
        QVERIFY(*parseVoltage(values.sections["supply"][0].get<std::string>()) == device->supplyMin);
        QVERIFY(values.sections["temperature"][0] == device->temperature.low);
        for (const Json& one : values.sections["modes"]) {
            const auto mode = std::find_if(device->modes.begin(), device->modes.end(),
                                           [&](const LowPowerMode& m) { return m.id == one["id"]; });
            QVERIFY(mode != device->modes.end());
            if (one.contains("wake_time"))
                QVERIFY(*parseDuration(one["wake_time"].get<std::string>()) == mode->wakeTime);
            if (one.contains("draws"))
                QVERIFY(*parseCurrent(one["draws"].get<std::string>()) == mode->draws);
        }
    }

    /// Proposals from the words that such tables have: right, or none.
    void namesAreProposed()
    {
        int right = 0, wrong = 0, open = 0;
        for (const auto& device : library().devices()) {
            const auto judge = [&](const std::string& name, const std::string& about, const TableFact& meant) {
                const FactProposal proposal = proposeFact(*device, name, about);
                if (!proposal.fact)
                    ++open;
                else if (*proposal.fact == meant)
                    ++right;
                else
                    ++wrong, qWarning("%s: %s (%s) is %s, not %s", device->name.c_str(), name.c_str(), about.c_str(),
                                      textOf(*proposal.fact).c_str(), textOf(meant).c_str());
            };
            for (const ClockNode& clock : device->clocks) {
                if (clock.startup.value > Rational(0))
                    judge("t1", clock.name + " start-up time", {TableFact::What::StartUp, clock.id});
                if (clock.type == ClockNode::Type::Divide || clock.type == ClockNode::Type::Select)
                    judge("f1", fmt::format("Frequency of {}", clock.id), {TableFact::What::Limit, clock.id});
                if (clock.type == ClockNode::Type::Oscillator)
                    judge("a1", clock.name + " accuracy over temperature", {TableFact::What::Tolerance, clock.id});
            }
            for (const OperatingRange& range : device->ranges)
                judge(range.id, "", {TableFact::What::Range, range.id});
            for (const LowPowerMode& mode : device->modes)
                judge("t2", "Wake-up time from " + mode.id, {TableFact::What::WakeTime, mode.id});
            judge("VDD", "Supply voltage", {TableFact::What::Supply, {}});
            judge("TA", "Ambient temperature", {TableFact::What::Temperature, {}});
        }
        QVERIFY2(wrong == 0 && right > open * 4, fmt::format("{} {} {}", right, wrong, open).c_str());
    }
};

BINDREL_TEST(ValueTablesTest)
#include "value_tables_test.moc"
