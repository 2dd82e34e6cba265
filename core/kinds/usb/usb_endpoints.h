// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <cstdint>
#include <string_view>
#include <vector>

namespace bindrel {

struct UsbEndpoint {
    enum class Type { Control, Isochronous, Bulk, Interrupt }; ///< as bmAttributes counts them (USB 2.0, table 9-13)
    int number = 0;
    bool in = false; ///< to the host
    Type type = Type::Bulk;
    int bytes = 0; ///< of a packet at most
    int at = 0;    ///< in the packet memory; see layEndpoints
};

/// "1 in bulk 64, 1 out bulk 64, 2 in interrupt 8": number, direction as the host sees it, type, largest packet; with
/// commas between. Sizes are those that USB 2.0 allows at the speed: 5.5.3 (control), 5.6.3, 5.7.3 and 5.8.3. Endpoint
/// 0 is control both ways with `controlBytes`, and stands first.
Expected<std::vector<UsbEndpoint>> parseUsbEndpoints(std::string_view text, bool fullSpeed, int controlBytes);

/// Gives each a place in the packet memory, one behind the other at multiples of `step` bytes; the bytes that takes in
/// all.
int layEndpoints(std::vector<UsbEndpoint>& endpoints, int step);

} // namespace bindrel
