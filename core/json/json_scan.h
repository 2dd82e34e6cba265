// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>

namespace bindrel {

/// What a scan of a JSON text finds without building values.
struct JsonScan {
    std::optional<std::size_t> found;     ///< offset of the value that the pointer names
    std::optional<std::size_t> tooDeep;   ///< offset at which the nesting exceeds the limit
    std::optional<std::size_t> duplicate; ///< offset of the second key of the same name in one object
    std::string duplicateKey;
    std::optional<std::size_t> tooMany; ///< offset of the first entry of a list or object beyond kMaxEntries
};

/// No list or object in a file of Bindrel's has more entries. With this, steps that compare all with all stay bounded.
inline constexpr std::size_t kMaxEntries = 4096;

/// Walks the text once, without recursion. It does not judge syntax: on broken text it stops where it no longer
/// follows.
JsonScan scanJson(std::string_view text, std::string_view pointer, int maxDepth);

} // namespace bindrel
