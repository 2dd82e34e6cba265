// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/reach_panel.h"

#include "app/theme/theme.h"
#include "app/widgets/panel.h"
#include "core/base/say.h"
#include "core/quantity/format.h"
#include "core/rehearsal/rehearsal.h"
#include "core/tuning/clock_goals.h"

#include <QVBoxLayout>

namespace bindrel {

namespace {

QString text(const std::string& s)
{
    return typeset(s);
}

/// The plan's own range first, then those that the supply permits.
std::vector<int> rangesOf(const Snapshot& s)
{
    std::vector<int> out{s.rates.range};
    for (int range = 0; range < int(s.device->ranges.size()); ++range)
        if (range != s.rates.range)
            out.push_back(range);
    return out;
}

/// In the plan's own operating range; in the others only when there is no way in it.
ReachResult reachFor(const Snapshot& s, const std::vector<ReachTarget>& targets, const Background::Stopped& stopped)
{
    ReachRequest request;
    request.targets = targets;
    request.missedGoals = newlyMissed(*s.device, s.plan, s.bindings, s.rates);
    request.stopped = stopped;
    ReachResult result = reach(*s.device, *s.board, s.plan, s.bindings, request);
    if (!result.ways.empty() || s.device->ranges.size() < 2 || stopped())
        return result;
    request.ranges = rangesOf(s);
    ReachResult wider = reach(*s.device, *s.board, s.plan, s.bindings, request);
    return wider.ways.empty() ? result : wider;
}

} // namespace

ReachPanel::ReachPanel(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 6, 0, 4);
    column->setSpacing(2);
    heading_ = panelHeading(say("Ways"));
    note_ = new QLabel;
    note_->setWordWrap(true);
    note_->setContentsMargins(12, 0, 12, 0);
    note_->setTextFormat(Qt::PlainText);
    verdict_ = new QLabel;
    verdict_->setContentsMargins(12, 0, 12, 0);
    verdict_->setTextFormat(Qt::PlainText);
    for (QLabel* label : {heading_, note_, verdict_})
        label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    list_ = new ProposalList;
    column->addWidget(heading_);
    column->addWidget(note_);
    column->addWidget(list_, 1);
    column->addWidget(verdict_);
    setFocusProxy(list_);
    setFixedHeight(236);
    hide();
    connect(list_, &ProposalList::currentChanged, this, &ReachPanel::previewRow);
    connect(list_, &ProposalList::hovered, this, &ReachPanel::previewRow);
    connect(list_, &ProposalList::taken, this, [this](int row) { take(row); });
    connect(list_, &ProposalList::closed, this, &ReachPanel::close);
    connect(&document_, &Document::changed, this, [this] {
        close();
        // Clocks are numbered by their chip: what was wanted of another one means nothing here.
        if (!document_.isOpen() || document_.snapshot().device->name != chip_)
            targets_.clear();
    });
}

void ReachPanel::want(const ReachTarget& target, bool also)
{
    if (!document_.isOpen())
        return;
    if (!also)
        targets_.clear();
    chip_ = document_.snapshot().device->name;
    std::erase_if(targets_, [&target](const ReachTarget& other) { return other.clock == target.clock; });
    targets_.push_back(target);
    search();
}

void ReachPanel::search()
{
    if (!document_.isOpen())
        return;
    background_.run<ReachResult>(
        say("Searching"),
        [s = document_.sharedSnapshot(), targets = targets_](const Background::Stopped& stopped) {
            return reachFor(*s, targets, stopped);
        },
        [this, targets = targets_](ReachResult result) { showReach(targets, result); });
}

void ReachPanel::repair()
{
    if (!document_.isOpen())
        return;
    if (!document_.snapshot().device->hasClocks()) {
        Q_EMIT document_.refused(say("The clocks of this chip are not described."));
        return;
    }
    targets_.clear();
    background_.run<RepairResult>(
        say("Searching for fixes"),
        [s = document_.sharedSnapshot()](const Background::Stopped& stopped) {
            RepairRequest request;
            request.stopped = stopped;
            request.missedGoals = askedOnce(*s->device, s->plan, s->bindings);
            return repairClocks(*s->device, *s->board, s->plan, s->bindings, request);
        },
        [this](RepairResult result) { showRepair(result); });
}

Proposal ReachPanel::proposalOf(int number, const ClockSolution& way) const
{
    const Snapshot& s = document_.snapshot();
    Proposal proposal;
    QStringList rates;
    for (size_t t = 0; t < way.achieved.size(); ++t)
        rates << text(format(way.achieved[t], 9)) +
                     (way.errors[t].value.isZero() ? QString() : " " + text(format(way.errors[t], true)));
    proposal.title = QString("%1.  %2%3")
                         .arg(number)
                         .arg(rates.join(", "), (rates.isEmpty() ? "" : "    ") + text(wayText(*s.device, way)));
    QStringList besides;
    for (const std::string& line : consequencesOf(*s.device, s.plan, way))
        besides << text(line);
    proposal.lines << (way.edit.changes.empty() ? QString(say("already set"))
                       : besides.isEmpty()      ? QString(say("nothing else changes"))
                                                : besides.join(" \u00b7 "));
    if (!way.edit.changes.empty())
        proposal.edit = way.edit;
    return proposal;
}

void ReachPanel::showReach(const std::vector<ReachTarget>& targets, const ReachResult& result)
{
    const Snapshot& s = document_.snapshot();
    QStringList wishes;
    for (const ReachTarget& target : targets)
        wishes << QString::fromStdString(s.device->clocks[target.clock].name) + " " + text(wishText(target));
    std::vector<Proposal> proposals;
    for (const ClockSolution& way : result.ways)
        proposals.push_back(proposalOf(int(proposals.size()) + 1, way));
    if (!result.ways.empty()) {
        const bool more = result.ways.size() >= ReachRequest().most;
        show(say("Solutions for ") + wishes.join(", "),
             QString(say("%1 Enter applies, Esc cancels; Shift+Enter on another clock adds a target."))
                 .arg(!result.complete ? say("Stopped: better ones may exist.")
                      : more           ? say("The best of several.")
                                       : say("There are no others.")),
             std::move(proposals));
        return;
    }
    QStringList lines;
    for (const std::string& obstacle : result.inTheWay)
        lines << text(obstacle);
    for (const ReachMiss& miss : result.misses) {
        // The nearest first, whichever side it lies on.
        std::vector<ClockSolution> nearest = miss.nearest;
        const auto away = [t = miss.target](const ClockSolution& way) {
            return t < way.errors.size() ? way.errors[t].value.abs() : Rational(0);
        };
        std::stable_sort(nearest.begin(), nearest.end(),
                         [&away](const ClockSolution& a, const ClockSolution& b) { return away(a) < away(b); });
        for (const ClockSolution& way : nearest) {
            Proposal near = proposalOf(int(proposals.size()) + 1, way);
            near.title = say("Nearest: ") + near.title.section(".  ", 1) +
                         (miss.othersKept ? QString() : QString(say(" (by itself)")));
            proposals.push_back(std::move(near));
        }
    }
    show(say("No solution for ") + wishes.join(", "),
         result.complete ? say("In the way: ") + lines.join("; ") + "."
                         : QString(say("Stopped before a solution was found.")),
         std::move(proposals));
}

void ReachPanel::showRepair(const RepairResult& result)
{
    if (result.wrong.empty()) {
        Q_EMIT document_.refused(say("No limit is broken and no goal is missed."));
        return;
    }
    std::vector<Proposal> proposals;
    for (const ClockSolution& way : result.ways)
        proposals.push_back(proposalOf(int(proposals.size()) + 1, way));
    QStringList wrong, left;
    for (const std::string& line : result.wrong)
        wrong << text(line);
    for (const std::string& line : result.left)
        left << text(line);
    QString note = say("Wrong: ") + wrong.join("; ") + ".";
    if (proposals.empty())
        note += result.complete ? say(" No fix with up to four clock changes exists. Try releasing a hold.")
                                : say(" Stopped before a fix was found.");
    else if (!left.isEmpty())
        note += (result.inTurn ? say(" Fixed one problem at a time. Remaining: ")
                               : say(" These fix the limits. Remaining: ")) +
                left.join("; ") + ".";
    else if (result.inTurn)
        note += say(" Fixed one problem at a time; fewer changes may be enough.");
    // Before the list is given away: which argument is made first is not said.
    const QString heading = proposals.empty() ? say("No fix")
                            : result.inTurn   ? say("A fix, one problem at a time")
                                              : say("Fixes with the fewest changes");
    show(heading, note, std::move(proposals));
}

void ReachPanel::show(const QString& heading, const QString& note, std::vector<Proposal> proposals)
{
    heading_->setText(heading.toUpper());
    heading_->setToolTip(heading);
    note_->setText(note);
    note_->setFont(Theme::get().text(11));
    list_->setAccessibleName(heading);
    list_->setProposals(std::move(proposals));
    QWidget::show();
    Q_EMIT shown(true);
    list_->setFocus();
    previewRow(list_->currentRow());
}

void ReachPanel::previewRow(int row)
{
    std::shared_ptr<const Snapshot> preview;
    if (row >= 0 && row < list_->rowCount() && list_->proposals()[size_t(row)].edit)
        if (const auto next = document_.preview(*list_->proposals()[size_t(row)].edit))
            preview = *next;
    view_.setPreview(preview);
    rehearse(preview, QString(say("Solution %1. ")).arg(row + 1));
}

void ReachPanel::rehearse(const std::shared_ptr<const Snapshot>& way, const QString& which)
{
    rehearsing_.cancel();
    verdict_->setVisible(way != nullptr);
    verdict_->setText(which + say("Rehearsing\u2026"));
    verdict_->setFont(Theme::get().text(11));
    restyle(verdict_, QString("color: %1").arg(Theme::get().muted.name()));
    if (way)
        rehearsing_.run<Verdict>(
            say("Rehearsing"), [way](const Background::Stopped&) { return verdictOn(way->facts(), way->findings); },
            [this, which](const Verdict& verdict) {
                verdict_->setText(which + typeset(verdict.text));
                verdict_->setToolTip(verdict_->text());
                restyle(verdict_,
                        QString("color: %1").arg((verdict.hazards ? Theme::get().error : Theme::get().muted).name()));
            },
            std::chrono::milliseconds(0));
}

void ReachPanel::take(int row)
{
    if (row < 0 || row >= list_->rowCount())
        return;
    const std::optional<Edit> edit = list_->proposals()[size_t(row)].edit;
    targets_.clear();
    close();
    if (edit)
        document_.apply(*edit);
}

void ReachPanel::close()
{
    background_.cancel();
    rehearsing_.cancel();
    if (isHidden())
        return;
    view_.setPreview(nullptr);
    hide();
    Q_EMIT shown(false);
}

} // namespace bindrel
