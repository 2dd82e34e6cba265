// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/counting.h"
#include "core/pins/solver/solver.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;

/// The solver against trying everything, on random statements of all its kinds; what counting sees at once.
class SolverTest : public QObject {
    Q_OBJECT

    struct Statements {
        int variables = 0;
        std::vector<std::vector<Literal>> clauses, exclusions;
        std::vector<std::pair<std::vector<Solver::Term>, long>> bounds;

        bool hold(unsigned world) const
        {
            const auto so = [world](Literal l) { return ((world >> l.variable() & 1u) != 0) != l.negated(); };
            for (const auto& clause : clauses)
                if (std::none_of(clause.begin(), clause.end(), so))
                    return false;
            for (const auto& exclusion : exclusions)
                if (std::count_if(exclusion.begin(), exclusion.end(), so) > 1)
                    return false;
            for (const auto& [terms, most] : bounds) {
                long sum = 0;
                for (const Solver::Term& term : terms)
                    sum += so(term.literal) ? term.weight : 0;
                if (sum > most)
                    return false;
            }
            return true;
        }
        bool possible(const std::vector<Literal>& assumptions) const
        {
            for (unsigned world = 0; world < 1u << variables; ++world) {
                const auto so = [world](Literal l) { return ((world >> l.variable() & 1u) != 0) != l.negated(); };
                if (std::all_of(assumptions.begin(), assumptions.end(), so) && hold(world))
                    return true;
            }
            return false;
        }
    };

    static std::vector<Literal> some(std::mt19937& random, int variables, int count)
    {
        std::vector<int> all;
        for (int v = 0; v < variables; ++v)
            all.push_back(v);
        std::shuffle(all.begin(), all.end(), random);
        std::vector<Literal> out;
        for (int i = 0; i < std::min(count, variables); ++i)
            out.emplace_back(all[size_t(i)], random() % 2 == 0);
        return out;
    }

    static Statements statements(std::mt19937& random)
    {
        Statements out;
        out.variables = 4 + int(random() % 9);
        for (int i = int(random() % unsigned(4 * out.variables)); i > 0; --i)
            out.clauses.push_back(some(random, out.variables, 1 + int(random() % 4)));
        for (int i = int(random() % 4); i > 0; --i)
            out.exclusions.push_back(some(random, out.variables, 2 + int(random() % 4)));
        for (int i = int(random() % 4); i > 0; --i) {
            std::vector<Solver::Term> terms;
            long all = 0;
            for (const Literal literal : some(random, out.variables, 2 + int(random() % 6))) {
                terms.push_back({literal, 1 + int(random() % 5)});
                all += terms.back().weight;
            }
            out.bounds.emplace_back(std::move(terms), long(random() % unsigned(all + 1)));
        }
        return out;
    }

private Q_SLOTS:
    void itAnswersAsEnumerationDoes()
    {
        std::mt19937 random(test::seeded(11));
        int yes = 0, no = 0, cores = 0;
        for (int i = 0; i < 3000; ++i) {
            const Statements all = statements(random);
            Solver solver;
            for (int v = 0; v < all.variables; ++v)
                solver.fresh();
            // Some statements come only after a first answer: the solver goes on with what it knows.
            const bool later = random() % 2;
            const auto state = [&](bool second) {
                for (size_t c = 0; c < all.clauses.size(); ++c)
                    if ((later && c % 2 == 1) == second)
                        solver.atLeastOne(all.clauses[c]);
                for (size_t c = 0; c < all.exclusions.size(); ++c)
                    if ((later && c % 2 == 1) == second)
                        solver.atMostOne(all.exclusions[c]);
                for (size_t c = 0; c < all.bounds.size(); ++c)
                    if ((later && c % 2 == 1) == second)
                        solver.bound(all.bounds[c].first, all.bounds[c].second);
            };
            state(false);
            if (later) {
                solver.solve({}, 1'000'000);
                state(true);
            }
            for (int round = 0; round < 3; ++round) {
                const std::vector<Literal> assumptions = some(random, all.variables, int(random() % 4));
                const Solver::Manner manner = random() % 2 ? Solver::Manner::Plain : Solver::Manner::Guided;
                const Solver::Answer answer = solver.solve(assumptions, 10'000'000, manner);
                QVERIFY(answer != Solver::Answer::Unknown);
                QCOMPARE(answer == Solver::Answer::Yes, all.possible(assumptions));
                if (answer == Solver::Answer::Yes) {
                    ++yes;
                    unsigned world = 0;
                    for (int v = 0; v < all.variables; ++v)
                        world |= unsigned(solver.holds(Literal(v))) << v;
                    QVERIFY(all.hold(world));
                    for (const Literal literal : assumptions)
                        QVERIFY(solver.holds(literal));
                    // Going on from an answer finds it again, at once.
                    const std::vector<bool> values = solver.values();
                    const long conflicts = solver.conflicts();
                    solver.goOnFrom(values);
                    QVERIFY(solver.solve(assumptions, 10'000'000, Solver::Manner::Plain) == Solver::Answer::Yes);
                    QVERIFY(solver.values() == values && solver.conflicts() == conflicts);
                    continue;
                }
                ++no;
                // The core is made of assumptions, and cannot hold by itself.
                cores += !solver.core().empty();
                for (const Literal literal : solver.core())
                    QVERIFY(std::find(assumptions.begin(), assumptions.end(), literal) != assumptions.end());
                QVERIFY(!all.possible(solver.core()));
            }
        }
        QVERIFY(yes > 1000 && no > 1000 && cores > 200);
    }

    void boundsCanBeLowered()
    {
        std::mt19937 random(seeded(12));
        for (int i = 0; i < 300; ++i) {
            Statements all = statements(random);
            std::vector<Solver::Term> terms;
            long most = 0;
            for (int v = 0; v < all.variables; ++v) {
                terms.push_back({Literal(v), 1 + int(random() % 3)});
                most += terms.back().weight;
            }
            Solver solver;
            for (int v = 0; v < all.variables; ++v)
                solver.fresh();
            for (const auto& clause : all.clauses)
                solver.atLeastOne(clause);
            all.exclusions.clear();
            all.bounds.clear();
            const int bound = solver.bound(terms, most);
            // From above down to the least that there is.
            long least = -1;
            while (solver.solve({}, 10'000'000) == Solver::Answer::Yes) {
                least = 0;
                for (const Solver::Term& term : terms)
                    least += solver.holds(term.literal) ? term.weight : 0;
                solver.lower(bound, least - 1);
            }
            all.bounds = {{terms, least - 1}};
            QVERIFY(!all.possible({}));
            all.bounds = {{terms, least}};
            QCOMPARE(all.possible({}), least >= 0);
        }
    }

    /// n + 1 in n holes: clauses alone take a time that doubles with each; counting sees it, and names those who are
    /// too many.
    void countingIsSeenAtOnce()
    {
        constexpr int kHoles = 20;
        struct Crowd : Watcher {
            Counting counting;
            bool possible(const Solver& solver, std::vector<Literal>& why) override
            {
                return counting.possible(solver, why);
            }
        } crowd;
        Solver solver;
        crowd.counting.begin(kHoles + 5);
        std::vector<std::vector<Literal>> byHole(kHoles + 5);
        const Literal always = solver.fresh();
        solver.is(always);
        for (int who = 0; who < kHoles + 4; ++who) {
            // The last three have holes of their own.
            const int first = who <= kHoles ? 0 : kHoles, last = who <= kHoles ? kHoles : kHoles + 5;
            Counting::Taker taker{{always}, {}, who};
            std::vector<Literal> ways;
            for (int hole = first; hole < last; ++hole) {
                ways.push_back(solver.fresh());
                taker.options.push_back({hole, ways.back(), ways.back()});
                byHole[size_t(hole)].push_back(ways.back());
            }
            solver.choice(ways);
            solver.atMostOne(ways);
            solver.atLeastOne(ways);
            crowd.counting.add({std::move(taker)});
        }
        for (auto& literals : byHole)
            solver.atMostOne(std::move(literals));
        solver.watch(&crowd);
        QVERIFY(solver.solve({}, 100'000) == Solver::Answer::No);
        QVERIFY(solver.conflicts() <= 1);
        QCOMPARE(crowd.counting.tooMany().size(), size_t(kHoles + 1));
    }

    /// What counting says against a state is false in it, and holds in every world: no other need be looked at. Takers
    /// choose one of two sites, a site's signal lies on one of several things, and two takers can want the same signal,
    /// one at a time.
    void whatCountingSaysHoldsAlways()
    {
        std::mt19937 random(test::seeded(11));
        int said = 0;
        for (int round = 0; round < 400; ++round) {
            struct Crowd : Watcher {
                Counting counting;
                std::set<std::vector<Literal>> said;
                bool allFalse = true;
                bool possible(const Solver& solver, std::vector<Literal>& why) override
                {
                    const bool fine = counting.possible(solver, why);
                    if (!fine) {
                        said.insert(why);
                        allFalse = allFalse && std::all_of(why.begin(), why.end(), [&solver](Literal literal) {
                                       return solver.valueOf(literal) < 0;
                                   });
                    }
                    return fine;
                }
            } crowd;
            constexpr int kThings = 3, kTakers = 3, kSignals = 3;
            Statements all;
            const auto fresh = [&all] { return Literal(all.variables++); };
            crowd.counting.begin(kThings);
            std::vector<std::vector<Literal>> onThing(kThings);
            std::array<std::vector<std::pair<int, Literal>>, kSignals> seats;
            std::array<std::vector<Literal>, kSignals> users;
            for (auto& places : seats) {
                all.exclusions.emplace_back();
                for (int thing = 0; thing < kThings; ++thing)
                    if (places.empty() || random() % 2 == 0) {
                        places.emplace_back(thing, fresh());
                        onThing[size_t(thing)].push_back(places.back().second);
                        all.exclusions.back().push_back(places.back().second);
                    }
            }
            const Literal always = fresh();
            all.clauses.push_back({always});
            for (int who = 0; who < kTakers; ++who) {
                Counting::Taker taker{{always}, {}, who};
                std::vector<Literal> sites;
                for (int number = 0; number < 2; ++number) {
                    // A site uses one signal, or one of two by a channel.
                    const Literal at = fresh();
                    sites.push_back(at);
                    const size_t first = random() % kSignals, second = (first + 1) % kSignals;
                    std::vector<Literal> uses{at};
                    if (all.variables < 15 && random() % 3 == 0) {
                        uses = {fresh(), fresh()};
                        for (const Literal use : uses)
                            all.clauses.push_back({~use, at});
                        all.clauses.push_back({~at, uses[0], uses[1]});
                        all.exclusions.push_back(uses);
                    }
                    for (size_t u = 0; u < uses.size(); ++u) {
                        const size_t signal = u == 0 ? first : second;
                        users[signal].push_back(uses[u]);
                        std::vector<Literal> lies{~uses[u]};
                        for (const auto& [thing, seat] : seats[signal]) {
                            taker.options.push_back({thing, uses[u], seat, at});
                            lies.push_back(seat);
                        }
                        all.clauses.push_back(lies);
                    }
                }
                all.exclusions.push_back(sites);
                all.clauses.push_back(sites);
                crowd.counting.add({std::move(taker)});
            }
            for (const auto& sharing : {std::vector(users.begin(), users.end()), onThing})
                all.exclusions.insert(all.exclusions.end(), sharing.begin(), sharing.end());
            Solver solver;
            for (int v = 0; v < all.variables; ++v)
                solver.fresh();
            for (const auto& clause : all.clauses)
                solver.atLeastOne(clause);
            for (const auto& exclusion : all.exclusions)
                solver.atMostOne(exclusion);
            solver.watch(&crowd);
            QCOMPARE(solver.solve({}, 1'000'000) == Solver::Answer::Yes, all.possible({}));
            QVERIFY(crowd.allFalse);
            for (std::vector<Literal> why : crowd.said) {
                for (Literal& literal : why)
                    literal = ~literal;
                QVERIFY(!all.possible(why));
                ++said;
            }
        }
        QVERIFY(said > 50);
    }

    void anAnswerThatTakesTooLongIsNone()
    {
        // The same without counting.
        Solver solver;
        constexpr int kHoles = 9;
        std::vector<std::vector<Literal>> byHole(kHoles);
        for (int who = 0; who <= kHoles; ++who) {
            std::vector<Literal> ways;
            for (int hole = 0; hole < kHoles; ++hole) {
                ways.push_back(solver.fresh());
                byHole[size_t(hole)].push_back(ways.back());
            }
            solver.atLeastOne(ways);
        }
        for (auto& literals : byHole)
            solver.atMostOne(std::move(literals));
        QVERIFY(solver.solve({}, 20'000) == Solver::Answer::Unknown);
        const long conflicts = solver.conflicts();
        // It goes on where it was, and remembers.
        QVERIFY(solver.solve({}, 20'000) != Solver::Answer::Yes);
        QVERIFY(solver.conflicts() > conflicts);
        bool asked = false;
        solver.cancelWhen([&asked] { return asked = true; });
        QVERIFY(solver.solve({}, 1'000'000'000) == Solver::Answer::Unknown);
        QVERIFY(asked && solver.wasCancelled());
    }
};

BINDREL_TEST(SolverTest)
#include "solver_test.moc"
