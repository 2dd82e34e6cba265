// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/board_picture.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QApplication>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace bindrel {

namespace {

constexpr double kMargin = 12, kShelf = 132, kRow = 24, kBoxWide = 118, kBoxHigh = 20, kChip = 88;
constexpr Micrometres kMillimetre = 1000, kSnap = 500, kAround = 15'000;

} // namespace

BoardPicture::BoardPicture(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(false);
    setAccessibleName(say("Outline of the board"));
    setObjectName("outline");
    connect(&document_, &Document::changed, this, &BoardPicture::refresh);
}

void BoardPicture::setLive(bool live)
{
    live_ = live;
    refresh();
}

void BoardPicture::refresh()
{
    if (!live_)
        return;
    items_ = document_.isOpen() ? boardItems(document_.snapshot()) : std::vector<BoardItem>();
    outline_ = document_.isOpen() ? document_.snapshot().board->outline : std::nullopt;
    // What was pressed may be gone, or another's by now.
    pressed_ = -1;
    dragged_.reset();
    if (!chosen())
        chosen_.clear();
    shown_ = viewNow();
    update();
    Q_EMIT chosenChanged();
}

const BoardItem* BoardPicture::chosen() const
{
    const auto found = std::ranges::find(items_, chosen_, &BoardItem::part);
    return found == items_.end() ? nullptr : &*found;
}

void BoardPicture::choosePartOf(const std::string& need)
{
    const Need* known = document_.isOpen() ? document_.snapshot().plan.need(need) : nullptr;
    if (!known || known->part.empty() || known->part == chosen_ || pressed_ >= 0)
        return;
    if (std::ranges::find(items_, known->part, &BoardItem::part) == items_.end())
        return;
    chosen_ = known->part;
    update();
    Q_EMIT chosenChanged();
}

void BoardPicture::choose(int item)
{
    if (item < 0 || item >= int(items_.size()) || !view_.pending().settle())
        return;
    if (item >= int(items_.size()))
        return; // settling a text can change what there is
    chosen_ = items_[size_t(item)].part;
    update();
    Q_EMIT chosenChanged();
}

std::optional<BoardPlace> BoardPicture::placeOf(int item) const
{
    return item == pressed_ && dragged_ ? dragged_ : items_[size_t(item)].place;
}

BoardPicture::View BoardPicture::viewNow() const
{
    View out;
    const bool shelf = std::ranges::any_of(items_, [](const BoardItem& item) { return !item.place; });
    // What stands at an edge hangs over it by half.
    const double aside = kMargin + kBoxWide / 2;
    out.room = QRectF(aside, kMargin, std::max(40.0, width() - 2 * aside - (shelf ? kShelf : 0)),
                      std::max(40.0, height() - 2 * kMargin - 16));
    double left = 0, bottom = 0, right = 60 * kMillimetre, top = 40 * kMillimetre;
    if (outline_) {
        right = outline_->width;
        top = outline_->height;
    }
    // What stands outside of the outline is shown too.
    bool first = !outline_;
    for (const BoardItem& item : items_)
        if (item.place) {
            const double around = outline_ ? 0 : kAround;
            const double x = item.place->x, y = item.place->y;
            left = first ? std::max(0.0, x - around) : std::min(left, std::max(0.0, x - around));
            right = first ? x + around : std::max(right, x + around);
            bottom = first ? std::max(0.0, y - around) : std::min(bottom, std::max(0.0, y - around));
            top = first ? y + around : std::max(top, y + around);
            first = false;
        }
    const double wide = std::max(right - left, double(kMillimetre)), high = std::max(top - bottom, double(kMillimetre));
    out.scale = std::min(out.room.width() / wide, out.room.height() / high);
    out.left = left;
    out.bottom = bottom;
    const QSizeF size(wide * out.scale, high * out.scale);
    out.room =
        QRectF(QPointF(out.room.center().x() - size.width() / 2, out.room.center().y() - size.height() / 2), size);
    return out;
}

QPointF BoardPicture::pointOf(const BoardPlace& place) const
{
    return {shown_.room.left() + (place.x - shown_.left) * shown_.scale,
            shown_.room.bottom() - (place.y - shown_.bottom) * shown_.scale};
}

BoardPlace BoardPicture::placeAt(const QPointF& point, const BoardPlace& as) const
{
    const auto snapped = [](double length) {
        const double most = kLongestBoard;
        return Micrometres(std::lround(std::clamp(length, 0.0, most) / kSnap)) * kSnap;
    };
    BoardPlace out = as;
    out.x = snapped((point.x() - shown_.room.left()) / shown_.scale + shown_.left);
    out.y = snapped((shown_.room.bottom() - point.y()) / shown_.scale + shown_.bottom);
    return out;
}

QRectF BoardPicture::rectOf(int item) const
{
    return boxes()[size_t(item)];
}

/// Boxes of parts that stand close together make room for each other, towards the middle; what is dragged does not.
std::vector<QRectF> BoardPicture::boxes() const
{
    std::vector<QRectF> out;
    for (int i = 0; i < int(items_.size()); ++i) {
        const QRectF plain = plainRectOf(i);
        const double step = plain.center().y() < height() / 2.0 ? kBoxHigh + 3 : -(kBoxHigh + 3);
        const auto isFree = [&out](const QRectF& where) {
            return std::none_of(out.begin(), out.end(), [&](const QRectF& other) { return other.intersects(where); });
        };
        QRectF box = plain;
        if (i > 0 && i != pressed_ && placeOf(i)) {
            for (int tries = 1; tries <= 6 && !isFree(box); ++tries)
                box = plain.translated(0, tries * step);
            if (!isFree(box))
                box = plain;
        }
        out.push_back(box);
    }
    return out;
}

QString BoardPicture::labelOf(int item) const
{
    const BoardItem& known = items_[size_t(item)];
    const QString title = QString::fromStdString(known.title);
    return !placeOf(item)  ? title
           : known.off > 0 ? QString(say("%1 \u00b7 %2 away")).arg(title).arg(known.off)
           : known.across > 0
               ? QString("%1 \u00b7 %2 %3").arg(title).arg(known.across).arg(known.across == 1 ? "crosses" : "cross")
               : title;
}

QRectF BoardPicture::plainRectOf(int item) const
{
    const double wide = QFontMetricsF(Theme::get().text(11)).horizontalAdvance(labelOf(item)) + 14;
    const QSizeF size = item == 0 ? QSizeF(kChip, kChip) : QSizeF(std::clamp(wide, 44.0, double(kBoxWide)), kBoxHigh);
    if (const auto place = placeOf(item)) {
        QPointF middle = pointOf(*place);
        // A box stays in sight, also of what stands far outside, and off the shelf.
        const bool shelf = std::ranges::any_of(items_, [](const BoardItem& known) { return !known.place; });
        const double right = width() - (shelf && item != pressed_ ? kShelf + kMargin : 2), half = size.width() / 2;
        middle.setX(std::clamp(middle.x(), half + 2, std::max(half + 2, right - half)));
        const double most = std::max(size.height() / 2 + 2, height() - 18 - size.height() / 2);
        middle.setY(std::clamp(middle.y(), size.height() / 2 + 2, most));
        return {middle.x() - size.width() / 2, middle.y() - size.height() / 2, size.width(), size.height()};
    }
    // On the shelf, in their order.
    int row = 0;
    for (int i = 0; i < item; ++i)
        row += !placeOf(i);
    return {width() - kMargin - kShelf + (kShelf - kBoxWide) / 2, kMargin + 22 + row * kRow, kBoxWide, kBoxHigh};
}

int BoardPicture::itemAt(const QPointF& point) const
{
    for (int i = int(items_.size()) - 1; i >= 0; --i)
        if (rectOf(i).contains(point))
            return i;
    return -1;
}

QString BoardPicture::nameOf(int item) const
{
    const BoardItem& known = items_[size_t(item)];
    const QString title = QString::fromStdString(known.title);
    if (!known.place)
        return title + say(", place not known");
    QString out = title + say(", at ") + QString::fromStdString(placeText(*known.place));
    if (known.off > 0)
        out += QString(say(", %1 of %2 signals on a side that does not face it")).arg(known.off).arg(known.wired);
    if (known.across > 0)
        out += QString(say(", %1 of %2 signals cross another part's")).arg(known.across).arg(known.wired);
    return out;
}

std::vector<AccessibleItem> BoardPicture::accessibleItems() const
{
    std::vector<AccessibleItem> out;
    for (int i = 0; i < int(items_.size()); ++i)
        out.push_back({nameOf(i), rectOf(i).toRect()});
    return out;
}

void BoardPicture::setPlace(int item, const std::optional<BoardPlace>& place)
{
    if (!document_.isOpen() || item < 0 || item >= int(items_.size()) || items_[size_t(item)].place == place)
        return;
    const std::string part = items_[size_t(item)].part;
    const Plan& plan = document_.snapshot().plan;
    // Only what the plan says can be taken back.
    if (!place && (part.empty() ? plan.chipPlace.empty() : !plan.places.contains(part))) {
        Q_EMIT document_.refused(
            QString(say("The board's file says where %1 stands. Place it elsewhere here, or change that "
                        "file."))
                .arg(part.empty() ? QString(say("the chip")) : QString::fromStdString(items_[size_t(item)].title)));
        return;
    }
    if (view_.pending().settle())
        document_.apply(placeEdit(document_.snapshot(), part, place));
}

void BoardPicture::mousePressEvent(QMouseEvent* event)
{
    const int item = itemAt(event->position());
    if (event->button() != Qt::LeftButton || item < 0)
        return;
    choose(item);
    const int now = itemAt(event->position());
    if (now < 0)
        return;
    pressed_ = now;
    pressedAt_ = event->position();
    // Of what has made room for others the place counts, not the box.
    grip_ = pressedAt_ - (items_[size_t(now)].place ? pointOf(*items_[size_t(now)].place) : rectOf(now).center());
}

void BoardPicture::mouseMoveEvent(QMouseEvent* event)
{
    if (pressed_ < 0 || pressed_ >= int(items_.size()))
        return;
    if (!dragged_ && (event->position() - pressedAt_).manhattanLength() < QApplication::startDragDistance())
        return;
    dragged_ = placeAt(event->position() - grip_, items_[size_t(pressed_)].place.value_or(BoardPlace()));
    update();
}

void BoardPicture::mouseReleaseEvent(QMouseEvent*)
{
    const int item = pressed_;
    const std::optional<BoardPlace> place = dragged_;
    pressed_ = -1;
    dragged_.reset();
    if (place)
        setPlace(item, place);
    update();
}

void BoardPicture::mouseDoubleClickEvent(QMouseEvent* event)
{
    if (itemAt(event->position()) >= 0)
        Q_EMIT textWanted();
}

/// The nearest in a direction, from what is chosen.
void BoardPicture::chooseTowards(int key)
{
    const auto known = std::ranges::find(items_, chosen_, &BoardItem::part);
    if (known == items_.end())
        return choose(0);
    const QPointF from = rectOf(int(known - items_.begin())).center();
    int best = -1;
    double least = 0;
    for (int i = 0; i < int(items_.size()); ++i) {
        const QPointF way = rectOf(i).center() - from;
        const double ahead = key == Qt::Key_Left    ? -way.x()
                             : key == Qt::Key_Right ? way.x()
                             : key == Qt::Key_Up    ? -way.y()
                                                    : way.y();
        const double aside = key == Qt::Key_Left || key == Qt::Key_Right ? std::abs(way.y()) : std::abs(way.x());
        const double far = ahead + 2 * aside;
        if (ahead > 1 && (best < 0 || far < least)) {
            best = i;
            least = far;
        }
    }
    choose(best);
}

void BoardPicture::keyPressEvent(QKeyEvent* event)
{
    const auto known = std::ranges::find(items_, chosen_, &BoardItem::part);
    const int item = known == items_.end() ? -1 : int(known - items_.begin());
    const bool shift = event->modifiers().testFlag(Qt::ShiftModifier);
    const Micrometres step = event->modifiers().testFlag(Qt::ControlModifier) ? 5 * kMillimetre : kMillimetre;
    switch (event->key()) {
    case Qt::Key_Escape:
        if (pressed_ < 0)
            return QWidget::keyPressEvent(event);
        pressed_ = -1;
        dragged_.reset();
        update();
        return;
    case Qt::Key_Left:
    case Qt::Key_Right:
    case Qt::Key_Up:
    case Qt::Key_Down: {
        if (!shift || item < 0)
            return chooseTowards(event->key());
        // What stands nowhere yet begins in the middle.
        BoardPlace place = items_[size_t(item)].place.value_or(placeAt(shown_.room.center(), {}));
        const auto moved = [](Micrometres from, Micrometres by) { return std::clamp(from + by, 0, kLongestBoard); };
        place.x = moved(place.x, event->key() == Qt::Key_Left ? -step : event->key() == Qt::Key_Right ? step : 0);
        place.y = moved(place.y, event->key() == Qt::Key_Down ? -step : event->key() == Qt::Key_Up ? step : 0);
        return setPlace(item, place);
    }
    case Qt::Key_PageDown:
    case Qt::Key_PageUp:
        // In the order of the list, wherever they stand.
        if (!items_.empty())
            choose(std::clamp(item + (event->key() == Qt::Key_PageDown ? 1 : -1), 0, int(items_.size()) - 1));
        return;
    case Qt::Key_R:
    case Qt::Key_B:
        if (event->modifiers() != Qt::NoModifier || item < 0 || !items_[size_t(item)].place)
            return QWidget::keyPressEvent(event);
        else {
            BoardPlace place = *items_[size_t(item)].place;
            if (event->key() == Qt::Key_R)
                place.turn = (place.turn + 90) % 360;
            else
                place.below = !place.below;
            return setPlace(item, place);
        }
    case Qt::Key_Delete:
        return setPlace(item, std::nullopt);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        Q_EMIT textWanted();
        return;
    default:
        QWidget::keyPressEvent(event);
    }
}

void BoardPicture::focusInEvent(QFocusEvent*)
{
    update();
}

void BoardPicture::focusOutEvent(QFocusEvent*)
{
    update();
}

void BoardPicture::paintEvent(QPaintEvent*)
{
    if (pressed_ < 0)
        shown_ = viewNow(); // under the hand the board stands still
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = Theme::get();
    p.fillRect(rect(), t.paper);
    if (items_.empty())
        return;
    drawBoard(p);
    drawLines(p);
    for (int i = 0; i < int(items_.size()); ++i)
        drawItem(p, i);
}

void BoardPicture::drawBoard(QPainter& p) const
{
    const Theme& t = Theme::get();
    QRectF board = shown_.room;
    if (outline_) {
        const QPointF corner = pointOf({0, 0, 0, false}),
                      other = pointOf({outline_->width, outline_->height, 0, false});
        board = QRectF(corner, other).normalized();
    }
    p.setPen(QPen(outline_ ? t.ink : t.rule, outline_ ? 1.4 : 1, outline_ ? Qt::SolidLine : Qt::DashLine));
    p.setBrush(t.raised);
    p.drawRoundedRect(board, 4, 4);
    p.setFont(t.text(11));
    p.setPen(t.muted);
    const QRectF below(kMargin, height() - 18, width() - 2 * kMargin, 16);
    const auto unplaced = std::ranges::count_if(items_, [](const BoardItem& item) { return !item.place; });
    const BoardItem* now = chosen();
    const bool looksAway = now && now->place && now->off > 0, crosses = now && now->place && now->across > 0;
    p.setPen(looksAway || crosses ? t.caution : t.muted);
    QString text = say("Shift with an arrow moves what is chosen, R turns it, B puts it below.");
    if (looksAway)
        text = QString(say("%1 of the %2 signals of %3 are on sides of the chip that do not face it."))
                   .arg(now->off)
                   .arg(now->wired)
                   .arg(QString::fromStdString(now->title));
    else if (crosses)
        text =
            QString(
                say("Tracks of %1 would cross those of another part (%2 of %3). Move one of them, or bind it again."))
                .arg(QString::fromStdString(now->title))
                .arg(now->across)
                .arg(now->wired);
    else if (!items_[0].place)
        text = say("Drag the chip onto the board, then what it is wired to. R turns it.");
    else if (unplaced > 0)
        text = say("Drag parts to where they stand. Searches then prefer the side of the chip that faces them.");
    drawLine(p, below, Qt::AlignLeft | Qt::AlignVCenter, text);
    p.setPen(t.muted);
    if (unplaced > 0)
        drawLine(p, QRectF(width() - kMargin - kShelf, kMargin, kShelf, 16), Qt::AlignCenter, say("Place not known"));
}

void BoardPicture::drawLines(QPainter& p) const
{
    const Theme& t = Theme::get();
    if (!placeOf(0))
        return;
    const QPointF chip = rectOf(0).center();
    for (int i = 1; i < int(items_.size()); ++i) {
        const BoardItem& item = items_[size_t(i)];
        if (!placeOf(i) || item.wired == 0)
            continue;
        const bool chosenOne = item.part == chosen_;
        p.setPen(QPen(item.off + item.across > 0 ? t.caution : t.hue(i - 1), chosenOne ? 2.4 : 1.4,
                      item.off + item.across > 0 ? Qt::DashLine : Qt::SolidLine));
        p.drawLine(chip, rectOf(i).center());
    }
}

void BoardPicture::drawItem(QPainter& p, int item) const
{
    const Theme& t = Theme::get();
    const BoardItem& known = items_[size_t(item)];
    const auto place = placeOf(item);
    const QRectF box = rectOf(item);
    const bool isChosen = known.part == chosen_;
    p.setPen(QPen(isChosen ? t.accent : t.ink, isChosen ? (hasFocus() ? 2.4 : 1.8) : 1,
                  place && place->below ? Qt::DotLine : Qt::SolidLine));
    p.setBrush(place ? (item == 0 ? t.paper : t.raised) : t.sunken);
    if (item == 0 && place) {
        p.save();
        p.translate(box.center());
        p.rotate(place->below ? place->turn : -place->turn);
        if (place->below)
            p.scale(-1, 1); // seen through the board
        const QRectF body(-kChip / 2 + 4, -kChip / 2 + 4, kChip - 8, kChip - 8);
        p.drawRect(body);
        p.drawEllipse(body.topLeft() + QPointF(8, 8), 3, 3); // pin 1
        p.restore();
    } else {
        p.drawRoundedRect(box, 3, 3);
    }
    p.setFont(t.text(11, item == 0));
    p.setPen(place ? t.ink : t.muted);
    const QRectF words = box.adjusted(5, 0, -5, 0);
    drawLine(p, words, Qt::AlignCenter, p.fontMetrics().elidedText(labelOf(item), Qt::ElideMiddle, int(words.width())));
}

} // namespace bindrel
