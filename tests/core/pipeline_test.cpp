// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/clock_decision.h"
#include "tests/support/fixtures.h"

#include <random>
#include <set>

using namespace bindrel;
using namespace bindrel::test;

/// Invariants of the whole pipeline, for random plans: whatever a person does, what is shown is consistent.
class PipelineTest : public QObject {
    Q_OBJECT

    static LoadedPlan scrambled(std::mt19937& random)
    {
        LoadedPlan work = demo(random() % 2 ? "sluice-node-c-done" : "sluice-node-c-tangled");
        const Device& d = *work.device;
        for (unsigned k = random() % 10; k > 0; --k) {
            const ClockIndex clock = random() % d.clocks.size();
            const std::vector<ClockDecision> choices = clockChoices(d, clock);
            if (!choices.empty())
                work = with(std::move(work), SetClock{d.clocks[clock].id, choices[random() % choices.size()]});
        }
        for (unsigned k = random() % 6; k > 0; --k) {
            Need& need = work.plan.needs[NeedIndex(random() % work.plan.needs.size())];
            const KindSpec* kind = findKind(need.kind);
            if (kind->goals.empty())
                continue;
            const GoalSpec& goal = kind->goals[random() % kind->goals.size()];
            static const char* texts[]{"1 Hz", "9600", "1 MHz", "33.3k",  "10 %",  "99.9 %",
                                       "1 us", "0 s",  "3",     "20 ppm", "7.5 %", "LFX"};
            const std::string text = goal.choices.empty() ? texts[random() % std::size(texts)]
                                                          : goal.choices[random() % goal.choices.size()];
            if (const Expected<Plan> next = applied(work.plan, editOf("", SetGoal{need.id, goal.id, text})))
                work.plan = *next;
        }
        for (unsigned k = random() % 4; k > 0; --k) {
            Need& need = work.plan.needs[NeedIndex(random() % work.plan.needs.size())];
            for (auto& [signal, pad] : need.binding.pads)
                if (random() % 3 == 0)
                    pad = d.pads[PadIndex(random() % d.pads.size())].name;
        }
        work.plan.range = random() % 3 ? "R1" : "R2";
        return work;
    }

private Q_SLOTS:
    void theExamplesUseEveryKind()
    {
        std::set<std::string> used;
        for (const char* name : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"})
            for (const Need& need : demo(name).plan.needs)
                used.insert(need.kind);
        for (const KindSpec& kind : kinds())
            QVERIFY2(used.contains(kind.id), kind.id.c_str());
    }

    void invariantsHoldForRandomPlans()
    {
        std::mt19937 random(seeded(41));
        for (int i = 0; i < 400; ++i) {
            const LoadedPlan work = scrambled(random);
            const auto s = run(work);
            const Device& d = *s->device;

            // A need is bound exactly when all its seats are possible and nobody else wants what it has.
            std::map<int, std::set<int>> wantPad, wantInstance, wantLine;
            for (const NeedIndex n : s->bindings.needs.indices()) {
                const BoundNeed& need = s->bindings.needs[n];
                if (need.instance >= 0)
                    wantInstance[need.instance].insert(int(n));
                for (const Seat& seat : need.seats)
                    if (seat.pad >= 0) {
                        wantPad[seat.pad].insert(int(n));
                        if (seat.signal.line)
                            wantLine[d.pads[seat.pad].bit].insert(int(n));
                    }
            }
            for (const NeedIndex n : s->bindings.needs.indices()) {
                const BoundNeed& need = s->bindings.needs[n];
                bool shared = need.instance >= 0 && wantInstance[need.instance].size() > 1;
                bool whole = true;
                std::set<int> own;
                for (const Stream& stream : need.streams)
                    whole = whole && stream.channel >= 0 && stream.impossible.empty();
                for (const Seat& seat : need.seats) {
                    whole = whole && seat.pad >= 0 && seat.impossible.empty();
                    if (seat.pad >= 0) {
                        shared = shared || wantPad[seat.pad].size() > 1 || !own.insert(seat.pad).second;
                        shared = shared || (seat.signal.line && wantLine[d.pads[seat.pad].bit].size() > 1);
                    }
                }
                QCOMPARE(need.state == BoundNeed::State::Contested, shared);
                if (!shared)
                    QCOMPARE(need.state == BoundNeed::State::Bound, whole);
                // What is not bound has an error, and is not in the image.
                if (need.state != BoundNeed::State::Bound) {
                    QVERIFY(s->count(Finding::Severity::Error) > 0);
                    for (const Step& step : s->image.steps)
                        QVERIFY(step.need != int(n));
                }
            }

            // Running clocks: child = parent x factor, and the tolerance is the source's.
            for (const ClockIndex c : d.clocks.indices()) {
                const ClockState& state = s->rates.clocks[c];
                if (state.input < 0 || !state.running)
                    continue;
                const ClockState& from = s->rates.clocks[state.input];
                QVERIFY(from.running);
                const Rational factor =
                    d.clocks[c].type == ClockNode::Type::Divide   ? Rational(1) / d.clocks[c].factorOf(state.setting)
                    : d.clocks[c].type == ClockNode::Type::Select ? Rational(1)
                                                                  : d.clocks[c].factorOf(state.setting);
                QVERIFY(state.rate.value == from.rate.value * factor);
                QVERIFY(state.tolerance == from.tolerance);
            }

            // Every step stays inside its register, and the folded image is what the steps leave.
            for (const Step& step : s->image.steps)
                for (const FieldWrite& write : step.fields) {
                    QVERIFY(write.code <= d.fieldOf(write.ref).maxCode());
                    QVERIFY(write.ref.instance == step.instance && write.ref.reg == step.reg);
                }
            for (const RegisterValue& value : s->image.registers)
                for (const FieldWrite& write : value.fields)
                    if (d.fieldOf(write.ref).access == Field::Access::ReadWrite)
                        QCOMPARE(s->image.codeOf(d, write.ref), write.code);

            // Findings point at things that exist.
            for (const Finding& finding : s->findings) {
                if (finding.place.kind == Place::Kind::Need || finding.place.kind == Place::Kind::Signal ||
                    finding.place.kind == Place::Kind::Goal)
                    QVERIFY(s->plan.need(finding.place.id));
                if (finding.place.kind == Place::Kind::Clock)
                    QVERIFY(d.findClock(finding.place.id) >= 0);
                if (finding.place.kind == Place::Kind::Pad)
                    QVERIFY(d.findPad(finding.place.id) >= 0);
            }

            // The plan survives its file.
            const Expected<LoadedPlan> again = parsePlan(planText(work.plan), "again", library());
            if (again.ok())
                QVERIFY(again->plan == work.plan);
        }
    }

    void bindingRandomRestsNeverMakesContention()
    {
        std::mt19937 random(seeded(43));
        int bound = 0;
        for (int i = 0; i < 150; ++i) {
            LoadedPlan work = demo();
            for (Need& need : work.plan.needs)
                if (random() % 2)
                    need.binding = {};
                else
                    for (auto it = need.binding.pads.begin(); it != need.binding.pads.end();)
                        it = random() % 4 == 0 ? need.binding.pads.erase(it) : std::next(it);
            const Expected<Edit> edit = bindAllOpen(*work.device, *work.board, work.plan);
            if (!edit.ok())
                continue;
            const Plan before = work.plan;
            const auto was = run(work);
            work.plan = *applied(work.plan, *edit);
            const auto s = run(work);
            QVERIFY(s->bindings.contests.empty());
            QCOMPARE(s->bindings.count(BoundNeed::State::Bound), int(work.plan.needs.size()));
            // What was bound has not moved; what was half bound keeps what it had where that was possible.
            for (const NeedIndex n : before.needs.indices())
                if (was->bindings.needs[n].state == BoundNeed::State::Bound)
                    QVERIFY(work.plan.needs[n].binding == before.needs[n].binding);
            ++bound;
        }
        QVERIFY(bound > 140);
    }

    void hugeAndOddPlansAreTakenInStride()
    {
        LoadedPlan work = demo();
        for (int i = 0; i < 500; ++i) {
            Need need;
            need.id = "n" + std::to_string(i);
            need.title = std::string(200, 'x');
            need.kind = i % 2 ? "gpio" : "uart";
            work.plan.needs.push_back(need);
        }
        const auto s = run(work);
        QCOMPARE(s->bindings.count(BoundNeed::State::Open), 500);
        QVERIFY(!bindAllOpen(*work.device, *work.board, work.plan).ok());
        LoadedPlan odd = demo();
        odd.plan.needs.front().kind = "no such kind";
        odd.plan.needs[NeedIndex(1)].binding.instance = "NOPE";
        odd.plan.needs[NeedIndex(2)].binding.pads["scl"] = "NOPE";
        odd.plan.clocks["BUS1"] = InputDecision{"banana"};
        odd.plan.clocks["NOPE"] = clockSaid("1");
        odd.plan.range = "R77";
        odd.plan.supply = "lots";
        (void)run(odd);
    }
};

BINDREL_TEST(PipelineTest)
#include "pipeline_test.moc"
