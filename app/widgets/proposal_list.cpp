// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/proposal_list.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"

#include <QApplication>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace bindrel {

namespace {

constexpr int kHead = 22, kBelow = 8;
constexpr int kLeft = 28, kRight = 8; ///< of the lines below a title
constexpr int kBetween = 3;

/// Nothing of a line is cut: its end is often what matters.
int heightOf(const QString& line, int width)
{
    return QFontMetrics(Theme::get().text(11))
               .boundingRect(QRect(0, 0, std::max(40, width), 10'000), Qt::TextWordWrap, line)
               .height() +
           kBetween;
}

} // namespace

ProposalList::ProposalList(QWidget* parent) : RowList(parent)
{
    viewport()->setMouseTracking(true);
    connect(this, &RowList::activated, this,
            [this](int row) { Q_EMIT taken(row, QApplication::keyboardModifiers() & Qt::ShiftModifier); });
}

void ProposalList::setProposals(std::vector<Proposal> proposals)
{
    proposals_ = std::move(proposals);
    rowsChanged();
    setCurrentRow(proposals_.empty() ? -1 : 0);
}

int ProposalList::rowHeight(int row) const
{
    int height = kHead + kBelow;
    for (const QString& line : proposals_[size_t(row)].lines)
        height += heightOf(line, viewport()->width() - kLeft - kRight);
    return height;
}

void ProposalList::paintRow(QPainter& p, int row, const QRect& rect, bool current)
{
    const Theme& t = Theme::get();
    const Proposal& proposal = proposals_[size_t(row)];
    const QRect text = rect.adjusted(12, 0, -8, 0);
    p.setPen(proposal.edit ? t.ink : t.muted);
    p.setFont(t.text(12, true));
    drawLine(p, QRect(text.left(), text.top(), text.width(), kHead), Qt::AlignVCenter | Qt::AlignLeft, proposal.title,
             Qt::ElideRight);
    p.setFont(t.text(11));
    p.setPen(current ? t.ink : t.muted);
    int top = rect.top() + kHead;
    for (const QString& line : proposal.lines) {
        const int height = heightOf(line, viewport()->width() - kLeft - kRight);
        p.drawText(QRect(rect.left() + kLeft, top, rect.width() - kLeft - kRight, height),
                   Qt::TextWordWrap | Qt::AlignTop | Qt::AlignLeft, line);
        top += height;
    }
}

QString ProposalList::rowText(int row) const
{
    return proposals_[size_t(row)].title + "\n" + proposals_[size_t(row)].lines.join("\n");
}

void ProposalList::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape)
        Q_EMIT closed();
    else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && currentRow() >= 0)
        Q_EMIT taken(currentRow(), event->modifiers() & Qt::ShiftModifier);
    else
        RowList::keyPressEvent(event);
}

void ProposalList::mouseMoveEvent(QMouseEvent* event)
{
    if (const int row = rowAt(event->position().toPoint()); row >= 0 && row != currentRow()) {
        setCurrentRow(row);
        Q_EMIT hovered(row);
    }
}

} // namespace bindrel
