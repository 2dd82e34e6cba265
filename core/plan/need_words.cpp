// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/need_words.h"

#include "core/base/text.h"

#include <algorithm>

namespace bindrel {

namespace {

/// "115,200" as people write it in words: 115200.
std::string withoutGroups(const std::string& text)
{
    size_t at = 0;
    const auto digits = [&] {
        size_t count = 0;
        while (at < text.size() && text[at] >= '0' && text[at] <= '9')
            ++at, ++count;
        return count;
    };
    std::string out;
    if (const size_t head = digits(); head == 0 || head > 3)
        return text;
    out = text.substr(0, at);
    bool grouped = false;
    while (at < text.size() && text[at] == ',') {
        const size_t comma = at++;
        if (digits() != 3)
            return text;
        out += text.substr(comma + 1, 3);
        grouped = true;
    }
    return grouped ? out + text.substr(at) : text;
}

/// Whether a part is meant by a text: its id, its title, or words that stand side by side in its title.
bool isCalled(const Part& part, const std::string& text, bool whole)
{
    const std::string wanted = lowered(text);
    if (lowered(part.id) == wanted || lowered(part.title) == wanted)
        return true;
    return !whole && (" " + lowered(part.title) + " ").find(" " + wanted + " ") != std::string::npos;
}

} // namespace

std::vector<LineWord> lineWords(std::string_view line)
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
            out.push_back({withoutGroups(std::string(line.substr(at, end - at))), false});
            at = end;
        }
    }
    return out;
}

size_t sameWords(const std::vector<LineWord>& words, size_t at, const std::string& phrase)
{
    const std::vector<std::string> wanted = splitted(phrase, ' ');
    for (size_t i = 0; i < wanted.size(); ++i)
        if (at + i >= words.size() || words[at + i].quoted || lowered(words[at + i].text) != wanted[i])
            return 0;
    return wanted.size();
}

KindCalled kindCalled(const std::vector<LineWord>& words, size_t at)
{
    KindCalled out;
    for (const KindSpec& kind : kinds()) {
        for (const std::string& name : {kind.id, lowered(kind.title)})
            if (const size_t taken = sameWords(words, at, name); taken > out.words)
                out = {&kind, taken, nullptr};
        for (const PhraseSpec& name : kind.otherNames)
            if (const size_t taken = sameWords(words, at, name.words); taken > out.words)
                out = {&kind, taken, &name};
    }
    return out;
}

std::vector<std::string> kindIds()
{
    std::vector<std::string> out;
    for (const KindSpec& kind : kinds())
        out.push_back(kind.id);
    return out;
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
        // "duty 40 %": the first of several needs no number.
        if (same > 0 && same + 1 == title.size() && title.back() == "1" && same > best.second)
            best = {&goal, same};
    }
    return best;
}

bool isJoint(const LineWord& word)
{
    return !word.quoted &&
           (lowered(word.text) == "for" || lowered(word.text) == "called" || lowered(word.text) == "on");
}

} // namespace bindrel
