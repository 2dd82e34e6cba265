// SPDX-License-Identifier: GPL-3.0-or-later
// How the wiring picture is drawn; what it does is in chip_view.cpp.
#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "app/wiring/chip_view.h"
#include "core/base/say.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>
#include <set>

namespace bindrel {

void ChipView::drawGhosts(QPainter& p) const
{
    const NeedIndex need = finder_.need();
    if (need < 0 || view_.preview())
        return;
    const Theme& t = Theme::get();
    const Snapshot& s = shown();
    int seat = -1;
    for (size_t i = 0; i < s.bindings.needs[need].seats.size(); ++i)
        if (s.bindings.needs[need].seats[i].signal.id == finder_.signal())
            seat = int(i);
    const ChipLayout::Terminal* terminal = layout_.terminalOf(need, seat);
    const QPointF from = dragged_ ? dragPoint_ : terminal ? terminal->tip : layout_.body.center();
    const QColor hue = hueOf(s, s.plan.needs[need]);
    std::set<int> drawn;
    // With many options (a port's bit can go anywhere) lines would cover the picture; then only the pads are marked.
    const bool lines = finder_.options().size() <= 16 && !dragged_;
    int number = 0;
    std::vector<QRectF> labels;
    for (const Option& option : finder_.options()) {
        ++number;
        if (!drawn.insert(option.pad).second)
            continue;
        PinIndex pin = -1;
        for (const PinIndex i : s.device->package.pins.indices())
            if (s.device->package.pins[i].pad == option.pad)
                pin = int(i);
        if (pin < 0)
            continue;
        const bool no = option.cost == Option::Cost::Impossible;
        const bool dear = option.cost == Option::Cost::Contends || option.cost == Option::Cost::Moves ||
                          option.cost == Option::Cost::Room;
        const QColor colour = no ? t.faint : dear ? t.caution : hue;
        if (lines && !no) {
            QColor thin = colour;
            thin.setAlphaF(0.75f);
            QPen pen(thin, 1);
            pen.setDashPattern({2, 3});
            p.setPen(pen);
            p.setBrush(Qt::NoBrush);
            p.drawPolyline(layout_.ghost(from, pin));
        }
        const QRectF ring = layout_.pins[pin].box.adjusted(-3.5, -3.5, 3.5, 3.5);
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(colour, no ? 1 : 1.6, no ? Qt::DotLine : Qt::SolidLine));
        // Shape says the cost: a ring is free, a diamond costs something, a cross is impossible.
        if (no) {
            p.drawLine(ring.topLeft(), ring.bottomRight());
            p.drawLine(ring.topRight(), ring.bottomLeft());
        } else if (dear) {
            p.drawPolygon(
                QPolygonF{QPointF(ring.center().x(), ring.top() - 2), QPointF(ring.right() + 2, ring.center().y()),
                          QPointF(ring.center().x(), ring.bottom() + 2), QPointF(ring.left() - 2, ring.center().y())});
        } else {
            p.drawEllipse(ring);
        }
        if (lines && number <= 9)
            drawOptionLabel(p, option, number, layout_.pins[pin], labels);
    }
    if (!dragged_)
        return;
    if (terminal) {
        p.setPen(QPen(hue, 1.6));
        p.drawLine(terminal->tip, dragPoint_);
    }
    if (const Option* under = optionAt(dragPoint_);
        under && (under->cost == Option::Cost::Contends || under->cost == Option::Cost::Room))
        if (const Expected<Room>& room = finder_.roomFor(*under); room)
            drawChain(p, room->edit);
}

/// The key that takes an option and what it costs, beside its pin: inside the body at the sides, where nothing else is;
/// above or below the pins of the other two, clear of the labels before it.
void ChipView::drawOptionLabel(QPainter& p, const Option& option, int number, const ChipLayout::Pin& pin,
                               std::vector<QRectF>& taken) const
{
    const Theme& t = Theme::get();
    QString label = QString::number(number);
    if (option.cost == Option::Cost::Moves)
        label += option.instance < 0
                     ? QString(say(" \u00b7 moves"))
                     : say(" \u00b7 moves all to ") +
                           QString::fromStdString(document_.snapshot().device->instances[option.instance].name);
    else if (option.cost == Option::Cost::Room)
        label += option.others == 1  ? QString(say(" \u00b7 moves 1 other"))
                 : option.others > 1 ? QString(say(" \u00b7 moves %1 others")).arg(option.others)
                                     : QString(say(" \u00b7 moves"));
    else if (option.cost == Option::Cost::Free)
        label += say(" \u00b7 free");
    p.setFont(t.mono(9, true));
    QRectF box(0, 0, QFontMetricsF(p.font()).horizontalAdvance(label) + 6, 13);
    constexpr double kBeyondNames = 58;
    const QPointF c = pin.box.center();
    QPointF step(0, 13);
    if (layout_.grid)
        box.moveTopLeft(c + QPointF(9, -17));
    else if (pin.side == ChipLayout::Side::Left)
        box.moveTopLeft({layout_.body.left() + kBeyondNames, c.y() - 6.5});
    else if (pin.side == ChipLayout::Side::Right)
        box.moveTopRight({layout_.body.right() - kBeyondNames, c.y() - 6.5});
    else if (pin.side == ChipLayout::Side::Top)
        box.moveCenter({c.x(), layout_.body.top() + kBeyondNames + 6});
    else {
        box.moveCenter({c.x(), layout_.body.bottom() - kBeyondNames - 6});
        step = {0, -13};
    }
    while (std::any_of(taken.begin(), taken.end(), [&box](const QRectF& other) { return other.intersects(box); }))
        box.translate(step);
    taken.push_back(box);
    p.setPen(Qt::NoPen);
    p.setBrush(t.raised);
    p.drawRect(box);
    p.setPen(option.cost == Option::Cost::Impossible ? t.muted : t.ink);
    drawLine(p, box, Qt::AlignCenter, label);
}

/// Where the others would go to make room: from pad to pad, each in its own hue.
void ChipView::drawChain(QPainter& p, const Edit& room) const
{
    const Snapshot& s = shown();
    const auto pinOf = [&](const std::string& pad) -> const ChipLayout::Pin* {
        for (const PinIndex i : s.device->package.pins.indices())
            if (s.device->package.pins[i].name == pad)
                return &layout_.pins[i];
        return nullptr;
    };
    for (const Change& change : room.changes) {
        const auto* set = std::get_if<SetBinding>(&change);
        const NeedIndex index = set ? needIndex(set->need) : -1;
        if (index < 0 || index == finder_.need())
            continue;
        const Need& need = s.plan.needs[index];
        for (const auto& [signal, pad] : set->binding.pads) {
            const auto was = need.binding.pads.find(signal);
            if (was == need.binding.pads.end() || was->second == pad)
                continue;
            const ChipLayout::Pin* from = pinOf(was->second);
            const ChipLayout::Pin* to = pinOf(pad);
            if (!from || !to)
                continue;
            QPen pen(hueOf(s, need), 1.8);
            pen.setDashPattern({4, 2});
            p.setPen(pen);
            p.setBrush(Qt::NoBrush);
            QPainterPath path(from->box.center());
            path.quadTo(layout_.body.center(), to->box.center());
            p.drawPath(path);
            p.setPen(QPen(hueOf(s, need), 1.8));
            p.drawEllipse(to->box.adjusted(-4, -4, 4, 4));
        }
    }
}

/// Beside the pointer, at the size of the window's text whatever the zoom.
void ChipView::drawDragLabel(QPainter& p) const
{
    const QStringList lines = dragText();
    if (lines.isEmpty())
        return;
    const Theme& t = Theme::get();
    const QFont bold = t.text(11, true);
    const QFont plain = t.text(11);
    double width = QFontMetricsF(bold).horizontalAdvance(lines[0]);
    for (const QString& line : lines)
        width = std::max(width, QFontMetricsF(plain).horizontalAdvance(line));
    width = std::min(width, 430.0);
    constexpr double kLine = 16;
    QStringList shown = lines.mid(0, 8);
    if (lines.size() > 8)
        shown << QString(say("and %1 more")).arg(lines.size() - 8);
    QRectF box(0, 0, width + 16, kLine * double(shown.size()) + 8);
    box.moveTopLeft(transform_.map(dragPoint_) + QPointF(14, 12));
    if (box.right() > this->width() - 4)
        box.moveRight(this->width() - 4);
    if (box.bottom() > height() - 4)
        box.moveBottom(transform_.map(dragPoint_).y() - 10);
    p.fillRect(box, t.raised);
    p.setPen(QPen(t.ink, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box);
    for (int i = 0; i < int(shown.size()); ++i) {
        p.setFont(i == 0 ? bold : plain);
        p.setPen(i == 0 ? t.ink : t.muted);
        const QRectF row(box.left() + 8, box.top() + 4 + kLine * i, width, kLine);
        drawLine(p, row, Qt::AlignVCenter | Qt::AlignLeft, shown[i], Qt::ElideRight);
    }
}

} // namespace bindrel
