// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rehearsal/operations_list.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "core/base/say.h"

#include <QPainter>

namespace bindrel {

OperationsList::OperationsList(QWidget* parent) : RowList(parent)
{
    setAccessibleName(say("Operations"));
}

void OperationsList::setRun(const Rehearsal* run)
{
    run_ = run;
    rows_.clear();
    if (run_) {
        const auto hazardsOf = [this](int operation) {
            for (size_t h = 0; h < run_->hazards.size(); ++h)
                if (run_->hazards[h].operation == operation)
                    rows_.push_back({operation, int(h)});
        };
        for (size_t i = 0; i < run_->operations.size(); ++i) {
            rows_.push_back({int(i), -1});
            hazardsOf(int(i));
        }
        hazardsOf(-1);
    }
    rowsChanged();
    setCurrentRow(rows_.empty() ? -1 : 0);
}

int OperationsList::rowOf(int operation) const
{
    for (size_t i = 0; i < rows_.size(); ++i)
        if (rows_[i].operation == operation && rows_[i].hazard < 0)
            return int(i);
    return -1;
}

int OperationsList::nextHazard(int by) const
{
    const int count = rowCount();
    for (int k = 1; k <= count; ++k) {
        const int row = ((std::max(0, currentRow()) + by * k) % count + count) % count;
        if (rows_[size_t(row)].hazard >= 0)
            return row;
    }
    return -1;
}

void OperationsList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    const Row& what = rows_[size_t(row)];
    const QRect moment(rect.left() + 8, rect.top(), 66, rect.height());
    const QRect body = rect.adjusted(88, 0, -8, 0);
    p.setFont(t.mono(11));
    if (what.hazard >= 0) {
        const Hazard& hazard = run_->hazards[size_t(what.hazard)];
        drawSeverityMark(p, QRectF(rect.left() + 66, rect.center().y() - 4, 8, 8), Finding::Severity::Error);
        p.setFont(t.text(12));
        p.setPen(t.error);
        drawLine(p, body, Qt::AlignVCenter | Qt::AlignLeft, typeset(hazard.text), Qt::ElideRight);
        return;
    }
    const Operation& operation = run_->operations[size_t(what.operation)];
    p.setPen(t.muted);
    drawLine(p, moment, Qt::AlignVCenter | Qt::AlignRight, QString::fromStdString(momentText(operation.from)));
    p.setPen(operation.waits ? t.accent : t.ink);
    const int share = std::min(body.width() * 2 / 5, 300);
    const QRect left(body.left(), body.top(), share, body.height());
    const QString text = (operation.waits ? QString(say("wait ")) : QString()) + QString::fromStdString(operation.text);
    drawLine(p, left, Qt::AlignVCenter | Qt::AlignLeft, text, Qt::ElideRight);
    p.setFont(t.text(11));
    p.setPen(t.muted);
    const QRect right = body.adjusted(share + 12, 0, 0, 0);
    drawLine(p, right, Qt::AlignVCenter | Qt::AlignLeft, typeset(operation.why), Qt::ElideRight);
}

QString OperationsList::rowText(int row) const
{
    const Row& what = rows_[size_t(row)];
    if (what.hazard >= 0)
        return say("Hazard: ") + typeset(run_->hazards[size_t(what.hazard)].text);
    const Operation& operation = run_->operations[size_t(what.operation)];
    return QString::fromStdString(momentText(operation.from)) + ": " + QString::fromStdString(operation.text) +
           (operation.why.empty() ? QString() : ". " + typeset(operation.why));
}

} // namespace bindrel
