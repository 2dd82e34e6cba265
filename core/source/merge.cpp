// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/merge.h"

#include <git2.h>

namespace bindrel {

std::optional<std::string> mergeTexts(const std::string& base, const std::string& mine, const std::string& theirs)
{
    git_libgit2_init();
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
    git_libgit2_shutdown();
    return merged;
}

} // namespace bindrel
