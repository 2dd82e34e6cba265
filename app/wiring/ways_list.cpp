// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/ways_list.h"

#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace bindrel {

namespace {

constexpr int kHead = 22, kLine = 16, kBelow = 8;

/// "Lid switch: PC6 → PB3", a line a signal that moves; an instance that changes first.
QStringList movesOf(const Snapshot& s, const Edit& edit)
{
    QStringList out;
    for (const Change& change : edit.changes) {
        const auto* set = std::get_if<SetBinding>(&change);
        const Need* need = set ? s.plan.need(set->need) : nullptr;
        if (!need)
            continue;
        const QString title = QString::fromStdString(need->title);
        if (need->binding.instance != set->binding.instance)
            out << QString("%1: %2 \u2192 %3").arg(title, QString::fromStdString(need->binding.instance), QString::fromStdString(set->binding.instance));
        for (const auto& [signal, pad] : set->binding.pads) {
            const auto was = need->binding.pads.find(signal);
            if (was == need->binding.pads.end() || was->second == pad)
                continue;
            const QString name = need->binding.pads.size() > 1 ? title + " " + QString::fromStdString(signal) : title;
            out << QString("%1: %2 \u2192 %3").arg(name, QString::fromStdString(was->second), QString::fromStdString(pad));
        }
    }
    return out;
}

} // namespace

WaysList::WaysList(QWidget* parent) : RowList(parent)
{
    setAccessibleName("Ways out of contention");
    viewport()->setMouseTracking(true);
}

void WaysList::setWays(const Snapshot& snapshot, std::vector<Untangling::Way> ways)
{
    ways_ = std::move(ways);
    moves_.clear();
    for (const Untangling::Way& way : ways_)
        moves_.push_back(movesOf(snapshot, way.edit));
    setCurrentRow(ways_.empty() ? -1 : 0);
    rowsChanged();
}

int WaysList::rowHeight(int row) const { return kHead + kLine * int(moves_[size_t(row)].size()) + kBelow; }

void WaysList::paintRow(QPainter& p, int row, const QRect& rect, bool current)
{
    const Theme& t = Theme::get();
    const QRect text = rect.adjusted(12, 0, -8, 0);
    p.setPen(t.ink);
    p.setFont(t.text(12, true));
    const PlacementCost& cost = ways_[size_t(row)].cost;
    p.drawText(QRect(text.left(), text.top(), text.width(), kHead), Qt::AlignVCenter | Qt::AlignLeft,
               QString("%1.  %2").arg(row + 1).arg(cost.moved == 1 ? QString("one need moves") : QString("%1 needs move").arg(cost.moved)));
    p.setFont(t.text(11));
    p.setPen(current ? t.ink : t.muted);
    for (int i = 0; i < int(moves_[size_t(row)].size()); ++i) {
        const QRect line(text.left() + 16, text.top() + kHead + kLine * i, text.width() - 16, kLine);
        p.drawText(line, Qt::AlignVCenter | Qt::AlignLeft, QFontMetrics(p.font()).elidedText(moves_[size_t(row)][i], Qt::ElideMiddle, line.width()));
    }
}

QString WaysList::rowText(int row) const { return QString("way %1: %2").arg(row + 1).arg(moves_[size_t(row)].join(", ")); }

void WaysList::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape)
        Q_EMIT closed();
    else
        RowList::keyPressEvent(event);
}

void WaysList::mouseMoveEvent(QMouseEvent* event)
{
    if (const int row = rowAt(event->position().toPoint()); row >= 0 && row != currentRow()) {
        setCurrentRow(row);
        Q_EMIT hovered(row);
    }
}

} // namespace bindrel
