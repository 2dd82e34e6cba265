// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/source/source.h"

#include <filesystem>
#include <functional>
#include <string>

namespace bindrel {

/// C sources and headers as clang-format lays them out by the .clang-format (or _clang-format) that lies nearest, in
/// the folder of each or above it; the head of a generated file stays as it is. Every line keeps the decision and the
/// step that it comes from. What was formatted once is not again. May be called from any thread.
struct TreeFormatted {
    Source source;
    /// A sentence for people, when a file asks for a layout that could not be given: nothing is formatted then.
    std::string trouble;
};
TreeFormatted inTreeFormat(const Source& source, const std::filesystem::path& folder,
                           const std::function<bool()>& stopped = {});

/// Whether the plan asks for it and a .clang-format lies in or above the folder. Only looks at the disk; runs nothing.
bool hasTreeFormat(const Source& source, const std::filesystem::path& folder);

} // namespace bindrel
