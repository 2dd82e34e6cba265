// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/session/option_finder.h"
#include "app/session/view_state.h"
#include "app/widgets/accessible_items.h"
#include "app/wiring/chip_layout.h"

#include <QTransform>
#include <QWidget>

#include <optional>

namespace bindrel {

/// The wiring picture: parts around the chip, wires, options as ghost wires; selecting, binding by click and drag,
/// zoom.
class ChipView : public QWidget, public AccessibleItems {
    Q_OBJECT
public:
    ChipView(Document& document, ViewState& view, OptionFinder& options, QWidget* parent = nullptr);

    QSize minimumSizeHint() const override { return {360, 300}; }

    /// A need or a signal of it is being dragged over the window; `at` is in this widget's pixels.
    void dragOver(const Place& what, const QPointF& at);
    /// Ends the drag; binds when it ends over a pad that can serve. True when an edit was made.
    /// With `contest` a pad that is taken is taken all the same, without making room.
    bool dropAt(const Place& what, const QPointF& at, bool contest = false);
    void endDrag();

    /// Where a pad's leg is in this widget, for tests and for pointing at things.
    QPointF pinPosition(const std::string& pad) const;
    const ChipLayout& layoutShown() const { return layout_; }
    /// What the label beside a dragged signal says, a line each; empty when nothing is dragged.
    QStringList dragText() const;
    /// The lines about contention beyond pads, each with the place to jump to.
    const std::vector<std::pair<QString, Place>>& contestNotes() const { return notes_; }
    QRectF noteRect(int note) const; ///< in this widget
    double scale() const { return transform_.m11(); }
    /// Pins in the order of the package, each with what it carries and how that stands.
    std::vector<AccessibleItem> accessibleItems() const override;
    void chooseAccessibleItem(int item) override;

    /// Writes the whole picture, fitted to its size; the ending says how: .svg, .pdf or .png.
    Outcome exportPicture(const QString& path);

public Q_SLOTS:
    void fit();
    void zoomBy(double factor);
    void turn();     ///< a quarter against the clock, as the chip may stand on the board
    void turnBack(); ///< to the data sheet's orientation

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

private:
    /// What the picture shows: the plan, or the one that a change would make of it.
    const Snapshot& shown() const { return view_.preview() ? *view_.preview() : document_.snapshot(); }
    static constexpr double kPinReach = 9; ///< how near to a pin's middle counts as on it, in units of the picture

    void relayout();
    void setTransform();
    QPointF toScene(const QPointF& widgetPoint) const { return transform_.inverted().map(widgetPoint); }
    std::optional<Place> placeAt(const QPointF& scene) const;
    const Option* optionAt(const QPointF& scene) const;
    bool takeOptionAt(const QPointF& scene, bool contest);
    int needIndex(const std::string& id) const;
    /// The signal of a place, or the first open one of its need.
    std::string signalFor(const Place& place) const { return finder_.signalFor(place); }
    /// Another need that a seat contends with over something that is no pad; -1 when there is none.
    NeedIndex contender(NeedIndex need, int seat) const;
    void collectContests();
    bool emphasised(NeedIndex need) const;

    void drawCards(QPainter&) const;
    void drawWires(QPainter&) const;
    void drawChip(QPainter&) const;
    void drawGrid(QPainter&) const;
    void drawPins(QPainter&) const;
    void drawAll(QPainter&) const;
    void drawGhosts(QPainter&) const;
    void drawOptionLabel(QPainter&, const Option& option, int number, const ChipLayout::Pin& pin,
                         std::vector<QRectF>& taken) const;
    void drawChain(QPainter&, const Edit& room) const;
    void drawDragLabel(QPainter&) const;
    void drawNotes(QPainter&) const;
    void drawContests(QPainter&) const;
    QString tipFor(const QPointF& scene) const;

    Document& document_;
    ViewState& view_;
    ChipLayout layout_;
    OptionFinder& finder_;
    std::map<std::pair<int, int>, int> contenders_; ///< need and seat (-1: all of it) -> another need
    std::vector<std::pair<QString, Place>> notes_;
    int turns_ = 0;
    QTransform transform_;
    double zoom_ = 1; ///< on top of fitting
    QPointF pan_;
    std::optional<Place> dragged_; ///< a signal on its way to a pad
    QPointF dragPoint_;            ///< scene
    QPointF pressed_;              ///< widget
    std::optional<Place> pressPlace_;
    bool panning_ = false;
};

} // namespace bindrel
