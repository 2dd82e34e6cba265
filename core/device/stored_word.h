// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/block.h"

#include <optional>

namespace bindrel {

/// A setting in non-volatile memory: some bits of a word that the chip reads at each reset.
struct StoredSetting {
    Field bits; ///< name, place and named values
    /// A register's field that comes out of reset as the setting says: code of the setting -> code of the field; the
    /// same code when it is not listed.
    struct Decides {
        FieldRef ref;
        std::map<std::uint32_t, std::uint32_t> codes;

        std::uint32_t codeFor(std::uint32_t setting) const
        {
            const auto known = codes.find(setting);
            return known == codes.end() ? setting : known->second;
        }
    };
    std::vector<Decides> decides;
    /// Code -> supply below which the chip is then held in reset (its brown-out level).
    std::map<std::uint32_t, Voltage> holdsBelow;
};

/// A word of non-volatile memory that holds settings.
struct StoredWord {
    std::string name;
    std::string about;
    std::uint32_t address = 0;
    int width = 32;            ///< bits: 8, 16 or 32
    std::uint32_t factory = 0; ///< what it holds when the chip is delivered
    std::optional<std::uint32_t>
        inverseAt; ///< address of a second word of the same width, which must hold the opposite of each bit
    std::vector<StoredSetting> settings;

    std::uint32_t bytes() const { return std::uint32_t(width) / 8; }
};

} // namespace bindrel
