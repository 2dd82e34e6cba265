// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"

#include <QDialog>
#include <QLabel>

namespace bindrel {

/// Shows what an edit would change, before and after, with the hazards that a rehearsal of the changed plan shows, and
/// asks for leave.
class ChangeDialog : public QDialog {
    Q_OBJECT
public:
    ChangeDialog(const Document& document, const Edit& edit, QWidget* parent = nullptr);
    QString verdict() const { return verdict_->text(); }

private:
    QLabel* verdict_ = nullptr;
    Background background_{this};
};

} // namespace bindrel
