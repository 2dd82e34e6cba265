// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"

#include <QWidget>

#include <map>

class QGridLayout;
class QLabel;
class QToolButton;

namespace bindrel {

/// The goals of a need: each with a field, what is achieved, and how far off that is. A text that cannot be a goal marks
/// its field and says why; the plan keeps the old one.
class GoalsForm : public QWidget {
    Q_OBJECT
public:
    GoalsForm(Document& document, QWidget* parent = nullptr);
    void showNeed(NeedIndex need);
    /// The field of a goal, for tests and for jumping to it; null when it is not shown.
    QWidget* editor(const std::string& goal) const;
    void focusGoal(const std::string& goal);
    void lightGoal(const std::string& goal);

Q_SIGNALS:
    void goalEntered(const std::string& goal); ///< its field got the focus or the pointer

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    struct Row {
        QLabel* title = nullptr;
        QWidget* editor = nullptr;
        QLabel* achieved = nullptr;
        QLabel* error = nullptr;
    };
    void build();
    void fill();
    void commit(const std::string& goal, const QString& text);

    Document& document_;
    int need_ = -1;
    std::string shownId_;
    std::string shape_; ///< which goals are relevant; another shape needs other rows
    bool more_ = false;
    QGridLayout* grid_ = nullptr;
    QWidget* body_ = nullptr;
    QLabel* trouble_ = nullptr;
    std::map<std::string, Row> rows_;
    std::string lit_;
};

} // namespace bindrel
