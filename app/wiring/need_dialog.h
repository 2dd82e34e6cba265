// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <QDialog>

class QComboBox;
class QLineEdit;

namespace bindrel {

/// Asks for a new need: its part, its kind, a title. Goals take their defaults and are set in Tuning.
class NeedDialog : public QDialog {
    Q_OBJECT
public:
    NeedDialog(const Snapshot& snapshot, const std::string& part, QWidget* parent = nullptr);
    /// The need as asked for, with an id that the plan does not have yet.
    Need need() const;

private:
    const Snapshot& snapshot_;
    QComboBox* part_ = nullptr;
    QComboBox* kind_ = nullptr;
    QLineEdit* title_ = nullptr;
};

} // namespace bindrel
