// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/layout_change.h"
#include "core/snapshot.h"

#include <QWidget>

#include <memory>

namespace bindrel {

/// The chip with its used pins, as a plan has them and as another one has: what moves is named, what a wish complains
/// of is marked, and below each stands what it costs.
class LayoutPair : public QWidget {
    Q_OBJECT
public:
    explicit LayoutPair(QWidget* parent = nullptr);
    /// REQUIRES: both have the same chip.
    void setLayouts(std::shared_ptr<const Snapshot> before, std::shared_ptr<const Snapshot> after, LayoutChange change);
    QSize sizeHint() const override { return {780, 420}; }
    QSize minimumSizeHint() const override { return {720, 360}; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    /// A signal on a pin of the package.
    struct Mark {
        PinIndex pin;
        int part = -1; ///< into Board::parts
        bool moves = false, unwished = false;
        QString label = {}; ///< "PB4  Pump, phase 1 high"
    };
    struct Picture {
        std::vector<Mark> marks;
        QStringList figures;
    };
    struct Body;
    Body bodyIn(const QRect& room) const;
    Picture pictureOf(const Snapshot& shown, const Snapshot& other, bool after) const;
    void paintPicture(QPainter& p, const QRect& rect, const QString& title, const Picture& picture) const;
    void paintMark(QPainter& p, const Body& body, const Mark& mark, std::vector<double>& labelled) const;

    std::shared_ptr<const Snapshot> before_, after_;
    LayoutChange change_;
    Picture left_, right_;
};

} // namespace bindrel
