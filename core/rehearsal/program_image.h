// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <cstdint>
#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace bindrel {

/// A linked program as it lies in a chip's flash: read from an ELF file of 32 bits, little endian (Tool Interface
/// Standard, ELF 1.2).
struct ProgramImage {
    struct Piece {
        std::uint32_t address = 0; ///< where it is loaded, not where it runs
        std::vector<std::uint8_t> bytes;
    };
    std::vector<Piece> pieces;
    std::map<std::string, std::uint32_t, std::less<>> symbols; ///< functions and objects; the Thumb bit is taken off
    std::map<std::uint32_t, std::string> functions;            ///< by address
    std::uint32_t entry = 0;

    /// The function that an address lies in; empty before the first.
    std::string functionAt(std::uint32_t address) const;
    /// The text that ends with a zero there; at most 200 characters, empty where nothing is loaded.
    std::string textAt(std::uint32_t address) const;
};

Expected<ProgramImage> readProgram(const std::filesystem::path& elf);

} // namespace bindrel
