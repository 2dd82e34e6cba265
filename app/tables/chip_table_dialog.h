// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/tables/columns_table.h"
#include "core/describe/table_look.h"

#include <QDialog>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>

#include <filesystem>
#include <memory>
#include <optional>

namespace bindrel {

/// A table of a chip's data sheet, as it is understood: what each column says and what each name stands for. Both can
/// be said otherwise; on leaving, the table, what was said of it, and the layer that reads it belong to the device.
class ChipTableDialog : public QDialog {
    Q_OBJECT
public:
    /// `path` is the table's file, or the name that a pasted one gets. The device is one that a person describes.
    ChipTableDialog(std::shared_ptr<const Device> device, std::string bytes, Grid grid, const QString& path,
                    QWidget* parent = nullptr);

    /// What is still being typed must not reach a dialog that is going.
    ~ChipTableDialog() override;

    ColumnsTable* columns() const { return table_; }
    QTableWidget* names() const { return names_; }
    QString summary() const { return summary_->text(); }
    QPushButton* addButton() const { return add_; }
    /// What was done, or why nothing was.
    QString outcome() const { return outcome_; }

    void accept() override;

private:
    void choose(int column, const QString& text);
    void mean(int row, int column);
    void refresh();
    Outcome write();

    std::shared_ptr<const Device> device_;
    std::string bytes_;
    Grid grid_;
    std::filesystem::path file_; ///< in the device's folder
    std::string before_;         ///< of the columns file
    Columns said_;
    std::optional<TableLook> look_;
    bool filling_ = false;
    QString outcome_;
    ColumnsTable* table_ = nullptr;
    QTableWidget* names_ = nullptr;
    QLabel* summary_ = nullptr;
    QListWidget* remarks_ = nullptr;
    QPushButton* add_ = nullptr;
};

} // namespace bindrel
