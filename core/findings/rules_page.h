// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace bindrel {

/// docs/formats/rules.md, from the list of rules.
std::string rulesPage();

} // namespace bindrel
