// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

class QLabel;
class QWidget;

namespace bindrel {

/// The heading of a panel, in small capitals.
QLabel* panelHeading(const QString& text);
/// Hairlines between panels.
QWidget* verticalRule();
QWidget* horizontalRule();

} // namespace bindrel
