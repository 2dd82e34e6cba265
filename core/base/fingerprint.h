// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <initializer_list>
#include <string>

namespace bindrel {

/// Sixteen hexadecimal digits, FNV-1a over 64 bits: tells one content from another, no more (nobody is kept from making
/// two that are alike).
std::string fingerprint(std::initializer_list<const std::string*> texts);

} // namespace bindrel
