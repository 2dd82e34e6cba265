// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/clock_steps.h"
#include "core/quantity/format.h"
#include "core/rehearsal/rehearsal.h"
#include "tests/support/random_plans.h"

#include <cmath>
#include <set>

using namespace bindrel;
using namespace bindrel::test;

namespace {

/// A chip as its registers say it stands: the words, and what they mean for the clocks, in floating point. It shares
/// with the product only the description of the fields.
class ClockRegisters {
public:
    ClockRegisters(const Device& device, const Board& board) : device_(device), board_(board) {}

    std::uint32_t code(const FieldRef& ref) const
    {
        const auto at = words_.find({ref.instance, ref.reg});
        const std::uint32_t word = at == words_.end() ? device_.registerOf(ref).reset : at->second;
        return word >> device_.fieldOf(ref).lsb & device_.fieldOf(ref).maxCode();
    }
    bool on(ClockIndex clock) const
    {
        const ClockNode& node = device_.clocks[clock];
        return !node.enable.valid() || code(node.enable.ref) == node.enable.code;
    }
    int input(ClockIndex clock) const
    {
        const ClockNode& node = device_.clocks[clock];
        if (node.isSource())
            return -1;
        if (node.type != ClockNode::Type::Select)
            return node.inputs.front().node;
        for (const ClockInput& choice : node.inputs)
            if (choice.code == code(node.control))
                return choice.node;
        return -1;
    }
    double factor(ClockIndex clock) const
    {
        const ClockNode& node = device_.clocks[clock];
        if (!node.control.valid())
            return double(node.resetValue) / double(node.unit);
        const double whole = double(node.encoding.decode(code(node.control)).value_or(0));
        return node.fraction.valid() ? whole + double(code(node.fraction)) / double(node.unit)
                                     : whole / double(node.unit);
    }
    /// 0 while it stands still.
    double rate(ClockIndex clock) const
    {
        const ClockNode& node = device_.clocks[clock];
        if (!on(clock))
            return 0;
        if (node.isSource()) {
            if (node.type != ClockNode::Type::Oscillator) {
                const auto fitted = board_.crystals.find(node.id);
                return fitted == board_.crystals.end() ? 0 : fitted->second.rate.toDouble();
            }
            for (const ClockNode::RateChoice& choice : node.rates)
                if (choice.code == code(node.control))
                    return choice.rate.toDouble();
            return node.rate.toDouble();
        }
        const int from = input(clock);
        if (from < 0)
            return 0;
        switch (node.type) {
        case ClockNode::Type::Divide:
            return rate(from) / factor(clock);
        case ClockNode::Type::Multiply:
            return rate(from) * factor(clock);
        case ClockNode::Type::Follow:
            return rate(from) * double(node.follows < 0            ? 1
                                       : factor(node.follows) == 1 ? node.factorWhenOne
                                                                   : node.factorElse);
        default:
            return rate(from);
        }
    }
    int range() const
    {
        if (!device_.rangeControl.valid())
            return device_.resetRange;
        for (size_t r = 0; r < device_.ranges.size(); ++r)
            if (device_.ranges[r].code == code(device_.rangeControl))
                return int(r);
        return -1;
    }

    /// What the hardware does by itself.
    void force(const FieldRef& ref, std::uint32_t code)
    {
        const auto key = std::pair(ref.instance, ref.reg);
        const std::uint32_t word = words_.contains(key) ? words_[key] : device_.registerOf(ref).reset;
        words_[key] = (word & ~device_.fieldOf(ref).mask()) | code << device_.fieldOf(ref).lsb;
    }

    /// Does the step; says what it breaks, empty when nothing.
    std::string take(const Step& step)
    {
        const std::string where = " (" + step.why + ")";
        if (step.kind == Step::Kind::Wait) {
            if (!(step.timeout.value > Rational(0)))
                return "a wait without a time-out" + where;
            // Passes are counted at the core's rate of that moment: too low a figure would give up too soon. While a
            // select switches, the faster of two rates counts.
            const bool switches =
                std::any_of(device_.clocks.begin(), device_.clocks.end(),
                            [&step](const ClockNode& node) { return node.status == step.fields.front().ref; });
            if (step.coreRate.toDouble() < rate(device_.cpuClock()) * (1 - 1e-9) ||
                (!switches && step.coreRate.toDouble() > rate(device_.cpuClock()) * (1 + 1e-9)))
                return "a time-out counted at " + std::to_string(step.coreRate.toDouble()) + where;
            for (const ClockIndex i : device_.clocks.indices())
                if (const ClockNode& node = device_.clocks[i];
                    node.ready.valid() && node.ready.ref == step.fields.front().ref && rate(i) <= 0)
                    return node.name + " is polled but cannot come" + where;
            return {};
        }
        for (const Unlock& unlock : device_.unlocks)
            if (unlock.instance == step.instance && unlock.reg == step.reg)
                unlocked_.insert(step.instance);
            else if (unlock.instance == step.instance && !unlocked_.contains(step.instance))
                return "written before it is unlocked" + where;
        std::vector<std::pair<ClockIndex, double>> before;
        for (const ClockIndex i : device_.clocks.indices())
            if (!device_.clocks[i].frozenBy.empty())
                before.emplace_back(i, device_.clocks[i].type == ClockNode::Type::Select ? input(i) : factor(i));
        const auto key = std::pair(step.instance, step.reg);
        const std::uint32_t word =
            words_.contains(key) ? words_[key] : device_.blockOf(step.instance).registers[step.reg].reset;
        const std::uint32_t mask = step.kind == Step::Kind::Write ? ~0u : step.mask;
        words_[key] = (word & ~mask) | (step.value & mask);
        for (const auto& [clock, was] : before)
            for (const ClockIndex by : device_.clocks[clock].frozenBy)
                if (on(by) &&
                    (device_.clocks[clock].type == ClockNode::Type::Select ? input(clock) : factor(clock)) != was)
                    return device_.clocks[clock].name + " is changed while " + device_.clocks[by].name + " is on" +
                           where;
        return {};
    }

    /// What is outside its limits at this moment; kernels only as far as they are live. Empty when nothing.
    std::string outside(const std::vector<bool>& live) const
    {
        const int now = range();
        if (now < 0)
            return "the regulator is nowhere";
        for (const ClockIndex i : device_.clocks.indices()) {
            const ClockNode& node = device_.clocks[i];
            const double is = rate(i);
            if (is <= 0 || (node.tier == "kernel" && !live[size_t(i)]))
                continue;
            // The input of a multiplier that is off does nothing.
            if (!node.frozenBy.empty() &&
                std::none_of(node.frozenBy.begin(), node.frozenBy.end(), [this](int by) { return on(by); }))
                continue;
            const RateLimit& limit = node.limitIn(device_.ranges[size_t(now)].id);
            double most = limit.max ? limit.max->toDouble() : 1e18;
            const bool kernel = node.tier == "kernel"; // their users rest during a switch; only too fast would harm
            for (const RelativeLimit& relative : limit.relative)
                if (!kernel && rate(relative.to) > 0)
                    most = std::min(most, rate(relative.to) * relative.max.toDouble());
            if (is > most * (1 + 1e-9) || (!kernel && limit.min && is < limit.min->toDouble() * (1 - 1e-9)))
                return node.name + " at " + std::to_string(is) + " Hz in " + device_.ranges[size_t(now)].name;
        }
        for (const ClockNode& node : device_.clocks)
            if (node.monitor && code(node.monitor->enable.ref) == node.monitor->enable.code && node.enable.valid() &&
                code(node.enable.ref) != node.enable.code)
                return node.name + " is watched while it is off";
        const std::vector<Frequency>& waits = device_.ranges[size_t(now)].waitStateLimits;
        const std::uint32_t states = code(device_.waitStates);
        if (rate(device_.cpuClock()) <= 0)
            return "the core stands still";
        if (rate(device_.flashClock) > waits[std::min<size_t>(states, waits.size() - 1)].toDouble() * (1 + 1e-9))
            return "the flash has too few wait states";
        return {};
    }

private:
    const Device& device_;
    const Board& board_;
    std::map<std::pair<int, int>, std::uint32_t> words_;
    std::set<int> unlocked_;
};

} // namespace

class ClockStepsTest : public QObject {
    Q_OBJECT

    static void walk(ClockRegisters& chip, const std::vector<Step>& steps, const std::vector<bool>& live,
                     const std::string& what)
    {
        for (const Step& step : steps) {
            if (step.phase == Step::Phase::Pins || step.phase == Step::Phase::Need || step.phase == Step::Phase::Start)
                continue;
            const std::string fault = chip.take(step);
            QVERIFY2(fault.empty(), (what + ": " + fault).c_str());
            const std::string outside = chip.outside(live);
            QVERIFY2(outside.empty(), (what + ": " + outside + " after \"" + step.why + "\"").c_str());
        }
    }

    static void arrives(const ClockRegisters& chip, const Device& device, const Rates& rates, const std::string& what)
    {
        for (const ClockIndex i : device.clocks.indices())
            if (rates.clocks[i].running && rates.clocks[i].used) {
                const double wanted = rates.clocks[i].rate.toDouble();
                QVERIFY2(std::abs(chip.rate(int(i)) - wanted) <= wanted * 1e-9,
                         (what + ": " + device.clocks[i].name).c_str());
            } else if (device.clocks[i].enable.valid() && !rates.clocks[i].running) {
                QVERIFY2(!chip.on(int(i)), (what + ": left on, " + device.clocks[i].name).c_str());
            }
        for (const ClockIndex i : device.clocks.indices()) {
            const ClockNode& node = device.clocks[i];
            if (node.trim && rates.clocks[i].running)
                QVERIFY2((chip.code(node.trim->enable.ref) == node.trim->enable.code) == rates.clocks[i].trimmed,
                         (what + ": trim of " + node.name).c_str());
            if (node.monitor)
                QVERIFY2((chip.code(node.monitor->enable.ref) == node.monitor->enable.code) ==
                             (rates.clocks[i].monitored && rates.clocks[i].running),
                         (what + ": monitor of " + node.name).c_str());
        }
        QCOMPARE(chip.range(), rates.range);
    }

    /// What the hardware does when it wakes from a mode: only what the mode keeps runs, and the source that it wakes
    /// on.
    static void wake(ClockRegisters& chip, const Device& device, const LowPowerMode& mode)
    {
        const auto has = [](const auto& list, int item) {
            return std::find(list.begin(), list.end(), item) != list.end();
        };
        for (const ClockIndex i : device.clocks.indices()) {
            const ClockNode& node = device.clocks[i];
            // Sources and multipliers stop; a divider that can be switched keeps its switch.
            if (!node.enable.valid() || !(node.isSource() || node.type == ClockNode::Type::Multiply))
                continue;
            int from = i;
            while (chip.input(from) >= 0)
                from = chip.input(from);
            if (i == mode.wakesOn)
                chip.force(node.enable.ref, node.enable.code);
            else if (!has(mode.keeps, from) || has(mode.stops, i))
                chip.force(node.enable.ref, node.enable.code ? 0 : 1);
        }
        std::vector<ClockIndex> turned = mode.wakesSelects;
        for (int i = device.cpuClock(); i >= 0 && mode.wakesSelects.empty(); i = chip.input(i))
            turned.push_back(i);
        for (const ClockIndex i : turned) {
            const ClockNode& node = device.clocks[i];
            const auto choice = std::find_if(node.inputs.begin(), node.inputs.end(),
                                             [&mode](const ClockInput& input) { return input.node == mode.wakesOn; });
            if (node.type == ClockNode::Type::Select && choice != node.inputs.end()) {
                chip.force(node.control, choice->code);
                if (mode.wakesSelects.empty())
                    return;
            }
        }
    }

private Q_SLOTS:
    /// A domain that takes another source and divides it otherwise to keep its rate is told both in one write: nobody
    /// sees a rate between.
    void aSelectAndItsDividerMoveAtOnce()
    {
        LoadedPlan work = demo("pump-hall-a-done");
        work.plan.slow = ClockSet{work.plan.range, work.plan.clocks};
        work.plan.slow->clocks["SLOW.SRC"] = clockSaid("P.A");
        work.plan.slow->clocks["SLOW"] = clockSaid("4");
        const auto s = run(work);
        int writes = 0;
        for (const std::vector<Step>* list : {&s->image.toSlow, &s->image.toFull})
            for (const Step& step : *list) {
                std::set<std::string> fields;
                for (const FieldWrite& write : step.fields)
                    fields.insert(s->device->nameOf(write.ref));
                if (step.kind == Step::Kind::Wait ||
                    (!fields.contains("CLK.SLOW_TAKE.FROM") && !fields.contains("CLK.SLOW_TAKE.BY")))
                    continue;
                ++writes;
                QVERIFY(fields.contains("CLK.SLOW_TAKE.FROM") && fields.contains("CLK.SLOW_TAKE.BY"));
            }
        QCOMPARE(writes, 2);
        const Rehearsal there = rehearsePlanned(s->facts(), {Scenario::Kind::Slow, -1, {}, -1});
        QVERIFY2(there.hazards.empty() && there.gaveUp.empty(),
                 there.hazards.empty() ? there.gaveUp.c_str() : there.hazards[0].text.c_str());
    }

    void everyStepKeepsEveryLimit_data()
    {
        QTest::addColumn<QString>("name");
        for (const char* name : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"})
            QTest::newRow(name) << name;
    }
    void everyStepKeepsEveryLimit()
    {
        QFETCH(QString, name);
        const LoadedPlan work = demo(name.toStdString());
        const std::vector<Plan> plans = validPlans(work, 77, 14);
        QVERIFY(plans.size() >= 3);
        const auto base = run(work);
        const Device& device = *base->device;
        const std::vector<bool> cores(device.clocks.size(), false);
        for (size_t p = 0; p < plans.size(); ++p) {
            LoadedPlan from = work;
            from.plan = plans[p];
            const auto s = run(from);
            std::string decisions;
            for (const auto& [clock, value] : plans[p].clocks)
                decisions += clock + "=" + clockDecisionText(value) + " ";
            for (const Finding& finding : s->findings)
                QVERIFY2(finding.rule != "CLK-01" && finding.rule != "CLK-02",
                         (finding.text.text() + decisions).c_str());
            ClockRegisters fresh(device, *s->board);
            walk(fresh, s->image.steps, cores,
                 name.toStdString() + ", from reset to plan " + std::to_string(p) + " " + plans[p].range + " " +
                     decisions);
            arrives(fresh, device, s->rates, "plan " + std::to_string(p));
            // From each to the next, and back, with all needs at work.
            LoadedPlan pair = from;
            pair.plan.slow = plans[(p + 1) % plans.size()].clockSet();
            const auto both = run(pair);
            std::vector<bool> live(device.clocks.size(), false);
            for (ClockIndex i = 0; i < int(live.size()); ++i)
                live[i] = both->rates.clocks[i].used;
            const std::string where = name.toStdString() + ", plan " + std::to_string(p);
            walk(fresh, both->image.toSlow, live, where + " to the next");
            arrives(fresh, device, *both->image.slowRates, where + " to the next");
            walk(fresh, both->image.toFull, live, where + " and back");
            arrives(fresh, device, both->rates, where + " and back");
            if (QTest::currentTestFailed())
                return;
        }
    }

    void wakingKeepsEveryLimit_data() { everyStepKeepsEveryLimit_data(); }
    void wakingKeepsEveryLimit()
    {
        QFETCH(QString, name);
        LoadedPlan work = demo(name.toStdString());
        const Device& device = *work.device;
        for (const LowPowerMode& mode : device.modes)
            work.plan.modes.insert(mode.id);
        int woken = 0;
        for (const Plan& plan : validPlans(work, 99, 12)) {
            LoadedPlan one = work;
            one.plan = plan;
            const auto s = run(one);
            std::vector<bool> live(device.clocks.size(), false);
            for (ClockIndex i = 0; i < int(live.size()); ++i)
                live[i] = s->rates.clocks[i].used;
            for (const ModeSteps& steps : s->image.modes) {
                const LowPowerMode& mode = device.modes[size_t(steps.mode)];
                const std::string where = name.toStdString() + ", " + mode.name;
                ClockRegisters chip(device, *s->board);
                walk(chip, s->image.steps, std::vector<bool>(device.clocks.size(), false), where + " reset");
                for (const Step& step : steps.enter)
                    QVERIFY(chip.take(step).empty());
                for (const FieldCode& field : mode.enters)
                    QCOMPARE(chip.code(field.ref), field.code);
                if (mode.wakesOn >= 0)
                    wake(chip, device, mode);
                // A finding tells where the chip would wake outside its limits; elsewhere it does not, and comes back
                // inside them.
                if (std::any_of(s->findings.begin(), s->findings.end(),
                                [&mode](const Finding& f) { return f.rule == "MODE-02" && f.place.id == mode.id; })) {
                    QVERIFY2(!chip.outside(live).empty(), findingsText(*s).c_str());
                    continue;
                }
                QVERIFY2(chip.outside(live).empty(), (where + " woken: " + chip.outside(live)).c_str());
                walk(chip, steps.back, live, where + " and back");
                arrives(chip, device, s->rates, where + " and back");
                for (const FieldCode& field : mode.enters)
                    QVERIFY(chip.code(field.ref) != field.code);
                ++woken;
                if (QTest::currentTestFailed())
                    return;
            }
        }
        QVERIFY(woken > 4);
    }

    /// The PLL that the cores run from cannot be set while they do: they take another source meanwhile.
    void theCoresNeverStandOnWhatIsSetAnew()
    {
        LoadedPlan work = demo();
        work.plan.slow = work.plan.clockSet();
        work.plan.slow->clocks["PLLA.VCO"] = clockSaid("48");
        work.plan.slow->clocks["PLLA.AUX"] = clockSaid("2");
        const auto s = run(work);
        std::vector<std::string> words;
        for (const Step& step : s->image.toSlow)
            if (step.kind != Step::Kind::Wait && !step.fields.empty())
                words.push_back(s->device->nameOf(step.fields.front().ref));
        const auto at = [&words](const char* field) {
            return std::find(words.begin(), words.end(), field) - words.begin();
        };
        QVERIFY(at("CLK.TREE.SYS") < at("CLK.PLLON.A"));
        QVERIFY(at("CLK.PLLON.A") < at("CLK.PLLA.MUL"));
        QVERIFY(at("CLK.PLLA.MUL") < std::ptrdiff_t(words.size()));
        const auto last = [&words](const char* field) {
            return std::find(words.rbegin(), words.rend(), field).base() - words.begin();
        };
        QVERIFY(last("CLK.PLLA.MUL") < last("CLK.PLLON.A"));
        QVERIFY(last("CLK.PLLON.A") < last("CLK.TREE.SYS"));
    }
};

BINDREL_TEST(ClockStepsTest)
#include "clock_steps_test.moc"
