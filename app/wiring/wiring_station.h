// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/document.h"
#include "app/frame/view_state.h"

#include <QWidget>

class QLabel;
class QStackedWidget;

namespace bindrel {

class ChipView;
class NeedsList;
class WaysList;

/// Needs on the left, the picture in the middle; what the keys and drags in either do to the plan.
class WiringStation : public QWidget {
    Q_OBJECT
public:
    WiringStation(Document& document, ViewState& view, QWidget* parent = nullptr);
    ChipView* chip() const { return chip_; }
    NeedsList* needs() const { return needs_; }
    WaysList* ways() const { return ways_; }

public Q_SLOTS:
    void bindSelected();
    void bindAll();
    void unbindSelected();
    void holdSelected();
    void toggleOptions();
    void takeOptionNumber(int number);
    void addNeed();
    void removeSelected();
    /// Lists ways out of contention in place of the needs; the picture shows the current one. Enter takes it, Escape leaves.
    void untangle();
    void leaveUntangling();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void bindOne(const std::string& need);
    void toggleHold(const Place& place);

    Document& document_;
    ViewState& view_;
    void previewWay(int row);

    QStackedWidget* left_ = nullptr; ///< needs, or ways
    WaysList* ways_ = nullptr;
    QLabel* waysNote_ = nullptr;
    NeedsList* needs_ = nullptr;
    ChipView* chip_ = nullptr;
};

} // namespace bindrel
