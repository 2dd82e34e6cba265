// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/keep_regions.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <optional>

namespace bindrel {

namespace {

std::optional<std::string> openingName(std::string_view line)
{
    constexpr std::string_view kOpen = "/*~ keep ";
    constexpr std::string_view kEnd = "*/";
    const std::string_view plain = trimmed(line);
    if (!plain.starts_with(kOpen) || !plain.ends_with(kEnd))
        return std::nullopt;
    return std::string(trimmed(plain.substr(kOpen.size(), plain.size() - kOpen.size() - kEnd.size())));
}

bool isClosing(std::string_view line)
{
    return trimmed(line) == "/*~ */";
}

/// Calls back for each line with its LF; the last one may have none.
template <typename Visit> void eachLine(std::string_view text, Visit visit)
{
    while (!text.empty()) {
        const size_t end = text.find('\n');
        const size_t length = end == std::string_view::npos ? text.size() : end + 1;
        visit(text.substr(0, length));
        text.remove_prefix(length);
    }
}

} // namespace

Expected<std::map<std::string, std::string>> keepRegions(std::string_view text)
{
    std::map<std::string, std::string> out;
    std::optional<std::string> open;
    std::optional<Problem> problem;
    int number = 0;
    eachLine(text, [&](std::string_view line) {
        ++number;
        const auto fail = [&](std::string message) {
            if (problem)
                return;
            problem = problemOf(std::move(message));
            problem->line = number;
        };
        if (const auto name = openingName(line)) {
            if (name->empty() || name->find("*/") != std::string::npos)
                fail("a keep region needs a name; write /*~ keep NAME */.");
            else if (open)
                fail(fmt::format("the region \"{}\" is not closed before \"{}\" begins.", *open, *name));
            else if (out.contains(*name))
                fail(fmt::format("two regions are called \"{}\"; give one another name.", *name));
            open = *name;
            out[*name];
        } else if (isClosing(line)) {
            if (!open)
                fail("a keep region is closed here that was never opened.");
            open.reset();
        } else if (open) {
            out[*open] += line;
            if (!line.ends_with('\n'))
                out[*open] += '\n';
        }
    });
    if (open && !problem)
        problem = problemOf(fmt::format("the region \"{}\" is never closed; add /*~ */ behind it.", *open));
    if (problem)
        return *problem;
    return out;
}

std::string withRegions(std::string_view text, std::map<std::string, std::string>& kept)
{
    std::string out;
    bool inside = false;
    eachLine(text, [&](std::string_view line) {
        if (isClosing(line))
            inside = false;
        if (!inside)
            out += line;
        if (const auto name = openingName(line)) {
            inside = true;
            if (const auto found = kept.find(*name); found != kept.end()) {
                out += found->second;
                kept.erase(found);
            }
        }
    });
    return out;
}

std::string withoutRegions(std::string_view text)
{
    std::map<std::string, std::string> none;
    return withRegions(text, none);
}

} // namespace bindrel
