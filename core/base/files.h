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

/// Replaces the file in one step: a new file is made beside it, synced, renamed over it. After a failure the old file
/// is untouched. All that Bindrel writes goes through here or through Directory. A link is never written through:
/// somebody else may have put it there.
Outcome writeFileAtomically(const std::filesystem::path& path, std::string_view bytes);

/// The same, held against other writers of the folder, and only if the file still holds `expected` (an empty text: or
/// is missing); null: whatever it holds. False, and nothing is changed, when it holds something else.
Expected<bool> replaceFile(const std::filesystem::path& path, std::string_view bytes, const std::string* expected);

/// What is left to read of an open regular file; `path` is for messages.
Expected<std::string> readAll(int fd, const std::filesystem::path& path);
/// Writes all bytes, through interruptions; `path` is for messages.
Outcome writeAll(int fd, std::string_view bytes, const std::filesystem::path& path);

/// Where a path really leads, links followed, as far as it exists: what a person opens by a link is read and written by
/// its own name.
std::filesystem::path realPath(const std::filesystem::path& path);

/// The path made absolute against the working folder; as it is given when there is none any more. Never throws.
std::filesystem::path absolutePath(const std::filesystem::path& path);

} // namespace bindrel
