// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/makers_file.h"
#include "core/makers/memory_maps.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

using namespace bindrel;
using namespace bindrel::test;
using Json = nlohmann::ordered_json;

/// Memory maps of IEEE 1685, as its editions write them, against the register description that says the same.
class MemoryMapsTest : public QObject {
    Q_OBJECT

    static std::string component(const std::string& prefix, const std::string& blocks)
    {
        std::string out =
            "<?xml version=\"1.0\"?>\n<P:component xmlns:P=\"urn:made-up\">\n<P:vendor>fen.example</P:vendor>\n"
            "<P:library>tide</P:library>\n<P:name>Mill7</P:name>\n<P:version>1.0</P:version>\n"
            "<P:memoryMaps>\n<P:memoryMap><P:name>map</P:name>\n" +
            blocks + "\n<P:addressUnitBits>8</P:addressUnitBits></P:memoryMap>\n</P:memoryMaps>\n</P:component>\n";
        for (size_t at = 0; (at = out.find("P:", at)) != std::string::npos; at += prefix.size())
            out.replace(at, 2, prefix);
        return out;
    }
    static std::string block(const std::string& registers)
    {
        return "<P:addressBlock><P:name>QUAY</P:name>\n<P:baseAddress>'h7000_0000</P:baseAddress><P:range>4096</"
               "P:range>"
               "<P:width>32</P:width>\n" +
               registers + "</P:addressBlock>";
    }
    static MakersFile read(const std::string& text)
    {
        Expected<MakersFile> out = readRegisterDescription(text, "chip.xml");
        if (!out)
            qFatal("%s", out.problem().text().c_str());
        return *std::move(out);
    }
    static Json registersOf(const MakersFile& file) { return file.sections.value()["blocks"]["quay"]["registers"]; }

    /// What a register says, in the words of the edition.
    static std::string gate(const std::string& edition)
    {
        const bool old = edition == "2009";
        return "<P:register><P:name>GATE</P:name>\n<P:description>Opens &lt;it&gt; &amp; shuts.</P:description>"
               "<P:addressOffset>'h10</P:addressOffset><P:size>32</P:size>\n" +
               std::string(old ? "<P:reset><P:value>32'h0000_0021</P:value></P:reset>" : "") +
               "<P:field><P:name>WIDTH</P:name><P:bitOffset>0</P:bitOffset>" +
               (old ? "" : "<P:resets><P:reset><P:value>'b00001</P:value></P:reset></P:resets>") +
               "<P:bitWidth>5</P:bitWidth>\n" +
               (old ? "<P:access>read-write</P:access>"
                    : "<P:fieldAccessPolicies><P:fieldAccessPolicy><P:access>read-write</P:access></"
                      "P:fieldAccessPolicy>"
                      "</P:fieldAccessPolicies>") +
               "<P:enumeratedValues><P:enumeratedValue><P:name>shut</P:name><P:value>'d0</P:value></P:enumeratedValue>"
               "<P:enumeratedValue><P:name>half</P:name><P:value>0x10</P:value></P:enumeratedValue></"
               "P:enumeratedValues>"
               "</P:field>\n<P:field><P:name>STUCK</P:name><P:bitOffset>5</P:bitOffset>" +
               (old ? "" : "<P:resets><P:reset><P:value>1</P:value></P:reset></P:resets>") +
               "<P:bitWidth>1</P:bitWidth>" +
               (old ? "<P:modifiedWriteValue>oneToClear</P:modifiedWriteValue>"
                    : "<P:fieldAccessPolicies><P:fieldAccessPolicy><P:modifiedWriteValue>oneToClear"
                      "</P:modifiedWriteValue></P:fieldAccessPolicy></P:fieldAccessPolicies>") +
               "</P:field></P:register>";
    }

private Q_SLOTS:
    void editionsSayTheSame_data()
    {
        QTest::addColumn<QString>("edition");
        QTest::addColumn<QString>("prefix");
        QTest::newRow("2009") << "2009"
                              << "spirit:";
        QTest::newRow("2014") << "2014"
                              << "ipxact:";
        QTest::newRow("another prefix") << "2022"
                                        << "x:";
        QTest::newRow("no prefix") << "2009"
                                   << "";
    }
    void editionsSayTheSame()
    {
        QFETCH(QString, edition);
        QFETCH(QString, prefix);
        const MakersFile file = read(component(prefix.toStdString(), block(gate(edition.toStdString()))));
        const MakersFile plain = read(
            "<device><name>Mill7</name><peripherals><peripheral><name>QUAY</name><baseAddress>0x70000000</baseAddress>"
            "<registers><register><name>GATE</name><description>Opens &lt;it> &amp; shuts.</description>"
            "<addressOffset>0x10</addressOffset><size>32</size><resetValue>0x21</resetValue><fields>"
            "<field><name>WIDTH</name><bitOffset>0</bitOffset><bitWidth>5</bitWidth><enumeratedValues><enumeratedValue>"
            "<name>shut</name><value>0</value></enumeratedValue><enumeratedValue><name>half</name><value>16</value>"
            "</enumeratedValue></enumeratedValues></field><field><name>STUCK</name><bitOffset>5</bitOffset>"
            "<bitWidth>1</bitWidth><modifiedWriteValues>oneToClear</modifiedWriteValues></field></fields></register>"
            "</registers></peripheral></peripherals></device>");
        QCOMPARE(QString::fromStdString(file.sections.value().dump(1)),
                 QString::fromStdString(plain.sections.value().dump(1)));
        QVERIFY2(file.remarks.empty(), file.remarks.empty() ? "" : file.remarks[0].text().c_str());
    }

    /// Arrays stand one behind the other, register files at the distance of their range.
    void arrays()
    {
        const Json registers = registersOf(read(component(
            "spirit:",
            block("<P:register><P:name>BANK</P:name><P:dim>4</P:dim><P:addressOffset>0</P:addressOffset>"
                  "<P:size>32</P:size></P:register>"
                  "<P:registerFile><P:name>LANE</P:name><P:dim>2</P:dim><P:addressOffset>'h40</P:addressOffset>"
                  "<P:range>'h20</P:range><P:register><P:name>DEPTH</P:name><P:addressOffset>4</P:addressOffset>"
                  "<P:size>32</P:size></P:register></P:registerFile>"))));
        bool bank = false, lane = false;
        for (const auto& [name, reg] : registers.items()) {
            bank = bank || (reg.value("count", 1) == 4 && reg.value("stride", 0) == 4);
            lane = lane || (reg.value("count", 1) == 2 && reg.value("stride", 0) == 0x20 && reg["offset"] == "0x44");
        }
        QVERIFY2(bank && lane, registers.dump(1).c_str());
    }

    /// Messages name the line of the component, not of what it is turned into.
    void placesAreThoseOfTheComponent()
    {
        const std::string text = component("spirit:", block("\n\n<P:register><P:name>GATE</P:name>\n"
                                                            "<P:addressOffset>'hZZ</P:addressOffset></P:register>"));
        const Expected<MakersFile> refused = readRegisterDescription(text, "chip.xml");
        QVERIFY(!refused);
        int line = 1;
        for (size_t at = 0; at < text.find("<spirit:register>"); ++at)
            line += text[at] == '\n';
        QCOMPARE(refused.problem().line, line);
        QVERIFY(refused.problem().message.find("'hZZ") != std::string::npos);
    }

    /// What is not read is told with its line.
    void whatIsLeftOutIsTold()
    {
        const MakersFile file =
            read(component("ipxact:", block(gate("2014")) + "\n<P:bank><P:name>b</P:name></P:bank>\n"
                                                            "<P:addressBlock><P:name>RAM</P:name><P:baseAddress>0"
                                                            "</P:baseAddress></P:addressBlock>"));
        QVERIFY(std::any_of(file.remarks.begin(), file.remarks.end(), [](const Problem& p) {
            return p.message.find("<bank>") != std::string::npos && p.line > 10;
        }));
        QCOMPARE(file.sections.value()["blocks"].size(), size_t(1));
    }

    /// Other XML stays what it was, and what is broken is refused as before.
    void othersAreNoComponents()
    {
        QVERIFY(memoryMapsOf("<device/>").text.empty() && memoryMapsOf("<component/>").text.empty() &&
                memoryMapsOf("<a").text.empty() && memoryMapsOf("").text.empty());
        QVERIFY(!readRegisterDescription("<component><memoryMaps/></component>", "x.xml"));
        const std::string whole = component("spirit:", block(gate("2009")));
        for (size_t cut = 0; cut < whole.size(); cut += 7)
            (void)readRegisterDescription(whole.substr(0, cut), "x.xml");
    }
};

BINDREL_TEST(MemoryMapsTest)
#include "memory_maps_test.moc"
