// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/proposals.h"

#include "core/base/text.h"
#include "core/describe/trade_words.h"
#include "core/device/block_kind.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>
#include <optional>
#include <set>

namespace bindrel {

namespace {

/// What a kind is called in names and sentences.
struct KindWords {
    const char* kind;
    std::vector<std::string> names;   ///< of blocks and instances
    std::vector<std::string> phrases; ///< of descriptions
};

const std::vector<KindWords>& kindWords()
{
    static const std::vector<KindWords> all{
        {"uart", {"uart", "usart", "serial"}, {"asynchronous", "uart", "usart", "serial port"}},
        {"spi", {"spi"}, {"serial peripheral interface", "synchronous serial", "spi"}},
        {"i2c", {"i2c", "iic", "twi"}, {"two-wire", "two wire", "inter-integrated", "i2c"}},
        {"can", {"can"}, {"controller area network", "can bus", "can controller"}},
        {"usb", {"usb"}, {"universal serial bus", "usb"}},
        {"adc", {"adc"}, {"analog-to-digital", "analogue-to-digital", "analog to digital", "a/d converter"}},
        {"dac", {"dac"}, {"digital-to-analog", "digital to analog", "d/a converter"}},
        {"comparator", {"comparator", "cmp", "comp"}, {"comparator"}},
        {"timer", {"timer", "pwm"}, {"timer", "pulse width"}},
        {"watchdog", {"watchdog", "wdt", "wdg"}, {"watchdog"}},
        {"rtc", {"rtc"}, {"real-time clock", "real time clock", "calendar"}},
        {"port", {"gpio", "port"}, {"general-purpose i/o", "general purpose i/o", "general-purpose input", "gpio"}},
        {"dma", {"dma"}, {"direct memory access"}},
        {"segments", {"lcd"}, {"segment display", "segment lcd"}},
    };
    return all;
}

std::string inQuotes(const std::string& text)
{
    return "\"" + (text.size() > 120 ? text.substr(0, 117) + "..." : text) + "\"";
}

bool saysWord(const std::string& sentence, const std::string& phrase)
{
    const std::size_t at = sentence.find(phrase);
    if (at == std::string::npos)
        return false;
    const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'); };
    return (at == 0 || !letter(sentence[at - 1])) &&
           (at + phrase.size() >= sentence.size() || !letter(sentence[at + phrase.size()]));
}

std::optional<Proposal> kindOf(const Device& device, std::size_t b)
{
    const Block& block = device.blocks[b];
    struct Hit {
        double confidence = 0;
        std::string reason;
    };
    std::map<std::string, Hit> hits;
    const auto hit = [&hits](const std::string& kind, double confidence, const std::string& reason) {
        Hit& known = hits[kind];
        if (known.confidence == 0) {
            known = {confidence, reason};
        } else if (known.reason != reason) {
            known.confidence = 1 - (1 - known.confidence) * (1 - confidence);
            known.reason += "; " + reason;
        }
    };
    std::set<std::string> names{block.name};
    for (const Instance& instance : device.instances)
        if (std::size_t(instance.block) == b)
            names.insert(instance.name);
    const std::string about = lowered(block.about);
    for (const KindWords& words : kindWords()) {
        for (const std::string& name : names) {
            const std::vector<std::string> parts = wordsOf(name);
            for (const std::string& word : words.names)
                if (std::find(parts.begin(), parts.end(), word) != parts.end()) {
                    hit(words.kind, 0.8, fmt::format("{} has the word \"{}\"", name, word));
                    break;
                }
        }
        for (const std::string& phrase : words.phrases)
            if (saysWord(about, phrase)) {
                hit(words.kind, 0.8, fmt::format("its description says {}", inQuotes(phrase)));
                break;
            }
    }
    if (hits.empty())
        return std::nullopt;
    const auto best = std::max_element(hits.begin(), hits.end(), [](const auto& a, const auto& b) {
        return a.second.confidence < b.second.confidence;
    });
    double second = 0;
    for (const auto& [kind, other] : hits)
        if (kind != best->first)
            second = std::max(second, other.confidence);
    if (second > best->second.confidence - 0.1)
        return std::nullopt; // it could be either
    return Proposal{block.name, fmt::format("kind {} = {}", block.name, best->first), best->second.reason,
                    best->second.confidence * (1 - second / 2)};
}

/// A field as a candidate for roles.
struct Candidate {
    std::size_t reg, field;
    std::vector<std::string> name;    ///< words of the field
    std::vector<std::string> regName; ///< words of its register
    std::vector<std::string> about;   ///< of the field's description
    std::string number;               ///< that its names have, "" without one
};

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

/// "TXE" for transmit empty, "TXON" and "CTSEN" for switches: words of the role in their order, each by itself, by a
/// word that the trade has for it or by its first letter, and the last piece may say that it is a switch.
bool isGlued(const std::string& written, const std::vector<std::string>& role, bool isSwitch)
{
    const std::function<bool(std::size_t, std::size_t, bool)> fits = [&](std::size_t at, std::size_t word, bool sure) {
        if (word == role.size()) {
            const std::string rest = written.substr(at);
            return sure && (rest.empty() || (isSwitch && (rest == "on" || rest == "en" || rest == "ena")));
        }
        for (std::size_t take = written.size() - at; take > 0; --take) {
            const std::string piece = written.substr(at, take);
            const bool whole = take >= 2 && standsFor(piece, role[word]) >= 0.99;
            // A single letter says something only behind a word that is sure.
            const bool letter = take == 1 && word > 0 && sure && role[word].front() == piece.front();
            if ((whole || letter) && fits(at + take, word + 1, sure || whole))
                return true;
        }
        return false;
    };
    return written.size() >= 3 && fits(0, 0, false);
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

/// How well a field fits a role: all words of the role's name must be said, by the field's name or its description;
/// what the field's name says beside that counts against it.
double fit(const RoleSpec& spec, const std::vector<std::string>& role, const Candidate& candidate, const Field& field,
           std::string& reason)
{
    using Use = RoleSpec::Use;
    if (field.access == Field::Access::Key)
        return 0;
    const bool written = spec.use == Use::Config || spec.use == Use::Command;
    if (written && (field.access == Field::Access::ReadOnly || field.access == Field::Access::ReadToClear))
        return 0;
    if (spec.use == Use::Status && field.access == Field::Access::WriteOnly)
        return 0;
    const bool isSwitch = spec.unit.empty() && spec.meanings.empty() && spec.use != Use::Data;
    if (isSwitch && field.width != 1)
        return 0;
    if (!spec.unit.empty() && field.width == 1)
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
    if (candidate.name.size() == 1 && isGlued(candidate.name.front(), role, isSwitch))
        byName = std::max(byName, 0.97);
    // Words of the field's own name that the role does not say.
    double beside = 0;
    for (const std::string& word : candidate.name) {
        double known = 0;
        for (const std::string& meant : role)
            known = std::max(known, standsFor(word, meant));
        if (isSwitch && role.front() != "on" && standsFor(word, "enable") > 0.7)
            known = 1; // "TX ON" switches transmitting
        if (candidate.name.size() == 1 && byName > 0.96)
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
        score += field.access == Field::Access::ReadWrite ? -0.1 : 0.05;
    if (wantsInterrupt && field.access != Field::Access::ReadWrite)
        score -= 0.2;
    // Named values that are those of the role say it as well as a name.
    if (!spec.meanings.empty() && !field.values.empty()) {
        int known = 0;
        for (const auto& [names, value] : spec.meanings)
            for (const std::string& name : splitted(names, '|'))
                known += std::any_of(field.values.begin(), field.values.end(),
                                     [&name](const EnumValue& given) { return lowered(given.name) == name; })
                             ? 1
                             : 0;
        if (known >= 2)
            score += 0.1;
        else
            score -= 0.15;
    }
    // The sentence that says what the role is, against the one that says what the field does.
    std::set<std::string> role2, field2(candidate.about.begin(), candidate.about.end());
    for (const std::string& word : wordsOf(spec.about))
        if (!fillers().contains(word))
            role2.insert(word);
    std::size_t shared = 0;
    for (const std::string& word : role2)
        shared += field2.contains(word) ? 1 : 0;
    if (role2.size() >= 3 && shared * 3 >= role2.size() * 2)
        score += 0.1;
    if (score > 0)
        reason = byName > 0.9 ? fmt::format("the name of {} says so", field.name)
                 : !field.about.empty() && byAbout > 0.9
                     ? fmt::format("{}: {}", field.name, inQuotes(field.about))
                     : fmt::format("the names of {} and its register say so", field.name);
    return std::clamp(score, 0.0, 1.0);
}

/// The encoding that a description tells.
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

void rolesOf(const Device& device, std::size_t b, const BlockKind& kind, std::vector<Proposal>& out)
{
    const Block& block = device.blocks[b];
    std::vector<Candidate> candidates;
    for (std::size_t r = 0; r < block.registers.size(); ++r)
        for (std::size_t f = 0; f < block.registers[r].fields.size(); ++f) {
            const Field& field = block.registers[r].fields[f];
            const bool held = std::any_of(block.roles.begin(), block.roles.end(), [&](const auto& role) {
                return std::size_t(role.second.reg) == r && std::size_t(role.second.field) == f;
            });
            if (held)
                continue;
            Candidate c{r, f, wordsOf(field.name), wordsOf(block.registers[r].name), wordsOf(field.about), {}};
            for (const std::vector<std::string>* words : {&c.name, &c.regName})
                for (const std::string& word : *words)
                    if (c.number.empty() && word.find_first_not_of("0123456789") == std::string::npos)
                        c.number = word;
            candidates.push_back(std::move(c));
        }
    // Where most names begin with the same word, it is the block's and says nothing of the field.
    std::map<std::string, std::size_t> firsts;
    for (const Candidate& c : candidates)
        if (c.name.size() > 1)
            ++firsts[c.name.front()];
    for (const auto& [word, count] : firsts)
        if (count >= 4 && count * 10 >= candidates.size() * 6)
            for (Candidate& c : candidates)
                if (c.name.size() > 1 && c.name.front() == word)
                    c.name.erase(c.name.begin());
    // Every field against every role that the block has not named yet.
    struct Wanted {
        std::string role;
        const RoleSpec* spec;
        std::vector<double> scores; ///< by candidate
        std::vector<std::string> reasons;
    };
    std::vector<Wanted> wanted;
    for (const RoleSpec& spec : kind.roles) {
        const bool numbered = spec.name.find('#') != std::string::npos;
        const std::vector<std::string> words = wordsOf(spec.name);
        if (spec.name.find('*') != std::string::npos || words.empty())
            continue;
        // A numbered role is looked for once for each number that the names have.
        std::set<std::string> numbers{""};
        if (numbered) {
            numbers.clear();
            for (const Candidate& c : candidates)
                if (!c.number.empty())
                    numbers.insert(c.number);
        }
        for (const std::string& number : numbers) {
            std::string role = spec.name;
            if (const std::size_t at = role.find('#'); at != std::string::npos)
                role.replace(at, 1, number);
            if (role.find('#') != std::string::npos ||
                std::any_of(block.roles.begin(), block.roles.end(),
                            [&](const auto& known) { return known.first == role; }))
                continue;
            Wanted one{role, &spec, std::vector<double>(candidates.size(), 0),
                       std::vector<std::string>(candidates.size())};
            for (std::size_t c = 0; c < candidates.size(); ++c) {
                const Candidate& candidate = candidates[c];
                if (numbered ? candidate.number != number : !candidate.number.empty() && candidate.name.size() > 1)
                    continue;
                one.scores[c] =
                    fit(spec, words, candidate, block.registers[candidate.reg].fields[candidate.field], one.reasons[c]);
            }
            wanted.push_back(std::move(one));
        }
    }
    // What each field fits best.
    std::vector<double> bestOf(candidates.size(), 0);
    for (const Wanted& one : wanted)
        for (std::size_t c = 0; c < candidates.size(); ++c)
            bestOf[c] = std::max(bestOf[c], one.scores[c]);
    for (const Wanted& one : wanted) {
        const auto top = std::max_element(one.scores.begin(), one.scores.end());
        if (top == one.scores.end() || *top <= 0.5)
            continue;
        const std::size_t c = std::size_t(top - one.scores.begin());
        // Rivals: other fields, but for those that fit another role better; and other roles of this field.
        double rival = 0;
        for (std::size_t other = 0; other < candidates.size(); ++other)
            if (other != c && one.scores[other] + 0.05 > bestOf[other])
                rival = std::max(rival, one.scores[other]);
        for (const Wanted& another : wanted)
            if (&another != &one)
                rival = std::max(rival, another.scores[c]);
        if (rival >= *top)
            continue;
        const double confidence = *top * std::min(1.0, 0.55 + (*top - rival) * 3);
        const Candidate& candidate = candidates[c];
        const Register& reg = block.registers[candidate.reg];
        const Field& field = reg.fields[candidate.field];
        std::string fact = fmt::format("role {} {} = {}.{}", block.name, one.role, reg.name, field.name);
        std::string reason = one.reasons[c];
        if (const std::string encoding = encodingIn(*one.spec, field); !encoding.empty()) {
            fact += ": code " + encoding;
            reason += fmt::format("; its description says how it counts: {}", inQuotes(field.about));
        }
        out.push_back({block.name, fact, reason, std::min(confidence, 0.99)});
    }
}

/// Fields of other blocks that are named like an instance and said to clock or to reset it.
void gatesOf(const Device& device, std::vector<Proposal>& out)
{
    for (std::size_t i = 0; i < device.instances.size(); ++i) {
        const Instance& instance = device.instances[i];
        for (const bool gate : {true, false}) {
            if (gate ? instance.gate.valid() : instance.reset.valid())
                continue;
            std::vector<std::pair<FieldRef, std::string>> found;
            for (std::size_t o = 0; o < device.instances.size(); ++o) {
                if (o == i)
                    continue;
                const Block& block = device.blockOf(InstanceIndex(int(o)));
                for (std::size_t r = 0; r < block.registers.size(); ++r)
                    for (std::size_t f = 0; f < block.registers[r].fields.size(); ++f) {
                        const Register& reg = block.registers[r];
                        const Field& field = reg.fields[f];
                        if (field.width != 1 || field.access != Field::Access::ReadWrite)
                            continue;
                        const std::string name = lowered(field.name), own = lowered(instance.name);
                        const bool whole = name == own;
                        const bool with = gate ? name == own + "en" || name == own + "_en" || name == own + "clk" ||
                                                     name == own + "_clk"
                                               : name == own + "rst" || name == own + "_rst" || name == own + "_reset";
                        if (!whole && !with)
                            continue;
                        std::string said = lowered(reg.name + " " + reg.about + " " + field.about);
                        const std::vector<std::string> words = wordsOf(said);
                        const auto says = [&words](std::initializer_list<const char*> any) {
                            return std::any_of(any.begin(), any.end(), [&words](const char* word) {
                                return std::find(words.begin(), words.end(), word) != words.end();
                            });
                        };
                        const bool clock = says({"clock", "clocks", "gate", "gates", "clk"});
                        const bool reset = says({"reset", "resets", "rst"});
                        if (with || (gate ? clock && !reset : reset && !clock))
                            found.emplace_back(
                                FieldRef{InstanceIndex(int(o)), RegisterIndex(int(r)), FieldIndex(int(f))},
                                field.about.empty() ? reg.about : field.about);
                    }
            }
            if (found.size() != 1)
                continue;
            out.push_back({device.blockOf(InstanceIndex(int(i))).name,
                           fmt::format("instance {}: {} {}", instance.name, gate ? "gate" : "reset",
                                       device.nameOf(found[0].first)),
                           found[0].second.empty()
                               ? fmt::format("{} is named so", device.nameOf(found[0].first))
                               : fmt::format("{}: {}", device.nameOf(found[0].first), inQuotes(found[0].second)),
                           0.9});
        }
    }
}

} // namespace

std::vector<Proposal> proposalsFor(const Device& device)
{
    std::vector<Proposal> out;
    for (std::size_t b = 0; b < device.blocks.size(); ++b) {
        const Block& block = device.blocks[b];
        std::string kind = block.kind;
        if (kind.empty() && !block.registers.empty())
            if (std::optional<Proposal> proposal = kindOf(device, b)) {
                if (proposal->confidence >= kLeastConfidence)
                    kind = proposal->fact.substr(proposal->fact.rfind(' ') + 1);
                out.push_back(*std::move(proposal));
            }
        if (const BlockKind* spec = findBlockKind(kind))
            rolesOf(device, b, *spec, out);
    }
    gatesOf(device, out);
    return out;
}

} // namespace bindrel
