// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/clocks/ladder_view.h"

#include <QWidget>

namespace bindrel {

/// The ladder fills the station; what is typed goes to the inspector.
class ClocksStation : public QWidget {
    Q_OBJECT
public:
    ClocksStation(Document& document, ViewState& view, QWidget* parent = nullptr);
    LadderView* ladder() const { return ladder_; }

private:
    LadderView* ladder_ = nullptr;
};

} // namespace bindrel
