// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/chip_layout.h"

#include "core/pins/sides.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

namespace bindrel {

namespace {

constexpr double kPitch = 15;
constexpr double kCorner = 52; ///< room for the names of the neighbouring side inside the body
constexpr double kLeg = 9;
constexpr double kBallPitch = 26;  ///< room for the wires of the balls farther in
constexpr double kBallMargin = 22; ///< for the letters and numbers of rows and columns
constexpr double kCardWidth = 122;
constexpr double kCardTitle = 20;
constexpr double kTerminalRow = 15;
constexpr double kCardPad = 5;
constexpr double kCardGap = 12;
constexpr double kLane = 5;
constexpr double kFirstLane = 14; ///< from the legs outward

using Side = ChipLayout::Side;

/// A stretch along a lane that a wire occupies.
struct Span {
    double low = 0, high = 0;
    bool overlaps(const Span& o) const { return low < o.high + 4 && o.low < high + 4; }
};

/// Hands out lanes, counted from the chip outwards, so that later ones of a group lie outside earlier ones that they pass.
class Lanes {
public:
    int take(const Span& span, int group)
    {
        int lane = 0;
        for (const auto& [number, used, usedGroup] : taken_)
            if (usedGroup == group && used.overlaps(span))
                lane = std::max(lane, number + 1);
        for (bool clash = true; clash;) {
            clash = false;
            for (const auto& [number, used, usedGroup] : taken_)
                if (number == lane && used.overlaps(span)) {
                    ++lane;
                    clash = true;
                }
        }
        taken_.push_back({lane, span, group});
        most_ = std::max(most_, lane + 1);
        return lane;
    }
    int count() const { return most_; }

private:
    struct Taken {
        int lane;
        Span span;
        int group;
    };
    std::vector<Taken> taken_;
    int most_ = 0;
};

class Layout {
public:
    Layout(const Snapshot& s, int turns) : s_(s) { out_.turns = (turns % 4 + 4) % 4; }

    ChipLayout run()
    {
        placePins();
        const QRectF& b = out_.body;
        out_.firstCorner = out_.turns == 0 ? b.topLeft() : out_.turns == 1 ? b.bottomLeft() : out_.turns == 2 ? b.bottomRight() : b.topRight();
        makeCards();
        placeCards();
        routeWires();
        frame();
        return std::move(out_);
    }

private:
    /// A ball grid as seen from above, A1 at the top left. A ball's wire leaves towards the nearest edge, in the gap beside its
    /// row; the deeper the ball the farther from the row, so that the wires of one row do not meet.
    void placeBalls()
    {
        out_.grid = true;
        const auto& pins = s_.device->package.pins;
        int rows = 1;
        int columns = 1;
        std::vector<std::pair<int, int>> places;
        for (size_t i = 0; i < pins.size(); ++i) {
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
        const auto centreOf = [&](int row, int col) { return QPointF(b.left() + kBallMargin + (col + 0.5) * kBallPitch, b.top() + kBallMargin + (row + 0.5) * kBallPitch); };
        std::set<std::pair<int, int>> taken(places.begin(), places.end());
        for (size_t i = 0; i < pins.size(); ++i) {
            ChipLayout::Pin pin;
            const auto [row, col] = places[i];
            const QPointF centre = centreOf(row, col);
            pin.box = QRectF(centre - QPointF(kLeg / 2, kLeg / 2), QSizeF(kLeg, kLeg));
            pin.pad = pins[i].pad >= 0;
            pin.side = turned(sideOf(s_.device->package, i));
            const bool across = pin.side == Side::Left || pin.side == Side::Right;
            const int depth = pin.side == Side::Left ? col : pin.side == Side::Right ? columns - 1 - col : pin.side == Side::Top ? row : rows - 1 - row;
            const int deepest = (across ? columns : rows) / 2;
            // Between the edge of this ball's row and that of the next.
            const double room = kBallPitch - kLeg - 4;
            const double off = depth == 0 ? 0 : kLeg / 2 + 2 + room * depth / (deepest + 1);
            const double edge = pin.side == Side::Left ? b.left() : pin.side == Side::Right ? b.right() : pin.side == Side::Top ? b.top() : b.bottom();
            pin.tip = across ? QPointF(edge, centre.y() + off) : QPointF(centre.x() + off, edge);
            pin.escape << pin.tip << (across ? QPointF(centre.x(), pin.tip.y()) : QPointF(pin.tip.x(), centre.y())) << centre;
            out_.pins.push_back(pin);
            if (pins[i].pad >= 0)
                pinOfPad_[pins[i].pad] = int(i);
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
        // Each row and column has its name in the margin, beside the way out of its first ball (corners can be missing).
        std::map<int, int> firstInRow, firstInColumn;
        for (const PackagePin& pin : pins)
            if (const auto place = ballAt(pin.number)) {
                int& left = firstInRow.try_emplace(place->first, place->second).first->second;
                left = std::min(left, place->second);
                int& top = firstInColumn.try_emplace(place->second, place->first).first->second;
                top = std::min(top, place->first);
            }
        for (size_t i = 0; i < pins.size(); ++i) {
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
                out_.rulers.emplace_back(QString::fromStdString(pins[i].number.substr(0, digits)), inMargin(turned(int(Side::Left))));
            if (place->first == firstInColumn[place->second])
                out_.rulers.emplace_back(QString::fromStdString(pins[i].number.substr(digits)), inMargin(turned(int(Side::Top))));
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
        for (size_t i = 0; i < pins.size(); ++i) {
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
            if (pins[i].pad >= 0)
                pinOfPad_[pins[i].pad] = int(i);
        }
    }

    int pinOf(const Seat& seat) const
    {
        const auto found = seat.pad < 0 ? pinOfPad_.end() : pinOfPad_.find(seat.pad);
        return found == pinOfPad_.end() ? -1 : found->second;
    }

    /// How far around the chip a pin is as seen from one side: 0 at the top middle, down that side, 1 at the bottom middle.
    double around(int pin, bool left) const
    {
        const QRectF& b = out_.body;
        const QPointF p = out_.pins[size_t(pin)].tip;
        const double x = left ? p.x() - b.left() : b.right() - p.x();
        const double half = b.width() / 2;
        const double whole = b.width() + b.height();
        switch (out_.pins[size_t(pin)].side) {
        case Side::Top:
            return (half - x) / whole;
        case Side::Bottom:
            return (half + b.height() + x) / whole;
        default:
            break;
        }
        return (half + p.y() - b.top()) / whole;
    }

    void makeCards()
    {
        const auto& parts = s_.board->parts;
        for (size_t p = 0; p < parts.size(); ++p) {
            ChipLayout::Card card;
            card.part = int(p);
            for (const std::string& name : parts[p].terminals)
                card.terminals.push_back({name, -1, -1, {}});
            for (size_t n = 0; n < s_.plan.needs.size(); ++n) {
                const Need& need = s_.plan.needs[n];
                if (need.part != parts[p].id)
                    continue;
                const auto& seats = s_.bindings.needs[n].seats;
                for (size_t k = 0; k < seats.size(); ++k) {
                    const auto said = need.terminals.find(seats[k].signal.id);
                    const std::string name = said == need.terminals.end() ? seats[k].signal.id : said->second;
                    auto at = std::find_if(card.terminals.begin(), card.terminals.end(), [&](const auto& t) { return t.name == name && t.need < 0; });
                    if (at == card.terminals.end())
                        at = card.terminals.insert(card.terminals.end(), {name, -1, -1, {}});
                    at->need = int(n);
                    at->seat = int(k);
                }
            }
            out_.cards.push_back(std::move(card));
        }
    }

    std::vector<int> pinsOf(const ChipLayout::Card& card) const
    {
        std::vector<int> pins;
        for (const auto& t : card.terminals)
            if (t.need >= 0)
                if (const int pin = pinOf(s_.bindings.needs[size_t(t.need)].seats[size_t(t.seat)]); pin >= 0)
                    pins.push_back(pin);
        return pins;
    }

    static double heightOf(const ChipLayout::Card& card) { return kCardTitle + kTerminalRow * double(card.terminals.size()) + kCardPad; }

    /// A connector keeps its order; which end is up is free.
    void turnRow(std::vector<ChipLayout::Terminal>& terminals, bool left) const
    {
        int falls = 0;
        for (size_t i = 1; i < terminals.size(); ++i) {
            const auto before = keyOf(terminals[i - 1], left), after = keyOf(terminals[i], left);
            falls += (after < before) - (before < after);
        }
        if (falls > 0)
            std::reverse(terminals.begin(), terminals.end());
    }

    void placeCards()
    {
        // Bound parts go to the side where most of their pads are; parts without pads fill up the emptier side.
        double load[2] = {0, 0};
        std::vector<ChipLayout::Card*> idle;
        const double middle = out_.body.center().x();
        for (auto& card : out_.cards) {
            const std::vector<int> pins = pinsOf(card);
            if (pins.empty()) {
                idle.push_back(&card);
                continue;
            }
            double x = 0;
            for (const int pin : pins)
                x += out_.pins[size_t(pin)].tip.x() - middle;
            card.left = x <= 0;
            load[card.left ? 0 : 1] += heightOf(card) + kCardGap;
        }
        for (auto* card : idle) {
            card->left = load[0] <= load[1];
            load[card->left ? 0 : 1] += heightOf(*card) + kCardGap;
        }
        for (const bool left : {true, false})
            stack(left);
    }

    void stack(bool left)
    {
        struct Entry {
            ChipLayout::Card* card;
            double order;
            double wanted;
        };
        std::vector<Entry> entries;
        for (auto& card : out_.cards) {
            if (card.left != left)
                continue;
            const std::vector<int> pins = pinsOf(card);
            double order = 0;
            for (const int pin : pins)
                order += around(pin, left);
            order = pins.empty() ? 2 : order / double(pins.size());
            if (s_.board->parts[size_t(card.part)].row)
                turnRow(card.terminals, left);
            else
                std::stable_sort(card.terminals.begin(), card.terminals.end(), [&](const auto& a, const auto& b) { return keyOf(a, left) < keyOf(b, left); });
            const QRectF& b = out_.body;
            const double reach = b.height() + 2 * 60;
            entries.push_back({&card, order, b.top() - 60 + reach * std::min(order, 1.0)});
        }
        std::stable_sort(entries.begin(), entries.end(), [](const Entry& a, const Entry& b) { return a.order < b.order; });
        double total = 0;
        for (const Entry& e : entries)
            total += heightOf(*e.card) + kCardGap;
        // Each as near as it can be to where its pads are, none over another, the column centred when it is full.
        const double span = std::max(out_.body.height() + 150, total);
        const double top = out_.body.center().y() - span / 2;
        double y = top;
        double rest = total;
        for (const Entry& e : entries) {
            const double h = heightOf(*e.card);
            y = std::max(y, std::min(e.wanted - h / 2, top + span - rest));
            const double x = 0;
            e.card->box = QRectF(x, y, kCardWidth, h);
            y += h + kCardGap;
            rest -= h + kCardGap;
        }
    }

    double keyOf(const ChipLayout::Terminal& t, bool left) const
    {
        const int pin = t.need < 0 ? -1 : pinOf(s_.bindings.needs[size_t(t.need)].seats[size_t(t.seat)]);
        return pin < 0 ? 2 : around(pin, left);
    }

    void routeWires()
    {
        Lanes side[2];
        Lanes top, bottom;
        std::vector<Edge> edges;
        std::vector<Draft> drafts;
        for (auto& card : out_.cards) {
            double y = card.box.top() + kCardTitle + kTerminalRow / 2;
            for (auto& t : card.terminals) {
                t.tip.setY(y);
                y += kTerminalRow;
            }
            for (const auto& t : card.terminals) {
                if (t.need < 0)
                    continue;
                const int pin = pinOf(s_.bindings.needs[size_t(t.need)].seats[size_t(t.seat)]);
                if (pin < 0)
                    continue;
                Draft d;
                d.wire = {t.need, t.seat, pin, {}};
                d.card = &card;
                d.terminal = &t;
                d.y = t.tip.y();
                d.around = around(pin, card.left);
                const Side s = out_.pins[size_t(pin)].side;
                d.far = s == (card.left ? Side::Right : Side::Left);
                const double target = targetY(pin);
                d.up = d.far ? target < out_.body.center().y() : s == Side::Top || (s != Side::Bottom && target < d.y);
                drafts.push_back(d);
            }
        }
        // From the chip outwards: of those that go up the one furthest around first, of those that go down the nearest.
        std::stable_sort(drafts.begin(), drafts.end(), [](const Draft& a, const Draft& b) {
            if (a.up != b.up)
                return a.up;
            return a.up ? a.around > b.around : a.around < b.around;
        });
        for (Draft& d : drafts) {
            const Side s = out_.pins[size_t(d.wire.pin)].side;
            const double target = d.far ? (d.up ? out_.body.top() - 40 : out_.body.bottom() + 40) : targetY(d.wire.pin);
            if (std::abs(target - d.y) > 1e-6 || s == Side::Top || s == Side::Bottom)
                d.lane = side[d.card->left ? 0 : 1].take({std::min(target, d.y), std::max(target, d.y)}, d.up);
            if (d.far)
                d.farLane = side[d.card->left ? 1 : 0].take({std::min(target, targetY(d.wire.pin)), std::max(target, targetY(d.wire.pin))}, 2);
            if (d.far || s == Side::Top || s == Side::Bottom) {
                const double x = out_.pins[size_t(d.wire.pin)].tip.x();
                const double from = d.card->left ? out_.body.left() - 100 : out_.body.right() + 100;
                Lanes& edge = (d.far ? d.up : s == Side::Top) ? top : bottom;
                d.edgeLane = 0;
                edges.push_back({&d, &edge, {std::min(x, from), std::max(x, from)}, d.card->left ? 0 : 1, std::abs(x - from)});
            }
        }
        std::stable_sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return a.reach < b.reach; });
        for (Edge& e : edges)
            e.draft->edgeLane = e.lanes->take(e.span, e.group);

        zone_[0] = kFirstLane + kLane * side[0].count() + 12;
        zone_[1] = kFirstLane + kLane * side[1].count() + 12;
        for (auto& card : out_.cards) {
            card.box.moveLeft(card.left ? out_.body.left() - kLeg - zone_[0] - kCardWidth : out_.body.right() + kLeg + zone_[1]);
            for (auto& t : card.terminals)
                t.tip.setX(card.left ? card.box.right() : card.box.left());
        }
        for (Draft& d : drafts) {
            const ChipLayout::Pin& pin = out_.pins[size_t(d.wire.pin)];
            const auto laneX = [&](bool left, int lane) {
                const double off = kLeg + kFirstLane + kLane * lane;
                return left ? out_.body.left() - off : out_.body.right() + off;
            };
            QPolygonF& path = d.wire.path;
            path << d.terminal->tip;
            if (d.lane >= 0)
                path << QPointF(laneX(d.card->left, d.lane), d.y);
            if (d.edgeLane >= 0) {
                const bool over = d.far ? d.up : pin.side == Side::Top;
                const double off = kLeg + kFirstLane + kLane * d.edgeLane;
                const double y = over ? out_.body.top() - off : out_.body.bottom() + off;
                path << QPointF(laneX(d.card->left, d.lane), y);
                if (d.far)
                    path << QPointF(laneX(!d.card->left, d.farLane), y) << QPointF(laneX(!d.card->left, d.farLane), pin.tip.y());
                else
                    path << QPointF(pin.tip.x(), y);
            } else if (d.lane >= 0) {
                path << QPointF(laneX(d.card->left, d.lane), pin.tip.y());
            }
            path << pin.tip;
            out_.wires.push_back(d.wire);
        }
    }

    double targetY(int pin) const
    {
        switch (out_.pins[size_t(pin)].side) {
        case Side::Top:
            return out_.body.top() - 40;
        case Side::Bottom:
            return out_.body.bottom() + 40;
        default:
            return out_.pins[size_t(pin)].tip.y();
        }
    }

    void frame()
    {
        QRectF all = out_.body.adjusted(-30, -30, 30, 30);
        for (const auto& card : out_.cards)
            all = all.united(card.box);
        for (const auto& wire : out_.wires)
            all = all.united(wire.path.boundingRect());
        out_.bounds = all.adjusted(-10, -10, 10, 10);
    }

    /// A wire whose lanes are being chosen.
    struct Draft {
        ChipLayout::Wire wire;
        const ChipLayout::Card* card;
        const ChipLayout::Terminal* terminal;
        double y = 0, around = 0;
        bool up = false, far = false;
        int lane = -1, edgeLane = -1, farLane = -1;
    };
    /// The part of a wire that runs along the top or the bottom of the chip.
    struct Edge {
        Draft* draft;
        Lanes* lanes;
        Span span;
        int group;
        double reach;
    };

    const Snapshot& s_;
    ChipLayout out_;
    std::map<int, int> pinOfPad_;
    double zone_[2] = {0, 0};
};

double distanceToSegment(const QPointF& p, const QPointF& a, const QPointF& b)
{
    const QPointF d = b - a;
    const double length = QPointF::dotProduct(d, d);
    const double t = length > 0 ? std::clamp(QPointF::dotProduct(p - a, d) / length, 0.0, 1.0) : 0;
    const QPointF off = p - (a + t * d);
    return std::sqrt(QPointF::dotProduct(off, off));
}

} // namespace

ChipLayout layOut(const Snapshot& snapshot, int turns) { return Layout(snapshot, turns).run(); }

int ChipLayout::pinAt(const QPointF& point, double reach) const
{
    int best = -1;
    double nearest = reach;
    for (size_t i = 0; i < pins.size(); ++i) {
        const QPointF off = point - pins[i].box.center();
        const double away = std::max(std::abs(off.x()), std::abs(off.y()));
        if (away <= nearest) {
            nearest = away;
            best = int(i);
        }
    }
    return best;
}

int ChipLayout::wireAt(const QPointF& point, double reach) const
{
    int best = -1;
    double nearest = reach;
    for (size_t w = 0; w < wires.size(); ++w)
        for (qsizetype i = 0; i + 1 < wires[w].path.size(); ++i)
            if (const double away = distanceToSegment(point, wires[w].path[i], wires[w].path[i + 1]); away < nearest) {
                nearest = away;
                best = int(w);
            }
    return best;
}

const ChipLayout::Card* ChipLayout::cardAt(const QPointF& point) const
{
    for (const Card& card : cards)
        if (card.box.contains(point))
            return &card;
    return nullptr;
}

const ChipLayout::Terminal* ChipLayout::terminalOf(int need, int seat) const
{
    for (const Card& card : cards)
        for (const Terminal& t : card.terminals)
            if (t.need == need && t.seat == seat)
                return &t;
    return nullptr;
}

QPolygonF ChipLayout::ghost(const QPointF& from, int index) const
{
    // A straight run to a point before the leg: ghosts are many and brief, so lanes would only confuse.
    const Pin& pin = pins[size_t(index)];
    QPointF out(0, 0);
    switch (pin.side) {
    case Side::Left:
        out = {-10, 0};
        break;
    case Side::Right:
        out = {10, 0};
        break;
    case Side::Top:
        out = {0, -10};
        break;
    case Side::Bottom:
        out = {0, 10};
        break;
    }
    QPolygonF path{from, pin.tip + out, pin.tip};
    for (qsizetype i = 1; i < pin.escape.size(); ++i)
        path << pin.escape[i];
    return path;
}

} // namespace bindrel
