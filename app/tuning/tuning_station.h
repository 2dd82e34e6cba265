// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/session/view_state.h"

#include <QWidget>

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

protected:
    void showEvent(QShowEvent*) override;

private:
    void refresh();
    Document& document_;
    ViewState& view_;
    NeedsList* needs_ = nullptr;
    QLabel* title_ = nullptr;
    WaveformView* picture_ = nullptr;
    GoalsForm* goals_ = nullptr;
    BitsView* bits_ = nullptr;
    QLabel* ways_ = nullptr;
    std::string lastNeed_; ///< shown while nothing that belongs to a need is selected
};

} // namespace bindrel
