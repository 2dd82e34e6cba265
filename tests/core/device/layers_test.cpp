// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/device_memory.h"
#include "core/device/layers.h"
#include "core/device/lint.h"
#include "core/device/load_device.h"
#include "core/pins/bind_all.h"
#include "core/plan/board_facts.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

#include <QTemporaryDir>

using namespace bindrel;
using namespace bindrel::test;
using Json = nlohmann::ordered_json;

/// A device laid over the files that it stands on: what wins, what is told, and where a value comes from.
class LayersTest : public QObject {
    Q_OBJECT

    std::unique_ptr<QTemporaryDir> dir_;

    std::filesystem::path at(const std::string& name) const
    {
        return std::filesystem::path(dir_->path().toStdString()) / name;
    }
    void save(const std::string& name, const std::string& text) const { QVERIFY(writeFileAtomically(at(name), text)); }
    std::string refusal(const std::string& name = "chip.json") const
    {
        const Expected<Device> device = loadDevice(at(name));
        return device ? std::string() : device.problem().text();
    }
    static bool has(const std::string& text, const char* what) { return text.find(what) != std::string::npos; }

    static constexpr const char* kRegisters = R"(<?xml version="1.0"?>
<device><name>MILL</name><width>32</width><size>32</size><cpu><name>CM3</name><nvicPrioBits>3</nvicPrioBits></cpu><peripherals>
<peripheral><name>SAY1</name><groupName>SAY</groupName><description>Asynchronous serial port.</description><baseAddress>0x61000000</baseAddress>
<interrupt><name>SAY1</name><value>3</value></interrupt><registers>
<register><name>CTL</name><addressOffset>0</addressOffset><fields>
<field><name>GO</name><bitOffset>0</bitOffset></field>
<field><name>SEND</name><description>Enables the transmitter.</description><bitOffset>1</bitOffset></field></fields></register>
<register><name>RATE</name><addressOffset>8</addressOffset></register></registers></peripheral>
</peripherals></device>
)";

private Q_SLOTS:
    void init() { dir_ = std::make_unique<QTemporaryDir>(); }

    void theUpperWordWins()
    {
        save(
            "low.json",
            R"({ "about": "low", "supply": ["1 V", "2 V"], "clocks": [ { "id": "A", "name": "a" }, { "id": "B", "name": "b" } ],
                              "instances": { "X": { "base": "0x10", "bus": "A" }, "Y": { "base": "0x20" } } })");
        const std::string top = R"({ "name": "T", "layers": [ { "file": "low.json" } ], "about": "top",
            "clocks": [ { "id": "B", "name": "bee" }, { "id": "C" } ],
            "instances": { "X": { "bus": "C" }, "Y": null, "Z": { "base": "0x30" } } })";
        const Expected<Layered> layered =
            layDown(top, at("chip.json").string(), {{at("low.json"), textOf(at("low.json"))}});
        QVERIFY2(layered.ok(), layered.ok() ? "" : layered.problem().text().c_str());
        const Json& v = layered->device->value();
        COMPARE_TEXT(v["about"].get<std::string>(), "top");
        QCOMPARE(v["clocks"].size(), size_t(3));
        COMPARE_TEXT(v["clocks"][1]["name"].get<std::string>(), "bee");
        COMPARE_TEXT(v["instances"]["X"]["base"].get<std::string>(), "0x10");
        COMPARE_TEXT(v["instances"]["X"]["bus"].get<std::string>(), "C");
        // What names the instance goes along, so the readers are told of it.
        QVERIFY(v["absent"] == Json::array({"Y"}) && v["instances"].contains("Z"));
        // Nothing is shadowed in silence.
        std::set<std::string> replaced;
        for (const Replaced& r : layered->replaced)
            replaced.insert(r.pointer);
        QVERIFY((replaced == std::set<std::string>{"/about", "/clocks/1/name", "/instances/X/bus", "/instances/Y"}));
        // Each value knows its file and line.
        const auto file = [&](const char* pointer) {
            return std::filesystem::path(layered->device->place(pointer).file).filename().string();
        };
        COMPARE_TEXT(file("/instances/X/base"), "low.json");
        QCOMPARE(layered->device->place("/instances/X/base").line, 2);
        COMPARE_TEXT(file("/instances/X/bus"), "chip.json");
        QCOMPARE(layered->device->place("/instances/X/bus").line, 3);
        COMPARE_TEXT(file("/clocks/0/name"), "low.json");
        COMPARE_TEXT(file("/clocks/2/id"), "chip.json");
    }

    void onlyWhatALayerIsAskedFor()
    {
        save("low.json", R"({ "about": "low", "worlds": ["w"] })");
        const Expected<Layered> layered = layDown(R"({ "layers": [ { "file": "low.json", "gives": ["worlds"] } ] })",
                                                  at("chip.json").string(), {{at("low.json"), textOf(at("low.json"))}});
        QVERIFY(layered.ok());
        QVERIFY(!layered->device->value().contains("about") && layered->device->value().contains("worlds"));
    }

    void correctionsHaveAReason()
    {
        save("chip.svd", kRegisters);
        const std::string patch =
            R"({ "at": "/blocks/say/registers/RATE/offset", "was": "0x8", "is": "0x4", "because": "erratum 3" })";
        save("chip.json", R"({ "name": "MILL", "layers": [ { "file": "chip.svd" } ], "patches": [ )" + patch + " ] }");
        const Expected<Device> device = loadDevice(at("chip.json"));
        QVERIFY2(device.ok(), refusal().c_str());
        QCOMPARE(device->blocks.front().registers[RegisterIndex(1)].offset, 4u);
        QCOMPARE(device->origins->replaced.size(), size_t(1));
        COMPARE_TEXT(device->origins->replaced[0].because, "erratum 3");
        // The maker mends the file: the correction is told to have no place any more, and the maker's word stands.
        std::string mended = kRegisters;
        mended.replace(mended.find("<addressOffset>8<"), 17, "<addressOffset>12<");
        save("chip.svd", mended);
        const Expected<Device> newer = loadDevice(at("chip.json"));
        QVERIFY(newer.ok());
        QCOMPARE(newer->blocks.front().registers[RegisterIndex(1)].offset, 12u);
        QVERIFY(newer->origins->remarks.size() == 1 && has(newer->origins->remarks[0].message, "now says \"0xC\""));
        for (const char* bad : {R"({ "at": "/a", "is": 1 })", R"({ "is": 1, "because": "x" })",
                                R"({ "at": "/a", "is": 1, "because": "x", "if": 2 })", "7"}) {
            save("chip.json", R"({ "name": "MILL", "layers": [ { "file": "chip.svd" } ], "patches": [ )" +
                                  std::string(bad) + " ] }");
            QVERIFY2(has(refusal(), "a correction has"), refusal().c_str());
        }
    }

    void problemsNameTheMakersLine()
    {
        std::string wrong = kRegisters;
        wrong.replace(wrong.find("0x61000000"), 10, "0x61000001");
        save("chip.svd", wrong);
        save("chip.json", R"({ "name": "MILL", "layers": [ { "file": "chip.svd" } ] })");
        const std::string why = refusal();
        QVERIFY2(has(why, "chip.svd:3:") && has(why, "/instances/SAY1/base"), why.c_str());
        save("chip.svd", kRegisters);
        save("chip.json", R"({ "name": "MILL", "layers": [ { "file": "chip.svd" } ],
  "instances": { "SAY1": { "bus": "NOPE" } } })");
        QVERIFY2(has(refusal(), "chip.json:2:"), refusal().c_str());
    }

    void noFileOutsideOfTheFolder()
    {
        for (const char* file : {"../x.svd", "/etc/passwd", "a/../../x", ""}) {
            save("chip.json", fmt::format(R"({{ "name": "M", "layers": [ {{ "file": "{}" }} ] }})", file));
            QVERIFY2(has(refusal(), "in the folder of this one"), refusal().c_str());
        }
        std::filesystem::create_symlink("/etc/hostname", at("link.svd"));
        save("chip.json", R"({ "name": "M", "layers": [ { "file": "link.svd" } ] })");
        QVERIFY2(has(refusal(), "leads out of the folder"), refusal().c_str());
        save("chip.json", R"({ "name": "M", "layers": [ { "file": "none.svd" } ] })");
        QVERIFY2(has(refusal(), "none.svd"), refusal().c_str());
        save("chip.json", R"({ "name": "M", "layers": [ { "file": "chip.json" } ] })");
        QVERIFY(!refusal().empty()); // stands on itself
    }

    void membersStandOnTheirFamily()
    {
        save("family.json",
             R"({ "supply": ["1 V", "2 V"], "layers": [ { "file": "chip.svd" } ], "pads": { "P1": {}, "P2": {} } })");
        save("chip.svd", kRegisters);
        save("chip.json", R"({ "name": "MILL-8", "layers": [ { "file": "family.json" } ], "pads": { "P2": null },
            "package": { "kind": "dual row", "name": "DR8", "pins": ["P1", "VDD", "VSS", "NC"], "supply": ["VDD"], "ground": ["VSS"], "dedicated": ["NC"] } })");
        const Expected<Device> device = loadDevice(at("chip.json"));
        QVERIFY2(device.ok(), refusal().c_str());
        QCOMPARE(device->pads.size(), size_t(1));
        QCOMPARE(device->instances.size(), size_t(1));
    }

    /// "family", "absent" and "overrides" are layers like others: each value knows its file, and what names a thing
    /// that is taken away goes along.
    void aFamilyIsALayer()
    {
        const std::string family = textOf(dataPath("devices/sedge/sedge.json"));
        const std::string member = textOf(dataPath("devices/sedge/se4332-c64.json"));
        save("sedge.json", family);
        save("member.json", member);
        const Expected<Device> plain = loadDevice(at("member.json"));
        QVERIFY2(plain.ok(), refusal("member.json").c_str());
        COMPARE_TEXT(plain->family, "Sedge SE43");
        const auto file = [&](const Device& device, OriginOf what, const char* name) {
            return std::filesystem::path(originOf(device, what, name).file).filename().string();
        };
        COMPARE_TEXT(file(*plain, OriginOf::Register, "UART1.CTL"), "sedge.json");
        COMPARE_TEXT(std::filesystem::path(plain->origins->values->place("/package").file).filename().string(),
                     "member.json");

        // By null what "absent" says.
        Json other = Json::parse(member, nullptr, true, true);
        other["absent"].erase(std::find(other["absent"].begin(), other["absent"].end(), "UART5"));
        other.erase("family");
        other["layers"] = Json::array({Json{{"file", "sedge.json"}}});
        other["instances"]["UART5"] = nullptr;
        save("other.json", other.dump(1));
        const Expected<Device> byNull = loadDevice(at("other.json"));
        QVERIFY2(byNull.ok(), refusal("other.json").c_str());
        QVERIFY(byNull->findInstance("UART5") < 0);
        QCOMPARE(byNull->instances.size(), plain->instances.size());
        QCOMPARE(byNull->pads.size(), plain->pads.size());
        QCOMPARE(byNull->routes.size(), plain->routes.size());
        QVERIFY(lint(*byNull).empty());

        // A layer of a layer: a customer's chip over the member, over its family. A section of a member's own stands
        // for the family's, that of a layer goes into it.
        save("mine.json", R"({ "name": "MINE", "layers": [ { "file": "member.json" } ],
            "instances": { "UART4": null },
            "overrides": { "blocks": { "uart": { "abilities": { "fraction_bits": [3] } } } } })");
        const Expected<Device> mine = loadDevice(at("mine.json"));
        QVERIFY2(mine.ok(), refusal("mine.json").c_str());
        QVERIFY(mine->findInstance("UART4") < 0 && mine->findInstance("UART5") < 0 && mine->findInstance("UART1") >= 0);
        QCOMPARE(mine->package.pins.size(), size_t(64));
        QCOMPARE(mine->ability(mine->findInstance("UART1"), "fraction_bits", 0), std::int64_t(3));
        save("short.json", R"({ "name": "SHORT", "family": "sedge.json", "modes": [], "package": )" +
                               Json::parse(member, nullptr, true, true)["package"].dump() +
                               ", \"absent\": " + Json::parse(member, nullptr, true, true)["absent"].dump() + " }");
        const Expected<Device> without = loadDevice(at("short.json"));
        QVERIFY2(without.ok(), refusal("short.json").c_str());
        QVERIFY(without->modes.empty() && !plain->modes.empty());

        // Words over blocks that are none.
        for (const char* blocks : {"[ {} ]", "7", "{ \"0\": 7 }", "null"}) {
            save("odd.json", fmt::format(
                                 R"({{ "name": "O", "blocks": {},
                          "overrides": {{ "blocks": {{ "0": {{ "roles": {{ "on": null }} }} }} }} }})",
                                 blocks));
            QVERIFY2(!refusal("odd.json").empty(), blocks);
        }
        // A file that is its own family, and one of another format.
        save("self.json", R"({ "name": "S", "family": "self.json" })");
        QVERIFY2(has(refusal("self.json"), "four deep"), refusal("self.json").c_str());
        std::string later = family;
        later.replace(later.find("\"format\": 1"), 11, "\"format\": 2");
        save("sedge.json", later);
        QVERIFY2(has(refusal("member.json"), "sedge.json:") && has(refusal("member.json"), "reads format 1, not 2"),
                 refusal("member.json").c_str());
    }

    /// What a plan was saved with is kept whole, makers' files too.
    void allFilesOfADeviceAreRemembered()
    {
        std::filesystem::create_directories(at("files"));
        save("files/chip.svd", kRegisters);
        save("files/base.json", R"({ "layers": [ { "file": "chip.svd" } ] })");
        save("chip.json", R"({ "name": "MILL", "layers": [ { "file": "files/base.json" } ] })");
        const Expected<Device> device = loadDevice(at("chip.json"));
        QVERIFY2(device.ok(), refusal().c_str());
        QVERIFY(rememberDevice(*device, at("memory")).ok());
        save("files/chip.svd", "<device/>");
        const Expected<Device> then = recallDevice(device->revision, at("memory"));
        QVERIFY2(then.ok(), then ? "" : then.problem().text().c_str());
        QCOMPARE(then->blocks.size(), device->blocks.size());
        QCOMPARE(then->blocks.front().registers.size(), size_t(2));
        save("files/chip.svd", kRegisters);
        const Expected<Device> alone = loadDevice(at("files/chip.svd"));
        QVERIFY(alone.ok() && rememberDevice(*alone, at("memory")).ok());
        QVERIFY(recallDevice(alone->revision, at("memory")).ok());
    }

    /// What is not described is not known: told once, never guessed, never an error.
    void describedInPart()
    {
        save("chip.svd", kRegisters);
        const Expected<Device> registers = loadDevice(at("chip.svd"));
        QVERIFY2(registers.ok(), refusal("chip.svd").c_str());
        QVERIFY(registers->lacks("clocks") && registers->lacks("memory") && registers->lacks("package") &&
                !registers->lacks("core"));
        QVERIFY(!registers->canBeWritten());
        bool told = false;
        for (const LintRemark& remark : lint(*registers))
            told = told || remark.check == "not-described";
        QVERIFY(told);

        save("pins.csv", "pin,pad\n1,PA0\n2,PA1\n3,VDD\n4,VSS\n");
        save("pins.json", R"({ "name": "PINS", "layers": [ { "file": "pins.csv" } ],
            "instances": { "U": { "kind": "uart", "signals": { "TX": "out", "RX": "in" } } },
            "pads": { "PA0": { "routes": { "1": "U.TX" } }, "PA1": { "routes": { "1": "U.RX" } } } })");
        const Expected<Device> pins = loadDevice(at("pins.json"));
        QVERIFY2(pins.ok(), refusal("pins.json").c_str());
        LoadedPlan work;
        work.device = std::make_shared<const Device>(*pins);
        work.board = std::make_shared<const Board>(bareBoard(*work.device));
        work.plan.name = "p";
        work.plan.device = "PINS";
        Need need;
        need.id = "line";
        need.title = "Line";
        need.kind = "uart";
        work.plan.needs.push_back(need);
        const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
        QVERIFY2(all.ok(), all ? "" : all.problem().message.c_str());
        work.plan = *applied(work.plan, all->edit);
        const auto s = run(work);
        QCOMPARE(s->bindings.count(BoundNeed::State::Open), 0);
        COMPARE_TEXT(s->plan.needs.front().binding.pads.at("tx"), "PA0");
        QCOMPARE(s->findings.size(), size_t(1));
        COMPARE_TEXT(s->findings[0].rule, "DEV-03");
        QVERIFY(s->findings[0].severity == Finding::Severity::Caution);
        QVERIFY(s->source().files.empty());
    }
};

BINDREL_TEST(LayersTest)
#include "layers_test.moc"
