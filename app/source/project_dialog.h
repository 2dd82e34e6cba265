// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/project_layout.h"

#include <QDialog>

#include <functional>
#include <vector>

class QLabel;
class QPushButton;
class QWidget;

namespace bindrel {

/// Asks how the written project is laid out: folders, file names, line ends, a notice above each file.
class ProjectDialog : public QDialog {
    Q_OBJECT
public:
    /// `prefix` of the file names that are shown as an example.
    ProjectDialog(const ProjectLayout& layout, QString prefix, QWidget* parent);

    const ProjectLayout& layout() const { return layout_; }

private:
    void read();

    struct Field {
        const LayoutSetting* setting;
        std::function<QString()> text;
    };
    std::vector<Field> fields_;
    ProjectLayout layout_;
    QString prefix_;
    QLabel* example_;
    QLabel* wrong_;
    QPushButton* accept_;
};

} // namespace bindrel
