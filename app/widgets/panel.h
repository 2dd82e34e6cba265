// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

class QLabel;
class QVBoxLayout;
class QWidget;

namespace bindrel {

/// The heading of a panel, in small capitals.
QLabel* panelHeading(const QString& text);
/// The left column of a station: a fixed width, a heading, and room for more below it.
struct SidePanel {
    QWidget* widget;
    QVBoxLayout* column;
};
SidePanel sidePanel(const QString& heading, int width);
/// Hairlines between panels.
QWidget* verticalRule();
QWidget* horizontalRule();

} // namespace bindrel
