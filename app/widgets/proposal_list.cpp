// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/proposal_list.h"

#include "app/theme/theme.h"

#include <QApplication>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace bindrel {

namespace {

/// Where a line says "from -> to", the end is what matters: the beginning is cut first.
QString shortened(const QString& line, const QFontMetrics& metrics, int width)
{
    const qsizetype arrow = line.lastIndexOf(QChar(0x2192));
    if (arrow < 0 || metrics.horizontalAdvance(line) <= width)
        return metrics.elidedText(line, Qt::ElideRight, width);
    const QString end = line.mid(arrow);
    const int left = width - metrics.horizontalAdvance(end) - metrics.horizontalAdvance(' ');
    return left < width / 4 ? metrics.elidedText(line, Qt::ElideLeft, width) : metrics.elidedText(line.left(arrow).trimmed(), Qt::ElideRight, left) + " " + end;
}

} // namespace

namespace {
constexpr int kHead = 22, kLine = 16, kBelow = 8;
} // namespace

ProposalList::ProposalList(QWidget* parent) : RowList(parent)
{
    viewport()->setMouseTracking(true);
    connect(this, &RowList::activated, this, [this](int row) { Q_EMIT taken(row, QApplication::keyboardModifiers() & Qt::ShiftModifier); });
}

void ProposalList::setProposals(std::vector<Proposal> proposals)
{
    proposals_ = std::move(proposals);
    setCurrentRow(proposals_.empty() ? -1 : 0);
    rowsChanged();
}

int ProposalList::rowHeight(int row) const { return kHead + kLine * int(proposals_[size_t(row)].lines.size()) + kBelow; }

void ProposalList::paintRow(QPainter& p, int row, const QRect& rect, bool current)
{
    const Theme& t = Theme::get();
    const Proposal& proposal = proposals_[size_t(row)];
    const QRect text = rect.adjusted(12, 0, -8, 0);
    p.setPen(proposal.edit ? t.ink : t.muted);
    p.setFont(t.text(12, true));
    p.drawText(QRect(text.left(), text.top(), text.width(), kHead), Qt::AlignVCenter | Qt::AlignLeft, QFontMetrics(p.font()).elidedText(proposal.title, Qt::ElideRight, text.width()));
    p.setFont(t.text(11));
    p.setPen(current ? t.ink : t.muted);
    for (int i = 0; i < int(proposal.lines.size()); ++i) {
        const QRect line(text.left() + 16, text.top() + kHead + kLine * i, text.width() - 16, kLine);
        p.drawText(line, Qt::AlignVCenter | Qt::AlignLeft, shortened(proposal.lines[i], QFontMetrics(p.font()), line.width()));
    }
}

QString ProposalList::rowText(int row) const { return proposals_[size_t(row)].title + "\n" + proposals_[size_t(row)].lines.join("\n"); }

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
