// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "app/session/view_state.h"
#include "core/tuning/setting.h"

#include <QWidget>

#include <optional>

class QBoxLayout;
class QLabel;

namespace bindrel {

class BitsView;
class GoalsForm;
class NeedsList;
class WaveformView;

/// Goals, picture and bits of the selected need, always in step.
class TuningStation : public QWidget {
    Q_OBJECT
public:
    TuningStation(Document& document, ViewState& view, QWidget* parent = nullptr);
    GoalsForm* goals() const { return goals_; }
    WaveformView* picture() const { return picture_; }
    BitsView* bits() const { return bits_; }
    /// Takes over what registers hold, from a text of a debugger or a table; shown as a change before it is taken.
    void adoptFromFile();
    void adoptFromClipboard();
    void exportPicture();
    /// The other need gets the goals that this one states; both are of one kind.
    void copyGoals(const std::string& from, const std::string& to);
    void adopt(const std::string& text, const QString& from);

protected:
    void showEvent(QShowEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    void refresh();
    /// The picture takes what goals and bits leave.
    void shareHeight();
    /// The shown need in the plan as it is now; -1 when there is none.
    NeedIndex shownNeed() const;
    void dragGoal(const Waveform::Handle& handle, const Duration& at);
    void stepGoalOf(const std::string& goal, bool up);
    Document& document_;
    ViewState& view_;
    NeedsList* needs_ = nullptr;
    QLabel* title_ = nullptr;
    WaveformView* picture_ = nullptr;
    GoalsForm* goals_ = nullptr;
    BitsView* bits_ = nullptr;
    QLabel* ways_ = nullptr;
    QLabel* field_ = nullptr; ///< what there is to say of the field that is pointed at
    QBoxLayout* lower_ = nullptr;
    QWidget *goalBody_ = nullptr, *bitBody_ = nullptr;
    Background adopting_{this};
    std::optional<Edit> dragged_; ///< what the handle that is dragged would change
    std::string lastNeed_;        ///< shown while nothing that belongs to a need is selected
};

} // namespace bindrel
