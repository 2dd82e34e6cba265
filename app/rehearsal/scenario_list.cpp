// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rehearsal/scenario_list.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/format.h"

#include <QPainter>

namespace bindrel {

ScenarioList::ScenarioList(QWidget* parent) : RowList(parent)
{
    setAccessibleName(say("Scenarios"));
}

void ScenarioList::setRuns(std::shared_ptr<const Runs> runs)
{
    runs_ = std::move(runs);
    rows_.clear();
    for (int whatIf = 0; runs_ && whatIf < 2; ++whatIf) {
        bool headed = false;
        for (size_t i = 0; i < runs_->list.size(); ++i)
            if (runs_->list[i].whatIf() == (whatIf == 1)) {
                if (!std::exchange(headed, true))
                    rows_.push_back({whatIf ? say("What if") : say("The program"), -1});
                rows_.push_back({{}, int(i)});
            }
    }
    rowsChanged();
}

int ScenarioList::rowOfRun(int run) const
{
    for (size_t i = 0; i < rows_.size(); ++i)
        if (rows_[i].run == run && run >= 0)
            return int(i);
    return -1;
}

namespace {
/// "up after 500 ms", "gives up after 4 ms": what came of it.
QString outcomeText(const Runs::One& run)
{
    const Rehearsal& r = run.rehearsal;
    QString text = QString::fromStdString((r.gaveUp.empty()   ? say("up after ")
                                           : r.wentOn.empty() ? say("ends with an error after ")
                                                              : say("continues, up after ")) +
                                          momentText(r.untilUp));
    if (!r.hazards.empty())
        text += ", " + QString::fromStdString(sayCount(long(r.hazards.size()), "{} hazard", "{} hazards"));
    return text;
}

/// "From reset" is said once, by the first row; a what-if begins with what fails.
QString titleText(const Snapshot& s, const Runs::One& run)
{
    if (!run.whatIf())
        return QString::fromStdString(run.rehearsal.title);
    if (run.scenario.sagsTo >= 0)
        return QString::fromStdString(say("Supply falls below ") +
                                      format(s.device->ranges[size_t(s.rates.range)].supplyMin));
    const ClockIndex clock = run.scenario.fails >= 0 ? run.scenario.fails : *run.scenario.dead.begin();
    return QString::fromStdString(s.device->clocks[clock].name) +
           (run.scenario.fails >= 0 ? say(" fails later") : say(" never starts"));
}
} // namespace

void ScenarioList::paintRow(QPainter& p, int row, const QRect& rect, bool current)
{
    const Theme& t = Theme::get();
    const Row& what = rows_[size_t(row)];
    if (what.run < 0) {
        p.setFont(t.heading());
        p.setPen(t.muted);
        drawLine(p, rect.adjusted(12, 4, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, what.heading);
        return;
    }
    const Runs::One& run = runs_->list[size_t(what.run)];
    const QRect text = rect.adjusted(30, 2, -8, -2);
    if (!run.rehearsal.hazards.empty()) {
        drawSeverityMark(p, QRectF(rect.left() + 13, rect.top() + 8, 9, 9),
                         run.whatIf() ? Finding::Severity::Caution : Finding::Severity::Error);
    } else {
        p.setPen(QPen(t.accent, 1.4));
        p.drawPolyline(QPolygonF{QPointF(rect.left() + 13, rect.top() + 13), QPointF(rect.left() + 16, rect.top() + 16),
                                 QPointF(rect.left() + 22, rect.top() + 9)});
    }
    p.setFont(t.text(12, current));
    p.setPen(t.ink);
    drawLine(p, text, Qt::AlignTop | Qt::AlignLeft, titleText(*runs_->snapshot, run), Qt::ElideRight);
    p.setFont(t.text(11));
    p.setPen(run.rehearsal.hazards.empty() ? t.muted : run.whatIf() ? t.caution : t.error);
    drawLine(p, text, Qt::AlignBottom | Qt::AlignLeft, outcomeText(run), Qt::ElideRight);
}

QString ScenarioList::rowText(int row) const
{
    const int run = rows_[size_t(row)].run;
    return run < 0
               ? rows_[size_t(row)].heading
               : titleText(*runs_->snapshot, runs_->list[size_t(run)]) + ", " + outcomeText(runs_->list[size_t(run)]);
}

} // namespace bindrel
