// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assignment.h"
#include "core/device/load_device.h"
#include "core/findings/finding.h"
#include "core/interchange/board_sheet.h"
#include "core/interchange/board_text.h"
#include "core/pins/layout_change.h"
#include "core/pins/placement.h"
#include "core/pins/placement_words.h"
#include "core/pins/wishes.h"
#include "core/plan/board_facts.h"
#include "core/plan/plan_file.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// What the layout of a board asks for: read, kept in files, judged and kept by searches. That searches keep as much of
/// it as can be kept, placement_test shows by enumeration.
class WishesTest : public QObject {
    Q_OBJECT

    static Wish randomWish(std::mt19937& random)
    {
        const auto name = [&random] {
            static const std::vector<std::string> names{"uplink", "a",     "gate-bridge", "x_1",
                                                        "in",     "order", "on",          "pins"};
            return names[random() % names.size()];
        };
        const auto subjects = [&] {
            std::vector<Wish::Subject> out;
            for (int k = 2 + int(random() % 2); k > 0; --k) {
                Wish::Subject subject{name(), {}, random() % 3 == 0};
                if (random() % 2)
                    subject.signal = subject.isPart && random() % 2 ? "hi " + name() : name();
                out.push_back(subject);
            }
            return out;
        };
        Wish wish;
        wish.kind = Wish::Kind(random() % 13);
        if (wish.kind == Wish::Kind::KeepFree)
            wish.pads = {"PA3", "P0_1"};
        else
            wish.subjects = subjects();
        if (wish.kind == Wish::Kind::Swap)
            for (Wish::Subject& subject : wish.subjects)
                subject = {wish.subjects.front().id, subject.signal.empty() ? "t" : subject.signal, true};
        if (wish.kind == Wish::Kind::Away) {
            wish.from = subjects();
            wish.places = 1 + int(random() % 64);
        }
        if (wish.kind == Wish::Kind::Port || wish.kind == Wish::Kind::NextTo || wish.kind == Wish::Kind::Region)
            wish.where = name();
        if (wish.kind == Wish::Kind::Region)
            wish.until = name();
        if (wish.kind == Wish::Kind::Side || wish.kind == Wish::Kind::NotSide)
            wish.side = int(random() % 4);
        return wish;
    }

    static std::vector<Finding> found(const Snapshot& s, const char* rule)
    {
        std::vector<Finding> out;
        for (const Finding& finding : s.findings)
            if (finding.rule == rule)
                out.push_back(finding);
        return out;
    }

private Q_SLOTS:
    void sentencesThereAndBack()
    {
        std::mt19937 random(seeded(3));
        for (int i = 0; i < 3000; ++i) {
            const Wish wish = randomWish(random);
            const std::string text = wishText(wish);
            const Expected<Wish> again = parseWish(text);
            QVERIFY2(again.ok(), (text + ": " + (again ? "" : again.problem().message)).c_str());
            QVERIFY2(*again == wish, text.c_str());
        }
        for (const std::string& example : wishExamples()) {
            const Expected<Wish> read = parseWish(example);
            QVERIFY2(read && wishText(*read) == example, example.c_str());
        }
        // As people write it.
        for (const auto& [said, kept] : {std::pair("  uplink on left ", "uplink on the left side"),
                                         {"uplink on the left side.", "uplink on the left side"},
                                         {"shunt away from pump", "shunt 1 pin away from pump"},
                                         {"keep PA3,PA4 free", "keep PA3, PA4 free"}}) {
            const Expected<Wish> read = parseWish(said);
            QVERIFY2(read && wishText(*read) == kept, said);
        }
    }

    void whatIsNoWishIsRefused()
    {
        for (const char* text : {"",
                                 "keep free",
                                 "keep  free",
                                 "uplink",
                                 "uplink on the far side",
                                 "on the left side",
                                 "a,, b in order",
                                 "uplink.tx in order",
                                 "a 0 pins away from b",
                                 "a 65 pins away from b",
                                 "a -1 pins away from b",
                                 "a 99999999999999999999 pins away from b",
                                 "a away from ",
                                 "a next to ",
                                 "part  in order.x",
                                 "a on port P B",
                                 "a b in order",
                                 "keep PA 3 free",
                                 "a one after another",
                                 "a.x, a.y may be swapped",
                                 "a on pins 1",
                                 "a on pins 1 to",
                                 "a on pins to 2",
                                 "on pins 1 to 2",
                                 "part a may be swapped",
                                 "part a.x may be swapped",
                                 "part a.x, part b.x may be swapped",
                                 "part a, part b may be swapped"})
            QVERIFY2(!parseWish(text), text);
        std::mt19937 random(seeded(4));
        const std::string letters = "ab .,\tonkeepfree3-";
        for (int i = 0; i < 20'000; ++i) {
            std::string text;
            for (unsigned k = random() % 40; k > 0; --k)
                text += letters[random() % letters.size()];
            if (const Expected<Wish> read = parseWish(text); read) {
                const Expected<Wish> again = parseWish(wishText(*read));
                QVERIFY2(again && *again == *read, text.c_str());
            }
        }
    }

    /// From nothing to the main example's board, with wishes of each sort: kept, and said where they are not.
    void theMainExampleKeepsItsWishes()
    {
        LoadedPlan work = demo("sluice-node-c-start");
        const std::string pin = "PB0";
        for (const char* sentence : {"gate-bridge in order", "uplink on the left side"})
            work = with(std::move(work), SetWish{sentence, WishStrength::Wish});
        work = with(std::move(work), SetWish{"keep " + pin + " free", WishStrength::Rule});
        std::vector<NeedIndex> open;
        for (size_t n = 0; n < work.plan.needs.size(); ++n)
            open.push_back(int(n));
        const Board board = boardWithPlan(*work.board, *work.device, work.plan);
        const PlacementResult result = place(*work.device, board, work.plan, {.needs = open});
        QVERIFY(!result.ways.empty());
        work.plan = *applied(work.plan, editOfPlacement(work.plan, result.ways.front(), "Bind"));
        for (const Need& need : work.plan.needs)
            for (const auto& [signal, pad] : need.binding.pads)
                QVERIFY2(pad != pin, need.id.c_str());
        const auto s = run(work);
        QCOMPARE(int(result.ways.front().notKept.size()), int(found(*s, "BRD-02").size()));
        QVERIFY(found(*s, "BRD-03").empty());
        // What is bound costs what the search said.
        const std::optional<PlacementCost> cost = costAsBound(*work.device, *s->board, s->plan);
        QVERIFY(cost && cost->moved == 0 && cost->pads == 0);
        for (const PlacementLevel level : {PlacementLevel::Wishes, PlacementLevel::Sides, PlacementLevel::Splits,
                                           PlacementLevel::Crossings, PlacementLevel::Spread})
            QCOMPARE(cost->at(level), result.ways.front().cost.at(level));
        QVERIFY(!layoutChange(*work.device, *s->board, s->plan, *s->board, s->plan));
    }

    /// What is bound against a wish is a finding; its fix moves it, and is one step back.
    void theFixKeepsTheWish()
    {
        const LoadedPlan work = demo();
        const auto s = run(work);
        const Need* uplink = s->plan.need("uplink");
        QVERIFY(uplink);
        const std::string pad = uplink->binding.pads.at("tx");
        const LoadedPlan asked = with(work, SetWish{"keep " + pad + " free", WishStrength::Wish});
        const auto broken = run(asked);
        const std::vector<Finding> findings = found(*broken, "BRD-02");
        QCOMPARE(int(findings.size()), 1);
        QVERIFY(findings[0].severity == Finding::Severity::Caution);
        QCOMPARE(findings[0].place.id, std::string("uplink"));
        const Expected<Edit> fix = fixFor(broken->facts(), findings[0]);
        QVERIFY2(fix.ok(), fix ? "" : fix.problem().message.c_str());
        const Expected<Plan> after = applied(broken->plan, *fix);
        QVERIFY(after.ok());
        LoadedPlan moved = asked;
        moved.plan = *after;
        const auto kept = run(moved);
        QVERIFY(found(*kept, "BRD-02").empty());
        QCOMPARE(kept->count(Finding::Severity::Error), s->count(Finding::Severity::Error));
        QVERIFY(*applied(*after, inverse(broken->plan, *fix)) == broken->plan);
        // What that costs the layout.
        const std::vector<std::string> told =
            inWords(*layoutChange(*work.device, *broken->board, broken->plan, *kept->board, kept->plan));
        QVERIFY(told.size() >= 2);
        QVERIFY2(told[0].starts_with("1 need moves, ") && told[1] == "wishes not kept: 1 \u2192 0",
                 joined(told, "; ").c_str());
        // Of many signals some are named, and the others counted.
        const auto many = run(with(work, SetWish{"part uplink-modem on the left side", WishStrength::Wish}));
        const std::vector<Finding> listed = found(*many, "BRD-02");
        QCOMPARE(int(listed.size()), 1);
        QVERIFY2(listed[0].text.text().find("; 3 more. Move it, or drop the wish.") != std::string::npos,
                 listed[0].text.text().c_str());
        // A rule that is broken is an error.
        const auto strict = run(with(work, SetWish{"keep " + pad + " free", WishStrength::Rule}));
        QVERIFY(found(*strict, "BRD-02")[0].severity == Finding::Severity::Error);
    }

    /// Where rules leave no room, as few of them are named as say it.
    void rulesThatLeaveNoRoomAreNamed()
    {
        LoadedPlan work;
        work.device = *library().device("SE4332-C64");
        work.board = std::make_shared<const Board>(bareBoard(*work.device));
        work.plan.name = "p";
        work.plan.device = work.device->name;
        Need key;
        key.id = key.title = "key";
        key.kind = "gpio";
        work.plan.needs = {key};
        for (const char* sentence :
             {"key on the left side", "key not on the left side", "keep PA3 free", "key on port PB"})
            work = with(std::move(work), SetWish{sentence, WishStrength::Rule});
        const Board board = boardWithPlan(*work.board, *work.device, work.plan);
        const PlacementResult result = place(*work.device, board, work.plan, {.needs = {0}});
        QVERIFY(result.ways.empty() && result.proven);
        QVERIFY(!result.rules.empty() && result.rules.size() <= 2);
        // Without these there is a way, and without any one of the others there is none.
        Board trial = board;
        for (const std::string& rule : result.rules)
            trial.wishes.erase(rule);
        QVERIFY(place(*work.device, trial, work.plan, {.needs = {0}}).ways.size() == 1);
        const std::string why = noRoom(*work.device, work.plan, result, {0}).message;
        QVERIFY2(why.find(result.rules.front()) != std::string::npos, why.c_str());
        // As wishes they only cost.
        for (const auto& [sentence, strength] : board.wishes)
            trial.wishes[sentence] = WishStrength::Wish;
        const PlacementResult loose = place(*work.device, trial, work.plan, {.needs = {0}});
        QCOMPARE(int(loose.ways.size()), 1);
        QCOMPARE(loose.ways[0].cost.wishes, 1);
        QCOMPARE(int(loose.ways[0].notKept.size()), 1);
    }

    void namesThatAreNotThereAreTold()
    {
        LoadedPlan work = demo();
        for (const char* sentence :
             {"nobody in order", "keep PZ9 free", "uplink.nothing, uplink.tx in order", "uplink next to NOPIN",
              "part none on the left side", "uplink, uplink.tx in order"})
            work = with(std::move(work), SetWish{sentence, WishStrength::Wish});
        const auto s = run(work);
        const std::vector<Finding> unclear = found(*s, "BRD-03");
        QCOMPARE(int(unclear.size()), 6);
        Plan plan = s->plan;
        for (const Finding& finding : unclear) {
            const Expected<Edit> fix = fixFor(s->facts(), finding);
            QVERIFY(fix.ok());
            plan = *applied(plan, *fix);
        }
        QVERIFY(plan.wishes.empty());
    }

    /// In plans and board files, in the rows of the board, and by an assignment.
    void everyWayToSayIt()
    {
        LoadedPlan work = demo();
        Board plain = *work.board;
        plain.wishes.clear();
        work.board = std::make_shared<const Board>(plain);
        const Expected<Edit> typed = readAssignment(work, "wish.uplink on left=rule");
        QVERIFY2(typed.ok(), typed ? "" : typed.problem().message.c_str());
        QVERIFY((typed->changes == std::vector<Change>{SetWish{"uplink on the left side", WishStrength::Rule}}));
        QVERIFY(!readAssignment(work, "wish.uplink on left=maybe") && !readAssignment(work, "wish.uplink=wish"));
        work.plan = *applied(work.plan, *typed);
        auto s = run(work);
        const Expected<LoadedPlan> again = parsePlan(planText(s->plan), "again", library());
        QVERIFY2(again.ok(), again ? "" : again.problem().text().c_str());
        QVERIFY(again->plan.wishes == s->plan.wishes);

        // As a board file; a plan on it can say otherwise and go back.
        const Expected<Board> filed = parseBoard(boardText(*s, "with-wishes"), "board",
                                                 [](std::string_view name) { return library().part(name); });
        QVERIFY2(filed.ok(), filed ? "" : filed.problem().text().c_str());
        QVERIFY(filed->wishes == s->board->wishes);
        LoadedPlan on = work;
        on.board = std::make_shared<const Board>(*filed);
        on.plan.wishes.clear();
        const auto there = run(on);
        QCOMPARE(int(boardWishes(*there).size()), 1);
        QVERIFY(!boardWishes(*there)[0].ofPlan);
        const Expected<Edit> dropped = wishEdit(*there, "uplink on the left side", "");
        QVERIFY(dropped.ok());
        on.plan = *applied(on.plan, *dropped);
        const auto without = run(on);
        QVERIFY(without->board->wishes.empty());
        QVERIFY(boardWishes(*without)[0].strength == WishStrength::Dropped);
        const Expected<Edit> back = wishStrengthEdit(*without, "uplink on the left side", "rule");
        QVERIFY(back && applied(on.plan, *back)->wishes.empty());
        const Expected<Edit> other = wishEdit(*there, "uplink on the left side", "uplink on right");
        QVERIFY(other && applied(on.plan, *other).ok());
        QVERIFY(!wishEdit(*there, "", "uplink") && !wishStrengthEdit(*there, "uplink on the left side", "much"));
        // A board cannot drop what only it says.
        QVERIFY(!parseBoard(
            R"({"format":1,"name":"b","device":"SE4332-C64","supply":"3.3 V","parts":{},"wishes":{"a in order":"dropped"}})",
            "b", nullptr));
    }

    /// Where parts stand, there and back; and which sides of the chip face them, however it is turned.
    void placesOnTheBoard()
    {
        std::mt19937 random(seeded(5));
        for (int i = 0; i < 2000; ++i) {
            const BoardPlace place{int(random() % 2'000'001), int(random() % 2'000'001), int(random() % 4) * 90,
                                   random() % 2 == 0};
            const Expected<BoardPlace> again = parsePlace(placeText(place));
            QVERIFY2(again && *again == place, placeText(place).c_str());
            const BoardOutline outline{1 + int(random() % 2'000'000), 1 + int(random() % 2'000'000)};
            const Expected<BoardOutline> size = parseOutline(outlineText(outline));
            QVERIFY2(size && *size == outline, outlineText(outline).c_str());
        }
        for (const char* text :
             {"", "12", "12, 30, 40", "-1, 2 mm", "12.3456, 1", "2000.001, 1 mm", "1e3, 2", "1, 2 mm, turned 45",
              "1, 2, below, below", "1, 2, above", "99999999999999999999, 1", "1, 2 mm, turned 90, turned 90"})
            QVERIFY2(!parsePlace(text), text);
        for (const char* text : {"", "100", "0 x 5 mm", "100 x", "x", "100 x 80 x 3", "2001 x 1 mm"})
            QVERIFY2(!parseOutline(text), text);

        const int mm = 1000;
        const auto at = [&](int x, int y, int turn = 0, bool below = false) {
            return BoardPlace{x * mm, y * mm, turn, below};
        };
        enum { Left = 1, Bottom = 2, Right = 4, Top = 8 };
        QCOMPARE(sidesFacing(at(50, 50), at(10, 55)), unsigned(Left));
        QCOMPARE(sidesFacing(at(50, 50), at(90, 45)), unsigned(Right));
        QCOMPARE(sidesFacing(at(50, 50), at(52, 90)), unsigned(Top));
        QCOMPARE(sidesFacing(at(50, 50), at(80, 20)), unsigned(Right | Bottom));
        // A quarter turn counter-clockwise brings the package's left side to the bottom of the board.
        QCOMPARE(sidesFacing(at(50, 50, 90), at(50, 10)), unsigned(Left));
        QCOMPARE(sidesFacing(at(50, 50, 180), at(90, 50)), unsigned(Left));
        QCOMPARE(sidesFacing(at(50, 50, 270), at(50, 90)), unsigned(Left));
        // From below left and right change places.
        QCOMPARE(sidesFacing(at(50, 50, 0, true), at(10, 50)), unsigned(Right));
        QCOMPARE(sidesFacing(at(50, 50, 0, true), at(50, 90)), unsigned(Top));
        QCOMPARE(sidesFacing(at(50, 50), at(50, 50)), 15u);
        // Turning all of it changes nothing: a quarter turn of the board about its middle, and of the chip with it.
        for (int i = 0; i < 500; ++i) {
            const BoardPlace chip{500'000, 500'000, int(random() % 4) * 90, false};
            const int dx = int(random() % 400'000) - 200'000, dy = int(random() % 400'000) - 200'000;
            const BoardPlace part{chip.x + dx, chip.y + dy, 0, false}, turned{chip.x - dy, chip.y + dx, 0, false};
            BoardPlace also = chip;
            also.turn = (chip.turn + 90) % 360;
            QCOMPARE(sidesFacing(chip, part), sidesFacing(also, turned));
        }
    }

    /// From nothing, what stands to the left is wired to the left where that can be.
    void searchesHeedWhereThingsStand()
    {
        LoadedPlan work = demo("sluice-node-c-start");
        work.plan.wishes.clear();
        Board alone = *work.board; // of nothing else it is known where it stands
        alone.places.clear();
        work.board = std::make_shared<const Board>(alone);
        const auto bound = [](const LoadedPlan& from) {
            std::vector<NeedIndex> open;
            for (size_t n = 0; n < from.plan.needs.size(); ++n)
                open.push_back(int(n));
            const Board board = boardWithPlan(*from.board, *from.device, from.plan);
            const PlacementResult result = place(*from.device, board, from.plan, {.needs = open});
            LoadedPlan out = from;
            if (!result.ways.empty())
                out.plan = *applied(from.plan, editOfPlacement(from.plan, result.ways.front(), "Bind"));
            return out;
        };
        const auto offOf = [](const LoadedPlan& from, const char* part) {
            const auto s = run(from);
            for (const BoardItem& item : boardItems(*s))
                if (item.part == part)
                    return item.off;
            return -1;
        };
        const char* part = "uplink-modem";
        for (const char* place : {"5, 40 mm", "95, 40 mm", "50, 5 mm", "50, 75 mm"}) {
            LoadedPlan on = with(with(work, SetText{SetText::What::ChipPlace, "50, 40 mm"}), SetPlace{part, place});
            on = bound(on);
            QVERIFY2(offOf(on, part) == 0, place);
            // The same board turned with everything on it is the same task.
            QVERIFY(found(*run(on), "BRD-02").empty() || !on.board->wishes.empty());
        }
        // A part that is gone is told.
        const auto s = run(with(work, SetPlace{"nothing", "1, 1 mm"}));
        const std::vector<Finding> told = found(*s, "BRD-03");
        QCOMPARE(int(told.size()), 1);
        const Expected<Edit> fix = fixFor(s->facts(), told[0]);
        QVERIFY(fix && applied(s->plan, *fix)->places.empty());
    }
};

BINDREL_TEST(WishesTest)
#include "wishes_test.moc"
