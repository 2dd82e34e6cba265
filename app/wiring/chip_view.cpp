// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/chip_view.h"

#include "app/theme/theme.h"

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

ChipView::ChipView(Document& document, ViewState& view, QWidget* parent) : QWidget(parent), document_(document), view_(view)
{
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName("Wiring picture");
    connect(&document_, &Document::changed, this, &ChipView::relayout);
    connect(&view_, &ViewState::previewChanged, this, &ChipView::relayout);
    connect(&document_, &Document::opened, this, [this] {
        zoom_ = 1;
        pan_ = {};
    });
    const auto refresh = [this] {
        refreshOptions();
        update();
    };
    connect(&view_, &ViewState::selectionChanged, this, refresh);
    connect(&view_, &ViewState::optionsChanged, this, refresh);
    relayout();
}

void ChipView::relayout()
{
    if (!document_.isOpen())
        return;
    layout_ = layOut(shown());
    setTransform();
    refreshOptions();
    update();
}

void ChipView::setTransform()
{
    const QRectF& b = layout_.bounds;
    if (b.isEmpty())
        return;
    const double scale = std::min({width() / b.width(), height() / b.height(), 1.35}) * zoom_;
    transform_ = QTransform();
    transform_.translate(width() / 2.0 + pan_.x(), height() / 2.0 + pan_.y());
    transform_.scale(scale, scale);
    transform_.translate(-b.center().x(), -b.center().y());
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
    for (size_t i = 0; i < needs.size(); ++i)
        if (needs[i].id == id)
            return int(i);
    return -1;
}

std::string ChipView::signalFor(const Place& place) const
{
    if (place.kind == Place::Kind::Signal)
        return place.sub;
    const int need = needIndex(place.kind == Place::Kind::Pad ? place.sub : place.id);
    if (need < 0)
        return {};
    const auto& seats = shown().bindings.needs[size_t(need)].seats;
    for (const Seat& seat : seats)
        if (seat.pad < 0)
            return seat.signal.id;
    if (place.kind == Place::Kind::Pad)
        for (const Seat& seat : seats)
            if (seat.pad >= 0 && shown().device->pads[size_t(seat.pad)].name == place.id)
                return seat.signal.id;
    return seats.empty() ? std::string() : seats.front().signal.id;
}

void ChipView::refreshOptions()
{
    options_.clear();
    if (!document_.isOpen())
        return;
    const Place place = dragged_ ? *dragged_ : view_.selected();
    if (!dragged_ && !view_.optionsShown())
        return;
    const Snapshot& s = shown();
    const int need = needIndex(place.kind == Place::Kind::Pad ? place.sub : place.id);
    if (need < 0)
        return;
    options_ = optionsFor(*s.device, *s.board, s.plan, s.bindings, need, signalFor(place));
}

QPointF ChipView::pinPosition(const std::string& pad) const
{
    const auto& pins = shown().device->package.pins;
    for (size_t i = 0; i < pins.size(); ++i)
        if (pins[i].name == pad)
            return transform_.map(layout_.pins[i].box.center());
    return {};
}

std::optional<Place> ChipView::placeAt(const QPointF& scene) const
{
    const Snapshot& s = shown();
    if (const int pin = layout_.pinAt(scene, kPinReach); pin >= 0) {
        const PackagePin& facts = s.device->package.pins[size_t(pin)];
        if (facts.pad < 0)
            return std::nullopt;
        const auto& claims = s.bindings.padClaims[size_t(facts.pad)];
        return Place{Place::Kind::Pad, facts.name, claims.empty() ? "" : s.plan.needs[size_t(claims.front().need)].id};
    }
    if (const ChipLayout::Card* card = layout_.cardAt(scene)) {
        for (const auto& t : card->terminals)
            if (t.need >= 0 && std::abs(t.tip.y() - scene.y()) < 7.5)
                return Place{Place::Kind::Signal, s.plan.needs[size_t(t.need)].id, s.bindings.needs[size_t(t.need)].seats[size_t(t.seat)].signal.id};
        for (const Need& need : s.plan.needs)
            if (need.part == s.board->parts[size_t(card->part)].id)
                return Place{Place::Kind::Need, need.id, {}};
    }
    if (const int wire = layout_.wireAt(scene, kWireReach); wire >= 0) {
        const auto& w = layout_.wires[size_t(wire)];
        return Place{Place::Kind::Signal, s.plan.needs[size_t(w.need)].id, s.bindings.needs[size_t(w.need)].seats[size_t(w.seat)].signal.id};
    }
    return std::nullopt;
}

const Option* ChipView::optionAt(const QPointF& scene) const
{
    const int pin = layout_.pinAt(scene, kPinReach);
    if (pin < 0)
        return nullptr;
    const int pad = shown().device->package.pins[size_t(pin)].pad;
    for (const Option& option : options_) // cheapest first
        if (option.pad == pad)
            return &option;
    return nullptr;
}

bool ChipView::takeOptionAt(const Place& what, const QPointF& scene)
{
    const Option* option = optionAt(scene);
    if (!option || option->cost == Option::Cost::Current)
        return false;
    if (option->cost == Option::Cost::Impossible) {
        QToolTip::showText(mapToGlobal(transform_.map(scene).toPoint()), QString::fromStdString("Not possible: " + option->reason + "."), this);
        return false;
    }
    const Snapshot& s = shown();
    const int need = needIndex(what.kind == Place::Kind::Pad ? what.sub : what.id);
    const std::string signal = signalFor(what);
    const std::string needId = s.plan.needs[size_t(need)].id;
    const Edit edit = takeOption(*s.device, *s.board, s.plan, s.bindings, need, signal, *option);
    view_.showOptions(false);
    if (!document_.apply(edit))
        return false;
    view_.select({Place::Kind::Signal, needId, signal});
    return true;
}

void ChipView::dragOver(const Place& what, const QPointF& at)
{
    const bool fresh = !dragged_ || !(*dragged_ == what);
    dragged_ = what;
    dragPoint_ = toScene(at);
    if (fresh)
        refreshOptions();
    update();
}

bool ChipView::dropAt(const Place& what, const QPointF& at)
{
    dragOver(what, at);
    const QPointF scene = toScene(at);
    const bool aNeed = what.kind == Place::Kind::Need;
    bool done = false;
    if (rect().contains(at.toPoint())) {
        done = takeOptionAt(what, scene);
        // A whole need dropped on the chip takes its best option.
        if (!done && aNeed && layout_.body.contains(scene)) {
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
    refreshOptions();
    update();
}

void ChipView::resizeEvent(QResizeEvent*) { setTransform(); }

void ChipView::mousePressEvent(QMouseEvent* event)
{
    pressed_ = event->position();
    panning_ = false;
    pressPlace_.reset();
    if (!document_.isOpen() || event->button() != Qt::LeftButton)
        return;
    const QPointF scene = toScene(event->position());
    if (view_.optionsShown() && optionAt(scene)) {
        takeOptionAt(view_.selected(), scene);
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
    const bool movable = pressPlace_ && (pressPlace_->kind == Place::Kind::Signal || (pressPlace_->kind == Place::Kind::Pad && !pressPlace_->sub.empty()));
    if (movable && (dragged_ || moved.manhattanLength() > QApplication::startDragDistance()))
        dragOver({Place::Kind::Signal, pressPlace_->kind == Place::Kind::Pad ? pressPlace_->sub : pressPlace_->id, signalFor(*pressPlace_)}, event->position());
}

void ChipView::mouseReleaseEvent(QMouseEvent* event)
{
    if (dragged_)
        dropAt(*dragged_, event->position());
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
        dragged_.reset();
        view_.showOptions(false);
        endDrag();
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
    const int pin = layout_.pinAt(scene, kPinReach);
    if (pin < 0)
        return {};
    const PackagePin& facts = s.device->package.pins[size_t(pin)];
    QString text = QString("Pin %1, %2").arg(QString::fromStdString(facts.number), QString::fromStdString(facts.name));
    if (const Option* option = optionAt(scene))
        return text + "\n" + QString::fromStdString(option->reason);
    if (facts.pad < 0)
        return text;
    for (const Claim& claim : s.bindings.padClaims[size_t(facts.pad)])
        text += "\n" + QString::fromStdString(s.plan.needs[size_t(claim.need)].title + ": " + s.bindings.needs[size_t(claim.need)].seats[size_t(claim.seat)].signal.title);
    if (const auto net = s.board->nets.find(facts.name); net != s.board->nets.end())
        text += "\nnet " + QString::fromStdString(net->second);
    return text;
}

bool ChipView::emphasised(int need) const
{
    const std::string selected = view_.selectedNeed();
    const Need& shownNeed = shown().plan.needs[size_t(need)];
    if (view_.preview()) {
        // What would move stands out.
        const Need* now = document_.snapshot().plan.need(shownNeed.id);
        return !now || now->binding != shownNeed.binding;
    }
    return selected.empty() || shownNeed.id == selected;
}

} // namespace bindrel
