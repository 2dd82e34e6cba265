// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include <filesystem>

namespace bindrel {

/// A path as text of the window's, and back to the very same bytes. Names on a disk are bytes; those that are no UTF-8
/// become, one by one, low surrogates without a high one (U+DC80 to U+DCFF), which no text has otherwise.
QString pathText(const std::filesystem::path& path);
std::filesystem::path pathOf(const QString& text);

} // namespace bindrel
