// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/document.h"
#include "app/frame/view_state.h"

#include <QWidget>

namespace bindrel {

class ChipView;
class NeedsList;

/// Needs on the left, the picture in the middle; what the keys and drags in either do to the plan.
class WiringStation : public QWidget {
    Q_OBJECT
public:
    WiringStation(Document& document, ViewState& view, QWidget* parent = nullptr);
    ChipView* chip() const { return chip_; }
    NeedsList* needs() const { return needs_; }

public Q_SLOTS:
    void bindSelected();
    void bindAll();
    void unbindSelected();
    void holdSelected();
    void toggleOptions();
    void takeOptionNumber(int number);
    void addNeed();
    void removeSelected();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void bindOne(const std::string& need);
    void toggleHold(const Place& place);

    Document& document_;
    ViewState& view_;
    NeedsList* needs_ = nullptr;
    ChipView* chip_ = nullptr;
};

} // namespace bindrel
