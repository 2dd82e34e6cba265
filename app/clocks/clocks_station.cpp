// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"

#include <QVBoxLayout>

namespace bindrel {

ClocksStation::ClocksStation(Document& document, ViewState& view, QWidget* parent) : QWidget(parent)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 6, 0, 0);
    ladder_ = new LadderView(document, view);
    column->addWidget(ladder_);
    setFocusProxy(ladder_);
}

} // namespace bindrel
