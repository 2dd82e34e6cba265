// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/session/pending_text.h"

#include <QWidget>

#include <map>

class QGridLayout;
class QLabel;
class QLineEdit;
class QToolButton;

namespace bindrel {

/// The goals of a need: each with a field, what is achieved, and how far off that is. A text goes to the need that was
/// shown when typing began. One that cannot be a goal marks its field and says why; the plan keeps the old one, and Esc
/// brings it back.
class GoalsForm : public QWidget {
    Q_OBJECT
public:
    GoalsForm(Document& document, PendingText& pending, QWidget* parent = nullptr);
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
    /// Where the shown need is in the plan as it is now; -1 when it is not there.
    NeedIndex shownNeed() const;
    void noteTyping(const std::string& goal, QLineEdit* edit);
    /// Why it cannot be; empty when it is done.
    QString commit(const std::string& need, const std::string& goal, const QString& text);
    void showTrouble(const std::string& goal, const QString& why);
    void restore(const std::string& goal);
    /// To the next value of the field's goal that can be made.
    void step(QLineEdit* edit, bool up);

    Document& document_;
    PendingText& pending_;
    std::string shownId_;  ///< of the need; empty: none
    std::string builtFor_; ///< whose fields there are
    std::string shape_;    ///< which goals are relevant; another shape needs other rows
    bool more_ = false;
    QGridLayout* grid_ = nullptr;
    QWidget* body_ = nullptr;
    QLabel* trouble_ = nullptr;
    std::map<std::string, Row> rows_;
    std::string lit_;
};

} // namespace bindrel
