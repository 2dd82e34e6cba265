// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/memory_size.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <charconv>

namespace bindrel {

Expected<std::uint32_t> parseMemorySize(std::string_view text)
{
    constexpr std::uint64_t kMost = 16 * 1024 * 1024;
    const std::string_view said = trimmed(text);
    std::uint64_t value = 0;
    const auto [end, error] = std::from_chars(said.data(), said.data() + said.size(), value);
    const std::string unit = lowered(std::string(trimmed(said.substr(std::size_t(end - said.data())))));
    const std::uint64_t factor = unit.empty() || unit == "b" || unit == "bytes" || unit == "byte" ? 1
                                 : unit == "kib" || unit == "k"                                   ? 1024
                                 : unit == "mib"                                                  ? 1024 * 1024
                                                                                                  : 0;
    if (error != std::errc() || factor == 0)
        return problemOf(fmt::format("\"{}\" is no size of memory; write it as in 4 KiB or 1024 bytes.",
                                     printable(std::string(said.substr(0, 40)))));
    if (value == 0 || value > kMost / factor || value * factor % 8 != 0)
        return problemOf("a size of memory is a multiple of 8 bytes, at most 16 MiB.");
    return std::uint32_t(value * factor);
}

std::string memorySizeText(std::uint32_t bytes)
{
    return bytes % 1024 == 0 ? fmt::format("{} KiB", bytes / 1024) : fmt::format("{} bytes", bytes);
}

} // namespace bindrel
