// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/chip_layout_stages.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace bindrel {

LayoutStage::LayoutStage(const Snapshot& s, ChipLayout& out) : s_(s), out_(out)
{
    const std::vector<PackagePin>& pins = s.device->package.pins;
    for (size_t i = 0; i < pins.size(); ++i)
        if (pins[i].pad >= 0)
            pinOfPad_[pins[i].pad] = int(i);
}

int LayoutStage::pinOf(const Seat& seat) const
{
    const auto found = seat.pad < 0 ? pinOfPad_.end() : pinOfPad_.find(seat.pad);
    return found == pinOfPad_.end() ? -1 : found->second;
}

double LayoutStage::around(PinIndex pin, bool left) const
{
    const QRectF& b = out_.body;
    const QPointF p = out_.pins[pin].tip;
    const double x = left ? p.x() - b.left() : b.right() - p.x();
    const double half = b.width() / 2;
    const double whole = b.width() + b.height();
    switch (out_.pins[pin].side) {
    case Side::Top:
        return (half - x) / whole;
    case Side::Bottom:
        return (half + b.height() + x) / whole;
    default:
        break;
    }
    return (half + p.y() - b.top()) / whole;
}

namespace {

/// Cards of parts beside the chip, where their pads are.
class CardStage : LayoutStage {
public:
    CardStage(const Snapshot& s, ChipLayout& out) : LayoutStage(s, out) {}

    void run()
    {
        makeCards();
        placeCards();
    }

private:
    void makeCards()
    {
        const auto& parts = s_.board->parts;
        for (size_t p = 0; p < parts.size(); ++p) {
            ChipLayout::Card card;
            card.part = int(p);
            for (const std::string& name : parts[p].terminals)
                card.terminals.push_back({name, -1, -1, {}});
            for (const NeedIndex n : s_.plan.needs.indices()) {
                const Need& need = s_.plan.needs[n];
                if (need.part != parts[p].id)
                    continue;
                const auto& seats = s_.bindings.needs[n].seats;
                for (size_t k = 0; k < seats.size(); ++k) {
                    const auto said = need.terminals.find(seats[k].signal.id);
                    const std::string name = said == need.terminals.end() ? seats[k].signal.id : said->second;
                    auto at = std::find_if(card.terminals.begin(), card.terminals.end(),
                                           [&](const auto& t) { return t.name == name && t.need < 0; });
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
                if (const PinIndex pin = pinOf(s_.bindings.needs[t.need].seats[size_t(t.seat)]); pin >= 0)
                    pins.push_back(pin);
        return pins;
    }

    static double heightOf(const ChipLayout::Card& card)
    {
        return kCardTitle + kTerminalRow * double(card.terminals.size()) + kCardPad;
    }

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
            for (const PinIndex pin : pins)
                x += out_.pins[pin].tip.x() - middle;
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
            for (const PinIndex pin : pins)
                order += around(pin, left);
            order = pins.empty() ? 2 : order / double(pins.size());
            if (s_.board->parts[size_t(card.part)].row)
                turnRow(card.terminals, left);
            else
                std::stable_sort(card.terminals.begin(), card.terminals.end(),
                                 [&](const auto& a, const auto& b) { return keyOf(a, left) < keyOf(b, left); });
            const QRectF& b = out_.body;
            const double reach = b.height() + 2 * 60;
            entries.push_back({&card, order, b.top() - 60 + reach * std::min(order, 1.0)});
        }
        std::stable_sort(entries.begin(), entries.end(),
                         [](const Entry& a, const Entry& b) { return a.order < b.order; });
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
        const PinIndex pin = t.need < 0 ? -1 : pinOf(s_.bindings.needs[t.need].seats[size_t(t.seat)]);
        return pin < 0 ? 2 : around(pin, left);
    }
};

QRectF frameOf(const ChipLayout& layout)
{
    QRectF all = layout.body.adjusted(-30, -30, 30, 30);
    for (const auto& card : layout.cards)
        all = all.united(card.box);
    for (const auto& wire : layout.wires)
        all = all.united(wire.path.boundingRect());
    return all.adjusted(-10, -10, 10, 10);
}

/// Space for the labels of pads that are in use but have no wire.
QRectF labelled(const Snapshot& s, const ChipLayout& layout)
{
    QRectF all = layout.body;
    if (layout.grid)
        return all;
    const double room = ChipLayout::kLabelGap + ChipLayout::kLabelLength;
    for (const PinIndex i : layout.pins.indices()) {
        const PadIndex pad = s.device->package.pins[i].pad;
        if (pad < 0 || s.bindings.padClaims[pad].empty() ||
            std::any_of(layout.wires.begin(), layout.wires.end(),
                        [i](const ChipLayout::Wire& wire) { return wire.pin == int(i); }))
            continue;
        switch (layout.pins[i].side) {
        case ChipLayout::Side::Left:
            all.setLeft(std::min(all.left(), layout.body.left() - room));
            break;
        case ChipLayout::Side::Right:
            all.setRight(std::max(all.right(), layout.body.right() + room));
            break;
        case ChipLayout::Side::Top:
            all.setTop(std::min(all.top(), layout.body.top() - room));
            break;
        case ChipLayout::Side::Bottom:
            all.setBottom(std::max(all.bottom(), layout.body.bottom() + room));
            break;
        }
    }
    return all;
}

double distanceToSegment(const QPointF& p, const QPointF& a, const QPointF& b)
{
    const QPointF d = b - a;
    const double length = QPointF::dotProduct(d, d);
    const double t = length > 0 ? std::clamp(QPointF::dotProduct(p - a, d) / length, 0.0, 1.0) : 0;
    const QPointF off = p - (a + t * d);
    return std::sqrt(QPointF::dotProduct(off, off));
}

} // namespace

ChipLayout layOut(const Snapshot& snapshot, int turns)
{
    ChipLayout out;
    out.turns = (turns % 4 + 4) % 4;
    placePackage(snapshot, out);
    CardStage(snapshot, out).run();
    routeWires(snapshot, out);
    out.bounds = frameOf(out).united(labelled(snapshot, out));
    return out;
}

int ChipLayout::pinAt(const QPointF& point, double reach) const
{
    int best = -1;
    double nearest = reach;
    for (const PinIndex i : pins.indices()) {
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

const ChipLayout::Terminal* ChipLayout::terminalOf(NeedIndex need, int seat) const
{
    for (const Card& card : cards)
        for (const Terminal& t : card.terminals)
            if (t.need == need && t.seat == seat)
                return &t;
    return nullptr;
}

QPolygonF ChipLayout::ghost(const QPointF& from, PinIndex index) const
{
    // A straight run to a point before the leg: ghosts are many and brief, so lanes would only confuse.
    const Pin& pin = pins[index];
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
