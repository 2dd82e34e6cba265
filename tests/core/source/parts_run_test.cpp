// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "core/device/load_device.h"
#include "core/rehearsal/bus_access.h"
#include "core/rehearsal/simulated_chip.h"
#include "tests/support/rehearse.h"

#include <nlohmann/json.hpp>

using namespace bindrel;
using namespace bindrel::test;
using Json = nlohmann::ordered_json;

/// Values at several addresses, and registers that take a write only behind a key. The main example's chip is cut up:
/// each register of 32 bits stands in two halves, the upper written first, and the clock controller is guarded.
/// Everything that runs on the chip as it ships must run on this one.
class PartsRunTest : public QObject {
    Q_OBJECT

    static Json family()
    {
        return Json::parse(textOf(std::string(BINDREL_SOURCE_ROOT) + "/data/devices/sedge/sedge.json"), nullptr, true,
                           true);
    }
    static std::string own()
    {
        return textOf(std::string(BINDREL_SOURCE_ROOT) + "/data/devices/sedge/se4332-c64.json");
    }

    static void cut(Json& reg, const std::string& name, bool upperFirst)
    {
        const unsigned long offset = std::stoul(reg.value("offset", "0x00"), nullptr, 16);
        const Json upper{{"name", name + "_U"}, {"offset", fmt::format("0x{:X}", offset + 2)}, {"bits", "31:16"}};
        const Json lower{{"name", name + "_L"}, {"offset", fmt::format("0x{:X}", offset)}, {"bits", "15:0"}};
        reg.erase("offset");
        reg["parts"] = upperFirst ? Json{upper, lower} : Json{lower, upper};
    }

    /// Data is left whole: DMA fetches it at one address.
    static Json cutFamily()
    {
        Json chip = family();
        int index = 0;
        for (auto& [name, block] : chip["blocks"].items()) {
            if (block.value("kind", "") == "dma")
                continue;
            std::set<std::string> whole;
            const Json roles = block.value("roles", Json::object());
            for (const auto& [role, field] : roles.items())
                if (role == "data")
                    whole.insert((field.is_object() ? field["field"] : field).get<std::string>());
            for (auto& [reg, row] : block["registers"].items()) {
                const bool keeps = std::any_of(whole.begin(), whole.end(), [&reg = reg](const std::string& data) {
                    return data.starts_with(reg + ".");
                });
                if (!keeps && !row.contains("width"))
                    cut(row, reg, ++index % 3 != 0);
            }
        }
        return chip;
    }

    static Json guarded(Json chip)
    {
        Json& registers = chip["blocks"]["clock"]["registers"];
        for (auto& [reg, row] : registers.items())
            if (reg != "KEY")
                row["guard"] = "DOOR.KEY=0xC3";
        registers["DOOR"] = Json{{"offset", "0xF0"}, {"fields", {{"KEY", {{"bits", "7:0"}, {"access", "wo"}}}}}};
        return chip;
    }

    static Expected<Device> made(const Json& chip)
    {
        return parseDevice(own(), "own.json", chip.dump(1), "family.json");
    }

    static std::shared_ptr<const Snapshot> on(const Json& chip)
    {
        LoadedPlan work = demo();
        const Expected<Device> device = made(chip);
        if (!device)
            qFatal("%s", device.problem().text().c_str());
        work.device = std::make_shared<const Device>(*device);
        return run(work);
    }

private Q_SLOTS:
    void bothChipsAreClean()
    {
        for (const Json& chip : {cutFamily(), guarded(cutFamily()), guarded(family())}) {
            const Expected<Device> device = made(chip);
            QVERIFY2(device.ok(), device.ok() ? "" : device.problem().text().c_str());
            for (const LintRemark& remark : lint(*device))
                QVERIFY2(false, (remark.check + ": " + remark.text).c_str());
        }
    }

    void whatRunsOnTheWholeRunsOnTheParts()
    {
        for (const Json& chip : {cutFamily(), guarded(cutFamily())}) {
            const auto s = on(chip);
            for (const Scenario& scenario : scenariosOf(s->facts()))
                if (!scenario.whatIf() && (scenario.kind == Scenario::Kind::BringUp ||
                                           chip["blocks"]["clock"]["registers"].contains("DOOR"))) {
                    const std::string against = rehearsed(*s, scenario);
                    QVERIFY2(against.empty(), against.c_str());
                }
            // The registers hold what they hold on the whole chip.
            const auto whole = run(demo());
            for (const RegisterValue& value : whole->image.registers) {
                const RegisterValue* same = s->image.find(value.instance, value.reg);
                QVERIFY(same && same->value == value.value);
            }
        }
    }

    /// A part that is written last takes over what the others were given: in the wrong order the chip gets old halves.
    void theOrderCounts()
    {
        const Expected<Device> device = made(cutFamily());
        QVERIFY(device.ok());
        Json turned = cutFamily();
        for (auto& [name, block] : turned["blocks"].items())
            for (auto& [reg, row] : block["registers"].items())
                if (row.contains("parts"))
                    std::swap(row["parts"][0], row["parts"][1]);
        const Expected<Device> other = made(turned);
        QVERIFY(other.ok());
        int differ = 0, tried = 0;
        for (const InstanceIndex i : device->instances.indices())
            for (const RegisterIndex r : device->blockOf(i).registers.indices()) {
                const Register& reg = device->blockOf(i).registers[r];
                SimulatedRegisters registers(*device);
                if (reg.parts.empty() || registers.locked(int(i)) ||
                    registers.faceOf(registers.cellOf(int(i), int(r))) !=
                        std::pair(InstanceIndex(int(i)), RegisterIndex(int(r))))
                    continue;
                ++tried;
                const auto put = [&](const Device& told, std::uint32_t value) {
                    for (const BusAccess& access : accessesOf(told, int(i), int(r), value))
                        if (const auto whole = registers.writePart(registers.find(access.address), access.value))
                            (void)registers.write(registers.find(access.address).cell, *whole, 0);
                };
                if (std::any_of(reg.fields.begin(), reg.fields.end(),
                                [](const Field& field) { return field.access == Field::Access::Key; }))
                    continue;
                std::uint32_t kept = 0;
                for (const Field& field : reg.fields)
                    kept |= field.access == Field::Access::ReadWrite ? field.mask() : 0;
                put(*device, 0x5AC31E96u);
                const std::uint32_t right = registers.cell(registers.cellOf(int(i), int(r))).value & kept;
                QVERIFY2(right == (0x5AC31E96u & kept),
                         fmt::format("{}.{} holds {:X}", device->instances[i].name, reg.name, right).c_str());
                put(*other, 0xA53CE169u);
                differ += (registers.cell(registers.cellOf(int(i), int(r))).value & kept) != (0xA53CE169u & kept);
            }
        QVERIFY2(tried > 60 && differ > tried / 3, fmt::format("{} of {}", differ, tried).c_str());
    }

    /// What a compiler would not notice, the judge does: halves in the wrong order, and a key that is left out.
    void wrongCodeIsNoticed()
    {
        const auto s = on(guarded(cutFamily()));
        const auto judged = [&](const std::string& from, const std::string& to) {
            Source changed = s->source();
            for (SourceFile& file : changed.files)
                if (file.name.ends_with("_regs.h"))
                    for (SourceLine& line : file.lines)
                        if (const size_t at = line.text.find(from); at != std::string::npos)
                            line.text.replace(at, from.size(), to);
            const QTemporaryDir folder;
            const Expected<Rehearsal> run = rehearseMachineCode(s->facts(), changed, {}, folder.path().toStdString());
            return run.ok() ? hazardsText(*run) : run.problem().text();
        };
        QVERIFY(judged("nothing of this", "").empty());
        const std::string noKey = judged("at->DOOR = ", "(void)");
        QVERIFY2(noKey.find("does not directly follow 0xC3 in CLK.DOOR") != std::string::npos, noKey.c_str());
        const std::string wrongKey = judged("KEY_AT(0xC3u)", "KEY_AT(0xC2u)");
        QVERIFY2(wrongKey.find("does not directly follow") != std::string::npos, wrongKey.c_str());
        const std::string halves = judged("_U = (uint16_t)(value >> 16u)", "_U = (uint16_t)(value >> 15u)");
        QVERIFY(!halves.empty());
    }

    void faultsInTheFileAreTold_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("says");
        const char* row = R"("RATE": { "offset": "0x04",)";
        QTest::newRow("one part") << row
                                  << R"("RATE": { "parts": [{ "name": "R0", "offset": "0x04", "bits": "15:0" }],)"
                                  << "two parts or more";
        QTest::newRow("a gap")
            << row
            << R"("RATE": { "parts": [{ "name": "R0", "offset": "0x04", "bits": "7:0" }, { "name": "R1", "offset": "0x05", "bits": "23:16" }],)"
            << "without a gap";
        QTest::newRow("twice")
            << row
            << R"("RATE": { "parts": [{ "name": "R0", "offset": "0x04", "bits": "15:0" }, { "name": "R1", "offset": "0x06", "bits": "23:8" }],)"
            << "in a part before";
        QTest::newRow("odd bits")
            << row
            << R"("RATE": { "parts": [{ "name": "R0", "offset": "0x04", "bits": "11:0" }, { "name": "R1", "offset": "0x06", "bits": "23:12" }],)"
            << "8 or 16 bits";
        QTest::newRow("odd place")
            << row
            << R"("RATE": { "parts": [{ "name": "R0", "offset": "0x05", "bits": "15:0" }, { "name": "R1", "offset": "0x06", "bits": "31:16" }],)"
            << "multiples of 2";
        QTest::newRow("width too")
            << row
            << R"("RATE": { "width": 32, "parts": [{ "name": "R0", "offset": "0x04", "bits": "15:0" }, { "name": "R1", "offset": "0x06", "bits": "31:16" }],)"
            << "each part says its own";
        QTest::newRow("too small")
            << row
            << R"("RATE": { "parts": [{ "name": "R0", "offset": "0x04", "bits": "7:0" }, { "name": "R1", "offset": "0x05", "bits": "15:8" }],)"
            << "beyond the 16 bits";
        QTest::newRow("name taken")
            << row
            << R"("RATE": { "parts": [{ "name": "CTL", "offset": "0x04", "bits": "15:0" }, { "name": "R1", "offset": "0x06", "bits": "31:16" }],)"
            << "of the name CTL";
        QTest::newRow("order of none") << row << R"("RATE": { "offset": "0x04", "read_as_written": true,)"
                                       << "of parts only";
        QTest::newRow("no code") << row << R"("RATE": { "offset": "0x04", "guard": "CTL.ON",)"
                                 << "LOCK.KEY=0x5A";
        QTest::newRow("no field") << row << R"("RATE": { "offset": "0x04", "guard": "CTL.ONN=1",)"
                                  << "CTL.ON";
        QTest::newRow("own register") << row << R"("RATE": { "offset": "0x04", "guard": "RATE.DIV=1",)"
                                      << "guards";
        QTest::newRow("code too large") << row << R"("RATE": { "offset": "0x04", "guard": "CTL.ON=2",)"
                                        << "the value that it gets";
        QTest::newRow("other instance") << row << R"("RATE": { "offset": "0x04", "guard": "NOWHERE.CTL.ON=1",)"
                                        << "not a field";
    }
    void faultsInTheFileAreTold()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, says);
        const std::string bad = replaced(textOf(std::string(BINDREL_SOURCE_ROOT) + "/data/devices/sedge/sedge.json"),
                                         from.toStdString(), to.toStdString());
        const Expected<Device> device = parseDevice(own(), "own.json", bad, "family.json");
        QVERIFY(!device.ok());
        QVERIFY2(device.problem().text().find(says.toStdString()) != std::string::npos && device.problem().line > 0,
                 device.problem().text().c_str());
    }

    void whatMustStandAtOneAddressIsTold()
    {
        Json chip = family();
        cut(chip["blocks"]["uart"]["registers"]["DATA"], "DATA", true);
        const Expected<Device> device = made(chip);
        QVERIFY(device.ok());
        const auto remarks = lint(*device);
        QVERIFY(std::any_of(remarks.begin(), remarks.end(), [](const LintRemark& remark) {
            return remark.check == "part-wanted-whole" && remark.text.find("DMA") != std::string::npos;
        }));
    }
};

BINDREL_TEST(PartsRunTest)
#include "parts_run_test.moc"
