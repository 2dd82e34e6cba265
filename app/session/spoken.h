// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

class QApplication;

namespace bindrel {

/// Lets the window speak the reader's language: its own texts, and those of Qt's dialogs. Before the first text is
/// made.
void speak(QApplication& app);

} // namespace bindrel
