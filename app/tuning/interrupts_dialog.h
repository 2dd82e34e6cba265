// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/interchange/interrupt_sheet.h"

#include <QDialog>

class QLabel;
class QTableWidget;

namespace bindrel {

class Document;

/// What interrupts and what DMA moves, over all needs: numbers, priorities, handlers, load; channels, requests, directions. A priority is
/// typed in its cell. Enter on a row takes one to the goals of its need.
class InterruptsDialog : public QDialog {
    Q_OBJECT
public:
    explicit InterruptsDialog(Document& document, QWidget* parent = nullptr);
    QTableWidget* interrupts() const { return interrupts_; }
    QTableWidget* channels() const { return channels_; }
    /// Of the row that was chosen; empty: none.
    const std::string& chosen() const { return chosen_; }

private:
    void refill();
    void fill(QTableWidget* table, const NeedTable& sheet);
    void setPriority(int row, int column);

    Document& document_;
    QTableWidget* interrupts_ = nullptr;
    QTableWidget* channels_ = nullptr;
    QLabel* none_ = nullptr; ///< says so where a table is empty
    std::string chosen_;
    bool filling_ = false;
};

} // namespace bindrel
