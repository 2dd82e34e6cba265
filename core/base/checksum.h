// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

namespace bindrel {

/// 40 hexadecimal digits that differ for texts that differ (Git's name of a blob). To notice changes, not to keep out
/// an attacker.
std::string checksum(std::string_view bytes);

} // namespace bindrel
