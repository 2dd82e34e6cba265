// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/memory_size.h"
#include "core/plan/stored_settings.h"
#include "core/rehearsal/simulated_chip.h"
#include "tests/support/random_plans.h"
#include "tests/support/rehearse.h"

#include <algorithm>

using namespace bindrel;
using namespace bindrel::test;

namespace {

const char* const kFamilies[] = {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"};

/// The snapshot's facts with another image in the place of its own.
struct Faulty {
    const Snapshot& s;
    Image image;
    Facts facts() const
    {
        return {*s.device, *s.board, s.plan, s.bindings, s.rates, s.settings, s.accuracy, s.pads, image, s.provenance};
    }
};

} // namespace

class RehearsalTest : public QObject {
    Q_OBJECT

    static void families()
    {
        QTest::addColumn<QString>("name");
        for (const char* name : kFamilies)
            QTest::newRow(name) << name;
    }

private Q_SLOTS:
    void shippedPlansComeUp_data() { families(); }
    /// With a stack and a heap of its own the program runs as before, and counts what it has used. A stack that is too
    /// small for it is told.
    void theStackIsMeasured()
    {
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "ditch-meter-d-done", "pump-hall-a-done"})
            for (const char* stack : {"1 KiB", "64 bytes"}) {
                const LoadedPlan work = with(with(demo(plan), SetText{SetText::What::Stack, stack}),
                                             SetText{SetText::What::Heap, "256 bytes"});
                const auto s = run(work);
                const QTemporaryDir folder;
                const Expected<Rehearsal> machine =
                    rehearseMachineCode(s->facts(), s->source(), {}, folder.path().toStdString());
                QVERIFY2(machine.ok(), machine ? "" : machine.problem().text().c_str());
                const bool tight = std::string_view(stack) == "64 bytes";
                QCOMPARE(int(machine->hazards.size()) > 0, tight);
                if (tight)
                    QVERIFY2(machine->hazards.front().text.find("of 64 bytes of stack") != std::string::npos,
                             machine->hazards.front().text.c_str());
            }
        for (const char* size : {"4 KiB", "2048", "1000 bytes", "16 MiB", "8 b"})
            QVERIFY2(parseMemorySize(size) &&
                         *parseMemorySize(memorySizeText(*parseMemorySize(size))) == *parseMemorySize(size),
                     size);
        for (const char* size :
             {"", "0", "7", "17 MiB", "99999999999999999999", "-8", "4 KB", "1.5 KiB", "KiB", "4294967296 KiB"})
            QVERIFY2(!parseMemorySize(size), size);
    }

    /// Planned operations and machine code, from reset and into each mode and back: no hazard, and the same writes one
    /// by one.
    void shippedPlansComeUp()
    {
        QFETCH(QString, name);
        LoadedPlan work = demo(name.toStdString());
        for (const LowPowerMode& mode : work.device->modes)
            work.plan.modes.insert(mode.id);
        const auto s = run(work);
        const QTemporaryDir folder;
        for (const Scenario& scenario : scenariosOf(s->facts())) {
            if (scenario.whatIf())
                continue;
            const Rehearsal planned = rehearsePlanned(s->facts(), scenario);
            QVERIFY2(planned.hazards.empty(), (planned.title + "\n" + hazardsText(planned)).c_str());
            QVERIFY2(planned.gaveUp.empty(), planned.gaveUp.c_str());
            QVERIFY(planned.operations.size() > 30 && planned.untilUp > 0);
            const Expected<Rehearsal> machine =
                rehearseMachineCode(s->facts(), s->source(), scenario, folder.path().toStdString());
            QVERIFY2(machine.ok(), machine ? "" : machine.problem().text().c_str());
            QVERIFY2(machine->hazards.empty(), (machine->title + "\n" + hazardsText(*machine)).c_str());
            QVERIFY2(machine->gaveUp.empty(), machine->gaveUp.c_str());
            for (const Hazard& hazard : compareWrites(*s->device, planned, *machine))
                QFAIL((machine->title + ": " + hazard.text).c_str());
        }
    }

    void everySourceThatFailsIsReported_data() { families(); }
    /// What never starts ends in a status, in time, with nothing driven that must not be.
    void everySourceThatFailsIsReported()
    {
        QFETCH(QString, name);
        const auto s = run(demo(name.toStdString()));
        const QTemporaryDir folder;
        int tried = 0;
        for (const Scenario& scenario : scenariosOf(s->facts())) {
            if (scenario.dead.empty())
                continue;
            const Rehearsal planned = rehearsePlanned(s->facts(), scenario);
            QVERIFY2(planned.hazards.empty(), (planned.title + "\n" + hazardsText(planned)).c_str());
            QVERIFY2(!planned.gaveUp.empty(), planned.title.c_str());
            const Expected<Rehearsal> machine =
                rehearseMachineCode(s->facts(), s->source(), scenario, folder.path().toStdString());
            QVERIFY2(machine.ok(), machine ? "" : machine.problem().text().c_str());
            QVERIFY2(machine->hazards.empty(), (machine->title + "\n" + hazardsText(*machine)).c_str());
            QVERIFY2(!machine->gaveUp.empty(), machine->title.c_str());
            ++tried;
        }
        QVERIFY(tried >= 1);
    }

    void everyFailureIsMastered_data() { families(); }
    /// Where the plan wants to go on, what can be brought up without a clock is, at the rates of the fall back; planned
    /// operations and machine code agree. What is left out is what hangs on the clock: with the others' rates unchanged
    /// nothing else is.
    void everyFailureIsMastered()
    {
        QFETCH(QString, name);
        for (const OnFailure policy : {OnFailure::GoOn, OnFailure::FallBack}) {
            const auto s = run(with(demo(name.toStdString()), SetOnFailure{policy}));
            const QTemporaryDir folder;
            for (const Scenario& scenario : scenariosOf(s->facts())) {
                if (scenario.dead.empty())
                    continue;
                const Rehearsal planned = rehearsePlanned(s->facts(), scenario);
                QVERIFY2(planned.hazards.empty(), (planned.title + "\n" + hazardsText(planned)).c_str());
                QVERIFY2(!planned.gaveUp.empty() && !planned.wentOn.empty(), planned.title.c_str());
                const Expected<Rehearsal> machine =
                    rehearseMachineCode(s->facts(), s->source(), scenario, folder.path().toStdString());
                QVERIFY2(machine.ok(), machine ? "" : machine.problem().text().c_str());
                QVERIFY2(machine->hazards.empty(), (machine->title + "\n" + hazardsText(*machine)).c_str());
                QCOMPARE(machine->wentOn, planned.wentOn);
                for (const Hazard& hazard : compareWrites(*s->device, planned, *machine))
                    QFAIL((planned.title + ": " + hazard.text).c_str());
                const auto fallBack =
                    std::find_if(s->image.fallBacks.begin(), s->image.fallBacks.end(),
                                 [&scenario](const FallBack& known) { return scenario.dead.contains(known.clock); });
                const bool late = std::find(s->image.lateSources.begin(), s->image.lateSources.end(),
                                            *scenario.dead.begin()) != s->image.lateSources.end();
                QCOMPARE(fallBack == s->image.fallBacks.end(), late);
                for (NeedIndex n = 0; !late && n < int(s->plan.needs.size()); ++n) {
                    const InstanceIndex instance = s->bindings.needs[n].instance;
                    const ClockIndex kernel = instance < 0 ? ClockIndex() : s->device->instances[instance].kernel;
                    if (kernel < 0)
                        continue;
                    const std::vector<ClockIndex> path = pathToSource(s->rates, kernel);
                    const bool hangs = std::find(path.begin(), path.end(), fallBack->clock) != path.end();
                    if (policy == OnFailure::GoOn && hangs &&
                        fallBack->rates.clocks[kernel].rate != s->rates.clocks[kernel].rate)
                        QVERIFY2(fallBack->left.contains(int(n)), s->plan.needs[n].title.c_str());
                }
            }
        }
    }

    /// After a reset that is not the supply's a field may hold what an earlier program left: it is written even where
    /// reset would do.
    void whatSurvivesAResetIsWritten()
    {
        const auto writes = [](const Snapshot& s, const FieldRef& ref) {
            return std::any_of(s.image.steps.begin(), s.image.steps.end(), [&ref](const Step& step) {
                return step.kind != Step::Kind::Wait &&
                       std::any_of(step.fields.begin(), step.fields.end(),
                                   [&ref](const FieldWrite& write) { return write.ref == ref; });
            });
        };
        const auto low = run(with(demo("ditch-meter-d-done"), SetClock{"LOWK", clockSaid("LRC")}));
        const FieldRef pick = low->device->clocks[low->device->findClock("LOWK")].control;
        QVERIFY(low->device->fieldOf(pick).survivesReset);
        QCOMPARE(low->device->resetCode(pick), 0u);
        QVERIFY(writes(*low, pick));
        // An earlier program had the calendar on the crystal, and the reset left it there.
        SimulatedChip chip(*low->device, *low->board, low->rates.supply);
        chip.registers().put(pick, 1);
        chip.registers().put(low->device->roleField(low->device->findInstance("CAL"), "fine"), 77);
        chip.warmReset();
        QCOMPARE(chip.registers().code(pick), 1u);
        QCOMPARE(chip.registers().code(low->device->roleField(low->device->findInstance("CAL"), "fine")), 77u);
        const FieldRef tap = low->device->clocks[low->device->findClock("CPU")].control;
        chip.registers().put(tap, 2);
        chip.warmReset();
        QCOMPARE(chip.registers().code(tap), low->device->resetCode(tap));
    }

    void aSupplyThatFallsIsTold()
    {
        const auto sags = [](const Snapshot& s) {
            for (const Scenario& scenario : scenariosOf(s.facts()))
                if (scenario.sagsTo >= 0)
                    return std::optional(rehearsePlanned(s.facts(), scenario));
            return std::optional<Rehearsal>();
        };
        const auto fast = sags(*run(demo()));
        QVERIFY(fast && fast->title.find("2.7") != std::string::npos);
        QVERIFY(std::any_of(fast->hazards.begin(), fast->hazards.end(), [](const Hazard& hazard) {
            return hazard.kind == Hazard::Kind::Limit && hazard.text.find("150") != std::string::npos &&
                   hazard.text.find("90") != std::string::npos;
        }));
        QVERIFY(std::any_of(fast->hazards.begin(), fast->hazards.end(),
                            [](const Hazard& hazard) { return hazard.kind == Hazard::Kind::WaitStates; }));
        // A chip that is held in reset before does not run on; one that is held later does.
        QVERIFY(!sags(*run(with(demo(), SetStored{"BOOT.LEVEL", "2.75 V"}))));
        QVERIFY(sags(*run(with(demo(), SetStored{"BOOT.LEVEL", "2.4 V"}))));
        // In the range that needs the least there is nothing to fall to.
        const auto device = demo().device;
        const auto least = std::min_element(
            device->ranges.begin(), device->ranges.end(),
            [](const OperatingRange& a, const OperatingRange& b) { return a.supplyMin < b.supplyMin; });
        QVERIFY(!sags(*run(with(demo(), SetText{SetText::What::Range, least->id}))));
    }

    void randomFailuresAreMastered_data() { families(); }
    /// Random clocks, random slow ones, each policy, each clock dead in turn: no hazard on the way to what is left.
    void randomFailuresAreMastered()
    {
        QFETCH(QString, name);
        const LoadedPlan work = demo(name.toStdString());
        const std::vector<Plan> plans = validPlans(work, 815, 16);
        int tried = 0, wentOn = 0;
        for (size_t p = 0; p < plans.size(); ++p) {
            LoadedPlan one = work;
            one.plan = plans[p];
            one.plan.slow = plans[(p + 1) % plans.size()].clockSet();
            one.plan.onFailure = p % 2 ? OnFailure::GoOn : OnFailure::FallBack;
            const auto s = run(one);
            for (const Scenario& scenario : scenariosOf(s->facts())) {
                if (scenario.dead.empty())
                    continue;
                const Rehearsal r = rehearsePlanned(s->facts(), scenario);
                std::string decisions = one.plan.range + " ";
                for (const auto& [clock, value] : one.plan.clocks)
                    decisions += clock + "=" + clockDecisionText(value) + " ";
                decisions += "| slow " + one.plan.slow->range + " ";
                for (const auto& [clock, value] : one.plan.slow->clocks)
                    decisions += clock + "=" + clockDecisionText(value) + " ";
                QVERIFY2(
                    r.hazards.empty(),
                    (r.title + " " + decisions + nameOf(one.plan.onFailure) + " " + "\n" + hazardsText(r)).c_str());
                ++tried;
                wentOn += !r.wentOn.empty();
            }
        }
        qInfo("%d of %d went on", wentOn, tried);
        QVERIFY(wentOn > 0);
    }

    void randomPlansComeUp_data() { families(); }
    /// Plans whose clocks are all inside their limits are not called hazardous: from reset, to another set of clocks
    /// and back.
    void randomPlansComeUp()
    {
        QFETCH(QString, name);
        const LoadedPlan work = demo(name.toStdString());
        const std::vector<Plan> plans = validPlans(work, 4711, 40);
        QVERIFY(plans.size() >= 3);
        int clean = 0;
        for (size_t p = 0; p < plans.size(); ++p) {
            LoadedPlan one = work;
            one.plan = plans[p];
            one.plan.slow = plans[(p + 1) % plans.size()].clockSet();
            const auto s = run(one);
            clean += s->count(Finding::Severity::Error) == 0;
            for (const Scenario& scenario : {Scenario{}, Scenario{Scenario::Kind::Slow, -1, {}, -1}}) {
                const Rehearsal r = rehearsePlanned(s->facts(), scenario);
                std::string decisions = one.plan.range + " ";
                for (const auto& [clock, value] : one.plan.clocks)
                    decisions += clock + "=" + clockDecisionText(value) + " ";
                decisions += "| slow " + one.plan.slow->range + " ";
                for (const auto& [clock, value] : one.plan.slow->clocks)
                    decisions += clock + "=" + clockDecisionText(value) + " ";
                QVERIFY2(r.hazards.empty() && r.gaveUp.empty(),
                         (r.title + " " + decisions + r.gaveUp + "\n" + hazardsText(r)).c_str());
            }
        }
        qInfo("%d of %d", clean, int(plans.size()));
    }

    void nothingStandsForbiddenOnTheWay_data() { families(); }
    /// With random pairs of settings forbidden, plans that keep to them lead to each other without passing one, from
    /// reset too; where no order does, the rehearsal says so, and that is rare.
    void nothingStandsForbiddenOnTheWay()
    {
        QFETCH(QString, name);
        const LoadedPlan base = demo(name.toStdString());
        std::mt19937 random(seeded(31));
        int ways = 0, broken = 0;
        for (int round = 0; round < 6; ++round) {
            LoadedPlan work = base;
            Device device = *base.device;
            for (int c = 0; c < 4; ++c) {
                ClockCombination combination;
                std::set<int> clocks;
                while (clocks.size() < 2)
                    if (const ClockIndex i = random() % device.clocks.size(); device.clocks[i].control.valid() &&
                                                                              device.clocks[i].rates.empty() &&
                                                                              device.clocks[i].tier != "source")
                        clocks.insert(int(i));
                for (const ClockIndex clock : clocks) {
                    const ClockNode& node = device.clocks[clock];
                    const size_t count =
                        node.type == ClockNode::Type::Select ? node.inputs.size() : node.factors.size();
                    ClockCombination::Term term{clock, {}};
                    for (size_t k = 0; k < count; ++k)
                        if (const std::int64_t setting = node.type == ClockNode::Type::Select
                                                             ? std::int64_t(k)
                                                             : node.settingOf(node.factors[k]);
                            setting != node.resetValue && random() % 3 == 0)
                            term.settings.push_back(setting);
                    combination.terms.push_back(std::move(term));
                }
                device.neverTogether.push_back(std::move(combination));
            }
            work.device = std::make_shared<const Device>(std::move(device));
            const std::vector<Plan> plans = validPlans(work, unsigned(round) + 7, 6);
            for (size_t p = 0; p < plans.size(); ++p) {
                LoadedPlan one = work;
                one.plan = plans[p];
                one.plan.slow = plans[(p + 1) % plans.size()].clockSet();
                const auto s = run(one);
                if (hasFinding(*s, "CLK-13") || hasFinding(*s, "MODE-03"))
                    continue; // the plan that all begin with may be forbidden itself
                ++ways;
                for (const Scenario& scenario : {Scenario{}, Scenario{Scenario::Kind::Slow, -1, {}, -1}}) {
                    const Rehearsal r = rehearsePlanned(s->facts(), scenario);
                    broken += std::any_of(r.hazards.begin(), r.hazards.end(), [](const Hazard& hazard) {
                        return hazard.text.find("combination not allowed") != std::string::npos;
                    });
                }
            }
        }
        qInfo("%d of %d", broken, ways);
        QVERIFY(ways > 10);
        QVERIFY(broken * 20 <= ways);
    }

    void otherBindingsComeUp_data() { families(); }
    /// Other needs on other pads and instances: planned operations and machine code agree and are without hazard.
    void otherBindingsComeUp()
    {
        QFETCH(QString, name);
        const LoadedPlan base = demo(name.toStdString());
        const int rounds = qEnvironmentVariableIsSet("BINDREL_LONG") ? qEnvironmentVariableIntValue("BINDREL_LONG") : 8;
        for (int round = 0; round < rounds; ++round) {
            const LoadedPlan work = shuffled(base, unsigned(round) + 100);
            const auto s = run(work);
            const Rehearsal planned = rehearsePlanned(s->facts(), {});
            QVERIFY2(planned.hazards.empty() && planned.gaveUp.empty(),
                     fmt::format("round {}: {}\n{}", round, planned.gaveUp, hazardsText(planned)).c_str());
            if (round % 4 != 0)
                continue;
            const QTemporaryDir folder;
            const Expected<Rehearsal> machine =
                rehearseMachineCode(s->facts(), s->source(), {}, folder.path().toStdString());
            QVERIFY2(machine.ok(), machine ? "" : machine.problem().text().c_str());
            QVERIFY2(machine->hazards.empty() && machine->gaveUp.empty(),
                     fmt::format("round {}: {}\n{}", round, machine->gaveUp, hazardsText(*machine)).c_str());
            for (const Hazard& hazard : compareWrites(*s->device, planned, *machine))
                QFAIL(fmt::format("round {}: {}", round, hazard.text).c_str());
        }
    }

    /// Each instance is reached by the core that owns it, and by nobody whom the plan does not let: the fences are set
    /// before the other core runs.
    void fencesAdmitOwners()
    {
        const LoadedPlan work = demo("pump-hall-a-done");
        const auto s = run(work);
        const auto fenceOf = [](const Snapshot& snapshot, NeedIndex need) {
            return snapshot.device->instances[snapshot.bindings.needs[need].instance].fences.front().field;
        };
        int helpers = 0;
        for (const NeedIndex n : s->plan.needs.indices())
            if (const InstanceIndex instance = s->bindings.needs[n].instance;
                instance >= 0 && !s->device->instances[instance].fences.empty()) {
                const bool help = s->plan.needs[n].core == "HELP";
                QCOMPARE(s->image.codeOf(*s->device, fenceOf(*s, n)), help ? 1u : 0u);
                helpers += help;
            }
        QVERIFY(helpers > 3);
        // Without them the helper is kept out.
        Faulty faulty{*s, s->image};
        std::erase_if(faulty.image.steps,
                      [&](const Step& step) { return step.instance == s->device->findInstance("FENCE"); });
        const Rehearsal kept = rehearsePlanned(faulty.facts(), {});
        QVERIFY(std::any_of(kept.hazards.begin(), kept.hazards.end(), [](const Hazard& hazard) {
            return hazard.kind == Hazard::Kind::Closed && hazard.text.find("HELP") != std::string::npos;
        }));
        // Opened to the other core, or to nobody.
        const auto titled = [](Plan& plan, const char* title) {
            return std::find_if(plan.needs.begin(), plan.needs.end(),
                                [title](const Need& need) { return need.title == title; });
        };
        for (const auto& [title, openTo, code] : {std::tuple("Phase currents", "HELP", 2u),
                                                  {"Phase currents", "nobody", 0u},
                                                  {"Set point", "LEAD", 2u},
                                                  {"Set point", "nobody", 1u}}) {
            LoadedPlan one = work;
            const auto found = titled(one.plan, title);
            QVERIFY2(found != one.plan.needs.end(), title);
            found->openTo = openTo;
            const auto r = run(one);
            QCOMPARE(r->image.codeOf(*r->device, fenceOf(*r, size_t(found - one.plan.needs.begin()))), code);
            QVERIFY2(rehearsed(*r).empty(), rehearsed(*r).c_str());
            const Expected<LoadedPlan> again = parsePlan(planText(one.plan), "open.bindrel", library());
            QVERIFY2(again && again->plan == one.plan, again ? "" : again.problem().text().c_str());
        }
        // A chip that keeps worlds apart: the program's own is named by its core, the other by the plan.
        LoadedPlan worlds = work;
        Device device = *work.device;
        for (Core& core : device.cores)
            core.world = "guarded";
        for (Instance& instance : device.instances)
            for (Fence& fence : instance.fences)
                fence.admits = {{0, {"guarded"}}, {3, {"guarded", "outside"}}};
        worlds.device = std::make_shared<const Device>(std::move(device));
        titled(worlds.plan, "Sump level")->openTo = "outside";
        const auto w = run(worlds);
        QVERIFY2(w->findings.empty(), findingsText(*w).c_str());
        QCOMPARE(w->image.codeOf(*w->device,
                                 fenceOf(*w, size_t(titled(worlds.plan, "Sump level") - worlds.plan.needs.begin()))),
                 3u);
        QVERIFY2(rehearsed(*w).empty(), rehearsed(*w).c_str());
    }

    void hazardsAreFindings()
    {
        const auto s = run(demo());
        QVERIFY(hazardFindings(s->facts(), s->findings).empty());
        Faulty faulty{*s, s->image};
        for (Step& step : faulty.image.steps)
            if (step.kind == Step::Kind::Update && step.fields.front().ref == s->device->waitStates)
                step.value = 0;
        const std::vector<Finding> found = hazardFindings(faulty.facts(), {});
        QVERIFY(std::any_of(found.begin(), found.end(), [](const Finding& finding) {
            return finding.rule == "REH-01" && finding.severity == Finding::Severity::Error &&
                   finding.place.kind == Place::Kind::Clock;
        }));
        // What another finding says of the same clock is not said twice.
        const auto tangled = run(demo("sluice-node-c-tangled"));
        QVERIFY(hasFinding(*tangled, "CLK-01", "BUS1"));
        for (const Finding& finding : hazardFindings(tangled->facts(), tangled->findings))
            QVERIFY(finding.place.id != "BUS1");
    }

    void singleFaultsAreNoticed_data() { families(); }
    /// Every operation in turn is left out, or writes another code: the end or the way there shows it.
    void singleFaultsAreNoticed()
    {
        QFETCH(QString, name);
        const auto s = run(demo(name.toStdString()));
        int faults = 0;
        std::string missed;
        const auto notice = [&](Image image, const std::string& what) {
            const Faulty faulty{*s, std::move(image)};
            const Rehearsal r = rehearsePlanned(faulty.facts(), {});
            ++faults;
            if (r.hazards.empty() && r.gaveUp.empty())
                missed += what + "\n";
        };
        std::map<std::uint32_t, std::uint32_t> words; // of the registers that keep what is written
        // Two needs that share an instance both open its gate and switch it on.
        const auto doneTwice = [&s](size_t step, const FieldWrite& write) {
            for (size_t i = 0; i < s->image.steps.size(); ++i)
                for (const FieldWrite& other : s->image.steps[i].fields)
                    if (i != step && s->image.steps[i].kind != Step::Kind::Wait &&
                        s->image.steps[i].need != s->image.steps[step].need && other.ref == write.ref &&
                        other.code == write.code)
                        return true;
            return false;
        };
        for (size_t i = 0; i < s->image.steps.size(); ++i) {
            const Step& step = s->image.steps[i];
            if (step.kind == Step::Kind::Wait || step.kind == Step::Kind::Copy || doneTwice(i, step.fields.front()))
                continue;
            std::uint32_t keeps = 0;
            for (const Field& field : s->device->blockOf(step.instance).registers[step.reg].fields)
                keeps |= field.keepsWrites() ? field.mask() : 0;
            std::uint32_t& word = words
                                      .try_emplace(s->device->addressOf(step.instance, step.reg),
                                                   s->device->resetOf(step.instance, step.reg))
                                      .first->second;
            const std::uint32_t before = word;
            word = (word & ~(step.mask & keeps)) | (step.value & step.mask & keeps);
            const std::string text = fmt::format("{} {}", i, step.why);
            for (const FieldWrite& write : step.fields) {
                const Field& field = s->device->fieldOf(write.ref);
                if (!field.keepsWrites())
                    continue;
                Image image = s->image;
                image.steps[i].value ^= 1u << field.lsb;
                notice(std::move(image), "other code in " + s->device->nameOf(write.ref) + ": " + text);
            }
            if (word == before)
                continue; // it writes what is there already, for the reader's sake
            Image image = s->image;
            image.steps.erase(image.steps.begin() + std::ptrdiff_t(i));
            notice(std::move(image), "left out: " + text);
        }
        QVERIFY2(faults >= 15, std::to_string(faults).c_str());
        QVERIFY2(missed.empty(), fmt::format("of {} faults these went unnoticed:\n{}", faults, missed).c_str());
    }

    void settingsInMemoryDecideTheReset_data() { families(); }
    /// With each value of each setting in non-volatile memory the chip comes out of reset as that says, and the plan's
    /// bring-up leads from there; the word is in the program.
    void settingsInMemoryDecideTheReset()
    {
        QFETCH(QString, name);
        const LoadedPlan work = demo(name.toStdString());
        for (const StoredWord& word : work.device->stored)
            for (const StoredSetting& setting : word.settings)
                for (const EnumValue& value : setting.bits.values) {
                    const auto s = run(with(work, SetStored{word.name + "." + setting.bits.name, value.name}));
                    for (const StoredSetting::Decides& decides : setting.decides) {
                        QCOMPARE(s->device->resetCode(decides.ref), decides.codeFor(value.code));
                        // Somebody else's chip has the same: a simulated one, switched on.
                        SimulatedChip chip(*s->device, *s->board, s->rates.supply);
                        QCOMPARE(chip.registers().code(decides.ref), decides.codeFor(value.code));
                    }
                    const std::string wrong = rehearsed(*s);
                    QVERIFY2(wrong.empty(), (word.name + "." + setting.bits.name + " " + value.name + wrong).c_str());
                    QVERIFY(!s->source().buildCommand.empty());
                }
        if (work.device->stored.empty())
            return;
        // A program without the word, or with another: noticed.
        const StoredWord& word = work.device->stored.front();
        const auto s = run(with(work, SetStored{word.name + "." + word.settings.front().bits.name,
                                                word.settings.front().bits.values.front().name}));
        const auto judged = [&](const std::string& from, const std::string& to) {
            Source source = s->source();
            for (SourceFile& file : source.files)
                if (file.name.ends_with("_nonvolatile.c"))
                    for (SourceLine& line : file.lines)
                        if (line.text.starts_with("const ") && line.text.find(from) != std::string::npos)
                            line.text = replaced(line.text, from, to);
            const QTemporaryDir folder;
            const Expected<Rehearsal> machine =
                rehearseMachineCode(s->facts(), source, {}, folder.path().toStdString());
            return machine ? machine->hazards.size() : 0;
        };
        // A word and its inverse are two lines; the plan may choose something of another word.
        const size_t words = storedPlaces(*s->device, s->plan).size();
        QCOMPARE(judged("= 0x", "= 1u ^ 0x"), words);
        QCOMPARE(judged("section(\".nonvolatile_", "section(\".rodata.nonvolatile_"), words);
    }

    /// Armv6-M takes its interrupt controller by words only: the written C keeps to that, and bytes are noticed.
    void prioritiesAreWrittenAsTheArchitectureHasIt()
    {
        const auto s = run(
            with(with(demo("rain-post-b-done"), SetGoal{"tick", "priority", "1"}), SetGoal{"button", "priority", "2"}));
        QVERIFY(s->device->core().wordsOnly());
        QVERIFY(!run(demo())->device->core().wordsOnly());
        const auto judged = [&](const Source& source) {
            const QTemporaryDir folder;
            const Expected<Rehearsal> machine =
                rehearseMachineCode(s->facts(), source, {}, folder.path().toStdString());
            return !machine                   ? machine.problem().text()
                   : machine->hazards.empty() ? std::string()
                                              : machine->hazards.front().text;
        };
        const std::string right = judged(s->source());
        QVERIFY2(right.empty(), right.c_str());
        Source bytes = s->source();
        bool found = false;
        for (SourceFile& file : bytes.files)
            for (SourceLine& line : file.lines)
                if (line.text.find("*priority = (*priority") != std::string::npos) {
                    line.text =
                        "    ((volatile uint8_t *)(uintptr_t)priority)[number % 4u] = (uint8_t)(level << shift);";
                    found = true;
                }
        QVERIFY(found);
        const std::string wrong = judged(bytes);
        QVERIFY2(wrong.find("only word access") != std::string::npos, wrong.c_str());
    }

    /// After the bring-up nothing feeds the watchdog but the program: its window may be closed while something is
    /// waited for.
    void waitsFeedTheWatchdogDuringTheBringUpOnly()
    {
        const auto s = run(with(demo("rain-post-b-done"), SetGoal{"watchdog", "window", "40 %"}));
        const SourceFile* board = s->source().find("rain_board.c");
        QVERIFY(board);
        const std::string text = board->text();
        const size_t wait = text.find("bool rain_wait(");
        QVERIFY(wait != std::string::npos);
        const std::string loop = text.substr(wait, text.find("\n}", wait) - wait);
        QVERIFY(loop.find("rain_feed_early();") != std::string::npos && loop.find("rain_feed();") == std::string::npos);
        const size_t early = text.find("void rain_feed_early(void)");
        QVERIFY(text.find("if (bringing_up)", early) < text.find("rain_feed();", early));
        // Each way out of the bring-up ends it.
        const size_t bringUp = text.find("enum rain_status rain_bring_up(void)\n{");
        QVERIFY(bringUp != std::string::npos);
        const std::string body = text.substr(bringUp, text.find("\n}", bringUp) - bringUp);
        size_t ways = 0, ends = 0;
        for (size_t at = body.find("return "); at != std::string::npos; at = body.find("return ", at + 1))
            ++ways;
        for (size_t at = body.find("bringing_up = false;"); at != std::string::npos;
             at = body.find("bringing_up = false;", at + 1))
            ++ends;
        QVERIFY(ways > 0);
        QCOMPARE(ends, ways);
        const QTemporaryDir folder;
        const Expected<Rehearsal> machine =
            rehearseMachineCode(s->facts(), s->source(), {}, folder.path().toStdString());
        QVERIFY2(machine.ok(), machine ? "" : machine.problem().text().c_str());
        QVERIFY2(machine->hazards.empty(), machine->hazards.empty() ? "" : machine->hazards.front().text.c_str());
    }

    void faultsInTheWrittenCodeAreNoticed_data() { families(); }
    /// Lines of the written C are left out, swapped or given other numbers: it does not compile, or the machine code
    /// shows it.
    void faultsInTheWrittenCodeAreNoticed()
    {
        QFETCH(QString, name);
        const auto s = run(demo(name.toStdString()));
        // Each statement is mutated in a run that executes it.
        std::map<const Step*, Scenario> runs;
        std::vector<std::pair<Scenario, Rehearsal>> planned;
        for (const Scenario& scenario : scenariosOf(s->facts()))
            if (!scenario.whatIf()) {
                planned.emplace_back(scenario, rehearsePlanned(s->facts(), scenario));
                for (const Operation& operation : planned.back().second.operations)
                    if (operation.step && !operation.waits)
                        runs.try_emplace(operation.step, scenario);
            }
        std::mt19937 random(seeded(7));
        std::vector<std::pair<size_t, size_t>> lines; // file, line of a statement
        for (size_t f = 0; f < s->source().files.size(); ++f)
            for (size_t i = 0; i < s->source().files[f].lines.size(); ++i)
                if (const SourceLine& line = s->source().files[f].lines[i]; line.step && runs.contains(line.step) &&
                                                                            line.text.ends_with(';') &&
                                                                            line.text.find("->") != std::string::npos)
                    lines.emplace_back(f, i);
        QVERIFY(lines.size() > 20);
        const int faults = qEnvironmentVariableIsSet("BINDREL_LONG") ? qEnvironmentVariableIntValue("BINDREL_LONG") : 5;
        for (int fault = 0; fault < faults; ++fault) {
            Source source = s->source();
            const auto [file, at] = lines[random() % lines.size()];
            const Scenario& scenario = runs.at(source.files[file].lines[at].step);
            const auto as = std::find_if(planned.begin(), planned.end(),
                                         [&scenario](const auto& known) { return known.first == scenario; });
            std::string& text = source.files[file].lines[at].text;
            const std::string before = text;
            switch (random() % 3) {
            case 0: // the register keeps what it has
                text = "    ;";
                break;
            case 1: // another number, or all the bits the other way round
                if (const size_t number = text.find("_AT("); number != std::string::npos)
                    text.replace(number, 4, "_AT(1u ^ ");
                else
                    text = text.find("|= ") != std::string::npos    ? replaced(text, "|= ", "&= ~")
                           : text.find("&= ~") != std::string::npos ? replaced(text, "&= ~", "|= ")
                                                                    : replaced(text, " = ", " = ~");
                break;
            default: // the neighbour's register
                text = replaced(text, "->", "[1].");
            }
            if (text == before)
                continue;
            const QTemporaryDir folder;
            const Expected<Rehearsal> machine =
                rehearseMachineCode(s->facts(), source, scenario, folder.path().toStdString());
            if (!machine)
                continue; // it does not compile
            const bool noticed = !machine->hazards.empty() || !machine->gaveUp.empty() ||
                                 !compareWrites(*s->device, as->second, *machine).empty();
            QVERIFY2(noticed, (source.files[file].name + ": " + before + " became " + text).c_str());
        }
    }
};

BINDREL_TEST(RehearsalTest)
#include "rehearsal_test.moc"
