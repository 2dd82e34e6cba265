// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/makers_file.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

using namespace bindrel;
using namespace bindrel::test;
using Json = nlohmann::ordered_json;

/// Pins from boundary-scan descriptions, buffer models and tables; facts, line by line.
class PinsAndFactsTest : public QObject {
    Q_OBJECT

    static constexpr const char* kScan = R"(-- a chip with two packages
entity MILL7 is
  generic (PHYSICAL_PIN_MAP : string := "ROUND_QFP");
  port (
    CLOCK_IN, DATA : inout bit;   -- two at once
    LEG : inout bit_vector(0 to 3);
    DOWN : in bit_vector(1 downto 0);
    TESTIN, TESTOUT : in bit;
    VDD : linkage bit_vector(1 to 2);
    GND : linkage bit;
    ODD : linkage bit
  );
  use STD_1149_1_2001.all;
  attribute TAP_SCAN_IN of TESTIN : signal is true;
  constant ROUND_QFP : PIN_MAP_STRING :=
    "CLOCK_IN : 1, DATA:2," &
    "LEG : (3, 4, 5, 6), DOWN: (7,8)," &
    "TESTIN:9, TESTOUT:10, VDD:(11,12), GND:13, ODD:14";
  constant SMALL_BGA : PIN_MAP_STRING := "CLOCK_IN:A1, DATA:A2, LEG:(B1,B2,B3,B4), DOWN:(C1,C2), TESTIN:D1,TESTOUT:D2, VDD:(E1,E2), GND:F1, ODD:F2";
  attribute BOUNDARY_LENGTH of MILL7 : entity is 10;
end MILL7;
)";

    static Json pinsOf(const MakersFile& file) { return file.sections.value()["package"]["pins"]; }
    static std::string refusal(const Expected<MakersFile>& read)
    {
        return read ? std::string() : read.problem().text();
    }
    static bool has(const std::string& text, const char* what) { return text.find(what) != std::string::npos; }

private Q_SLOTS:
    void aBoundaryScanDescription()
    {
        const Expected<MakersFile> file = readBoundaryScan(kScan, "mill.bsd", {});
        QVERIFY2(file.ok(), refusal(file).c_str());
        const Json pins = pinsOf(*file);
        QCOMPARE(pins.size(), size_t(14));
        for (const auto& [number, name] :
             {std::pair{"1", "CLOCK_IN"}, {"3", "LEG0"}, {"6", "LEG3"}, {"7", "DOWN1"}, {"8", "DOWN0"}, {"12", "VDD"}})
            COMPARE_TEXT(pins[number].get<std::string>(), name);
        const Json& package = file->sections.value()["package"];
        COMPARE_TEXT(package["kind"].get<std::string>(), "quad flat");
        QVERIFY(package["supply"] == Json::array({"VDD"}) && package["ground"] == Json::array({"GND"}));
        QVERIFY(package["dedicated"] == Json::array({"ODD", "TESTIN"}));
        QCOMPARE(file->sections.value()["pads"].size(), size_t(9));
        QCOMPARE(file->sections.place("/package/pins/3").line, 17);
        const Expected<MakersFile> small = readBoundaryScan(kScan, "mill.bsd", {"small_bga"});
        QVERIFY(small.ok());
        COMPARE_TEXT(small->sections.value()["package"]["kind"].get<std::string>(), "ball grid");
        COMPARE_TEXT(pinsOf(*small)["B4"].get<std::string>(), "LEG3");
        QVERIFY(has(refusal(readBoundaryScan(kScan, "mill.bsd", {"SMALL_BGB"})), "Did you mean"));
    }

    void brokenScans_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("says");
        QTest::newRow("unknown port") << "DATA:2"
                                      << "DATE:2"
                                      << "is not a port";
        QTest::newRow("too few pins") << "(3, 4, 5, 6)"
                                      << "(3, 4, 5)"
                                      << "has 4 bits";
        QTest::newRow("pin twice") << "DATA:2"
                                   << "DATA:1"
                                   << "two ports";
        QTest::newRow("open quote") << "\"CLOCK_IN : 1"
                                    << "CLOCK_IN : 1"
                                    << "has no end";
        QTest::newRow("no entity") << "entity MILL7"
                                   << "architecture MILL7"
                                   << "no entity";
        QTest::newRow("a strange type") << "DATA : inout bit;"
                                        << "DATA : inout wire;"
                                        << "not a type";
        QTest::newRow("a range that cannot be") << "(0 to 3)"
                                                << "(0 to 99999999)"
                                                << "cannot be";
        QTest::newRow("port twice") << "TESTIN, TESTOUT"
                                    << "DATA, TESTOUT"
                                    << "given twice";
    }
    void brokenScans()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, says);
        QString text(kScan);
        QVERIFY(text.contains(from));
        text.replace(text.indexOf(from), from.size(), to);
        const std::string why = refusal(readBoundaryScan(text.toStdString(), "mill.bsd", {}));
        QVERIFY2(QString::fromStdString(why).contains(says), why.c_str());
    }

    void aBufferModel()
    {
        const char* text =
            "[IBIS Ver] 3.2 | comment\n[Comment Char] !_char\n[Component] MILL7\n[Pin] signal_name model_name R_pin "
            "L_pin C_pin\n"
            "A1 DATA io_buf ! one\nA2 VDDIO POWER\nB1 VSS GND\nB2 NC NC\n[Model] io_buf\nModel_type I/O\n[End]\n";
        const Expected<MakersFile> file = readIbis(text, "mill.ibs");
        QVERIFY2(file.ok(), refusal(file).c_str());
        COMPARE_TEXT(pinsOf(*file)["A1"].get<std::string>(), "DATA");
        QVERIFY(file->sections.value()["package"]["ground"] == Json::array({"VSS"}));
        QCOMPARE(file->sections.place("/package/pins/B1").line, 7);
        QVERIFY(has(refusal(readIbis("[IBIS Ver] 3.2\n[Component] X\n", "x.ibs")), "no [Pin] list"));
        QVERIFY(has(refusal(readIbis("[Pin] signal_name model_name\nA1 X\n", "x.ibs")), "a signal and a model"));
    }

    void aTableOfPins()
    {
        for (const char separator : {',', ';', '\t'}) {
            std::string text = "Name,Type,Pin\r\nPA0,pad,1\r\nVDD,,2\r\nVSS,,3\r\nRESET,dedicated,4\r\n\"PA1\",,5\r\n";
            std::replace(text.begin(), text.end(), ',', separator);
            const Expected<MakersFile> file = readPinTable(text, "pins.csv");
            QVERIFY2(file.ok(), refusal(file).c_str());
            COMPARE_TEXT(pinsOf(*file)["5"].get<std::string>(), "PA1");
            QCOMPARE(file->sections.value()["pads"].size(), size_t(2));
            QVERIFY(file->sections.value()["package"]["dedicated"] == Json::array({"RESET"}));
        }
        QVERIFY(has(refusal(readPinTable("a,b\n1,2\n", "pins.csv")), "heading"));
        QVERIFY(has(refusal(readPinTable("pin,pad\n1,\n", "pins.csv")), "no data below"));
        const Expected<MakersFile> some = readPinTable("pin,pad\n1,\n2,PA0\n", "pins.csv");
        QVERIFY(some && some->remarks.size() == 1 && some->remarks[0].line == 2 &&
                has(some->remarks[0].message, "no name"));
        QVERIFY(has(refusal(readPinTable("pin,pad\n1,A\n1,B\n", "pins.csv")), "listed twice"));
    }

    void linesOfFacts()
    {
        const Expected<MakersFile> file = readFacts(
            "# a mill\nname MILL7\nsupply 1.9 V to 3.5 V\n"
            "clock RUN \"Fast ring\": source oscillator 21 MHz, tolerance 3 %, on POWER.RING.GO, starts in 9 us\n"
            "clock STEP \"Step: one\": system divide RUN by 1, 2, \n      7, 2.5, set by POWER.RING.BY, code in "
            "order,\n"
            "  from 1 MHz to 22 MHz because \"it hums, loudly\"\n"
            "clock PICK: kernel select RUN = 0, STEP = 3, set by POWER.PICK.IT, with draws_per_mhz \"3 uA\"\n"
            "instance SAY1: kind uart, at 0x6100 0000, bus STEP, clock PICK, signals TX out, RX in, interrupts event "
            "7\n"
            "pad LEG0: carries 1 = SAY1.TX, 2 = SAY1.RX, fixed SAY1.CTS\n"
            "role say baud = RATE.BY: code minus one\nability say oversampling = 16, 8\nkind say = uart\n"
            "memory flash at 0x0000 4000, 96 KiB\nset /package/kind \"no-lead\"\n"
            "correct /blocks/say/registers/RATE/offset: was \"0x8\", is \"0x4\", because \"erratum, third\"\n",
            "mill.facts");
        QVERIFY2(file.ok(), refusal(file).c_str());
        const Json& v = file->sections.value();
        COMPARE_TEXT(v["clocks"][1]["name"].get<std::string>(), "Step: one");
        QVERIFY(v["clocks"][1]["factors"] == Json::array({1, 2, 7, "2.5"}));
        COMPARE_TEXT(v["clocks"][1]["limit"]["because"].get<std::string>(), "it hums, loudly");
        QCOMPARE(v["clocks"][2]["inputs"]["STEP"].get<int>(), 3);
        COMPARE_TEXT(v["clocks"][2]["draws_per_mhz"].get<std::string>(), "3 uA");
        COMPARE_TEXT(v["instances"]["SAY1"]["signals"]["RX"].get<std::string>(), "in");
        COMPARE_TEXT(v["pads"]["LEG0"]["routes"]["2"].get<std::string>(), "SAY1.RX");
        COMPARE_TEXT(v["blocks"]["say"]["roles"]["baud"]["encoding"].get<std::string>(), "minus one");
        QVERIFY(v["blocks"]["say"]["abilities"]["oversampling"] == Json::array({16, 8}));
        QCOMPARE(v["memory"]["flash"][1].get<int>(), 98304);
        COMPARE_TEXT(v["patches"][0]["because"].get<std::string>(), "erratum, third");
        QCOMPARE(file->sections.place("/clocks/1").line, 5);
    }

    void factsThatAreNone_data()
    {
        QTest::addColumn<QString>("line");
        QTest::addColumn<QString>("says");
        QTest::newRow("no such fact") << "clok A: source oscillator 1 MHz"
                                      << "Did you mean";
        QTest::newRow("no such type") << "clock A: source oscilator 1 MHz"
                                      << "Did you mean";
        QTest::newRow("no such clause") << "instance A: buss X"
                                        << "Did you mean";
        QTest::newRow("no range") << "clock A: source crystal 4 MHz"
                                  << "4 MHz to 40 MHz";
        QTest::newRow("no code") << "clock A: system select B"
                                 << "NAME = CODE";
        QTest::newRow("two rates") << "clock A: source oscillator 1 MHz, 2 MHz"
                                   << "with rates";
        QTest::newRow("no JSON") << "set /a {"
                                 << "not a value in JSON";
        QTest::newRow("no pointer") << "set a 1"
                                    << "/POINTER";
        QTest::newRow("no reason") << "correct /a: is 1"
                                   << "because of what";
        QTest::newRow("no number") << "ability a b = x"
                                   << "not a whole number";
        QTest::newRow("no role") << "role a = X.Y"
                                 << "role BLOCK ROLE";
    }
    void factsThatAreNone()
    {
        QFETCH(QString, line);
        QFETCH(QString, says);
        const Expected<MakersFile> file = readFacts("# above\n" + line.toStdString() + "\n", "mill.facts");
        QVERIFY(!file.ok());
        QVERIFY2(QString::fromStdString(file.problem().message).contains(says), file.problem().message.c_str());
        QCOMPARE(file.problem().line, 2);
    }
};

BINDREL_TEST(PinsAndFactsTest)
#include "pins_and_facts_test.moc"
