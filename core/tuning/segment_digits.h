// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <string>
#include <vector>

namespace bindrel {

/// Where the segments of a display's digits are connected.
struct SegmentDigits {
    static constexpr std::size_t kSegments = 8; ///< a on top, then round by the right, g in the middle, p the point
    static constexpr std::size_t kMostDigits = 16;
    struct Place {
        int backplane = -1; ///< -1: not connected
        int line = -1;      ///< of the need's segment lines
        bool connected() const { return backplane >= 0; }
        bool operator==(const Place&) const = default;
    };
    using Digit = std::array<Place, kSegments>;

    int backplanes = 0, lines = 0; ///< that there are
    std::string goal;              ///< that states it
    std::vector<Digit> digits;

    static char letter(std::size_t segment) { return "abcdefgp"[segment]; }
    /// As the goal has it: "1a=0.3 1b=1.3", digit and segment, then backplane and line.
    std::string text() const
    {
        std::string out;
        for (std::size_t digit = 0; digit < digits.size(); ++digit)
            for (std::size_t segment = 0; segment < kSegments; ++segment)
                if (const Place& at = digits[digit][segment]; at.connected())
                    out += (out.empty() ? "" : " ") + std::to_string(digit + 1) + letter(segment) + "=" +
                           std::to_string(at.backplane) + "." + std::to_string(at.line);
        return out;
    }
};

} // namespace bindrel
