// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "core/device/load_device.h"
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

using namespace bindrel;
using namespace bindrel::test;

/// A chip with registers of 8 and 16 bits side by side: the C reads and writes each as a whole and touches no
/// neighbour. It is the main example's chip with some of its blocks packed close.
class NarrowRegistersTest : public QObject {
    Q_OBJECT

    static std::string changedText(std::string text, const std::vector<std::pair<std::string, std::string>>& changes)
    {
        for (const auto& [from, to] : changes)
            text = replaced(text, from, to);
        return text;
    }

    static std::string familyText()
    {
        return textOf(std::string(BINDREL_SOURCE_ROOT) + "/data/devices/sedge/sedge.json");
    }
    static std::string ownText()
    {
        return textOf(std::string(BINDREL_SOURCE_ROOT) + "/data/devices/sedge/se4332-c64.json");
    }

    static Expected<Device> packed()
    {
        // Pads in halves of a word, the serial port in halves and bytes, the two-wire port in bytes, its data above a
        // flag that a one clears.
        const std::string family = changedText(
            familyText(),
            {
                {R"("CFG{n}": { "offset": "0x00", "count": 13, "stride": 4,)",
                 R"("CFG{n}": { "offset": "0x00", "width": 16, "count": 13, "stride": 2,)"},
                {R"("LEVEL":  { "offset": "0x40",)", R"("LEVEL":  { "offset": "0x1A", "width": 16,)"},
                {R"("INPUT":  { "offset": "0x44",)", R"("INPUT":  { "offset": "0x1C", "width": 16,)"},
                {R"("SET":    { "offset": "0x48",)", R"("SET":    { "offset": "0x1E", "width": 16,)"},
                {R"("CLEAR":  { "offset": "0x4C",)", R"("CLEAR":  { "offset": "0x20", "width": 16,)"},
                {R"("about": "Asynchronous serial port. Baud)",
                 R"("width": 16, "about": "Asynchronous serial port. Baud)"},
                {R"("RATE": { "offset": "0x04", "fields": { "DIV": { "bits": "19:0", "about")",
                 R"("RATE": { "offset": "0x04", "width": 32, "fields": { "DIV": { "bits": "19:0", "about")"},
                {R"("IEN":  { "offset": "0x08", "fields": { "RXF": "0", "TXE": "1", "QUIET": "2", "MATCH": "4" } })",
                 R"("IEN":  { "offset": "0x02", "width": 8, "fields": { "RXF": "0", "TXE": "1", "QUIET": "2", "MATCH": "4" } })"},
                {R"("STAT": { "offset": "0x0C", "reset": "0x0002", "fields": { "QUIET":)",
                 R"("STAT": { "offset": "0x03", "width": 8, "reset": "0x0002", "fields": { "QUIET":)"},
                {R"("DATA": { "offset": "0x10", "fields": { "BYTE": "8:0" } })",
                 R"("DATA": { "offset": "0x08", "fields": { "BYTE": "12:4" } })"},
                {R"("DATA":  { "offset": "0x14", "fields": { "BYTE": "7:0" } })",
                 R"("DATA":  { "offset": "0x14", "width": 16, "fields": { "BYTE": "11:4", "ALERT": { "bits": "15", "access": "w1c" } } })"},
                {R"("CMD":   { "offset": "0x0C", "fields": { "START": { "bits": "0", "access": "wo" }, "STOP": { "bits": "1", "access": "wo" },)",
                 R"("CMD":   { "offset": "0x0C", "width": 8, "fields": { "START": { "bits": "0", "access": "wo" } } },
        "CMDB":  { "offset": "0x0D", "width": 8, "fields": { "STOP": { "bits": "1", "access": "wo" },)"},
                {R"("start": "CMD.START", "stop": "CMD.STOP", "read": "CMD.READ", "nack": "CMD.NACK")",
                 R"("start": "CMD.START", "stop": "CMDB.STOP", "read": "CMDB.READ", "nack": "CMDB.NACK")"},
            });
        return parseDevice(ownText(), "narrow.json", family, "sedge.json");
    }

    static LoadedPlan plan()
    {
        LoadedPlan work = demo();
        const Expected<Device> device = packed();
        if (!device)
            qFatal("%s", device.problem().text().c_str());
        work.device = std::make_shared<const Device>(*device);
        return work;
    }

    static uint32_t bytesAt(uint32_t address, size_t count)
    {
        uint32_t out = 0;
        std::memcpy(&out, reinterpret_cast<const void*>(uintptr_t(address)), count);
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    void theFileIsCleanAndFaultsAreTold()
    {
        const Expected<Device> device = packed();
        QVERIFY2(device.ok(), device.ok() ? "" : device.problem().text().c_str());
        const auto remarks = lint(*device);
        QVERIFY2(remarks.empty(), remarks.empty() ? "" : remarks[0].text.c_str());
        for (const auto& [from, to, says] : std::vector<std::tuple<std::string, std::string, std::string>>{
                 {R"("IEN":  { "offset": "0x08", "fields")", R"("IEN":  { "offset": "0x09", "width": 16, "fields")",
                  "multiples of 2"},
                 {R"("IEN":  { "offset": "0x08", "fields")", R"("IEN":  { "offset": "0x08", "width": 12, "fields")",
                  "8, 16 or 32"},
                 {R"("RATE": { "offset": "0x04", "fields": { "DIV": { "bits": "19:0", "about")",
                  R"("RATE": { "offset": "0x04", "width": 16, "fields": { "DIV": { "bits": "19:0", "about")",
                  "beyond the 16 bits"},
                 {R"("block": "uart", "base": "0x4D00 7500", )", R"("block": "uart", "base": "0x4D00 7501", )",
                  "multiple of 4"},
                 {R"("block": "uart", "base": "0x4D00 7500", )",
                  R"("block": "uart", "base": "0x4D00 7500", "resets": { "RATES": "0x10" }, )",
                  "Did you mean \"RATE\"?"}}) {
            const Expected<Device> bad =
                parseDevice(ownText(), "narrow.json", replaced(familyText(), from, to), "sedge.json");
            QVERIFY2(!bad.ok() && bad.problem().message.find(says) != std::string::npos,
                     bad.ok() ? says.c_str() : bad.problem().text().c_str());
        }
        const Expected<Device> overlapping =
            parseDevice(ownText(), "narrow.json",
                        replaced(familyText(), R"("IEN":  { "offset": "0x08", "fields")",
                                 R"("IEN":  { "offset": "0x06", "width": 8, "fields")"),
                        "sedge.json");
        QVERIFY(overlapping.ok());
        const auto said = lint(*overlapping);
        QVERIFY(std::any_of(said.begin(), said.end(),
                            [](const LintRemark& remark) { return remark.check == "register-overlap"; }));
    }

    void anInstanceCanResetToAnotherValue()
    {
        const Expected<Device> device =
            parseDevice(ownText(), "own.json",
                        replaced(familyText(), R"("block": "uart", "base": "0x4D00 7500", )",
                                 R"("block": "uart", "base": "0x4D00 7500", "resets": { "RATE": "0x0000 0123" }, )"),
                        "sedge.json");
        QVERIFY2(device.ok(), device.ok() ? "" : device.problem().text().c_str());
        QCOMPARE(device->resetCode(*device->findField("UART1.RATE.DIV")), 0x123u);
        QCOMPARE(device->resetCode(*device->findField("UART2.RATE.DIV")), 0u);
    }

    /// The cross-compiler takes it without a warning.
    void theCodeCompilesUnderStrictOptions()
    {
        QTemporaryDir dir;
        const auto s = run(plan());
        const auto preview = previewOutput(s->source(), dir.path().toStdString());
        QVERIFY(preview.ok() && writeOutput(s->source(), dir.path().toStdString(), *preview).ok());
        QProcess shell;
        shell.setWorkingDirectory(dir.path());
        shell.setProcessChannelMode(QProcess::MergedChannels);
        shell.start("sh", {"-c", QString::fromStdString(s->source().buildCommand)});
        QVERIFY(shell.waitForFinished(120'000));
        const QByteArray said = shell.readAll();
        QVERIFY2(shell.exitCode() == 0 && said.isEmpty(), said.constData());
    }

    void itComesUpOnTheSimulatedChip()
    {
        const auto s = run(plan());
        const std::string against = rehearsed(*s);
        QVERIFY2(against.empty(), against.c_str());
    }

    void everyRegisterIsReachedInItsWidth()
    {
        const auto s = run(plan());
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        Chip::at(0x4D000008) = 0x0003'0313u | 2u << 20;
        Chip::at(0x4D000D08) = 1;
        QCOMPARE(code.find<int()>("sluice_bring_up")(), 0);
        for (const RegisterValue& value : s->image.registers)
            if (const std::string& kind = s->device->blockOf(value.instance).kind;
                kind == "port" || kind == "uart" || kind == "i2c")
                QCOMPARE(bytesAt(s->device->addressOf(value.instance, value.reg),
                                 s->device->blockOf(value.instance).registers[value.reg].bytes()),
                         value.value);

        // By hand: 8N1 with handshake in sixteen bits, the enables and flags beside it as they were.
        QCOMPARE(bytesAt(0x4D007500, 2), 0xC17u);
        QCOMPARE(bytesAt(0x4D007502, 1), 0u);
        QCOMPARE(bytesAt(0x4D007503, 1), 2u);
        // The heater: set and cleared in the sixteen bits of its port, nothing beside them.
        const std::string pad = s->plan.need("frost-heater")->binding.pads.at("pin");
        const uint32_t port = 0x4D002700 + 0xD00 * uint32_t(pad[1] - 'A'), bit = 1u << std::stoi(pad.substr(2));
        code.find<void(bool)>("sluice_frost_heater_set")(true);
        QCOMPARE(bytesAt(port + 0x1E, 4), bit);
        code.find<void(bool)>("sluice_frost_heater_set")(false);
        QCOMPARE(bytesAt(port + 0x20, 2), bit);

        // A byte goes out in bits 12 to 4, and comes in from there.
        code.find<bool(uint8_t)>("sluice_uplink_send")(0xA5);
        QCOMPARE(bytesAt(0x4D007508, 2), 0xA50u);
        uint8_t byte = 0;
        const uint8_t full = 3;
        std::memcpy(reinterpret_cast<void*>(uintptr_t(0x4D007503)), &full, 1);
        QVERIFY(code.find<bool(uint8_t*)>("sluice_uplink_receive")(&byte));
        QCOMPARE(int(byte), 0xA5);

        // The two-wire port: start in one register, stop in the other, the alert flag beside the data is not cleared.
        const uint32_t bus = 0x4D00B600;
        const uint16_t alert = 0x8000;
        code.hardwareIs([] { // the byte is out, and nobody took it
            const uint8_t doneAndRefused = 3;
            std::memcpy(reinterpret_cast<void*>(uintptr_t(0x4D00B610)), &doneAndRefused, 1);
        });
        std::memcpy(reinterpret_cast<void*>(uintptr_t(bus + 0x14)), &alert, 2);
        QVERIFY(code.find<int(uint8_t, const uint8_t*, uint32_t)>("sluice_level_probes_write")(0x40, &byte, 1) !=
                0); // nobody answers
        QCOMPARE(bytesAt(bus + 0x0C, 1), 0u);
        QCOMPARE(bytesAt(bus + 0x0D, 1), 2u);           // the stop
        QCOMPARE(bytesAt(bus + 0x14, 2) & 0x8000u, 0u); // written as zero, which clears nothing in the chip
    }
};

BINDREL_TEST(NarrowRegistersTest)
#include "narrow_registers_test.moc"
