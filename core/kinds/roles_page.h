// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace bindrel {

/// docs/formats/roles.md: every word that blocks and instances of a device file may use, as the kinds declare them. In
/// Markdown; a test holds the file against this, and writes it anew when BINDREL_UPDATE is set.
std::string rolesPage();

} // namespace bindrel
