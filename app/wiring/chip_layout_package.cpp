// SPDX-License-Identifier: GPL-3.0-or-later
// The chip as the data sheet draws it from above, turned as it stands on the board.
#include "app/wiring/chip_layout_stages.h"

#include "core/pins/sides.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace bindrel {

namespace {

class PackageStage : LayoutStage {
public:
    PackageStage(const Snapshot& s, ChipLayout& out) : LayoutStage(s, out) {}

    void run()
    {
        placePins();
        const QRectF& b = out_.body;
        out_.firstCorner = out_.turns == 0   ? b.topLeft()
                           : out_.turns == 1 ? b.bottomLeft()
                           : out_.turns == 2 ? b.bottomRight()
                                             : b.topRight();
    }

private:
    /// A ball grid as seen from above, A1 at the top left. A ball's wire leaves towards the nearest edge, in the gap
    /// beside its row; the deeper the ball the farther from the row, so that the wires of one row do not meet.
    void placeBalls()
    {
        out_.grid = true;
        const auto& pins = s_.device->package.pins;
        int rows = 1;
        int columns = 1;
        std::vector<std::pair<int, int>> places;
        for (const PinIndex i : pins.indices()) {
            // A name that is no ball's still gets a place, in rows of its own below the grid.
            const auto place = ballAt(pins[i].number);
            places.push_back(place ? *place : std::pair(-1, static_cast<int>(i)));
            if (place) {
                rows = std::max(rows, place->first + 1);
                columns = std::max(columns, place->second + 1);
            }
        }
        int spare = rows;
        int column = 0;
        for (auto& place : places)
            if (place.first < 0) {
                place = {spare, column};
                if (++column == columns) {
                    column = 0;
                    ++spare;
                }
            }
        rows = spare + (column > 0);
        for (int turn = 0; turn < out_.turns; ++turn) {
            for (auto& [row, col] : places)
                std::tie(row, col) = std::pair(columns - 1 - col, row);
            std::swap(rows, columns);
        }
        out_.body = QRectF(0, 0, columns * kBallPitch + 2 * kBallMargin, rows * kBallPitch + 2 * kBallMargin);
        const QRectF& b = out_.body;
        const auto centreOf = [&](int row, int col) {
            return QPointF(b.left() + kBallMargin + (col + 0.5) * kBallPitch,
                           b.top() + kBallMargin + (row + 0.5) * kBallPitch);
        };
        std::set<std::pair<int, int>> taken(places.begin(), places.end());
        for (const PinIndex i : pins.indices()) {
            ChipLayout::Pin pin;
            const auto [row, col] = places[i];
            const QPointF centre = centreOf(row, col);
            pin.box = QRectF(centre - QPointF(kLeg / 2, kLeg / 2), QSizeF(kLeg, kLeg));
            pin.pad = pins[i].pad >= 0;
            pin.side = turned(sideOf(s_.device->package, i));
            const bool across = pin.side == Side::Left || pin.side == Side::Right;
            const int depth = pin.side == Side::Left    ? col
                              : pin.side == Side::Right ? columns - 1 - col
                              : pin.side == Side::Top   ? row
                                                        : rows - 1 - row;
            const int deepest = (across ? columns : rows) / 2;
            // Between the edge of this ball's row and that of the next.
            const double room = kBallPitch - kLeg - 4;
            const double off = depth == 0 ? 0 : kLeg / 2 + 2 + room * depth / (deepest + 1);
            const double edge = pin.side == Side::Left    ? b.left()
                                : pin.side == Side::Right ? b.right()
                                : pin.side == Side::Top   ? b.top()
                                                          : b.bottom();
            pin.tip = across ? QPointF(edge, centre.y() + off) : QPointF(centre.x() + off, edge);
            pin.escape << pin.tip << (across ? QPointF(centre.x(), pin.tip.y()) : QPointF(pin.tip.x(), centre.y()))
                       << centre;
            out_.pins.push_back(pin);
        }
        // The largest square of empty places about the middle.
        int half = 0;
        const auto empty = [&](int reach) {
            for (int row = rows / 2 - reach; row <= (rows - 1) / 2 + reach; ++row)
                for (int col = columns / 2 - reach; col <= (columns - 1) / 2 + reach; ++col)
                    if (taken.contains({row, col}))
                        return false;
            return true;
        };
        while (half < std::min(rows, columns) / 2 && empty(half))
            ++half;
        if (half >= 2) {
            const QPointF first = centreOf(rows / 2 - half + 1, columns / 2 - half + 1);
            const QPointF last = centreOf((rows - 1) / 2 + half - 1, (columns - 1) / 2 + half - 1);
            out_.hole = QRectF(first, last).adjusted(-kBallPitch / 2, -kBallPitch / 2, kBallPitch / 2, kBallPitch / 2);
        }
        // Each row and column has its name in the margin, beside the way out of its first ball (corners can be
        // missing).
        std::map<int, int> firstInRow, firstInColumn;
        for (const PackagePin& pin : pins)
            if (const auto place = ballAt(pin.number)) {
                int& left = firstInRow.try_emplace(place->first, place->second).first->second;
                left = std::min(left, place->second);
                int& top = firstInColumn.try_emplace(place->second, place->first).first->second;
                top = std::min(top, place->first);
            }
        for (const PinIndex i : pins.indices()) {
            const auto place = ballAt(pins[i].number);
            if (!place)
                continue;
            const size_t digits = pins[i].number.find_first_of("0123456789");
            const QPointF centre = out_.pins[i].box.center();
            const auto inMargin = [&](Side side) {
                switch (side) {
                case Side::Left:
                    return QPointF(b.left() + kBallMargin / 2, centre.y() - 7);
                case Side::Right:
                    return QPointF(b.right() - kBallMargin / 2, centre.y() - 7);
                case Side::Top:
                    return QPointF(centre.x() - 8, b.top() + kBallMargin / 2);
                case Side::Bottom:
                    break;
                }
                return QPointF(centre.x() - 8, b.bottom() - kBallMargin / 2);
            };
            if (place->second == firstInRow[place->first])
                out_.rulers.emplace_back(QString::fromStdString(pins[i].number.substr(0, digits)),
                                         inMargin(turned(int(Side::Left))));
            if (place->first == firstInColumn[place->second])
                out_.rulers.emplace_back(QString::fromStdString(pins[i].number.substr(digits)),
                                         inMargin(turned(int(Side::Top))));
        }
    }

    /// Where a side of the data sheet's drawing is on the board. Sides are numbered against the clock.
    Side turned(int side) const { return static_cast<Side>((side + out_.turns) % 4); }

    void placePins()
    {
        if (s_.device->package.kind == Package::Kind::BallGrid) {
            placeBalls();
            return;
        }
        const auto& pins = s_.device->package.pins;
        const bool dual = s_.device->package.kind == Package::Kind::DualRow;
        const size_t perSide = dual ? (pins.size() + 1) / 2 : (pins.size() + 3) / 4;
        const double length = double(perSide) * kPitch + 2 * (dual ? kPitch : kCorner);
        const double across = dual ? 180 : length;
        out_.body = out_.turns % 2 == 0 ? QRectF(0, 0, across, length) : QRectF(0, 0, length, across);
        const double first = (dual ? kPitch : kCorner) + kPitch / 2;
        for (const PinIndex i : pins.indices()) {
            ChipLayout::Pin pin;
            const size_t along = i % perSide;
            const int side = int(i / perSide);
            pin.side = turned(dual ? side * 2 : side);
            const double at = first + double(along) * kPitch;
            const QRectF& b = out_.body;
            QPointF centre;
            switch (pin.side) {
            case Side::Left:
                centre = {b.left() - kLeg / 2, b.top() + at};
                pin.tip = centre - QPointF(kLeg / 2, 0);
                break;
            case Side::Bottom:
                centre = {b.left() + at, b.bottom() + kLeg / 2};
                pin.tip = centre + QPointF(0, kLeg / 2);
                break;
            case Side::Right:
                centre = {b.right() + kLeg / 2, b.bottom() - at};
                pin.tip = centre + QPointF(kLeg / 2, 0);
                break;
            case Side::Top:
                centre = {b.right() - at, b.top() - kLeg / 2};
                pin.tip = centre - QPointF(0, kLeg / 2);
                break;
            }
            pin.box = QRectF(centre - QPointF(kLeg / 2, kLeg / 2), QSizeF(kLeg, kLeg));
            pin.pad = pins[i].pad >= 0;
            out_.pins.push_back(pin);
        }
    }
};

} // namespace

void placePackage(const Snapshot& snapshot, ChipLayout& out)
{
    PackageStage(snapshot, out).run();
}

} // namespace bindrel
