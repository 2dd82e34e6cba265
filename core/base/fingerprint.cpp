// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/fingerprint.h"

#include <fmt/format.h>

#include <cstdint>

namespace bindrel {

std::string fingerprint(std::initializer_list<const std::string*> texts)
{
    std::uint64_t hash = 0xCBF29CE484222325u;
    for (const std::string* text : texts)
        for (const char c : *text)
            hash = (hash ^ static_cast<unsigned char>(c)) * 0x100000001B3u;
    return fmt::format("{:016x}", hash);
}

} // namespace bindrel
