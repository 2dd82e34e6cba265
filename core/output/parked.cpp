// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/parked.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

constexpr std::string_view kMark = "/*~ parked ";
constexpr std::string_view kLine = "//|";
/// Ends a line that would otherwise join the next one to its comment, or that ends with this very mark.
constexpr std::string_view kGuard = " ~|";

std::string head(std::string_view prefix)
{
    return fmt::format("/* Text of keep regions whose home is not generated at present. Bindrel puts it back when the "
                       "home returns; delete what you\n"
                       " * no longer need. */\n"
                       "typedef int {}_orphans; /* C wants a declaration in every file */\n",
                       prefix);
}

std::string commented(std::string_view line)
{
    std::string out(kLine);
    if (!line.empty())
        out.append(" ").append(line);
    if (line.ends_with('\\') ||
        line.ends_with("?"
                       "?/") ||
        line.ends_with(kGuard) || line.ends_with(' ') || line.ends_with('\t') || line.ends_with('\r'))
        out.append(kGuard);
    return out + "\n";
}

} // namespace

std::string unparked(std::string_view line)
{
    if (!line.starts_with(kLine))
        return std::string(line); // typed by a person
    line.remove_prefix(kLine.size());
    if (line.starts_with(' '))
        line.remove_prefix(1);
    if (line.ends_with(kGuard))
        line.remove_suffix(kGuard.size());
    return std::string(line);
}

std::string parkedFileName(std::string_view prefix)
{
    return std::string(prefix) + "_orphans.c";
}

ParkedFile::ParkedFile(std::string_view text, std::string_view prefix) : prefix_(prefix)
{
    if (const std::string known = head(prefix); text.starts_with(known))
        text.remove_prefix(known.size());
    std::vector<std::string> lines = splitted(text, '\n');
    if (!lines.empty() && lines.back().empty())
        lines.pop_back();
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const std::string_view line = lines[i];
        std::size_t end = i + 1;
        if (line.starts_with(kMark) && line.ends_with(" */") && end < lines.size() && lines[end] == "#if 0")
            while (end < lines.size() && lines[end] != "#endif")
                ++end;
        const std::string_view named = line.starts_with(kMark) ? line.substr(kMark.size()) : std::string_view();
        const std::size_t blank = named.find(' ');
        if (end == i + 1 || end >= lines.size() || blank == std::string_view::npos || blank + 4 > named.size()) {
            own_ += std::string(line) + "\n";
            continue;
        }
        Parked entry{
            std::string(named.substr(0, blank)), std::string(named.substr(blank + 1, named.size() - blank - 4)), {}};
        for (std::size_t k = i + 2; k < end; ++k)
            entry.text += unparked(lines[k]) + "\n";
        entries_.push_back(std::move(entry));
        i = end;
    }
}

void ParkedFile::park(Parked entry)
{
    if (std::find(entries_.begin(), entries_.end(), entry) == entries_.end())
        entries_.push_back(std::move(entry));
}

std::string ParkedFile::text() const
{
    if (entries_.empty() && own_.empty())
        return {};
    std::string out = head(prefix_) + own_;
    for (const Parked& entry : entries_) {
        out += fmt::format("{}{} {} */\n#if 0\n", kMark, entry.file, entry.region);
        std::vector<std::string> lines = splitted(entry.text, '\n');
        if (!lines.empty() && lines.back().empty())
            lines.pop_back();
        for (const std::string& line : lines)
            out += commented(line);
        out += "#endif\n";
    }
    return out;
}

} // namespace bindrel
