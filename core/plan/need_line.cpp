// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/need_line.h"

#include "core/base/text.h"
#include "core/device/board.h"
#include "core/device/device.h"
#include "core/plan/kind.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

struct LineWord {
    std::string text;
    bool quoted = false;
};

std::vector<LineWord> wordsOf(std::string_view line)
{
    std::vector<LineWord> out;
    size_t at = 0;
    while (at < line.size()) {
        if (line[at] == ' ' || line[at] == '\t') {
            ++at;
        } else if (line[at] == '"') {
            const size_t end = std::min(line.find('"', at + 1), line.size());
            out.push_back({std::string(line.substr(at + 1, end - at - 1)), true});
            at = end + 1;
        } else {
            const size_t end = std::min(line.find_first_of(" \t", at), line.size());
            out.push_back({std::string(line.substr(at, end - at)), false});
            at = end;
        }
    }
    return out;
}

const KindSpec* kindCalled(const std::string& word)
{
    for (const KindSpec& kind : kinds())
        if (kind.id == lowered(word) || lowered(kind.title) == lowered(word))
            return &kind;
    return nullptr;
}

std::vector<std::string> kindIds()
{
    std::vector<std::string> out;
    for (const KindSpec& kind : kinds())
        out.push_back(kind.id);
    return out;
}

/// Whether a part is meant by a text: its id, its title, or words that stand side by side in its title.
bool isCalled(const Part& part, const std::string& text, bool whole)
{
    const std::string wanted = lowered(text);
    if (lowered(part.id) == wanted || lowered(part.title) == wanted)
        return true;
    return !whole && (" " + lowered(part.title) + " ").find(" " + wanted + " ") != std::string::npos;
}

std::vector<const Part*> partsCalled(const Board& board, const std::string& text)
{
    std::vector<const Part*> out;
    for (const bool whole : {true, false}) {
        for (const Part& part : board.parts)
            if (isCalled(part, text, whole))
                out.push_back(&part);
        if (!out.empty())
            break;
    }
    return out;
}

std::vector<std::string> partTitles(const Board& board)
{
    std::vector<std::string> out{"firmware"};
    for (const Part& part : board.parts)
        out.push_back(part.title);
    return out;
}

/// A goal's value in the kind's own spelling, when the text is one; a choice also by its beginning, when only one
/// begins so.
std::optional<std::string> asValue(const GoalSpec& goal, const std::string& text)
{
    if (goal.type == GoalSpec::Type::Choice) {
        std::vector<std::string> begun;
        for (const std::string& choice : goal.choices) {
            if (lowered(choice) == lowered(text))
                return choice;
            if (text.size() >= 3 && lowered(choice).starts_with(lowered(text)))
                begun.push_back(choice);
        }
        return begun.size() == 1 ? std::optional<std::string>(begun.front()) : std::nullopt;
    }
    const Expected<std::string> checked = checkGoal(goal, text);
    return checked ? std::optional<std::string>(*checked) : std::nullopt;
}

/// Whether a value that stands alone can be meant for the goal. A bare number is never a time or a tolerance, and free
/// text only goes to a goal that is named.
bool canBeMeant(const GoalSpec& goal, const std::string& text)
{
    using T = GoalSpec::Type;
    if (goal.type == T::Name || goal.type == T::Text)
        return false;
    if (goal.type != T::Choice) {
        const char first = text.empty() ? ' ' : text.front();
        const bool sign = text.starts_with("\u00b1") || first == '+';
        if (goal.type == T::Tolerance ? !sign && text.find("ppm") == std::string::npos
                                      : !(first >= '0' && first <= '9'))
            return false;
        // "460.8k" is a rate, "4 s" a time.
        if ((goal.type == T::Duration && !text.ends_with('s')) ||
            (goal.type == T::Ratio && text.ends_with('s') && goal.rare))
            return false;
    }
    return asValue(goal, text).has_value();
}

/// What a word, with the ones behind it, names among the goals: how many words that takes, 0 for none.
std::pair<const GoalSpec*, size_t> goalNamed(const KindSpec& kind, const std::vector<LineWord>& words, size_t at)
{
    std::pair<const GoalSpec*, size_t> best{nullptr, 0};
    std::string plain = lowered(words[at].text);
    std::replace(plain.begin(), plain.end(), '-', '_');
    for (const GoalSpec& goal : kind.goals) {
        if (plain == goal.id && best.second < 1)
            best = {&goal, 1};
        const std::vector<std::string> title = splitted(lowered(goal.title), ' ');
        if (lowered(words[at].text) == joined(title, "-") && best.second < 1)
            best = {&goal, 1};
        size_t same = 0;
        while (same < title.size() && at + same < words.size() && lowered(words[at + same].text) == title[same])
            ++same;
        if (same == title.size() && same > best.second)
            best = {&goal, same};
    }
    return best;
}

bool isJoint(const LineWord& word)
{
    return !word.quoted &&
           (lowered(word.text) == "for" || lowered(word.text) == "called" || lowered(word.text) == "on");
}

class LineReader {
public:
    LineReader(const std::vector<LineWord>& words, const Device& device, const Board& board)
        : words_(words), device_(device), board_(board)
    {
    }

    /// Tolerant: reads on behind a word that cannot be read, for completion.
    Expected<StatedNeed> read(bool tolerant)
    {
        if (words_.empty())
            return problemOf("Begin with a kind of need, as in: uart 460.8k rts/cts for modem.");
        kind_ = kindCalled(words_[0].text);
        if (!kind_)
            return problemOf(fmt::format("\"{}\" is not a kind of need.{}", words_[0].text,
                                         didYouMean(lowered(words_[0].text), kindIds())));
        out_.kind = kind_->id;
        at_ = 1;
        while (at_ < words_.size()) {
            const size_t before = at_;
            const Outcome done = one();
            if (!done && !tolerant)
                return done.problem();
            if (!done)
                at_ = before + 1;
        }
        if (!tolerant) {
            Need need;
            need.kind = out_.kind;
            need.goals = out_.goals;
            for (const auto& [goal, value] : out_.goals)
                if (!matters(need, goal))
                    return problemOf(fmt::format("{} does not apply with the other goals in this line{}.",
                                                 kind_->goal(goal)->title, whatMakesMatter(need, goal)));
        }
        return out_;
    }

    const KindSpec* kind() const { return kind_; }

private:
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
                    return fmt::format("; it applies with {} {}", other.id, value);
            }
        }
        return {};
    }

    Outcome one()
    {
        const std::string word = lowered(words_[at_].text);
        if (isJoint(words_[at_]))
            return word == "for" ? readPart() : word == "on" ? readCore() : readTitle();
        if (!words_[at_].quoted)
            if (const auto [goal, taken] = goalNamed(*kind_, words_, at_); goal && !fitsAlone()) {
                at_ += taken;
                return readValueOf(*goal);
            }
        return readFreeValue();
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
            return problemOf(fmt::format("{} is stated twice: {} and {}.", goal.title, said->second, value));
        out_.goals[goal.id] = value;
        at_ += words;
        return {};
    }

    Outcome readValueOf(const GoalSpec& goal)
    {
        if (left() == 0)
            return problemOf(fmt::format("{} has no value; write it behind the name, as in: {} {}.", goal.title,
                                         goal.id, goal.choices.empty() ? goal.fallback : goal.choices.front()));
        for (size_t count = std::min<size_t>(3, left()); count > 0; --count) {
            // Free text is one word or what stands in quotes.
            if (count > 1 && (goal.type == GoalSpec::Type::Text || goal.type == GoalSpec::Type::Name))
                continue;
            if (const std::optional<std::string> value = asValue(goal, some(count)))
                return state(goal, *value, count);
        }
        return problemOf(fmt::format("{}: {}", goal.title, checkGoal(goal, words_[at_].text).problem().message));
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
                    fmt::format("\"{}\" fits {} goals; write one of: {}.", text, fits.size(), joined(names, ", ")));
            }
            return state(*fits.front(), *asValue(*fits.front(), text), count);
        }
        for (const GoalSpec& goal : kind_->goals)
            if (out_.goals.contains(goal.id) && canBeMeant(goal, words_[at_].text))
                return problemOf(fmt::format("\"{}\" is one too many: {} is {} already.", words_[at_].text,
                                             lowered(goal.title), out_.goals.at(goal.id)));
        std::vector<std::string> known{"for", "called", "on"};
        for (const GoalSpec& goal : kind_->goals) {
            known.push_back(goal.id);
            known.push_back(joined(splitted(lowered(goal.title), ' '), "-"));
            known.insert(known.end(), goal.choices.begin(), goal.choices.end());
        }
        return problemOf(fmt::format("\"{}\" is neither a goal of the kind {} nor a value of one.{}", words_[at_].text,
                                     kind_->title, didYouMean(words_[at_].text, known)));
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
                return problemOf(fmt::format("\"{}\" could mean {}; write more of the title.", text, listed(titles)));
            }
            if (found.size() == 1) {
                out_.part = found.front()->id;
                at_ += count;
                return {};
            }
        }
        const std::string named = untilJoint();
        if (at_ == begin)
            return problemOf("For which part? Write its title, or firmware, behind \"for\".");
        return problemOf(fmt::format("The board has no part \"{}\".{}", named, didYouMean(named, partTitles(board_))));
    }

    Outcome readCore()
    {
        ++at_;
        std::vector<std::string> ids;
        for (const Core& core : device_.cores)
            ids.push_back(core.id);
        const std::string wanted = left() ? words_[at_].text : std::string();
        const auto found =
            std::find_if(ids.begin(), ids.end(), [&](const std::string& id) { return lowered(id) == lowered(wanted); });
        if (found == ids.end())
            return problemOf(fmt::format("\"{}\" is not a core of this chip; it has {}.{}", wanted, listed(ids),
                                         didYouMean(wanted, ids)));
        ++at_;
        out_.core = found == ids.begin() ? std::string() : *found;
        return {};
    }

    Outcome readTitle()
    {
        ++at_;
        out_.title = left() && words_[at_].quoted ? words_[at_++].text : untilJoint();
        if (out_.title.empty())
            return problemOf("Called what? Write the title behind \"called\".");
        if (out_.title.size() > 60)
            return problemOf("The title is longer than 60 characters.");
        return {};
    }

    const std::vector<LineWord>& words_;
    const Device& device_;
    const Board& board_;
    const KindSpec* kind_ = nullptr;
    size_t at_ = 0;
    StatedNeed out_;
};

} // namespace

Expected<StatedNeed> parseNeedLine(std::string_view line, const Device& device, const Board& board)
{
    if (line.size() > 1000 || !isUtf8(line))
        return problemOf("The line is longer than 1000 characters, or not text.");
    const std::vector<LineWord> words = wordsOf(line);
    return LineReader(words, device, board).read(false);
}

NextWords nextWords(std::string_view line, const Device& device, const Board& board)
{
    NextWords out;
    const size_t last = line.find_last_of(" \t");
    out.before = std::string(last == std::string_view::npos ? "" : line.substr(0, last + 1));
    const std::vector<LineWord> words = wordsOf(out.before);
    if (words.empty()) {
        out.words = kindIds();
        return out;
    }
    LineReader reader(words, device, board);
    const Expected<StatedNeed> so = reader.read(true);
    if (!so)
        return out;
    const std::string before = lowered(words.back().text);
    if (before == "for") {
        out.words = partTitles(board);
        return out;
    }
    if (before == "on") {
        for (const Core& core : device.cores)
            out.words.push_back(core.id);
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
    if (stated.part) {
        const Part* part = board.part(*stated.part);
        out += ", for " + (part ? part->title : std::string("the firmware itself"));
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
    need.title = stated.title.empty() ? freeNeedTitle(plan, part ? part->title : kind->title) : stated.title;
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
