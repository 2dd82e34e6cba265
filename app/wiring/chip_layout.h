// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <QPointF>
#include <QPolygonF>
#include <QRectF>

#include <string>
#include <vector>

namespace bindrel {

/// Where everything of the wiring picture is, in its own units (about pixels at full size). Computed anew from each
/// snapshot; the same plan gives the same picture.
///
/// The chip stands in the middle as the data sheet draws it. Each part is a card on the left or right, on the side
/// where its pads are; the cards, and the terminals on a card, follow the order in which their pads come around the
/// chip, so that wires seldom cross. A wire runs horizontally, along a lane, horizontally; no two share a lane where
/// they would overlap.
struct ChipLayout {
    enum class Side { Left, Bottom, Right, Top };

    struct Pin {
        Side side = Side::Left;
        QRectF box;       ///< the leg's square
        QPointF tip;      ///< where wires end; of a ball, where they come out from under the chip
        QPolygonF escape; ///< from the tip to the ball; empty for pins at the edge
        bool pad = false; ///< against supply, ground and dedicated pins
    };
    struct Terminal {
        std::string name;
        NeedIndex need = -1; ///< that takes it to the chip; -1 when none does
        int seat = -1;
        QPointF tip;
    };
    struct Card {
        int part = -1; ///< into Board::parts
        bool left = true;
        QRectF box;
        std::vector<Terminal> terminals;
    };
    struct Wire {
        NeedIndex need = -1;
        int seat = -1;
        PinIndex pin = -1; ///< into Package::pins
        QPolygonF path;
    };

    /// Beside the body: where the label of a pad without a wire begins, and how long it can be.
    static constexpr double kLabelGap = 16, kLabelLength = 110;

    int turns = 0; ///< quarter turns against the clock from the data sheet's orientation
    QRectF body;
    QPointF firstCorner; ///< of the body, where pin 1 or ball A1 is
    bool grid = false;   ///< balls under the chip instead of legs at its edge
    QRectF hole;         ///< a part of the middle without balls, where the name can stand; null when there is none
    std::vector<std::pair<QString, QPointF>> rulers; ///< names of a grid's rows and columns
    QRectF bounds;
    IndexVector<PinIndex, Pin> pins; ///< as Package::pins
    std::vector<Card> cards;
    std::vector<Wire> wires;

    int pinAt(const QPointF& point, double reach) const; ///< index of the nearest pin within reach, -1 when none
    int wireAt(const QPointF& point, double reach) const;
    const Card* cardAt(const QPointF& point) const;
    const Terminal* terminalOf(NeedIndex need, int seat) const;
    /// A path from a card's terminal (or from a point) to a pin, for ghosts.
    QPolygonF ghost(const QPointF& from, PinIndex pin) const;
};

/// `turns`: quarter turns against the clock, for a chip that stands otherwise on the board; 0 is the data sheet's
/// orientation.
ChipLayout layOut(const Snapshot& snapshot, int turns = 0);

} // namespace bindrel
