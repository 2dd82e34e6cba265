// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/crystal_text.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

namespace bindrel {

namespace {

bool isNumberAlone(const std::string& word)
{
    return !word.empty() && word.find_first_of("0123456789") != std::string::npos &&
           word.find_first_not_of("0123456789.") == std::string::npos;
}

/// Words, with "12 MHz" as one.
std::vector<std::string> piecesOf(std::string_view text)
{
    std::string spaced(text);
    std::replace(spaced.begin(), spaced.end(), ',', ' ');
    std::vector<std::string> out;
    for (const std::string& word : splitted(spaced, ' ')) {
        if (word.empty())
            continue;
        std::string bare = word;
        for (const char* sign : {"\u00b1", "+-", "+/-"})
            if (bare.starts_with(sign))
                bare = bare.substr(std::string_view(sign).size());
        if (bare.empty())
            continue;
        if (!out.empty() && isNumberAlone(out.back()) && !isNumberAlone(bare))
            out.back() += " " + bare;
        else
            out.push_back(bare);
    }
    return out;
}

} // namespace

Expected<FittedCrystal> parseCrystal(std::string_view given)
{
    const std::string text = lowered(std::string(trimmed(given)));
    if (text == "not fitted" || text == "none")
        return FittedCrystal();
    CrystalFact out;
    bool rate = false, tolerance = false, load = false, stray = false;
    bool nextIsStray = false;
    const auto twice = [](const std::string& what) { return problemOf(say("the {} is given twice.", what)); };
    for (const std::string& piece : piecesOf(trimmed(given))) {
        const std::string word = lowered(piece);
        if (word == "external" || word == "fed" || word == "in") {
            out.external = true;
        } else if (word == "crystal" || word == "load") {
            nextIsStray = false;
        } else if (word == "stray") {
            nextIsStray = true;
        } else if (word.ends_with("hz")) {
            const Expected<Frequency> read = parseFrequency(piece);
            if (!read)
                return read.problem();
            if (rate)
                return twice("rate");
            if (!(read->value > Rational(0)))
                return problemOf(say("the rate must be above zero."));
            out.rate = *read;
            rate = true;
        } else if (word.ends_with("ppm") || word.ends_with("%")) {
            const Expected<Ppm> read = parsePpm(piece);
            if (!read)
                return read.problem();
            if (tolerance)
                return twice("tolerance");
            if (read->value > Rational(100'000))
                return problemOf(say("the tolerance is above 10 %."));
            out.tolerance = Tolerance::symmetric(read->value);
            tolerance = true;
        } else if (word.ends_with("f")) {
            const Expected<Capacitance> read = parseCapacitance(piece);
            if (!read)
                return read.problem();
            if (nextIsStray ? stray : load)
                return twice(nextIsStray ? "stray capacitance" : "load capacitance");
            (nextIsStray ? out.stray : out.load) = *read;
            (nextIsStray ? stray : load) = true;
            nextIsStray = false;
        } else {
            return problemOf(say("\"{}\" is not understood; write, for example, \"12 MHz, 20 ppm, load 10 pF, "
                                 "stray 3 pF\", \"external 8 MHz, 50 ppm\" or \"not fitted\".",
                                 piece));
        }
    }
    if (!rate)
        return problemOf(say("give its rate too, as in: 12 MHz, 20 ppm."));
    if (out.external && load)
        return problemOf(say("only a crystal has a load capacitance; remove it, or remove \"external\"."));
    return FittedCrystal(out);
}

bool looksLikeCrystal(std::string_view given)
{
    const std::string text = lowered(std::string(trimmed(given)));
    return text == "not fitted" || text.starts_with("external") ||
           (!text.empty() && text[0] >= '0' && text[0] <= '9' && text.find("hz") != std::string::npos);
}

std::string crystalText(const FittedCrystal& crystal)
{
    if (!crystal)
        return "not fitted";
    std::string out = (crystal->external ? "external " : "") + exactly(crystal->rate, parseFrequency);
    if (crystal->tolerance)
        out += ", " + exactly(crystal->tolerance->worst(), parsePpm);
    if (crystal->load.value > Rational(0))
        out += ", load " + exactly(crystal->load, parseCapacitance);
    if (crystal->stray.value > Rational(0))
        out += ", stray " + exactly(crystal->stray, parseCapacitance);
    return out;
}

} // namespace bindrel
