// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "tests/support/fixtures.h"

#include <QRegularExpression>
#include <QSet>

using namespace bindrel;
using namespace bindrel::test;

/// Every check of the lint has a file that triggers just it; what ships triggers none.
class LintTest : public QObject {
    Q_OBJECT

    /// A shipped device with one change in its own file or its family's.
    static Expected<Device> changed(const std::string& family, const std::string& device, const std::string& from,
                                    const std::string& to)
    {
        std::string own = textOf(dataPath("devices/" + family + "/" + device + ".json"));
        std::string shared = textOf(dataPath("devices/" + family + "/" + family + ".json"));
        std::string& text = own.find(from) != std::string::npos ? own : shared;
        text = replaced(text, from, to);
        return parseDevice(own, "own.json", shared, "family.json");
    }

    QSet<QString> seen_;

private Q_SLOTS:
    void whatShipsIsClean()
    {
        const std::vector<std::string> names = library().deviceNames();
        QCOMPARE(names.size(), size_t(7));
        for (const std::string& name : names) {
            const std::shared_ptr<const Device> device = shippedDevice(name);
            QCOMPARE(QString::fromStdString(device->name), QString::fromStdString(name));
            for (const LintRemark& remark : lint(*device))
                QVERIFY2(false, (name + ": " + remark.check + ": " + remark.text).c_str());
        }
    }

    void eachCheckHasAFileThatTriggersJustIt_data()
    {
        QTest::addColumn<QString>("family");
        QTest::addColumn<QString>("device");
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("check");
        const auto row = [](const char* check, const char* family, const char* device, const char* from, const char* to,
                            const char* name = nullptr) {
            QTest::newRow(name ? name : check) << family << device << from << to << check;
        };
        const auto sedge = [&row](const char* check, const char* from, const char* to, const char* name = nullptr) {
            row(check, "sedge", "se4332-c64", from, to, name);
        };
        // ---- registers
        sedge("overlapping-fields", R"("RTSON": "10", "CTSON": "11")", R"("RTSON": "10", "CTSON": "10")");
        sedge("register-overlap", R"("DATA": { "offset": "0x10", "fields": { "BYTE": "8:0")",
              R"("DATA": { "offset": "0x0C", "fields": { "BYTE": "8:0")");
        sedge("reset-outside-fields", R"("reset": "0x0101")", R"("reset": "0x80000101")");
        sedge("duplicate-code", R"("values": { "seven": 0, "eight": 1, "nine": 2 })",
              R"("values": { "seven": 0, "eight": 1, "nine": 1 })", "two names for a code");
        sedge("follows-writable", R"("RANGENOW": { "bits": "5:4", "access": "ro")",
              R"("RANGENOW": { "bits": "5:4", "access": "rw")");
        sedge("encoding-range", R"("encoding": { "table": [[12, 0], [10, 1], [8, 2]] })",
              R"("encoding": { "table": [[12, 0], [10, 1], [8, 7]] })", "a code that does not fit");
        sedge("encoding-range", R"("encoding": { "table": [[12, 0], [10, 1], [8, 2]] })",
              R"("encoding": { "table": [[12, 0], [10, 1], [8, 1]] })", "a code for two values");
        sedge("encoding-range", R"({ "codes": [64, 95], "base": 64, "step": 4 })",
              R"({ "codes": [60, 95], "base": 64, "step": 4 })", "segments that overlap");
        sedge("encoding-range", R"({ "codes": [96, 127], "base": 192, "step": 16 })",
              R"({ "codes": [96, 160], "base": 192, "step": 16 })", "a segment that does not fit");
        sedge("address-collision", R"("base": "0x4D00 8F00")", R"("base": "0x4D00 8200")");
        sedge("interrupt-twice", R"("interrupts": { "event": 9 })", R"("interrupts": { "event": 8 })");
        sedge("interrupt-name", R"("interrupts": { "tick": 34, "alarm": 35 })",
              R"("interrupts": { "tock": 34, "alarm": 35 })");
        row("interrupt-zero", "rill", "rl1224-q48", R"("interrupts": { "guard": 1 })",
            R"("interrupts": { "guard": 0 })");
        sedge("dma-address",
              R"("FROM{n}":  { "offset": "0x44", "count": 8, "stride": 16, "fields": { "ADDR": "31:0" } })",
              R"("FROM{n}":  { "offset": "0x44", "count": 8, "stride": 16, "fields": { "ADDR": "23:0" } })");
        sedge("dma-router", R"("dma": { "RX": 1, "TX": 2 })", R"("dma": { "RX": 99, "TX": 2 })");
        sedge("dma-request-twice", R"("dma": { "RX": 3, "TX": 4 })", R"("dma": { "RX": 1, "TX": 4 })");
        sedge("encoding-range", R"("inputs": { "BUS1": 0, "HFI": 1 }, "limit")",
              R"("inputs": { "BUS1": 0, "HFI": 70 }, "limit")", "an input that its select cannot take");
        sedge("encoding-range", "\"supply\": [\"2.0 V\", \"3.6 V\"], \"code\": 1",
              "\"supply\": [\"2.0 V\", \"3.6 V\"], \"code\": 9", "a range that its control cannot hold");
        // ---- pads and routing
        sedge("pad-on-no-pin", R"("PB10", "PB11", "PB12",)", R"("PB10", "VSS", "PB12",)");
        row("unbonded-on-pin", "moss", "ms0816-a32", R"("unbonded": ["PD4")", R"("unbonded": ["PD3", "PD4")");
        row("unbonded-unknown", "moss", "ms0816-a32", R"("unbonded": ["PD4")", R"("unbonded": ["PD9", "PD4")");
        sedge("port-bit-twice", R"("at": "PORTC.5")", R"("at": "PORTC.4")");
        row("line-missing", "rill", "rl1224-q48", R"("at": "PORTB.12", "line": 4)", R"("at": "PORTB.12", "line": 5)");
        sedge("reset-claim", R"("at_reset": "SWD.CLK")", R"("at_reset": "SWD.CLX")");
        sedge("unreachable-signal", R"("signals": { "DP": "both")", R"("signals": { "SENSE": "in", "DP": "both")");
        row("unreachable-mux-code", "moss", "ms0816-a48",
            R"("I2C0": { "bits": "5:4", "values": { "set0": 0, "set1": 1, "set2": 2 } })",
            R"("I2C0": { "bits": "5:4", "values": { "set0": 0, "set1": 1, "set2": 2, "set3": 3 } })",
            "a remap that leads nowhere");
        sedge("unreachable-mux-code", R"("RTC": "11:10", "TIM1")",
              R"("RTC": { "bits": "11:10", "values": { "none": 0, "lfx": 1, "lfi": 2, "hfx": 3 } }, "TIM1")",
              "a name of a select without an input");
        sedge("role-missing", R"("transmit_empty": "STAT.TXE", "data": "DATA.BYTE")", R"("data": "DATA.BYTE")",
              "a UART that cannot be waited for");
        sedge("role-twice", R"("receive_full": "STAT.RXF", "transmit_empty": "STAT.TXE", "data": "DATA.WORD")",
              R"("receive_full": "STAT.RXF", "transmit_empty": "STAT.RXF", "data": "DATA.WORD")",
              "one flag for two things");
        sedge("role-set-only", R"("PARITY": { "bits": "7:6",)", R"("PARITY": { "bits": "7:6", "access": "w1s",)");
        sedge("role-read-only", R"("PARITY": { "bits": "7:6",)", R"("PARITY": { "bits": "7:6", "access": "ro",)");
        sedge(
            "part-wanted-whole", R"("DATA": { "offset": "0x10", "fields": { "BYTE": "8:0")",
            R"("DATA": { "parts": [{ "name": "DATAH", "offset": "0x12", "bits": "31:16" }, { "name": "DATAL", "offset": "0x10", "bits": "15:0" }], "fields": { "BYTE": "8:0")");
        sedge("nonvolatile-factory", R"("factory": "0x0D00 0000")", R"("factory": "0x0D00 2000")");
        row("nonvolatile-reset", "moss", "ms0816-a32",
            R"("values": { "2 MHz": 6, "4 MHz": 7 }, "decides": { "CKU.RCO.BAND": { "2 MHz": 0)",
            R"("values": { "8 MHz": 5, "2 MHz": 6, "4 MHz": 7 }, "decides": { "CKU.RCO.BAND": { "8 MHz": 2, "2 MHz": 0)",
            "too fast for the flash");
        row("domain-too-early", "moss", "ms0816-a32", R"("lines": "ports",)",
            R"("lines": "ports", "domains": [{ "id": "MAPS", "instances": ["SYS"] }],)");
        row("ready-writable", "alder", "al7654-f144", R"("SWIFTUP": { "bits": "0", "access": "ro" })",
            R"("SWIFTUP": "0")");
        sedge("reset-limit", R"("clocks": { "SYS": "PLLA.MAIN", "PLLA.MAIN": ["2.5", "3.5"], "BUS2": 1 })",
              R"("clocks": { "SYS": "HFI", "CPU": 1 })");
        sedge("reset-limit", R"("draws": "150 uA", "rate": "20 MHz")", R"("draws": "150 uA", "rate": "200 MHz")");
        row("core-flags", "rill", "rl1224-q48", R"("-misa-spec=2.2", )", "");
        // ---- clocks
        sedge("duplicate-code", R"("inputs": { "BUS1": 0, "HFI": 1 }, "limit")",
              R"("inputs": { "BUS1": 0, "HFI": 0 }, "limit")", "two inputs of a select");
        sedge("clock-without-source", R"("inputs": { "none": 0, "BUS1": 1, "HFX": 2, "CANB": 3 })",
              R"("inputs": { "none": 0 })");
        sedge("control-twice", R"("control": "CLK.TREE.BUS2")", R"("control": "CLK.TREE.BUS1")");
        sedge("crystal-without-pads", R"("HFX":   { "block": "wired", "kind": "crystal")",
              R"("HFX":   { "block": "wired")");
        sedge("limit-gap",
              "\"control\": \"CLK.KSEL2.DRIVE\",\n      \"inputs\": { \"BUS2\": 0, \"CPU\": 1, \"PLLA.AUX\": 2 },\n    "
              "  \"limit\": { \"max\": \"150 MHz\" }, ",
              "\"control\": \"CLK.KSEL2.DRIVE\",\n      \"inputs\": { \"BUS2\": 0, \"CPU\": 1, \"PLLA.AUX\": 2 },\n    "
              "  ",
              "a range without a limit");
        sedge("limit-gap", R"("136 MHz", "150 MHz"])", R"("136 MHz"])", "wait states that end too soon");
        sedge("limit-gap", R"("supply": ["1.75 V", "3.6 V"], "code": 0)", R"("supply": ["1.85 V", "3.6 V"], "code": 0)",
              "a supply that no range is for");
        sedge("limit-gap", R"("supply": ["2.0 V", "3.6 V"])", R"("supply": ["2.0 V", "3.9 V"])",
              "a range beyond the supply");
        sedge("limit-overlap", "\"supply\": [\"2.0 V\", \"3.6 V\"], \"code\": 1",
              "\"supply\": [\"2.0 V\", \"3.6 V\"], \"code\": 2", "two ranges with one code");
        sedge(
            "limit-overlap", R"("tolerance_over": [ { "temperature": [0, 50], "tolerance": "2.5 %" } ])",
            R"("tolerance_over": [ { "temperature": [0, 50], "tolerance": "2.5 %" }, { "temperature": [0, 50], "tolerance": "3 %" } ])",
            "two tolerances for one span");
    }
    void eachCheckHasAFileThatTriggersJustIt()
    {
        QFETCH(QString, family);
        QFETCH(QString, device);
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, check);
        const Expected<Device> loaded =
            changed(family.toStdString(), device.toStdString(), from.toStdString(), to.toStdString());
        QVERIFY2(loaded.ok(), loaded.ok() ? "" : loaded.problem().text().c_str());
        const std::vector<LintRemark> remarks = lint(*loaded);
        QVERIFY(!remarks.empty());
        for (const LintRemark& remark : remarks)
            QVERIFY2(remark.check == check.toStdString(), (remark.check + ": " + remark.text).c_str());
        seen_ << check;
    }

    /// A check that nobody has triggered could be dead: every name in the code was seen above.
    void noCheckIsUntested()
    {
        QSet<QString> named;
        static const QRegularExpression addsRemark("addRemark\\(\"([a-z-]+)\"");
        for (const char* file : {"lint_registers.cpp", "lint_pads.cpp", "lint_clocks.cpp"}) {
            auto it = addsRemark.globalMatch(
                QString::fromStdString(textOf(std::string(BINDREL_SOURCE_ROOT) + "/core/device/" + file)));
            while (it.hasNext())
                named << it.next().captured(1);
        }
        QVERIFY(named.size() > 15);
        QCOMPARE(named - seen_, QSet<QString>());
        // And each is explained to whoever writes a device file.
        const QString page =
            QString::fromStdString(textOf(std::string(BINDREL_SOURCE_ROOT) + "/docs/formats/device.md"));
        for (const QString& check : named)
            QVERIFY2(page.contains("`" + check + "`"), qPrintable(check));
    }
};

BINDREL_TEST(LintTest)
#include "lint_test.moc"
