// SPDX-License-Identifier: GPL-3.0-or-later
// Wires from the cards to the pins, each along lanes of its own.
#include "app/wiring/chip_layout_stages.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace bindrel {

namespace {

/// A stretch along a lane that a wire occupies.
struct Span {
    double low = 0, high = 0;
    bool overlaps(const Span& o) const { return low < o.high + 4 && o.low < high + 4; }
};

/// Hands out lanes, counted from the chip outwards, so that later ones of a group lie outside earlier ones that they
/// pass.
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

class WireStage : LayoutStage {
public:
    WireStage(const Snapshot& s, ChipLayout& out) : LayoutStage(s, out) {}

    void run()
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
                const PinIndex pin = pinOf(s_.bindings.needs[t.need].seats[size_t(t.seat)]);
                if (pin < 0)
                    continue;
                Draft d;
                d.wire = {t.need, t.seat, pin, {}};
                d.card = &card;
                d.terminal = &t;
                d.y = t.tip.y();
                d.around = around(pin, card.left);
                const Side s = out_.pins[pin].side;
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
            const Side s = out_.pins[d.wire.pin].side;
            const double target = d.far ? (d.up ? out_.body.top() - 40 : out_.body.bottom() + 40) : targetY(d.wire.pin);
            if (std::abs(target - d.y) > 1e-6 || s == Side::Top || s == Side::Bottom)
                d.lane = side[d.card->left ? 0 : 1].take({std::min(target, d.y), std::max(target, d.y)}, d.up);
            if (d.far)
                d.farLane = side[d.card->left ? 1 : 0].take(
                    {std::min(target, targetY(d.wire.pin)), std::max(target, targetY(d.wire.pin))}, 2);
            if (d.far || s == Side::Top || s == Side::Bottom) {
                const double x = out_.pins[d.wire.pin].tip.x();
                const double from = d.card->left ? out_.body.left() - 100 : out_.body.right() + 100;
                Lanes& edge = (d.far ? d.up : s == Side::Top) ? top : bottom;
                d.edgeLane = 0;
                edges.push_back(
                    {&d, &edge, {std::min(x, from), std::max(x, from)}, d.card->left ? 0 : 1, std::abs(x - from)});
            }
        }
        std::stable_sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return a.reach < b.reach; });
        for (Edge& e : edges)
            e.draft->edgeLane = e.lanes->take(e.span, e.group);

        double zone[2] = {0, 0};
        zone[0] = kFirstLane + kLane * side[0].count() + 12;
        zone[1] = kFirstLane + kLane * side[1].count() + 12;
        for (auto& card : out_.cards) {
            card.box.moveLeft(card.left ? out_.body.left() - kLeg - zone[0] - kCardWidth
                                        : out_.body.right() + kLeg + zone[1]);
            for (auto& t : card.terminals)
                t.tip.setX(card.left ? card.box.right() : card.box.left());
        }
        for (Draft& d : drafts) {
            const ChipLayout::Pin& pin = out_.pins[d.wire.pin];
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
                    path << QPointF(laneX(!d.card->left, d.farLane), y)
                         << QPointF(laneX(!d.card->left, d.farLane), pin.tip.y());
                else
                    path << QPointF(pin.tip.x(), y);
            } else if (d.lane >= 0) {
                path << QPointF(laneX(d.card->left, d.lane), pin.tip.y());
            }
            path << pin.tip;
            out_.wires.push_back(d.wire);
        }
    }

private:
    double targetY(PinIndex pin) const
    {
        switch (out_.pins[pin].side) {
        case Side::Top:
            return out_.body.top() - 40;
        case Side::Bottom:
            return out_.body.bottom() + 40;
        default:
            return out_.pins[pin].tip.y();
        }
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
};

} // namespace

void routeWires(const Snapshot& snapshot, ChipLayout& out)
{
    WireStage(snapshot, out).run();
}

} // namespace bindrel
