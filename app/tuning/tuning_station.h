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
class QToolButton;

namespace bindrel {

class AlternativesList;
class BitsView;
class DigitsView;
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
    DigitsView* digits() const { return digits_; }
    AlternativesList* alternatives() const { return alternatives_; }
    /// Takes over what registers hold, from a text of a debugger or a table; shown as a change before it is taken.
    void adoptFromFile();
    void adoptFromClipboard();
    void exportPicture();
    /// The other need gets the goals that this one states; both are of one kind.
    void copyGoals(const std::string& from, const std::string& to);
    void adopt(const std::string& text, const QString& from);
    /// Shows what another need of the kind has that the shown one has not, and its picture over this one's; an empty id
    /// ends that.
    void compareWith(const std::string& other);

protected:
    void showEvent(QShowEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    QWidget* makeGoalsAndBits();
    void follow();
    void refresh();
    QString checksOf(const Need& need, const Setting& setting) const;
    QString comparisonOf(NeedIndex need) const;
    void compareAlternative(int row);
    void applyAlternativeOf(int row);
    void setDigits(const SegmentDigits& digits);
    /// The need that is compared with the shown one, as long as both are there and of one kind; -1.
    NeedIndex comparedNeed() const;
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
    DigitsView* digits_ = nullptr;
    QToolButton* inStep_ = nullptr; ///< needs that work in step are shown on one axis
    QLabel* checks_ = nullptr;
    QLabel* ranking_ = nullptr;
    AlternativesList* alternatives_ = nullptr;
    std::string comparedWith_; ///< id of a need
    QLabel* field_ = nullptr;  ///< what there is to say of the field that is pointed at
    QBoxLayout* lower_ = nullptr;
    QWidget *goalBody_ = nullptr, *bitBody_ = nullptr;
    Background adopting_{this};
    std::optional<Edit> dragged_; ///< what the handle that is dragged would change
    std::string lastNeed_;        ///< shown while nothing that belongs to a need is selected
};

} // namespace bindrel
