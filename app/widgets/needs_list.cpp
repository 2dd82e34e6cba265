// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/needs_list.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "core/base/say.h"

#include <QApplication>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace bindrel {

NeedsList::NeedsList(Document& document, ViewState& view, Detail detail, QWidget* parent)
    : RowList(parent), document_(document), view_(view), detail_(detail)
{
    setAccessibleName(say("Needs"));
    connect(&document_, &Document::changed, this, &NeedsList::rebuild);
    connect(&view_, &ViewState::selectionChanged, this, &NeedsList::rebuild);
    connect(this, &RowList::currentChanged, this, [this](int row) {
        view_.showOptions(false);
        view_.select(placeOf(row));
    });
    connect(this, &RowList::activated, this, [this](int row) { Q_EMIT bindWanted(placeOf(row).id); });
    rebuild();
}

void NeedsList::setFilter(const QString& text)
{
    filter_ = text.trimmed();
    rebuild();
}

void NeedsList::rebuild()
{
    rows_.clear();
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    std::vector<std::string> parts;
    for (const Part& part : s.board->parts)
        parts.push_back(part.id);
    parts.push_back(""); // the firmware's own
    const std::string selected = view_.selectedNeed();
    for (const std::string& part : parts) {
        bool headed = false;
        for (const NeedIndex n : s.plan.needs.indices()) {
            const Need& need = s.plan.needs[n];
            if (need.part != part)
                continue;
            const Part* facts = s.board->part(part);
            const std::string instance = need.binding.instance;
            const QString all = QString::fromStdString(need.title + " " + need.kind + " " + instance + " " +
                                                       (facts ? facts->title : ""));
            if (!filter_.isEmpty() && !all.contains(filter_, Qt::CaseInsensitive))
                continue;
            if (!headed)
                rows_.push_back({facts ? facts->title : say("Firmware"), -1, -1});
            headed = true;
            rows_.push_back({{}, int(n), -1});
            if (detail_ == Detail::NeedsAndSignals && need.id == selected)
                for (size_t k = 0; k < s.bindings.needs[n].seats.size(); ++k)
                    rows_.push_back({{}, int(n), int(k)});
        }
    }
    rowsChanged();
    followSelection();
}

int NeedsList::rowOf(const std::string& need, const std::string& signal) const
{
    const Snapshot& s = document_.snapshot();
    int whole = -1;
    for (size_t i = 0; i < rows_.size(); ++i) {
        const Row& row = rows_[i];
        if (row.need < 0 || s.plan.needs[row.need].id != need)
            continue;
        if (row.seat < 0)
            whole = int(i);
        else if (!signal.empty() && s.bindings.needs[row.need].seats[size_t(row.seat)].signal.id == signal)
            return int(i);
    }
    return whole;
}

void NeedsList::followSelection()
{
    const Place& place = view_.selected();
    std::string signal = place.kind == Place::Kind::Signal ? place.sub : "";
    if (place.kind == Place::Kind::Pad && document_.isOpen())
        for (const NeedIndex n : document_.snapshot().plan.needs.indices())
            if (document_.snapshot().plan.needs[n].id == place.sub)
                for (const Seat& seat : document_.snapshot().bindings.needs[n].seats)
                    if (seat.pad >= 0 && document_.snapshot().device->pads[seat.pad].name == place.id)
                        signal = seat.signal.id;
    setCurrentRow(view_.selectedNeed().empty() ? -1 : rowOf(view_.selectedNeed(), signal));
}

Place NeedsList::placeOf(int row) const
{
    const Snapshot& s = document_.snapshot();
    const Row& r = rows_[size_t(row)];
    const std::string& need = s.plan.needs[r.need].id;
    if (r.seat < 0)
        return {Place::Kind::Need, need, {}};
    return {Place::Kind::Signal, need, s.bindings.needs[r.need].seats[size_t(r.seat)].signal.id};
}

int NeedsList::rowHeight(int row) const
{
    return rows_[size_t(row)].need < 0 ? 23 : 18;
}

QString NeedsList::rowText(int row) const
{
    const Row& r = rows_[size_t(row)];
    if (r.need < 0)
        return QString::fromStdString(r.part);
    const Snapshot& s = document_.snapshot();
    const Need& need = s.plan.needs[r.need];
    const KindSpec* kind = findKind(need.kind);
    const auto state = s.bindings.needs[r.need].state;
    const QString how = state == BoundNeed::State::Bound  ? say("bound")
                        : state == BoundNeed::State::Open ? say("unbound")
                                                          : say("in conflict");
    return QString("%1, %2 %3: %4")
        .arg(QString::fromStdString(need.title), QString::fromStdString(say(kind->title)), typeset(kind->brief(need)),
             how);
}

void NeedsList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    const Row& r = rows_[size_t(row)];
    const int left = rect.left() + 12;
    if (r.need < 0) {
        p.setFont(t.text(12, true));
        p.setPen(t.ink);
        drawLine(p, rect.adjusted(12, 4, -4, 0), Qt::AlignVCenter | Qt::AlignLeft, QString::fromStdString(r.part));
        return;
    }
    const Need& need = s.plan.needs[r.need];
    const BoundNeed& bound = s.bindings.needs[r.need];
    const QColor hue = hueOf(s, need);
    p.fillRect(QRect(rect.left() + 5, rect.top(), 2, rect.height()), hue);
    QRect text = rect.adjusted(32, 0, -10, 0);
    if (r.seat >= 0) {
        const Seat& seat = bound.seats[size_t(r.seat)];
        const bool contested = seat.pad >= 0 && s.bindings.padClaims[seat.pad].size() > 1;
        const QRectF box(left + 18, rect.center().y() - 3, 7, 7);
        drawStateMark(p, box,
                      contested                                  ? BoundNeed::State::Contested
                      : seat.pad < 0 || !seat.impossible.empty() ? BoundNeed::State::Open
                                                                 : BoundNeed::State::Bound,
                      hue);
        if (s.plan.held(holdOfSignal(need.id, seat.signal.id)))
            drawHoldBar(p, box);
        text.setLeft(left + 32);
        p.setFont(t.text(11));
        p.setPen(t.muted);
        drawLine(p, text, Qt::AlignVCenter | Qt::AlignLeft, QString::fromStdString(say(seat.signal.title)));
        p.setFont(t.mono(11));
        p.setPen(seat.impossible.empty() ? t.ink : t.error);
        drawLine(p, text, Qt::AlignVCenter | Qt::AlignRight,
                 seat.pad < 0 ? QString("\u2013") : QString::fromStdString(s.device->pads[seat.pad].name));
        return;
    }
    const QRectF box(left + 4, rect.center().y() - 4, 9, 9);
    drawStateMark(p, box, bound.state, hue);
    if (s.plan.held(holdOfNeed(need.id)))
        drawHoldBar(p, box);
    p.setFont(t.mono(10));
    p.setPen(t.muted);
    const KindSpec* kind = findKind(need.kind);
    const QString instance = QString::fromStdString(bound.instance >= 0          ? need.binding.instance
                                                    : kind->instanceKind.empty() ? "GPIO"
                                                                                 : "");
    drawLine(p, text, Qt::AlignVCenter | Qt::AlignRight, instance);
    text.setRight(text.right() - (instance.isEmpty() ? 0 : QFontMetrics(p.font()).horizontalAdvance(instance) + 6));
    p.setFont(t.text(12));
    p.setPen(t.ink);
    // Kind and goal in short; the need's own name when its part has several of a kind is in the tooltip and inspector.
    int sameKind = 0;
    for (const Need& other : s.plan.needs)
        sameKind += other.part == need.part && other.kind == need.kind;
    const QString brief = kind->title == "GPIO" ? QString() : typeset(say(kind->title) + (" " + kind->brief(need)));
    // The firmware's own have no part that would name them.
    const QString title = QString::fromStdString(need.title);
    const bool byTitle = brief.isEmpty() || sameKind > 1 || need.part.empty();
    drawLine(p, text, Qt::AlignVCenter | Qt::AlignLeft, byTitle ? title : brief, Qt::ElideRight);
    const int used = QFontMetrics(p.font()).horizontalAdvance(title) + 8;
    if (byTitle && need.part.empty() && !brief.isEmpty() && text.width() - used > 30) {
        p.setFont(t.text(11));
        p.setPen(t.muted);
        // "UART, 9600 Bd" beside "Uplink"; beside "UART" the rate alone.
        drawLine(p, text.adjusted(used, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft,
                 need.title.starts_with(kind->title) ? typeset(kind->brief(need)) : brief, Qt::ElideRight);
    }
}

void NeedsList::paintEvent(QPaintEvent* event)
{
    RowList::paintEvent(event);
    if (!rows_.empty() || !document_.isOpen())
        return;
    QPainter p(viewport());
    p.setFont(Theme::get().text(12));
    p.setPen(Theme::get().muted);
    p.drawText(viewport()->rect().adjusted(14, 8, -12, 0), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
               filter_.isEmpty() ? say("No need yet. Press Ctrl+Shift+A to add one.")
                                 : say("No need matches the filter."));
}

void NeedsList::keyPressEvent(QKeyEvent* event)
{
    const int row = currentRow();
    if (row < 0 || rows_[size_t(row)].need < 0)
        return RowList::keyPressEvent(event);
    const Place place = placeOf(row);
    if (view_.optionsShown() && event->key() >= Qt::Key_1 && event->key() <= Qt::Key_9 &&
        event->modifiers() == Qt::NoModifier)
        Q_EMIT optionPicked(event->key() - Qt::Key_0);
    else if (event->key() == Qt::Key_Space && detail_ == Detail::NeedsAndSignals)
        view_.showOptions(!view_.optionsShown());
    else if (event->key() == Qt::Key_Escape && view_.optionsShown())
        view_.showOptions(false);
    else if (event->key() == Qt::Key_Delete)
        Q_EMIT unbindWanted(place.id);
    else if (event->key() == Qt::Key_H && event->modifiers() == Qt::NoModifier)
        Q_EMIT holdWanted(place);
    else
        RowList::keyPressEvent(event);
}

void NeedsList::mousePressEvent(QMouseEvent* event)
{
    pressed_ = event->position().toPoint();
    dragging_ = false;
    RowList::mousePressEvent(event);
}

void NeedsList::mouseMoveEvent(QMouseEvent* event)
{
    if (!(event->buttons() & Qt::LeftButton) || currentRow() < 0 || detail_ != Detail::NeedsAndSignals)
        return;
    if (!dragging_ && (event->position().toPoint() - pressed_).manhattanLength() < QApplication::startDragDistance())
        return;
    dragging_ = true;
    Q_EMIT dragMoved(placeOf(currentRow()), event->globalPosition().toPoint());
}

void NeedsList::mouseReleaseEvent(QMouseEvent* event)
{
    if (dragging_ && currentRow() >= 0)
        Q_EMIT dragDropped(placeOf(currentRow()), event->globalPosition().toPoint());
    dragging_ = false;
}

} // namespace bindrel
