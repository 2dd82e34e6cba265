// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/ladder_view.h"

#include "app/theme/theme.h"
#include "app/widgets/picture_file.h"
#include "core/base/say.h"
#include "core/clocks/modes.h"
#include "core/plan/clock_decision.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace bindrel {

/// The axis stays in view above the rows, so it is a widget of its own in the viewport's margin.
class LadderView::Header : public QWidget {
public:
    explicit Header(LadderView& ladder) : QWidget(&ladder), ladder_(ladder)
    {
        setAttribute(Qt::WA_TransparentForMouseEvents);
    }

protected:
    void paintEvent(QPaintEvent*) override
    {
        if (!ladder_.document_.isOpen())
            return;
        QPainter p(this);
        ladder_.drawAxis(p, ladder_.axis());
    }

private:
    LadderView& ladder_;
};

void LadderView::rebuild()
{
    drag_ = {};
    relayout();
}

void LadderView::relayout()
{
    rungs_.clear();
    path_.clear();
    if (!document_.isOpen())
        return;
    const Snapshot& s = shown();
    // A selected need stands for the clock that times it.
    ClockIndex selected =
        view_.selected().kind == Place::Kind::Clock ? s.device->findClock(view_.selected().id) : ClockIndex();
    if (selected < 0)
        for (const NeedIndex n : s.plan.needs.indices())
            if (s.plan.needs[n].id == view_.selectedNeed() && s.bindings.needs[n].instance >= 0)
                selected = s.device->instances[s.bindings.needs[n].instance].kernel;
    if (selected >= 0)
        path_ = pathToSource(s.rates, selected);
    mode_ = view_.selected().kind == Place::Kind::Mode ? s.device->findMode(view_.selected().id) : -1;
    alive_ = mode_ < 0 ? std::vector<bool>()
                       : modeState(*s.device, s.plan, s.bindings, s.rates, s.device->modes[size_t(mode_)]).alive;
    rungs_ = rungsOf(*s.device, s.rates, foldedTiers_, path_);
    rowsChanged();
    setCurrentRow(selected < 0 ? -1 : rowOf(s.device->clocks[selected].id));
    update();
}

int LadderView::rowOf(const std::string& clock) const
{
    for (size_t i = 0; i < rungs_.size(); ++i)
        if (rungs_[i].clock >= 0 && document_.snapshot().device->clocks[rungs_[i].clock].id == clock)
            return int(i);
    const ClockIndex wanted = document_.isOpen() ? document_.snapshot().device->findClock(clock) : ClockIndex();
    for (size_t i = 0; i < rungs_.size(); ++i)
        if (std::find(rungs_[i].alike.begin(), rungs_[i].alike.end(), wanted) != rungs_[i].alike.end())
            return int(i);
    return -1;
}

QString LadderView::rowKey(int row) const
{
    const Rung& rung = rungs_[size_t(row)];
    return QString::fromStdString(rung.clock < 0 ? rung.tier + say(" folded")
                                                 : document_.snapshot().device->clocks[rung.clock].id);
}

int LadderView::rowHeight(int row) const
{
    // As tall as the window allows, but never too small to read.
    const int gaps = 3 * 6;
    const int even = rungs_.empty() ? 18 : (viewport()->height() - gaps) / int(rungs_.size());
    return std::clamp(even, 17, 28) + (rungs_[size_t(row)].tierBegins ? 6 : 0);
}

void LadderView::resizeEvent(QResizeEvent* event)
{
    RowList::resizeEvent(event);
    header_->setGeometry(0, 0, viewport()->width(), kAxisHeight);
    rowsChanged();
}

FrequencyAxis LadderView::axis() const
{
    std::vector<double> rates;
    for (const ClockState& c : document_.snapshot().rates.clocks)
        if (const double rate = c.rate.toDouble(); rate > 0)
            rates.push_back(rate);
    FrequencyAxis out(rates, kLeft, viewport()->width() - kRight);
    out.zoom(zoom_, shift_);
    return out;
}

void LadderView::zoomAxis(double factor, double around)
{
    const double width = viewport()->width() - kRight - kLeft;
    const double zoom = std::clamp(zoom_ * factor, 1.0, 40.0);
    const double place = (around - kLeft + shift_) / zoom_;
    shift_ = std::clamp(place * zoom - (around - kLeft), 0.0, width * (zoom - 1));
    zoom_ = zoom;
    viewport()->update();
    header_->update();
}

void LadderView::wheelEvent(QWheelEvent* event)
{
    if (!(event->modifiers() & Qt::ControlModifier)) {
        RowList::wheelEvent(event);
        return;
    }
    zoomAxis(std::pow(1.25, event->angleDelta().y() / 120.0), event->position().x());
    event->accept();
}

double LadderView::xOf(const FrequencyAxis& axis, ClockIndex clock) const
{
    return axis.x(shown().rates.clocks[clock].rate.toDouble());
}

QPointF LadderView::markOf(ClockIndex clock) const
{
    for (size_t i = 0; i < rungs_.size(); ++i)
        if (rungs_[i].clock == clock)
            return {xOf(axis(), clock),
                    rowRect(int(i)).adjusted(0, rungs_[i].tierBegins ? 6 : 0, 0, 0).center().y() + 0.5};
    return {};
}

void LadderView::mousePressEvent(QMouseEvent* event)
{
    RowList::mousePressEvent(event);
    const int row = rowAt(event->position().toPoint());
    if (event->button() != Qt::LeftButton || row < 0 || rungs_[size_t(row)].clock < 0)
        return;
    const ClockIndex clock = rungs_[size_t(row)].clock;
    const ClockNode& node = document_.snapshot().device->clocks[clock];
    constexpr double kGrip = 9;
    if ((event->position() - markOf(clock)).manhattanLength() <= kGrip &&
        !clockChoices(*document_.snapshot().device, clock).empty() &&
        !document_.snapshot().plan.held(holdOfClock(node.id)))
        beginDrag(clock);
}

void LadderView::beginDrag(ClockIndex clock)
{
    drag_ = {clock, {}, {}, std::nullopt};
    // A rate for each of up to some thousand settings, worked out beside the interface; the drag goes on as soon as
    // they are there.
    const auto s = document_.sharedSnapshot();
    rates_.run<std::vector<RateChoice>>(
        say("Rates of the settings"),
        [s, clock](const Background::Stopped& stopped) {
            return rateChoices(*s->device, *s->board, s->plan, s->bindings, clock, stopped);
        },
        [this, clock](std::vector<RateChoice> choices) {
            if (drag_.clock != clock)
                return;
            drag_.choices = std::move(choices);
            if (drag_.waiting)
                dragTo(*std::exchange(drag_.waiting, std::nullopt));
        });
}

/// The setting of the dragged clock, alone, whose rate lies nearest to an x.
void LadderView::dragTo(double x)
{
    const Snapshot& s = document_.snapshot();
    const ClockNode& node = s.device->clocks[drag_.clock];
    if (drag_.choices.empty()) {
        drag_.waiting = x;
        return;
    }
    const FrequencyAxis a = axis();
    const double now = a.x(s.rates.clocks[drag_.clock].rate.toDouble());
    // Rates rise along the axis: the nearest is one of the two about the pointer.
    const auto right =
        std::lower_bound(drag_.choices.begin(), drag_.choices.end(), x,
                         [&a](const RateChoice& choice, double at) { return a.x(choice.rate.toDouble()) < at; });
    std::optional<ClockDecision> best;
    double off = std::abs(now - x);
    for (auto it = right == drag_.choices.begin() ? right : right - 1; it != drag_.choices.end() && it <= right; ++it)
        if (std::abs(a.x(it->rate.toDouble()) - x) < off) {
            off = std::abs(a.x(it->rate.toDouble()) - x);
            best = it->setting;
        }
    if (best == drag_.setting)
        return;
    drag_.setting = best;
    std::shared_ptr<const Snapshot> preview;
    if (best)
        if (const auto next =
                document_.preview(editOf(node.name + say(" to ") + clockDecisionText(*best), SetClock{node.id, best})))
            preview = *next;
    view_.setPreview(preview);
}

void LadderView::mouseMoveEvent(QMouseEvent* event)
{
    if (drag_.clock >= 0 && (event->buttons() & Qt::LeftButton)) {
        dragTo(event->position().x());
        return;
    }
    const int row = document_.isOpen() ? rowAt(event->position().toPoint()) : -1;
    const bool grip = row >= 0 && rungs_[size_t(row)].clock >= 0 &&
                      (event->position() - markOf(rungs_[size_t(row)].clock)).manhattanLength() <= 9 &&
                      !clockChoices(*document_.snapshot().device, rungs_[size_t(row)].clock).empty();
    viewport()->setCursor(grip ? Qt::SizeHorCursor : Qt::ArrowCursor);
}

void LadderView::mouseReleaseEvent(QMouseEvent* event)
{
    RowList::mouseReleaseEvent(event);
    if (drag_.clock < 0)
        return;
    rates_.cancel();
    const Drag drag = std::exchange(drag_, {});
    view_.setPreview(nullptr);
    if (!drag.setting)
        return;
    const ClockNode& node = document_.snapshot().device->clocks[drag.clock];
    document_.apply(
        editOf(node.name + say(" to ") + clockDecisionText(*drag.setting), SetClock{node.id, drag.setting}));
}

Outcome LadderView::exportPicture(const QString& path)
{
    if (!document_.isOpen())
        return problemOf(say("no plan is open."));
    // All rungs, also those that the window would have to be scrolled to.
    int height = 0;
    for (int row = 0; row < rowCount(); ++row)
        height += rowHeight(row);
    const int scrolled = verticalScrollBar()->value();
    const QSizeF size(viewport()->width(), height + kAxisHeight);
    return writePicture(path, QString::fromStdString(document_.snapshot().plan.name), size,
                        [&](QPainter& p, double scale) {
                            p.scale(scale, scale);
                            p.fillRect(QRectF(QPointF(0, 0), size), Theme::get().paper);
                            const FrequencyAxis a = axis();
                            drawAxis(p, a);
                            p.translate(0, kAxisHeight + scrolled);
                            p.save();
                            p.translate(0, -scrolled);
                            drawGrid(p, a, height);
                            p.restore();
                            for (int row = 0; row < rowCount(); ++row)
                                paintRow(p, row, rowRect(row), false);
                            p.setRenderHint(QPainter::Antialiasing, true);
                            drawConnectors(p, a);
                        });
}

bool LadderView::hasRung(ClockIndex clock) const
{
    return std::any_of(rungs_.begin(), rungs_.end(), [clock](const Rung& rung) { return rung.clock == clock; });
}

bool LadderView::runs(ClockIndex clock) const
{
    return mode_ >= 0 ? alive_[size_t(clock)] : shown().rates.clocks[clock].running;
}

void LadderView::nextMode()
{
    const std::vector<LowPowerMode>& modes = document_.snapshot().device->modes;
    if (mode_ + 1 < int(modes.size()))
        view_.select({Place::Kind::Mode, modes[size_t(mode_) + 1].id, {}});
    else
        view_.select({});
}

bool LadderView::onPath(ClockIndex clock) const
{
    return std::find(path_.begin(), path_.end(), clock) != path_.end();
}

void LadderView::paintEvent(QPaintEvent* event)
{
    if (!document_.isOpen())
        return;
    const FrequencyAxis a = axis();
    {
        QPainter p(viewport());
        drawGrid(p, a, viewport()->height());
    }
    RowList::paintEvent(event);
    QPainter p(viewport());
    p.setRenderHint(QPainter::Antialiasing, true);
    drawConnectors(p, a);
    header_->update();
}

QString LadderView::rowText(int row) const
{
    const Snapshot& s = shown();
    const ClockIndex clock = rungs_[size_t(row)].clock;
    QStringList others;
    for (const ClockIndex alike : rungs_[size_t(row)].alike)
        others << QString::fromStdString(s.device->clocks[alike].name);
    if (clock < 0) {
        QStringList names;
        for (const ClockIndex folded : rungs_[size_t(row)].folded)
            names << QString::fromStdString(s.device->clocks[folded].name);
        return say("Nothing uses ") + names.join(", ") + say(". Enter unfolds them.");
    }
    const ClockState& c = s.rates.clocks[clock];
    QString text =
        QString::fromStdString(s.device->clocks[clock].name) + ": " + QString::fromStdString(exactText(c.rate));
    if (!others.isEmpty())
        text += say("\nSo are ") + others.join(", ") + say(". U unfolds them.");
    if (!c.running)
        text += "\n" + QString::fromStdString(c.stopped);
    else if (!runs(clock))
        text += say("\nStopped in ") + QString::fromStdString(s.device->modes[size_t(mode_)].name) + ".";
    return text;
}

void LadderView::keyPressEvent(QKeyEvent* event)
{
    const QString typed = event->text();
    const ClockIndex clock = currentRow() >= 0 ? rungs_[size_t(currentRow())].clock : ClockIndex();
    if (event->key() == Qt::Key_Escape && drag_.clock >= 0) {
        drag_ = {};
        view_.setPreview(nullptr);
    } else if (event->key() == Qt::Key_U && event->modifiers() == Qt::NoModifier) {
        if (foldedTiers_.empty())
            foldedTiers_ = {"source", "multiplier", "system", "kernel"};
        else
            foldedTiers_.clear();
        relayout();
    } else if (typed == "+" || typed == "-") {
        zoomAxis(typed == "+" ? 1.25 : 0.8, clock >= 0 ? markOf(clock).x() : (kLeft + viewport()->width()) / 2.0);
    } else if (event->key() == Qt::Key_F && event->modifiers() == Qt::NoModifier) {
        zoomAxis(1 / zoom_, kLeft);
    } else if (event->key() == Qt::Key_M && event->modifiers() == Qt::NoModifier && document_.isOpen()) {
        nextMode();
    } else if (event->key() == Qt::Key_H && event->modifiers() == Qt::NoModifier && clock >= 0) {
        const ClockNode& node = document_.snapshot().device->clocks[clock];
        const bool held = document_.snapshot().plan.held(holdOfClock(node.id));
        document_.apply(
            editOf((held ? say("Release ") : say("Hold ")) + node.name, SetHold{holdOfClock(node.id), !held}));
    } else if (clock >= 0 && typed.size() == 1 &&
               (typed[0].isDigit() || typed[0] == '/' || typed[0] == '<' || typed[0] == '>')) {
        Q_EMIT editWanted(typed);
    } else {
        RowList::keyPressEvent(event);
    }
}

} // namespace bindrel
