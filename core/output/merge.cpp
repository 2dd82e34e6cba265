// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/merge.h"

#include <git2.h>

namespace bindrel {

namespace {
/// The library counts its users; the last one out frees its state.
struct LibGit2 {
    LibGit2() { git_libgit2_init(); }
    ~LibGit2() { git_libgit2_shutdown(); }
};
} // namespace

std::optional<std::string> mergeTexts(const std::string& base, const std::string& mine, const std::string& theirs)
{
    const LibGit2 library;
    const auto input = [](const std::string& text) {
        git_merge_file_input in = GIT_MERGE_FILE_INPUT_INIT;
        in.ptr = text.data();
        in.size = text.size();
        return in;
    };
    const git_merge_file_input ancestor = input(base);
    const git_merge_file_input ours = input(mine);
    const git_merge_file_input other = input(theirs);
    git_merge_file_options options = GIT_MERGE_FILE_OPTIONS_INIT;
    git_merge_file_result result{};
    std::optional<std::string> merged;
    if (git_merge_file(&result, &ancestor, &ours, &other, &options) == 0 && result.automergeable)
        merged = std::string(result.ptr ? result.ptr : "", result.len);
    git_merge_file_result_free(&result);
    return merged;
}

std::string unifiedDiff(const std::string& before, const std::string& after)
{
    const LibGit2 library;
    std::string out;
    git_diff_options options = GIT_DIFF_OPTIONS_INIT;
    options.context_lines = 3;
    options.flags = GIT_DIFF_FORCE_TEXT;
    const auto hunk = [](const git_diff_delta*, const git_diff_hunk* h, void* to) {
        static_cast<std::string*>(to)->append(h->header, h->header_len);
        return 0;
    };
    const auto line = [](const git_diff_delta*, const git_diff_hunk*, const git_diff_line* l, void* to) {
        auto* text = static_cast<std::string*>(to);
        if (l->origin == GIT_DIFF_LINE_CONTEXT || l->origin == GIT_DIFF_LINE_ADDITION ||
            l->origin == GIT_DIFF_LINE_DELETION)
            *text += l->origin;
        text->append(l->content, l->content_len);
        return 0;
    };
    git_diff_buffers(before.data(), before.size(), nullptr, after.data(), after.size(), nullptr, &options, nullptr,
                     nullptr, hunk, line, &out);
    return out;
}

} // namespace bindrel
