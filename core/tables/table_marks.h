// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace bindrel {

/// Takes away marks of footnotes: "(1)", superscripts, stars; whether there was one.
bool takeMarks(std::string& text);

} // namespace bindrel
