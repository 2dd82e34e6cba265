// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

class QWidget;

namespace bindrel {

/// Keeps where a window is and how large, for the screen that it is on: by the screen's size, so that a laptop with and
/// without its second screen has a place for each.
void rememberPlace(const QWidget& window);
/// Puts a window where it was on a screen of this size; leaves it as it is where nothing fitting is remembered.
void restorePlace(QWidget& window);

} // namespace bindrel
