// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/layout_pair.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/pins/sides.h"
#include "core/pins/wishes.h"

#include <QPainter>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace bindrel {

namespace {

constexpr int kTitle = 22, kFigure = 17, kLeg = 7, kLabel = 118, kLabelPitch = 11;

/// Signals that break a wish: need and signal.
std::set<std::pair<NeedIndex, std::string>> unwished(const Snapshot& s)
{
    std::set<std::pair<NeedIndex, std::string>> out;
    if (!asksAnything(*s.board))
        return out;
    const PadPlaces places(*s.device);
    for (const ResolvedWish& wish : resolveWishes(*s.device, *s.board, s.plan).wishes)
        for (const WishedSignal& by : judgeWish(*s.device, places, s.plan, s.bindings, wish).by)
            out.emplace(by.need, by.signal);
    return out;
}

QString padOf(const Snapshot& s, const std::string& need, const std::string& signal)
{
    const Need* found = s.plan.need(need);
    if (!found)
        return {};
    const auto pad = found->binding.pads.find(signal);
    return pad == found->binding.pads.end() ? QString() : QString::fromStdString(pad->second);
}

} // namespace

LayoutPair::LayoutPair(QWidget* parent) : QWidget(parent)
{
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setAccessibleName("The layout now and after the change");
}

void LayoutPair::setLayouts(std::shared_ptr<const Snapshot> before, std::shared_ptr<const Snapshot> after,
                            LayoutChange change)
{
    before_ = std::move(before);
    after_ = std::move(after);
    change_ = std::move(change);
    left_ = pictureOf(*before_, *after_, false);
    right_ = pictureOf(*after_, *before_, true);
    setAccessibleDescription("Now: " + left_.figures.join(", ") + ". After: " + right_.figures.join(", "));
    update();
}

LayoutPair::Picture LayoutPair::pictureOf(const Snapshot& shown, const Snapshot& other, bool after) const
{
    Picture out;
    const auto bad = unwished(shown);
    for (const NeedIndex n : shown.plan.needs.indices()) {
        const Need& need = shown.plan.needs[n];
        const auto part = std::ranges::find(shown.board->parts, need.part, &Part::id);
        for (const Seat& seat : shown.bindings.needs[n].seats) {
            const auto& pins = shown.device->package.pins;
            const auto pin = std::ranges::find(pins, seat.pad, &PackagePin::pad);
            if (seat.pad < 0 || pin == pins.end())
                continue;
            Mark mark{PinIndex(int(pin - pins.begin())),
                      part == shown.board->parts.end() ? -1 : int(part - shown.board->parts.begin())};
            mark.moves = padOf(shown, need.id, seat.signal.id) != padOf(other, need.id, seat.signal.id);
            mark.unwished = bad.contains({n, seat.signal.id});
            mark.label = QString::fromStdString(
                shown.device->pads[seat.pad].name + "  " + need.title +
                (shown.bindings.needs[n].seats.size() > 1 ? ", " + seat.signal.title : std::string()));
            out.marks.push_back(std::move(mark));
        }
    }
    for (const LayoutChange::Level& level : change_.levels)
        if (level.before > 0 || level.after > 0)
            out.figures << QString("%1: %2").arg(level.what).arg(after ? level.after : level.before);
    return out;
}

void LayoutPair::paintEvent(QPaintEvent*)
{
    if (!before_)
        return;
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const int half = width() / 2;
    paintPicture(p, QRect(0, 0, half - 8, height()), "Now", left_);
    paintPicture(p, QRect(half + 8, 0, width() - half - 8, height()), "With this change", right_);
    p.setPen(Theme::get().rule);
    p.drawLine(half, 4, half, height() - 4);
}

void LayoutPair::paintPicture(QPainter& p, const QRect& rect, const QString& title, const Picture& picture) const
{
    const Theme& t = Theme::get();
    p.setFont(t.text(12, true));
    p.setPen(t.ink);
    drawLine(p, QRect(rect.left(), rect.top(), rect.width(), kTitle), Qt::AlignLeft | Qt::AlignVCenter, title);
    const int lines = int(std::max(left_.figures.size(), right_.figures.size()));
    QRect room = rect.adjusted(0, kTitle, 0, -(lines * kFigure + 6));
    for (int i = 0; i < picture.figures.size(); ++i) {
        const bool differs = left_.figures.value(i) != right_.figures.value(i);
        p.setFont(t.text(12, differs));
        p.setPen(differs ? t.ink : t.muted);
        drawLine(p, QRect(rect.left(), room.bottom() + 6 + i * kFigure, rect.width(), kFigure),
                 Qt::AlignLeft | Qt::AlignVCenter, picture.figures[i]);
    }

    // Labels of the left and right side beside the body, those of top and bottom upright above and below it.
    const auto labelled = [&picture, this](int side) {
        const std::vector<int> sides = sidesOf(before_->device->package);
        return std::ranges::any_of(picture.marks, [&](const Mark& mark) {
            return (mark.moves || mark.unwished) && sides[std::size_t(mark.pin)] % 2 == side;
        });
    };
    const int across = labelled(0) ? kLabel : 16, along = labelled(1) ? 74 : 16;
    const int size = std::max(60, std::min(room.width() - 2 * across, room.height() - 2 * along));
    const QRectF body(room.center().x() - size / 2.0, room.center().y() - size / 2.0, size, size);
    p.setPen(QPen(t.muted, 1));
    p.setBrush(t.raised);
    p.drawRoundedRect(body, 4, 4);
    p.setBrush(t.muted);
    p.setPen(Qt::NoPen);
    p.drawEllipse(body.topLeft() + QPointF(9, 9), 2.5, 2.5); // pin 1

    const Package& package = before_->device->package;
    const std::vector<int> sides = sidesOf(package);
    std::array<std::pair<int, int>, 4> span; // the least and the greatest place of a side
    span.fill({INT_MAX, INT_MIN});
    for (const PinIndex i : package.pins.indices()) {
        auto& [least, most] = span[std::size_t(sides[std::size_t(i)])];
        const int place = alongSide(package, i, sides[std::size_t(i)]);
        least = std::min(least, place);
        most = std::max(most, place);
    }
    const bool balls = package.kind == Package::Kind::BallGrid;
    std::vector<Mark> marks = picture.marks;
    std::ranges::stable_sort(marks, {}, [](const Mark& mark) { return std::pair(!mark.moves, int(mark.pin)); });
    std::array<std::vector<double>, 4> taken; // where labels stand on a side
    for (const Mark& mark : marks) {
        const int side = sides[std::size_t(mark.pin)];
        const auto [least, most] = span[std::size_t(side)];
        double at = (alongSide(package, mark.pin, side) - least + 0.5) / (most - least + 1);
        if (!balls && side >= 2)
            at = 1 - at; // pins count upwards on the right, to the left at the top
        const QPointF out = side == 0   ? QPointF(-1, 0)
                            : side == 1 ? QPointF(0, 1)
                            : side == 2 ? QPointF(1, 0)
                                        : QPointF(0, -1);
        const QPointF edge = side == 0   ? QPointF(body.left(), body.top() + at * size)
                             : side == 1 ? QPointF(body.left() + at * size, body.bottom())
                             : side == 2 ? QPointF(body.right(), body.top() + at * size)
                                         : QPointF(body.left() + at * size, body.top());
        const QColor colour = mark.part < 0 ? t.muted : t.hue(mark.part);
        p.setPen(QPen(colour, mark.moves ? 4 : 2, Qt::SolidLine, Qt::FlatCap));
        p.drawLine(edge, edge + out * (mark.moves ? kLeg + 3 : kLeg));
        if (mark.unwished) {
            p.setPen(QPen(t.caution, 1.5));
            p.setBrush(Qt::NoBrush);
            p.drawEllipse(edge - out * 7, 3.5, 3.5);
        }
        std::vector<double>& others = taken[std::size_t(side)];
        const double where = at * size;
        if (!(mark.moves || mark.unwished) ||
            std::ranges::any_of(others, [where](double other) { return std::abs(other - where) < kLabelPitch; }))
            continue;
        others.push_back(where);
        p.save();
        p.translate(edge + out * (kLeg + 7));
        p.setFont(t.text(10, mark.moves));
        p.setPen(mark.moves ? t.ink : t.muted);
        if (side == 0)
            drawLine(p, QRect(-kLabel + 18, -7, kLabel - 18, 14), Qt::AlignRight | Qt::AlignVCenter, mark.label);
        else if (side == 2)
            drawLine(p, QRect(0, -7, kLabel - 18, 14), Qt::AlignLeft | Qt::AlignVCenter, mark.label);
        else {
            p.rotate(-90);
            drawLine(p, side == 3 ? QRect(0, -7, 64, 14) : QRect(-64, -7, 64, 14),
                     (side == 3 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter, mark.label);
        }
        p.restore();
    }
}

} // namespace bindrel
