// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/wiring_station.h"

#include "app/theme/theme.h"
#include "app/widgets/needs_list.h"
#include "app/widgets/panel.h"
#include "app/wiring/chip_view.h"
#include "app/wiring/need_dialog.h"
#include "app/wiring/ways_list.h"

#include <QCoreApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace bindrel {

WiringStation::WiringStation(Document& document, ViewState& view, QWidget* parent) : QWidget(parent), document_(document), view_(view)
{
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);

    const auto [left, column] = sidePanel("Needs", 234);
    auto* filter = new QLineEdit;
    filter->setPlaceholderText("Filter");
    filter->setAccessibleName("Filter needs");
    filter->setClearButtonEnabled(true);
    auto* filterRow = new QHBoxLayout;
    filterRow->setContentsMargins(12, 0, 12, 2);
    filterRow->addWidget(filter);
    column->addLayout(filterRow);
    needs_ = new NeedsList(document_, view_, NeedsList::Detail::NeedsAndSignals);
    column->addWidget(needs_, 1);
    left_ = new QStackedWidget;
    left_->setFixedWidth(234);
    left_->addWidget(left);
    const auto [waysPanel, waysColumn] = sidePanel("Ways out", 234);
    waysNote_ = new QLabel;
    waysNote_->setWordWrap(true);
    waysNote_->setContentsMargins(12, 0, 10, 6);
    waysNote_->setFont(Theme::get().text(11));
    waysColumn->addWidget(waysNote_);
    ways_ = new WaysList;
    waysColumn->addWidget(ways_, 1);
    left_->addWidget(waysPanel);
    row->addWidget(left_);
    row->addWidget(verticalRule());
    chip_ = new ChipView(document_, view_);
    row->addWidget(chip_, 1);

    connect(filter, &QLineEdit::textChanged, needs_, &NeedsList::setFilter);
    connect(needs_, &NeedsList::bindWanted, this, &WiringStation::bindOne);
    connect(needs_, &NeedsList::unbindWanted, this, &WiringStation::unbindSelected);
    connect(needs_, &NeedsList::holdWanted, this, &WiringStation::toggleHold);
    connect(needs_, &NeedsList::optionPicked, this, &WiringStation::takeOptionNumber);
    connect(needs_, &NeedsList::dragMoved, this, [this](const Place& what, const QPoint& global) { chip_->dragOver(what, chip_->mapFromGlobal(global)); });
    connect(needs_, &NeedsList::dragDropped, this, [this](const Place& what, const QPoint& global) { chip_->dropAt(what, chip_->mapFromGlobal(global)); });
    connect(ways_, &WaysList::currentChanged, this, &WiringStation::previewWay);
    connect(ways_, &WaysList::hovered, this, &WiringStation::previewWay);
    connect(ways_, &WaysList::closed, this, &WiringStation::leaveUntangling);
    connect(ways_, &WaysList::activated, this, [this](int way) {
        const Edit edit = ways_->ways()[size_t(way)].edit;
        leaveUntangling();
        document_.apply(edit);
    });
    // Ways are for the plan that they were found for.
    connect(&document_, &Document::changed, this, &WiringStation::leaveUntangling);
    // The picture takes the same keys as the list.
    chip_->installEventFilter(this);
    setFocusProxy(needs_);
}

bool WiringStation::eventFilter(QObject* watched, QEvent* event)
{
    // A hand on the picture means the plan as it is.
    if (watched == chip_ && (event->type() == QEvent::MouseButtonPress || event->type() == QEvent::KeyPress))
        leaveUntangling();
    if (watched == chip_ && event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        const bool shared = key == Qt::Key_Space || key == Qt::Key_Return || key == Qt::Key_Delete || key == Qt::Key_H || key == Qt::Key_Up || key == Qt::Key_Down ||
                            (key >= Qt::Key_1 && key <= Qt::Key_9);
        if (shared)
            return QCoreApplication::sendEvent(needs_, event);
    }
    return QWidget::eventFilter(watched, event);
}

void WiringStation::untangle()
{
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    constexpr std::size_t kWays = 5;
    Untangling out = bindrel::untangle(*s.device, *s.board, s.plan, kWays);
    if (out.ways.empty()) {
        Q_EMIT document_.refused(s.bindings.contests.empty() ? QString("Nothing is contested.") : QString::fromStdString(out.why));
        return;
    }
    waysNote_->setText(QString("%1 Enter takes one, Esc leaves all as it is.").arg(out.proven ? "No way moves fewer needs than the first." : "That no way moves fewer needs is not proven."));
    ways_->setWays(s, std::move(out.ways));
    left_->setCurrentIndex(1);
    ways_->setFocus();
    previewWay(0);
}

void WiringStation::previewWay(int row)
{
    if (row < 0 || row >= ways_->rowCount())
        return;
    const Expected<Plan> next = applied(document_.snapshot().plan, ways_->ways()[size_t(row)].edit);
    const auto now = document_.sharedSnapshot();
    view_.setPreview(next ? computeSnapshot({now->device, now->board, *next, {}, {}}) : nullptr);
}

void WiringStation::leaveUntangling()
{
    if (left_->currentIndex() == 0)
        return;
    view_.setPreview(nullptr);
    left_->setCurrentIndex(0);
    needs_->setFocus();
}

void WiringStation::addNeed()
{
    if (!document_.isOpen())
        return;
    const Need* selected = document_.snapshot().plan.need(view_.selectedNeed());
    NeedDialog dialog(document_.snapshot(), selected ? selected->part : std::string(), this);
    if (dialog.exec() != QDialog::Accepted)
        return;
    const Need need = dialog.need();
    if (document_.apply(editOf("Add " + need.title, InsertNeed{document_.snapshot().plan.needs.size(), need})))
        view_.select({Place::Kind::Need, need.id, {}});
    needs_->setFocus();
}

void WiringStation::removeSelected()
{
    const std::string id = view_.selectedNeed();
    const Need* need = document_.isOpen() ? document_.snapshot().plan.need(id) : nullptr;
    if (!need)
        return;
    Edit edit{"Remove " + need->title, {}};
    // What was held of it is held no longer.
    for (const std::string& hold : document_.snapshot().plan.holds)
        if (hold == holdOfNeed(id) || hold.starts_with(holdOfNeed(id) + " "))
            edit.changes.push_back(SetHold{hold, false});
    edit.changes.push_back(RemoveNeed{id});
    view_.select({});
    document_.apply(edit);
}

void WiringStation::bindOne(const std::string& id)
{
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    for (size_t n = 0; n < s.plan.needs.size(); ++n) {
        if (s.plan.needs[n].id != id)
            continue;
        if (s.bindings.needs[n].state == BoundNeed::State::Bound) {
            Q_EMIT document_.refused(QString::fromStdString(s.plan.needs[n].title + " is bound already. Space shows its other options, Delete unbinds it."));
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

void WiringStation::bindSelected() { bindOne(view_.selectedNeed()); }

void WiringStation::bindAll()
{
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    if (s.bindings.count(BoundNeed::State::Open) == 0) {
        Q_EMIT document_.refused("No need is open.");
        return;
    }
    const Expected<Edit> edit = bindAllOpen(*s.device, *s.board, s.plan);
    if (edit)
        document_.apply(*edit);
    else
        Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
}

void WiringStation::unbindSelected()
{
    const std::string id = view_.selectedNeed();
    if (!document_.isOpen() || id.empty())
        return;
    const Need* need = document_.snapshot().plan.need(id);
    if (need && !need->binding.empty())
        document_.apply(editOf("Unbind " + need->title, SetBinding{id, {}}));
}

void WiringStation::toggleHold(const Place& place)
{
    if (!document_.isOpen())
        return;
    const std::string need = view_.selectedNeed();
    if (need.empty())
        return;
    const std::string target = place.kind == Place::Kind::Signal ? holdOfSignal(need, place.sub) : holdOfNeed(need);
    const bool held = document_.snapshot().plan.held(target);
    document_.apply(editOf((held ? "Let go " : "Hold ") + document_.snapshot().plan.need(need)->title, SetHold{target, !held}));
}

void WiringStation::holdSelected() { toggleHold(view_.selected()); }

void WiringStation::toggleOptions()
{
    if (!view_.selectedNeed().empty())
        view_.showOptions(!view_.optionsShown());
}

void WiringStation::takeOptionNumber(int number)
{
    const std::vector<Option> options = chip_->options();
    if (number < 1 || number > int(options.size()) || !document_.isOpen())
        return;
    const Option& option = options[size_t(number - 1)];
    if (option.cost == Option::Cost::Impossible || option.cost == Option::Cost::Current) {
        Q_EMIT document_.refused(QString::fromStdString(document_.snapshot().device->pads[size_t(option.pad)].name + ": " + option.reason + "."));
        return;
    }
    const Snapshot& s = document_.snapshot();
    const std::string id = view_.selectedNeed();
    for (size_t n = 0; n < s.plan.needs.size(); ++n) {
        if (s.plan.needs[n].id != id)
            continue;
        const std::string signal = chip_->shownSignal();
        const Edit edit = takeOption(*s.device, *s.board, s.plan, s.bindings, int(n), signal, option);
        view_.showOptions(false);
        document_.apply(edit);
        view_.select({Place::Kind::Signal, id, signal});
        return;
    }
}

} // namespace bindrel
