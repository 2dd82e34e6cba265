// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QRect>
#include <QString>

#include <vector>

namespace bindrel {

/// An item that a widget paints and that assistive technology must be able to name: a pad, a register field.
struct AccessibleItem {
    QString name; ///< with what it is for and how it stands: "PA3, pin 5, LED, bound"
    QRect rect;   ///< in the widget
};

/// A widget that paints its items itself and exposes them to assistive technology as children.
class AccessibleItems {
public:
    virtual ~AccessibleItems() = default;
    virtual std::vector<AccessibleItem> accessibleItems() const = 0;
    /// As by a click on it.
    virtual void chooseAccessibleItem(int item) { (void)item; }
};

/// Once a program, before the first such widget is asked about.
void installAccessibleItems();

} // namespace bindrel
