// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/tuning_station.h"

#include "app/theme/theme.h"
#include "app/tuning/alternatives_list.h"
#include "app/tuning/bits_view.h"
#include "app/tuning/digits_view.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/waveform_view.h"
#include "app/widgets/change_dialog.h"
#include "app/widgets/marks.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/field_entry.h"
#include "core/interchange/adopt.h"
#include "core/quantity/format.h"
#include "core/stacked_picture.h"

#include <QClipboard>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <utility>

namespace bindrel {

namespace {
/// A heading inside rich text, as panelHeading() has it.
QString headingText(const QString& text)
{
    return QString(
               "<p style='margin:10px 0 4px 0; font-family:Inter; font-size:11px; font-weight:600; color:%1'>%2</p>")
        .arg(Theme::get().muted.name(), text);
}
} // namespace

TuningStation::TuningStation(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    const auto [left, leftColumn] = sidePanel(say("Needs"), 204);
    needs_ = new NeedsList(document_, view_, NeedsList::Detail::Needs);
    leftColumn->addWidget(needs_, 1);
    row->addWidget(left);
    row->addWidget(verticalRule());

    auto* main = new QVBoxLayout;
    main->setContentsMargins(16, 10, 16, 8);
    main->setSpacing(8);
    title_ = new QLabel;
    title_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred); // a long title must not widen the window
    auto* titleRow = new QHBoxLayout;
    titleRow->addWidget(title_, 1);
    inStep_ = new QToolButton;
    inStep_->setCheckable(true);
    inStep_->setAutoRaise(true);
    inStep_->setObjectName("in-step");
    connect(inStep_, &QToolButton::toggled, this, &TuningStation::refresh);
    titleRow->addWidget(inStep_);
    main->addLayout(titleRow);
    picture_ = new WaveformView;
    main->addWidget(picture_);
    digits_ = new DigitsView;
    digits_->hide();
    main->addWidget(digits_);
    main->addWidget(makeGoalsAndBits(), 1);
    row->addLayout(main, 1);
    follow();
    setFocusProxy(needs_);
    refresh();
}

/// Goals and bits scroll together; where there is no room beside each other, bits come below.
QWidget* TuningStation::makeGoalsAndBits()
{
    auto* lower = new QWidget;
    lower->setAutoFillBackground(false);
    lower_ = new QBoxLayout(QBoxLayout::LeftToRight, lower);
    lower_->setContentsMargins(0, 0, 0, 0);
    lower_->setSpacing(18);
    const auto column = [this](const char* heading, QWidget* body, int stretch) {
        auto* all = new QVBoxLayout;
        all->setSpacing(4);
        auto* head = panelHeading(heading);
        head->setContentsMargins(0, 0, 0, 0);
        all->addWidget(head);
        all->addWidget(body);
        all->addStretch(1);
        lower_->addLayout(all, stretch);
    };
    goalBody_ = new QWidget;
    auto* goalLayout = new QVBoxLayout(goalBody_);
    goalLayout->setContentsMargins(12, 0, 4, 0);
    goals_ = new GoalsForm(document_, view_.pending());
    goalLayout->addWidget(goals_);
    checks_ = new QLabel;
    checks_->setObjectName("checks");
    checks_->setTextFormat(Qt::RichText);
    checks_->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    goalLayout->addWidget(checks_);
    ranking_ = new QLabel;
    ranking_->setTextFormat(Qt::RichText);
    ranking_->setWordWrap(true);
    ranking_->setObjectName("ranking");
    goalLayout->addWidget(ranking_);
    alternatives_ = new AlternativesList;
    goalLayout->addWidget(alternatives_);
    column(say("Goals"), goalBody_, 13);
    bits_ = new BitsView(document_, view_.pending());
    bitBody_ = new QWidget;
    auto* bitLayout = new QVBoxLayout(bitBody_);
    bitLayout->setContentsMargins(12, 0, 2, 0);
    bitLayout->addWidget(bits_);
    field_ = new QLabel;
    field_->setTextFormat(Qt::PlainText);
    field_->setWordWrap(true);
    field_->setObjectName("field-words");
    bitLayout->addWidget(field_);
    column(say("Bits"), bitBody_, 10);
    auto* area = new QScrollArea;
    area->setWidgetResizable(true);
    area->setFrameShape(QFrame::NoFrame);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    area->setWidget(lower);
    area->viewport()->setAutoFillBackground(false);
    area->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Ignored); // it gets what the picture leaves
    area->setMinimumHeight(90);
    return area;
}

void TuningStation::follow()
{
    connect(&document_, &Document::changed, this, &TuningStation::refresh);
    connect(&view_, &ViewState::selectionChanged, this, &TuningStation::refresh);
    connect(goals_, &GoalsForm::goalEntered, this, [this](const std::string& goal) {
        bits_->lightGoal(goal);
        goals_->lightGoal(goal);
    });
    connect(bits_, &BitsView::goalPointedAt, this, [this](const std::string& goal) {
        goals_->lightGoal(goal);
        bits_->lightGoal(goal);
    });
    connect(bits_, &BitsView::described, this, [this](const QString& words) {
        const Theme& t = Theme::get();
        field_->setFont(t.mono(11)); // the text font makes a sign of multiplication of "0x"
        restyle(field_, QString("color: %1").arg(t.ink.name()));
        field_->setText(words.isEmpty()
                            ? QString(say("Point at a field for what it says. Double click or Enter changes it; "
                                          "Del drops what is set by hand."))
                            : words);
    });
    connect(bits_, &BitsView::registerPicked, this, [this](const std::string& dotted) {
        view_.select({Place::Kind::Register, dotted, {}});
    });
    connect(picture_, &WaveformView::goalPointedAt, this, [this](const std::string& goal) {
        goals_->lightGoal(goal);
        bits_->lightGoal(goal);
    });
    connect(digits_, &DigitsView::changed, this, &TuningStation::setDigits);
    connect(alternatives_, &AlternativesList::compared, this, &TuningStation::compareAlternative);
    connect(alternatives_, &AlternativesList::applied, this, &TuningStation::applyAlternativeOf);
    connect(checks_, &QLabel::linkActivated, this, [this](const QString& link) {
        if (link == "end-comparison")
            compareWith({});
        else
            view_.jump({Place::Kind::Clock, link.toStdString(), {}});
    });
    connect(picture_, &WaveformView::dragged, this, &TuningStation::dragGoal);
    connect(picture_, &WaveformView::stepped, this, &TuningStation::stepGoalOf);
    connect(picture_, &WaveformView::dropped, this, [this] {
        if (const std::optional<Edit> edit = std::exchange(dragged_, std::nullopt))
            (void)document_.apply(*edit);
        refresh();
    });
    connect(picture_, &WaveformView::dragCancelled, this, [this] {
        dragged_.reset();
        refresh();
    });
    // Enter in the list goes on to the first goal.
    connect(needs_, &NeedsList::bindWanted, this, [this](const std::string&) {
        if (document_.isOpen())
            for (const Need& need : document_.snapshot().plan.needs)
                if (need.id == view_.selectedNeed() && !findKind(need.kind)->goals.empty())
                    goals_->focusGoal(findKind(need.kind)->goals.front().id);
    });
}

void TuningStation::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    shareHeight();
}

void TuningStation::shareHeight()
{
    constexpr int kLeast = 168, kMost = 400, kHeads = 96; // title, headings, margins
    constexpr int kBeside = 600;                          // that goals and bits need beside each other
    const bool beside = lower_->parentWidget()->parentWidget()->width() >= kBeside;
    lower_->setDirection(beside ? QBoxLayout::LeftToRight : QBoxLayout::TopToBottom);
    const int goals = goalBody_->sizeHint().height(), bits = bitBody_->sizeHint().height();
    const int lower = beside ? std::max(goals, bits) : goals + bits;
    const int least = std::clamp(picture_->leastHeight(), kLeast, kMost);
    const int high = std::clamp(height() - kHeads - lower, least, kMost);
    // Wished for, not fixed: the window must be able to become smaller again.
    picture_->setWishedHeight(high);
    digits_->setWishedHeight(high);
}

NeedIndex TuningStation::shownNeed() const
{
    if (!document_.isOpen() || document_.snapshot().plan.needs.empty())
        return -1;
    const IndexVector<NeedIndex, Need>& needs = document_.snapshot().plan.needs;
    for (const NeedIndex n : needs.indices())
        if (needs[n].id == lastNeed_)
            return n;
    return 0;
}

void TuningStation::dragGoal(const Waveform::Handle& handle, const Duration& at)
{
    const NeedIndex need = shownNeed();
    if (need < 0)
        return;
    const Snapshot& s = document_.snapshot();
    const Look look = s.lookAt(need);
    const std::optional<Edit> edit =
        look.waveform ? dragTo(s, need, *look.waveform, handle, at) : std::optional<Edit>();
    if (!edit)
        return;
    const auto then = document_.preview(*edit);
    if (!then)
        return;
    dragged_ = edit;
    const auto* goal = std::get_if<SetGoal>(&edit->changes.front());
    const KindSpec* kind = findKind(s.plan.needs[need].kind);
    const GoalSpec* spec = kind->goal(handle.goal);
    QString label = QString("%1 %2").arg(QString::fromStdString(say(spec->title)), typeset(goal->value.value_or("")));
    for (const Achieved& row : (*then)->settings[need].achieved)
        if (row.goal == handle.goal && !row.check) {
            if (row.error)
                label += QString(", %1").arg(typeset(format(*row.error, true)));
            if (!row.ok)
                label += say(", not met");
            break;
        }
    picture_->preview((*then)->lookAt(need).waveform, label);
}

void TuningStation::stepGoalOf(const std::string& goal, bool up)
{
    const NeedIndex need = shownNeed();
    if (need < 0)
        return;
    const FieldEntry next = stepGoal(document_.snapshot(), need, goal, up);
    if (!next.edit.changes.empty())
        (void)document_.apply(next.edit);
}

void TuningStation::adoptFromFile()
{
    const QString path =
        document_.isOpen()
            ? QFileDialog::getOpenFileName(this, say("Take over registers"), {},
                                           say("Register values (*.txt *.log *.csv *.json);;All files (*)"))
            : QString();
    if (path.isEmpty())
        return;
    const Expected<std::string> text = readFile(path.toStdString());
    if (text)
        adopt(*text, QFileInfo(path).fileName());
    else
        Q_EMIT document_.refused(QString::fromStdString(text.problem().text()));
}

void TuningStation::adoptFromClipboard()
{
    adopt(QGuiApplication::clipboard()->text().toStdString(), say("The clipboard"));
}

void TuningStation::exportPicture()
{
    const NeedIndex need = shownNeed();
    if (need < 0 || !picture_->hasPicture()) {
        Q_EMIT document_.refused(say("There is no picture to export: the need has none, or is not computed."));
        return;
    }
    const QString title = QString::fromStdString(document_.snapshot().plan.needs[need].title);
    const QString path = QFileDialog::getSaveFileName(
        this, say("Export the waveform"), QString::fromStdString(document_.snapshot().plan.needs[need].id) + ".svg",
        say("Drawings (*.svg);;Documents (*.pdf);;Pictures (*.png)"));
    if (path.isEmpty())
        return;
    if (const Outcome done = picture_->exportPicture(path, title); !done)
        Q_EMIT document_.refused(QString::fromStdString(done.problem().message));
}

void TuningStation::copyGoals(const std::string& from, const std::string& to)
{
    const Plan& plan = document_.snapshot().plan;
    const Need* source = plan.need(from);
    const Need* target = plan.need(to);
    if (!source || !target || source->kind != target->kind)
        return;
    Edit edit{say("Goals of ") + source->title + say(" for ") + target->title, {}};
    for (const GoalSpec& goal : findKind(source->kind)->goals) {
        const auto stated = source->goals.find(goal.id), known = target->goals.find(goal.id);
        const bool has = stated != source->goals.end();
        // What names another need, or a place on the board, is no goal that two share.
        if (goal.type == GoalSpec::Type::Text || goal.type == GoalSpec::Type::Name)
            continue;
        if (has && (known == target->goals.end() || known->second != stated->second))
            edit.changes.push_back(SetGoal{to, goal.id, stated->second});
        else if (!has && known != target->goals.end())
            edit.changes.push_back(SetGoal{to, goal.id, std::nullopt});
    }
    if (edit.changes.empty())
        Q_EMIT document_.told(
            QString(say("%1 has the same goals already.")).arg(QString::fromStdString(target->title)));
    else
        (void)document_.apply(edit);
}

void TuningStation::adopt(const std::string& text, const QString& from)
{
    if (!document_.isOpen())
        return;
    const auto s = document_.sharedSnapshot();
    const Expected<RegisterDump> dump = readRegisterDump(*s->device, text);
    if (!dump) {
        Q_EMIT document_.refused(QString("%1: %2").arg(from, typeset(dump.problem().message)));
        return;
    }
    adopting_.run<Adoption>(
        say("Taking over registers"),
        [s, dump = *dump](const Background::Stopped& stopped) { return adoptRegisters(*s, dump, stopped); },
        [this, s, from, unread = dump->notUnderstood.size()](const Adoption& adoption) {
            if (!document_.isOpen() || document_.sharedSnapshot() != s)
                return; // the plan is another one by now
            if (adoption.edit.changes.empty()) {
                Q_EMIT document_.told(QString(say("%1: the plan says all of it already.")).arg(from));
                return;
            }
            ChangeDialog dialog(document_, adoption.edit, this);
            if (dialog.exec() != QDialog::Accepted || !document_.apply(adoption.edit))
                return;
            QString told =
                QString(say("%1: %2 taken over"))
                    .arg(from, typeset(sayCount(long(adoption.taken.size()), "{} decision", "{} decisions")));
            if (!adoption.left.empty())
                told += QString(say("; not taken: %1%2"))
                            .arg(typeset(adoption.left.front()),
                                 adoption.left.size() > 1 ? QString(say(" And %1 more.")).arg(adoption.left.size() - 1)
                                                          : QString());
            if (unread > 0)
                told += QString(say(" %1 not understood.")).arg(typeset(sayCount(long(unread), "{} line", "{} lines")));
            Q_EMIT document_.told(told);
        });
}

QString TuningStation::checksOf(const Need& need, const Setting& setting) const
{
    const Theme& t = Theme::get();
    const KindSpec* kind = findKind(need.kind);
    QString rows;
    const auto row = [&](const QString& title, const QString& value, const QString& wanted, const QColor& colour) {
        rows += QString("<tr style='font-family:\"JetBrains Mono\"; font-size:11px; color:%4'><td "
                        "style='padding-right:14px; font-family:Inter; font-size:12px'>%1</td>"
                        "<td style='padding-right:14px' align='right'>%2</td><td style='color:%5'>%3</td></tr>")
                    .arg(title, value, wanted, colour.name(), t.muted.name());
    };
    for (const Achieved& achieved : setting.achieved)
        if (const GoalSpec* goal = kind->goal(achieved.goal); !goal || say(goal->title) != achieved.title)
            row(typeset(achieved.title), typeset(achieved.achieved).toHtmlEscaped(),
                typeset(achieved.wanted).toHtmlEscaped(), achieved.ok ? t.ink : t.error);
    // Its functional clock is one click away: most goals that are missed are fixed there.
    if (setting.kernel >= 0) {
        const ClockNode& clock = document_.snapshot().device->clocks[setting.kernel];
        const ClockState& state = document_.snapshot().rates.clocks[setting.kernel];
        row(say("Timed by"),
            QString("<a href='%1' style='color:%2'>%3</a>")
                .arg(QString::fromStdString(clock.id).toHtmlEscaped(), t.accent.name(),
                     QString::fromStdString(clock.name).toHtmlEscaped()),
            state.running ? typeset(format(state.rate)) : QString("stopped"), t.ink);
    }
    return rows.isEmpty() ? QString() : headingText(say("Checked")) + "<table cellspacing='0'>" + rows + "</table>";
}

NeedIndex TuningStation::comparedNeed() const
{
    const NeedIndex shown = shownNeed();
    if (shown < 0 || comparedWith_.empty())
        return -1;
    const IndexVector<NeedIndex, Need>& needs = document_.snapshot().plan.needs;
    for (const NeedIndex n : needs.indices())
        if (needs[n].id == comparedWith_ && NeedIndex(n) != shown && needs[n].kind == needs[shown].kind)
            return n;
    return -1;
}

QString TuningStation::comparisonOf(NeedIndex need) const
{
    const NeedIndex other = comparedNeed();
    if (other < 0)
        return {};
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    const auto achieved = [&s](NeedIndex of, const GoalSpec& goal) {
        for (const Achieved& row : s.settings[of].achieved)
            if (row.goal == goal.id && !row.check)
                return row.achieved;
        return std::string();
    };
    QString rows;
    const auto cell = [](const std::string& stated, const std::string& got) {
        const QString text = typeset(stated).toHtmlEscaped();
        return got.empty() || got == stated ? text : text + " \u2192 " + typeset(got).toHtmlEscaped();
    };
    for (const GoalSpec& goal : findKind(s.plan.needs[need].kind)->goals) {
        const std::string mine = goalText(s.plan.needs[need], goal.id), theirs = goalText(s.plan.needs[other], goal.id);
        const std::string got = achieved(need, goal), gotThere = achieved(other, goal);
        if (mine != theirs || got != gotThere)
            rows +=
                QString("<tr style='font-size:11px; color:%4'><td style='padding-right:14px; font-size:12px'>%1</td>"
                        "<td style='padding-right:14px'>%2</td><td>%3</td></tr>")
                    .arg(typeset(std::string(say(goal.title))), cell(mine, got), cell(theirs, gotThere), t.ink.name());
    }
    const QString title = QString::fromStdString(s.plan.needs[other].title).toHtmlEscaped();
    const QString end =
        QString(say("<a href='end-comparison' style='color:%1'>End the comparison</a>")).arg(t.accent.name());
    if (rows.isEmpty())
        return headingText(say("Compared with ") + title) +
               say("<span style='font-family:Inter; font-size:11px'>All goals are the same. </span>") + end;
    return headingText(say("Compared with ") + title) +
           QString(
               say("<table cellspacing='0'><tr style='font-size:11px; color:%1'><td></td><td>this need</td><td>%2</td>"
                   "</tr>%3</table>%4"))
               .arg(t.muted.name(), title, rows, end);
}

void TuningStation::compareWith(const std::string& other)
{
    comparedWith_ = other;
    refresh();
}

void TuningStation::compareAlternative(int row)
{
    const NeedIndex need = shownNeed();
    const Alternatives& known = alternatives_->alternatives();
    if (need < 0 || row < 0 || row >= int(known.all.size()) || row == known.used) {
        picture_->compare(std::nullopt);
        return;
    }
    const auto then = document_.preview(applyAlternative(document_.snapshot(), need, known, size_t(row)));
    picture_->compare(then ? (*then)->lookAt(need).waveform : std::nullopt);
}

void TuningStation::applyAlternativeOf(int row)
{
    const NeedIndex need = shownNeed();
    const Alternatives known = alternatives_->alternatives(); // the list is made anew by the edit
    if (need < 0 || row < 0 || row >= int(known.all.size()) || row == known.used)
        return;
    const Edit edit = applyAlternative(document_.snapshot(), need, known, size_t(row));
    if (!edit.changes.empty())
        (void)document_.apply(edit);
}

void TuningStation::setDigits(const SegmentDigits& digits)
{
    const NeedIndex need = shownNeed();
    if (need < 0)
        return;
    const std::string text = digits.text();
    (void)document_.apply(editOf(say("Digits of ") + document_.snapshot().plan.needs[need].title,
                                 SetGoal{document_.snapshot().plan.needs[need].id, digits.goal,
                                         text.empty() ? std::nullopt : std::optional(text)}));
}

void TuningStation::showEvent(QShowEvent*)
{
    refresh();
}

void TuningStation::refresh()
{
    if (!view_.selectedNeed().empty())
        lastNeed_ = view_.selectedNeed();
    // A jump to a register, or to a clock that only one need uses, shows that need.
    const Place& place = view_.selected();
    if (document_.isOpen() && (place.kind == Place::Kind::Register || place.kind == Place::Kind::Instance ||
                               place.kind == Place::Kind::Clock)) {
        const Snapshot& s = document_.snapshot();
        std::vector<std::string> having;
        for (const Need& need : s.plan.needs) {
            const InstanceIndex instance = s.device->findInstance(need.binding.instance);
            if (place.kind == Place::Kind::Clock
                    ? instance >= 0 && s.device->instances[instance].kernel == s.device->findClock(place.id)
                    : !need.binding.instance.empty() && need.binding.instance == place.id.substr(0, place.id.find('.')))
                having.push_back(need.id);
        }
        const bool shown = std::find(having.begin(), having.end(), lastNeed_) != having.end();
        if (!having.empty() && !shown && (place.kind != Place::Kind::Clock || having.size() == 1))
            lastNeed_ = having.front();
    }
    // Forms and pictures that nobody sees would cost more than the whole pipeline; they are made when they are shown.
    if (!isVisible())
        return;
    const Theme& t = Theme::get();
    title_->setFont(t.text(14, true));
    if (!document_.isOpen() || document_.snapshot().plan.needs.empty()) {
        title_->setText(say("No need yet"));
        goals_->showNeed(-1);
        bits_->showNeed(-1);
        picture_->show(std::nullopt, t.ink, say("State what the board needs first."));
        digits_->hide();
        inStep_->hide();
        checks_->clear();
        ranking_->hide();
        alternatives_->hide();
        return;
    }
    const Snapshot& s = document_.snapshot();
    NeedIndex index = 0;
    for (const NeedIndex n : s.plan.needs.indices())
        if (s.plan.needs[n].id == lastNeed_)
            index = n;
    const Need& need = s.plan.needs[index];
    const Setting& setting = s.settings[index];
    const Look look = s.lookAt(index);
    const std::vector<NeedIndex> partners = look.waveform ? inStepWith(s, int(index), look) : std::vector<NeedIndex>();
    inStep_->setVisible(!partners.empty());
    if (!partners.empty()) {
        const QString with = QString::fromStdString(s.plan.needs[partners.front()].title);
        inStep_->setText(partners.size() == 1 ? QString(say("With %1")).arg(with)
                                              : QString(say("With %1 and %2 more")).arg(with).arg(partners.size() - 1));
        inStep_->setToolTip(say("Shows needs that one timer starts on one axis of time."));
    }
    inStep_->setFont(t.text(11));
    const bool stacked = inStep_->isChecked() && !partners.empty();
    const std::optional<Waveform> waveform = stacked ? stackedPicture(s, int(index)) : look.waveform;
    QString title = QString::fromStdString(need.title).toHtmlEscaped();
    if (waveform)
        title += QString("<span style='color:%1; font-weight:400; font-size:12px'> &nbsp; %2, %3</span>")
                     .arg(t.muted.name(), QString::fromStdString(waveform->title).toHtmlEscaped(),
                          typeset(format(waveform->span, 4)));
    title_->setText(title);
    // A kind without timing has no picture; one that cannot be computed says why there is none.
    const bool drawn = waveform || !setting.notComputed.empty();
    picture_->show(waveform, hueOf(s, need),
                   QString::fromStdString(say("Nothing to draw: ") + setting.notComputed + "."));
    if (look.digits)
        digits_->show(*look.digits, hueOf(s, need));
    goals_->showNeed(int(index));
    bits_->showNeed(int(index));
    picture_->setVisible(drawn && !look.digits);
    digits_->setVisible(look.digits.has_value());
    checks_->setText(checksOf(need, setting) + comparisonOf(int(index)));
    Alternatives alternatives = alternativesOf(s, int(index), look);
    const bool several = alternatives.all.size() > 1;
    ranking_->setVisible(several);
    alternatives_->setVisible(several);
    if (several)
        ranking_->setText(
            headingText(say("Alternatives")) +
            QString(
                say("<span style='font-family:Inter; font-size:11px; color:%1'>Best by %2. Enter applies one.</span>"))
                .arg(t.muted.name(), QString::fromStdString(alternatives.ranking).toHtmlEscaped()));
    alternatives_->setAlternatives(several ? std::move(alternatives) : Alternatives());
    if (alternatives_->currentRow() >= 0)
        compareAlternative(alternatives_->currentRow());
    else if (const NeedIndex other = comparedNeed(); other >= 0 && !stacked)
        picture_->compare(s.lookAt(other).waveform);
    // Once the forms have their size.
    QMetaObject::invokeMethod(this, &TuningStation::shareHeight, Qt::QueuedConnection);
    // A finding about a goal brings its field up.
    if (view_.selected().kind == Place::Kind::Goal && view_.selected().id == need.id)
        bits_->lightGoal(view_.selected().sub);
}

} // namespace bindrel
