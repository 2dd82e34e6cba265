// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"

#include <QDialog>

class QPlainTextEdit;
class QPushButton;

namespace bindrel {

/// The plan's file was changed by somebody else: keep mine, take theirs, or look at the difference first.
class DiskDialog : public QDialog {
    Q_OBJECT
public:
    explicit DiskDialog(Document& document, QWidget* parent = nullptr);

    /// After it was accepted: whether the disk's plan is wanted, not the open one.
    bool takesTheirs() const { return theirs_; }
    QPushButton* keepMine() const { return mine_; }
    QPushButton* takeTheirs() const { return take_; }
    QPushButton* compare() const { return compare_; }
    QPlainTextEdit* difference() const { return difference_; }

private:
    void showDifference();

    Document& document_;
    QPushButton *mine_ = nullptr, *take_ = nullptr, *compare_ = nullptr;
    QPlainTextEdit* difference_ = nullptr;
    bool theirs_ = false;
};

} // namespace bindrel
