// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/proposals.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/describe/role_fit.h"
#include "core/describe/trade_words.h"
#include "core/device/block_kind.h"

#include <fmt/format.h>

#include <algorithm>
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

bool saysWord(const std::string& sentence, const std::string& phrase)
{
    const std::size_t at = sentence.find(phrase);
    if (at == std::string::npos)
        return false;
    const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'); };
    return (at == 0 || !letter(sentence[at - 1])) &&
           (at + phrase.size() >= sentence.size() || !letter(sentence[at + phrase.size()]));
}

std::optional<Proposal> kindOf(const Device& device, BlockIndex b)
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
                    hit(words.kind, 0.8, say("{} has the word \"{}\"", name, word));
                    break;
                }
        }
        for (const std::string& phrase : words.phrases)
            if (saysWord(about, phrase)) {
                hit(words.kind, 0.8, say("its description says {}", inQuotes(phrase)));
                break;
            }
    }
    if (hits.empty())
        return std::nullopt;
    const auto best = std::max_element(hits.begin(), hits.end(), [](const auto& one, const auto& other) {
        return one.second.confidence < other.second.confidence;
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

/// The first word that is a number.
std::string numberIn(const std::vector<std::string>& words)
{
    for (const std::string& word : words)
        if (word.find_first_not_of("0123456789") == std::string::npos)
            return word;
    return {};
}

/// Where most names begin with the same word, it is the block's and says nothing of the field.
void dropCommonStart(std::vector<Candidate>& candidates)
{
    constexpr int kWordsOfABlock = 3; // "GENERAL_TIMER_": as many may stand in front
    for (int n = 0; n < kWordsOfABlock; ++n) {
        std::map<std::string, std::size_t> firsts;
        for (const Candidate& c : candidates)
            if (c.name.size() > 1)
                ++firsts[c.name.front()];
        const auto common = std::ranges::find_if(firsts, [&candidates](const auto& first) {
            return first.second >= 4 && first.second * 10 >= candidates.size() * 6;
        });
        if (common == firsts.end())
            return;
        for (Candidate& c : candidates)
            if (c.name.size() > 1 && c.name.front() == common->first)
                c.name.erase(c.name.begin());
    }
}

/// Fields of a block that have no role yet.
std::vector<Candidate> candidatesOf(const Block& block)
{
    std::vector<Candidate> candidates;
    for (const RegisterIndex r : block.registers.indices())
        for (const FieldIndex f : block.registers[r].fields.indices()) {
            const Field& field = block.registers[r].fields[f];
            const bool held = std::any_of(block.roles.begin(), block.roles.end(), [&](const auto& role) {
                return std::size_t(role.second.reg) == r && std::size_t(role.second.field) == f;
            });
            if (held)
                continue;
            Candidate c{r,  f,    wordsOf(field.name), wordsOf(block.registers[r].name), wordsOf(field.about), {},
                        {}, false};
            c.number = numberIn(c.name);
            c.regNumber = numberIn(c.regName);
            std::erase_if(c.name, [&c](const std::string& word) { return c.name.size() > 1 && word == c.number; });
            candidates.push_back(std::move(c));
        }
    const bool accessTold = std::ranges::any_of(block.registers, [](const Register& reg) {
        return std::ranges::any_of(reg.fields, [](const Field& field) {
            return field.access != Field::Access::ReadWrite && field.access != Field::Access::Key;
        });
    });
    for (Candidate& c : candidates)
        c.accessTold = accessTold;
    dropCommonStart(candidates);
    return candidates;
}

/// A role that the block has not named yet, and how well each field fits it.
struct Wanted {
    std::string role;
    const RoleSpec* spec;
    std::vector<double> scores; ///< by candidate
    std::vector<std::string> reasons;
};

std::vector<Wanted> wantedOf(const Block& block, const BlockKind& kind, const std::vector<Candidate>& candidates)
{
    std::vector<Wanted> wanted;
    for (const RoleSpec& spec : kind.roles) {
        const bool numbered = spec.name.find('#') != std::string::npos;
        std::vector<std::string> words = wordsOf(spec.name);
        const std::string own = numberIn(words); // "segment1"
        std::erase(words, own);
        if (spec.name.find('*') != std::string::npos || words.empty())
            continue;
        // A numbered role is looked for once for each number that the names have.
        std::set<std::string> numbers{own};
        if (numbered) {
            numbers.clear();
            for (const Candidate& c : candidates)
                if (!c.anyNumber().empty())
                    numbers.insert(c.anyNumber());
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
                if (!number.empty() ? candidate.anyNumber() != number : !candidate.number.empty())
                    continue;
                one.scores[c] = fit(spec, words, candidate,
                                    block.registers[candidate.reg].fields[FieldIndex(candidate.field)], one.reasons[c]);
            }
            wanted.push_back(std::move(one));
        }
    }
    return wanted;
}

void rolesOf(const Device& device, BlockIndex b, const BlockKind& kind, std::vector<Proposal>& out)
{
    const Block& block = device.blocks[b];
    const std::vector<Candidate> candidates = candidatesOf(block);
    const std::vector<Wanted> wanted = wantedOf(block, kind, candidates);
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
            fact += fmt::format(": code {}", encoding);
            reason += say("; its description says how it counts: {}", inQuotes(field.about));
        }
        out.push_back({block.name, fact, reason, std::min(confidence, 0.99)});
    }
}

/// Fields of other blocks that are named like an instance and said to clock or to reset it.
void gatesOf(const Device& device, std::vector<Proposal>& out)
{
    for (const InstanceIndex i : device.instances.indices()) {
        const Instance& instance = device.instances[i];
        for (const bool gate : {true, false}) {
            if (gate ? instance.gate.valid() : instance.reset.valid())
                continue;
            std::vector<std::pair<FieldRef, std::string>> found;
            for (std::size_t o = 0; o < device.instances.size(); ++o) {
                if (o == i)
                    continue;
                const Block& block = device.blockOf(InstanceIndex(int(o)));
                for (const RegisterIndex r : block.registers.indices())
                    for (const FieldIndex f : block.registers[r].fields.indices()) {
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
                               ? say("{} is named so", device.nameOf(found[0].first))
                               : fmt::format("{}: {}", device.nameOf(found[0].first), inQuotes(found[0].second)),
                           0.9});
        }
    }
}

} // namespace

std::vector<Proposal> proposalsFor(const Device& device)
{
    std::vector<Proposal> out;
    for (const BlockIndex b : device.blocks.indices()) {
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
