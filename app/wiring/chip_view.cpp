// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/chip_view.h"

#include "app/theme/theme.h"
#include "app/widgets/marks.h"

#include <QApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {
constexpr double kPinReach = 9;
constexpr double kWireReach = 4;

QColor faded(QColor colour, double alpha)
{
    colour.setAlphaF(alpha);
    return colour;
}
} // namespace

ChipView::ChipView(Document& document, ViewState& view, QWidget* parent) : QWidget(parent), document_(document), view_(view)
{
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName("Wiring picture");
    connect(&document_, &Document::changed, this, &ChipView::relayout);
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
    layout_ = layOut(document_.snapshot());
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
    const auto& needs = document_.snapshot().plan.needs;
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
    const auto& seats = document_.snapshot().bindings.needs[size_t(need)].seats;
    for (const Seat& seat : seats)
        if (seat.pad < 0)
            return seat.signal.id;
    if (place.kind == Place::Kind::Pad)
        for (const Seat& seat : seats)
            if (seat.pad >= 0 && document_.snapshot().device->pads[size_t(seat.pad)].name == place.id)
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
    const Snapshot& s = document_.snapshot();
    const int need = needIndex(place.kind == Place::Kind::Pad ? place.sub : place.id);
    if (need < 0)
        return;
    options_ = optionsFor(*s.device, *s.board, s.plan, s.bindings, need, signalFor(place));
}

QPointF ChipView::pinPosition(const std::string& pad) const
{
    const auto& pins = document_.snapshot().device->package.pins;
    for (size_t i = 0; i < pins.size(); ++i)
        if (pins[i].name == pad)
            return transform_.map(layout_.pins[i].box.center());
    return {};
}

std::optional<Place> ChipView::placeAt(const QPointF& scene) const
{
    const Snapshot& s = document_.snapshot();
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
    const int pad = document_.snapshot().device->package.pins[size_t(pin)].pad;
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
    const Snapshot& s = document_.snapshot();
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
            const Snapshot& s = document_.snapshot();
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
    const Snapshot& s = document_.snapshot();
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
    return selected.empty() || document_.snapshot().plan.needs[size_t(need)].id == selected;
}

// ---- painting

void ChipView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.fillRect(rect(), Theme::get().paper);
    if (!document_.isOpen())
        return;
    p.setRenderHint(QPainter::Antialiasing, true);
    p.setTransform(transform_);
    drawWires(p);
    drawCards(p);
    drawChip(p);
    drawGhosts(p);
    drawPins(p);
    drawContests(p);
}

void ChipView::drawCards(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    for (const auto& card : layout_.cards) {
        const Part& part = s.board->parts[size_t(card.part)];
        const QColor hue = t.hue(card.part);
        p.fillRect(card.box, t.raised);
        p.setPen(QPen(t.rule, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(card.box);
        p.fillRect(QRectF(card.left ? card.box.right() - 3 : card.box.left(), card.box.top(), 3, card.box.height()), hue);
        p.setFont(t.text(11, true));
        p.setPen(t.ink);
        const QRectF title(card.box.left() + 9, card.box.top() + 2, card.box.width() - 18, 18);
        p.drawText(title, Qt::AlignVCenter | (card.left ? Qt::AlignLeft : Qt::AlignLeft),
                   QFontMetricsF(p.font()).elidedText(QString::fromStdString(part.title), Qt::ElideRight, title.width()));
        for (const auto& terminal : card.terminals) {
            const QRectF row(card.box.left() + 9, terminal.tip.y() - 7, card.box.width() - 18, 14);
            const bool on = terminal.need >= 0;
            if (on) {
                const Place& sel = view_.selected();
                const Need& need = s.plan.needs[size_t(terminal.need)];
                const std::string& signal = s.bindings.needs[size_t(terminal.need)].seats[size_t(terminal.seat)].signal.id;
                if (sel.kind == Place::Kind::Signal && sel.id == need.id && sel.sub == signal)
                    p.fillRect(row.adjusted(-6, 0, 3, 0), t.sunken);
                const Seat& seat = s.bindings.needs[size_t(terminal.need)].seats[size_t(terminal.seat)];
                if (seat.pad < 0) {
                    const QRectF box(card.left ? row.right() - 1 : row.left() - 6, row.center().y() - 3.5, 7, 7);
                    drawStateMark(p, box, BoundNeed::State::Open, hue);
                }
            }
            p.setFont(t.mono(10));
            p.setPen(on ? t.ink : t.faint);
            const double inset = 11;
            p.drawText(card.left ? row.adjusted(0, 0, -inset, 0) : row.adjusted(inset, 0, 0, 0), Qt::AlignVCenter | (card.left ? Qt::AlignRight : Qt::AlignLeft),
                       QString::fromStdString(terminal.name));
        }
    }
}

void ChipView::drawWires(QPainter& p) const
{
    const Snapshot& s = document_.snapshot();
    for (const bool above : {false, true})
        for (const auto& wire : layout_.wires) {
            if (emphasised(wire.need) != above)
                continue;
            const Need& need = s.plan.needs[size_t(wire.need)];
            const bool contested = s.bindings.padClaims[size_t(s.device->package.pins[size_t(wire.pin)].pad)].size() > 1;
            const bool picked = !view_.selectedNeed().empty() && above;
            QPen pen(faded(hueOf(s, need), above ? 1 : 0.32), picked ? 1.9 : 1.3);
            pen.setJoinStyle(Qt::MiterJoin);
            if (contested)
                pen.setDashPattern({4, 2.5});
            p.setPen(pen);
            p.setBrush(Qt::NoBrush);
            p.drawPolyline(wire.path);
        }
}

void ChipView::drawChip(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    p.setPen(QPen(t.ink, 1.2));
    p.setBrush(t.raised);
    p.drawRect(layout_.body);
    // The mark at pin 1, as the data sheet prints it.
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(layout_.body.topLeft() + QPointF(17, 17), 5.5, 5.5);
    p.setPen(t.ink);
    p.setFont(t.text(16, true));
    const QRectF middle = layout_.body.adjusted(60, 0, -60, 0);
    p.drawText(middle.translated(0, -12), Qt::AlignCenter, QString::fromStdString(s.device->name));
    p.setPen(t.muted);
    p.setFont(t.text(11));
    const int used = int(std::count_if(s.bindings.padClaims.begin(), s.bindings.padClaims.end(), [](const auto& c) { return !c.empty(); }));
    p.drawText(middle.translated(0, 10), Qt::AlignCenter, QString("%1, top view").arg(QString::fromStdString(s.device->package.name)));
    p.drawText(middle.translated(0, 26), Qt::AlignCenter, QString("%1 of %2 pads in use").arg(used).arg(s.device->pads.size()));
}

void ChipView::drawPins(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    const double scale = transform_.m11();
    const bool showNames = scale > 0.72;
    const bool showNumbers = scale > 0.8;
    for (size_t i = 0; i < layout_.pins.size(); ++i) {
        const ChipLayout::Pin& pin = layout_.pins[i];
        const PackagePin& facts = s.device->package.pins[i];
        const auto* claims = facts.pad >= 0 ? &s.bindings.padClaims[size_t(facts.pad)] : nullptr;
        const bool used = claims && !claims->empty();
        if (facts.pad < 0) {
            p.fillRect(pin.box, t.ink);
        } else if (!used) {
            p.setPen(QPen(t.faint, 1));
            p.setBrush(t.paper);
            p.drawRect(pin.box.adjusted(0.5, 0.5, -0.5, -0.5));
        } else {
            const QColor hue = hueOf(s, s.plan.needs[size_t(claims->front().need)]);
            const bool contested = claims->size() > 1;
            drawStateMark(p, pin.box, contested ? BoundNeed::State::Contested : BoundNeed::State::Bound, hue,
                          contested ? hueOf(s, s.plan.needs[size_t(claims->back().need)]) : QColor());
            const Claim& claim = claims->front();
            const Need& need = s.plan.needs[size_t(claim.need)];
            if (s.plan.held(holdOfNeed(need.id)) || s.plan.held(holdOfSignal(need.id, s.bindings.needs[size_t(claim.need)].seats[size_t(claim.seat)].signal.id)))
                drawHoldBar(p, pin.box);
        }
        const bool selected = view_.selected().kind == Place::Kind::Pad && view_.selected().id == facts.name;
        if (selected) {
            p.setPen(QPen(t.accent, 1.6));
            p.setBrush(Qt::NoBrush);
            p.drawRect(pin.box.adjusted(-3, -3, 3, 3));
        }
        if (!showNames)
            continue;
        p.save();
        const QPointF c = pin.box.center();
        QRectF row(0, -7, 46, 14);
        Qt::Alignment align = Qt::AlignVCenter | Qt::AlignLeft;
        if (pin.side == ChipLayout::Side::Left) {
            p.translate(layout_.body.left() + 4, c.y());
        } else if (pin.side == ChipLayout::Side::Right) {
            p.translate(layout_.body.right() - 4, c.y());
            row.moveRight(0);
            align = Qt::AlignVCenter | Qt::AlignRight;
        } else if (pin.side == ChipLayout::Side::Bottom) {
            p.translate(c.x(), layout_.body.bottom() - 4);
            p.rotate(-90);
        } else {
            p.translate(c.x(), layout_.body.top() + 4);
            p.rotate(-90);
            row.moveRight(0);
            align = Qt::AlignVCenter | Qt::AlignRight;
        }
        const QString name = QString::fromStdString(facts.name);
        p.setFont(t.mono(9, used));
        p.setPen(used || facts.pad < 0 ? t.ink : t.muted);
        p.drawText(row, align, name);
        if (showNumbers) {
            const double width = QFontMetricsF(p.font()).horizontalAdvance(name) + 4;
            p.setFont(t.mono(8));
            p.setPen(t.muted);
            p.drawText(align & Qt::AlignLeft ? row.adjusted(width, 0, 20, 0) : row.adjusted(-20, 0, -width, 0), align, QString::fromStdString(facts.number));
        }
        p.restore();
    }
}

void ChipView::drawGhosts(QPainter& p) const
{
    if (options_.empty())
        return;
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    const Place place = dragged_ ? *dragged_ : view_.selected();
    const int need = needIndex(place.kind == Place::Kind::Pad ? place.sub : place.id);
    if (need < 0)
        return;
    const std::string signal = signalFor(place);
    int seat = -1;
    for (size_t i = 0; i < s.bindings.needs[size_t(need)].seats.size(); ++i)
        if (s.bindings.needs[size_t(need)].seats[i].signal.id == signal)
            seat = int(i);
    const ChipLayout::Terminal* terminal = layout_.terminalOf(need, seat);
    const QPointF from = dragged_ ? dragPoint_ : terminal ? terminal->tip : layout_.body.center();
    const QColor hue = hueOf(s, s.plan.needs[size_t(need)]);
    std::set<int> drawn;
    // With many options (a port's bit can go anywhere) lines would cover the picture; then only the pads are marked.
    const bool lines = options_.size() <= 16 && !dragged_;
    for (const Option& option : options_) {
        if (!drawn.insert(option.pad).second)
            continue;
        int pin = -1;
        for (size_t i = 0; i < s.device->package.pins.size(); ++i)
            if (s.device->package.pins[i].pad == option.pad)
                pin = int(i);
        if (pin < 0)
            continue;
        const bool no = option.cost == Option::Cost::Impossible;
        const bool dear = option.cost == Option::Cost::Contends || option.cost == Option::Cost::Moves;
        const QColor colour = no ? t.faint : dear ? t.caution : hue;
        if (lines && !no) {
            QPen pen(faded(colour, 0.75), 1);
            pen.setDashPattern({2, 3});
            p.setPen(pen);
            p.setBrush(Qt::NoBrush);
            p.drawPolyline(layout_.ghost(from, pin));
        }
        const QRectF ring = layout_.pins[size_t(pin)].box.adjusted(-3.5, -3.5, 3.5, 3.5);
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(colour, no ? 1 : 1.6, no ? Qt::DotLine : Qt::SolidLine));
        // Shape says the cost: a ring is free, a diamond costs something, a cross is impossible.
        if (no) {
            p.drawLine(ring.topLeft(), ring.bottomRight());
            p.drawLine(ring.topRight(), ring.bottomLeft());
        } else if (dear) {
            p.drawPolygon(QPolygonF{QPointF(ring.center().x(), ring.top() - 2), QPointF(ring.right() + 2, ring.center().y()),
                                    QPointF(ring.center().x(), ring.bottom() + 2), QPointF(ring.left() - 2, ring.center().y())});
        } else {
            p.drawEllipse(ring);
        }
    }
    if (!dragged_)
        return;
    if (terminal) {
        p.setPen(QPen(hue, 1.6));
        p.drawLine(terminal->tip, dragPoint_);
    }
    const Option* under = optionAt(dragPoint_);
    const int pin = layout_.pinAt(dragPoint_, kPinReach);
    const Need& dragged = s.plan.needs[size_t(need)];
    QString text = QString::fromStdString(dragged.title);
    if (seat >= 0 && (dragged_->kind == Place::Kind::Signal || pin >= 0) && s.bindings.needs[size_t(need)].seats.size() > 1)
        text += " " + QString::fromStdString(s.bindings.needs[size_t(need)].seats[size_t(seat)].signal.title);
    if (pin >= 0)
        text += QString(" \u2192 %1: %2").arg(QString::fromStdString(s.device->package.pins[size_t(pin)].name),
                                              under ? QString::fromStdString(under->reason) : QString("cannot carry it"));
    else if (dragged_->kind == Place::Kind::Need && layout_.body.contains(dragPoint_))
        text += ": best free pads";
    p.setFont(t.text(11, true));
    QRectF box = QFontMetricsF(p.font()).boundingRect(text).adjusted(-7, -4, 7, 4);
    box.moveTopLeft(dragPoint_ + QPointF(12, 10));
    p.fillRect(box, t.raised);
    p.setPen(QPen(hue, 1));
    p.drawRect(box);
    p.setPen(t.ink);
    p.drawText(box, Qt::AlignCenter, text);
}

void ChipView::drawContests(QPainter& p) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = document_.snapshot();
    int shown = 0;
    for (const Contest& contest : s.bindings.contests) {
        if (contest.resource.kind != Resource::Kind::Pad || ++shown > 4)
            continue;
        for (size_t i = 0; i < layout_.pins.size(); ++i) {
            if (s.device->package.pins[i].pad != contest.resource.index)
                continue;
            QString who;
            for (const Claim& claim : contest.claims)
                who += (who.isEmpty() ? "" : ", ") + QString::fromStdString(s.plan.needs[size_t(claim.need)].title);
            const QString text = QString("%1: %2").arg(QString::fromStdString(s.device->package.pins[i].name), who);
            p.setFont(t.text(10, true));
            QRectF box = QFontMetricsF(p.font()).boundingRect(text).adjusted(-6, -3, 6, 3);
            // Inside the body, where no wire runs.
            const ChipLayout::Pin& pin = layout_.pins[i];
            const QPointF c = pin.box.center();
            switch (pin.side) {
            case ChipLayout::Side::Left:
                box.moveTopLeft({layout_.body.left() + 54, c.y() - box.height() / 2});
                break;
            case ChipLayout::Side::Right:
                box.moveTopRight({layout_.body.right() - 54, c.y() - box.height() / 2});
                break;
            case ChipLayout::Side::Top:
                box.moveCenter({std::clamp(c.x(), layout_.body.left() + 60 + box.width() / 2, layout_.body.right() - 60 - box.width() / 2), layout_.body.top() + 66.0 + 22 * (shown - 1)});
                break;
            case ChipLayout::Side::Bottom:
                box.moveCenter({std::clamp(c.x(), layout_.body.left() + 60 + box.width() / 2, layout_.body.right() - 60 - box.width() / 2), layout_.body.bottom() - 66.0 - 22 * (shown - 1)});
                break;
            }
            p.setPen(QPen(t.error, 1));
            p.setBrush(t.raised);
            p.drawRect(box);
            p.setPen(t.error);
            p.drawText(box, Qt::AlignCenter, text);
        }
    }
}

} // namespace bindrel
