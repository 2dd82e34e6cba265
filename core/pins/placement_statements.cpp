// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_statements.h"

#include <algorithm>

namespace bindrel {

Statements::Statements() : truth(solver.fresh())
{
    solver.is(truth);
}

Literal Statements::anyOf(const std::vector<Literal>& literals)
{
    if (literals.size() == 1)
        return literals.front();
    const Literal out = solver.fresh();
    for (const Literal literal : literals)
        solver.implies(literal, out);
    derive(out, literals, 1);
    return out;
}

Literal Statements::anyOf(const std::vector<Sitting>& sittings)
{
    if (sittings.size() == 1 && sittings.front().use == sittings.front().seat)
        return sittings.front().use;
    const Literal out = solver.fresh();
    for (const Sitting& sitting : sittings)
        solver.atLeastOne({~sitting.use, ~sitting.seat, out});
    derive(out, sittings, 1);
    return out;
}

Literal Statements::anyOfThese(std::vector<Literal> literals)
{
    if (literals.empty())
        return {};
    if (std::find(literals.begin(), literals.end(), truth) != literals.end())
        return truth;
    std::sort(literals.begin(), literals.end());
    literals.erase(std::unique(literals.begin(), literals.end()), literals.end());
    return anyOf(literals);
}

Literal Statements::anyOfThese(std::vector<Sitting> sittings)
{
    if (sittings.empty())
        return {};
    if (std::find(sittings.begin(), sittings.end(), Sitting{truth, truth}) != sittings.end())
        return truth;
    std::sort(sittings.begin(), sittings.end());
    sittings.erase(std::unique(sittings.begin(), sittings.end()), sittings.end());
    return anyOf(sittings);
}

Literal Statements::both(const Sitting& sitting)
{
    if (sitting.use == sitting.seat)
        return sitting.use;
    Literal& out = both_[sitting];
    if (!out.exists()) {
        out = solver.fresh();
        solver.implies(out, sitting.use);
        solver.implies(out, sitting.seat);
        solver.atLeastOne({~sitting.use, ~sitting.seat, out});
        derive(out, std::vector{sitting}, 1);
    }
    return out;
}

void Statements::derive(Literal literal, const std::vector<Literal>& from, int count)
{
    const std::size_t begin = derivedFrom_.size();
    for (const Literal other : from)
        derivedFrom_.push_back({other, other});
    derived_.push_back({literal, begin, derivedFrom_.size(), count});
}

void Statements::derive(Literal literal, const std::vector<Sitting>& from, int count)
{
    const std::size_t begin = derivedFrom_.size();
    derivedFrom_.insert(derivedFrom_.end(), from.begin(), from.end());
    derived_.push_back({literal, begin, derivedFrom_.size(), count});
}

void Statements::deriveValues(std::vector<bool>& values) const
{
    values.resize(std::size_t(solver.variables()), false);
    const auto isSo = [&values](Literal l) { return values[std::size_t(l.variable())] != l.negated(); };
    for (const Derived& derived : derived_) {
        const auto from = derivedFrom_.begin();
        const bool so =
            std::count_if(from + std::ptrdiff_t(derived.from), from + std::ptrdiff_t(derived.to),
                          [&isSo](const Sitting& s) { return isSo(s.use) && isSo(s.seat); }) >= derived.count;
        values[std::size_t(derived.literal.variable())] = so != derived.literal.negated();
    }
}

Literal Statements::exactlyAnyOf(const std::vector<Literal>& literals)
{
    const Literal out = anyOf(literals);
    if (literals.size() > 1) {
        std::vector<Literal> back = literals;
        back.push_back(~out);
        solver.atLeastOne(back);
    }
    return out;
}

std::vector<Literal> Statements::anyOfEach(std::vector<std::pair<int, Literal>>& numbered)
{
    std::sort(numbered.begin(), numbered.end());
    numbered.erase(std::unique(numbered.begin(), numbered.end()), numbered.end());
    std::vector<Literal> out, same;
    std::size_t kept = 0;
    for (std::size_t at = 0; at < numbered.size();) {
        const int number = numbered[at].first;
        same.clear();
        for (; at < numbered.size() && numbered[at].first == number; ++at)
            same.push_back(numbered[at].second);
        numbered[kept++].first = number;
        out.push_back(anyOf(same));
    }
    numbered.resize(kept);
    return out;
}

void Statements::oneOf(const std::vector<Literal>& ways)
{
    for (std::size_t a = 0; a < ways.size(); ++a)
        for (std::size_t b = a + 1; b < ways.size(); ++b)
            if (ways[a] == ways[b])
                solver.is(~ways[a]);
    solver.atMostOne(ways);
}

} // namespace bindrel
