// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/plan/clock_decision.h"
#include "core/plan/history.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

class PlanTest : public QObject {
    Q_OBJECT

    /// A random change that makes sense for the plan; not all of them can be applied.
    static Change randomChange(const Plan& plan, std::mt19937& random)
    {
        const auto pick = [&](const auto& list) -> const auto&
        {
            return *(list.begin() + std::ptrdiff_t(random() % list.size()));
        };
        static const std::vector<std::string> clocks{"BUS1", "BUS2", "SYS", "PLLA.IN", "UART1K"};
        static const std::vector<std::string> values{"1", "2", "4", "HFI", "nonsense", "auto", "8 MHz, trimmed", "off"};
        static const std::vector<std::string> goals{"baud", "flow", "frequency", "duty1", "direction", "edges", "dead"};
        static const std::vector<std::string> texts{"9600",  "none", "RTS/CTS", "10 kHz", "20 %",
                                                    "input", "both", "1 us",    "?"};
        static const std::vector<std::string> pads{"PA2", "PA3", "PC0", "PD0", "PB4"};
        const std::string need = plan.needs.empty() ? "x" : pick(plan.needs).id;
        static const std::vector<std::string> signals_{"tx", "rx", "pin", "out1", "none"};
        static const std::vector<std::string> properties{"pull", "drive", "name", "net", "nothing"};
        static const std::vector<std::string> words{"up", "strong", "NET_1", "two words", ""};
        switch (random() % 15) {
        case 0:
            return SetClock{pick(clocks), random() % 3 ? std::optional(clockSaid(pick(values))) : std::nullopt};
        case 1:
            return SetGoal{need, pick(goals), random() % 3 ? std::optional(pick(texts)) : std::nullopt};
        case 2:
            if (random() % 3 == 0)
                return SetTerminals{need, {{pick(signals_), pick(words)}, {pick(signals_), "far"}}};
            return SetBinding{need,
                              random() % 2 ? Binding{"UART1", {{"tx", pick(pads)}, {"rx", pick(pads)}}} : Binding{}};
        case 3:
            return SetHold{holdOfNeed(need), random() % 2 == 0};
        case 4:
            return SetText{SetText::What(random() % 6), pick(texts)};
        case 5:
            return RemoveNeed{need};
        case 6: {
            Need fresh;
            fresh.id = freeNeedId(plan, "Fresh need");
            fresh.title = "Fresh need";
            fresh.kind = random() % 2 ? "uart" : "gpio";
            return InsertNeed{random() % 20, fresh};
        }
        case 7:
            return SetPin{need, pick(signals_), pick(properties),
                          random() % 3 ? std::optional(pick(words)) : std::nullopt};
        case 8:
            return SetNet{pick(pads), random() % 3 ? std::optional(pick(words)) : std::nullopt};
        case 14:
            if (random() % 4 == 0)
                return SetPlace{random() % 2 ? "extra" : "uplink-modem",
                                random() % 3 ? std::optional<std::string>("12.5, 30 mm, below") : std::nullopt};
            if (random() % 2) {
                static const std::vector<std::string> sentences{"keep PA3, PA4 free", "uplink on the left side",
                                                                "uplink.tx, uplink.rx in order", "nobody on port PB"};
                return SetWish{pick(sentences),
                               random() % 4 ? std::optional(WishStrength(random() % 3)) : std::nullopt};
            }
            return SetResistors{
                pick(pads),
                random() % 4
                    ? std::optional(NetResistors{
                          random() % 2 ? std::optional(TerminalFact::Level(random() % 2)) : std::nullopt,
                          random() % 2 ? std::optional(SeriesResistor{Resistance(Rational(int(random() % 100))),
                                                                      random() % 2 ? "FAR" : ""})
                                       : std::nullopt})
                    : std::nullopt};
        case 9: {
            Need other = plan.needs.empty() ? Need() : pick(plan.needs);
            other.title += "!";
            if (random() % 3 == 0)
                other.id = freeNeedId(plan, "Renamed");
            return ReplaceNeed{random() % 4 ? other.id : need, other};
        }
        case 10:
            return InsertPart{random() % 3,
                              Part{random() % 2 ? "extra" : "spare", "Extra", "", {"a"}, random() % 2 == 0, {}, {}}};
        case 13:
            return SetStored{random() % 2 ? "BOOT.DOG" : "BOOT.LEVEL",
                             random() % 3 ? std::optional<std::string>(random() % 2 ? "by reset" : "2.4 V")
                                          : std::nullopt};
        case 12:
            return SetOnFailure{OnFailure(random() % 3)};
        case 11:
            return RemovePart{random() % 2 ? "extra" : "spare"};
        default:
            return SetBinding{need, Binding{"", {{"pin", pick(pads)}}}};
        }
    }

    static void opens(const Plan& plan, const std::string& what)
    {
        const Expected<LoadedPlan> read = parsePlan(planText(plan), "saved.bindrel", library());
        QVERIFY2(read, (what + ": " + (read ? "" : read.problem().text())).c_str());
        QVERIFY2(read->plan == plan, (what + ": another plan is read").c_str());
    }

private Q_SLOTS:
    void everythingThatAPlanCanHoldComesBack()
    {
        const LoadedPlan full = fullPlan();
        const std::string text = planText(full.plan);
        const Expected<LoadedPlan> read = parsePlan(text, "full.bindrel", library());
        QVERIFY2(read, read ? "" : read.problem().text().c_str());
        QVERIFY(read->plan == full.plan && planText(read->plan) == text);
        // What is wrong in the new parts of it is told with its place.
        for (const auto& [from, to, pointer] : std::vector<std::tuple<const char*, const char*, const char*>>{
                 {"\"pull\": \"none\"", "\"pull\": \"sideways\"", "/pins/rx/pull"},
                 {"\"rx\": { \"pull\"", "\"rxx\": { \"pull\"", "/pins/rxx"},
                 {"\"name\": \"LAMP_2\"", "\"name\": \"LAMP 2\"", "/pins/pin/name"},
                 {"\"name\": \"LAMP_2\"", "\"pull\": \"up\"", "/pins/pin/pull"},
                 {"\"PC8\": \"LAMP_NET\"", "\"PC88\": \"LAMP_NET\"", "/nets/PC88"},
                 {"\"PC8\": \"LAMP_NET\"", "\"PC8\": \"LAMP NET\"", "/nets/PC8"},
                 {"\"id\": \"lamp-2\", \"title\"", "\"id\": \"Lamp 2\", \"title\"", "/parts/0/id"},
                 {"\"fall back\"", "\"fall over\"", "/on_failure"},
                 {"\"off\": \"low\"", "\"off\": \"never\"", "/parts/0/terminals/1/off"},
                 {"\"pin\": \"on\"", "\"pin\": \"onn\"", "/terminals/pin"}}) {
            const Expected<LoadedPlan> broken = parsePlan(replaced(text, from, to), "full.bindrel", library());
            QVERIFY2(!broken && broken.problem().pointer.ends_with(pointer) && broken.problem().line > 0,
                     broken ? to : broken.problem().text().c_str());
        }
    }

    void savedAndLoadedPlansAreEqualInPlanAndBytes()
    {
        for (const char* name : {"sluice-node-c-start", "sluice-node-c-done", "sluice-node-c-tangled"}) {
            const LoadedPlan work = demo(name);
            const std::string text = planText(work.plan);
            const Expected<LoadedPlan> again = parsePlan(text, "again", library());
            QVERIFY2(again.ok(), again.ok() ? "" : again.problem().text().c_str());
            QVERIFY(again->plan == work.plan);
            COMPARE_TEXT(planText(again->plan), QString::fromStdString(text));
            COMPARE_TEXT(textOf(demoPath(name)), QString::fromStdString(text));
        }
    }

    void awkwardTextSurvives()
    {
        LoadedPlan work = demo();
        work.plan.name = "a \"b\" \\ \n \u00e9 */ ?"
                         "?/";
        work.plan.needs.front().title = "tab\there";
        const Expected<LoadedPlan> again = parsePlan(planText(work.plan), "f", library());
        QVERIFY2(again.ok(), again.ok() ? "" : again.problem().text().c_str());
        QVERIFY(again->plan == work.plan);
    }

    void everyEditIsUndoneAndRedoneToEqualPlans()
    {
        std::mt19937 random(17);
        int appliedCount = 0;
        for (int round = 0; round < 40; ++round) {
            History history(demo().plan);
            std::vector<Plan> states{history.plan()};
            for (int i = 0; i < 30; ++i) {
                Edit edit{"step", {}};
                for (unsigned k = random() % 3 + 1; k > 0; --k)
                    edit.changes.push_back(randomChange(history.plan(), random));
                const Plan before = history.plan();
                if (!history.apply(edit)) {
                    QVERIFY(history.plan() == before);
                    continue;
                }
                ++appliedCount;
                if (!(history.plan() == before))
                    states.push_back(history.plan());
            }
            for (size_t i = states.size(); i-- > 0;) {
                QVERIFY(history.plan() == states[i]);
                QCOMPARE(history.undo(), i > 0);
            }
            for (const Plan& state : states) {
                QVERIFY(history.plan() == state);
                history.redo();
            }
        }
        QVERIFY(appliedCount > 300);
    }

    void changesAreToldAsBeforeAndAfter()
    {
        const Plan plan = demo().plan;
        const auto told = [&](const Change& change) { return describe(plan, change); };
        COMPARE_TEXT(told(SetClock{"BUS1", clockSaid("4")}), "BUS1: 2 \u2192 4");
        COMPARE_TEXT(told(SetClock{"BUS1", std::nullopt}), "BUS1: 2 \u2192 reset value");
        COMPARE_TEXT(told(SetClock{"CKO.SRC", clockSaid("HFX")}), "CKO.SRC: reset value \u2192 HFX");
        COMPARE_TEXT(told(SetGoal{"uplink", "baud", "9600"}), "Uplink, baud: 460.8 kBd \u2192 9600");
        COMPARE_TEXT(told(SetGoal{"uplink", "baud", std::nullopt}), "Uplink, baud: 460.8 kBd \u2192 115.2 kBd");
        COMPARE_TEXT(told(SetBinding{"lid-switch", {}}), "Lid switch: unbound");
        Binding moved = plan.need("uplink")->binding;
        moved.instance = "UART3";
        moved.pads["tx"] = "PD4";
        COMPARE_TEXT(told(SetBinding{"uplink", moved}), "Uplink: UART1 \u2192 UART3, tx PD0 \u2192 PD4");
        COMPARE_TEXT(told(SetBinding{"uplink", plan.need("uplink")->binding}), "Uplink: UART1");
        COMPARE_TEXT(told(SetHold{holdOfClock("SYS"), true}), "hold clock SYS");
        COMPARE_TEXT(told(RemoveNeed{"beacon"}), "Beacon: removed");
        COMPARE_TEXT(told(SetText{SetText::What::Range, "R2"}), "operating range: R1 \u2192 R2");
        COMPARE_TEXT(told(SetStored{"BOOT.DOG", "by reset"}),
                     "BOOT.DOG in non-volatile memory: factory default \u2192 by reset");
        COMPARE_TEXT(told(SetOnFailure{OnFailure::GoOn}), "if a clock fails to start: stop \u2192 go on");
    }

    void anEditThatChangesNothingIsNoStep()
    {
        History history(demo().plan);
        QVERIFY(history.apply(editOf("same", SetClock{"BUS1", clockSaid("2")})).ok());
        QVERIFY(!history.canUndo());
    }

    void savedStateIsKnownThroughUndo()
    {
        History history(demo().plan);
        QVERIFY(!history.unsaved());
        QVERIFY(history.apply(editOf("a", SetClock{"BUS1", clockSaid("4")})).ok());
        QVERIFY(history.unsaved());
        history.markSaved();
        history.undo();
        QVERIFY(history.unsaved());
        QVERIFY(history.apply(editOf("b", SetClock{"BUS1", clockSaid("8")})).ok()); // the saved state cannot come back
        QVERIFY(history.unsaved());
        history.undo();
        QVERIFY(history.unsaved());
    }

    /// Whatever a plan holds of a need (signals held, pads described, DMA channels), each value of each of its goals
    /// leaves a plan that opens as the same one, and one undo away from the plan before.
    void aChangedGoalLeavesAPlanThatOpens()
    {
        std::set<std::string> tried;
        for (const char* name : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"}) {
            const LoadedPlan work = demo(name);
            for (const Need& need : work.plan.needs) {
                if (!tried.insert(need.kind).second)
                    continue;
                const KindSpec& kind = *findKind(need.kind);
                LoadedPlan full = work;
                full.plan.holds.insert(holdOfNeed(need.id));
                for (const SignalSpec& signal : signalsOf(need)) {
                    full.plan.holds.insert(holdOfSignal(need.id, signal.id));
                    full.plan.need(need.id)->pins[signal.id]["name"] = "N_" + uppered(signal.id);
                }
                // Every request that some value of a goal makes has its channel already.
                for (const GoalSpec& goal : kind.goals) {
                    std::vector<std::string> values = goal.choices;
                    if (goal.type == GoalSpec::Type::Integer)
                        for (const std::int64_t value : {goal.min, goal.min + 1, goal.max})
                            values.push_back(std::to_string(value));
                    for (const std::string& value : values) {
                        const Expected<Plan> first = applied(full.plan, editOf("a", SetGoal{need.id, goal.id, value}));
                        if (!first)
                            continue;
                        Plan bound = *first;
                        int channel = 0;
                        for (const std::string& request : requestsOf(*bound.need(need.id)))
                            bound.need(need.id)->binding.dma[request] = channel++;
                        opens(bound, need.id + "." + goal.id + "=" + value);
                        for (const std::optional<std::string>& next :
                             {std::optional<std::string>(), std::optional(goal.fallback)}) {
                            const Edit edit = editOf("b", SetGoal{need.id, goal.id, next});
                            const Expected<Plan> after = applied(bound, edit);
                            if (!after)
                                continue;
                            opens(*after, need.id + "." + goal.id + "=" + value + ", then " + next.value_or("default"));
                            const Expected<Plan> back = applied(*after, inverse(bound, edit));
                            QVERIFY2(back && *back == bound, (need.id + "." + goal.id).c_str());
                        }
                    }
                }
                const Edit gone = editOf("c", RemoveNeed{need.id});
                const Expected<Plan> without = applied(full.plan, gone);
                QVERIFY(without);
                opens(*without, "without " + need.id);
                const Expected<Plan> back = applied(*without, inverse(full.plan, gone));
                QVERIFY2(back && *back == full.plan, need.id.c_str());
            }
        }
    }

    void droppingFlowControlFreesItsPads()
    {
        const LoadedPlan done = demo();
        const LoadedPlan without = with(done, SetGoal{"uplink", "flow", "none"});
        QVERIFY(done.plan.need("uplink")->binding.pads.contains("cts"));
        QVERIFY(!without.plan.need("uplink")->binding.pads.contains("cts"));
        QVERIFY(without.plan.need("uplink")->binding.pads.contains("tx"));
    }

    void badPlansSayWhere_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("pointer");
        QTest::addColumn<QString>("says");
        QTest::newRow("device") << "\"SE4332-C64\""
                                << "\"SE4332-C65\""
                                << "/device"
                                << "Did you mean \"SE4332-C64\"?";
        QTest::newRow("board") << "\"board\": \"sluice-node-c\""
                               << "\"board\": \"sluice-node-x\""
                               << "/board"
                               << "there is no board";
        QTest::newRow("newer") << "\"bindrel\": 1"
                               << "\"bindrel\": 2"
                               << "/bindrel"
                               << "Use a newer version";
        QTest::newRow("range") << "\"R1\""
                               << "\"R9\""
                               << "/range"
                               << "R1, R2 and R3";
        QTest::newRow("clock") << "\"BUS1\": \"2\""
                               << "\"BUSS1\": \"2\""
                               << "/clocks/BUSS1"
                               << "Did you mean \"BUS1\"?";
        QTest::newRow("factor") << "\"BUS1\": \"2\""
                                << "\"BUS1\": \"5\""
                                << "/clocks/BUS1"
                                << "one of 1, 2, 3, 4, 6, 8";
        QTest::newRow("input") << "\"SYS\": \"PLLA.MAIN\""
                               << "\"SYS\": \"LFX\""
                               << "/clocks/SYS"
                               << "HFI, HFX and PLLA.MAIN";
        QTest::newRow("kind") << "\"kind\": \"i2c\""
                              << "\"kind\": \"i3c\""
                              << "/needs/2/kind"
                              << "Did you mean \"i2c\"?";
        QTest::newRow("goal") << "\"rate\": \"400 kHz\""
                              << "\"rtae\": \"400 kHz\""
                              << "/needs/2/goals/rtae"
                              << "Did you mean \"rate\"?";
        QTest::newRow("goal text") << "\"rate\": \"400 kHz\""
                                   << "\"rate\": \"fast\""
                                   << "/needs/2/goals/rate"
                                   << "cannot be read";
        QTest::newRow("goal type") << "\"rate\": \"400 kHz\""
                                   << "\"rate\": 400"
                                   << "/needs/2/goals/rate"
                                   << "must be a text";
        QTest::newRow("part") << "\"part\": \"beacon\""
                              << "\"part\": \"beakon\""
                              << "/needs/7/part"
                              << "Did you mean \"beacon\"?";
        QTest::newRow("terminal") << "\"out1\": \"lamp\""
                                  << "\"out1\": \"lmap\""
                                  << "/needs/7/terminals/out1"
                                  << "Did you mean \"lamp\"?";
        QTest::newRow("same id") << "\"id\": \"beacon\""
                                 << "\"id\": \"uplink\""
                                 << "/needs/7/id"
                                 << "two needs";
        QTest::newRow("bad id") << "\"id\": \"beacon\""
                                << "\"id\": \"../x\""
                                << "/needs/7/id"
                                << "lower-case";
        QTest::newRow("instance") << "\"instance\": \"I2C2\""
                                  << "\"instance\": \"UART1\""
                                  << "/needs/2/instance"
                                  << "cannot serve";
        QTest::newRow("pad") << "\"sda\": \"PB9\""
                             << "\"sda\": \"PZ9\""
                             << "/needs/2/pads/sda"
                             << "is not a pad";
        QTest::newRow("signal") << "\"sda\": \"PB9\""
                                << "\"sdx\": \"PB9\""
                                << "/needs/2/pads/sdx"
                                << "is not a signal";
        QTest::newRow("supply") << "\"range\": \"R1\""
                                << "\"supply\": \"3.3 W\""
                                << "/supply"
                                << "3.3 V";
        QTest::newRow("holds") << "\"needs\": ["
                               << "\"holds\": [\"clock NOPE\"],\n  \"needs\": ["
                               << "/holds/0"
                               << "refers to nothing in this plan";
    }
    void badPlansSayWhere()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, pointer);
        QFETCH(QString, says);
        const std::string text = replaced(textOf(demoPath("sluice-node-c-done")), from.toStdString(), to.toStdString());
        const Expected<LoadedPlan> work = parsePlan(text, "p.bindrel", library());
        QVERIFY(!work.ok());
        COMPARE_TEXT(work.problem().pointer, pointer);
        COMPARE_TEXT(work.problem().file, "p.bindrel");
        QVERIFY(work.problem().line > 0);
        QVERIFY2(work.problem().message.find(says.toStdString()) != std::string::npos, work.problem().message.c_str());
    }

    void truncatedAndDamagedPlansNeverCrash()
    {
        const std::string text = textOf(demoPath("sluice-node-c-done"));
        for (size_t n = 0; n + 2 < text.size(); n += 13)
            QVERIFY(!parsePlan(text.substr(0, n), "p", library()).ok());
        std::mt19937 random(23);
        for (int i = 0; i < 300; ++i) {
            std::string damaged = text;
            damaged[random() % damaged.size()] = char(random() % 256);
            damaged.erase(random() % damaged.size(), random() % 8);
            if (const Expected<LoadedPlan> work = parsePlan(damaged, "p", library()); work.ok())
                (void)computeSnapshot(*work);
        }
    }

    void savingIsAtomicAndGoesThroughNoLink()
    {
        QTemporaryDir folder;
        const std::filesystem::path real = folder.filePath("real.bindrel").toStdString(),
                                    link = folder.filePath("link.bindrel").toStdString();
        QVERIFY(savePlan(demo("sluice-node-c-start").plan, real).ok());
        std::filesystem::create_symlink(real, link);
        const std::string before = textOf(real);
        const Outcome through = savePlan(demo().plan, link);
        QVERIFY(!through.ok() && through.problem().message.find("is a link") != std::string::npos);
        QVERIFY(std::filesystem::is_symlink(link));
        COMPARE_TEXT(textOf(real), QString::fromStdString(before));
        // Whoever opened it by the link saves it by its own name.
        QVERIFY(savePlan(demo().plan, realPath(link)).ok());
        QVERIFY(std::filesystem::is_symlink(link));
        COMPARE_TEXT(textOf(real), QString::fromStdString(planText(demo().plan)));
        const Outcome bad = savePlan(demo().plan, folder.filePath("no/such/folder.bindrel").toStdString());
        QVERIFY(!bad.ok());
        // Nothing is left lying about.
        int files = 0;
        for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(folder.path().toStdString()))
            ++files;
        QCOMPARE(files, 2);
    }

    void clockSettingsAreReadAsTyped()
    {
        const LoadedPlan work = demo();
        const Device& d = *work.device;
        COMPARE_TEXT(clockDecisionText(*readClockDecision(d, d.findClock("PLLA.IN"), "/3")), "3");
        COMPARE_TEXT(clockDecisionText(*readClockDecision(d, d.findClock("PLLA.IN"), "\u00f7 3")), "3");
        COMPARE_TEXT(clockDecisionText(*readClockDecision(d, d.findClock("SYS"), "hfx")), "HFX");
        COMPARE_TEXT(clockDecisionText(*readClockDecision(d, d.findClock("SYS"), "PLL A main")), "PLLA.MAIN");
        QVERIFY(!readClockDecision(d, d.findClock("PLLA.IN"), "17").ok());
        QVERIFY(!readClockDecision(d, d.findClock("WDGK"), "2").ok());
    }
};

BINDREL_TEST(PlanTest)
#include "plan_test.moc"
