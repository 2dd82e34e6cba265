// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/makers_file.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

using namespace bindrel;
using namespace bindrel::test;
using Json = nlohmann::ordered_json;

/// Clauses of the register description (CMSIS-SVD 1.3), one by one: what each gives, and where what cannot be said is
/// told.
class RegisterDescriptionTest : public QObject {
    Q_OBJECT

    static std::string device(const std::string& peripherals,
                              const std::string& head = "<width>32</width><size>32</size>")
    {
        return "<?xml version=\"1.0\"?>\n<device>\n" + head + "\n<peripherals>\n" + peripherals +
               "\n</peripherals></device>\n";
    }
    /// One peripheral with these registers.
    static std::string one(const std::string& registers, const std::string& more = "")
    {
        return device("<peripheral><name>QUAY</name><baseAddress>0x70000000</baseAddress>" + more + "<registers>" +
                      registers + "</registers></peripheral>");
    }
    static MakersFile read(const std::string& text)
    {
        Expected<MakersFile> out = readRegisterDescription(text, "chip.svd");
        if (!out)
            qFatal("%s", out.problem().text().c_str());
        return *std::move(out);
    }
    static std::string refusal(const std::string& text)
    {
        const Expected<MakersFile> out = readRegisterDescription(text, "chip.svd");
        return out ? std::string() : out.problem().text();
    }
    static bool remarks(const MakersFile& file, const char* what)
    {
        return std::any_of(file.remarks.begin(), file.remarks.end(), [what](const Problem& p) {
            return p.message.find(what) != std::string::npos && p.line > 0;
        });
    }
    static Json registersOf(const MakersFile& file) { return file.sections.value()["blocks"]["quay"]["registers"]; }

private Q_SLOTS:
    void numbers_data()
    {
        QTest::addColumn<QString>("written");
        QTest::addColumn<QString>("offset");
        for (const auto& [written, offset] : {std::pair{"16", "0x10"},
                                              {"0x10", "0x10"},
                                              {"0X1c", "0x1C"},
                                              {"#10000", "0x10"},
                                              {"0b10000", "0x10"},
                                              {"+16", "0x10"},
                                              {"1k", "0x400"},
                                              {"0x1K", "0x400"}})
            QTest::newRow(written) << written << offset;
    }
    void numbers()
    {
        QFETCH(QString, written);
        QFETCH(QString, offset);
        const MakersFile file = read(
            one("<register><name>A</name><addressOffset>" + written.toStdString() + "</addressOffset></register>"));
        COMPARE_TEXT(registersOf(file)["A"]["offset"].get<std::string>(), offset);
    }

    void bitsInThreeForms()
    {
        const MakersFile file = read(one("<register><name>A</name><addressOffset>0</addressOffset><fields>"
                                         "<field><name>P</name><bitRange>[7:4]</bitRange></field>"
                                         "<field><name>Q</name><lsb>9</lsb><msb>9</msb></field>"
                                         "<field><name>R</name><bitOffset>12</bitOffset><bitWidth>3</bitWidth></field>"
                                         "<field><name>S</name><bitOffset>20</bitOffset></field></fields></register>"));
        const Json fields = registersOf(file)["A"]["fields"];
        COMPARE_TEXT(fields["P"].get<std::string>(), "7:4");
        COMPARE_TEXT(fields["Q"].get<std::string>(), "9");
        COMPARE_TEXT(fields["R"].get<std::string>(), "14:12");
        COMPARE_TEXT(fields["S"].get<std::string>(), "20");
    }

    void accessAndSideEffects()
    {
        std::string fields;
        int bit = 0;
        const std::vector<std::tuple<const char*, const char*, const char*>> rows{
            {"RO", "<access>read-only</access>", "ro"},
            {"WO", "<access>write-only</access>", "wo"},
            {"ONCE", "<access>read-writeOnce</access>", "once"},
            {"WONCE", "<access>writeOnce</access>", "once"},
            {"C1", "<modifiedWriteValues>oneToClear</modifiedWriteValues>", "w1c"},
            {"S1", "<modifiedWriteValues>oneToSet</modifiedWriteValues>", "w1s"},
            {"T1", "<modifiedWriteValues>oneToToggle</modifiedWriteValues>", "w1t"},
            {"C0", "<modifiedWriteValues>zeroToClear</modifiedWriteValues>", "w0c"},
            {"RC", "<access>read-only</access><readAction>clear</readAction>", "rc"}};
        for (const auto& [name, clause, access] : rows)
            fields += fmt::format("<field><name>{}</name><bitOffset>{}</bitOffset>{}</field>", name, bit++, clause);
        const MakersFile file = read(
            one("<register><name>A</name><addressOffset>0</addressOffset><fields>" + fields + "</fields></register>"));
        for (const auto& [name, clause, access] : rows)
            COMPARE_TEXT(registersOf(file)["A"]["fields"][name]["access"].get<std::string>(), access);
        // From the register, where the field says nothing.
        const MakersFile above = read(one(
            "<register><name>A</name><addressOffset>0</addressOffset><access>read-only</access><fields>"
            "<field><name>X</name><bitOffset>0</bitOffset></field>"
            "<field><name>Y</name><bitOffset>1</bitOffset><access>read-write</access></field></fields></register>"));
        COMPARE_TEXT(registersOf(above)["A"]["fields"]["X"]["access"].get<std::string>(), "ro");
        COMPARE_TEXT(registersOf(above)["A"]["fields"]["Y"].get<std::string>(), "1");
        // What has no word is said.
        const MakersFile rare =
            read(one("<register><name>A</name><addressOffset>0</addressOffset><fields><field><name>X</"
                     "name><bitOffset>0</bitOffset>"
                     "<modifiedWriteValues>zeroToSet</modifiedWriteValues></field></fields></register>"));
        QVERIFY(registersOf(rare)["A"]["fields"]["X"]["about"].get<std::string>().find("zero sets") !=
                std::string::npos);
    }

    void inheritedProperties()
    {
        const MakersFile file = read(device("<peripheral><name>QUAY</name><baseAddress>0x70000000</"
                                            "baseAddress><size>16</size><resetValue>0x55</resetValue><registers>"
                                            "<register><name>A</name><addressOffset>0</addressOffset></register>"
                                            "<register><name>B</name><addressOffset>2</addressOffset><size>8</"
                                            "size><resetMask>0x0F</resetMask></register>"
                                            "<cluster><name>NEST</name><addressOffset>8</addressOffset><size>32</"
                                            "size><register><name>C</name><addressOffset>4</addressOffset>"
                                            "</register></cluster></registers></peripheral>",
                                            "<width>32</width><size>32</size><access>read-write</"
                                            "access><resetValue>0xAA</resetValue><resetMask>0xFF</resetMask>"));
        const Json registers = registersOf(file);
        QCOMPARE(registers["A"]["width"].get<int>(), 16);
        COMPARE_TEXT(registers["A"]["reset"].get<std::string>(), "0x55");
        QCOMPARE(registers["B"]["width"].get<int>(), 8);
        COMPARE_TEXT(registers["B"]["reset"].get<std::string>(), "0x5");
        COMPARE_TEXT(registers["NEST_C"]["offset"].get<std::string>(), "0xC");
        QVERIFY(!registers["NEST_C"].contains("width"));
    }

    void arraysListsAndClusters()
    {
        const MakersFile file =
            read(one("<register><dim>4</dim><dimIncrement>8</dimIncrement><name>LANE[%s]</name><addressOffset>0</"
                     "addressOffset></register>"
                     "<register><dim>3</dim><dimIncrement>4</dimIncrement><dimIndex>2-4</dimIndex><name>STEP%sX</"
                     "name><addressOffset>0x40</addressOffset></register>"
                     "<register><dim>2</dim><dimIncrement>4</dimIncrement><dimIndex>LEFT,RIGHT</dimIndex><name>%s_EYE</"
                     "name><addressOffset>0x60</addressOffset></register>"
                     "<register><dim>3</dim><dimIncrement>4</dimIncrement><dimIndex>A-C</dimIndex><name>ROW%s</"
                     "name><addressOffset>0x70</addressOffset></register>"
                     "<cluster><dim>3</dim><dimIncrement>0x10</dimIncrement><name>BAY%s</name><addressOffset>0x80</"
                     "addressOffset>"
                     "<register><name>IN</name><addressOffset>0</addressOffset></register>"
                     "<cluster><name>DEEP</name><addressOffset>4</addressOffset><register><name>OUT</"
                     "name><addressOffset>4</addressOffset></register></cluster></cluster>"
                     "<cluster><dim>2</dim><dimIncrement>0x20</dimIncrement><name>PIER%s</name><addressOffset>0x100</"
                     "addressOffset>"
                     "<register><dim>2</dim><dimIncrement>4</dimIncrement><name>POST%s</name><addressOffset>0</"
                     "addressOffset></register></cluster>"));
        const Json r = registersOf(file);
        QCOMPARE(r["LANE{n}"]["count"].get<int>(), 4);
        QCOMPARE(r["LANE{n}"]["stride"].get<int>(), 8);
        QCOMPARE(r["STEP{n}X"]["first"].get<int>(), 2);
        COMPARE_TEXT(r["LEFT_EYE"]["offset"].get<std::string>(), "0x60");
        COMPARE_TEXT(r["RIGHT_EYE"]["offset"].get<std::string>(), "0x64");
        COMPARE_TEXT(r["ROWC"]["offset"].get<std::string>(), "0x78");
        QCOMPARE(r["BAY{n}_IN"]["count"].get<int>(), 3);
        COMPARE_TEXT(r["BAY{n}_DEEP_OUT"]["offset"].get<std::string>(), "0x88");
        QCOMPARE(r["BAY{n}_DEEP_OUT"]["stride"].get<int>(), 16);
        COMPARE_TEXT(r["PIER1_POST{n}"]["offset"].get<std::string>(), "0x120");
    }

    void derivedInAnyOrder()
    {
        const std::string tail =
            "<registers><register derivedFrom=\"A\"><name>B</name><addressOffset>4</addressOffset></register>"
            "<register><name>A</name><addressOffset>0</addressOffset><resetValue>7</resetValue><fields>"
            "<field derivedFrom=\"ON\"><name>OFF</name><bitOffset>8</bitOffset></field>"
            "<field><name>ON</name><bitRange>[3:2]</bitRange><access>read-only</access><enumeratedValues><name>MOODS</"
            "name>"
            "<enumeratedValue><name>calm</name><value>0</value></enumeratedValue><enumeratedValue><name>wild</"
            "name><value>#1x</value>"
            "</enumeratedValue></enumeratedValues></field></fields></register></registers>";
        const MakersFile file = read(
            device("<peripheral derivedFrom=\"BASE\"><name>LATER</name><baseAddress>0x100</baseAddress></peripheral>"
                   "<peripheral><name>BASE</name><baseAddress>0x0</baseAddress>" +
                   tail +
                   "</peripheral><peripheral derivedFrom=\"BASE\"><name>MORE</name><baseAddress>0x200</baseAddress>"
                   "<registers><register "
                   "derivedFrom=\"BASE.A\"><name>C</name><addressOffset>8</addressOffset></register></registers></"
                   "peripheral>"));
        const Json& value = file.sections.value();
        QVERIFY(value["instances"]["LATER"]["block"] == value["instances"]["BASE"]["block"]);
        QVERIFY(value["instances"]["MORE"]["block"] != value["instances"]["BASE"]["block"]);
        const Json registers = value["blocks"][value["instances"]["MORE"]["block"].get<std::string>()]["registers"];
        QCOMPARE(registers.size(), size_t(3));
        for (const char* name : {"A", "B", "C"}) {
            COMPARE_TEXT(registers[name]["reset"].get<std::string>(), "0x7");
            COMPARE_TEXT(registers[name]["fields"]["ON"]["bits"].get<std::string>(), "3:2");
            QCOMPARE(registers[name]["fields"]["ON"]["values"]["wild"].get<int>(), 2);
            COMPARE_TEXT(registers[name]["fields"]["OFF"]["access"].get<std::string>(), "ro");
        }
        QVERIFY(remarks(file, "stands for several codes"));
        QVERIFY(refusal(device("<peripheral derivedFrom=\"X\"><name>X</name><baseAddress>0</baseAddress></peripheral>"))
                    .find("derived from itself") != std::string::npos);
        QVERIFY(
            refusal(device("<peripheral derivedFrom=\"NOPE\"><name>X</name><baseAddress>0</baseAddress></peripheral>"))
                .find("does not have") != std::string::npos);
    }

    void equalPeripheralsAreOneBlock()
    {
        const std::string registers =
            "<registers><register><name>A</name><addressOffset>0</addressOffset></register></registers>";
        const MakersFile file = read(device(
            "<peripheral><name>TUB1</name><groupName>TUB</groupName><baseAddress>0x0</baseAddress>" + registers +
            "</peripheral><peripheral><name>TUB2</name><groupName>TUB</groupName><baseAddress>0x400</baseAddress>" +
            registers + "</peripheral>"));
        QCOMPARE(file.sections.value()["blocks"].size(), size_t(1));
        COMPARE_TEXT(file.sections.value()["instances"]["TUB2"]["block"].get<std::string>(), "tub");
    }

    void interruptsAndTheCore()
    {
        const MakersFile file =
            read(device("<peripheral><name>TUB1</name><baseAddress>0x0</baseAddress><interrupt><name>TUB1_FULL</"
                        "name><value>4</value></interrupt>"
                        "<interrupt><name>TUB1_DRY</name><value>5</value></interrupt></peripheral>"
                        "<peripheral><name>PIER</name><baseAddress>0x400</baseAddress><interrupt><name>PIER</"
                        "name><value>31</value></interrupt></peripheral>",
                        "<cpu><name>CM33</name><endian>little</endian><fpuPresent>true</fpuPresent><nvicPrioBits>4</"
                        "nvicPrioBits></cpu>"));
        const Json& value = file.sections.value();
        QCOMPARE(value["instances"]["TUB1"]["interrupts"]["dry"].get<int>(), 5);
        QCOMPARE(value["instances"]["PIER"]["interrupts"]["event"].get<int>(), 31);
        QCOMPARE(value["core"]["vectors"].get<int>(), 32);
        QCOMPARE(value["core"]["priority_bits"].get<int>(), 4);
        QVERIFY(value["core"]["fpu"].get<bool>());
        QVERIFY(remarks(read(device("", "<cpu><name>OTHER</name></cpu>")), "core"));
        QVERIFY(refusal(device("", "<cpu><name>CM4</name><endian>big</endian></cpu>")).find("big-endian") !=
                std::string::npos);
        QVERIFY(refusal(device("", "<addressUnitBits>16</addressUnitBits>")).find("units of 16 bits") !=
                std::string::npos);
    }

    void whatCannotBeSaidIsTold()
    {
        const MakersFile wide = read(one("<register><name>W</name><size>64</size><addressOffset>8</"
                                         "addressOffset><resetValue>0x100000002</resetValue><fields>"
                                         "<field><name>LOW</name><bitRange>[7:0]</bitRange></field><field><name>TOP</"
                                         "name><bitRange>[63:56]</bitRange></field>"
                                         "</fields></register>"));
        COMPARE_TEXT(registersOf(wide)["W_HIGH"]["offset"].get<std::string>(), "0xC");
        COMPARE_TEXT(registersOf(wide)["W_HIGH"]["reset"].get<std::string>(), "0x1");
        COMPARE_TEXT(registersOf(wide)["W_HIGH"]["fields"]["TOP"].get<std::string>(), "31:24");
        QVERIFY(!registersOf(wide)["W_LOW"]["fields"].contains("TOP"));
        QVERIFY(remarks(wide, "64 bits"));
        const MakersFile twice = read(one("<register><name>A</name><addressOffset>0</addressOffset></register>"
                                          "<register><name>B</name><alternateRegister>A</"
                                          "alternateRegister><addressOffset>0</addressOffset></register>"));
        QCOMPARE(registersOf(twice).size(), size_t(1));
        QVERIFY(remarks(twice, "another view of A"));
        const MakersFile odd = read(one("<register><name>A</name><addressOffset>0x2</addressOffset></register>"
                                        "<register><name>B</name><addressOffset>0x8</addressOffset></register>"));
        QVERIFY(remarks(odd, "no multiple of its size"));
    }

    void brokenFilesAreRefusedWithAPlace_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("says");
        QTest::newRow("no XML") << "{}"
                                << "is not XML";
        QTest::newRow("cut off") << "<device><peripherals><peri"
                                 << "is not XML";
        QTest::newRow("other XML") << "<svg/>"
                                   << "no element <device>";
        QTest::newRow("no base") << QString::fromStdString(device("<peripheral><name>A</name></peripheral>"))
                                 << "no base address";
        QTest::newRow("no offset") << QString::fromStdString(one("<register><name>A</name></register>"))
                                   << "no address offset";
        QTest::newRow("no bits") << QString::fromStdString(
                                        one("<register><name>A</name><addressOffset>0</"
                                            "addressOffset><fields><field><name>F</name></field></fields></register>"))
                                 << "has no bits";
        QTest::newRow("bits the wrong way")
            << QString::fromStdString(
                   one("<register><name>A</name><addressOffset>0</addressOffset><fields><field><name>F</"
                       "name><bitRange>[2:5]</bitRange></field></fields></register>"))
            << "[msb:lsb]";
        QTest::newRow("a number that is none")
            << QString::fromStdString(one("<register><name>A</name><addressOffset>ten</addressOffset></register>"))
            << "not a number";
        QTest::newRow("a huge array") << QString::fromStdString(
                                             one("<register><dim>100000</dim><dimIncrement>4</dimIncrement><name>A%s</"
                                                 "name><addressOffset>0</addressOffset></register>"))
                                      << "1 to 4096";
        QTest::newRow("index too short") << QString::fromStdString(one(
                                                "<register><dim>3</dim><dimIncrement>4</dimIncrement><dimIndex>A,B</"
                                                "dimIndex><name>A%s</name><addressOffset>0</addressOffset></register>"))
                                         << "names 2";
        std::string nest = "<register><name>A</name><addressOffset>0</addressOffset></register>";
        for (int i = 0; i < 40; ++i)
            nest = "<cluster><name>N</name><addressOffset>0</addressOffset>" + nest + "</cluster>";
        QTest::newRow("deep") << QString::fromStdString(one(nest)) << "more than 8 deep";
        std::string many = "<register><dim>4096</dim><dimIncrement>0x4</dimIncrement><dimIndex>";
        for (int i = 0; i < 4096; ++i)
            many += fmt::format("{}X{}", i ? "," : "", i);
        many += "</dimIndex><name>A%s</name><addressOffset>0</addressOffset></register>";
        std::string clusters = "<cluster><dim>4096</dim><dimIncrement>0x8000</dimIncrement><dimIndex>";
        for (int i = 0; i < 4096; ++i)
            clusters += fmt::format("{}Y{}", i ? "," : "", i);
        QTest::newRow("arrays of arrays")
            << QString::fromStdString(
                   one(clusters + "</dimIndex><name>C%s</name><addressOffset>0</addressOffset>" + many + "</cluster>"))
            << "20000 registers";
        QTest::newRow("entities") << "<!DOCTYPE a [<!ENTITY x \"y\"><!ENTITY z SYSTEM \"/etc/passwd\">]><a>&z;</a>"
                                  << "no element <device>";
    }
    void brokenFilesAreRefusedWithAPlace()
    {
        QFETCH(QString, text);
        QFETCH(QString, says);
        const Expected<MakersFile> out = readRegisterDescription(text.toStdString(), "chip.svd");
        QVERIFY2(!out.ok(), "it was read");
        QVERIFY2(QString::fromStdString(out.problem().message).contains(says), out.problem().message.c_str());
        QVERIFY(out.problem().line >= 1);
        COMPARE_TEXT(out.problem().file, "chip.svd");
    }
};

BINDREL_TEST(RegisterDescriptionTest)
#include "register_description_test.moc"
