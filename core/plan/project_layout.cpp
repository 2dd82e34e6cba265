// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/project_layout.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

constexpr std::size_t kLongestFolder = 100;
/// The seal of a file has to stand among its first 4000 bytes.
constexpr std::size_t kLongestNotice = 1500, kMostLines = 40;

/// A folder below the output folder, with slashes: letters, digits, "_", "-" and ".", so that it means nothing special
/// to a shell, to make or to CMake, and leads nowhere else.
Outcome checkFolder(std::string_view text)
{
    const auto wrong = [&text](std::string_view why) {
        return problemOf(say("\"{}\" {}. Name a folder inside the output folder: \"src\" or \"firmware/src\".",
                             printable(text), why));
    };
    if (text.size() > kLongestFolder)
        return wrong(say("is too long"));
    for (const std::string& part : splitted(text, '/')) {
        if (part.empty())
            return wrong(say("has an empty part"));
        if (part == "..")
            return wrong(say("leads out of the output folder"));
        if (part.front() == '.' || part.front() == '-')
            return wrong(say("has a part that begins with a dot or a hyphen"));
        if (!std::all_of(part.begin(), part.end(), [](char c) {
                return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' ||
                       c == '-' || c == '.';
            }))
            return wrong(say("has a character other than letters, digits, \"_\", \"-\" and \".\""));
    }
    if (const std::string first = splitted(text, '/').front(); first == "build" || first == "build-make")
        return wrong(say("is where the build puts its results"));
    return {};
}

Outcome setFolder(std::string& folder, std::string_view text)
{
    std::string named(trimmed(text));
    while (named.ends_with('/'))
        named.pop_back();
    if (!named.empty())
        if (Outcome legal = checkFolder(named); !legal)
            return legal;
    folder = named;
    return {};
}

/// A value of an enumeration whose texts stand in its order.
template <typename Value>
Outcome setChoice(Value& value, const std::vector<std::string>& choices, std::string_view text)
{
    if (text.empty()) {
        value = Value{};
        return {};
    }
    const auto found = std::find(choices.begin(), choices.end(), text);
    if (found == choices.end())
        return problemOf(say("\"{}\" is not possible; use {} or {}.{}", printable(text),
                             joined({choices.begin(), choices.end() - 1}, ", "), choices.back(),
                             didYouMean(text, choices)));
    value = Value(int(found - choices.begin()));
    return {};
}

template <typename Value> std::string choiceText(Value value, const std::vector<std::string>& choices)
{
    return value == Value{} ? std::string() : choices[std::size_t(value)];
}

const std::vector<std::string> kFileNames{"underscores", "hyphens"};
const std::vector<std::string> kNeedFiles{"a pair per need", "one pair for all"};
const std::vector<std::string> kStandards{"C11", "C99", "C17", "C23"};
const std::vector<std::string> kStyles{"readable", "table"};
const std::vector<std::string> kFormatting{"by .clang-format", "as written"};
const std::vector<std::string> kLineEnds{"as found", "LF", "CRLF"};

Outcome setNotice(ProjectLayout& layout, std::string_view text)
{
    if (text.size() > kLongestNotice)
        return problemOf(say("is longer than {} characters.", kLongestNotice));
    std::string lines = withLineFeeds(text);
    while (!lines.empty() && (lines.back() == '\n' || lines.back() == ' '))
        lines.pop_back();
    if (std::size_t(std::count(lines.begin(), lines.end(), '\n')) >= kMostLines)
        return problemOf(say("has more than {} lines.", kMostLines));
    layout.notice = std::move(lines);
    return {};
}

} // namespace

const std::vector<LayoutSetting>& layoutSettings()
{
    static const std::vector<LayoutSetting> all{
        {"sources_in",
         later("C sources in"),
         later("Folder of the C sources, below the output folder."),
         {},
         [](const ProjectLayout& l) { return l.sources; },
         [](ProjectLayout& l, std::string_view text) { return setFolder(l.sources, text); }},
        {"headers_in",
         later("Headers in"),
         later("Folder of the headers, below the output folder."),
         {},
         [](const ProjectLayout& l) { return l.headers; },
         [](ProjectLayout& l, std::string_view text) { return setFolder(l.headers, text); }},
        {"file_names", later("File names with"), later("How the words of a file's name are joined."), kFileNames,
         [](const ProjectLayout& l) { return choiceText(l.fileNames, kFileNames); },
         [](ProjectLayout& l, std::string_view text) { return setChoice(l.fileNames, kFileNames, text); }},
        {"need_files", later("Files of needs"),
         later("Whether each need has a C source and a header, or all share one pair."), kNeedFiles,
         [](const ProjectLayout& l) { return choiceText(l.needFiles, kNeedFiles); },
         [](ProjectLayout& l, std::string_view text) { return setChoice(l.needFiles, kNeedFiles, text); }},
        {"c_standard", later("C standard"), later("Edition of ISO 9899 that the written C keeps to."), kStandards,
         [](const ProjectLayout& l) { return choiceText(l.standard, kStandards); },
         [](ProjectLayout& l, std::string_view text) { return setChoice(l.standard, kStandards, text); }},
        {"style", "Style",
         later("Readable: a statement for each register. Table: rows of values that one function writes in the same "
               "order, "
               "in less flash."),
         kStyles, [](const ProjectLayout& l) { return choiceText(l.style, kStyles); },
         [](ProjectLayout& l, std::string_view text) { return setChoice(l.style, kStyles, text); }},
        {"formatting", "Formatting",
         later(
             "By the .clang-format file in or above the output folder, where there is one; else as Bindrel writes it."),
         kFormatting, [](const ProjectLayout& l) { return choiceText(l.formatting, kFormatting); },
         [](ProjectLayout& l, std::string_view text) { return setChoice(l.formatting, kFormatting, text); }},
        {"line_ends", later("Lines end with"),
         later("As found: a file keeps the line ends that it has, and a new one gets LF."), kLineEnds,
         [](const ProjectLayout& l) { return choiceText(l.lineEnds, kLineEnds); },
         [](ProjectLayout& l, std::string_view text) { return setChoice(l.lineEnds, kLineEnds, text); }},
        {"notice",
         "Notice",
         later("Text above each generated file, for example a copyright and a license."),
         {},
         [](const ProjectLayout& l) { return l.notice; },
         setNotice},
    };
    return all;
}

int yearOf(ProjectLayout::Standard standard)
{
    switch (standard) {
    case ProjectLayout::Standard::C11:
        break;
    case ProjectLayout::Standard::C99:
        return 99;
    case ProjectLayout::Standard::C17:
        return 17;
    case ProjectLayout::Standard::C23:
        return 23;
    }
    return 11;
}

std::string optionOf(ProjectLayout::Standard standard)
{
    // Older compilers know C23 by its working title only, and newer ones know that too.
    return standard == ProjectLayout::Standard::C23 ? "c2x" : fmt::format("c{}", yearOf(standard));
}

const LayoutSetting* layoutSetting(std::string_view key)
{
    for (const LayoutSetting& setting : layoutSettings())
        if (setting.key == key)
            return &setting;
    return nullptr;
}

std::vector<std::string> layoutKeys()
{
    std::vector<std::string> keys;
    for (const LayoutSetting& setting : layoutSettings())
        keys.push_back(setting.key);
    return keys;
}

} // namespace bindrel
