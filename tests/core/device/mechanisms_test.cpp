// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/rates.h"
#include "core/device/lint.h"
#include "core/quantity/parse.h"
#include "tests/support/edited_chip.h"
#include "tests/support/rehearse.h"

using namespace bindrel;
using namespace bindrel::test;

/// Mechanisms of chips that the shipped ones lack, each tried on a shipped chip that is changed to have it: the file is
/// clean, the planned bring-up and the machine code do what the mechanism asks for, and a file that says half of it is
/// refused with a place.
class MechanismsTest : public QObject {
    Q_OBJECT

    static std::string cleanAndUp(const EditedChip& chip, const Workpiece& work)
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
            const ClockNode& node = s->device->clocks[size_t(s->device->findClock("HX"))];
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
        Workpiece work = demo();
        ClockSet slow = work.plan.clockSet();
        slow.clocks["SYS"] = "HFX";
        slow.clocks["CPU"] = "1";
        slow.clocks["BUS1"] = "1";
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
            if (const Register& reg = s->device->blockOf(step.instance).registers[size_t(step.reg)];
                reg.name.starts_with("GATE") && s->device->instances[size_t(step.instance)].name == "CLK")
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
        Workpiece work = demo();
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
        Workpiece work = with(demo(), SetClock{"UART1K", "SYS"});
        ClockSet slow = work.plan.clockSet();
        slow.clocks["UART1K"] = "HFI";
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
};

BINDREL_TEST(MechanismsTest)
#include "mechanisms_test.moc"
