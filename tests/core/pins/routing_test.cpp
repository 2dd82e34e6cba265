// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

#include <set>

using namespace bindrel;
using namespace bindrel::test;

using Json = nlohmann::json;
using Pair = std::pair<std::string, std::string>;

/// The five mechanisms: what can be bound is what their tables say, read here by code of its own; and what they make
/// exclusive is contested.
class RoutingTest : public QObject {
    Q_OBJECT

    static Json fileOf(const std::string& path)
    {
        return Json::parse(textOf(dataPath("devices/" + path)), nullptr, true, true);
    }

    /// All (first, second) pads that two signals of an instance can have together, as the search finds them.
    static std::set<Pair> found(const std::string& device, const Need& need, const std::string& instance,
                                const char* first, const char* second)
    {
        const std::shared_ptr<const Device> loaded = shippedDevice(device);
        Plan plan;
        plan.needs.push_back(need);
        std::set<Pair> out;
        for (const Binding& binding : waysToBind(*loaded, Board(), plan, 0))
            if (binding.instance == instance)
                out.insert({binding.pads.at(first), binding.pads.at(second)});
        return out;
    }

    static Need uart()
    {
        Need need;
        need.id = "line";
        need.kind = "uart";
        return need;
    }

    static bool onPackage(const Json& device, const std::string& pad)
    {
        for (const auto& [key, value] : device["package"]["pins"].items())
            if (value == pad)
                return true;
        return false;
    }

    /// A plan from text, bound as it says.
    static std::shared_ptr<const Snapshot> planned(const std::string& device, const std::string& board,
                                                   const std::string& needs)
    {
        const Expected<LoadedPlan> work = parsePlan(R"({"bindrel": 1, "name": "t", "device": ")" + device +
                                                        R"(", "board": ")" + board + R"(", "needs": [)" + needs + "]}",
                                                    "t.bindrel", library());
        if (!work)
            qFatal("%s", work.problem().text().c_str());
        return run(*work);
    }

    static std::string findingsOf(const Snapshot& s, const std::string& rule)
    {
        std::string out;
        for (const Finding& f : s.findings)
            if (f.rule == rule)
                out += f.text.text() + "\n";
        return out;
    }

private Q_SLOTS:
    void groupRemapMovesSignalsTogether()
    {
        for (const char* device : {"ms0816-a32", "ms0816-a48"}) {
            const Json family = fileOf("moss/moss.json");
            const Json own = fileOf(std::string("moss/") + device + ".json");
            for (const char* instance : {"UART0", "UART1"}) {
                std::set<Pair> expected;
                for (const auto& [code, set] : family["routing"][1]["remaps"][instance]["sets"].items())
                    if (onPackage(own, set["TX"]) && onPackage(own, set["RX"]))
                        expected.emplace(set["TX"].get<std::string>(), set["RX"].get<std::string>());
                QVERIFY(!expected.empty());
                QVERIFY(found(device, uart(), instance, "tx", "rx") == expected);
            }
        }
    }

    void lanesAllowOnlyTheirCombinations()
    {
        const Json family = fileOf("rill/rill.json");
        std::map<std::pair<std::string, int>, std::vector<std::string>> padsOfLane; // unit, lane
        for (const auto& [pad, row] : family["pads"].items())
            if (row.contains("lanes"))
                for (const auto& [code, lane] : row["lanes"].items()) {
                    const std::string text = lane;
                    padsOfLane[{text.substr(0, 4), text[5] - '0'}].push_back(pad);
                }
        for (const char* unit : {"SER0", "SER1", "SER2", "SER3"}) {
            std::set<Pair> expected;
            for (const Json& combination : family["blocks"]["serial_as_uart"]["lanes"]["combinations"])
                for (const std::string& tx : padsOfLane[{unit, combination["signals"]["TX"]}])
                    for (const std::string& rx : padsOfLane[{unit, combination["signals"]["RX"]}])
                        if (tx != rx)
                            expected.insert({tx, rx});
            QVERIFY(expected.size() > 4);
            QVERIFY(found("rl1224-q48", uart(), std::string(unit) + "U", "tx", "rx") == expected);
        }
    }

    void matrixLeadsAnyPadOfASideToAnySignalOfIt()
    {
        const Json family = fileOf("rill/rill.json");
        const Json west = family["routing"][2]["groups"][0];
        std::set<Pair> expected;
        for (const auto& [tx, a] : west["pads"].items())
            for (const auto& [rx, b] : west["pads"].items())
                if (tx != rx)
                    expected.insert({tx, rx});
        QCOMPARE(expected.size(), size_t(16 * 15));
        QVERIFY(found("rl1224-q48", uart(), "LSU", "tx", "rx") == expected);
    }

    void signalsOfOneInstanceComeFromOneGroup()
    {
        const Json family = fileOf("alder/alder.json");
        Need need;
        need.id = "flash";
        need.kind = "spi";
        for (const char* instance : {"SYN0", "SYN1", "SYN2", "SYN4"}) {
            std::map<std::string, std::pair<std::vector<std::string>, std::vector<std::string>>>
                byGroup; // SCK and MOSI pads
            for (const auto& [pad, row] : family["pads"].items())
                if (row.contains("routes"))
                    for (const auto& [code, value] : row["routes"].items()) {
                        const std::string text = value;
                        const size_t at = text.find('@');
                        const std::string group = at == std::string::npos ? "" : text.substr(at);
                        if (text.substr(0, at) == std::string(instance) + ".SCK")
                            byGroup[group].first.push_back(pad);
                        if (text.substr(0, at) == std::string(instance) + ".MOSI")
                            byGroup[group].second.push_back(pad);
                    }
            std::set<Pair> expected;
            for (const auto& [group, pads] : byGroup)
                for (const std::string& sck : pads.first)
                    for (const std::string& mosi : pads.second)
                        expected.insert({sck, mosi});
            QVERIFY(!expected.empty());
            QVERIFY(found("al7654-b176", need, instance, "sck", "mosi") == expected);
        }
    }

    void padsOfTwoSetsCannotStandTogether()
    {
        const auto s =
            planned("MS0816-A48", "rain-post-b",
                    R"({ "id": "a", "kind": "uart", "instance": "UART0", "pads": { "tx": "PA4", "rx": "PB7" } })");
        QVERIFY2(findingsOf(*s, "PIN-04").find("SYS.MAP.UART0 = set1, but UART0.TX needs set0") != std::string::npos,
                 findingsText(*s).c_str());
        // The way out that is offered works.
        for (const Finding& finding : s->findings)
            if (finding.rule == "PIN-04") {
                LoadedPlan work{s->device, s->board, s->plan};
                work.plan = *applied(s->plan, *fixFor(s->facts(), finding));
                QVERIFY(run(work)->bindings.needs.front().state == BoundNeed::State::Bound);
            }
    }

    void aUnitIsOneThingAtATime()
    {
        const auto s = planned(
            "RL1224-Q48", "ditch-meter-d",
            R"({ "id": "a", "title": "Line", "kind": "uart", "instance": "SER0U", "pads": { "tx": "PA0", "rx": "PA1" } },
            { "id": "b", "title": "Bus", "kind": "i2c", "instance": "SER0I", "pads": { "sda": "PA6", "scl": "PA7" } })");
        QVERIFY2(
            findingsOf(*s, "PIN-07")
                    .find("SER0 is assigned to Line (as SER0U) and Bus (as SER0I), but it has one mode at a time.") ==
                0,
            findingsText(*s).c_str());
        QCOMPARE(s->bindings.contests.size(), size_t(1));
        const auto apart =
            planned("RL1224-Q48", "ditch-meter-d",
                    R"({ "id": "a", "kind": "uart", "instance": "SER0U", "pads": { "tx": "PA0", "rx": "PA1" } },
            { "id": "b", "kind": "i2c", "instance": "SER1I", "pads": { "sda": "PA4", "scl": "PA5" } })");
        QVERIFY(apart->bindings.contests.empty());
        QCOMPARE(apart->bindings.count(BoundNeed::State::Bound), 2);
    }

    /// Where one remap field moves the signals of two instances, they must agree on its code.
    void aSharedRemapFieldHoldsOneCode()
    {
        const std::string family =
            replaced(replaced(textOf(dataPath("devices/moss/moss.json")), R"("TMR1": { "field": "SYS.MAP.TMR1")",
                              R"("TMR1": { "field": "SYS.MAP.TMR0")"),
                     R"("TMR1": { "bits": "9:8", "values": { "set0": 0, "set1": 1, "set2": 2 } },)", "");
        Expected<Device> device =
            parseDevice(textOf(dataPath("devices/moss/ms0816-a48.json")), "own", family, "family");
        QVERIFY2(device.ok(), device.ok() ? "" : device.problem().text().c_str());
        LoadedPlan work{std::make_shared<const Device>(*std::move(device)), std::make_shared<const Board>(), {}};
        Need fan;
        fan.id = fan.title = "fan";
        fan.kind = "pwm";
        fan.binding = {"TMR0", {{"out1", "PB4"}}, {}}; // set 1
        Need lamp = fan;
        lamp.id = lamp.title = "lamp";
        lamp.binding = {"TMR1", {{"out1", "PC0"}}, {}}; // set 0
        work.plan.needs = {fan, lamp};
        const auto s = run(work);
        QVERIFY2(
            findingsOf(*s, "PIN-08").find("SYS.MAP.TMR0 is assigned to fan output 1 (set1) and lamp output 1 (set0)") ==
                0,
            findingsText(*s).c_str());
        work.plan.needs[NeedIndex(1)].binding.pads["out1"] = "PB1"; // set 1
        QVERIFY(findingsOf(*run(work), "PIN-08").empty());
        // The search knows it too: with the fan where it is, the lamp's timer 1 can only take set 1.
        work.plan.needs[NeedIndex(1)].binding = {"TMR1", {}, {}};
        work.plan.needs.front().goals.state("frequency", "1 kHz"); // not the same time base, so no sharing
        std::set<std::string> pads;
        for (const Binding& binding : waysToBind(*work.device, *work.board, work.plan, 1))
            if (binding.instance == "TMR1")
                pads.insert(binding.pads.at("out1"));
        QVERIFY(pads == (std::set<std::string>{"PB1", "PB2", "PB3"}));
    }

    void oneTimeBaseIsSharedByWhoWantsTheSame()
    {
        const char* two =
            R"({ "id": "a", "title": "Lamp", "kind": "pwm", "goals": { "frequency": "%1" }, "instance": "TIMER1", "pads": { "out1": "PA2" } },
            { "id": "b", "title": "Fan", "kind": "pwm", "goals": { "frequency": "2 kHz", "duty1": "25 %" }, "instance": "TIMER1", "pads": { "out1": "%2" } })";
        const auto at = [&](const char* frequency, const char* pad) {
            return planned("SE4332-C64", "sluice-node-c",
                           QString(two).replace("%1", frequency).replace("%2", pad).toStdString());
        };
        const auto same = at("2 kHz", "PA3");
        QVERIFY2(same->bindings.contests.empty() && same->bindings.needs.front().shared &&
                     same->bindings.needs[NeedIndex(1)].shared,
                 findingsText(*same).c_str());
        const auto other = at("3 kHz", "PA3");
        QVERIFY(findingsOf(*other, "PIN-02").find("TIMER1 is assigned to Lamp and Fan") == 0);
        // PD8 is channel 1 too.
        const auto channel = at("2 kHz", "PD8");
        QVERIFY2(
            findingsOf(*channel, "PIN-09").find("Channel 1 of TIMER1 is assigned to Lamp output 1 and Fan output 1") ==
                0,
            findingsText(*channel).c_str());

        // Both channels are set up, neither undoes the other, and stopping one leaves the timer running.
        const Device& d = *same->device;
        const int timer = d.findInstance("TIMER1");
        for (const char* role : {"output1", "output2"})
            QCOMPARE(same->image.codeOf(d, d.roleField(timer, role)), 1u);
        QVERIFY(same->image.codeOf(d, d.roleField(timer, "compare2")) > 0);
        const std::string stop = same->source().find("sluice_node_c_b.c")
                                     ? same->source().find("sluice_node_c_b.c")->text()
                                     : same->source().find("t_b.c")->text();
        const size_t body = stop.find("void t_b_stop(void)");
        QVERIFY(body != std::string::npos);
        const std::string stopped = stop.substr(body, stop.find("}", body) - body);
        QVERIFY2(stopped.find("OUT_C2") != std::string::npos && stopped.find("CTL_ON") == std::string::npos,
                 stopped.c_str());
    }

    void whatIsSharedInsideIsUsedOnce()
    {
        const auto s =
            planned("RL1224-Q48", "ditch-meter-d",
                    R"({ "id": "a", "title": "Level", "kind": "adc", "instance": "ADA", "pads": { "in1": "PA4" } },
            { "id": "b", "title": "Other", "kind": "adc", "instance": "ADB", "pads": { "in1": "PA4" } })");
        // One pad for both is one contest, not three.
        QCOMPARE(s->bindings.contests.size(), size_t(1));
        const auto moss =
            planned("MS0816-A48", "rain-post-b",
                    R"({ "id": "a", "title": "Level", "kind": "adc", "instance": "SDC", "pads": { "in1": "PA3" } },
            { "id": "b", "title": "Flood", "kind": "comparator", "goals": { "against": "second input" }, "instance": "CMP0", "pads": { "in": "PA2", "ref": "PA5" } })");
        QVERIFY2(findingsOf(*moss, "PIN-10")
                         .find("The buffer of input 3 is assigned to Level input 1 and Flood second input") == 0,
                 findingsText(*moss).c_str());
    }

    void dmaChannelsServeOneRequestEach()
    {
        const char* text =
            R"({ "id": "a", "title": "Line", "kind": "uart", "goals": { "dma": "both" }, "instance": "UART0", "pads": { "tx": "PA4", "rx": "PA5" }, "dma": { "RX": 0, "TX": %1 } },
            { "id": "b", "title": "Flash", "kind": "spi", "goals": { "dma": "receive" }, "instance": "SPI0", "pads": { "sck": "PB0", "miso": "PB1", "mosi": "PB2", "cs": "PB3" }, "dma": { "RX": 0 } })";
        const auto s = planned("MS0816-A48", "rain-post-b", QString(text).replace("%1", "1").toStdString());
        QVERIFY2(findingsOf(*s, "PIN-11").find("DMA channel 0 is assigned to Line and Flash") == 0,
                 findingsText(*s).c_str());
        // A channel that is not wired to the request.
        const auto wrong = planned("MS0816-A48", "rain-post-b", QString(text).replace("%1", "0").toStdString());
        QVERIFY2(findingsOf(*wrong, "PIN-04").find("DMA channel 0 cannot serve UART0.TX") != std::string::npos,
                 findingsText(*wrong).c_str());

        // The search gives each its own, and gives up only when there is none left: SPI0 receives by channel 0 alone.
        LoadedPlan work{s->device, s->board, s->plan};
        for (Need& need : work.plan.needs)
            need.binding = {};
        const Expected<Edit> edit = bindAllOpen(*work.device, *work.board, work.plan);
        QVERIFY2(edit.ok(), edit.ok() ? "" : edit.problem().text().c_str());
        work.plan = *applied(work.plan, *edit);
        QCOMPARE(work.plan.needs[NeedIndex(1)].binding.dma.at("RX"), 0);
        QCOMPARE(work.plan.needs.front().binding.dma.at("RX"), 1);
        QCOMPARE(work.plan.needs.front().binding.dma.at("TX"), 2);
        QVERIFY(run(work)->bindings.contests.empty());
        // And the plan's file keeps them.
        const Expected<LoadedPlan> again = parsePlan(planText(work.plan), "again", library());
        QVERIFY2(again.ok(), again.ok() ? "" : again.problem().text().c_str());
        QVERIFY(again->plan == work.plan);
    }

    void aRouterIsTold()
    {
        const auto s = run(demo("ditch-meter-d-done"));
        // The fence bus receives by DMA: its channel's router holds the request of its serial unit.
        const NeedIndex need = needIndex(s->plan, "fence-bus");
        const Binding& binding = s->plan.needs[need].binding;
        const Device& d = *s->device;
        const auto& links = d.instances[d.findInstance(binding.instance)].dma.at("RX");
        const FieldRef router = d.requestField(binding.dma.at("RX"));
        QCOMPARE(s->image.codeOf(d, router), links.front().code);
    }

    void linesBelongToTheirPorts()
    {
        // On Moss every port watches its own pads: equal bits of two ports do not meet.
        const char* text =
            R"({ "id": "a", "kind": "gpio", "goals": { "direction": "input", "edges": "rising" }, "pads": { "pin": "PA4" } },
            { "id": "b", "kind": "gpio", "goals": { "direction": "input", "edges": "rising" }, "pads": { "pin": "PB4" } })";
        QVERIFY(planned("MS0816-A48", "rain-post-b", text)->bindings.contests.empty());
        QCOMPARE(planned("SE4332-C64", "sluice-node-c", text)->bindings.contests.size(), size_t(1));
        // On Rill a line has pads whose numbers differ by eight.
        const auto rill = planned(
            "RL1224-Q48", "ditch-meter-d",
            R"({ "id": "a", "kind": "gpio", "goals": { "direction": "input", "edges": "rising" }, "pads": { "pin": "PA4" } },
            { "id": "b", "kind": "gpio", "goals": { "direction": "input", "edges": "rising" }, "pads": { "pin": "PB12" } })");
        QVERIFY2(findingsOf(*rill, "PIN-03").find("Interrupt line 4") == 0, findingsText(*rill).c_str());
    }

    /// Any instance can be used, also of a block that no arithmetic knows.
    void aCustomNeedTakesWhatItNames()
    {
        const auto s = planned(
            "AL7654-B176", "pump-hall-a",
            R"({ "id": "a", "title": "Flags", "kind": "custom", "goals": { "instance": "AGREE", "fields": "FLAG3.OWNER=lead FLAG4.OWNER=0x2 FLAG5.OWNER=leed FLAGS.OWNER=1" }, "instance": "AGREE" },
            { "id": "b", "title": "Odd", "kind": "custom", "goals": { "instance": "LVL0", "signals": "OUT", "fields": "MODE.ON=1 MODE.SPEED=2" }, "instance": "LVL0", "pads": { "out": "S2" } })");
        const Device& d = *s->device;
        QCOMPARE(s->image.codeOf(d, *d.findField("AGREE.FLAG3.OWNER")), 1u);
        QCOMPARE(s->image.codeOf(d, *d.findField("AGREE.FLAG4.OWNER")), 2u);
        QCOMPARE(s->image.codeOf(d, *d.findField("CLK.OPEN0.AGREE")), 1u);
        QCOMPARE(s->image.codeOf(d, *d.findField("LVL0.MODE.ON")), 1u);
        for (const char* told : {"\"leed\" is not a value of AGREE.FLAG5.OWNER; use 0 to 3 or free, lead and help",
                                 "AGREE has no field \"FLAGS.OWNER\"", "LVL0 has no field \"MODE.SPEED\""})
            QVERIFY2(findingsOf(*s, "GOAL-03").find(told) != std::string::npos, findingsText(*s).c_str());
    }
};

BINDREL_TEST(RoutingTest)
#include "routing_test.moc"
