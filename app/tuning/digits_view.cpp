// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/digits_view.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace bindrel {

namespace {
constexpr int kSegments = int(SegmentDigits::kSegments);
constexpr double kDigitsMargin = 14, kDigitsGap = 14, kDigitsHead = 30, kDigitsFoot = 22;
} // namespace

DigitsView::DigitsView(QWidget* parent) : QWidget(parent)
{
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(150);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Maximum);
    setAccessibleName(say("Digits"));
    setObjectName("digits");
}

void DigitsView::show(const SegmentDigits& digits, const QColor& hue)
{
    digits_ = digits;
    hue_ = hue;
    adding_ = adding_ && digit_ >= int(digits_.digits.size());
    digit_ = std::clamp(digit_, 0, digitCount() - 1);
    update();
}

int DigitsView::digitCount() const
{
    const int known = int(digits_.digits.size());
    return std::min(std::max(1, known + (adding_ ? 1 : 0)), int(SegmentDigits::kMostDigits));
}

QRectF DigitsView::digitBox(int digit) const
{
    // Digits take the left half at most, in as many rows as they need there.
    const double room = width() * 0.5 - kDigitsMargin;
    const int many = digitCount();
    int rows = 1;
    const auto sizeIn = [&](int rowCount) {
        const int inRow = (many + rowCount - 1) / rowCount;
        const double high = (height() - kDigitsMargin * 2 - kDigitsFoot - kDigitsGap * (rowCount - 1)) / rowCount;
        return std::min(high, (room / inRow - kDigitsGap) * 1.7);
    };
    while (rows < many && sizeIn(rows + 1) > sizeIn(rows))
        ++rows;
    const double high = std::max(24.0, sizeIn(rows));
    const int inRow = (many + rows - 1) / rows;
    return {kDigitsMargin + (digit % inRow) * (high / 1.7 + kDigitsGap),
            kDigitsMargin + int(digit / inRow) * (high + kDigitsGap), high / 1.7, high};
}

QPolygonF DigitsView::shape(int digit, int segment) const
{
    const QRectF box = digitBox(digit);
    const double w = box.width() * 0.82, h = box.height(), thick = std::max(3.0, w * 0.14);
    const double left = box.left() + thick / 2, right = box.left() + w - thick / 2, top = box.top() + thick / 2,
                 bottom = box.top() + h - thick / 2, middle = box.top() + h / 2;
    const auto across = [&](double y) {
        const double t = thick / 2;
        return QPolygonF{{left + 2, y},  {left + t + 2, y - t},  {right - t - 2, y - t},
                         {right - 2, y}, {right - t - 2, y + t}, {left + t + 2, y + t}};
    };
    const auto down = [&](double x, double from, double to) {
        const double t = thick / 2;
        return QPolygonF{{x, from + 2}, {x + t, from + t + 2}, {x + t, to - t - 2},
                         {x, to - 2},   {x - t, to - t - 2},   {x - t, from + t + 2}};
    };
    switch (segment) {
    case 0:
        return across(top);
    case 1:
        return down(right, top, middle);
    case 2:
        return down(right, middle, bottom);
    case 3:
        return across(bottom);
    case 4:
        return down(left, middle, bottom);
    case 5:
        return down(left, top, middle);
    case 6:
        return across(middle);
    default: {
        const double x = box.left() + w + thick, y = bottom + thick / 2;
        return QPolygonF{{x - thick, y - thick}, {x, y - thick}, {x, y}, {x - thick, y}};
    }
    }
}

QRectF DigitsView::placeAt(int backplane, int line) const
{
    const double left = width() * 0.5 + 62;
    const double wide = std::min(44.0, (width() - left - kDigitsMargin) / std::max(1, digits_.lines));
    const double high =
        std::min(30.0, (height() - kDigitsMargin - kDigitsHead - kDigitsFoot) / std::max(1, digits_.backplanes));
    return {left + line * wide, kDigitsMargin + kDigitsHead + backplane * high, wide, high};
}

QPointF DigitsView::segmentAt(int digit, int segment) const
{
    return shape(digit, segment).boundingRect().center();
}

SegmentDigits::Place DigitsView::placeOf(int digit, int segment) const
{
    return digit < int(digits_.digits.size()) ? digits_.digits[size_t(digit)][size_t(segment)] : SegmentDigits::Place();
}

std::pair<int, int> DigitsView::segmentOf(const SegmentDigits::Place& place) const
{
    for (int digit = 0; digit < int(digits_.digits.size()); ++digit)
        for (int segment = 0; segment < kSegments; ++segment)
            if (placeOf(digit, segment) == place)
                return {digit, segment};
    return {-1, -1};
}

QString DigitsView::nameOf(int digit, int segment) const
{
    const SegmentDigits::Place place = placeOf(digit, segment);
    return QString(say("Digit %1 segment %2, %3"))
        .arg(digit + 1)
        .arg(QChar(SegmentDigits::letter(size_t(segment))))
        .arg(place.connected() ? QString(say("backplane %1, line %2")).arg(place.backplane).arg(place.line)
                               : QString(say("not connected")));
}

std::vector<AccessibleItem> DigitsView::accessibleItems() const
{
    std::vector<AccessibleItem> out;
    for (int digit = 0; digit < digitCount(); ++digit)
        for (int segment = 0; segment < kSegments; ++segment)
            out.push_back({nameOf(digit, segment), shape(digit, segment).boundingRect().toAlignedRect()});
    return out;
}

void DigitsView::chooseAccessibleItem(int item)
{
    digit_ = item / kSegments;
    segment_ = item % kSegments;
    update();
}

void DigitsView::connectTo(const SegmentDigits::Place& place)
{
    SegmentDigits then = digits_;
    if (then.digits.size() <= size_t(digit_))
        then.digits.resize(size_t(digit_) + 1);
    SegmentDigits::Place& own = then.digits[size_t(digit_)][size_t(segment_)];
    if (own == place)
        return;
    if (const auto [digit, segment] = segmentOf(place); digit >= 0 && place.connected())
        then.digits[size_t(digit)][size_t(segment)] = own;
    own = place;
    Q_EMIT changed(then);
}

void DigitsView::paintEvent(QPaintEvent*)
{
    const Theme& t = Theme::get();
    QPainter p(this);
    p.fillRect(rect(), t.raised);
    p.setPen(t.rule);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
    p.setRenderHint(QPainter::Antialiasing, true);
    for (int digit = 0; digit < digitCount(); ++digit)
        for (int segment = 0; segment < kSegments; ++segment) {
            const bool chosen = digit == digit_ && segment == segment_;
            const bool connected = placeOf(digit, segment).connected();
            QColor fill = chosen ? t.accent : hue_;
            fill.setAlphaF(connected ? (chosen ? 1.0f : 0.75f) : chosen ? 0.25f : 0.0f);
            p.setBrush(fill);
            p.setPen(QPen(chosen      ? t.accent
                          : connected ? hue_
                                      : t.faint,
                          chosen ? 2 : 1, connected ? Qt::SolidLine : Qt::DotLine));
            p.drawPolygon(shape(digit, segment));
        }
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setBrush(Qt::NoBrush);
    p.setFont(t.mono(10));
    p.setPen(t.muted);
    const QRectF first = placeAt(0, 0);
    drawLine(p, QRectF(first.left(), kDigitsMargin, width() - first.left(), 14), Qt::AlignLeft, say("segment line"));
    for (int line = 0; line < digits_.lines; ++line) {
        const QRectF at = placeAt(0, line);
        if (at.width() >= 16 || line % 5 == 0)
            drawLine(p, QRectF(at.left(), at.top() - 15, std::max(at.width(), 16.0), 14), Qt::AlignHCenter,
                     QString::number(line));
    }
    const SegmentDigits::Place now = placeOf(digit_, segment_);
    for (int plane = 0; plane < digits_.backplanes; ++plane) {
        const QRectF row = placeAt(plane, 0);
        p.setPen(t.muted);
        drawLine(p, QRectF(row.left() - 60, row.top(), 52, row.height()), Qt::AlignVCenter | Qt::AlignRight,
                 QString("COM %1").arg(plane));
        for (int line = 0; line < digits_.lines; ++line) {
            const QRectF at = placeAt(plane, line);
            const auto [digit, segment] = segmentOf({plane, line});
            if (now.connected() && now == SegmentDigits::Place{plane, line})
                p.fillRect(at, t.sunken);
            p.setPen(t.rule);
            p.drawRect(at);
            if (digit < 0)
                continue;
            p.setPen(digit == digit_ && segment == segment_ ? t.accent : t.ink);
            p.setFont(t.mono(10, digit == digit_ && segment == segment_));
            if (at.width() >= 20)
                drawLine(p, at, Qt::AlignCenter,
                         QString::number(digit + 1) + QChar(SegmentDigits::letter(size_t(segment))));
            else
                p.fillRect(at.adjusted(2, 2, -2, -2), hue_);
        }
    }
    p.setFont(t.text(11));
    p.setPen(t.muted);
    drawLine(p, QRectF(kDigitsMargin, height() - kDigitsFoot, width() - kDigitsMargin * 2, 16),
             Qt::AlignLeft | Qt::AlignVCenter,
             nameOf(digit_, segment_) +
                 say(". Click its place in the table, or Shift and an arrow; Del disconnects, Ins "
                     "adds a digit."),
             Qt::ElideRight);
    if (hasFocus()) {
        p.setPen(t.accent);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void DigitsView::mousePressEvent(QMouseEvent* event)
{
    const QPointF at = event->position();
    for (int plane = 0; plane < digits_.backplanes; ++plane)
        for (int line = 0; line < digits_.lines; ++line)
            if (placeAt(plane, line).contains(at)) {
                connectTo({plane, line});
                return;
            }
    double near = 9;
    for (int digit = 0; digit < digitCount(); ++digit)
        for (int segment = 0; segment < kSegments; ++segment) {
            const QPolygonF area = shape(digit, segment);
            const double off =
                area.containsPoint(at, Qt::OddEvenFill) ? 0 : (area.boundingRect().center() - at).manhattanLength();
            if (off < near)
                digit_ = digit, segment_ = segment, near = off;
        }
    update();
}

void DigitsView::keyPressEvent(QKeyEvent* event)
{
    const bool shift = event->modifiers() & Qt::ShiftModifier;
    const int along = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    const int across = event->key() == Qt::Key_Down ? 1 : event->key() == Qt::Key_Up ? -1 : 0;
    if (event->modifiers() & (Qt::ControlModifier | Qt::AltModifier))
        return QWidget::keyPressEvent(event);
    if (shift && (along || across) && digits_.lines > 0 && digits_.backplanes > 0) {
        SegmentDigits::Place place = placeOf(digit_, segment_);
        place = place.connected()
                    ? SegmentDigits::Place{(place.backplane + across + digits_.backplanes) % digits_.backplanes,
                                           (place.line + along + digits_.lines) % digits_.lines}
                    : SegmentDigits::Place{0, 0};
        connectTo(place);
    } else if (along) {
        const int all = digitCount() * kSegments;
        const int then = (digit_ * kSegments + segment_ + along + all) % all;
        digit_ = then / kSegments;
        segment_ = then % kSegments;
    } else if (across) {
        digit_ = (digit_ + across + digitCount()) % digitCount();
    } else if (event->key() == Qt::Key_Delete || event->key() == Qt::Key_Backspace) {
        if (placeOf(digit_, segment_).connected())
            connectTo({});
    } else if (event->key() == Qt::Key_Insert) {
        adding_ = int(digits_.digits.size()) < int(SegmentDigits::kMostDigits);
        digit_ = digitCount() - 1;
        segment_ = 0;
    } else {
        return QWidget::keyPressEvent(event);
    }
    update();
}

void DigitsView::focusInEvent(QFocusEvent* event)
{
    QWidget::focusInEvent(event);
    update();
}

void DigitsView::focusOutEvent(QFocusEvent* event)
{
    QWidget::focusOutEvent(event);
    update();
}

} // namespace bindrel
