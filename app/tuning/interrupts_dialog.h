// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>

#include <string>

class QLabel;
class QTableView;

namespace bindrel {

class Document;
class NeedTableModel;

/// What interrupts and what DMA moves, over all needs: numbers, priorities, handlers, load; channels, requests,
/// directions. A priority is typed in its cell. Enter on a row takes one to the goals of its need.
class InterruptsDialog : public QDialog {
    Q_OBJECT
public:
    explicit InterruptsDialog(Document& document, QWidget* parent = nullptr);
    QTableView* interrupts() const { return interrupts_; }
    QTableView* channels() const { return channels_; }
    /// Of the row that was chosen; empty: none.
    const std::string& chosen() const { return chosen_; }

    /// A priority that is being typed is taken, however the dialog is left.
    void done(int result) override;

private:
    void refill();
    void moveRow(int row, int at, bool between);

    Document& document_;
    QLabel* loads_ = nullptr; ///< of each core
    NeedTableModel* interruptRows_ = nullptr;
    NeedTableModel* channelRows_ = nullptr;
    QTableView* interrupts_ = nullptr;
    QTableView* channels_ = nullptr;
    QLabel* none_ = nullptr; ///< says so where a table is empty
    std::string chosen_;
};

} // namespace bindrel
