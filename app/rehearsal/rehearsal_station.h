// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/rehearsal/runs.h"
#include "app/session/background.h"
#include "app/session/document.h"
#include "app/session/view_state.h"

#include <QTimer>
#include <QWidget>

class QLabel;
class QPushButton;

namespace bindrel {

class OperationsList;
class ScenarioList;
class TimelineView;

/// The bring-up, changes of clocks and low-power modes as a board would live through them: scenarios at the left, the
/// time line, every operation below it with the line of C that does it, and the machine code on demand.
class RehearsalStation : public QWidget {
    Q_OBJECT
public:
    RehearsalStation(Document& document, ViewState& view, QWidget* parent = nullptr);

    ScenarioList* scenarios() const { return scenarios_; }
    TimelineView* timeline() const { return timeline_; }
    OperationsList* operations() const { return operations_; }
    QLabel* line() const { return line_; }
    QLabel* verdict() const { return verdict_; }
    Background& background() { return background_; }
    /// Hazards of what the program does by itself.
    int hazards() const;
    /// Compiles and executes the written C for the scenario that is shown; the verdict says what came of it.
    void runMachineCode();
    /// Rehearses at once instead of after a pause.
    void refreshNow();

Q_SIGNALS:
    void rehearsed(); ///< the outcomes are others

protected:
    void showEvent(QShowEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    void take(std::shared_ptr<const Runs> runs);
    void showRun();
    void showOperation(int operation, bool select);
    const Runs::One* current() const;
    void showMessage(const QString& text, bool trouble);

    Document& document_;
    ViewState& view_;
    Background background_{this}, machine_{this};
    QTimer pause_;
    std::shared_ptr<const Runs> runs_;
    int run_ = 0;
    ScenarioList* scenarios_ = nullptr;
    TimelineView* timeline_ = nullptr;
    OperationsList* operations_ = nullptr;
    QLabel* title_ = nullptr;
    QLabel* split_ = nullptr;
    QLabel* line_ = nullptr;
    QLabel* verdict_ = nullptr;
    QPushButton* machineCode_ = nullptr;
    QPushButton* axis_ = nullptr;
};

} // namespace bindrel
