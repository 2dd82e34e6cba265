// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assignment.h"
#include "core/base/text.h"
#include "core/device/load_device.h"
#include "core/device/net_resistors.h"
#include "core/interchange/netlist.h"
#include "core/interchange/open_forms.h"
#include "core/interchange/pin_sheet.h"
#include "core/makers/makers_file.h"
#include "core/pins/options.h"
#include "core/plan/board_facts.h"
#include "core/plan/plan_file.h"
#include "core/quantity/parse.h"
#include "core/tables/grid.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// What a schematic says of the chip is what the plan gets; and what is described here goes back out in open forms.
class NetlistTest : public QObject {
    Q_OBJECT

    struct Node {
        std::string net, ref, pin;
    };
    /// Nets of a plan's board with the parts around them, as a schematic would have them.
    static std::vector<Node> nodesOf(const Snapshot& s, const std::string& chip, std::mt19937& random)
    {
        std::vector<Node> out;
        int others = 0;
        for (const PackagePin& pin : s.device->package.pins) {
            const auto net = pin.pad < 0 ? s.board->nets.end() : s.board->nets.find(pin.name);
            const std::string name = net != s.board->nets.end()             ? net->second
                                     : pin.kind == PackagePin::Kind::Supply ? "3V3"
                                     : pin.kind == PackagePin::Kind::Ground ? "GND"
                                                                            : "unconnected-(" + pin.number + ")";
            out.push_back({name, chip, pin.number});
            if (name[0] != 'u') {
                out.push_back({name, "J" + std::to_string(1 + others % 3), std::to_string(1 + others / 3)});
                ++others;
            }
        }
        std::shuffle(out.begin(), out.end(), random);
        return out;
    }
    static std::map<std::string, std::vector<Node>> byNet(const std::vector<Node>& nodes)
    {
        std::map<std::string, std::vector<Node>> out;
        for (const Node& node : nodes)
            out[node.net].push_back(node);
        return out;
    }
    static std::string expressions(const std::vector<Node>& nodes, const std::string& parts)
    {
        std::string out = "(export (version \"E\")\n  (components\n" + parts + "  )\n  (nets\n";
        int code = 0;
        for (const auto& [net, all] : byNet(nodes)) {
            out += fmt::format("    (net (code \"{}\") (name \"/{}\")\n", ++code, net);
            for (const Node& node : all)
                out += fmt::format("      (node (ref \"{}\") (pin \"{}\") (pintype \"bidirectional\"))\n", node.ref,
                                   node.pin);
            out += "    )\n";
        }
        return out + "  )\n)\n";
    }
    static std::string ipc356(const std::vector<Node>& nodes)
    {
        std::string out = "P  CODE 00\nP  UNITS CUST 0\n", tests;
        std::map<std::string, std::string> shortNames;
        for (const Node& node : nodes) {
            std::string name = node.net;
            if (name[0] == 'u')
                name = "N/C";
            if (name.size() > 14) {
                auto& known = shortNames[name];
                if (known.empty()) {
                    known = "NNAME" + std::to_string(shortNames.size());
                    out += fmt::format("P  {} {}\n", known, name);
                }
                name = known;
            }
            tests += fmt::format("327{:<14}   {:<6}-{:<4}      A01X+012345Y-067890X0600Y0600R000S0\n", name, node.ref,
                                 node.pin);
        }
        return out + tests + "999\n";
    }
    static std::map<std::string, std::string> netsIn(const NetTable& table)
    {
        std::map<std::string, std::string> out;
        for (const NetTable::Entry& entry : table.entries)
            out[entry.pad] = entry.net;
        return out;
    }

private Q_SLOTS:
    void netsOfEveryBoard()
    {
        std::mt19937 random(seeded(41));
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "ditch-meter-d-done", "pump-hall-a-done"}) {
            const auto s = run(demo(plan));
            std::map<std::string, std::string> meant;
            for (const PackagePin& pin : s->device->package.pins)
                if (pin.pad >= 0 && s->board->nets.contains(pin.name))
                    meant[pin.name] = s->board->nets.find(pin.name)->second;
            for (int round = 0; round < 10; ++round) {
                const std::string chip = "U" + std::to_string(1 + random() % 9);
                const std::vector<Node> nodes = nodesOf(*s, chip, random);
                for (const std::string& text :
                     {expressions(nodes, "    (comp (ref \"" + chip + "\") (value \"x\"))\n"), ipc356(nodes)}) {
                    const Expected<NetTable> table = readNets(text, *s->device);
                    QVERIFY2(table, table ? "" : (table.problem().message + "\n" + text.substr(0, 400)).c_str());
                    QVERIFY(netsIn(*table) == meant);
                    // Read again over a plan that has it: nothing changes.
                    for (const Change& change : editOfNets(*s, *table).changes)
                        QVERIFY2(std::holds_alternative<InsertPart>(change), plan);
                }
            }
        }
    }

    void whatIsGoneIsTaken()
    {
        const auto s = run(demo());
        const std::string pad = s->board->nets.begin()->first;
        std::mt19937 random(1);
        std::vector<Node> nodes = nodesOf(*s, "U1", random);
        std::erase_if(nodes, [&](const Node& node) { return node.net == s->board->nets.begin()->second; });
        const Expected<NetTable> table = readNets(expressions(nodes, ""), *s->device);
        QVERIFY2(table, table ? "" : table.problem().message.c_str());
        const Edit edit = editOfNets(*s, *table);
        QCOMPARE(edit.changes.size(), size_t(1));
        const Expected<Plan> next = applied(s->plan, edit);
        QVERIFY(next && next->nets.at(pad).empty());
    }

    void partsAreFacts()
    {
        const auto s = run(demo());
        const std::string in = "PC11", out = "PC12", pulled = s->board->nets.rbegin()->first;
        const auto pinOf = [&](const std::string& pad) { return s->device->pinOf(s->device->findPad(pad)); };
        std::mt19937 random(2);
        std::vector<Node> nodes = nodesOf(*s, "U1", random);
        const std::string netIn = s->board->nets.find(in)->second, netOut = s->board->nets.find(out)->second,
                          netPulled = s->board->nets.find(pulled)->second;
        nodes.push_back({netIn, "Y1", "1"});
        nodes.push_back({netOut, "Y1", "2"});
        nodes.push_back({netPulled, "R7", "1"});
        nodes.push_back({"3V3", "R7", "2"});
        nodes.push_back({netPulled, "R8", "1"});
        nodes.push_back({"REMOTE", "R8", "2"});
        nodes.push_back({"REMOTE", "J1", "1"});
        QVERIFY(!pinOf(in).empty());
        const auto notes = [&](const char* value) {
            const Expected<NetTable> table = readNets(
                expressions(nodes, fmt::format("    (comp (ref \"Y1\") (value \"{}\"))\n    (comp (ref "
                                               "\"R7\") (value \"4k7\"))\n    (comp (ref \"R8\") (value \"22R 1%\"))\n",
                                               value)),
                *s->device);
            return table ? *table : NetTable{{}, {table.problem().message}};
        };
        const NetTable plain = notes("14.7MHz");
        const NetResistors meant{TerminalFact::Level::High, SeriesResistor{Resistance(Rational(22)), "REMOTE"}};
        QVERIFY((plain.resistors == std::map<std::string, NetResistors>{{pulled, meant}}));
        // A rate without a tolerance is a fact too, and says what is missing.
        QVERIFY(QString::fromStdString(joined(plain.notes, "\n")).contains("Y1 (14.7MHz) drives HFX with 14.7 MHz"));
        QVERIFY(plain.crystals.contains("HFX") && !plain.crystals.at("HFX").tolerance);
        const NetTable whole = notes("CX 14.7MHz 15ppm");
        QVERIFY(whole.crystals.contains("HFX") && whole.crystals.at("HFX").rate == Frequency(Rational(14'700'000)));
        const Expected<Plan> next = applied(s->plan, editOfNets(*s, whole));
        QVERIFY(next && next->crystals.contains("HFX"));
        QVERIFY(next->resistors.at(pulled) == meant);

        // The file keeps it, what is known is not said again, and a newer netlist without the resistor takes it back.
        LoadedPlan work{s->filedDevice, s->filedBoard, *next, s->provenance, {}, {}};
        const auto pulledThere = run(work);
        const Expected<LoadedPlan> again = parsePlan(planText(pulledThere->plan), "again", library());
        QVERIFY2(again.ok(), again ? "" : again.problem().text().c_str());
        QVERIFY(again->plan.resistors == next->resistors);
        QVERIFY(editOfNets(*pulledThere, whole).changes.empty());
        std::erase_if(nodes, [](const Node& node) { return node.ref == "R7" || node.ref == "R8"; });
        const Edit gone = editOfNets(*pulledThere, notes("CX 14.7MHz 15ppm"));
        QCOMPARE(gone.changes.size(), size_t(1));
        const Expected<Plan> without = applied(*next, gone);
        QVERIFY(without && without->resistors.empty());
    }

    /// A resistor at a pad is a fact like one at a part's terminal: the pad's own pull against it is found.
    void aResistorAgainstThePad()
    {
        LoadedPlan work;
        work.device = *library().device("SE4332-C64");
        work.board = std::make_shared<const Board>(bareBoard(*work.device));
        work.plan.name = "p";
        work.plan.device = work.device->name;
        Need key;
        key.id = "key";
        key.title = "Key";
        key.kind = "gpio";
        key.binding.pads["pin"] = "PA3";
        work.plan.needs.push_back(key);
        work = with(with(std::move(work), SetGoal{"key", "direction", "input"}), SetGoal{"key", "pull", "up"});
        const auto count = [&](const std::optional<TerminalFact::Level>& pull) {
            const auto s = run(with(work, SetResistors{"PA3", NetResistors{pull, {}}}));
            return std::count_if(s->findings.begin(), s->findings.end(),
                                 [](const Finding& finding) { return finding.rule == "PAD-01"; });
        };
        QCOMPARE(count(TerminalFact::Level::Low), 1);
        QCOMPARE(count(TerminalFact::Level::High), 0);
        QCOMPARE(count(std::nullopt), 0);
        // By the pin sheet and by an assignment.
        const auto s = run(work);
        const std::vector<SheetRow> rows = pinSheet(*s);
        const auto row = std::find_if(rows.begin(), rows.end(), [](const SheetRow& r) { return r.cells[1] == "PA3"; });
        QVERIFY(row != rows.end());
        QVERIFY(*cellChange(*s, *row, "resistor", "down") ==
                Change(SetResistors{"PA3", NetResistors{TerminalFact::Level::Low, {}}}));
        QVERIFY(!cellChange(*s, *row, "resistor", "sideways"));
        const Expected<Edit> typed = readAssignment(work, "pull.PA3=up");
        QVERIFY2(typed.ok(), typed ? "" : typed.problem().message.c_str());
        QVERIFY(
            (typed->changes == std::vector<Change>{SetResistors{"PA3", NetResistors{TerminalFact::Level::High, {}}}}));
        QVERIFY(!readAssignment(work, "pull.PA3=aside") && !readAssignment(work, "pull.NOPE=up"));
    }

    /// What a resistor in series does to an analog input, and to what draws through it.
    void aResistorInSeriesIsCounted()
    {
        LoadedPlan work;
        work.device = *library().device("SE4332-C64");
        work.board = std::make_shared<const Board>(bareBoard(*work.device));
        work.plan.name = "p";
        work.plan.device = work.device->name;
        Need level;
        level.id = level.title = "level";
        level.kind = "adc";
        work.plan.needs.push_back(level);
        const auto bound = run(work);
        const Expected<Edit> edit = bindNeed(*work.device, *work.board, work.plan, "level");
        QVERIFY(edit.ok());
        work.plan = *applied(work.plan, *edit);
        const std::string pad = work.plan.needs.front().binding.pads.begin()->second;
        const auto tells = [&](const char* resistors, const char* source, const char* rule) {
            LoadedPlan trial = with(work, SetResistors{pad, *resistorsFrom(resistors)});
            if (*source)
                trial = with(std::move(trial), SetGoal{"level", "source", source});
            const auto s = run(trial);
            return std::ranges::count(s->findings, std::string(rule), &Finding::rule);
        };
        QCOMPARE(tells("47k in series", "10000", "PAD-06"), 1);
        QCOMPARE(tells("47k in series", "47000", "PAD-06"), 0);
        QCOMPARE(tells("10k in series to FAR", "10000", "PAD-06"), 0);
        QCOMPARE(tells("up", "10000", "PAD-06"), 0);

        // 3.3 V through 330 ohm are 10 mA.
        Part lamp{"lamp", "Lamp", "", {"a"}, false, {{"a", {}}}, {}};
        lamp.facts["a"].current = Current(Rational(10, 1000));
        Need light;
        light.id = light.title = "light";
        light.kind = "gpio";
        light.part = "lamp";
        light.terminals["pin"] = "a";
        light.binding.pads["pin"] = "PA3";
        work.plan.needs = {light};
        work.plan.parts = {lamp};
        work = with(std::move(work), SetGoal{"light", "direction", "output"});
        const auto starved = [&](const char* resistors) {
            const auto s = run(with(work, SetResistors{"PA3", *resistorsFrom(resistors)}));
            return std::ranges::count(s->findings, std::string("PAD-07"), &Finding::rule);
        };
        QCOMPARE(starved("330 ohm in series"), 0);
        QCOMPARE(starved("331 ohm in series"), 1);
        QCOMPARE(starved("0 ohm in series"), 0);
    }

    /// Values as schematics write them (IEC 60062), and there and back for what is at a net.
    void resistorsInWords()
    {
        for (const auto& [text, ohms] : {std::pair("4k7", Rational(4700)),
                                         {"2R2", Rational(22, 10)},
                                         {"R47", Rational(47, 100)},
                                         {"1M", Rational(1'000'000)},
                                         {"0R", Rational(0)},
                                         {"0", Rational(0)},
                                         {"10K", Rational(10'000)},
                                         {"4.7 k\u03a9", Rational(4700)},
                                         {"33 ohm", Rational(33)}}) {
            const Expected<Resistance> read = parseResistance(text);
            QVERIFY2(read && read->value == ohms, text);
        }
        for (const char* text : {"", "k", "4k7k", "R", "ten", "33 F", "4,7k", "1 2"})
            QVERIFY2(!parseResistance(text), text);
        std::mt19937 random(seeded(12));
        for (int i = 0; i < 2000; ++i) {
            NetResistors resistors;
            if (random() % 2)
                resistors.pull = TerminalFact::Level(random() % 2);
            if (random() % 2)
                resistors.series =
                    SeriesResistor{Resistance(Rational(int(random() % 100'000), 1 + int(random() % 2) * 9)),
                                   random() % 2 ? "A/B-1" : ""};
            const Expected<NetResistors> again = resistorsFrom(resistorsText(resistors));
            QVERIFY2(again && *again == resistors, resistorsText(resistors).c_str());
        }
        for (const char* text : {"up, down", "33 ohm", "33 ohm in series, 10 ohm in series", "in series", "none, up",
                                 "33 ohm in series at X", "sideways"})
            QVERIFY2(!resistorsFrom(text), text);
    }

    /// Connectors and other chips become parts; a newer netlist adds terminals, and takes away what nobody uses.
    void partsOfASchematic()
    {
        const auto s = run(demo());
        std::mt19937 random(6);
        std::vector<Node> nodes = nodesOf(*s, "U1", random);
        std::erase_if(nodes, [](const Node& node) { return node.ref[0] == 'J'; });
        auto net = s->board->nets.begin();
        const std::string one = net->second, two = (++net)->second, three = (++net)->second;
        nodes.push_back({one, "J4", "2"});
        nodes.push_back({two, "J4", "10"});
        nodes.push_back({"GND", "J4", "1"});
        nodes.push_back({"LIMITED", "U7", "5"});
        nodes.push_back({"LIMITED", "R3", "1"});
        nodes.push_back({three, "R3", "2"});
        nodes.push_back({three, "TP1", "1"});
        const auto read = [&] {
            return readNets(expressions(nodes, "    (comp (ref \"J4\") (value \"02x05\"))\n    (comp (ref \"U7\") "
                                               "(value \"MOTE-9\") (description \"Level sensor\"))\n    (comp (ref "
                                               "\"R3\") (value \"100\"))\n    (comp (ref \"TP1\"))\n"),
                            *s->device);
        };
        const Expected<NetTable> table = read();
        QVERIFY2(table, table ? "" : table.problem().message.c_str());
        QCOMPARE(table->parts.size(), size_t(2));
        const Part& plug = table->parts[0];
        const Part& mote = table->parts[1];
        QCOMPARE(plug.reference, std::string("J4"));
        QCOMPARE(plug.title, std::string("J4"));
        QVERIFY(plug.row && plug.terminals == (std::vector<std::string>{"2", "10"}));
        QVERIFY(mote.title == "MOTE-9" && mote.about == "Level sensor" && !mote.row &&
                mote.terminals == std::vector<std::string>{"5"});
        LoadedPlan work{
            s->filedDevice, s->filedBoard, *applied(s->plan, editOfNets(*s, *table)), s->provenance, {}, {}};
        const auto there = run(work);
        QVERIFY(there->board->part("j4") && there->board->part("u7"));
        QVERIFY(editOfNets(*there, *table).changes.empty());
        const Expected<LoadedPlan> again = parsePlan(planText(there->plan), "again", library());
        QVERIFY2(again.ok(), again ? "" : again.problem().text().c_str());
        QVERIFY(again->plan == there->plan);

        // Another pin of the connector, no sensor any more.
        nodes.push_back({three, "J4", "3"});
        std::erase_if(nodes, [](const Node& node) { return node.ref == "U7"; });
        const Expected<NetTable> newer = read();
        QVERIFY(newer.ok());
        const Expected<Plan> next = applied(there->plan, editOfNets(*there, *newer));
        QVERIFY(next.ok());
        LoadedPlan after{s->filedDevice, s->filedBoard, *next, s->provenance, {}, {}};
        const auto later = run(after);
        QVERIFY(!later->board->part("u7"));
        QVERIFY(later->board->part("j4")->terminals == (std::vector<std::string>{"2", "3", "10"}));
        // What a need belongs to stays.
        Plan used = there->plan;
        used.needs.front().part = "u7";
        LoadedPlan kept{s->filedDevice, s->filedBoard, used, s->provenance, {}, {}};
        const auto keeping = run(kept);
        for (const Change& change : editOfNets(*keeping, *newer).changes)
            if (const auto* removed = std::get_if<RemovePart>(&change))
                QVERIFY(removed->part != "u7");
    }

    /// Whatever a netlist calls its parts and pins: what is taken of it can be saved and opened again.
    void whatIsTakenCanBeSaved()
    {
        const auto s = run(demo());
        std::mt19937 random(seeded(9));
        const std::vector<std::string> odd{"",
                                           "J1",
                                           "J1 ",
                                           "U\u00e9",
                                           "a.b",
                                           "x,y",
                                           "R1",
                                           "#PWR01",
                                           "\x01",
                                           "-",
                                           "U-",
                                           "-U",
                                           std::string(70, 'U'),
                                           std::string(300, '9'),
                                           "/",
                                           "up",
                                           "none",
                                           "in series",
                                           "33 ohm in series",
                                           "4k7",
                                           "1/3",
                                           "12MHz 5ppm",
                                           "0 ohm",
                                           "-5",
                                           "2R2R2",
                                           "\u202eabc",
                                           "tab\there",
                                           "j1",
                                           "J-1",
                                           "9",
                                           "A B C"};
        const auto pick = [&] { return odd[random() % odd.size()]; };
        const auto quoted = [](const std::string& text) {
            std::string out = "\"";
            for (const char c : text)
                out += (c == '"' || c == '\\') ? std::string("\\") + c : std::string(1, c);
            return out + "\"";
        };
        int taken = 0;
        for (int round = 0; round < 150; ++round) {
            std::vector<Node> nodes = nodesOf(*s, "CHIP", random);
            std::string parts = "(comp (ref \"CHIP\"))";
            for (int k = 0; k < 12; ++k)
                parts += "(comp (ref " + quoted(pick()) + ") (value " + quoted(pick()) + ") (description " +
                         quoted(pick()) + "))";
            std::string text = "(export (components " + parts + ") (nets\n";
            for (const auto& [net, all] : byNet(nodes)) {
                text += "(net (name " + quoted(random() % 8 ? net : pick()) + ")";
                for (const Node& node : all)
                    text += "(node (ref " + quoted(node.ref) + ") (pin " + quoted(node.pin) + "))";
                for (unsigned k = random() % 3; k > 0; --k)
                    text += "(node (ref " + quoted(pick()) + ") (pin " + quoted(pick()) + ") (pinfunction " +
                            quoted(pick()) + "))";
                text += ")\n";
            }
            const Expected<NetTable> table = readNets(text + "))", *s->device);
            if (!table)
                continue;
            const Expected<Plan> next = applied(s->plan, editOfNets(*s, *table));
            if (!next)
                continue;
            ++taken;
            const Expected<LoadedPlan> again = parsePlan(planText(*next), "again", library());
            QVERIFY2(again.ok(), again ? "" : again.problem().text().c_str());
            QVERIFY(planText(again->plan) == planText(*next));
        }
        QVERIFY2(taken > 20, std::to_string(taken).c_str());
    }

    void whatIsNoNetlistIsRefused()
    {
        const auto device = *library().device("SE4332-C64");
        for (const char* text : {"(export", "(export (nets))", "(a \"b", "(((((((",
                                 "(export (nets (net (name A) (node (ref U1) (pin 1)))))",
                                 "317A              U1    -1\n317A              U1    -2\n"})
            QVERIFY2(!readNets(text, *device), text);
        QVERIFY(!readNets(std::string(100, '(') + std::string(100, ')'), *device));
        // Two chips that look alike: a person says which.
        std::string two = "(export (nets\n";
        for (const PackagePin& pin : device->package.pins)
            two += fmt::format("(net (name N{}) (node (ref U1) (pin {})) (node (ref U2) (pin {})))\n", pin.number,
                               pin.number, pin.number);
        two += "))";
        QVERIFY(readNets(two, *device).problem().message.find("U1 and U2") != std::string::npos);
        QVERIFY(readNets(two, *device, "U2"));
        QVERIFY(!readNets(two, *device, "U3"));
        std::mt19937 random(seeded(8));
        std::vector<Node> nodes = nodesOf(*run(demo()), "U1", random);
        const std::string whole = expressions(nodes, ""), records = ipc356(nodes);
        for (int round = 0; round < 600; ++round) {
            std::string text = round % 2 ? whole : records;
            for (int n = 1 + int(random() % 8); n > 0 && !text.empty(); --n) {
                const size_t at = random() % text.size();
                if (random() % 2)
                    text.erase(at, random() % 50);
                else
                    text.insert(at, 1, "()\" \n\\3\xff"[random() % 8]);
            }
            (void)readNets(text, *device).ok();
        }
    }

    /// A sheet that we wrote ourselves says the same nets when it is read in again.
    void ownSheet()
    {
        const auto s = run(demo());
        const Expected<NetTable> table = readNets(pinSheetCsv(pinSheet(*s)), *s->device);
        QVERIFY2(table, table ? "" : table.problem().message.c_str());
        QVERIFY(!table->entries.empty() && editOfNets(*s, *table).changes.empty());
    }

    /// Workbooks that we write are read with the same cells.
    void ownWorkbook()
    {
        const auto s = run(demo());
        QTemporaryDir dir;
        const std::string path = dir.filePath("pins.xlsx").toStdString();
        const std::vector<SheetRow> rows = pinSheet(*s);
        QVERIFY(writePinSheetXlsx(rows, "Pins", path));
        const Expected<Grid> grid = readTable(textOf(path), "pins.xlsx");
        QVERIFY2(grid, grid ? "" : grid.problem().text().c_str());
        std::set<std::vector<std::string>> there;
        for (const Grid::Row& row : grid->rows) {
            std::vector<std::string> cells = row.cells;
            while (!cells.empty() && cells.back().empty())
                cells.pop_back();
            there.insert(cells);
        }
        QVERIFY(grid->rows.size() >= rows.size());
        // Cut anywhere: refused, not read in part.
        const std::string bytes = textOf(path);
        for (size_t cut = 0; cut < bytes.size(); cut += 97)
            (void)readTable(bytes.substr(0, cut), "cut.xlsx").ok();
    }

    /// The registers and pins of every chip, out and in again.
    void openForms()
    {
        for (const auto& device : library().devices()) {
            std::vector<std::string> left;
            const Expected<MakersFile> registers = readRegisterDescription(registerXml(*device, left), "x.svd");
            QVERIFY2(registers, registers ? "" : registers.problem().text().c_str());
            const auto& read = registers->sections.value();
            int fields = 0;
            for (const Instance& instance : device->instances) {
                const Block& block = device->blocks[instance.block];
                if (block.registers.empty() || !read["instances"].contains(instance.name))
                    continue;
                const auto& there =
                    read["blocks"][read["instances"][instance.name]["block"].get<std::string>()]["registers"];
                for (const Register& reg : block.registers) {
                    if (!reg.parts.empty() || !there.contains(reg.name))
                        continue; // arrays have their pattern as a name
                    for (const Field& field : reg.fields) {
                        if (!field.pieces.empty() || !there[reg.name]["fields"].contains(field.name))
                            continue;
                        const auto& said = there[reg.name]["fields"][field.name];
                        const std::string bits =
                            said.is_string() ? said.get<std::string>() : said["bits"].get<std::string>();
                        QVERIFY2(bits == field.bitsText(), (block.name + "." + reg.name + "." + field.name).c_str());
                        ++fields;
                    }
                }
            }
            QVERIFY2(fields > 50, device->name.c_str());
            const Expected<MakersFile> pins = readBoundaryScan(boundaryScanText(*device), "x.bsd", {});
            QVERIFY2(pins, pins ? "" : pins.problem().text().c_str());
            const auto& package = pins->sections.value()["package"]["pins"];
            QCOMPARE(package.size(), device->package.pins.size());
        }
    }
};

BINDREL_TEST(NetlistTest)
#include "netlist_test.moc"
