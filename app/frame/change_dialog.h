// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/edit.h"

#include <QDialog>

namespace bindrel {

/// Shows what an edit would change, before and after, and asks for leave.
class ChangeDialog : public QDialog {
    Q_OBJECT
public:
    ChangeDialog(const Plan& before, const Edit& edit, QWidget* parent = nullptr);
};

} // namespace bindrel
