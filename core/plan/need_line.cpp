// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/need_line.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/board.h"
#include "core/device/device.h"
#include "core/plan/need_words.h"

#include <fmt/format.h>

#include <algorithm>
#include <tuple>

namespace bindrel {

namespace {

class LineReader {
public:
    LineReader(std::vector<LineWord> words, const Device& device, const Board& board)
        : words_(std::move(words)), device_(device), board_(board)
    {
    }

    /// Tolerant: reads on behind a word that cannot be read, for completion.
    Expected<StatedNeed> read(bool tolerant)
    {
        if (words_.empty())
            return problemOf(say("Begin with a kind of need, as in: uart 460.8k rts/cts for modem."));
        if (const Outcome found = findKind(); !found)
            return found.problem();
        while (at_ < words_.size()) {
            const size_t before = at_;
            const Outcome done = one();
            if (!done && !tolerant)
                return done.problem();
            if (!done)
                at_ = before + 1;
        }
        // What the kind's name implies gives way to what is stated.
        if (called_)
            for (const auto& [goal, value] : called_->goals)
                out_.goals.try_emplace(goal, value);
        if (!tolerant) {
            Need need;
            need.kind = out_.kind;
            need.goals = out_.goals;
            for (const auto& [goal, value] : out_.goals)
                if (!matters(need, goal))
                    return problemOf(say("{} does not apply with the other goals in this line{}.",
                                         kind_->goal(goal)->title, whatMakesMatter(need, goal)));
        }
        return out_;
    }

    const KindSpec* kind() const { return kind_; }

private:
    /// Takes the kind's name out of the words, wherever it stands before "for", "called" and "on".
    Outcome findKind()
    {
        KindCalled found;
        size_t where = 0;
        for (size_t at = 0; at < words_.size() && !found.kind && !isJoint(words_[at]) && !words_[at].quoted; ++at)
            if (found = kindCalled(words_, at); found.kind)
                where = at;
        if (!found.kind) {
            std::vector<std::string> known = kindIds();
            for (const KindSpec& kind : kinds())
                for (const PhraseSpec& name : kind.otherNames)
                    known.push_back(name.words);
            return problemOf(say("\"{}\" is not a kind of need.{} Kinds are {}.", words_[0].text,
                                 didYouMean(lowered(words_[0].text), known), listed(kindIds())));
        }
        kind_ = found.kind;
        called_ = found.name;
        out_.kind = kind_->id;
        out_.calledKind = called_ ? called_->title : std::string();
        words_.erase(words_.begin() + long(where), words_.begin() + long(where + found.words));
        return {};
    }

    /// "; it does with pairs 1", when one choice would do.
    std::string whatMakesMatter(const Need& need, const std::string& goal) const
    {
        for (const GoalSpec& other : kind_->goals) {
            std::vector<std::string> values = other.choices;
            if (other.type == GoalSpec::Type::Integer && other.min < other.max)
                values = {std::to_string(other.min + 1)};
            for (const std::string& value : values) {
                Need tried = need;
                tried.goals.state(other.id, value);
                if (matters(tried, goal))
                    return say("; it applies with {} {}", other.id, value);
            }
        }
        return {};
    }

    Outcome one()
    {
        const std::string word = lowered(words_[at_].text);
        if (isJoint(words_[at_]))
            return word == "for" ? readPart() : word == "on" ? readPlace() : readTitle();
        if (word == "core" && at_ + 1 < words_.size() && isCore(words_[at_ + 1].text))
            return readPlace();
        if (const PhraseSpec* phrase = phraseHere())
            return stateAll(*phrase);
        if (!words_[at_].quoted && isSize(word))
            return readSize(word);
        if (const auto [goal, count] = valueBeforeName(); goal)
            return state(*goal, *asValue(*goal, some(count)), count + goalNamed(*kind_, words_, at_ + count).second);
        if (!words_[at_].quoted)
            if (auto [goal, taken] = goalNamed(*kind_, words_, at_); goal && !fitsAlone()) {
                // "dma interrupt": two switches, where no value of the goal "DMA interrupt" follows.
                const GoalSpec* alone = kind_->goal(word);
                if (taken > 1 && alone && switchedOn(*alone) && !out_.goals.contains(word) &&
                    (at_ + taken >= words_.size() || !asValue(*goal, words_[at_ + taken].text)))
                    std::tie(goal, taken) = std::pair(alone, size_t(1));
                at_ += taken;
                return readValueOf(*goal);
            }
        return readFreeValue();
    }

    const PhraseSpec* phraseHere() const
    {
        // The goal's own name with a value behind it says more: "open drain no".
        if (const auto [goal, taken] = goalNamed(*kind_, words_, at_);
            goal && at_ + taken < words_.size() && asValue(*goal, words_[at_ + taken].text))
            return nullptr;
        const PhraseSpec* best = nullptr;
        size_t most = 0;
        for (const PhraseSpec& phrase : kind_->phrases)
            if (const size_t taken = sameWords(words_, at_, phrase.words); taken > most) {
                most = taken;
                best = &phrase;
            }
        return best;
    }
    Outcome stateAll(const PhraseSpec& phrase)
    {
        const size_t words = splitted(phrase.words, ' ').size();
        for (const auto& [goal, value] : phrase.goals)
            if (const Outcome stated = state(*kind_->goal(goal), value, 0); !stated)
                return stated;
        at_ += words;
        return {};
    }

    /// "4x8" of a kind that has such a size.
    bool isSize(const std::string& word) const
    {
        const size_t x = word.find('x');
        const auto number = [](std::string_view text) {
            return !text.empty() && text.size() < 4 && text.find_first_not_of("0123456789") == std::string_view::npos;
        };
        return !kind_->sizeGoals.first.empty() && x != std::string::npos &&
               number(std::string_view(word).substr(0, x)) && number(std::string_view(word).substr(x + 1));
    }
    Outcome readSize(const std::string& word)
    {
        const size_t x = word.find('x');
        const std::pair<std::string, std::string> parts[] = {{kind_->sizeGoals.first, word.substr(0, x)},
                                                             {kind_->sizeGoals.second, word.substr(x + 1)}};
        for (const auto& [id, value] : parts) {
            const GoalSpec& goal = *kind_->goal(id);
            const Expected<std::string> checked = checkGoal(goal, value);
            if (!checked)
                return problemOf(fmt::format("{}: {}", say(goal.title), checked.problem().message));
            if (const Outcome stated = state(goal, *checked, 0); !stated)
                return stated;
        }
        ++at_;
        return {};
    }

    /// "4 inputs": a value with the name of its goal behind it, unless that name has a value of its own.
    std::pair<const GoalSpec*, size_t> valueBeforeName() const
    {
        for (size_t count = std::min<size_t>(2, left()); count > 0; --count) {
            if (at_ + count >= words_.size() || words_[at_].quoted || isJoint(words_[at_]))
                continue;
            const auto [goal, taken] = goalNamed(*kind_, words_, at_ + count);
            if (!goal || goal->type == GoalSpec::Type::Choice || goal->type == GoalSpec::Type::Text ||
                goal->type == GoalSpec::Type::Name || out_.goals.contains(goal->id) || !asValue(*goal, some(count)))
                continue;
            const size_t behind = at_ + count + taken;
            if (behind < words_.size() && asValue(*goal, words_[behind].text))
                continue;
            return {goal, count};
        }
        return {nullptr, 0};
    }

    /// What a switch means that is named without a value: "dma", "interrupt"; none where it could be several.
    static std::optional<std::string> switchedOn(const GoalSpec& goal)
    {
        if (goal.type != GoalSpec::Type::Choice)
            return std::nullopt;
        for (const char* on : {"yes", "both"})
            if (std::find(goal.choices.begin(), goal.choices.end(), on) != goal.choices.end())
                return std::string(on);
        if (goal.choices.size() == 2 && (goal.choices[0] == "none" || goal.choices[0] == "no"))
            return goal.choices[1];
        return std::nullopt;
    }

    /// Several words are one value where that can be read: "4 s", "48 MHz ±0.25 %".
    std::string some(size_t count) const
    {
        std::string out;
        for (size_t i = at_; i < std::min(at_ + count, words_.size()); ++i)
            out += (i > at_ ? " " : "") + words_[i].text;
        return out;
    }
    size_t left() const { return words_.size() - at_; }

    bool fitsAlone() const
    {
        return std::any_of(kind_->goals.begin(), kind_->goals.end(), [&](const GoalSpec& goal) {
            return !out_.goals.contains(goal.id) && canBeMeant(goal, words_[at_].text);
        });
    }

    Outcome state(const GoalSpec& goal, const std::string& value, size_t words)
    {
        if (const auto said = out_.goals.find(goal.id); said != out_.goals.end())
            return problemOf(say("{} is stated twice: {} and {}.", say(goal.title), said->second, value));
        out_.goals[goal.id] = value;
        at_ += words;
        return {};
    }

    Outcome readValueOf(const GoalSpec& goal)
    {
        const std::optional<std::string> on = switchedOn(goal);
        if (on && (left() == 0 || !asValue(goal, words_[at_].text)))
            return state(goal, *on, 0);
        if (left() == 0)
            return problemOf(say("{} has no value; write it behind the name, as in: {} {}.", say(goal.title), goal.id,
                                 goal.choices.empty() ? goal.fallback : goal.choices.front()));
        for (size_t count = std::min<size_t>(3, left()); count > 0; --count) {
            // Free text is one word or what stands in quotes.
            if (count > 1 && (goal.type == GoalSpec::Type::Text || goal.type == GoalSpec::Type::Name))
                continue;
            if (const std::optional<std::string> value = asValue(goal, some(count)))
                return state(goal, *value, count);
        }
        return problemOf(fmt::format("{}: {}", say(goal.title), checkGoal(goal, words_[at_].text).problem().message));
    }

    Outcome readFreeValue()
    {
        for (size_t count = std::min<size_t>(3, left()); count > 0; --count) {
            const std::string text = some(count);
            std::vector<const GoalSpec*> usual, rare;
            for (const GoalSpec& goal : kind_->goals)
                if (!out_.goals.contains(goal.id) && canBeMeant(goal, text))
                    (goal.rare ? rare : usual).push_back(&goal);
            const std::vector<const GoalSpec*>& fits = usual.empty() ? rare : usual;
            if (fits.empty())
                continue;
            if (fits.size() > 1 && fits.front()->type == GoalSpec::Type::Choice) {
                std::vector<std::string> names;
                for (const GoalSpec* goal : fits)
                    names.push_back(fmt::format("{} {}", goal->id, text));
                return problemOf(
                    say("\"{}\" fits {} goals; write one of: {}.", text, fits.size(), joined(names, ", ")));
            }
            return state(*fits.front(), *asValue(*fits.front(), text), count);
        }
        // "crystal HFX": a name is meant where it is that of a clock.
        for (const GoalSpec& goal : kind_->goals)
            for (const ClockNode& clock : device_.clocks)
                if (goal.ofClock && !out_.goals.contains(goal.id) && clock.isSource() &&
                    lowered(clock.id) == lowered(words_[at_].text))
                    return state(goal, clock.id, 1);
        for (const GoalSpec& goal : kind_->goals)
            if (out_.goals.contains(goal.id) && canBeMeant(goal, words_[at_].text))
                return problemOf(say("\"{}\" is one too many: {} is {} already.", words_[at_].text,
                                     lowered(say(goal.title)), out_.goals.at(goal.id)));
        std::vector<std::string> known{"for", "called", "on"};
        for (const GoalSpec& goal : kind_->goals) {
            known.push_back(goal.id);
            known.push_back(joined(splitted(lowered(goal.title), ' '), "-"));
            known.insert(known.end(), goal.choices.begin(), goal.choices.end());
        }
        for (const GoalSpec& goal : kind_->goals)
            for (const ClockNode& clock : device_.clocks)
                if (goal.ofClock && clock.isSource())
                    known.push_back(clock.id);
        std::vector<std::string> here;
        for (const GoalSpec& goal : kind_->goals)
            if (!goal.rare && !out_.goals.contains(goal.id))
                here.push_back(goal.id);
        return problemOf(say("\"{}\" is neither a goal of the kind {} nor a value of one.{} Goals are {}.",
                             words_[at_].text, kind_->title, didYouMean(words_[at_].text, known),
                             here.empty() ? say("all stated") : listed(here)));
    }

    /// The words up to the next joint.
    std::string untilJoint()
    {
        std::string out;
        while (at_ < words_.size() && !isJoint(words_[at_]))
            out += (out.empty() ? "" : " ") + words_[at_++].text;
        return out;
    }

    Outcome readPart()
    {
        const size_t begin = ++at_;
        // As many words as make a part; what is behind them may be goals again.
        for (size_t count = left(); count > 0; --count) {
            const std::string text = some(count);
            if (lowered(text) == "firmware" || lowered(text) == "the firmware") {
                out_.part = "";
                at_ += count;
                return {};
            }
            const std::vector<const Part*> found = partsCalled(board_, text);
            if (found.size() > 1) {
                std::vector<std::string> titles;
                for (const Part* part : found)
                    titles.push_back(part->title);
                return problemOf(say("\"{}\" could mean {}; write more of the title.", text, listed(titles)));
            }
            if (found.size() == 1) {
                out_.part = found.front()->id;
                at_ += count;
                return {};
            }
        }
        const std::string named = untilJoint();
        if (at_ == begin)
            return problemOf(say("For which part? Write its title, or firmware, behind \"for\"."));
        return problemOf(say("The board has no part \"{}\".{}", named, didYouMean(named, partTitles(board_))));
    }

    /// "PA2/PA3" as the device spells its pads; empty when one of them is none.
    std::vector<std::string> padsIn(const std::string& text) const
    {
        std::vector<std::string> out;
        std::string rest = text;
        std::replace(rest.begin(), rest.end(), ',', '/');
        for (const std::string& name : splitted(rest, '/')) {
            const auto pad = std::find_if(device_.pads.begin(), device_.pads.end(),
                                          [&](const Pad& p) { return lowered(p.name) == lowered(name); });
            if (pad == device_.pads.end() || std::find(out.begin(), out.end(), pad->name) != out.end())
                return {};
            out.push_back(pad->name);
        }
        return out;
    }

    bool isCore(std::string_view word) const
    {
        return std::any_of(device_.cores.begin(), device_.cores.end(),
                           [&word](const Core& core) { return lowered(core.id) == lowered(word); });
    }

    Outcome readPlace()
    {
        ++at_;
        if (at_ + 1 < words_.size() && lowered(words_[at_].text) == "core" && isCore(words_[at_ + 1].text))
            ++at_;
        std::vector<std::string> ids;
        for (const Core& core : device_.cores)
            ids.push_back(core.id);
        const std::string wanted = left() ? words_[at_].text : std::string();
        const auto found =
            std::find_if(ids.begin(), ids.end(), [&](const std::string& id) { return lowered(id) == lowered(wanted); });
        if (found != ids.end()) {
            ++at_;
            out_.core = found == ids.begin() ? std::string() : *found;
            return {};
        }
        if (wanted.empty())
            return problemOf(
                say("On which core or pads? Write {}, or pads as in PA2/PA3, behind \"on\".", listed(ids)));
        const std::vector<std::string> pads = padsIn(wanted);
        if (pads.empty()) {
            std::vector<std::string> known = ids;
            for (const Pad& pad : device_.pads)
                known.push_back(pad.name);
            return problemOf(
                say("\"{}\" is neither a core of this chip ({}) nor one or several of its pads, as in PA2/PA3.{}",
                    wanted, listed(ids), didYouMean(wanted, known)));
        }
        ++at_;
        for (const std::string& pad : pads)
            out_.pads.push_back(pad);
        return {};
    }

    Outcome readTitle()
    {
        ++at_;
        out_.title = left() && words_[at_].quoted ? words_[at_++].text : untilJoint();
        if (out_.title.empty())
            return problemOf(say("Called what? Write the title behind \"called\"."));
        if (out_.title.size() > 60)
            return problemOf(say("The title is longer than 60 characters."));
        return {};
    }

    std::vector<LineWord> words_; ///< without those that name the kind
    const Device& device_;
    const Board& board_;
    const KindSpec* kind_ = nullptr;
    const PhraseSpec* called_ = nullptr;
    size_t at_ = 0;
    StatedNeed out_;
};

} // namespace

Expected<StatedNeed> parseNeedLine(std::string_view line, const Device& device, const Board& board)
{
    if (line.size() > 1000 || !isUtf8(line))
        return problemOf(say("The line is longer than 1000 characters, or not text."));
    const std::vector<LineWord> words = lineWords(line);
    return LineReader(words, device, board).read(false);
}

NextWords nextWords(std::string_view line, const Device& device, const Board& board)
{
    NextWords out;
    const size_t last = line.find_last_of(" \t");
    out.before = std::string(last == std::string_view::npos ? "" : line.substr(0, last + 1));
    const std::vector<LineWord> words = lineWords(out.before);
    if (words.empty()) {
        out.words = kindIds();
        return out;
    }
    LineReader reader(words, device, board);
    const Expected<StatedNeed> so = reader.read(true);
    if (!so) {
        out.words = kindIds(); // "500 ms " is still to be of a kind
        return out;
    }
    const std::string before = lowered(words.back().text);
    if (before == "for") {
        out.words = partTitles(board);
        return out;
    }
    if (before == "on") {
        for (const Core& core : device.cores)
            out.words.push_back(core.id);
        for (const Pad& pad : device.pads)
            out.words.push_back(pad.name);
        return out;
    }
    if (before == "called")
        return out;
    if (const auto [goal, taken] = goalNamed(*reader.kind(), words, words.size() - 1);
        goal && words.size() > 1 && !so->goals.contains(goal->id)) {
        out.words = goal->choices;
        if (out.words.empty() && !goal->fallback.empty())
            out.words.push_back(goal->fallback);
        return out;
    }
    Need need;
    need.kind = so->kind;
    need.goals = so->goals;
    for (const bool rare : {false, true})
        for (const GoalSpec& goal : reader.kind()->goals) {
            if (goal.rare != rare || so->goals.contains(goal.id) || !matters(need, goal.id))
                continue;
            if (!rare)
                for (const std::string& choice : goal.choices)
                    if (choice != goal.fallback)
                        out.words.push_back(lowered(choice));
            out.words.push_back(goal.id);
        }
    if (!so->part)
        out.words.push_back("for");
    if (so->title.empty())
        out.words.push_back("called");
    if (device.cores.size() > 1 && so->core.empty())
        out.words.push_back("on");
    // The same word of two goals is offered once.
    std::vector<std::string> once;
    for (std::string& word : out.words)
        if (std::find(once.begin(), once.end(), word) == once.end())
            once.push_back(std::move(word));
    out.words = std::move(once);
    return out;
}

std::string describe(const StatedNeed& stated, const Board& board)
{
    const KindSpec* kind = findKind(stated.kind);
    std::string out = kind->title;
    for (const GoalSpec& goal : kind->goals)
        if (const auto said = stated.goals.find(goal.id); said != stated.goals.end())
            out += fmt::format(", {} {}", lowered(goal.title), said->second);
    if (!stated.core.empty())
        out += ", on " + stated.core;
    if (!stated.pads.empty())
        out += ", on " + joined(stated.pads, "/");
    if (stated.part) {
        const Part* part = board.part(*stated.part);
        out += ", for " + (part ? part->title : std::string(say("the firmware itself")));
    }
    return out;
}

Need newNeed(const StatedNeed& stated, const Plan& plan, const Device& device, const Board& board)
{
    const KindSpec* kind = findKind(stated.kind);
    Need need;
    need.kind = stated.kind;
    need.goals = stated.goals;
    need.core = stated.core;
    need.part = stated.part.value_or("");
    const Part* part = board.part(need.part);
    need.title = stated.title.empty() ? freeNeedTitle(plan, part                         ? part->title
                                                            : !stated.calledKind.empty() ? stated.calledKind
                                                                                         : kind->title)
                                      : stated.title;
    need.id = freeNeedId(plan, need.title);
    if (part)
        for (const SignalSpec& signal : signalsOf(need))
            for (const std::string& terminal : part->terminals)
                if (lowered(terminal) == signal.id)
                    need.terminals[signal.id] = terminal;
    // A crystal belongs to the first oscillator that no other need has, so that it can be bound at once.
    if (!kind->instanceGoal.empty() && !need.goals.contains(kind->instanceGoal))
        for (const Instance& instance : device.instances) {
            const bool fits = kind->servedBy(device, device.findInstance(instance.name));
            const bool taken = std::any_of(plan.needs.begin(), plan.needs.end(), [&](const Need& other) {
                return other.kind == need.kind && goalName(other, kind->instanceGoal) == instance.name;
            });
            if (fits && !taken) {
                need.goals.state(kind->instanceGoal, instance.name);
                break;
            }
        }
    return need;
}

} // namespace bindrel
