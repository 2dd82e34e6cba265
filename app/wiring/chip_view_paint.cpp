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

namespace {
constexpr double kTerminalsFrom = 0.58; ///< scale from which the names of terminals can be read

QColor faded(QColor colour, double alpha)
{
    colour.setAlphaF(float(alpha));
    return colour;
}

/// Of a typeface whose natural size in the picture is `natural`: at least `least` pixels on the screen.
int readable(int natural, double least, double scale)
{
    return std::max(natural, int(std::ceil(least / scale)));
}

QString viewText(const Snapshot& s, int turns)
{
    const QString name = QString::fromStdString(s.device->package.name);
    return turns == 0 ? name + say(", top view") : QString(say("%1, turned by %2\u00b0")).arg(name).arg(turns * 90);
}
} // namespace

void ChipView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.fillRect(rect(), Theme::get().paper);
    if (!document_.isOpen())
        return;
    p.setRenderHint(QPainter::Antialiasing, true);
    drawAll(p);
    p.resetTransform();
    drawNotes(p);
    drawDragLabel(p);
}

void ChipView::drawAll(QPainter& p) const
{
    p.setTransform(transform_);
    drawWires(p);
    drawCards(p);
    drawChip(p);
    drawGhosts(p);
    drawPins(p);
    drawContests(p);
}

void ChipView::drawCards(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = shown();
    for (const auto& card : layout_.cards) {
        const Part& part = s.board->parts[size_t(card.part)];
        const QColor hue = t.hue(card.part);
        p.fillRect(card.box, t.raised);
        p.setPen(QPen(t.rule, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(card.box);
        p.fillRect(QRectF(card.left ? card.box.right() - 3 : card.box.left(), card.box.top(), 3, card.box.height()),
                   hue);
        // From far off a card is its title; what hangs at it is told by its wires.
        const double scale = transform_.m11();
        const bool far = scale < kTerminalsFrom;
        p.setFont(t.text(readable(11, 9, scale), true));
        p.setPen(t.ink);
        const QRectF title = far ? card.box.adjusted(7, 0, -7, 0)
                                 : QRectF(card.box.left() + 9, card.box.top() + 2, card.box.width() - 18, 18);
        drawLine(p, title, Qt::AlignVCenter | Qt::AlignLeft, QString::fromStdString(part.title), Qt::ElideRight);
        if (far)
            continue;
        for (const auto& terminal : card.terminals) {
            const QRectF row(card.box.left() + 9, terminal.tip.y() - 7, card.box.width() - 18, 14);
            const bool on = terminal.need >= 0;
            if (on) {
                const Place& sel = view_.selected();
                const Need& need = s.plan.needs[terminal.need];
                const std::string& signal = s.bindings.needs[terminal.need].seats[size_t(terminal.seat)].signal.id;
                if (sel.kind == Place::Kind::Signal && sel.id == need.id && sel.sub == signal)
                    p.fillRect(row.adjusted(-6, 0, 3, 0), t.sunken);
                const Seat& seat = s.bindings.needs[terminal.need].seats[size_t(terminal.seat)];
                if (seat.pad < 0) {
                    const QRectF box(card.left ? row.right() - 1 : row.left() - 6, row.center().y() - 3.5, 7, 7);
                    drawStateMark(p, box, BoundNeed::State::Open, hue);
                }
            }
            p.setFont(t.mono(readable(10, 7.5, scale)));
            p.setPen(on ? t.ink : t.faint);
            const double inset = 11;
            drawLine(p, card.left ? row.adjusted(0, 0, -inset, 0) : row.adjusted(inset, 0, 0, 0),
                     Qt::AlignVCenter | (card.left ? Qt::AlignRight : Qt::AlignLeft),
                     QString::fromStdString(terminal.name));
        }
    }
}

void ChipView::drawWires(QPainter& p) const
{
    const Snapshot& s = shown();
    for (const bool above : {false, true})
        for (const auto& wire : layout_.wires) {
            if (emphasised(wire.need) != above)
                continue;
            const Need& need = s.plan.needs[wire.need];
            const bool contested = s.bindings.padClaims[s.device->package.pins[wire.pin].pad].size() > 1 ||
                                   contender(wire.need, wire.seat) >= 0;
            const bool picked = !view_.selectedNeed().empty() && above;
            QPen pen(faded(hueOf(s, need), above ? 1 : 0.32), picked ? 1.9 : 1.3);
            pen.setJoinStyle(Qt::MiterJoin);
            if (contested)
                pen.setDashPattern({4, 2.5});
            p.setPen(pen);
            p.setBrush(Qt::NoBrush);
            p.drawPolyline(wire.path);
        }
}

void ChipView::drawChip(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = shown();
    p.setPen(QPen(t.ink, 1.2));
    p.setBrush(t.raised);
    p.drawRect(layout_.body);
    if (layout_.grid) {
        drawGrid(p);
        return;
    }
    // The mark at pin 1, as the data sheet prints it.
    p.setBrush(Qt::NoBrush);
    const QPointF inward(layout_.firstCorner.x() < layout_.body.center().x() ? 17 : -17,
                         layout_.firstCorner.y() < layout_.body.center().y() ? 17 : -17);
    p.drawEllipse(layout_.firstCorner + inward, 5.5, 5.5);
    // Options write into the body; whose chip it is, is known by then.
    if (finder_.need() >= 0 && !dragged_)
        return;
    const double scale = transform_.m11();
    p.setPen(t.ink);
    p.setFont(t.text(readable(16, 10, scale), true));
    const QRectF middle = layout_.body.adjusted(60, 0, -60, 0);
    drawLine(p, middle.translated(0, -12), Qt::AlignCenter, QString::fromStdString(s.device->name));
    if (scale < kTerminalsFrom)
        return;
    p.setPen(t.muted);
    p.setFont(t.text(readable(11, 8.5, scale)));
    const int used = int(std::count_if(s.bindings.padClaims.begin(), s.bindings.padClaims.end(),
                                       [](const auto& c) { return !c.empty(); }));
    drawLine(p, middle.translated(0, 10), Qt::AlignCenter, viewText(s, layout_.turns));
    drawLine(p, middle.translated(0, 26), Qt::AlignCenter,
             QString(say("%1 of %2 pads in use")).arg(used).arg(s.device->pads.size()));
}

/// What stands on the body of a ball grid: the corner of A1, rows and columns, the name where there is room, and the
/// ends of the wires, which run beneath it.
void ChipView::drawGrid(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = shown();
    const QPointF corner = layout_.firstCorner;
    const double right = corner.x() < layout_.body.center().x() ? 9 : -9;
    const double down = corner.y() < layout_.body.center().y() ? 9 : -9;
    p.setPen(Qt::NoPen);
    p.setBrush(t.ink);
    p.drawPolygon(QPolygonF{corner, corner + QPointF(right, 0), corner + QPointF(0, down)});
    if (transform_.m11() > 0.78) {
        p.setFont(t.mono(9));
        p.setPen(t.muted);
        for (const auto& [text, at] : layout_.rulers)
            drawLine(p, QRectF(at - QPointF(12, 8), QSizeF(24, 16)), Qt::AlignCenter, text);
    }
    for (const auto& wire : layout_.wires) {
        const bool above = emphasised(wire.need);
        p.setPen(QPen(faded(hueOf(s, s.plan.needs[wire.need]), above ? 1 : 0.45),
                      above && !view_.selectedNeed().empty() ? 1.9 : 1.2));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(layout_.pins[wire.pin].escape);
    }
    if (layout_.hole.isNull())
        return;
    const int used = int(std::count_if(s.bindings.padClaims.begin(), s.bindings.padClaims.end(),
                                       [](const auto& c) { return !c.empty(); }));
    p.setPen(t.ink);
    const double scale = transform_.m11();
    p.setFont(t.text(readable(14, 10, scale), true));
    drawLine(p, layout_.hole.translated(0, scale < kTerminalsFrom ? 0 : -16), Qt::AlignCenter,
             QString::fromStdString(s.device->name));
    if (scale < kTerminalsFrom)
        return;
    p.setPen(t.muted);
    p.setFont(t.text(readable(11, 8.5, scale)));
    drawLine(p, layout_.hole.translated(0, 4), Qt::AlignCenter, viewText(s, layout_.turns));
    drawLine(p, layout_.hole.translated(0, 20), Qt::AlignCenter,
             QString(say("%1 of %2 pads in use")).arg(used).arg(s.device->pads.size()));
}

void ChipView::drawPins(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = shown();
    const double scale = transform_.m11();
    // Names grow against the zoom as far as the distance of the pins lets them; beyond that shapes are all there is.
    const bool showNames = scale > 0.58;
    const bool showNumbers = scale > 0.86;
    const int nameSize = readable(9, 7.5, scale);
    std::vector<bool> wired(layout_.pins.size(), false);
    for (const ChipLayout::Wire& wire : layout_.wires)
        if (wire.pin >= 0)
            wired[size_t(wire.pin)] = true;
    for (const PinIndex i : layout_.pins.indices()) {
        const ChipLayout::Pin& pin = layout_.pins[i];
        const PackagePin& facts = s.device->package.pins[i];
        const auto* claims = facts.pad >= 0 ? &s.bindings.padClaims[facts.pad] : nullptr;
        const bool used = claims && !claims->empty();
        if (facts.pad < 0) {
            p.fillRect(pin.box, t.ink);
        } else if (!used) {
            p.setPen(QPen(t.faint, 1));
            p.setBrush(t.paper);
            p.drawRect(pin.box.adjusted(0.5, 0.5, -0.5, -0.5));
        } else {
            const QColor hue = hueOf(s, s.plan.needs[claims->front().need]);
            const Claim& claim = claims->front();
            const NeedIndex other =
                claims->size() > 1 ? claims->back().need : NeedIndex(contender(claim.need, claim.seat));
            drawStateMark(p, pin.box, other >= 0 ? BoundNeed::State::Contested : BoundNeed::State::Bound, hue,
                          other >= 0 ? hueOf(s, s.plan.needs[other]) : QColor());
            const Need& need = s.plan.needs[claim.need];
            if (s.plan.held(holdOfNeed(need.id)) ||
                s.plan.held(holdOfSignal(need.id, s.bindings.needs[claim.need].seats[size_t(claim.seat)].signal.id)))
                drawHoldBar(p, pin.box);
        }
        const bool selected = view_.selected().kind == Place::Kind::Pad && view_.selected().id == facts.name;
        if (selected) {
            p.setPen(QPen(t.accent, 1.6));
            p.setBrush(Qt::NoBrush);
            p.drawRect(pin.box.adjusted(-3, -3, 3, 3));
        }
        if (layout_.grid && scale > 1.7) {
            // Names fit between the rows only when the picture is large.
            p.setFont(t.mono(6, used));
            p.setPen(used || facts.pad < 0 ? t.ink : t.muted);
            const QRectF label(pin.box.center() + QPointF(-13, 4.5), QSizeF(26, 9));
            const QString name = QString::fromStdString(facts.name);
            // A wire that passes below the ball gives way to its name.
            const double half = QFontMetricsF(p.font()).horizontalAdvance(name) / 2 + 1;
            p.fillRect(QRectF(label.center().x() - half, label.top() + 1, 2 * half, label.height() - 1), t.raised);
            drawLine(p, label, Qt::AlignCenter, name);
        }
        if (!showNames || layout_.grid)
            continue;
        p.save();
        const QPointF c = pin.box.center();
        QRectF row(0, -7, 46, 14);
        Qt::Alignment align = Qt::AlignVCenter | Qt::AlignLeft;
        if (pin.side == ChipLayout::Side::Left) {
            p.translate(layout_.body.left() + 4, c.y());
        } else if (pin.side == ChipLayout::Side::Right) {
            p.translate(layout_.body.right() - 4, c.y());
            row.moveRight(0);
            align = Qt::AlignVCenter | Qt::AlignRight;
        } else if (pin.side == ChipLayout::Side::Bottom) {
            p.translate(c.x(), layout_.body.bottom() - 4);
            p.rotate(-90);
        } else {
            p.translate(c.x(), layout_.body.top() + 4);
            p.rotate(-90);
            row.moveRight(0);
            align = Qt::AlignVCenter | Qt::AlignRight;
        }
        const QString name = QString::fromStdString(facts.name);
        p.setFont(t.mono(nameSize, used));
        p.setPen(used || facts.pad < 0 ? t.ink : t.muted);
        drawLine(p, row, align, name);
        if (showNumbers) {
            const double width = QFontMetricsF(p.font()).horizontalAdvance(name) + 4;
            p.setFont(t.mono(8));
            p.setPen(t.muted);
            drawLine(p, align & Qt::AlignLeft ? row.adjusted(width, 0, 20, 0) : row.adjusted(-20, 0, -width, 0), align,
                     QString::fromStdString(facts.number));
        }
        // Without a wire to a part, the pad itself is labelled with its need.
        if (used && !wired[i]) {
            const Claim& claim = claims->front();
            const BoundNeed& bound = s.bindings.needs[claim.need];
            const Need& need = s.plan.needs[claim.need];
            const QString text = QString::fromStdString(
                bound.seats.size() > 1 ? need.title + " " + bound.seats[size_t(claim.seat)].signal.id : need.title);
            const double out = ChipLayout::kLabelGap;
            QRectF beside = align & Qt::AlignLeft
                                ? QRectF(-out - 4 - ChipLayout::kLabelLength, -7, ChipLayout::kLabelLength, 14)
                                : QRectF(out + 4, -7, ChipLayout::kLabelLength, 14);
            p.setFont(t.text(nameSize));
            p.setPen(hueOf(s, need));
            drawLine(p, beside, Qt::AlignVCenter | (align & Qt::AlignLeft ? Qt::AlignRight : Qt::AlignLeft), text,
                     Qt::ElideRight);
        }
        p.restore();
    }
}

namespace {
constexpr double kNoteLine = 17;
constexpr int kNotes = 5; ///< shown at once
} // namespace

QRectF ChipView::noteRect(int note) const
{
    if (note >= std::min(kNotes, int(notes_.size())))
        return {};
    const int count = std::min(kNotes, int(notes_.size()));
    return QRectF(8, height() - 8 - kNoteLine * (count - note), width() - 16.0, kNoteLine);
}

/// What is contested beyond pads, in words, in the corner of the picture; a click jumps.
void ChipView::drawNotes(QPainter& p) const
{
    if (notes_.empty())
        return;
    const Theme& t = Theme::get();
    const int count = std::min(kNotes, int(notes_.size()));
    QRectF box = noteRect(0).united(noteRect(count - 1));
    p.setFont(t.text(11));
    const QFontMetricsF metrics(p.font());
    double widest = 0;
    for (int i = 0; i < count; ++i)
        widest = std::max(widest, metrics.horizontalAdvance(notes_[size_t(i)].first) + 26);
    box.setWidth(std::min(box.width(), widest + 8));
    p.fillRect(box.adjusted(-4, -3, 0, 3), t.paper);
    p.setPen(QPen(t.error, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box.adjusted(-4, -3, 0, 3));
    for (int i = 0; i < count; ++i) {
        const QRectF row = noteRect(i);
        drawSeverityMark(p, QRectF(row.left() + 2, row.center().y() - 4, 8, 8), Finding::Severity::Error);
        p.setPen(t.ink);
        QString text = notes_[size_t(i)].first;
        if (i == kNotes - 1 && int(notes_.size()) > kNotes)
            text = QString(say("and %1 more among the findings")).arg(int(notes_.size()) - kNotes + 1);
        drawLine(p, QRectF(row.left() + 18, row.top(), box.right() - row.left() - 22, row.height()),
                 Qt::AlignVCenter | Qt::AlignLeft, text, Qt::ElideRight);
    }
}

void ChipView::drawContests(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = shown();
    int shown = 0;
    for (const Contest& contest : s.bindings.contests) {
        if (contest.resource.kind != Resource::Kind::Pad || ++shown > 4)
            continue;
        for (const PinIndex i : layout_.pins.indices()) {
            if (s.device->package.pins[i].pad != contest.resource.index)
                continue;
            QString who;
            for (const Claim& claim : contest.claims)
                who += (who.isEmpty() ? "" : ", ") + QString::fromStdString(s.plan.needs[claim.need].title);
            const QString text = QString("%1: %2").arg(QString::fromStdString(s.device->package.pins[i].name), who);
            p.setFont(t.text(10, true));
            QRectF box = QFontMetricsF(p.font()).boundingRect(text).adjusted(-6, -3, 6, 3);
            // Inside the body, where no wire runs.
            const ChipLayout::Pin& pin = layout_.pins[i];
            const QPointF c = pin.box.center();
            switch (pin.side) {
            case ChipLayout::Side::Left:
                box.moveTopLeft({layout_.body.left() + 54, c.y() - box.height() / 2});
                break;
            case ChipLayout::Side::Right:
                box.moveTopRight({layout_.body.right() - 54, c.y() - box.height() / 2});
                break;
            case ChipLayout::Side::Top:
                box.moveCenter({std::clamp(c.x(), layout_.body.left() + 60 + box.width() / 2,
                                           layout_.body.right() - 60 - box.width() / 2),
                                layout_.body.top() + 66.0 + 22 * (shown - 1)});
                break;
            case ChipLayout::Side::Bottom:
                box.moveCenter({std::clamp(c.x(), layout_.body.left() + 60 + box.width() / 2,
                                           layout_.body.right() - 60 - box.width() / 2),
                                layout_.body.bottom() - 66.0 - 22 * (shown - 1)});
                break;
            }
            p.setPen(QPen(t.error, 1));
            p.setBrush(t.raised);
            p.drawRect(box);
            p.setPen(t.error);
            drawLine(p, box, Qt::AlignCenter, text);
        }
    }
}

} // namespace bindrel
