// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rehearsal/timeline_view.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "core/base/say.h"
#include "core/quantity/format.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

#include <cmath>

namespace bindrel {

namespace {

constexpr double kLeft = 56, kLeastLabels = 168, kTop = 8, kAxis = 20, kOperations = 26, kLane = 17;
constexpr int kMostClocks = 12;
/// The axis of time begins here: what is shorter lies at its left end.
constexpr double kFirstMoment = 1e-7;

QString rateText(double hertz)
{
    return typeset(format(Frequency(Rational(std::llround(hertz)))));
}

} // namespace

TimelineView::TimelineView(QWidget* parent) : QAbstractScrollArea(parent)
{
    setFrameShape(QFrame::NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setAccessibleName(say("Time line"));
    viewport()->setMouseTracking(true);
}

void TimelineView::setRun(const Snapshot* snapshot, const Rehearsal* run)
{
    snapshot_ = snapshot;
    run_ = run;
    cursor_ = run_ && !run_->operations.empty() ? 0 : -1;
    clocks_.clear();
    lanes_.clear();
    steps_.clear();
    if (run_)
        choose();
    layOut();
    viewport()->update();
}

void TimelineView::choose()
{
    const Device& device = *snapshot_->device;
    // Cores first, then what else is in use and changes; kernels of peripherals only follow.
    const auto wanted = [&](ClockIndex clock) {
        return std::find(clocks_.begin(), clocks_.end(), clock) == clocks_.end() && int(clocks_.size()) < kMostClocks;
    };
    std::vector<char> seen(device.clocks.size(), 0);
    for (const ObservedChange& sighting : run_->sightings)
        if (sighting.what == ObservedChange::What::Clock)
            seen[size_t(sighting.index)] = 1;
    for (const Core& core : device.cores)
        if (wanted(core.clock))
            clocks_.push_back(core.clock);
    for (const char* tier : {"system", "multiplier", "source"})
        for (const ClockIndex i : device.clocks.indices()) {
            const ClockNode& node = device.clocks[i];
            // A select only passes on what its input says.
            if (node.tier == tier && seen[i] && snapshot_->rates.clocks[i].used &&
                node.type != ClockNode::Type::Select && wanted(int(i)))
                clocks_.push_back(int(i));
        }
    lowest_ = 1e12;
    highest_ = 1;
    for (const ObservedChange& sighting : run_->sightings)
        if (sighting.what == ObservedChange::What::Clock && !sighting.rate.isZero() &&
            std::find(clocks_.begin(), clocks_.end(), sighting.index) != clocks_.end()) {
            lowest_ = std::min(lowest_, sighting.rate.toDouble());
            highest_ = std::max(highest_, sighting.rate.toDouble());
        }
    lowest_ = std::pow(10, std::floor(std::log10(std::min(lowest_, highest_)) * 2) / 2);
    highest_ = std::pow(10, std::ceil(std::log10(highest_ * 1.05) * 4) / 4);
    labels_ = 0;
    for (const PadSetup& setup : snapshot_->pads) {
        const Seat& seat = snapshot_->bindings.needs[setup.need].seats[size_t(setup.seat)];
        if (setup.wired || snapshot_->device->pads[setup.pad].port < 0 ||
            (!setup.output && seat.signal.direction != SignalSpec::Direction::Out))
            continue;
        const Need& need = snapshot_->plan.needs[setup.need];
        lanes_.push_back(
            {setup.pad,
             QString::fromStdString(device.pads[setup.pad].name + "  " + need.title + " " + say(seat.signal.title)),
             hueOf(*snapshot_, need)});
        labels_ = std::max(labels_, QFontMetricsF(Theme::get().text(11)).horizontalAdvance(lanes_.back().name));
    }
    double sum = 0;
    for (const Operation& operation : run_->operations) {
        steps_.push_back(sum);
        sum += operation.waits ? 4 : 1;
    }
    steps_.push_back(std::max(sum, 1.0));
}

double TimelineView::labelWidth() const
{
    return std::clamp(labels_ + 22, kLeastLabels, std::max(kLeastLabels, viewport()->width() * 0.34));
}

QRectF TimelineView::plot() const
{
    const double height = std::clamp(viewport()->height() * 0.5, 120.0, 320.0);
    return QRectF(kLeft, kTop, std::max(60.0, viewport()->width() - kLeft - labelWidth()), height);
}

double TimelineView::lanesTop() const
{
    return plot().bottom() + kAxis + kOperations + 4;
}

void TimelineView::layOut()
{
    const double needed = kLane * double(lanes_.size() + 1) + 4;
    const double room = viewport()->height() - lanesTop();
    verticalScrollBar()->setPageStep(std::max(1, int(room)));
    verticalScrollBar()->setRange(0, std::max(0, int(needed - room)));
}

void TimelineView::resizeEvent(QResizeEvent*)
{
    layOut();
}

double TimelineView::xOf(Moment at, int operation) const
{
    const QRectF area = plot();
    if (timeAxis_) {
        const double end = std::max(double(run_->end) / double(kSecond), kFirstMoment * 10);
        const double seconds = double(at) / double(kSecond);
        if (seconds <= kFirstMoment)
            return area.left();
        return area.left() +
               area.width() * std::min(1.0, std::log10(seconds / kFirstMoment) / std::log10(end / kFirstMoment));
    }
    if (operation < 0 || operation >= int(run_->operations.size()))
        return at <= 0 ? area.left() : area.right();
    const Operation& o = run_->operations[size_t(operation)];
    const double part = o.to > o.from ? std::clamp(double(at - o.from) / double(o.to - o.from), 0.0, 1.0) : 0.5;
    return area.left() +
           area.width() *
               (steps_[size_t(operation)] + part * (steps_[size_t(operation) + 1] - steps_[size_t(operation)])) /
               steps_.back();
}

double TimelineView::xOfOperation(int operation) const
{
    const Operation& o = run_->operations[size_t(operation)];
    return (xOf(o.from, operation) + xOf(o.to, operation)) / 2;
}

double TimelineView::yOf(double hertz) const
{
    const QRectF area = plot();
    return area.bottom() -
           area.height() * std::clamp(std::log10(hertz / lowest_) / std::log10(highest_ / lowest_), 0.0, 1.0);
}

int TimelineView::operationAt(double x) const
{
    int best = -1;
    double distance = 1e9;
    for (int i = 0; run_ && i < int(run_->operations.size()); ++i) {
        const Operation& o = run_->operations[size_t(i)];
        const double from = xOf(o.from, i), to = xOf(o.to, i);
        const double off = x < from ? from - x : x > to ? x - to : 0;
        if (off < distance) {
            distance = off;
            best = i;
        }
    }
    return best;
}

void TimelineView::setCursor(int operation)
{
    cursor_ = operation;
    viewport()->update();
}

void TimelineView::setTimeAxis(bool time)
{
    if (time == timeAxis_)
        return;
    timeAxis_ = time;
    viewport()->update();
    Q_EMIT axisChanged();
}

void TimelineView::paintEvent(QPaintEvent*)
{
    const Theme& t = Theme::get();
    QPainter p(viewport());
    p.fillRect(viewport()->rect(), t.paper);
    if (!run_ || run_->operations.empty()) {
        p.setFont(t.text(12));
        p.setPen(t.muted);
        drawLine(p, viewport()->rect(), Qt::AlignCenter,
                 run_ ? say("Nothing to rehearse yet: bind a need.") : say("Rehearsing\u2026"));
        return;
    }
    p.setRenderHint(QPainter::Antialiasing, true);
    p.fillRect(plot(), t.raised);
    p.setPen(t.rule);
    p.drawRect(plot());
    if (cursor_ >= 0) {
        const Operation& o = run_->operations[size_t(cursor_)];
        const double from = xOf(o.from, cursor_), to = std::max(from + 2, xOf(o.to, cursor_));
        p.fillRect(QRectF(from, kTop, to - from, viewport()->height() - kTop), t.sunken);
    }
    paintClocks(p);
    paintOperations(p);
    paintLanes(p);
    if (cursor_ >= 0) {
        p.setPen(QPen(t.accent, 1));
        const double x = xOf(run_->operations[size_t(cursor_)].from, cursor_);
        p.drawLine(QPointF(x, kTop), QPointF(x, viewport()->height()));
    }
}

void TimelineView::paintClocks(QPainter& p)
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    p.setFont(t.mono(10));
    for (double decade = std::pow(10, std::ceil(std::log10(lowest_))); decade <= highest_; decade *= 10) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(area.left(), yOf(decade)), QPointF(area.right(), yOf(decade)));
        p.setPen(t.muted);
        drawLine(p, QRectF(0, yOf(decade) - 7, kLeft - 6, 14), Qt::AlignVCenter | Qt::AlignRight, rateText(decade));
    }
    struct Label {
        double y;
        QString text;
        QColor colour;
    };
    std::vector<Label> labels;
    for (size_t k = clocks_.size(); k-- > 0;) {
        const ClockIndex clock = clocks_[k];
        const bool core = k < snapshot_->device->cores.size();
        const bool source = snapshot_->device->clocks[clock].isSource();
        const QColor colour = core ? t.ink : source ? t.muted : t.hue(int(k));
        p.setPen(QPen(colour, core ? 2.4 : 1.4, source ? Qt::DashLine : Qt::SolidLine));
        double x = area.left(), rate = 0;
        for (const ObservedChange& sighting : run_->sightings) {
            if (sighting.what != ObservedChange::What::Clock || sighting.index != clock)
                continue;
            const double at = xOf(sighting.at, sighting.operation), next = sighting.rate.toDouble();
            if (rate > 0)
                p.drawLine(QPointF(x, yOf(rate)), QPointF(at, yOf(rate)));
            if (rate > 0 && next > 0)
                p.drawLine(QPointF(at, yOf(rate)), QPointF(at, yOf(next)));
            else if (next > 0 && at > area.left() + 1)
                p.drawEllipse(QPointF(at, yOf(next)), 2, 2);
            x = at;
            rate = next;
        }
        if (rate > 0)
            p.drawLine(QPointF(x, yOf(rate)), QPointF(area.right(), yOf(rate)));
        labels.push_back({rate > 0 ? yOf(rate) : area.bottom(),
                          QString::fromStdString(snapshot_->device->clocks[clock].name) + "  " +
                              (rate > 0 ? rateText(rate) : QString("still")),
                          colour});
    }
    // Labels at the right end, pushed apart where rates are alike: down from the top, then up from the bottom.
    std::stable_sort(labels.begin(), labels.end(), [](const Label& a, const Label& b) { return a.y < b.y; });
    const double top = area.top() - 4, bottom = area.bottom() + 16;
    const double height = std::min(14.0, (bottom - top) / double(std::max<size_t>(1, labels.size())));
    std::vector<double> places;
    for (const Label& label : labels)
        places.push_back(std::max(places.empty() ? top : places.back() + height, label.y - height / 2));
    for (size_t i = places.size(); i-- > 0;)
        places[i] = std::min(places[i], (i + 1 < places.size() ? places[i + 1] : bottom) - height);
    p.setFont(t.text(11));
    for (size_t i = 0; i < labels.size(); ++i) {
        p.setPen(QPen(labels[i].colour, 1));
        p.drawLine(QPointF(area.right(), labels[i].y), QPointF(area.right() + 10, places[i] + height / 2));
        p.setPen(labels[i].colour);
        const QRectF box(area.right() + 13, places[i], labelWidth() - 16, height);
        drawLine(p, box, Qt::AlignVCenter | Qt::AlignLeft, labels[i].text, Qt::ElideRight);
    }
}

void TimelineView::paintOperations(QPainter& p)
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    p.setFont(t.mono(10));
    p.setPen(t.muted);
    const double axis = area.bottom() + 3;
    if (timeAxis_) {
        for (double at = 1e-6; at <= double(run_->end) / double(kSecond); at *= 10) {
            const double x = xOf(Moment(at * double(kSecond)), -1);
            p.drawLine(QPointF(x, area.bottom()), QPointF(x, area.bottom() + 3));
            drawLine(p, QRectF(x - 40, axis, 80, 14), Qt::AlignHCenter | Qt::AlignTop,
                     QString::fromStdString(momentText(Moment(at * double(kSecond)))));
        }
    } else {
        // Moments below the operations, as many as fit.
        double free = area.left() - 30;
        QString last;
        for (size_t i = 0; i < run_->operations.size(); ++i) {
            const double x = xOf(run_->operations[i].from, int(i));
            const QString text = QString::fromStdString(momentText(run_->operations[i].from));
            const double width = QFontMetricsF(p.font()).horizontalAdvance(text) + 10;
            if (text == last || x - width / 2 < free || x + width / 2 > area.right() + 12 ||
                (i % 5 != 0 && !run_->operations[i].waits && !(i > 0 && run_->operations[i - 1].waits)))
                continue;
            p.drawLine(QPointF(x, area.bottom()), QPointF(x, area.bottom() + 3));
            drawLine(p, QRectF(x - width / 2, axis, width, 14), Qt::AlignHCenter | Qt::AlignTop, text);
            free = x + width / 2;
            last = text;
        }
    }
    const double top = area.bottom() + kAxis;
    p.setFont(t.text(11));
    drawLine(p, QRectF(area.right() + 13, top, labelWidth() - 16, kOperations - 6), Qt::AlignVCenter | Qt::AlignLeft,
             say("operations"));
    std::vector<size_t> waits;
    for (size_t i = 0; i < run_->operations.size(); ++i) {
        const Operation& o = run_->operations[i];
        const double from = xOf(o.from, int(i)), to = xOf(o.to, int(i));
        if (o.waits) {
            p.fillRect(QRectF(from, top + 2, std::max(2.0, to - from), kOperations - 6), t.band);
            waits.push_back(i);
        } else {
            p.setPen(QPen(t.faint, 1));
            p.drawLine(QPointF((from + to) / 2, top + 6), QPointF((from + to) / 2, top + kOperations - 8));
        }
    }
    // The longest waits are named first; a name that meets another is left out, its tooltip says it.
    std::stable_sort(waits.begin(), waits.end(), [this](size_t a, size_t b) {
        return run_->operations[a].to - run_->operations[a].from > run_->operations[b].to - run_->operations[b].from;
    });
    std::vector<QRectF> named;
    for (const size_t i : waits) {
        const Operation& o = run_->operations[i];
        if (o.to - o.from < 20 * kMicrosecond)
            continue;
        const QString label =
            QString::fromStdString(o.place.kind == Place::Kind::Clock
                                       ? snapshot_->device->clocks[snapshot_->device->findClock(o.place.id)].name
                                       : o.text) +
            " " + QString::fromStdString(momentText(o.to - o.from));
        const double width = QFontMetricsF(p.font()).horizontalAdvance(label) + 8;
        const double middle = (xOf(o.from, int(i)) + xOf(o.to, int(i))) / 2;
        const QRectF box(std::clamp(middle - width / 2, area.left(), area.right() - width), top + 3, width,
                         kOperations - 8);
        if (std::any_of(named.begin(), named.end(),
                        [&box](const QRectF& other) { return other.adjusted(-4, 0, 4, 0).intersects(box); }))
            continue;
        named.push_back(box);
        p.fillRect(box, t.band);
        p.setPen(t.accent);
        drawLine(p, box, Qt::AlignCenter, label);
    }
    for (const Hazard& hazard : run_->hazards) {
        const double x = xOf(hazard.at, hazard.operation);
        p.setPen(QPen(t.error, 1));
        p.drawLine(QPointF(x, area.top()), QPointF(x, top + kOperations));
        drawSeverityMark(p, QRectF(x - 5, area.top() + 2, 10, 10), Finding::Severity::Error);
    }
}

void TimelineView::paintLanes(QPainter& p)
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    p.save();
    p.setClipRect(QRectF(0, lanesTop(), viewport()->width(), viewport()->height() - lanesTop()));
    double y = lanesTop() - verticalScrollBar()->value();
    const auto label = [&](const QString& text, const QColor& colour) {
        p.setFont(t.text(11));
        p.setPen(colour);
        const QRectF box(area.right() + 13, y, labelWidth() - 16, kLane);
        drawLine(p, box, Qt::AlignVCenter | Qt::AlignLeft, text, Qt::ElideRight);
    };
    // Wait states of the flash, as numbers along the lane.
    label(say("flash wait states"), t.ink);
    double x = area.left();
    int states = -1;
    const auto number = [&](double to) {
        if (states < 0)
            return;
        p.setPen(QPen(t.ink, 1));
        p.drawLine(QPointF(x, y + kLane - 4), QPointF(to, y + kLane - 4));
        p.setFont(t.mono(10));
        if (to - x > 12)
            drawLine(p, QRectF(x + 3, y, to - x, kLane - 4), Qt::AlignVCenter | Qt::AlignLeft, QString::number(states));
    };
    for (const ObservedChange& sighting : run_->sightings)
        if (sighting.what == ObservedChange::What::WaitStates) {
            const double at = xOf(sighting.at, sighting.operation);
            number(at);
            x = at;
            states = int(sighting.states);
            p.drawLine(QPointF(x, y + 3), QPointF(x, y + kLane - 3));
        }
    number(area.right());
    y += kLane;
    for (const Lane& lane : lanes_) {
        label(lane.name, t.ink);
        double from = area.left();
        PadLook look;
        const auto draw = [&](double to) {
            const double high = y + 4, low = y + kLane - 4, middle = y + kLane / 2;
            if (look.led) {
                p.setPen(QPen(lane.hue, 1));
                p.drawLine(QPointF(from, high), QPointF(to, high));
                p.drawLine(QPointF(from, low), QPointF(to, low));
                for (double at = from; at + (low - high) <= to; at += 7)
                    p.drawLine(QPointF(at, low), QPointF(at + low - high, high));
            } else if (!look.port || !look.output) {
                p.setPen(QPen(t.faint, 1, Qt::DotLine));
                p.drawLine(QPointF(from, middle), QPointF(to, middle));
            } else {
                p.setPen(QPen(lane.hue, 2.2, look.high && look.openDrain ? Qt::DashLine : Qt::SolidLine));
                const double at = look.high ? high : low;
                p.drawLine(QPointF(from, at), QPointF(to, at));
            }
        };
        for (const ObservedChange& sighting : run_->sightings)
            if (sighting.what == ObservedChange::What::Pad && sighting.index == lane.pad) {
                const double at = xOf(sighting.at, sighting.operation);
                draw(at);
                from = at;
                look = sighting.look;
            }
        draw(area.right());
        y += kLane;
    }
    p.restore();
}

void TimelineView::mousePressEvent(QMouseEvent* event)
{
    if (const int operation = operationAt(event->position().x()); operation >= 0) {
        setCursor(operation);
        Q_EMIT picked(operation);
    }
}

void TimelineView::mouseMoveEvent(QMouseEvent* event)
{
    if (event->buttons() & Qt::LeftButton)
        mousePressEvent(event);
}

void TimelineView::keyPressEvent(QKeyEvent* event)
{
    if (!run_ || run_->operations.empty())
        return QAbstractScrollArea::keyPressEvent(event);
    const int last = int(run_->operations.size()) - 1;
    int next = 0;
    switch (event->key()) {
    case Qt::Key_Left:
        next = std::max(0, cursor_ - 1);
        break;
    case Qt::Key_Right:
        next = std::min(last, cursor_ + 1);
        break;
    case Qt::Key_Home:
        next = 0;
        break;
    case Qt::Key_End:
        next = last;
        break;
    case Qt::Key_T:
        setTimeAxis(!timeAxis_);
        return;
    default:
        return QAbstractScrollArea::keyPressEvent(event);
    }
    setCursor(next);
    Q_EMIT picked(next);
}

bool TimelineView::viewportEvent(QEvent* event)
{
    if (event->type() == QEvent::ToolTip && run_) {
        const auto* help = static_cast<QHelpEvent*>(event);
        if (const int i = operationAt(help->pos().x()); i >= 0) {
            const Operation& o = run_->operations[size_t(i)];
            QToolTip::showText(
                help->globalPos(),
                QString::fromStdString(momentText(o.from) + ": " + o.text + (o.why.empty() ? "" : "\n" + o.why)), this);
        }
        return true;
    }
    return QAbstractScrollArea::viewportEvent(event);
}

} // namespace bindrel
