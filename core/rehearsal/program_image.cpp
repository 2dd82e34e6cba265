// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/program_image.h"

#include "core/base/files.h"
#include "core/base/say.h"

#include <fmt/format.h>

namespace bindrel {

std::string ProgramImage::functionAt(std::uint32_t address) const
{
    auto at = functions.upper_bound(address);
    return at == functions.begin() ? std::string() : std::prev(at)->second;
}

std::string ProgramImage::textAt(std::uint32_t address) const
{
    constexpr std::size_t kMost = 200;
    std::string out;
    for (const Piece& piece : pieces) {
        if (address < piece.address || address - piece.address >= piece.bytes.size())
            continue;
        for (std::size_t at = address - piece.address;
             at < piece.bytes.size() && piece.bytes[at] != 0 && out.size() < kMost; ++at)
            out += char(piece.bytes[at]);
        break;
    }
    return out;
}

Expected<ProgramImage> readProgram(const std::filesystem::path& elf)
{
    const Expected<std::string> file = readFile(elf);
    if (!file)
        return file.problem();
    const std::string& bytes = *file;
    bool whole = true;
    // Offsets come from the file: everything is held against its size.
    const auto number = [&](std::uint64_t at, int size) -> std::uint32_t {
        if (at + std::uint64_t(size) > bytes.size()) {
            whole = false;
            return 0;
        }
        std::uint32_t out = 0;
        for (int i = size; i-- > 0;)
            out = out << 8 | std::uint8_t(bytes[size_t(at) + size_t(i)]);
        return out;
    };
    if (bytes.size() < 52 ||
        bytes.compare(0, 4,
                      "\x7f"
                      "ELF") != 0 ||
        bytes[4] != 1 || bytes[5] != 1)
        return problemOf(say("{} is not a linked program of 32 bits.", elf.filename().string()));
    ProgramImage out;
    out.entry = number(24, 4) & ~1u;
    const std::uint32_t segments = number(28, 4), sections = number(32, 4);
    const std::uint32_t segmentSize = number(42, 2), segmentCount = number(44, 2), sectionSize = number(46, 2),
                        sectionCount = number(48, 2);
    for (std::uint32_t i = 0; i < segmentCount && whole; ++i) {
        const std::uint64_t at = segments + std::uint64_t(i) * segmentSize;
        const std::uint32_t offset = number(at + 4, 4), address = number(at + 12, 4), size = number(at + 16, 4);
        if (number(at, 4) != 1 || size == 0)
            continue;
        if (std::uint64_t(offset) + size > bytes.size())
            whole = false;
        else
            out.pieces.push_back({address, {bytes.begin() + offset, bytes.begin() + offset + size}});
    }
    for (std::uint32_t i = 0; i < sectionCount && whole; ++i) {
        const std::uint64_t at = sections + std::uint64_t(i) * sectionSize;
        if (number(at + 4, 4) != 2) // the table of symbols
            continue;
        const std::uint32_t table = number(at + 16, 4), size = number(at + 20, 4);
        const std::uint32_t names = number(sections + std::uint64_t(number(at + 24, 4)) * sectionSize + 16, 4);
        for (std::uint32_t s = 0; s + 16 <= size && whole; s += 16) {
            const std::uint64_t name = std::uint64_t(names) + number(table + std::uint64_t(s), 4);
            const std::uint32_t type = number(table + std::uint64_t(s) + 12, 1) & 15;
            if (type > 2 || name >= bytes.size())
                continue;
            const std::string text(bytes.c_str() + name);
            const std::uint32_t value = number(table + std::uint64_t(s) + 4, 4);
            if (text.empty() || text.front() == '$')
                continue;
            out.symbols[text] = type == 2 ? value & ~1u : value;
            if (type == 2)
                out.functions[value & ~1u] = text;
        }
    }
    if (!whole)
        return problemOf(say("{} is cut off.", elf.filename().string()));
    return out;
}

} // namespace bindrel
