// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/merge.h"

#include "core/base/say.h"

#include <git2.h>

#include <algorithm>
#include <initializer_list>
#include <limits>
#include <string_view>

namespace bindrel {

namespace {
/// The library counts its users; the last one out frees its state.
struct LibGit2 {
    LibGit2() { git_libgit2_init(); }
    ~LibGit2() { git_libgit2_shutdown(); }
};

/// Once for the whole program: that takes longer than most merges.
void openLibrary()
{
    static const LibGit2 library;
}
} // namespace

std::optional<std::string> mergeTexts(const std::string& base, const std::string& mine, const std::string& theirs)
{
    openLibrary();
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

/// Longer than any run of these characters in the texts, so that no line of them is taken for a mark.
static std::size_t markSize(std::initializer_list<const std::string*> texts)
{
    std::size_t longest = 0;
    for (const std::string* text : texts)
        for (std::size_t at = 0; at < text->size();) {
            std::size_t end = at + 1;
            if (std::string_view("<|=>").find((*text)[at]) != std::string_view::npos)
                while (end < text->size() && (*text)[end] == (*text)[at])
                    ++end;
            longest = std::max(longest, end - at);
            at = end;
        }
    return longest + 7;
}

MarkedMerge mergeWithMarks(const std::optional<std::string>& base, const std::string& mine, const std::string& fresh)
{
    openLibrary();
    const std::string none;
    const std::size_t size = markSize({&mine, &fresh, base ? &*base : &none});
    if (size > std::numeric_limits<unsigned short>::max())
        return {};
    git_merge_file_input sides[3];
    for (auto& side : sides)
        side = GIT_MERGE_FILE_INPUT_INIT;
    const std::string* texts[] = {base ? &*base : &none, &mine, &fresh};
    for (int i = 0; i < 3; ++i) {
        sides[i].ptr = texts[i]->data();
        sides[i].size = texts[i]->size();
    }
    git_merge_file_options options = GIT_MERGE_FILE_OPTIONS_INIT;
    options.ancestor_label = "base";
    options.our_label = "mine";
    options.their_label = "new";
    options.marker_size = static_cast<unsigned short>(size);
    options.flags = base ? GIT_MERGE_FILE_STYLE_DIFF3 : GIT_MERGE_FILE_STYLE_MERGE;
    git_merge_file_result result{};
    MarkedMerge out{{},
                    std::string(size, '<') + " mine",
                    std::string(size, '|') + " base",
                    std::string(size, '='),
                    std::string(size, '>') + " new"};
    if (git_merge_file(&result, &sides[0], &sides[1], &sides[2], &options) == 0)
        out.text = std::string(result.ptr ? result.ptr : "", result.len);
    git_merge_file_result_free(&result);
    return out;
}

std::string unifiedDiff(const std::string& before, const std::string& after)
{
    openLibrary();
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
