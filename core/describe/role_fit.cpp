// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/role_fit.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/describe/trade_words.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <set>

namespace bindrel {

std::string inQuotes(const std::string& text)
{
    return "\"" + (text.size() > 120 ? text.substr(0, 117) + "..." : text) + "\"";
}

namespace {

const std::set<std::string>& fillers()
{
    static const std::set<std::string> all{"the",  "a",    "an",   "of",       "is",    "to", "and", "or",
                                           "in",   "for",  "by",   "its",      "it",    "be", "are", "this",
                                           "that", "with", "when", "register", "field", "bit"};
    return all;
}

double best(const std::vector<std::string>& written, const std::string& meant)
{
    double out = 0;
    for (const std::string& word : written)
        out = std::max(out, standsFor(word, meant));
    return out;
}

/// What the end of a name says of its use: "TXON" is a switch, "UPDF" a flag.
bool endsLike(std::string_view rest, RoleSpec::Use use, bool isSwitch)
{
    if (rest.empty())
        return true;
    if (use == RoleSpec::Use::Status)
        return rest == "f" || rest == "if" || rest == "flg" || rest == "flag" || rest == "s";
    return isSwitch && (rest == "on" || rest == "en" || rest == "ena");
}

/// "TXE" for transmit empty, "TXON" and "CTSEN" for switches: words of the role in their order, each by itself, by a
/// word that the trade has for it, an abbreviation or its first letter, and the end may say what it is for. How surely:
/// 0 where it is not glued so.
double isGlued(const std::string& written, const std::vector<std::string>& role, RoleSpec::Use use, bool isSwitch)
{
    constexpr std::size_t kLongest = 24;
    if (written.size() < 3 || written.size() > kLongest)
        return 0;
    const std::function<double(std::size_t, std::size_t)> fits = [&](std::size_t at, std::size_t word) -> double {
        if (word == role.size())
            return endsLike(std::string_view(written).substr(at), use, isSwitch) ? 1 : 0;
        double surest = 0;
        for (std::size_t take = written.size() - at; take > 0; --take) {
            const std::string_view piece = std::string_view(written).substr(at, take);
            double says = take >= 2 ? standsFor(piece, role[word]) : 0;
            if (take == 2 && says < 0.95)
                says = 0;
            // A single letter says something only behind a word that is sure.
            if (take == 1 && word > 0 && role[word].front() == piece.front())
                says = 0.8;
            if (says > 0)
                surest = std::max(surest, std::min(says, fits(at + take, word + 1)));
        }
        return surest;
    };
    return fits(0, 0);
}

bool isInterruptEnable(const std::vector<std::string>& reg)
{
    static const std::set<std::string> words{"ien", "inten", "irqen", "ie", "interrupts"};
    bool interrupt = false, enable = false;
    for (const std::string& word : reg) {
        if (words.contains(word))
            return true;
        interrupt = interrupt || standsFor(word, "interrupt") > 0.7;
        enable = enable || standsFor(word, "enable") > 0.7 || word == "mask";
    }
    return interrupt && enable;
}

bool isOfOneBit(const RoleSpec& spec)
{
    return spec.unit.empty() && spec.meanings.empty() && spec.use != RoleSpec::Use::Data;
}

/// Whether access and width leave it possible. `exact`: the field is called like the role.
bool canHave(const RoleSpec& spec, const Field& field, bool exact)
{
    using Use = RoleSpec::Use;
    constexpr int kWidestChoice = 5;
    const bool written = spec.use == Use::Config || spec.use == Use::Command;
    if (field.access == Field::Access::Key && spec.use != Use::Command)
        return false;
    if (written && (field.access == Field::Access::ReadOnly || field.access == Field::Access::ReadToClear))
        return false;
    if (spec.use == Use::Status && field.access == Field::Access::WriteOnly)
        return false;
    if (isOfOneBit(spec) && field.width != 1)
        return false;
    if (!spec.meanings.empty() && field.width > kWidestChoice)
        return false;
    return spec.unit.empty() || field.width != 1 || !field.values.empty() || exact;
}

/// Named values that are those of the role say it as well as a name; others speak against it.
double byValues(const RoleSpec& spec, const Field& field)
{
    if (spec.meanings.empty() || field.values.empty())
        return 0;
    int known = 0;
    for (const auto& [names, value] : spec.meanings)
        for (const std::string& name : splitted(names, '|'))
            known += std::ranges::any_of(field.values,
                                         [&name](const EnumValue& given) { return lowered(given.name) == name; });
    return known >= 2 ? 0.1 : -0.3;
}

/// The sentence that says what the role is, against the one that says what the field does.
double bySentence(const RoleSpec& spec, const Candidate& candidate)
{
    const std::set<std::string> said(candidate.about.begin(), candidate.about.end());
    std::set<std::string> meant;
    for (const std::string& word : wordsOf(spec.about))
        if (!fillers().contains(word))
            meant.insert(word);
    const auto shared =
        std::size_t(std::ranges::count_if(meant, [&said](const std::string& word) { return said.contains(word); }));
    return meant.size() >= 3 && shared * 3 >= meant.size() * 2 ? 0.1 : 0;
}

} // namespace

double fit(const RoleSpec& spec, const std::vector<std::string>& role, const Candidate& candidate, const Field& field,
           std::string& reason)
{
    using Use = RoleSpec::Use;
    const bool isSwitch = isOfOneBit(spec);
    const bool exact = candidate.name == role;
    if (!canHave(spec, field, exact))
        return 0;
    const bool enablesInterrupts = isInterruptEnable(candidate.regName);
    double byName = 0, byAbout = 0, byRegister = 0;
    for (const std::string& word : role) {
        // That a field is about an interrupt is mostly said by its register.
        const double asInterrupt = word == "interrupt" && enablesInterrupts ? 1 : 0;
        const double named = std::max(best(candidate.name, word), asInterrupt);
        byName += named;
        byAbout += std::max(best(candidate.about, word), named);
        byRegister += std::max(named, best(candidate.regName, word));
    }
    const double all = double(role.size());
    byName /= all;
    byAbout /= all;
    byRegister /= all;
    bool glued = false;
    if (candidate.name.size() == 1)
        if (const double sure = isGlued(candidate.name.front(), role, spec.use, isSwitch); sure > byName) {
            byName = std::min(sure, 0.97);
            glued = true;
        }
    // Words of the field's own name that the role does not say.
    double beside = 0;
    for (const std::string& word : candidate.name) {
        double known = 0;
        for (const std::string& meant : role)
            known = std::max(known, standsFor(word, meant));
        if (isSwitch && role.front() != "on" && standsFor(word, "enable") > 0.7)
            known = 1; // "TX ON" switches transmitting
        if (glued || (spec.use == Use::Status && (word == "f" || word == "flag" || word == "status")))
            known = 1;
        if (known < 0.5 && !(word.size() <= 3 && word.find_first_not_of("0123456789") == std::string::npos))
            beside += 1;
    }
    // A description that has the words, of a field whose name has none of them, is mostly about something else.
    double score = std::max({byName, (byName > 0.3 ? 0.92 : 0.72) * byAbout,
                             (byName > 0.3 || byRegister > 0.99 ? 0.85 : 0.78) * byRegister});
    score -= 0.12 * std::min(beside, 3.0) * (byAbout > 0.95 && byName > 0.3 ? 0.5 : 1.0);
    // Flags are in registers of flags, what enables interrupts in registers of that.
    const bool wantsInterrupt = std::find(role.begin(), role.end(), "interrupt") != role.end();
    if (enablesInterrupts && !wantsInterrupt)
        score -= 0.4;
    if (spec.use == Use::Status)
        score += field.access != Field::Access::ReadWrite ? 0.05 : candidate.accessTold ? -0.4 : -0.1;
    if (wantsInterrupt && field.access != Field::Access::ReadWrite)
        score -= 0.2;
    score += byValues(spec, field) + bySentence(spec, candidate);
    if (exact && !(spec.use == Use::Status && field.access == Field::Access::ReadWrite))
        score = std::max(score, 0.95);
    if (score > 0)
        reason = byName > 0.9                            ? say("the name of {} says so", field.name)
                 : !field.about.empty() && byAbout > 0.9 ? fmt::format("{}: {}", field.name, inQuotes(field.about))
                                                         : say("the names of {} and its register say so", field.name);
    return std::clamp(score, 0.0, 1.0);
}

std::string encodingIn(const RoleSpec& spec, const Field& field)
{
    if (spec.unit.empty())
        return {};
    const std::string about = lowered(field.about);
    for (const char* phrase :
         {"minus one", "minus 1", "n + 1", "n+1", "plus one", "plus 1", "value + 1", "+ 1)", "+1)"})
        if (about.find(phrase) != std::string::npos)
            return "minus one";
    for (const char* phrase : {"2^n", "power of two", "2 to the power", "powers of two"})
        if (about.find(phrase) != std::string::npos)
            return "power of two";
    return {};
}

} // namespace bindrel
