// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/write_summary.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <map>
#include <set>
#include <unordered_map>

namespace bindrel {

namespace {

constexpr std::size_t kMostNamed = 6; ///< decisions and constants that a sentence lists

/// The name behind "#define", and its value.
std::optional<std::pair<std::string, std::string>> constantIn(const std::string& line)
{
    constexpr std::string_view kDefine = "#define ";
    if (!line.starts_with(kDefine))
        return std::nullopt;
    const std::size_t name = kDefine.size(), blank = line.find(' ', name);
    if (blank == std::string::npos || line.find('(', name) < blank)
        return std::nullopt;
    std::string value = line.substr(blank + 1);
    if (const std::size_t comment = value.find("/*"); comment != std::string::npos)
        value.resize(comment);
    return std::pair(line.substr(name, blank - name), std::string(trimmed(value)));
}

/// "sluice_uplink_start" of the line that begins its definition; empty for any other line.
std::string functionIn(const std::string& line)
{
    const std::size_t open = line.find('(');
    if (line.empty() || line.front() == ' ' || line.front() == '#' || line.front() == '/' || line.ends_with(';') ||
        open == std::string::npos || open == 0)
        return {};
    std::size_t begin = open;
    while (begin > 0 && (std::isalnum(static_cast<unsigned char>(line[begin - 1])) || line[begin - 1] == '_'))
        --begin;
    return line.substr(begin, open - begin);
}

class Summary {
public:
    explicit Summary(const Snapshot& snapshot) : snapshot_(snapshot) {}

    /// The constants whose values a header changes. They are added before what uses them.
    void addConstants(const FileChange& change)
    {
        const SourceFile* file = changedFile(change);
        if (!file || !file->name.ends_with(".h"))
            return;
        std::map<std::string, std::string> before;
        for (const std::string& line : splitted(withLineFeeds(change.before), '\n'))
            if (auto constant = constantIn(line))
                before.insert(*std::move(constant));
        for (const SourceLine& line : file->lines)
            if (const auto now = constantIn(line.text))
                if (const auto was = before.find(now->first); was != before.end() && was->second != now->second) {
                    constants_.push_back(fmt::format("{} {} \u2192 {}", now->first, was->second, now->second));
                    changedNames_.insert(now->first);
                }
    }

    void addLines(const FileChange& change)
    {
        const SourceFile* file = snapshot_.source().find(change.name);
        if (!file || file->owner != SourceFile::Owner::Generated || change.before.empty() ||
            !file->name.ends_with(".c"))
            return;
        std::unordered_map<std::string, int> had;
        for (const std::string& line : splitted(withLineFeeds(change.before), '\n'))
            ++had[line];
        std::string function;
        for (const SourceLine& line : file->lines) {
            if (const std::string begins = functionIn(line.text); !begins.empty())
                function = begins;
            const auto known = had.find(line.text);
            const bool stood = known != had.end() && known->second-- > 0;
            // A comment that tells a new number changes no function.
            if ((!stood && !isComment(line.text)) || namesChanged(line.text))
                changed(*file, line, function);
            if (line.text == "}")
                function.clear();
        }
    }

    std::vector<std::string> sentences() const
    {
        std::vector<std::string> out;
        std::vector<std::string> counts;
        if (!registers_.empty())
            counts.push_back(sayCount(int(registers_.size()), "{} register", "{} registers"));
        if (!functions_.empty())
            counts.push_back(sayCount(int(functions_.size()), "{} function", "{} functions"));
        if (!counts.empty()) {
            const bool one = registers_.size() + functions_.size() == 1;
            out.push_back(fmt::format("{} {}{}.", joined(counts, " and "), one ? "changes" : "change",
                                      causes_.empty() ? "" : ": " + listed(firstOf(causeTexts()))));
        }
        if (!constants_.empty())
            out.push_back(joined(firstOf(constants_), "; ") + ".");
        return out;
    }

private:
    /// Null when it is none of the source's, or stays as it is.
    const SourceFile* changedFile(const FileChange& change) const
    {
        const SourceFile* file = snapshot_.source().find(change.name);
        const bool taken =
            file && file->owner == SourceFile::Owner::Generated && !change.before.empty() && change.touchesDisk();
        return taken ? file : nullptr;
    }

    static bool isComment(std::string_view line)
    {
        const std::string_view text = trimmed(line);
        return text.empty() || text.starts_with("/*") || text.starts_with("* ");
    }

    /// Whether a line uses a constant that has another value now.
    bool namesChanged(std::string_view line) const
    {
        const auto isWord = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_'; };
        for (std::size_t at = 0; at < line.size() && !changedNames_.empty();) {
            std::size_t end = at;
            while (end < line.size() && isWord(line[end]))
                ++end;
            if (end > at && changedNames_.contains(line.substr(at, end - at)))
                return true;
            at = end + 1;
        }
        return false;
    }

    void changed(const SourceFile& file, const SourceLine& line, const std::string& function)
    {
        if (!function.empty())
            functions_.insert(function);
        std::optional<std::pair<int, int>> reg;
        if (line.step && line.step->instance >= 0) {
            reg.emplace(line.step->instance, line.step->reg);
            registers_.insert(*reg);
        }
        if (line.trace >= 0 && reg)
            causes_[nameOf(file.traces[std::size_t(line.trace)].place)].insert(*reg);
    }

    std::string nameOf(const Place& place) const
    {
        const Need* need = snapshot_.plan.need(place.kind == Place::Kind::Pad ? place.sub : place.id);
        if (need)
            return need->title;
        const ClockIndex clock =
            place.kind == Place::Kind::Clock ? snapshot_.device->findClock(place.id) : ClockIndex();
        return clock < 0 ? place.id : snapshot_.device->clocks[clock].name;
    }

    /// The decision with the most registers first.
    std::vector<std::string> causeTexts() const
    {
        std::vector<std::pair<std::string, std::size_t>> sorted;
        for (const auto& [name, registers] : causes_)
            sorted.emplace_back(name, registers.size());
        std::stable_sort(sorted.begin(), sorted.end(),
                         [](const auto& a, const auto& b) { return a.second > b.second; });
        std::vector<std::string> out;
        for (const auto& [name, count] : sorted)
            out.push_back(fmt::format("{} ({})", name, count));
        return out;
    }

    static std::vector<std::string> firstOf(std::vector<std::string> texts)
    {
        const std::size_t all = texts.size();
        if (all > kMostNamed) {
            texts.resize(kMostNamed);
            texts.push_back(say("{} more", all - kMostNamed));
        }
        return texts;
    }

    const Snapshot& snapshot_;
    std::set<std::pair<int, int>> registers_; ///< instance and register
    std::set<std::string> functions_;
    std::map<std::string, std::set<std::pair<int, int>>> causes_; ///< by the name of what is decided
    std::vector<std::string> constants_;
    std::set<std::string, std::less<>> changedNames_; ///< of constants
};

} // namespace

std::vector<std::string> writeSummary(const Snapshot& snapshot, const OutputPreview& preview)
{
    Summary summary(snapshot);
    for (const FileChange& change : preview.files)
        summary.addConstants(change);
    for (const FileChange& change : preview.files)
        summary.addLines(change);
    return summary.sentences();
}

} // namespace bindrel
