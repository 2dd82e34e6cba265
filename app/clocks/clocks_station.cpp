// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/clocks_station.h"

#include "core/base/say.h"

#include <QFileDialog>
#include <QVBoxLayout>

namespace bindrel {

ClocksStation::ClocksStation(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 6, 0, 0);
    column->setSpacing(0);
    ladder_ = new LadderView(document, view);
    reach_ = new ReachPanel(document, view);
    column->addWidget(ladder_, 1);
    column->addWidget(reach_);
    setFocusProxy(ladder_);
    connect(reach_, &ReachPanel::shown, this, [this](bool open) {
        if (!open)
            ladder_->setFocus();
    });
}

void ClocksStation::exportPicture()
{
    if (!document_.isOpen())
        return;
    const QString path = QFileDialog::getSaveFileName(
        this, say("Export the ladder"), QString::fromStdString(document_.snapshot().plan.name) + "-clocks.svg",
        say("Drawings (*.svg);;Documents (*.pdf);;Pictures (*.png)"));
    if (path.isEmpty())
        return;
    if (const Outcome done = ladder_->exportPicture(path); !done)
        Q_EMIT document_.refused(QString::fromStdString(done.problem().message));
}

} // namespace bindrel
