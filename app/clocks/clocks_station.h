// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/clocks/ladder_view.h"
#include "app/clocks/reach_panel.h"

#include <QWidget>

namespace bindrel {

/// The ladder fills the station; the ways to a wanted rate open below it. What is typed goes to the inspector.
class ClocksStation : public QWidget {
    Q_OBJECT
public:
    ClocksStation(Document& document, ViewState& view, QWidget* parent = nullptr);
    LadderView* ladder() const { return ladder_; }
    ReachPanel* reach() const { return reach_; }

    /// Asks for a file and writes the ladder into it.
    void exportPicture();

private:
    Document& document_;
    LadderView* ladder_ = nullptr;
    ReachPanel* reach_ = nullptr;
};

} // namespace bindrel
