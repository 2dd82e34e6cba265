// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace bindrel {

/// docs/formats/goals.md: every goal of every kind of need, as the kinds declare them. In Markdown; a test holds the
/// file against this, and writes it anew when BINDREL_UPDATE is set.
std::string goalsPage();

} // namespace bindrel
