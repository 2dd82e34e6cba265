// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/layout_pair.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/pins/sides.h"
#include "core/pins/wishes.h"

#include <QPainter>

#include <algorithm>
#include <array>
#include <climits>
#include <cmath>
#include <set>

namespace bindrel {

namespace {

constexpr int kTitle = 22, kFigure = 17, kLeg = 7, kLabel = 150, kUpright = 84, kLabelPitch = 11;

/// Signals that break a stated wish: need and signal.
std::set<std::pair<NeedIndex, std::string>> unwished(const Snapshot& s)
{
    std::set<std::pair<NeedIndex, std::string>> out;
    if (!asksAnything(*s.board))
        return out;
    const PadPlaces places(*s.device);
    for (const ResolvedWish& wish : resolveWishes(*s.device, *s.board, s.plan).wishes)
        for (const WishedSignal& by :
             wish.stands ? std::vector<WishedSignal>() : judgeWish(*s.device, places, s.plan, s.bindings, wish).by)
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
    setAccessibleName(say("The layout now and after the change"));
}

void LayoutPair::setLayouts(std::shared_ptr<const Snapshot> before, std::shared_ptr<const Snapshot> after,
                            LayoutChange change)
{
    before_ = std::move(before);
    after_ = std::move(after);
    change_ = std::move(change);
    left_ = pictureOf(*before_, *after_, false);
    right_ = pictureOf(*after_, *before_, true);
    setAccessibleDescription(say("Now: ") + left_.figures.join(", ") + say(". After: ") + right_.figures.join(", "));
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
            mark.label = QString::fromStdString(shown.device->pads[seat.pad].name + "  " + need.title +
                                                (shown.bindings.needs[n].seats.size() > 1
                                                     ? ", " + std::string(say(seat.signal.title))
                                                     : std::string()));
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
    paintPicture(p, QRect(0, 0, half - 8, height()), say("Now"), left_);
    paintPicture(p, QRect(half + 8, 0, width() - half - 8, height()), say("With this change"), right_);
    p.setPen(Theme::get().rule);
    p.drawLine(half, 4, half, height() - 4);
}

/// Where the pins of the package are drawn.
struct LayoutPair::Body {
    QRectF rect;
    std::vector<int> sides;                   ///< by pin
    std::array<std::pair<int, int>, 4> spans; ///< by side: its first and its last place
};

LayoutPair::Body LayoutPair::bodyIn(const QRect& room) const
{
    const Package& package = before_->device->package;
    Body out{{}, sidesOf(package), {}};
    // Labels of the left and right side stand beside the body, those of top and bottom upright above and below it. Both
    // pictures leave room for the labels of either, so that the chip is the same on both.
    std::array<int, 4> beside{16, 16, 16, 16};
    for (const Picture* picture : {&left_, &right_})
        for (const Mark& mark : picture->marks)
            if (const int side = out.sides[std::size_t(mark.pin)]; mark.moves || mark.unwished)
                beside[std::size_t(side)] = side % 2 == 0 ? kLabel : kUpright + kLeg + 12;
    const QRect free = room.adjusted(beside[0], beside[3], -beside[2], -beside[1]);
    const int size = std::max(60, std::min(free.width(), free.height()));
    out.rect = QRectF(free.center().x() - size / 2.0, free.center().y() - size / 2.0, size, size);
    out.spans.fill({INT_MAX, INT_MIN});
    for (const PinIndex i : package.pins.indices()) {
        const int side = out.sides[std::size_t(i)], place = alongSide(package, i, side);
        auto& [first, last] = out.spans[std::size_t(side)];
        first = std::min(first, place);
        last = std::max(last, place);
    }
    return out;
}

void LayoutPair::paintPicture(QPainter& p, const QRect& rect, const QString& title, const Picture& picture) const
{
    const Theme& t = Theme::get();
    p.setFont(t.text(12, true));
    p.setPen(t.ink);
    drawLine(p, QRect(rect.left(), rect.top(), rect.width(), kTitle), Qt::AlignLeft | Qt::AlignVCenter, title);
    const int lines = int(std::max(left_.figures.size(), right_.figures.size()));
    const QRect room = rect.adjusted(0, kTitle, 0, -(lines * kFigure + 6));
    for (int i = 0; i < picture.figures.size(); ++i) {
        const bool differs = left_.figures.value(i) != right_.figures.value(i);
        p.setFont(t.text(12, differs));
        p.setPen(differs ? t.ink : t.muted);
        drawLine(p, QRect(rect.left(), room.bottom() + 6 + i * kFigure, rect.width(), kFigure),
                 Qt::AlignLeft | Qt::AlignVCenter, picture.figures[i]);
    }

    const Body body = bodyIn(room);
    p.setPen(QPen(t.muted, 1));
    p.setBrush(t.raised);
    p.drawRoundedRect(body.rect, 4, 4);
    p.setBrush(t.muted);
    p.setPen(Qt::NoPen);
    p.drawEllipse(body.rect.topLeft() + QPointF(9, 9), 2.5, 2.5); // pin 1
    // What moves gets its label first.
    std::vector<Mark> marks = picture.marks;
    std::ranges::stable_sort(marks, {}, [](const Mark& mark) { return std::pair(!mark.moves, int(mark.pin)); });
    std::array<std::vector<double>, 4> labelled; // by side: where labels stand
    for (const Mark& mark : marks)
        paintMark(p, body, mark, labelled[std::size_t(body.sides[std::size_t(mark.pin)])]);
}

/// `labelled`: where labels stand on its side already; one more does not cover them.
void LayoutPair::paintMark(QPainter& p, const Body& body, const Mark& mark, std::vector<double>& labelled) const
{
    const Theme& t = Theme::get();
    const Package& package = before_->device->package;
    const int side = body.sides[std::size_t(mark.pin)];
    const auto [first, last] = body.spans[std::size_t(side)];
    double share = (alongSide(package, mark.pin, side) - first + 0.5) / (last - first + 1);
    if (package.kind != Package::Kind::BallGrid && side >= 2)
        share = 1 - share; // pins count upwards on the right, to the left at the top
    const double at = share * body.rect.width();
    const std::array<QPointF, 4> outwards{QPointF(-1, 0), QPointF(0, 1), QPointF(1, 0), QPointF(0, -1)};
    const std::array<QPointF, 4> edges{
        QPointF(body.rect.left(), body.rect.top() + at), QPointF(body.rect.left() + at, body.rect.bottom()),
        QPointF(body.rect.right(), body.rect.top() + at), QPointF(body.rect.left() + at, body.rect.top())};
    const QPointF out = outwards[std::size_t(side)], edge = edges[std::size_t(side)];
    p.setPen(QPen(mark.part < 0 ? t.muted : t.hue(mark.part), mark.moves ? 4 : 2, Qt::SolidLine, Qt::FlatCap));
    p.drawLine(edge, edge + out * (mark.moves ? kLeg + 3 : kLeg));
    if (mark.unwished) {
        p.setPen(QPen(t.caution, 1.5));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(edge - out * 7, 3.5, 3.5);
    }
    if (!(mark.moves || mark.unwished) ||
        std::ranges::any_of(labelled, [at](double other) { return std::abs(other - at) < kLabelPitch; }))
        return;
    labelled.push_back(at);
    p.save();
    p.translate(edge + out * (kLeg + 7));
    p.setFont(t.text(10, mark.moves));
    p.setPen(mark.moves ? t.ink : t.muted);
    if (side % 2 == 1)
        p.rotate(-90);
    const int length = side % 2 == 0 ? kLabel - 18 : kUpright;
    const bool ends = side == 0 || side == 1; // at the body, having begun outside
    drawLine(p, QRect(ends ? -length : 0, -7, length, 14), (ends ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter,
             p.fontMetrics().elidedText(mark.label, Qt::ElideRight, length));
    p.restore();
}

} // namespace bindrel
