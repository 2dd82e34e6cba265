// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <cstddef>
#include <filesystem>
#include <string>
#include <string_view>

namespace bindrel {

/// No file that Bindrel reads is larger; a larger one is refused before it is read.
inline constexpr std::size_t kMaxFileBytes = 64u << 20;

/// The whole file. Fails with a reason when it is missing, not a regular file, unreadable or over kMaxFileBytes.
Expected<std::string> readFile(const std::filesystem::path& path);

/// Replaces the file in one step: written beside it, synced, renamed over it. After a failure the old file is untouched.
/// A link is followed, so that what it points to is replaced and the link stays.
Outcome writeFileAtomically(const std::filesystem::path& path, std::string_view bytes);

} // namespace bindrel
