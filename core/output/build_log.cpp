// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/build_log.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <optional>

namespace bindrel {

namespace {

std::optional<int> numberOf(std::string_view text)
{
    int out = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out);
    return error == std::errc() && end == text.data() + text.size() ? std::optional(out) : std::nullopt;
}

/// Where a tool's path leads below the folder: given whole, or relative to the folder or to one below it that the build
/// ran in. Empty when it leads elsewhere.
std::string below(std::string_view path, std::string_view folder)
{
    const std::filesystem::path whole = std::filesystem::path(path).lexically_normal();
    const std::filesystem::path root = std::filesystem::path(folder).lexically_normal();
    std::filesystem::path out = whole.is_absolute() ? whole.lexically_relative(root) : whole;
    // From a folder for the build, which lies inside: "../src/main.c".
    if (!whole.is_absolute())
        while (!out.empty() && *out.begin() == "..")
            out = out.lexically_relative("..");
    const std::string text = out.generic_string();
    return text.empty() || text.starts_with("..") || text == "." ? std::string() : text;
}

/// "FILE:LINE:COLUMN: error: TEXT", "FILE:LINE: warning: TEXT".
std::optional<BuildMessage> ofCompiler(std::string_view line, std::string_view folder)
{
    using Severity = BuildMessage::Severity;
    for (const auto& [word, severity] : {std::pair(std::string_view(": fatal error: "), Severity::Error),
                                         {": error: ", Severity::Error},
                                         {": warning: ", Severity::Warning},
                                         {": note: ", Severity::Note}}) {
        const std::size_t at = line.find(word);
        if (at == std::string_view::npos)
            continue;
        BuildMessage out{severity, {}, 0, std::string(line.substr(at + word.size()))};
        std::vector<std::string> place = splitted(line.substr(0, at), ':');
        std::vector<int> numbers;
        while (place.size() > 1 && numbers.size() < 2) {
            const std::optional<int> number = numberOf(place.back());
            if (!number)
                break;
            numbers.insert(numbers.begin(), *number);
            place.pop_back();
        }
        if (!numbers.empty()) {
            out.file = below(joined(place, ":"), folder);
            out.line = out.file.empty() ? 0 : std::max(numbers.front(), 0);
            if (out.file.empty())
                out.text = joined(place, ":") + ": " + out.text;
        } else if (!place.empty() && !place.back().empty()) {
            out.text = joined(place, ":") + ": " + out.text;
        }
        return out;
    }
    return std::nullopt;
}

/// What a linker cannot do, which it says without the word "error".
std::optional<BuildMessage> ofLinker(std::string_view line, std::string_view folder)
{
    for (const std::string_view word : {"undefined reference to", "multiple definition of", "overflowed by",
                                        "will not fit in region", "cannot find ", "RAM is too small"}) {
        const std::size_t at = line.find(word);
        if (at == std::string_view::npos)
            continue;
        BuildMessage out{BuildMessage::Severity::Error, {}, 0, std::string(trimmed(line))};
        // "ld: main.c:12: undefined reference to `x'" or "main.c:(.text.main+0x8): undefined …"
        for (const std::string& part : splitted(line.substr(0, at), ' ')) {
            std::vector<std::string> place = splitted(part, ':');
            while (!place.empty() && place.back().empty())
                place.pop_back();
            if (place.size() < 2 || !(place.front().ends_with(".c") || place.front().ends_with(".h")))
                continue;
            out.file = below(place.front(), folder);
            out.line = out.file.empty() ? 0 : std::max(numberOf(place[1]).value_or(0), 0);
        }
        return out;
    }
    return std::nullopt;
}

} // namespace

std::vector<BuildMessage> buildMessages(std::string_view output, std::string_view folder)
{
    std::vector<BuildMessage> out;
    for (const std::string& raw : splitted(output, '\n')) {
        const std::string line = printable(raw);
        std::optional<BuildMessage> message = ofCompiler(line, folder);
        if (!message)
            message = ofLinker(line, folder);
        if (message && std::find(out.begin(), out.end(), *message) == out.end())
            out.push_back(*std::move(message));
    }
    return out;
}

int buildProgress(std::string_view line)
{
    if (!line.starts_with('['))
        return -1;
    const std::size_t end = line.find(']');
    if (end == std::string_view::npos)
        return -1;
    const std::string_view inside = trimmed(line.substr(1, end - 1));
    if (inside.ends_with('%'))
        return std::clamp(numberOf(inside.substr(0, inside.size() - 1)).value_or(-1), -1, 100);
    const std::size_t slash = inside.find('/');
    if (slash == std::string_view::npos)
        return -1;
    const std::optional<int> done = numberOf(inside.substr(0, slash)), all = numberOf(inside.substr(slash + 1));
    return done && all && *all > 0 && *done >= 0 ? int(std::min<std::int64_t>(100, std::int64_t(*done) * 100 / *all))
                                                 : -1;
}

} // namespace bindrel
