// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"
#include "core/quantity/format.h"

#include <string>

namespace bindrel {

/// As many digits as give the same number when it is read again by `parse`; what was typed in decimals needs no more.
/// The same for every reader.
template <typename Unit, typename Parse> std::string exactly(const Unit& value, Parse parse)
{
    const InEnglish asItIsTyped;
    constexpr int kFewest = 6, kMost = 18;
    std::string text;
    for (int digits = kFewest; digits <= kMost; ++digits) {
        if constexpr (requires { format(value, false, digits); })
            text = format(value, false, digits);
        else
            text = format(value, digits);
        if (const auto again = parse(text); again && *again == value)
            break;
    }
    return text;
}

} // namespace bindrel
