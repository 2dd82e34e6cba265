// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/chip_view.h"

#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>

namespace bindrel {

namespace {
constexpr double kWireReach = 4;
} // namespace

ChipView::ChipView(Document& document, ViewState& view, OptionFinder& options, QWidget* parent)
    : QWidget(parent), document_(document), view_(view), finder_(options)
{
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(say("Wiring picture"));
    connect(&document_, &Document::changed, this, &ChipView::relayout);
    connect(&view_, &ViewState::previewChanged, this, &ChipView::relayout);
    connect(&document_, &Document::opened, this, [this] {
        zoom_ = 1;
        pan_ = {};
    });
    connect(&view_, &ViewState::selectionChanged, this, qOverload<>(&QWidget::update));
    connect(&finder_, &OptionFinder::changed, this, qOverload<>(&QWidget::update));
    relayout();
}

void ChipView::relayout()
{
    if (!document_.isOpen())
        return;
    // As it stands on the board, where that is known, and turned on by hand from there.
    const std::optional<BoardPlace>& standing = shown().board->chipPlace;
    layout_ = layOut(shown(), turns_ + (standing ? standing->turn / 90 : 0));
    collectContests();
    setTransform();
    update();
}

void ChipView::setTransform()
{
    const QRectF& b = layout_.bounds;
    if (b.isEmpty())
        return;
    // What is written in the corner stands below the picture, not on it.
    const double room = height() - (notes_.empty() ? 0 : height() - noteRect(0).top() + 6);
    const double scale = std::min({width() / b.width(), room / b.height(), 1.35}) * zoom_;
    transform_ = QTransform();
    transform_.translate(width() / 2.0 + pan_.x(), room / 2.0 + pan_.y());
    transform_.scale(scale, scale);
    transform_.translate(-b.center().x(), -b.center().y());
}

void ChipView::collectContests()
{
    const Snapshot& s = shown();
    contenders_.clear();
    notes_.clear();
    for (const Contest& contest : s.bindings.contests)
        for (const Claim& claim : contest.claims)
            for (const Claim& other : contest.claims)
                if (other.need != claim.need && contest.resource.kind != Resource::Kind::Pad)
                    contenders_[{claim.need, claim.seat}] = other.need;
    // What a pad's own label cannot say is said in the corner, in the words of the finding.
    for (const Finding& finding : s.findings)
        if (finding.beyondPads)
            notes_.emplace_back(QString::fromStdString(finding.text), finding.place);
}

NeedIndex ChipView::contender(NeedIndex need, int seat) const
{
    for (const int at : {seat, -1})
        if (const auto found = contenders_.find({need, at}); found != contenders_.end())
            return found->second;
    return -1;
}

void ChipView::turn()
{
    turns_ = (turns_ + 1) % 4;
    relayout();
}

void ChipView::turnBack()
{
    turns_ = 0;
    relayout();
}

void ChipView::fit()
{
    zoom_ = 1;
    pan_ = {};
    setTransform();
    update();
}

void ChipView::zoomBy(double factor)
{
    zoom_ = std::clamp(zoom_ * factor, 0.3, 8.0);
    setTransform();
    update();
}

int ChipView::needIndex(const std::string& id) const
{
    const auto& needs = shown().plan.needs;
    for (const NeedIndex i : needs.indices())
        if (needs[i].id == id)
            return int(i);
    return -1;
}

QPointF ChipView::pinPosition(const std::string& pad) const
{
    const auto& pins = shown().device->package.pins;
    for (const PinIndex i : pins.indices())
        if (pins[i].name == pad)
            return transform_.map(layout_.pins[i].box.center());
    return {};
}

std::optional<Place> ChipView::placeAt(const QPointF& scene) const
{
    const Snapshot& s = shown();
    if (const PinIndex pin = layout_.pinAt(scene, kPinReach); pin >= 0) {
        const PackagePin& facts = s.device->package.pins[pin];
        if (facts.pad < 0)
            return std::nullopt;
        const auto& claims = s.bindings.padClaims[facts.pad];
        return Place{Place::Kind::Pad, facts.name, claims.empty() ? "" : s.plan.needs[claims.front().need].id};
    }
    if (const ChipLayout::Card* card = layout_.cardAt(scene)) {
        for (const auto& t : card->terminals)
            if (t.need >= 0 && std::abs(t.tip.y() - scene.y()) < 7.5)
                return Place{Place::Kind::Signal, s.plan.needs[t.need].id,
                             s.bindings.needs[t.need].seats[size_t(t.seat)].signal.id};
        for (const Need& need : s.plan.needs)
            if (need.part == s.board->parts[size_t(card->part)].id)
                return Place{Place::Kind::Need, need.id, {}};
    }
    if (const int wire = layout_.wireAt(scene, kWireReach); wire >= 0) {
        const auto& w = layout_.wires[size_t(wire)];
        return Place{Place::Kind::Signal, s.plan.needs[w.need].id,
                     s.bindings.needs[w.need].seats[size_t(w.seat)].signal.id};
    }
    return std::nullopt;
}

const Option* ChipView::optionAt(const QPointF& scene) const
{
    const PinIndex pin = layout_.pinAt(scene, kPinReach);
    if (pin < 0)
        return nullptr;
    const PadIndex pad = shown().device->package.pins[pin].pad;
    for (const Option& option : finder_.options()) // cheapest first
        if (option.pad == pad)
            return &option;
    return nullptr;
}

bool ChipView::takeOptionAt(const QPointF& scene, bool contest)
{
    const Option* option = optionAt(scene);
    if (!option || option->cost == Option::Cost::Current)
        return false;
    if (option->cost == Option::Cost::Impossible && !contest)
        QToolTip::showText(mapToGlobal(transform_.map(scene).toPoint()),
                           QString::fromStdString(say("Not possible: ") + option->reason + "."), this);
    return finder_.take(*option, contest);
}

void ChipView::dragOver(const Place& what, const QPointF& at)
{
    dragged_ = what;
    dragPoint_ = toScene(at);
    finder_.setDragged(what);
    update();
}

bool ChipView::dropAt(const Place& what, const QPointF& at, bool contest)
{
    dragOver(what, at);
    const QPointF scene = toScene(at);
    const bool aNeed = what.kind == Place::Kind::Need;
    bool done = false;
    if (rect().contains(at.toPoint())) {
        done = takeOptionAt(scene, contest);
        // A whole need dropped on the chip takes its best option.
        if (!done && aNeed && layout_.body.contains(scene) && !optionAt(scene)) {
            const Snapshot& s = shown();
            const Expected<Edit> edit = bindNeed(*s.device, *s.board, s.plan, what.id);
            done = edit && document_.apply(*edit);
            if (!edit)
                Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
        }
    }
    endDrag();
    return done;
}

void ChipView::endDrag()
{
    dragged_.reset();
    finder_.setDragged(std::nullopt);
    update();
}

void ChipView::resizeEvent(QResizeEvent*)
{
    setTransform();
}

std::vector<AccessibleItem> ChipView::accessibleItems() const
{
    std::vector<AccessibleItem> out;
    if (!document_.isOpen())
        return out;
    const Snapshot& s = shown();
    for (PinIndex i = 0; i < int(layout_.pins.size()) && i < int(s.device->package.pins.size()); ++i) {
        const PackagePin& pin = s.device->package.pins[i];
        QString name =
            QString(say("%1, pin %2")).arg(QString::fromStdString(pin.name), QString::fromStdString(pin.number));
        if (pin.pad < 0) {
            name += pin.kind == PackagePin::Kind::Supply   ? say(", supply")
                    : pin.kind == PackagePin::Kind::Ground ? say(", ground")
                                                           : say(", dedicated");
        } else {
            const auto& claims = s.bindings.padClaims[pin.pad];
            for (const Claim& claim : claims)
                name += QString(", %1 %2").arg(
                    QString::fromStdString(s.plan.needs[claim.need].title),
                    QString::fromStdString(say(s.bindings.needs[claim.need].seats[size_t(claim.seat)].signal.title)));
            if (const auto net = s.board->nets.find(pin.name); net != s.board->nets.end())
                name += say(", net ") + QString::fromStdString(net->second);
            name += claims.empty() ? say(", free") : claims.size() > 1 ? say(", in conflict") : "";
        }
        out.push_back({name, transform_.mapRect(layout_.pins[i].box).toAlignedRect()});
    }
    return out;
}

void ChipView::chooseAccessibleItem(int item)
{
    if (!document_.isOpen())
        return;
    const auto& pins = document_.snapshot().device->package.pins;
    if (const PinIndex pin = item; pins.contains(pin) && pins[pin].pad >= 0)
        view_.select({Place::Kind::Pad, pins[pin].name, {}});
}

void ChipView::mousePressEvent(QMouseEvent* event)
{
    pressed_ = event->position();
    panning_ = false;
    pressPlace_.reset();
    // What a menu is about is what it was asked for on.
    if (document_.isOpen() && event->button() == Qt::RightButton)
        view_.select(placeAt(toScene(event->position())).value_or(Place()));
    if (!document_.isOpen() || event->button() != Qt::LeftButton)
        return;
    const QPointF scene = toScene(event->position());
    for (int i = 0; i < int(notes_.size()); ++i)
        if (noteRect(i).contains(event->position())) {
            view_.jump(notes_[size_t(i)].second);
            return;
        }
    if (view_.optionsShown() && optionAt(scene)) {
        takeOptionAt(scene, event->modifiers() & Qt::ShiftModifier);
        return;
    }
    pressPlace_ = placeAt(scene);
    if (pressPlace_)
        view_.select(*pressPlace_);
    else {
        panning_ = true;
        view_.showOptions(false);
        view_.select({});
    }
}

void ChipView::mouseMoveEvent(QMouseEvent* event)
{
    if (!(event->buttons() & Qt::LeftButton))
        return;
    const QPointF moved = event->position() - pressed_;
    if (panning_) {
        pan_ += moved;
        pressed_ = event->position();
        setTransform();
        update();
        return;
    }
    const bool movable = pressPlace_ && (pressPlace_->kind == Place::Kind::Signal ||
                                         (pressPlace_->kind == Place::Kind::Pad && !pressPlace_->sub.empty()));
    if (movable && (dragged_ || moved.manhattanLength() > QApplication::startDragDistance()))
        dragOver({Place::Kind::Signal, pressPlace_->kind == Place::Kind::Pad ? pressPlace_->sub : pressPlace_->id,
                  signalFor(*pressPlace_)},
                 event->position());
}

void ChipView::mouseReleaseEvent(QMouseEvent* event)
{
    if (dragged_)
        dropAt(*dragged_, event->position(), event->modifiers() & Qt::ShiftModifier);
    panning_ = false;
    pressPlace_.reset();
}

/// On a terminal, a wire or a bound pad: where it could go instead.
void ChipView::mouseDoubleClickEvent(QMouseEvent* event)
{
    const std::optional<Place> place = document_.isOpen() ? placeAt(toScene(event->position())) : std::nullopt;
    if (!place || (place->kind == Place::Kind::Pad && place->sub.empty()))
        return;
    view_.select(*place);
    view_.showOptions(true);
}

void ChipView::wheelEvent(QWheelEvent* event)
{
    // The point under the pointer stays where it is.
    const QPointF before = toScene(event->position());
    zoomBy(event->angleDelta().y() > 0 ? 1.15 : 1 / 1.15);
    pan_ += event->position() - transform_.map(before);
    setTransform();
    update();
}

void ChipView::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape && (dragged_ || view_.optionsShown())) {
        pressPlace_.reset();
        view_.showOptions(false);
        endDrag();
    } else if (event->key() == Qt::Key_F && event->modifiers() == Qt::NoModifier) {
        fit();
    } else if (event->key() == Qt::Key_R) {
        event->modifiers() & Qt::ShiftModifier ? turnBack() : turn();
    } else if (event->key() == Qt::Key_Plus || event->key() == Qt::Key_Minus) {
        zoomBy(event->key() == Qt::Key_Plus ? 1.2 : 1 / 1.2);
    } else {
        QWidget::keyPressEvent(event);
    }
}

bool ChipView::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip && document_.isOpen()) {
        auto* help = static_cast<QHelpEvent*>(event);
        const QString tip = tipFor(toScene(help->pos()));
        if (tip.isEmpty())
            QToolTip::hideText();
        else
            QToolTip::showText(help->globalPos(), tip, this);
        return true;
    }
    return QWidget::event(event);
}

QString ChipView::tipFor(const QPointF& scene) const
{
    const Snapshot& s = shown();
    const PinIndex pin = layout_.pinAt(scene, kPinReach);
    if (pin < 0)
        return {};
    const PackagePin& facts = s.device->package.pins[pin];
    QString text =
        QString(say("Pin %1, %2")).arg(QString::fromStdString(facts.number), QString::fromStdString(facts.name));
    if (const Option* option = optionAt(scene))
        return text + "\n" + QString::fromStdString(option->reason);
    if (facts.pad < 0)
        return text;
    for (const Claim& claim : s.bindings.padClaims[facts.pad])
        text += "\n" + QString::fromStdString(s.plan.needs[claim.need].title + ": " +
                                              say(s.bindings.needs[claim.need].seats[size_t(claim.seat)].signal.title));
    if (const auto net = s.board->nets.find(facts.name); net != s.board->nets.end())
        text += say("\nnet ") + QString::fromStdString(net->second);
    return text;
}

QStringList ChipView::dragText() const
{
    if (!dragged_ || finder_.need() < 0)
        return {};
    const Snapshot& s = shown();
    const Need& need = s.plan.needs[finder_.need()];
    const PinIndex pin = layout_.pinAt(dragPoint_, kPinReach);
    QString what = QString::fromStdString(need.title);
    const auto& seats = s.bindings.needs[finder_.need()].seats;
    for (const Seat& seat : seats)
        if (seat.signal.id == finder_.signal() && (dragged_->kind == Place::Kind::Signal || pin >= 0) &&
            seats.size() > 1)
            what += " " + QString::fromStdString(say(seat.signal.title));
    if (pin < 0)
        return {dragged_->kind == Place::Kind::Need && layout_.body.contains(dragPoint_)
                    ? what + say(": best free pads")
                    : what};
    const QString name = QString::fromStdString(s.device->package.pins[pin].name);
    const Option* option = optionAt(dragPoint_);
    if (!option)
        return {QString(say("%1 \u2192 %2: cannot carry it")).arg(what, name)};
    QStringList lines{QString("%1 \u2192 %2: %3").arg(what, name, QString::fromStdString(option->reason))};
    if (option->cost != Option::Cost::Contends && option->cost != Option::Cost::Room)
        return lines;
    const Expected<Room>& room = finder_.roomFor(*option);
    if (!room) {
        lines << typeset(say("No room can be made: ") + room.problem().message);
        return lines;
    }
    for (const std::string& move : room->moves)
        lines << QString::fromStdString(move);
    lines << (room->proven ? say("No solution with fewer moves exists. Shift: take the pad anyway.")
                           : say("Shift: take the pad anyway."));
    return lines;
}

bool ChipView::emphasised(NeedIndex need) const
{
    const std::string selected = view_.selectedNeed();
    const Need& shownNeed = shown().plan.needs[need];
    if (view_.preview()) {
        // What would move stands out.
        const Need* now = document_.snapshot().plan.need(shownNeed.id);
        return !now || now->binding != shownNeed.binding;
    }
    return selected.empty() || shownNeed.id == selected;
}

} // namespace bindrel
