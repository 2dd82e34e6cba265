// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/clocks/ladder_layout.h"
#include "app/frame/document.h"
#include "app/frame/view_state.h"
#include "app/widgets/row_list.h"

namespace bindrel {

/// The ladder: a row a clock with its mark on the frequency axis, the band of its limits, and connectors to what it comes
/// from. Selecting a rung inks its path. Keys: up and down, Enter or a digit to type, H to hold.
class LadderView : public RowList {
    Q_OBJECT
public:
    LadderView(Document& document, ViewState& view, QWidget* parent = nullptr);

    int rowCount() const override { return int(rungs_.size()); }
    int rowOf(const std::string& clock) const;
    /// Height of the axis above the rows.
    static constexpr int kAxisHeight = 30;

Q_SIGNALS:
    void editWanted(const QString& firstKey); ///< the person has begun to type a setting or a rate

protected:
    int rowHeight(int row) const override;
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    QString rowText(int row) const override;
    void paintEvent(QPaintEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    class Header;
    void rebuild();
    FrequencyAxis axis() const;
    void drawConnectors(QPainter& painter, const FrequencyAxis& axis) const;
    bool onPath(int clock) const;
    double xOf(const FrequencyAxis& axis, int clock) const;

    Document& document_;
    ViewState& view_;
    std::vector<Rung> rungs_;
    Header* header_ = nullptr;
    std::vector<int> path_; ///< from the selected clock to its source
};

} // namespace bindrel
