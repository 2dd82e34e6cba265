// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/tuning_station.h"

#include "app/frame/change_dialog.h"
#include "app/theme/theme.h"
#include "app/tuning/bits_view.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/waveform_view.h"
#include "app/widgets/marks.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "core/adopt.h"
#include "core/base/files.h"
#include "core/base/text.h"
#include "core/field_entry.h"
#include "core/quantity/format.h"

#include <QClipboard>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>
#include <utility>

namespace bindrel {

TuningStation::TuningStation(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    const auto [left, leftColumn] = sidePanel("Needs", 204);
    needs_ = new NeedsList(document_, view_, NeedsList::Detail::Needs);
    leftColumn->addWidget(needs_, 1);
    row->addWidget(left);
    row->addWidget(verticalRule());

    auto* main = new QVBoxLayout;
    main->setContentsMargins(16, 10, 16, 8);
    main->setSpacing(8);
    title_ = new QLabel;
    title_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred); // a long title must not widen the window
    main->addWidget(title_);
    picture_ = new WaveformView;
    main->addWidget(picture_);
    // Goals and bits scroll together; where there is no room beside each other, bits come below.
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
    ways_ = new QLabel;
    ways_->setTextFormat(Qt::RichText);
    goalLayout->addWidget(ways_);
    column("Goals", goalBody_, 13);
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
    column("Bits", bitBody_, 10);
    auto* area = new QScrollArea;
    area->setWidgetResizable(true);
    area->setFrameShape(QFrame::NoFrame);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    area->setWidget(lower);
    area->viewport()->setAutoFillBackground(false);
    main->addWidget(area, 1);
    row->addLayout(main, 1);

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
                            ? QString("Point at a field for what it says. Double click or Enter changes it; "
                                      "Del drops what is set by hand.")
                            : words);
    });
    connect(bits_, &BitsView::registerPicked, this, [this](const std::string& dotted) {
        view_.select({Place::Kind::Register, dotted, {}});
    });
    connect(picture_, &WaveformView::goalPointedAt, this, [this](const std::string& goal) {
        goals_->lightGoal(goal);
        bits_->lightGoal(goal);
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
    setFocusProxy(needs_);
    refresh();
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
    picture_->setFixedHeight(std::clamp(height() - kHeads - lower, kLeast, kMost));
}

NeedIndex TuningStation::shownNeed() const
{
    if (!document_.isOpen() || document_.snapshot().plan.needs.empty())
        return -1;
    const std::vector<Need>& needs = document_.snapshot().plan.needs;
    for (size_t n = 0; n < needs.size(); ++n)
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
    QString label = QString("%1 %2").arg(QString::fromStdString(spec->title), typeset(goal->value.value_or("")));
    for (const Achieved& row : (*then)->settings[need].achieved)
        if (row.goal == handle.goal && !row.check) {
            if (row.error)
                label += QString(", %1").arg(typeset(format(*row.error, true)));
            if (!row.ok)
                label += ", not met";
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
    const QString path = document_.isOpen()
                             ? QFileDialog::getOpenFileName(this, "Take over registers", {},
                                                            "Register values (*.txt *.log *.csv *.json);;All files (*)")
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
    adopt(QGuiApplication::clipboard()->text().toStdString(), "The clipboard");
}

void TuningStation::exportPicture()
{
    const NeedIndex need = shownNeed();
    if (need < 0 || !picture_->hasPicture()) {
        Q_EMIT document_.refused("There is no picture to export: the need has none, or is not computed.");
        return;
    }
    const QString title = QString::fromStdString(document_.snapshot().plan.needs[need].title);
    const QString path = QFileDialog::getSaveFileName(
        this, "Export the waveform", QString::fromStdString(document_.snapshot().plan.needs[need].id) + ".svg",
        "Drawings (*.svg);;Documents (*.pdf);;Pictures (*.png)");
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
    Edit edit{"Goals of " + source->title + " for " + target->title, {}};
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
        Q_EMIT document_.told(QString("%1 has the same goals already.").arg(QString::fromStdString(target->title)));
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
        "Taking over registers",
        [s, dump = *dump](const Background::Stopped& stopped) { return adoptRegisters(*s, dump, stopped); },
        [this, s, from, unread = dump->notUnderstood.size()](const Adoption& adoption) {
            if (!document_.isOpen() || document_.sharedSnapshot() != s)
                return; // the plan is another one by now
            if (adoption.edit.changes.empty()) {
                Q_EMIT document_.told(QString("%1: the plan says all of it already.").arg(from));
                return;
            }
            ChangeDialog dialog(document_, adoption.edit, this);
            if (dialog.exec() != QDialog::Accepted || !document_.apply(adoption.edit))
                return;
            QString told =
                QString("%1: %2 taken over").arg(from, typeset(counted(long(adoption.taken.size()), "decision")));
            if (!adoption.left.empty())
                told += QString("; not taken: %1%2")
                            .arg(typeset(adoption.left.front()),
                                 adoption.left.size() > 1 ? QString(" And %1 more.").arg(adoption.left.size() - 1)
                                                          : QString());
            if (unread > 0)
                told += QString(" %1 not understood.").arg(typeset(counted(long(unread), "line")));
            Q_EMIT document_.told(told);
        });
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
                    ? instance >= 0 && s.device->instances[size_t(instance)].kernel == s.device->findClock(place.id)
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
        title_->setText("No need yet");
        goals_->showNeed(-1);
        bits_->showNeed(-1);
        picture_->show(std::nullopt, t.ink, "State what the board needs first.");
        ways_->clear();
        return;
    }
    const Snapshot& s = document_.snapshot();
    size_t index = 0;
    for (size_t n = 0; n < s.plan.needs.size(); ++n)
        if (s.plan.needs[n].id == lastNeed_)
            index = n;
    const Need& need = s.plan.needs[index];
    const Setting& setting = s.settings[index];
    const Look look = s.lookAt(int(index));
    QString title = QString::fromStdString(need.title).toHtmlEscaped();
    if (look.waveform)
        title += QString("<span style='color:%1; font-weight:400; font-size:12px'> &nbsp; %2, %3</span>")
                     .arg(t.muted.name(), QString::fromStdString(look.waveform->title).toHtmlEscaped(),
                          typeset(format(look.waveform->span, 4)));
    title_->setText(title);
    // A kind without timing has no picture; one that cannot be computed says why there is none.
    const bool drawn = look.waveform || !setting.notComputed.empty();
    picture_->show(look.waveform, hueOf(s, need),
                   QString::fromStdString("Nothing to draw: " + setting.notComputed + "."));
    goals_->showNeed(int(index));
    bits_->showNeed(int(index));
    picture_->setVisible(drawn);
    QString ways;
    const auto heading = [&t](const char* text) {
        return QString("<p style='margin:8px 0 4px 0; font-size:10px; font-weight:600; color:%1; "
                       "letter-spacing:1px'>%2</p><table cellspacing='0'>")
            .arg(t.muted.name(), text);
    };
    const KindSpec* kind = findKind(need.kind);
    QString checks;
    for (const Achieved& row : setting.achieved)
        if (const GoalSpec* goal = kind->goal(row.goal); !goal || goal->title != row.title)
            checks += QString("<tr style='font-family:\"JetBrains Mono\"; font-size:11px; color:%4'><td "
                              "style='padding-right:14px; font-family:Inter; font-size:12px'>%1</td>"
                              "<td style='padding-right:14px' align='right'>%2</td><td style='color:%5'>%3</td></tr>")
                          .arg(typeset(row.title), typeset(row.achieved).toHtmlEscaped(),
                               typeset(row.wanted).toHtmlEscaped(), (row.ok ? t.ink : t.error).name(), t.muted.name());
    if (!checks.isEmpty())
        ways += heading("CHECKED") + checks + "</table>";
    if (look.otherWays.size() > 1) {
        ways += heading("Alternatives considered");
        for (size_t i = 0; i < look.otherWays.size(); ++i) {
            const OtherWay& way = look.otherWays[i];
            ways += QString("<tr style='font-family:\"JetBrains Mono\"; font-size:11px; color:%4'><td "
                            "style='padding-right:14px'>%1</td><td style='padding-right:14px'>%2</td><td>%3</td></tr>")
                        .arg(typeset(way.choice), typeset(way.result), typeset(way.note),
                             (i == 0 ? t.ink : t.muted).name());
        }
        ways += "</table>";
    }
    ways_->setText(ways);
    // Once the forms have their size.
    QMetaObject::invokeMethod(this, &TuningStation::shareHeight, Qt::QueuedConnection);
    // A finding about a goal brings its field up.
    if (view_.selected().kind == Place::Kind::Goal && view_.selected().id == need.id)
        bits_->lightGoal(view_.selected().sub);
}

} // namespace bindrel
