// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/output/backups.h"

#include <QDialog>

#include <filesystem>
#include <vector>

class QLabel;
class QListWidget;
class QPushButton;
class QsciScintilla;

namespace bindrel {

/// Earlier texts of the files in an output folder: what has changed since, and back with one of them.
class BackupsDialog : public QDialog {
    Q_OBJECT
public:
    /// `file` is the one whose backups are shown first.
    BackupsDialog(std::filesystem::path folder, std::vector<Backup> backups, const QString& file, QWidget* parent);

private:
    void showBackup(int row);
    void restore();
    std::string present(const std::string& file) const;

    std::filesystem::path folder_;
    std::vector<Backup> backups_;
    QListWidget* list_;
    QsciScintilla* text_;
    QLabel* message_;
    QPushButton* restore_;
};

} // namespace bindrel
