// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/fit.h"
#include "core/pins/freeing.h"
#include "core/pins/part_offer.h"
#include "core/pins/relocate.h"
#include "core/plan/board_facts.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Changing one's mind: another chip, package or board; room for one signal; a part more; what would free contention.
class RelocateTest : public QObject {
    Q_OBJECT

    static Relocation to(const char* name, const LoadedPlan& work)
    {
        const auto s = run(work);
        return relocate(*shippedDevice(name), *work.board, *s->board, work.plan);
    }
    /// Everything that a person could have decided is in the new plan or named as lost.
    static std::string forgotten(const LoadedPlan& work, const Relocation& there)
    {
        std::string lost;
        for (const std::string& line : there.lost)
            lost += line + "\n";
        for (const auto& [clock, text] : work.plan.clocks)
            if (!there.plan.clocks.contains(clock) && lost.find(clock) == std::string::npos)
                return "clock " + clock;
        for (const std::string& mode : work.plan.modes)
            if (!there.plan.modes.contains(mode) && lost.find("low-power mode " + mode) == std::string::npos)
                return "mode " + mode;
        if (there.plan.slow != work.plan.slow && lost.find("low-speed clock set") == std::string::npos)
            return "low-speed clocks";
        for (const NeedIndex n : work.plan.needs.indices()) {
            const Need& was = work.plan.needs[n];
            const Need* is = there.plan.need(was.id);
            if (!is || is->title != was.title || is->pins != was.pins)
                return was.id;
            for (const auto& [goal, text] : was.goals)
                if (goal != "clock" && (!is->goals.contains(goal) || is->goals.at(goal) != text))
                    return was.id + " " + goal;
            const Relocation::Item& item = there.items[n];
            const bool stays = item.fate == Relocation::Fate::Stays || item.fate == Relocation::Fate::Open;
            if (item.need != was.id || (stays && is->binding != was.binding) || (!stays && item.text.empty()))
                return was.id + " as " + item.text;
            if ((item.fate == Relocation::Fate::Opens) != (!was.binding.empty() && is->binding.empty()))
                return was.id + " opens";
        }
        return {};
    }

private Q_SLOTS:
    void everyPlanGoesToEveryChipAndBack()
    {
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            LoadedPlan work = demo(plan);
            work.plan.slow = work.plan.clockSet();
            for (const LowPowerMode& mode : work.device->modes)
                work.plan.modes.insert(mode.id);
            for (const auto& chip : library().devices()) {
#ifdef __SANITIZE_ADDRESS__
                // The searches are those of the placement test; here the plain cases are enough.
                if (chip->family != work.device->family)
                    continue;
#endif
                const auto s = run(work);
                const Relocation there = relocate(*chip, *work.board, *s->board, work.plan);
                const std::string where = std::string(plan) + " on " + chip->name + ": ";
                QVERIFY2(forgotten(work, there).empty(), (where + forgotten(work, there)).c_str());
                // One step, there and back.
                const Expected<Plan> next = applied(work.plan, there.edit);
                QVERIFY2(next && *next == there.plan, where.c_str());
                const Expected<Plan> back = applied(*next, inverse(work.plan, there.edit));
                QVERIFY2(back && *back == work.plan, where.c_str());
                // What it says is placed is placed, without contention.
                const auto after = computeSnapshot({chip, work.board, *next, {}, {}});
                QVERIFY2(after->bindings.contests.empty(), (where + findingsText(*after)).c_str());
                for (const Relocation::Item& item : there.items)
                    if (item.fate == Relocation::Fate::Stays || item.fate == Relocation::Fate::Moves)
                        QVERIFY2(after->bindings.needs[needIndex(*next, item.need)].state == BoundNeed::State::Bound,
                                 (where + item.need).c_str());
                // The file of the moved plan can be read again.
                const Expected<LoadedPlan> read = parsePlan(planText(*next), "moved.bindrel", library());
                QVERIFY2(read && read->plan == *next, (where + (read ? "differs" : read.problem().text())).c_str());
                // Where all can stand none is left out.
                if (fitOn(*chip, *s->board, work.plan).fits)
                    QVERIFY2(there.count(Relocation::Fate::Opens) == 0, where.c_str());
                // On its own chip nothing happens at all.
                if (chip->name == work.plan.device)
                    QVERIFY2(there.edit.changes.empty(), where.c_str());
            }
        }
    }

    void holdsStayWhereTheirPlaceStays()
    {
        LoadedPlan work = demo();
        work.plan.holds = {holdOfNeed("uplink"), holdOfSignal("beacon", "out1"), holdOfClock("SYS"),
                           holdOfClock("PLLA.VCO")};
        const Relocation larger = to("SE4332-C100", work);
        QVERIFY(larger.plan.holds == work.plan.holds && larger.count(Relocation::Fate::Moves) == 0);
        const Relocation other = to("MS0816-A48", work);
        QVERIFY(!other.plan.held(holdOfNeed("uplink")) && !other.plan.held(holdOfClock("PLLA.VCO")));
        const auto said = [&other](const char* what) {
            return std::any_of(other.lost.begin(), other.lost.end(),
                               [what](const std::string& line) { return line.find(what) != std::string::npos; });
        };
        QVERIFY(said("Uplink is no longer held") && said("PLLA.VCO"));
    }

    void anotherBoardKeepsThePartsThatItLacks()
    {
        const LoadedPlan work = demo();
        const auto s = run(work);
        const Board other = *library().board("pump-hall-a");
        const Relocation there = relocate(*shippedDevice("AL7654-F144"), other, *s->board, work.plan);
        COMPARE_TEXT(there.plan.board, "pump-hall-a");
        const Board known = boardWithPlan(other, *shippedDevice("AL7654-F144"), there.plan);
        for (const Need& need : there.plan.needs)
            QVERIFY2(need.part.empty() || known.part(need.part), need.id.c_str());
        QVERIFY(known.part("uplink-modem") && known.part("uplink-modem")->facts.contains("key"));
        // What the new board brings is stated, open.
        QVERIFY(there.count(Relocation::Fate::Added) > 5 && there.plan.need("pump"));
        QVERIFY(there.plan.need("pump")->binding.empty());
        // And back: the board's parts are the board's again.
        const Expected<Plan> next = applied(work.plan, there.edit);
        QVERIFY(next && *next == there.plan);
        const Relocation back = relocate(*work.device, *work.board, known, *next);
        QVERIFY(back.plan.board == work.plan.board &&
                std::none_of(back.plan.parts.begin(), back.plan.parts.end(),
                             [](const Part& p) { return p.id == "uplink-modem"; }));
    }

    void differencesLeadFromAnyPlanToAnyOther()
    {
        std::vector<Plan> plans;
        for (const char* name : {"sluice-node-c-done", "sluice-node-c-start", "sluice-node-c-tangled",
                                 "rain-post-b-done", "pump-hall-a-done"})
            plans.push_back(demo(name).plan);
        plans.push_back(with(with(demo(), SetNet{"PA2", "X"}), SetPin{"uplink", "tx", "name", "TXD"}).plan);
        plans.push_back(plans[0]);
        plans.back().parts.push_back({"extra", "Extra", "", {"a"}, {}, {}});
        plans.back().needs.pop_back();
        std::swap(plans.back().needs.front(), plans.back().needs[NeedIndex(3)]);
        for (const Plan& from : plans)
            for (const Plan& to : plans) {
                Plan target = to;
                target.deviceRevision = from.deviceRevision; // a note of the file, which edits leave alone
                target.deviceOrigin = from.deviceOrigin;
                const Edit edit = difference(from, target, "x");
                const Expected<Plan> there = applied(from, edit);
                QVERIFY(there && *there == target);
                const Expected<Plan> back = applied(*there, inverse(from, edit));
                QVERIFY(back && *back == from);
                QCOMPARE(edit.changes.empty(), target == from);
            }
    }

    void roomIsMadeByMovingTheFewest()
    {
        // Against enumeration of sets: no smaller set of others than the one that moves could make room.
        const LoadedPlan work = demo();
        const auto s = run(work);
        int made = 0, impossible = 0;
        for (const char* id : {"lid-switch", "uplink", "beacon", "rain-tipper"}) {
            const NeedIndex need = needIndex(s->plan, id);
            const std::string signal = s->bindings.needs[need].seats[0].signal.id;
            for (Option option : optionsFor(*s->device, *s->board, s->plan, s->bindings, need, signal)) {
                if (option.cost != Option::Cost::Contends)
                    continue;
                const Expected<Room> room = makeRoom(*s->device, *s->board, s->plan, s->bindings, need, signal, option);
                Option priced = option;
                priceOption(priced, *s->device, *s->board, s->plan, s->bindings, need, signal);
                QCOMPARE(priced.cost == Option::Cost::Room, room.ok());
                if (!room) {
                    ++impossible;
                    QVERIFY(!room.problem().message.empty());
                    continue;
                }
                ++made;
                const Expected<Plan> after = applied(s->plan, room->edit);
                QVERIFY(after);
                COMPARE_TEXT(after->need(id)->binding.pads.at(signal),
                             QString::fromStdString(s->device->pads[option.pad].name));
                const auto next = computeSnapshot(s->with(*after));
                QVERIFY2(next->bindings.contests.empty() && next->bindings.count(BoundNeed::State::Open) == 0,
                         findingsText(*next).c_str());
                size_t moved = 0;
                for (const NeedIndex n : s->plan.needs.indices())
                    moved += int(n) != need && after->needs[n].binding != s->plan.needs[n].binding;
                QCOMPARE(room->others.size(), moved);
                QCOMPARE(room->moves.size(), moved + 1);
                if (!room->proven || moved != 1)
                    continue;
                // One moves: then none cannot be enough.
                Plan trial =
                    *applied(s->plan, takeOption(*s->device, *s->board, s->plan, s->bindings, need, signal, option));
                QVERIFY(!bind(*s->device, trial).contests.empty());
            }
        }
        QVERIFY2(made > 20 && impossible > 0, qPrintable(QString("%1 made, %2 impossible").arg(made).arg(impossible)));
    }

    void instancesAreOptionsToo()
    {
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            const auto s = run(demo(plan));
            int taken = 0;
            for (const NeedIndex n : s->plan.needs.indices()) {
                const Need& need = s->plan.needs[n];
                const KindSpec* kind = findKind(need.kind);
                const std::vector<InstanceOption> options = instanceOptions(*s->device, *s->board, s->plan, int(n));
                QCOMPARE(options.empty(), kind->instanceKind.empty());
                int now = 0;
                for (const InstanceOption& option : options) {
                    const std::string& name = s->device->instances[option.instance].name;
                    now += option.cost == Option::Cost::Current;
                    QCOMPARE(option.cost == Option::Cost::Current, need.binding.instance == name);
                    QCOMPARE(option.edit.changes.empty(),
                             option.cost == Option::Cost::Current || option.cost == Option::Cost::Impossible);
                    QVERIFY(!option.reason.empty());
                    if (option.edit.changes.empty())
                        continue;
                    ++taken;
                    const Expected<Plan> after = applied(s->plan, option.edit);
                    QVERIFY(after && after->needs[n].binding.instance == name);
                    const auto next = computeSnapshot(s->with(*after));
                    QVERIFY2(next->bindings.contests.empty() && next->bindings.count(BoundNeed::State::Open) == 0,
                             (need.id + " on " + name + "\n" + findingsText(*next)).c_str());
                    size_t others = 0;
                    for (const NeedIndex k : s->plan.needs.indices())
                        others += k != n && after->needs[k].binding != s->plan.needs[k].binding;
                    QCOMPARE(option.cost == Option::Cost::Free, others == 0);
                }
                QCOMPARE(now, options.empty() ? 0 : 1);
            }
            QVERIFY(taken > 5);
        }
    }

    void roomLeavesOtherContentionAlone()
    {
        const auto s = run(demo("sluice-node-c-tangled"));
        const int beacon = needIndex(s->plan, "beacon");
        for (const Option& option : optionsFor(*s->device, *s->board, s->plan, s->bindings, beacon, "out1"))
            if (option.cost == Option::Cost::Contends)
                if (const Expected<Room> room =
                        makeRoom(*s->device, *s->board, s->plan, s->bindings, beacon, "out1", option);
                    room && room->others.size() == 1) {
                    const auto after = computeSnapshot(s->with(*applied(s->plan, room->edit)));
                    QVERIFY(after->bindings.contests.size() <= s->bindings.contests.size());
                    return;
                }
    }

    void partsAreOfferedWhereTheyStandBest()
    {
        const auto s = run(demo());
        int fit = 0, not_ = 0;
        for (const std::string& name : library().partNames()) {
            const Expected<PartOffer> offer = offerPart(*s->device, *s->board, s->plan, *library().part(name));
            QVERIFY2(offer, name.c_str());
            const Expected<Plan> stated = applied(s->plan, offer->stated);
            const Expected<Plan> bound = applied(s->plan, offer->bound);
            QVERIFY2(stated && bound, name.c_str());
            // Nothing is called as something that is there.
            for (const Plan* plan : {&*stated, &*bound})
                for (const Need& a : plan->needs)
                    for (const Need& b : plan->needs)
                        QVERIFY2(&a == &b || (a.id != b.id && a.title != b.title), (name + ": " + a.title).c_str());
            QVERIFY(!s->board->part(offer->part.id));
            const auto after = computeSnapshot(s->with(*bound));
            const size_t added = bound->needs.size() - s->plan.needs.size();
            QCOMPARE(after->bindings.count(BoundNeed::State::Open), offer->fits ? 0 : int(added));
            QVERIFY2(after->bindings.contests.empty(), (name + findingsText(*after)).c_str());
            QVERIFY(offer->fits ? offer->where.size() >= added : !offer->why.empty());
            (offer->fits ? fit : not_) += 1;
            // The file takes the part along.
            const Expected<LoadedPlan> read = parsePlan(planText(*bound), "p.bindrel", library());
            QVERIFY2(read && read->plan == *bound, (name + (read ? "" : read.problem().text())).c_str());
        }
        QVERIFY(fit > 5 && not_ > 0);
    }

    void whatWouldFreeContentionWasTried()
    {
        // Everything held where it contends: nothing may move, so nothing untangles it.
        LoadedPlan work = demo("sluice-node-c-tangled");
        for (const Need& need : work.plan.needs)
            work.plan.holds.insert(holdOfNeed(need.id));
        // Two contests need two holds to go; with one of them settled a single hold is enough.
        work.plan.need("lid-switch")->binding.pads["pin"] = "PC8";
        work.plan.need("frost-heater")->binding.pads["pin"] = "PA2";
        const auto s = run(work);
        QVERIFY2(s->bindings.contests.size() == 1, findingsText(*s).c_str());
        QVERIFY(untangle(*s->device, *s->board, s->plan, 1).ways.empty());
        const std::vector<RelaxationOption> ways =
            relaxationOptions(*s->device, *s->board, *s->filedBoard, s->plan, library().devices());
        std::set<RelaxationOption::Kind> kinds;
        for (const RelaxationOption& way : ways) {
            kinds.insert(way.kind);
            const Expected<Plan> next = applied(s->plan, way.edit);
            QVERIFY2(next, way.text.c_str());
            const Expected<LoadedPlan> read = parsePlan(planText(*next), "p.bindrel", library());
            QVERIFY2(read, way.text.c_str());
            QVERIFY2(run(*read)->bindings.contests.empty(), (way.text + findingsText(*run(*read))).c_str());
        }
        QVERIFY(kinds.contains(RelaxationOption::Kind::LetGo) && kinds.contains(RelaxationOption::Kind::LeaveOut) &&
                kinds.contains(RelaxationOption::Kind::OtherDevice));
        // The nearest package comes before another family.
        for (const RelaxationOption& way : ways)
            if (way.kind == RelaxationOption::Kind::OtherDevice) {
                QVERIFY2(way.text.find("SE4332-C100") != std::string::npos, way.text.c_str());
                break;
            }
    }

    void searchesStopWhenAsked()
    {
        const auto s = run(demo("sluice-node-c-tangled"));
        const auto now = [] { return true; };
        QVERIFY(relocate(*shippedDevice("AL7654-F144"), *s->filedBoard, *s->board, s->plan, now).cancelled);
        QVERIFY(!fitOn(*shippedDevice("AL7654-F144"), *s->board, s->plan, now).fits);
    }

    void aChipWithoutABoardIsAPlanToo()
    {
        for (const auto& chip : library().devices()) {
            Plan plan;
            plan.name = "bare";
            plan.device = chip->name;
            const Expected<LoadedPlan> work = parsePlan(planText(plan), "bare.bindrel", library());
            QVERIFY2(work, chip->name.c_str());
            const auto s = run(*work);
            QVERIFY(s->board->supply >= chip->supplyMin && s->board->supply <= chip->supplyMax);
            QVERIFY2(s->count(Finding::Severity::Error) == 0, findingsText(*s).c_str());
        }
    }
};

BINDREL_TEST(RelocateTest)
#include "relocate_test.moc"
