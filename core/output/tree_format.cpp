// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/tree_format.h"

#include "core/base/child_process.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/scratch_folder.h"
#include "core/base/text.h"
#include "core/base/text_cache.h"
#include "core/source/seal.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

constexpr std::chrono::seconds kPatience{20};

bool isC(const SourceFile& file)
{
    return file.name.ends_with(".c") || file.name.ends_with(".h");
}

/// The file that says how C in a folder is laid out; empty when none does.
fs::path styleFor(const fs::path& folder)
{
    std::error_code error;
    for (fs::path at = fs::weakly_canonical(folder, error); !error && !at.empty(); at = at.parent_path()) {
        for (const char* name : {".clang-format", "_clang-format"})
            if (const fs::file_status status = fs::symlink_status(at / name, error);
                status.type() == fs::file_type::regular)
                return at / name;
        error.clear();
        if (at == at.root_path())
            break;
    }
    return {};
}

/// What was laid out, by style and text.
TextCache& known()
{
    static TextCache all(16u << 20);
    return all;
}

/// Lines of the head: up to the seal, which must stay as it is. The user's own files have none.
std::size_t headOf(const SourceFile& file)
{
    constexpr std::size_t kMost = 80;
    for (std::size_t i = 0; i < std::min(kMost, file.lines.size()); ++i)
        if (sealOf(file.lines[i].text))
            return i + 1;
    return 0;
}

std::string bodyOf(const SourceFile& file, std::size_t head)
{
    std::string out;
    for (std::size_t i = head; i < file.lines.size(); ++i)
        out += file.lines[i].text + "\n";
    return out;
}

/// The smallest things that a formatter leaves whole, with the line that each stands in.
struct Token {
    std::string_view text;
    std::size_t line;
};

std::vector<Token> tokensOf(const std::vector<std::string_view>& lines)
{
    const auto isWord = [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
    };
    std::vector<Token> out;
    for (std::size_t l = 0; l < lines.size(); ++l)
        for (std::size_t i = 0; i < lines[l].size();) {
            const char c = lines[l][i];
            std::size_t end = i + 1;
            while (isWord(c) && end < lines[l].size() && isWord(lines[l][end]))
                ++end;
            // Marks of comments and the ends of lines move when a paragraph is filled anew.
            if (c != ' ' && c != '\t' && c != '*' && c != '/' && c != '\\')
                out.push_back({lines[l].substr(i, end - i), l});
            i = end;
        }
    return out;
}

/// For each new line the old ones that its tokens come from, in their order; none where it has no token of the old.
std::vector<std::vector<std::size_t>> originsOf(const std::vector<std::string_view>& before,
                                                const std::vector<std::string_view>& after)
{
    constexpr std::size_t kWindow = 60; ///< tokens that may have been put in, left out or moved
    const std::vector<Token> old = tokensOf(before), now = tokensOf(after);
    std::vector<std::vector<std::size_t>> out(after.size());
    std::size_t i = 0, j = 0;
    while (i < old.size() && j < now.size()) {
        if (old[i].text != now[j].text) {
            std::size_t shift = 1;
            bool found = false;
            for (; !found && shift <= kWindow; ++shift)
                for (std::size_t di = 0; !found && di <= shift; ++di) {
                    const std::size_t dj = shift - di;
                    if (i + di + 1 < old.size() && j + dj + 1 < now.size() && old[i + di].text == now[j + dj].text &&
                        old[i + di + 1].text == now[j + dj + 1].text) {
                        i += di;
                        j += dj;
                        found = true;
                    }
                }
            if (!found) {
                ++i;
                ++j;
                continue;
            }
        }
        if (std::vector<std::size_t>& origins = out[now[j].line]; origins.empty() || origins.back() != old[i].line)
            origins.push_back(old[i].line);
        ++i;
        ++j;
    }
    return out;
}

std::vector<std::string_view> rowsOf(std::string_view text)
{
    std::vector<std::string_view> out;
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t end = std::min(text.find('\n', at), text.size());
        out.push_back(text.substr(at, end - at));
        at = end + 1;
    }
    return out;
}

/// Puts another layout of the same text into a file.
void relay(SourceFile& file, std::size_t head, const std::string& body)
{
    std::vector<std::string_view> before;
    for (std::size_t i = head; i < file.lines.size(); ++i)
        before.push_back(file.lines[i].text);
    const std::vector<std::string_view> after = rowsOf(body);
    const std::vector<std::vector<std::size_t>> origins = originsOf(before, after);
    std::vector<SourceLine> lines(file.lines.begin(), file.lines.begin() + std::ptrdiff_t(head));
    const SourceLine* last = nullptr;
    for (std::size_t i = 0; i < after.size(); ++i) {
        SourceLine line;
        line.text = std::string(after[i]);
        if (!origins[i].empty())
            last = &file.lines[head + origins[i].front()];
        // Of several that stand on one line now, the one that does something counts.
        for (const std::size_t origin : origins[i])
            if (!last->step && file.lines[head + origin].step)
                last = &file.lines[head + origin];
        // A line of braces or of half a comment belongs to the one before it.
        if (last && !trimmed(after[i]).empty()) {
            line.trace = last->trace;
            line.step = origins[i].empty() ? nullptr : last->step;
        }
        lines.push_back(std::move(line));
    }
    file.lines = std::move(lines);
    setSeal(file);
}

struct Job {
    SourceFile* file;
    std::size_t head;
    std::string key;
    fs::path staged;
};

/// Lays out the files of one style; the sentence says why that failed.
std::string format(std::vector<Job>& jobs, const fs::path& style, const std::function<bool()>& stopped)
{
    const Expected<ScratchFolder> scratch = ScratchFolder::make();
    if (!scratch)
        return scratch.problem().text();
    std::vector<std::string> words{"clang-format", "-i", "--fallback-style=none", "--style=file:" + style.string()};
    for (std::size_t i = 0; i < jobs.size(); ++i) {
        jobs[i].staged = scratch->path() / fmt::format("{}{}", i, jobs[i].file->name.ends_with(".h") ? ".h" : ".c");
        if (const Outcome staged = writeFileAtomically(jobs[i].staged, bodyOf(*jobs[i].file, jobs[i].head)); !staged)
            return staged.problem().text();
        words.push_back(jobs[i].staged.string());
    }
    const fs::path log = scratch->path() / "log";
    using End = ChildProcess::End;
    const End end = ChildProcess(std::move(words), scratch->path(), log).wait(stopped, kPatience);
    if (end == End::NotInstalled)
        return say("{} asks for a layout, but clang-format is not installed: install the package clang-format, "
                   "or set Formatting to \"as written\". Nothing is formatted.",
                   style.string());
    if (end == End::Stopped)
        return say("Stopped while clang-format was running. Nothing is formatted.");
    const Expected<std::string> said = readFile(log);
    if (end != End::Success)
        return say("clang-format could not apply {}{}. Nothing is formatted.", style.string(),
                   said && !said->empty() ? ": " + splitted(*said, '\n').front() : std::string());
    std::vector<std::string> bodies;
    for (const Job& job : jobs) {
        Expected<std::string> body = readFile(job.staged);
        if (!body)
            return body.problem().text();
        bodies.push_back(std::move(*body));
    }
    for (std::size_t i = 0; i < jobs.size(); ++i) {
        relay(*jobs[i].file, jobs[i].head, bodies[i]);
        known().keep(std::move(jobs[i].key), std::move(bodies[i]));
    }
    return {};
}

} // namespace

bool hasTreeFormat(const Source& source, const fs::path& folder)
{
    return source.byTree && !folder.empty() &&
           std::any_of(source.files.begin(), source.files.end(), [&folder](const SourceFile& file) {
               return isC(file) && !styleFor((folder / file.name).parent_path()).empty();
           });
}

TreeFormatted inTreeFormat(const Source& source, const fs::path& folder, const std::function<bool()>& stopped)
{
    TreeFormatted out{source, {}};
    if (!source.byTree || folder.empty())
        return out;
    std::map<fs::path, fs::path> styles; // by folder
    std::map<fs::path, std::vector<Job>> jobs;
    for (SourceFile& file : out.source.files) {
        if (!isC(file))
            continue;
        const fs::path own = (folder / file.name).parent_path();
        const auto [style, fresh] = styles.try_emplace(own);
        if (fresh)
            style->second = styleFor(own);
        if (style->second.empty())
            continue;
        const Expected<std::string> said = readFile(style->second);
        if (!said)
            return {source, said.problem().text()};
        const std::size_t head = headOf(file);
        std::string key =
            fmt::format("{}\n{}\n{}\n{}", style->second.string(), *said, file.name.back(), bodyOf(file, head));
        if (const std::optional<std::string> body = known().find(key))
            relay(file, head, *body);
        else
            jobs[style->second].push_back({&file, head, std::move(key), {}});
    }
    for (auto& [style, some] : jobs)
        if (std::string trouble = format(some, style, stopped); !trouble.empty())
            return {source, std::move(trouble)};
    return out;
}

} // namespace bindrel
