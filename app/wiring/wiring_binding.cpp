// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/wiring_station.h"

#include "app/theme/theme.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "app/wiring/chip_view.h"
#include "core/base/say.h"
#include "core/pins/placement_words.h"

#include <QCoreApplication>
#include <QLabel>
#include <QStackedWidget>
#include <QTimer>

#include <algorithm>

namespace bindrel {

void WiringStation::bindOne(const std::string& id)
{
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    for (const NeedIndex n : s.plan.needs.indices()) {
        if (s.plan.needs[n].id != id)
            continue;
        if (s.bindings.needs[n].state == BoundNeed::State::Bound) {
            Q_EMIT document_.refused(QString::fromStdString(
                s.plan.needs[n].title + say(" is bound already. Space shows its other options, Delete unbinds it.")));
            return;
        }
        const Expected<Edit> edit = bindNeed(*s.device, *s.board, s.plan, id);
        if (edit)
            document_.apply(*edit);
        else
            Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
        return;
    }
}

void WiringStation::bindSelected()
{
    bindOne(view_.selectedNeed());
}

void WiringStation::bindAll()
{
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    if (s.bindings.count(BoundNeed::State::Open) == 0) {
        Q_EMIT document_.refused(say("No need is open."));
        return;
    }
    // With more time than a key press may take: the picture shows what there is so far, and the person may be content
    // with that.
    constexpr long kEffort = 60'000'000;
    constexpr int kSoon = 150; // ms
    best_.reset();
    struct Answer {
        Expected<BoundAll> all;
        std::string why;
    };
    const Background::Run run = background_.runTelling<Answer, BoundAll>(
        say("Searching"),
        [s = document_.sharedSnapshot()](const Background::Stopped& stopped,
                                         const std::function<void(const BoundAll&)>& tell) {
            SearchOptions options{kEffort, stopped, tell};
            Answer out{bindrel::bindAll(*s->device, *s->board, s->plan, options), {}};
            if (out.all && !stopped())
                out.why = whyScattered(*s->device, *s->board, s->plan, out.all->way);
            return out;
        },
        [this](const BoundAll& better) {
            best_ = better;
            if (proposing())
                showBestSoFar();
        },
        [this](const Answer& answer) {
            best_.reset();
            leaveProposals();
            if (answer.all)
                takeBest(*answer.all, answer.why);
            else
                Q_EMIT document_.refused(QString::fromStdString(answer.all.problem().message));
        });
    // Short searches show nothing but their end.
    QTimer::singleShot(kSoon, this, [this, run] {
        if (background_.runs(run) && best_ && !proposing())
            showBestSoFar();
    });
}

void WiringStation::showBestSoFar()
{
    // The picture shows where everything goes; the words say how good that is.
    Proposal proposal{say("Best so far"), {}, best_->edit, {}};
    for (const std::string& level : levelsInWords(best_->way))
        proposal.lines << typeset(level);
    parts_.clear();
    propose(say("Everything placed"), say("Still improving. Enter applies what is shown, Esc changes nothing."),
            {std::move(proposal)});
}

void WiringStation::takeBest(const BoundAll& all, const std::string& why)
{
    if (!document_.apply(all.edit))
        return;
    // What stays open is the first thing to know.
    std::string text;
    for (const auto& [need, reason] : all.left)
        text += document_.snapshot().plan.needs[need].title + say(" stays unbound: ") + reason + " ";
    Q_EMIT told(typeset(text + howGood(all.way) + (why.empty() ? "" : " " + why)));
}

void WiringStation::unbindSelected()
{
    const std::string id = view_.selectedNeed();
    if (!document_.isOpen() || id.empty())
        return;
    const Need* need = document_.snapshot().plan.need(id);
    if (need && !need->binding.empty())
        document_.apply(editOf(say("Unbind ") + need->title, SetBinding{id, {}}));
}

} // namespace bindrel
