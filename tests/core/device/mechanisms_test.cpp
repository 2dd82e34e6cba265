// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/rates.h"
#include "core/device/lint.h"
#include "core/quantity/parse.h"
#include "tests/support/edited_chip.h"
#include "tests/support/rehearse.h"

#include <cmath>
#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Mechanisms of chips that the shipped ones lack, each tried on a shipped chip that is changed to have it: the file is
/// clean, the planned bring-up and the machine code do what the mechanism asks for, and a file that says half of it is
/// refused with a place.
class MechanismsTest : public QObject {
    Q_OBJECT

    static std::string cleanAndUp(const EditedChip& chip, const LoadedPlan& work)
    {
        const Expected<Device> device = chip.device();
        if (!device)
            return device.problem().text();
        std::string out;
        for (const LintRemark& remark : lint(*device))
            out += remark.check + ": " + remark.text + "\n";
        const auto s = chip.with(work);
        out += findingsText(*s);
        for (const Scenario& scenario : scenariosOf(s->facts()))
            if (!scenario.whatIf())
                out += rehearsed(*s, scenario);
        return out;
    }
    static bool says(const std::string& text, const char* what) { return text.find(what) != std::string::npos; }
    static const Step* stepOn(const Snapshot& s, const std::string& field)
    {
        const std::optional<FieldRef> ref = s.device->findField(field);
        for (const Step& step : s.image.steps)
            for (const FieldWrite& write : step.fields)
                if (ref && write.ref == *ref)
                    return &step;
        return nullptr;
    }

private Q_SLOTS:
    /// A key that another type of clock has would be read by nobody: each of them, at each clock of the chip.
    void keysOfOtherTypesAreRefused()
    {
        const std::map<std::string, Json> values{{"rate", "8 MHz"},
                                                 {"rates", Json::array({Json{{"rate", "8 MHz"}, {"code", 0}}})},
                                                 {"tolerance", "1 %"},
                                                 {"crystal", Json::array({"4 MHz", "8 MHz"})},
                                                 {"loads", Json::array()},
                                                 {"inputs", Json{{"HFI", 0}}},
                                                 {"factors", "1..4"},
                                                 {"from", "HFI"},
                                                 {"encoding", "minus one"},
                                                 {"unit", 4},
                                                 {"status", "CLK.STAT.SYSNOW"},
                                                 {"follows", "HFI"},
                                                 {"factor", Json{{"when_one", 1}, {"else", 2}}}};
        int refused = 0;
        const Json clocks = EditedChip::sedge().json["clocks"];
        for (const Json& clock : clocks)
            for (const auto& [key, value] : values) {
                if (clock.contains(key))
                    continue;
                EditedChip chip = EditedChip::sedge();
                chip.clock(clock["id"])[key] = value;
                const std::string why = chip.refusal();
                const std::string type = clock["type"];
                const bool its = (type == "divide" && (key == "encoding" || key == "unit")) ||
                                 (type == "multiply" && (key == "encoding" || key == "unit")) ||
                                 (type == "select" && key == "status") || (type == "crystal" && key == "loads") ||
                                 (type == "oscillator" && (key == "rates" || key == "rate" || key == "tolerance")) ||
                                 (type == "follow" && (key == "follows" || key == "factor"));
                if (its)
                    continue;
                QVERIFY2(says(why, ("\"" + key + "\"").c_str()) && says(why, "/clocks/"),
                         fmt::format("{} of {} {}: {}", key, type, clock["id"].get<std::string>(), why).c_str());
                ++refused;
            }
        QVERIFY2(refused > 300, std::to_string(refused).c_str());
    }

    void signalsHaveTheDirectionOfTheirKind()
    {
        int refused = 0;
        const Json all = EditedChip::sedge().json["instances"];
        for (const auto& [name, instance] : all.items()) {
            const Json signals = instance.value("signals", Json::object());
            for (const auto& [signal, direction] : signals.items())
                for (const char* other : {"in", "out", "both", "analog"}) {
                    EditedChip chip = EditedChip::sedge();
                    chip.json["instances"][name]["signals"][signal] = other;
                    if (const std::string why = chip.refusal(); says(why, "the signal "))
                        ++refused;
                }
        }
        QVERIFY2(refused > 80, std::to_string(refused).c_str());
        for (const auto& [name, signal, wrong] : {std::tuple{"UART1", "TX", "in"},
                                                  {"UART1", "RX", "out"},
                                                  {"I2C1", "SDA", "out"},
                                                  {"ADC1", "IN1", "in"},
                                                  {"CAN1", "TX", "in"}}) {
            EditedChip chip = EditedChip::sedge();
            chip.json["instances"][name]["signals"][signal] = wrong;
            const std::string why = chip.refusal();
            QVERIFY2(says(why, "the signal ") && says(why, signal), why.c_str());
        }
    }

    void aCoreIsMeantByItsId()
    {
        EditedChip chip = EditedChip::alder();
        std::string block;
        for (const auto& [name, candidate] : chip.json["blocks"].items())
            if (candidate.value("kind", "") == "lines")
                block = name;
        QVERIFY(!block.empty());
        Json& roles = chip.block(block)["roles"];
        std::string right;
        for (const auto& [role, field] : roles.items())
            if (role.starts_with("enable_"))
                right = role;
        QVERIFY(!right.empty());
        const Json value = roles[right];
        std::string wrong = right;
        for (char& c : wrong)
            c = c >= 'A' && c <= 'Z' ? char(c - 'A' + 'a') : c;
        QVERIFY(wrong != right);
        roles.erase(right);
        roles[wrong] = value;
        const std::string why = chip.refusal();
        QVERIFY2(says(why, wrong.c_str()) && says(why, "names no core of this chip"), why.c_str());
    }

    void aBitHasOneFieldForARole()
    {
        EditedChip chip = EditedChip::sedge();
        Json& port = chip.block("port");
        port["registers"]["ALSO"] = Json{{"offset", "0xE0"}, {"fields", {{"P{n}", {{"bits", "0"}, {"count", 13}}}}}};
        port["roles"]["pull"] = Json::array({"CFG{bit}.PULL", "ALSO.P{bit}"});
        const std::string why = chip.refusal();
        QVERIFY2(says(why, "is a second field for bit 0"), why.c_str());
    }

    /// What C cannot convert is no encoding of what C reads and writes.
    void encodingsThatTheProgramCannotConvert()
    {
        for (const auto& [block, role, field] : {std::tuple{"uart", "data", "DATA.BYTE"},
                                                 {"uart", "receive_full", "STAT.RXF"},
                                                 {"can", "send_length", ""},
                                                 {"general_timer", "counter", ""},
                                                 {"i2c", "start", "CMD.START"}}) {
            EditedChip chip = EditedChip::sedge();
            Json& entry = chip.block(block)["roles"][role];
            QVERIFY2(!entry.is_null(), role);
            const std::string name = *field              ? field
                                     : entry.is_object() ? entry["field"].get<std::string>()
                                                         : entry.get<std::string>();
            entry = Json{{"field", name}, {"encoding", "power of two"}};
            const std::string why = chip.refusal();
            QVERIFY2(says(why, "it takes no encoding") && says(why, role), (std::string(role) + ": " + why).c_str());
        }
        EditedChip clock = EditedChip::sedge();
        clock.block("rtc")["roles"]["hour"] = Json{{"field", "TIME.HOUR"}, {"encoding", {{"table", {{0, 1}, {1, 0}}}}}};
        QVERIFY(says(clock.refusal(), "the program converts the values of the role"));
    }

    /// The weakest drive that is enough for the board's crystal, before it is switched on.
    void drivesOfACrystal()
    {
        const auto s = run(demo("pump-hall-a-done"));
        const Step* drive = stepOn(*s, "CLK.SOURCES.HX_DRIVE");
        const Step* on = stepOn(*s, "CLK.SOURCES.HX_ON");
        QVERIFY(drive && on && drive <= on);
        // 25 MHz: more than 14, at most 28.
        for (const FieldWrite& write : drive->fields)
            if (s->device->nameOf(write.ref) == "CLK.SOURCES.HX_DRIVE")
                QCOMPARE(write.code, 1u);
        for (const auto& [rate, code] : {std::pair{"7 MHz", 0u}, {"14 MHz", 0u}, {"14001 kHz", 1u}, {"42 MHz", 2u}}) {
            const Expected<Frequency> parsed = parseFrequency(rate);
            const ClockNode& node = s->device->clocks[s->device->findClock("HX")];
            QVERIFY(parsed && driveFor(node, *parsed) && driveFor(node, *parsed)->second == code);
        }
        EditedChip falling = EditedChip::alder();
        falling.clock("HX")["drives"] = Json::array({Json::array({"28 MHz", 1}), Json::array({"14 MHz", 0})});
        QVERIFY(says(falling.refusal(), "rising order"));
        EditedChip low = EditedChip::alder();
        low.clock("HX")["drives"] = Json::array({Json::array({"14 MHz", 0})});
        QVERIFY(says(low.refusal(), "fastest crystals"));
        EditedChip half = EditedChip::alder();
        half.clock("HX").erase("drives");
        QVERIFY(says(half.refusal(), "drive_control"));
        // The judge sees a drive that is forgotten.
        Image forgotten = s->image;
        for (Step& step : forgotten.steps)
            for (const FieldWrite& write : step.fields)
                if (s->device->nameOf(write.ref) == "CLK.SOURCES.HX_DRIVE")
                    step.value &= ~s->device->fieldOf(write.ref).mask();
        const Facts facts{*s->device,  *s->board,   s->plan, s->bindings, s->rates,
                          s->settings, s->accuracy, s->pads, forgotten,   s->provenance};
        const std::string told = hazardsText(rehearsePlanned(facts, {}));
        QVERIFY2(says(told, "drive of"), told.c_str());
    }

    /// Two keys, one after the other, in two registers or in one.
    void locksOfSeveralKeys()
    {
        for (const bool one : {false, true}) {
            EditedChip chip = EditedChip::sedge();
            Json& registers = chip.block("clock")["registers"];
            const Json guard =
                one ? Json::array({"DOOR.KEY=0x35", "DOOR.KEY=0x6A"}) : Json::array({"DOOR.KEY=0x35", "GATE.KEY=0x6A"});
            for (auto& [name, reg] : registers.items())
                if (name != "KEY")
                    reg["guard"] = guard;
            const Json lock{{"offset", "0xF0"}, {"fields", {{"KEY", {{"bits", "7:0"}, {"access", "wo"}}}}}};
            registers["DOOR"] = lock;
            registers["GATE"] = lock;
            registers["GATE"]["offset"] = "0xF4";
            const std::string against = cleanAndUp(chip, demo());
            QVERIFY2(against.empty(), against.c_str());
            // The first key alone does not open, nor do both the other way round.
            const auto s = chip.with(demo());
            for (const auto& [from, to] :
                 {std::pair{"KEY_AT(0x6Au)", "KEY_AT(0x6Bu)"}, {"KEY_AT(0x35u)", "KEY_AT(0x6Au)"}}) {
                Source changed = s->source();
                for (SourceFile& file : changed.files)
                    for (SourceLine& line : file.lines)
                        if (const size_t at = line.text.find(from);
                            file.name.ends_with("_regs.h") && at != std::string::npos)
                            line.text.replace(at, std::string(from).size(), to);
                const QTemporaryDir folder;
                const Expected<Rehearsal> judged =
                    rehearseMachineCode(s->facts(), changed, {}, folder.path().toStdString());
                QVERIFY(judged.ok());
                QVERIFY2(says(hazardsText(*judged), "does not directly follow"), hazardsText(*judged).c_str());
            }
        }
        EditedChip behind = EditedChip::sedge();
        Json& registers = behind.block("clock")["registers"];
        registers["DOOR"] = Json{{"offset", "0xF0"}, {"guard", "GATE.KEY=1"}, {"fields", {{"KEY", {{"bits", "7:0"}}}}}};
        registers["GATE"] = Json{{"offset", "0xF4"}, {"fields", {{"KEY", {{"bits", "7:0"}}}}}};
        registers["OSC"]["guard"] = "DOOR.KEY=2";
        QVERIFY2(says(behind.refusal(), "list all keys here"), behind.refusal().c_str());
    }

    /// Gates that one register opens, another closes, and a third shows.
    void gatesWithRegistersOfTheirOwn()
    {
        EditedChip chip = EditedChip::sedge();
        Json& registers = chip.block("clock")["registers"];
        int moved = 0;
        for (const auto& [alias, verb] : {std::pair{"OPEN", "gate_set"}, {"SHUT", "gate_clear"}}) {
            Json fields = Json::object();
            for (const auto& [name, field] : registers["GATE1"]["fields"].items()) {
                fields[name] = field.is_object() ? field : Json{{"bits", field}};
                fields[name]["access"] = "wo";
            }
            registers[alias] = Json{{"offset", std::string(alias) == "OPEN" ? "0xE0" : "0xE4"}, {"fields", fields}};
            for (auto& [name, instance] : chip.json["instances"].items())
                if (instance.contains("gate") && instance["gate"].get<std::string>().starts_with("CLK.GATE1.")) {
                    instance[verb] = "CLK." + std::string(alias) + "." + instance["gate"].get<std::string>().substr(10);
                    ++moved;
                }
        }
        for (auto& [name, field] : registers["GATE1"]["fields"].items())
            field = field.is_object() ? field : Json{{"bits", field}};
        for (auto& [name, field] : registers["GATE1"]["fields"].items())
            field["access"] = "ro";
        QVERIFY(moved > 10);
        LoadedPlan work = demo();
        ClockSet slow = work.plan.clockSet();
        slow.clocks["SYS"] = clockSaid("HFX");
        slow.clocks["CPU"] = clockSaid("1");
        slow.clocks["BUS1"] = clockSaid("1");
        work = with(work, SetSlow{slow});
        const auto s = chip.with(work);
        const std::string c = s->source().find("sluice_pins.c")->text();
        QVERIFY2(says(c, "->OPEN = ") && !says(c, "GATE1"), c.c_str());
        for (const Scenario& scenario : scenariosOf(s->facts()))
            if (!scenario.whatIf()) {
                const std::string against = rehearsed(*s, scenario);
                QVERIFY2(against.empty(), against.c_str());
            }
        EditedChip half = EditedChip::sedge();
        half.json["instances"]["UART1"]["gate_set"] = half.json["instances"]["UART1"]["gate"];
        half.json["instances"]["UART1"].erase("gate");
        QVERIFY(says(half.refusal(), "needs \"gate\""));
        EditedChip blind = EditedChip::sedge();
        Json& field = blind.block("clock")["registers"]["GATE1"]["fields"]["UART1"];
        field = Json{{"bits", field}, {"access", "wo"}};
        QVERIFY(says(blind.refusal(), "can only be written"));
    }

    /// Gates that can be written once after reset: one write opens all that the plan needs.
    void gatesThatAreWrittenOnce()
    {
        EditedChip chip = EditedChip::sedge();
        Json& registers = chip.block("clock")["registers"];
        for (auto& [name, reg] : registers.items())
            if (name.starts_with("GATE"))
                for (auto& [field, row] : reg["fields"].items())
                    row = Json{{"bits", row.is_object() ? row["bits"] : row}, {"access", "once"}};
        const auto s = chip.with(demo());
        const std::string against = rehearsed(*s);
        QVERIFY2(against.empty(), against.c_str());
        std::map<RegisterIndex, int> writes;
        for (const Step& step : s->image.steps)
            if (const Register& reg = s->device->blockOf(step.instance).registers[step.reg];
                reg.name.starts_with("GATE") && s->device->instances[step.instance].name == "CLK")
                ++writes[step.reg];
        QVERIFY(!writes.empty());
        for (const auto& [reg, count] : writes)
            QCOMPARE(count, 1);
    }

    /// A line has the interrupt of its number, else of the range that it is in; the priorities of others are not its.
    void interruptsOfLines()
    {
        EditedChip chip = EditedChip::sedge();
        chip.json["instances"]["EDGES"]["interrupts"] = Json{{"line6", 40}, {"line7_12", 41}, {"line", 42}};
        LoadedPlan work = demo();
        for (const auto& [need, level] : {std::pair{"modem-ring", "3"}, {"probe-alert", "5"}, {"lid-switch", "5"}})
            work = with(work, SetGoal{need, "priority", level});
        const auto s = chip.with(work);
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const InstanceIndex edges = s->device->lineInstance;
        for (const auto& [line, number] : {std::pair{6, 40}, {7, 41}, {12, 41}, {13, 42}, {0, 42}})
            QCOMPARE(s->device->lineInterrupt(edges, line)->second, number);
        for (const char* need : {"modem_ring", "probe_alert", "lid_switch"}) {
            const std::string c = s->source().find(std::string("sluice_") + need + ".c")->text();
            QCOMPARE(QString::fromStdString(c).count("_interrupt_enable("), 1);
            QCOMPARE(QString::fromStdString(c).count("_interrupt_priority("), 1);
        }
        const std::string against = rehearsed(*s);
        QVERIFY2(against.empty(), against.c_str());
        // One that no interrupt reports is told.
        chip.json["instances"]["EDGES"]["interrupts"] = Json{{"line6", 40}};
        QVERIFY(says(findingsText(*chip.with(demo())), "has no interrupt for line"));
    }

    /// A select that a gate freezes is set while the gate is closed, from reset and whenever the clocks change.
    void aGateFreezesASelect()
    {
        EditedChip chip = EditedChip::sedge();
        Json& registers = chip.block("clock")["registers"];
        registers["KON"] = Json{{"offset", "0xE8"}, {"fields", {{"UART1", "0"}}}};
        Json clocks = Json::array();
        for (const Json& clock : chip.json["clocks"]) {
            clocks.push_back(clock);
            if (clock["id"] == "UART1K") {
                clocks.back()["frozen_by"] = "UART1G";
                Json gate{{"id", "UART1G"},
                          {"tier", "kernel"},
                          {"type", "gate"},
                          {"from", "UART1K"},
                          {"enable", "CLK.KON.UART1"}};
                clocks.push_back(gate);
            }
        }
        // A clock may name only clocks before it, but for what freezes it.
        chip.json["clocks"] = clocks;
        for (auto& [name, instance] : chip.json["instances"].items())
            if (instance.value("kernel", "") == "UART1K")
                instance["kernel"] = "UART1G";
        LoadedPlan work = with(demo(), SetClock{"UART1K", clockSaid("SYS")});
        ClockSet slow = work.plan.clockSet();
        slow.clocks["UART1K"] = clockSaid("HFI");
        work = with(work, SetSlow{slow});
        const auto s = chip.with(work);
        const auto writes = [&](const std::vector<Step>& steps) {
            std::string out;
            for (const Step& step : steps)
                for (const FieldWrite& write : step.fields)
                    if (const std::string name = s->device->nameOf(write.ref);
                        name == "CLK.KON.UART1" || name == "CLK.KSEL1.UART1")
                        out += fmt::format("{}={} ", name.substr(4), write.code);
            return out;
        };
        COMPARE_TEXT(writes(s->image.steps), "KSEL1.UART1=1 KON.UART1=1 ");
        COMPARE_TEXT(writes(s->image.toSlow), "KON.UART1=0 KSEL1.UART1=2 KON.UART1=1 ");
        COMPARE_TEXT(writes(s->image.toFull), "KON.UART1=0 KSEL1.UART1=1 KON.UART1=1 ");
        for (const Scenario& scenario : scenariosOf(s->facts()))
            if (!scenario.whatIf()) {
                const std::string against = rehearsed(*s, scenario);
                QVERIFY2(against.empty(), against.c_str());
            }
    }

    /// Signals of one instance that are led by fields of their own.
    void aLocationPerSignal()
    {
        EditedChip chip = EditedChip::sedge();
        Json& uart = chip.block("uart")["registers"];
        uart["LEADS"] = Json{{"offset", "0x40"}, {"fields", {{"TX", "1:0"}, {"RX", "5:4"}}}};
        chip.json["routing"].push_back(
            Json{{"mechanism", "group remap"},
                 {"remaps",
                  {{"UART1", Json::array({Json{{"field", "UART1.LEADS.TX"},
                                               {"sets", {{"2", {{"TX", "PA2"}}}, {"3", {{"TX", "PA5"}}}}}},
                                          Json{{"field", "UART1.LEADS.RX"},
                                               {"sets", {{"1", {{"RX", "PA7"}}}, {"2", {{"RX", "PA6"}}}}}}})}}}});
        const Expected<Device> device = chip.device();
        QVERIFY2(device.ok(), device.ok() ? "" : device.problem().text().c_str());
        int routes = 0;
        for (const Route& route : device->routes)
            if (route.mechanism == Route::Mechanism::GroupRemap) {
                const std::string signal = device->signalName(route);
                QVERIFY(!route.selects.empty());
                COMPARE_TEXT(device->nameOf(route.selects.back().ref),
                             signal == "UART1.TX" ? "UART1.LEADS.TX" : "UART1.LEADS.RX");
                ++routes;
            }
        QCOMPARE(routes, 4);
    }

    /// Function and pull of each pad in four and two registers of a bit a pad.
    void codesInSlices()
    {
        EditedChip chip = EditedChip::sedge();
        Json& port = chip.block("port");
        Json& fields = port["registers"]["CFG{n}"]["fields"];
        fields.erase("FUNC");
        fields.erase("PULL");
        int offset = 0x60;
        for (const char* name : {"FNA", "FNB", "FNC", "FND", "PEN", "PUP"}) {
            port["registers"][name] =
                Json{{"offset", fmt::format("0x{:X}", offset)}, {"fields", {{"P{n}", {{"bits", "0"}, {"count", 13}}}}}};
            offset += 4;
        }
        port["roles"]["function"] = Json{{"slices", {"FND.P{bit}", "FNC.P{bit}", "FNB.P{bit}", "FNA.P{bit}"}}};
        port["roles"]["pull"] =
            Json{{"slices", {"PUP.P{bit}", "PEN.P{bit}"}}, {"encoding", {{"table", {{0, 0}, {1, 3}, {2, 1}}}}}};
        const std::string against = cleanAndUp(chip, demo());
        QVERIFY2(against.empty(), against.c_str());
        // What the slices say together is what the one field said.
        const auto plain = run(demo());
        const auto sliced = chip.with(demo());
        const Device& d = *sliced->device;
        int functions = 0, pulls = 0;
        for (const PadSetup& setup : sliced->pads) {
            const Pad& pad = d.pads[setup.pad];
            if (pad.port < 0 || setup.wired)
                continue;
            const auto together = [&](std::initializer_list<const char*> registers) {
                std::uint32_t code = 0;
                for (const char* reg : registers)
                    code = code << 1 |
                           sliced->image.codeOf(
                               d, *d.findField(fmt::format("{}.{}.P{}", d.instances[pad.port].name, reg, pad.bit)));
                return code;
            };
            const auto before = [&](const char* field) {
                return plain->image.codeOf(
                    *plain->device,
                    *plain->device->findField(fmt::format("{}.CFG{}.{}", d.instances[pad.port].name, pad.bit, field)));
            };
            QCOMPARE(together({"FND", "FNC", "FNB", "FNA"}), before("FUNC"));
            const std::uint32_t pull = before("PULL");
            QCOMPARE(together({"PUP", "PEN"}), pull == 0 ? 0u : pull == 1 ? 3u : 1u);
            functions += before("FUNC") > 1;
            pulls += pull != 0;
        }
        QVERIFY(functions > 20 && pulls > 0);
        // A slice that is forgotten leaves the pad with another function.
        Image forgotten = sliced->image;
        for (Step& step : forgotten.steps)
            for (const FieldWrite& write : step.fields)
                if (const std::string name = d.nameOf(write.ref); name.find(".FNC.") != std::string::npos)
                    step.value &= ~d.fieldOf(write.ref).mask();
        const Facts facts{d,
                          *sliced->board,
                          sliced->plan,
                          sliced->bindings,
                          sliced->rates,
                          sliced->settings,
                          sliced->accuracy,
                          sliced->pads,
                          forgotten,
                          sliced->provenance};
        QVERIFY(says(hazardsText(rehearsePlanned(facts, {})), "set to function"));

        EditedChip one = chip;
        one.block("port")["roles"]["function"] = Json{{"slices", {"FNA.P{bit}"}}};
        QVERIFY2(says(one.refusal(), "at least two"), one.refusal().c_str());
        EditedChip lacks = chip;
        lacks.block("port")["registers"]["FNB"]["fields"]["P{n}"]["count"] = 12;
        QVERIFY2(says(lacks.refusal(), "bit 12 lacks FNB.P12"), lacks.refusal().c_str());
        EditedChip fixed = chip;
        fixed.block("port")["roles"]["function"] = Json{{"slices", {"FNB.P3", "FNA.P{bit}"}}};
        QVERIFY2(says(fixed.refusal(), "needs {bit}"), fixed.refusal().c_str());
        EditedChip twice = chip;
        twice.block("port")["roles"]["function"] = Json{{"slices", {"FNA.P{bit}", "FNA.P{bit}"}}};
        QVERIFY2(says(twice.refusal(), "lists a field twice"), twice.refusal().c_str());
        EditedChip shared = chip;
        shared.block("port")["roles"]["open_drain"] = "PUP.P{bit}";
        std::string remarks;
        for (const LintRemark& remark : lint(*shared.device()))
            remarks += remark.check + ": " + remark.text + "\n";
        QVERIFY2(says(remarks, "role-twice: port: PUP.P0"), remarks.c_str());
        EditedChip other = chip;
        other.block("port")["roles"]["level"] = Json{{"slices", {"FNA.P{bit}", "FNB.P{bit}"}}};
        QVERIFY2(says(other.refusal(), "\"level\" is held by one field"), other.refusal().c_str());
        EditedChip small = chip;
        small.block("port")["roles"]["function"] = Json{{"slices", {"FNB.P{bit}", "FNA.P{bit}"}}};
        QVERIFY2(says(small.refusal(), "does not fit into"), small.refusal().c_str());
    }

    /// The requests of DMA channels are picked in an instance of its own, behind a gate of its own.
    void aRouterOfRequests()
    {
        EditedChip chip = EditedChip::alder();
        chip.block("mover")["registers"]["WAY{n}"]["fields"].erase("ASK");
        chip.block("mover")["roles"].erase("request");
        chip.json["blocks"]["asking"] =
            Json{{"kind", "dma_router"},
                 {"registers",
                  {{"PICK{n}", {{"offset", "0x00"}, {"count", 14}, {"stride", 4}, {"fields", {{"ASK", "12:6"}}}}}}},
                 {"roles", {{"request", "PICK{bit}.ASK"}}}};
        chip.json["instances"]["ASKS"] =
            Json{{"block", "asking"}, {"base", "0x4702 0000"}, {"bus", "MEM"}, {"gate", "CLK.OPENX.ASKS"}};
        for (auto& [name, block] : chip.json["blocks"].items())
            if (block["registers"].contains("OPEN0")) {
                block["registers"]["OPENX"] = Json{{"offset", "0xF0"}, {"fields", {{"ASKS", "3"}}}};
                if (block["registers"]["OPEN0"].contains("guard"))
                    block["registers"]["OPENX"]["guard"] = block["registers"]["OPEN0"]["guard"];
            }
        chip.json["dma"]["router"] = "ASKS";
        const LoadedPlan work = demo("pump-hall-a-done");
        const std::string against = cleanAndUp(chip, work);
        QVERIFY2(against.empty(), against.c_str());
        const auto s = chip.with(work);
        int asked = 0;
        for (const Need& need : s->plan.needs)
            for (const auto& [request, channel] : need.binding.dma) {
                const Device& d = *s->device;
                const auto& links = d.instances[d.findInstance(need.binding.instance)].dma.at(request);
                const FieldRef field = d.requestField(channel);
                QCOMPARE(d.nameOf(field), fmt::format("ASKS.PICK{}.ASK", channel));
                QCOMPARE(s->image.codeOf(d, field), links.front().code);
                ++asked;
            }
        QVERIFY(asked >= 3);
        EditedChip none = chip;
        none.json["dma"]["router"] = "CAL";
        const Expected<Device> wrong = none.device();
        QVERIFY(!wrong && says(wrong.problem().text(), "dma_router"));
    }

    /// What must not be touched for a while after a write is left alone for so long, by plan and by machine code.
    void writesThatSettle()
    {
        EditedChip chip = EditedChip::sedge();
        chip.block("clock")["registers"]["GATE1"]["settles"] = "3 us";
        chip.block("uart")["registers"]["CTL"]["settles"] = "40 us";
        const std::string against = cleanAndUp(chip, demo());
        QVERIFY2(against.empty(), against.c_str());
        const auto s = chip.with(demo());
        const std::string header = s->source().find("sluice_regs.h")->text();
        QVERIFY2(says(header, "for (volatile uint32_t passes"), header.c_str());
        // Without the wait the judge sees it.
        Source hasty = s->source();
        for (SourceFile& file : hasty.files)
            for (SourceLine& line : file.lines)
                if (const size_t at = line.text.find("for (volatile uint32_t passes = "); at != std::string::npos)
                    line.text = "    for (volatile uint32_t passes = 1u; passes > 0u; passes--) {";
        const QTemporaryDir folder;
        const Expected<Rehearsal> judged = rehearseMachineCode(s->facts(), hasty, {}, folder.path().toStdString());
        QVERIFY(judged.ok());
        QVERIFY2(says(hazardsText(*judged), "before the write to"), hazardsText(*judged).c_str());
        EditedChip never = EditedChip::sedge();
        never.block("uart")["registers"]["CTL"]["settles"] = "2 s";
        QVERIFY(says(never.refusal(), "at most a second"));
    }

    /// An interrupt toggles an output: by the port's own bit where it has one, else by what its level is.
    void interruptsThatToggle()
    {
        for (const bool own : {false, true}) {
            EditedChip chip = EditedChip::sedge();
            if (own) {
                Json& port = chip.block("port");
                port["registers"]["FLIP"] =
                    Json{{"offset", "0x50"}, {"fields", {{"B{n}", {{"bits", "0"}, {"count", 13}, {"access", "w1t"}}}}}};
                port["roles"]["toggle"] = "FLIP.B{bit}";
            }
            LoadedPlan work = demo();
            for (const char* need : {"tick", "lid-switch"})
                work = with(work, SetGoal{need, "toggles", "frost-heater"});
            const auto s = chip.with(work);
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            const std::string c = s->source().find("sluice_frost_heater.c")->text();
            QCOMPARE(says(c, "->FLIP = "), own);
            const QString handlers = QString::fromStdString(s->source().find("sluice_interrupts.c")->text());
            QCOMPARE(handlers.count("sluice_frost_heater_toggle();"), 2);
            const std::string against = rehearsed(*s);
            QVERIFY2(against.empty(), against.c_str());
            // One that is not called is seen.
            Source silent = s->source();
            for (SourceFile& file : silent.files)
                std::erase_if(file.lines, [](const SourceLine& line) {
                    return line.text.find("sluice_frost_heater_toggle();") != std::string::npos &&
                           line.text.find("void") == std::string::npos;
                });
            const QTemporaryDir folder;
            const Expected<Rehearsal> judged = rehearseMachineCode(s->facts(), silent, {}, folder.path().toStdString());
            QVERIFY(judged && says(hazardsText(*judged), "sluice_frost_heater_toggle 0 times instead of 1"));
        }
        for (const auto& [to, why] : {std::pair{"frost-heatre", "Did you mean \"frost-heater\""},
                                      {"uplink", "cannot be toggled"},
                                      {"lid-switch", "cannot be toggled"}}) {
            const auto s = run(with(demo(), SetGoal{"tick", "toggles", to}));
            QVERIFY2(says(findingsText(*s), "GOAL-06") || says(findingsText(*s), why), findingsText(*s).c_str());
            QVERIFY2(says(findingsText(*s), why), findingsText(*s).c_str());
        }
        // An output of the other core is none that this core's handler may reach.
        const LoadedPlan two = demo("pump-hall-a-done");
        const Need *lead = nullptr, *help = nullptr;
        for (const Need& need : two.plan.needs) {
            const KindSpec* kind = findKind(need.kind);
            if (kind->canBeToggled && kind->canBeToggled(need) && two.device->ownerCore(need.core) == 0)
                lead = &need;
            if (need.kind == "interval" && two.device->ownerCore(need.core) == 1)
                help = &need;
        }
        if (lead && help)
            QVERIFY(says(findingsText(*run(with(two, SetGoal{help->id, "toggles", lead->id}))), "belongs to"));
    }

    /// Both phases of SCL from one number, against plain enumeration in floating point.
    void bothPhasesFromOneNumber()
    {
        for (const auto& [low, high] : {std::pair{1, 1}, {2, 1}, {5, 3}}) {
            EditedChip chip = EditedChip::sedge();
            Json& i2c = chip.block("i2c");
            i2c["abilities"]["low_ticks"] = Json::array({low});
            i2c["abilities"]["high_ticks"] = Json::array({high});
            i2c["registers"]["PHASE"]["fields"] = Json{{"BOTH", "11:0"}, {"PRE", "26:24"}};
            i2c["roles"].erase("low");
            i2c["roles"].erase("high");
            i2c["roles"]["phases"] = Json{{"field", "PHASE.BOTH"}, {"encoding", "minus one"}};
            const std::string against = cleanAndUp(chip, demo());
            QVERIFY2(against.empty(), against.c_str());
            std::mt19937 random(seeded(unsigned(low * 10 + high)));
            int met = 0;
            for (int round = 0; round < 15; ++round) {
                const int kind = int(random() % 3);
                const double most = kind == 0 ? 1e5 : kind == 1 ? 4e5 : 1e6;
                const long wanted = 20'000 + long(random() % long(most - 20'000));
                const long rise = 20 + long(random() % 100), fall = 5 + long(random() % 60);
                LoadedPlan work = demo();
                work = with(work, SetGoal{"level-probes", "class",
                                          kind == 0   ? "standard"
                                          : kind == 1 ? "fast"
                                                      : "fast plus"});
                work = with(work, SetGoal{"level-probes", "rate", fmt::format("{} Hz", wanted)});
                work = with(work, SetGoal{"level-probes", "rise", fmt::format("{} ns", rise)});
                work = with(work, SetGoal{"level-probes", "fall", fmt::format("{} ns", fall)});
                const auto s = chip.with(work);
                const NeedIndex n = needIndex(s->plan, "level-probes");
                const Setting& setting = s->settings[n];
                QVERIFY(setting.computed);
                const ClockState& clock = s->rates.clocks[setting.kernel];
                const double f = clock.rate.toDouble();
                const double fastest = f * (1 + clock.tolerance.high.value.toDouble() / 1e6);
                const double sync = (3 + double(*setting.role("filter"))) / f;
                const double lowMin = kind == 0 ? 4.7e-6 : kind == 1 ? 1.3e-6 : 0.5e-6;
                const double highMin = kind == 0 ? 4e-6 : kind == 1 ? 0.6e-6 : 0.26e-6;
                double best = 0;
                for (int pre = 1; pre <= 128; pre *= 2)
                    for (int count = 1; count <= 4096; ++count) {
                        const double tick = pre / f;
                        const double cycle = tick * (low + high) * count + sync + rise * 1e-9;
                        if (tick * low * count - fall * 1e-9 >= lowMin * fastest / f - 1e-15 &&
                            tick * high * count + sync >= highMin * fastest / f - 1e-15 &&
                            cycle >= 1 / (double(wanted) / (fastest / f)) - 1e-15) {
                            best = std::max(best, 1 / cycle);
                            break;
                        }
                    }
                const double got =
                    1 / (double(*setting.role("prescaler")) / f * (low + high) * double(*setting.role("phases")) +
                         sync + rise * 1e-9);
                QVERIFY2(std::abs(got - best) <= best * 1e-9,
                         fmt::format("{} Hz, {}:{}: {} instead of {}", wanted, low, high, got, best).c_str());
                ++met;
            }
            QCOMPARE(met, 15);
        }
    }

    /// A display's divider and a comparator's threshold, which no shipped chip has: with gaps, against enumeration.
    void frameRatesAndThresholdsWithGaps()
    {
        EditedChip chip("moss", "ms0816-a32.json");
        Json& display = chip.block("segments");
        display["registers"]["RATE"] = Json{{"offset", "0x40"}, {"fields", {{"DIV", "3:0"}}}};
        display["roles"]["divider"] =
            Json{{"field", "RATE.DIV"}, {"encoding", {{"table", {{1, 0}, {4, 3}, {5, 7}, {16, 9}, {64, 2}}}}}};
        std::mt19937 random(seeded(5));
        for (int round = 0; round < 40; ++round) {
            const int wanted = 1 + int(random() % 300);
            const LoadedPlan work = demo("rain-post-b-done");
            std::string id;
            for (const Need& need : work.plan.needs)
                if (need.kind == "segments")
                    id = need.id;
            const auto s = chip.with(with(work, SetGoal{id, "frame", fmt::format("{} Hz", wanted)}));
            const NeedIndex n = needIndex(s->plan, id);
            const double planes = double(goalNumber(s->plan.needs[n], "backplanes"));
            const double base = s->rates.clocks[s->settings[n].kernel].rate.toDouble() / 6 / planes;
            const std::optional<std::int64_t> divider = s->settings[n].role("divider");
            QVERIFY(divider);
            for (const int other : {1, 4, 5, 16, 64})
                QVERIFY2(std::abs(base / double(*divider) - wanted) <= std::abs(base / other - wanted) * (1 + 1e-12),
                         fmt::format("{} Hz: {} instead of {}", wanted, *divider, other).c_str());
        }
        EditedChip rill = EditedChip::rill();
        Json& comparator = rill.block("comparator");
        comparator["abilities"]["steps"] = Json::array({24});
        comparator["registers"]["STEP"] = Json{{"offset", "0x40"}, {"fields", {{"N", "2:0"}}}};
        comparator["roles"]["threshold"] =
            Json{{"field", "STEP.N"}, {"encoding", {{"table", {{1, 0}, {2, 1}, {9, 2}, {10, 3}, {19, 4}}}}}};
        for (int round = 0; round < 40; ++round) {
            const int tenths = int(random() % 1001);
            const auto s =
                rill.with(with(demo("ditch-meter-d-done"),
                               SetGoal{"electrode", "level", fmt::format("{}.{} %", tenths / 10, tenths % 10)}));
            const std::optional<std::int64_t> step = s->settings[needIndex(s->plan, "electrode")].role("threshold");
            QVERIFY(step);
            for (const int other : {1, 2, 9, 10, 19})
                QVERIFY2(std::abs(double(*step) / 24 - tenths / 1000.0) <=
                             std::abs(other / 24.0 - tenths / 1000.0) + 1e-12,
                         fmt::format("{} per mille: {} instead of {}", tenths, *step, other).c_str());
        }
    }

    void aDebugPortOfOneWire()
    {
        LoadedPlan work = demo();
        std::string id;
        for (const Need& need : work.plan.needs)
            if (need.kind == "debug")
                id = need.id;
        QVERIFY(!id.empty());
        const auto before = run(work);
        const auto s = run(with(work, SetGoal{id, "wires", "one"}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(before->bindings.needs[needIndex(s->plan, id)].seats.size(), size_t(2));
        QCOMPARE(s->bindings.needs[needIndex(s->plan, id)].seats.size(), size_t(1));
    }
};

BINDREL_TEST(MechanismsTest)
#include "mechanisms_test.moc"
