// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/files.h"
#include "core/base/text.h"
#include "core/pins/options.h"
#include "core/quantity/parse.h"
#include "core/snapshot.h"
#include "tests/support/test_program.h"

#include <QtTest>

#include <cmath>
#include <filesystem>
#include <map>
#include <string>

/// Verbs that keep the tests short: load a demo plan, edit it, look at the snapshot.
namespace bindrel::test {

inline std::string demoPath(const std::string& name)
{
    return std::string(BINDREL_EXAMPLES) + "/" + name + ".bindrel";
}
inline std::filesystem::path dataPath(const std::string& name)
{
    return std::filesystem::path(BINDREL_SOURCE_DATA) / name;
}
inline Library library()
{
    return Library(BINDREL_SOURCE_DATA);
}
/// A chip that ships.
inline std::shared_ptr<const Device> shippedDevice(std::string_view name)
{
    const Expected<std::shared_ptr<const Device>> found = library().device(name);
    if (!found)
        qFatal("%s", found.problem().text().c_str());
    return *found;
}

/// The seed of a test that draws by lot; another with BINDREL_SEED, so that a night can try what a run of all tests
/// does not.
inline unsigned seeded(unsigned seed)
{
    return seed + unsigned(qEnvironmentVariableIntValue("BINDREL_SEED")) * 7919;
}

inline std::string textOf(const std::filesystem::path& path)
{
    Expected<std::string> text = readFile(path);
    return text ? *text : std::string();
}

/// A demo plan; fails the test by crashing if it does not load, since every test stands on it.
inline LoadedPlan demo(const std::string& name = "sluice-node-c-done")
{
    static std::map<std::string, LoadedPlan> loaded; // reading the device again for each of many cases only costs time
    const auto known = loaded.find(name);
    if (known != loaded.end())
        return known->second;
    Expected<LoadedPlan> work = loadPlan(demoPath(name), library());
    if (!work)
        qFatal("%s", work.problem().text().c_str());
    return loaded[name] = *std::move(work);
}

inline std::shared_ptr<const Snapshot> run(const LoadedPlan& work)
{
    return computeSnapshot(work);
}

/// What a plan's file would say of a clock, read without the chip: a factor starts with a digit, a rate has a unit.
inline ClockDecision clockSaid(const std::string& text)
{
    if (text == "none")
        return InputDecision{};
    if (std::isdigit(static_cast<unsigned char>(text[0])) && text.find("Hz") == std::string::npos) {
        const size_t plus = text.find('+'), slash = text.find('/');
        Rational factor(std::llround(std::stod(text.substr(0, plus)) * 4096), 4096);
        if (plus != std::string::npos)
            factor = factor + Rational(std::stoll(text.substr(plus + 1)), std::stoll(text.substr(slash + 1)));
        return FactorDecision{factor.num(), factor.den()};
    }
    RunDecision out;
    for (const std::string& part : splitted(text, ',')) {
        const std::string word(trimmed(part));
        const Expected<Frequency> rate = parseFrequency(word);
        if (rate && word.find("Hz") != std::string::npos)
            out.rate = *rate;
        else if (word == "on" || word == "off")
            out.run = word == "on" ? ClockRun::On : ClockRun::Off;
        else if (word == "trimmed" || word == "monitored")
            (word == "trimmed" ? out.trimmed : out.monitored) = true;
        else if (word != "auto")
            return InputDecision{word};
    }
    return out;
}

inline LoadedPlan with(LoadedPlan work, const Change& change)
{
    Expected<Plan> next = applied(work.plan, editOf("test", change));
    if (!next)
        qFatal("%s", next.problem().text().c_str());
    work.plan = *std::move(next);
    return work;
}

/// The finished plan with one of everything that a plan file can hold: pins, nets, a part of its own, holds, DMA, slow
/// clocks, low-power modes.
inline LoadedPlan fullPlan()
{
    LoadedPlan work = demo();
    work.plan.parts.push_back({"lamp-2", "Second lamp", "Beside the door.", {"lamp", "on"}, true, {}, {}});
    TerminalFact& fact = work.plan.parts.back().facts["on"];
    fact.pull = TerminalFact::Level::Low;
    fact.off = TerminalFact::Level::Low;
    fact.volts = Voltage(Rational(33, 10));
    fact.current = Current(Rational(2, 1000));
    Need need;
    need.id = "lamp-2";
    need.part = "lamp-2";
    need.title = "Second lamp";
    need.kind = "gpio";
    need.terminals = {{"pin", "on"}};
    need.pins = {{"pin", {{"name", "LAMP_2"}, {"net", "LAMP_NET"}}}};
    work.plan.needs.push_back(need);
    work.plan.nets = {{"PC8", "LAMP_NET"}, {"PC9", ""}};
    work.plan.need("uplink")->pins = {{"rx", {{"pull", "none"}, {"speed", "fast"}}},
                                      {"tx", {{"drive", "strong"}, {"open_drain", "yes"}}}};
    work.plan.need("uplink")->goals.state("dma", "receive");
    work.plan.need("uplink")->binding.dma = {{"RX", 3}};
    // By the channel that it has anyway, said in full.
    for (const Seat& seat : seatNeed(*work.device, *work.plan.need("beacon")).seats)
        if (seat.route >= 0)
            work.plan.need("beacon")->binding.via[seat.signal.id] =
                work.device->instances[work.device->routes[seat.route].instance]
                    .signals[size_t(work.device->routes[seat.route].signal)]
                    .name;
    work.plan.supply = "3.2 V";
    work.plan.slow = ClockSet{"R2", {{"SYS", InputDecision{"HFI"}}, {"BUS1", FactorDecision{1}}}};
    work.plan.modes = {"SLEEP", "STOP"};
    work.plan.holds = {holdOfNeed("uplink"), holdOfClock("SYS"), holdOfSignal("beacon", "out1")};
    work.plan.onFailure = OnFailure::FallBack;
    work.plan.stored = {{"BOOT.DOG", "by reset"}, {"BOOT.LEVEL", "2.4 V"}};
    return work;
}

inline NeedIndex needIndex(const Plan& plan, const std::string& id)
{
    for (const NeedIndex i : plan.needs.indices())
        if (plan.needs[i].id == id)
            return i;
    return -1;
}

inline bool hasFinding(const Snapshot& s, const std::string& rule, const std::string& place = {})
{
    for (const Finding& f : s.findings)
        if (f.rule == rule && (place.empty() || f.place.id == place || f.place.sub == place))
            return true;
    return false;
}

inline std::string findingsText(const Snapshot& s)
{
    std::string out;
    for (const Finding& f : s.findings)
        out += f.rule + " " + f.text.text() + "\n";
    return out;
}

/// Every way to bind one need on a plan where the others stay, as the placement search finds them.
inline std::vector<Binding> waysToBind(const Device& device, const Board& board, const Plan& plan, NeedIndex need)
{
    PlacementRequest request;
    request.needs = {need};
    request.count = 100'000;
    request.ranked = false;
    request.effort = 10'000'000'000;
    std::vector<Binding> out;
    for (const Placement& way : place(device, board, plan, request).ways)
        out.push_back(way.bindings.empty() ? plan.needs[need].binding : way.bindings.front().second);
    return out;
}

inline double hertz(const Snapshot& s, const char* clock)
{
    return s.rates.clocks[s.device->findClock(clock)].rate.toDouble();
}

/// The text with its first occurrence of `from` replaced; the test fails when there is none.
inline std::string replaced(std::string text, const std::string& from, const std::string& to)
{
    const size_t at = text.find(from);
    if (at == std::string::npos)
        qFatal("\"%s\" is not in the text", from.c_str());
    return text.replace(at, from.size(), to);
}

} // namespace bindrel::test

#define COMPARE_TEXT(actual, expected) QCOMPARE(QString::fromStdString(actual), QString(expected))
