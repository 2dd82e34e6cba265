// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "core/clocks/rate_choices.h"

#include "app/clocks/ladder_layout.h"
#include "app/session/document.h"
#include "app/session/view_state.h"
#include "app/widgets/row_list.h"

namespace bindrel {

/// The ladder: a row a clock with its mark on the frequency axis, the band of its limits, and connectors to what it
/// comes from. Selecting a rung inks its path. A change that is previewed moves the marks; where they are now stays as
/// a ring. A mark can be dragged along the axis: it goes to the rates that its clock can be set to, and what follows is
/// previewed. Keys: up and down, Enter or a digit to type, H to hold, M to see the low-power modes one after another, U
/// to fold what nothing uses and what is alike, + and - to zoom the axis, F to fit it.
class LadderView : public RowList {
    Q_OBJECT
public:
    LadderView(Document& document, ViewState& view, QWidget* parent = nullptr);

    int rowCount() const override { return int(rungs_.size()); }
    QString rowText(int row) const override;
    QString rowKey(int row) const override;
    int rowOf(const std::string& clock) const;
    /// Height of the axis above the rows.
    static constexpr int kAxisHeight = 30;
    /// Middle of a clock's mark in the viewport, for tests.
    QPointF markOf(ClockIndex clock) const;
    bool dragging() const { return drag_.clock >= 0; }
    /// Whether the rates that a drag can reach are worked out.
    bool dragReady() const { return !drag_.choices.empty(); }
    Outcome exportPicture(const QString& path);
    void zoomAxis(double factor, double around); ///< around an x of the viewport

Q_SIGNALS:
    void editWanted(const QString& firstKey); ///< the person has begun to type a setting or a rate

protected:
    int rowHeight(int row) const override;
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    void paintEvent(QPaintEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;

private:
    // Pixels: columns of names and rates, and what is left free at both ends of the axis.
    static constexpr int kNameWidth = 108;
    static constexpr int kRateWidth = 84;
    static constexpr int kLeft = kNameWidth + kRateWidth + 26;
    static constexpr int kRight = 44;

    class Header;
    struct Drag {
        ClockIndex clock = -1;
        std::optional<ClockDecision> setting; ///< nearest to the pointer; empty: the present one
        std::vector<RateChoice> choices;      ///< empty until they are worked out
        std::optional<double> waiting;        ///< where the pointer is meanwhile
    };
    void beginDrag(ClockIndex clock);
    /// The plan, or what a change would make of it. A change to another chip has other clocks: it is not shown here.
    const Snapshot& shown() const
    {
        const bool same = view_.preview() && view_.preview()->device->name == document_.snapshot().device->name &&
                          view_.preview()->device->clocks.size() == document_.snapshot().device->clocks.size();
        return same ? *view_.preview() : document_.snapshot();
    }
    void rebuild();
    void relayout();
    void dragTo(double x);
    void drawGrid(QPainter& painter, const FrequencyAxis& axis, int height) const;
    void drawAxis(QPainter& painter, const FrequencyAxis& axis) const;
    void drawFolded(QPainter& painter, const Rung& rung, const QRect& rect) const;
    FrequencyAxis axis() const;
    void drawConnectors(QPainter& painter, const FrequencyAxis& axis) const;
    QString rungName(const Rung& rung, const QFontMetrics& metrics, int width) const;
    bool onPath(ClockIndex clock) const;
    /// Whether it runs in what is shown: the plan, or a low-power mode of the chip that is selected.
    bool runs(ClockIndex clock) const;
    void nextMode();
    bool hasRung(ClockIndex clock) const;
    double xOf(const FrequencyAxis& axis, ClockIndex clock) const;

    Document& document_;
    ViewState& view_;
    std::vector<Rung> rungs_;
    Header* header_ = nullptr;
    std::vector<ClockIndex> path_; ///< from the selected clock to its source
    int mode_ = -1;                ///< low-power mode that is shown, into Device::modes
    std::vector<bool> alive_;      ///< in it
    std::set<std::string> foldedTiers_;
    double zoom_ = 1, shift_ = 0; ///< of the axis
    Drag drag_;
    Background rates_{this};
};

} // namespace bindrel
