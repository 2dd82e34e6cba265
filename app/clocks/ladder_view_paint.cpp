// SPDX-License-Identifier: GPL-3.0-or-later
// How the ladder is drawn: axis, rows with their bands and marks, connectors.
#include "app/clocks/ladder_view.h"

#include "app/theme/line.h"
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

namespace {
QString decadeName(int decade, int times)
{
    static const char* prefixes[]{"", "k", "M", "G"};
    const int group = std::clamp(decade / 3, 0, 3);
    return QString("%1\u2009%2Hz").arg(times * std::lround(std::pow(10, decade - 3 * group))).arg(prefixes[group]);
}
} // namespace

void LadderView::drawAxis(QPainter& p, const FrequencyAxis& a) const
{
    const Theme& t = Theme::get();
    if (mode_ >= 0) {
        p.setFont(t.text(12, true));
        p.setPen(t.accent);
        drawLine(p, QRectF(12, 0, kLeft - 20, kAxisHeight), Qt::AlignVCenter | Qt::AlignLeft,
                 say("In ") + QString::fromStdString(document_.snapshot().device->modes[size_t(mode_)].name));
    }
    double free = 0; // x up to which names stand already
    for (int d = a.firstDecade(); d <= a.lastDecade(); ++d)
        for (const int n : {1, 2, 3, 4, 5, 6, 7, 8, 9}) {
            if (d == a.lastDecade() && n > 1)
                break;
            const double x = a.x(n * std::pow(10, d));
            // What lies beyond the ends is pressed against them.
            if (zoom_ > 1 && (x <= kLeft || x >= viewport()->width() - kRight))
                continue;
            p.setPen(QPen(t.faint, 1));
            p.drawLine(QPointF(x, n == 1 ? 19 : kAxisHeight - (n == 5 ? 7 : 4)), QPointF(x, kAxisHeight));
            if ((n != 1 && zoom_ < 2.5) || x - 23 < free)
                continue;
            p.setPen(t.muted);
            p.setFont(t.mono(10));
            const bool end = d == a.lastDecade();
            drawLine(p, QRectF(end ? x - 60 : x - 30, 2, end ? 60 + kRight - 4 : 60, 14),
                     end ? Qt::AlignRight : Qt::AlignHCenter, decadeName(d, n));
            free = x + 30;
        }
}

void LadderView::drawGrid(QPainter& p, const FrequencyAxis& a, int height) const
{
    p.setPen(QPen(Theme::get().rule, 1));
    for (int d = a.firstDecade(); d <= a.lastDecade(); ++d)
        p.drawLine(QPointF(a.x(std::pow(10, d)), 0), QPointF(a.x(std::pow(10, d)), height));
}

LadderView::LadderView(Document& document, ViewState& view, QWidget* parent)
    : RowList(parent), document_(document), view_(view)
{
    setAccessibleName(say("Clock ladder"));
    setViewportMargins(0, kAxisHeight, 0, 0);
    header_ = new Header(*this);
    connect(&document_, &Document::changed, this, &LadderView::rebuild);
    connect(&view_, &ViewState::selectionChanged, this, &LadderView::rebuild);
    connect(&view_, &ViewState::previewChanged, this, &LadderView::relayout);
    connect(&document_, &Document::opened, this, [this] {
        foldedTiers_.clear();
        zoom_ = 1;
        shift_ = 0;
    });
    connect(this, &RowList::currentChanged, this, [this](int row) {
        if (const Rung& rung = rungs_[size_t(row)]; rung.clock >= 0)
            view_.select({Place::Kind::Clock, document_.snapshot().device->clocks[rung.clock].id, {}});
    });
    connect(this, &RowList::activated, this, [this](int row) {
        const Rung& rung = rungs_[size_t(row)];
        if (rung.clock >= 0) {
            Q_EMIT editWanted({});
            return;
        }
        foldedTiers_.erase(rung.tier);
        relayout();
    });
    viewport()->setMouseTracking(true);
    rebuild();
}

/// What a tier's unused clocks are folded into.
void LadderView::drawFolded(QPainter& p, const Rung& rung, const QRect& rect) const
{
    const Theme& t = Theme::get();
    p.setFont(t.text(11));
    p.setPen(t.muted);
    QStringList names;
    for (const ClockIndex clock : rung.folded)
        names << QString::fromStdString(document_.snapshot().device->clocks[clock].name);
    const QString text = QString(say("%1 that nothing uses: %2")).arg(names.size()).arg(names.join(", "));
    drawLine(p, rect.adjusted(12, 0, -12, 0), Qt::AlignVCenter | Qt::AlignLeft, text, Qt::ElideRight);
}

/// What is asked of a clock's accuracy, beside what it has: of the tightest user, where it is missed or the rung is
/// looked at.
struct AccuracyNote {
    QString text;
    bool missed = false;
};
static AccuracyNote accuracyNote(const Snapshot& s, ClockIndex clock, bool looked)
{
    const Accuracy* tightest = nullptr;
    for (const Accuracy& a : s.accuracy)
        if (a.clock == clock && a.allowed &&
            (!tightest || (tightest->ok() && !a.ok()) || (tightest->ok() == a.ok() && *a.allowed < *tightest->allowed)))
            tightest = &a;
    if (!tightest || (tightest->ok() && !looked))
        return {};
    return {typeset(say("\u00b1{} of \u00b1{}", format(tightest->given), format(*tightest->allowed))), !tightest->ok()};
}

/// The clock's name, and how many others it stands for.
QString LadderView::rungName(const Rung& rung, const QFontMetrics& metrics, int width) const
{
    const QString name = QString::fromStdString(document_.snapshot().device->clocks[rung.clock].name);
    const QString others = rung.alike.empty() ? QString() : QString(" +%1").arg(rung.alike.size());
    return metrics.elidedText(name, Qt::ElideRight, width - metrics.horizontalAdvance(others)) + others;
}

void LadderView::paintRow(QPainter& p, int row, const QRect& full, bool current)
{
    const Theme& t = Theme::get();
    const Snapshot& s = shown();
    const Rung& rung = rungs_[size_t(row)];
    const ClockIndex clock = rung.clock;
    if (clock < 0) {
        drawFolded(p, rung, full.adjusted(0, rung.tierBegins ? 6 : 0, 0, 0));
        return;
    }
    const ClockState& c = s.rates.clocks[clock];
    const ClockNode& node = s.device->clocks[clock];
    const QRect rect = full.adjusted(0, rung.tierBegins ? 6 : 0, 0, 0);
    const FrequencyAxis a = axis();
    const auto broken = limitBreak(c);
    const bool hard = broken && !broken->toleranceOnly && isSet(*s.device, s.rates, clock);
    const bool back = !path_.empty() && !onPath(clock);
    const bool running = runs(clock);
    const QColor ink = hard ? t.error : !running ? t.faint : back || !c.used ? t.muted : t.ink;

    if (rung.tierBegins) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(full.left(), full.top() + 3, full.right(), full.top() + 3);
    }
    if (s.plan.held(holdOfClock(node.id)))
        p.fillRect(QRect(rect.left() + 5, rect.top() + 3, 2, rect.height() - 6), t.ink);
    p.setFont(t.text(12, onPath(clock)));
    p.setPen(hard ? t.error : !running ? t.muted : back ? t.muted : t.ink);
    drawLine(p, QRect(rect.left() + 12, rect.top(), kNameWidth, rect.height()), Qt::AlignVCenter | Qt::AlignLeft,
             rungName(rung, QFontMetrics(p.font()), kNameWidth - 4));
    p.setFont(t.mono(11, onPath(clock)));
    drawLine(p, QRect(rect.left() + 12 + kNameWidth, rect.top(), kRateWidth, rect.height()),
             Qt::AlignVCenter | Qt::AlignRight,
             c.rate.value.isZero() ? QString("\u2013")
             : c.used              ? typeset(format(c.rate))
                                   : "(" + typeset(format(c.rate)) + ")");

    const double y = rect.center().y() + 0.5;
    const double x = xOf(a, clock);
    // The band of permitted rates. One without a lower end begins at the axis.
    if (c.max || c.min) {
        const double left = c.min ? a.x(c.min->toDouble()) : kLeft;
        const double right = c.max ? a.x(c.max->toDouble()) : viewport()->width() - kRight;
        QColor fill = hard ? t.bandBroken : t.band;
        if (!running || back)
            fill.setAlphaF(0.45f);
        p.fillRect(QRectF(left, y - 5, std::max(2.0, right - left), 10), fill);
        p.setPen(QPen(hard ? t.error : t.bandEdge, 1));
        if (c.min)
            p.drawLine(QPointF(left, y - 6), QPointF(left, y + 6));
        if (c.max)
            p.drawLine(QPointF(right, y - 6), QPointF(right, y + 6));
    }
    p.setRenderHint(QPainter::Antialiasing, true);
    // Where the mark is now, while a change is looked at.
    const Frequency now = document_.snapshot().rates.clocks[clock].rate;
    if (view_.preview() && now != c.rate && !now.value.isZero()) {
        p.setPen(QPen(t.accent, 1, Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(QPointF(a.x(now.toDouble()), y), 4, 4);
        if (!c.rate.value.isZero())
            p.drawLine(QPointF(a.x(now.toDouble()), y), QPointF(x, y));
    }
    if (c.rate.value.isZero())
        return;
    // Whiskers where the tolerance is wide enough to be seen.
    const double low = a.x(shifted(c.rate, c.tolerance.low).toDouble());
    const double high = a.x(shifted(c.rate, c.tolerance.high).toDouble());
    if (high - low > 2) {
        p.setPen(QPen(ink, 1));
        p.drawLine(QPointF(low - 3, y), QPointF(high + 3, y));
        p.drawLine(QPointF(low - 3, y - 3), QPointF(low - 3, y + 3));
        p.drawLine(QPointF(high + 3, y - 3), QPointF(high + 3, y + 3));
    }
    p.setPen(QPen(ink, 1.5));
    p.setBrush(running ? QBrush(ink) : QBrush(t.paper));
    const double r = current ? 5 : 4;
    if (hard)
        p.drawPolygon(QPolygonF{QPointF(x, y - r - 1.5), QPointF(x + r + 1.5, y), QPointF(x, y + r + 1.5),
                                QPointF(x - r - 1.5, y)});
    else
        p.drawEllipse(QPointF(x, y), r, r);
    const AccuracyNote asked = accuracyNote(s, clock, current);
    const QString note = !asked.text.isEmpty() ? asked.text : c.input < 0 ? typeset(format(c.tolerance)) : QString();
    if (!note.isEmpty()) {
        p.setFont(t.mono(10));
        p.setPen(asked.missed ? t.error : ink == t.ink ? t.muted : ink);
        const QRectF box = QFontMetricsF(p.font()).boundingRect(note);
        // Clear of the whisker, where there is one.
        const double from = (high - low > 2 ? std::max(x, high + 3) : x) + 9;
        // The connector to a faster parent goes off to the right.
        const bool crossed = c.input >= 0 && xOf(a, c.input) > x + 4 && x - 13 - box.width() > kLeft;
        const bool fits = !crossed && from + box.width() < viewport()->width() - 2;
        drawLine(p,
                 fits ? QRectF(from, rect.top(), box.width() + 6, rect.height())
                      : QRectF(x - 13 - box.width(), rect.top(), box.width() + 6, rect.height()),
                 Qt::AlignVCenter | Qt::AlignLeft, note);
    }
}

void LadderView::drawConnectors(QPainter& p, const FrequencyAxis& a) const
{
    const Theme& t = Theme::get();
    const Snapshot& s = shown();
    std::vector<double> rowY(s.device->clocks.size(), -1);
    for (size_t i = 0; i < rungs_.size(); ++i) {
        if (rungs_[i].clock < 0)
            continue;
        const QRect rect = rowRect(int(i)).adjusted(0, rungs_[i].tierBegins ? 6 : 0, 0, 0);
        rowY[size_t(rungs_[i].clock)] = rect.center().y() + 0.5;
    }
    struct Label {
        ClockIndex clock;
        double middle, mark, y, run;
        bool path;
    };
    // The inked path goes over everything else, labels included.
    for (const bool inked : {false, true}) {
        std::vector<Label> labels;
        for (const ClockIndex i : s.device->clocks.indices()) {
            const ClockState& c = s.rates.clocks[i];
            const bool folded =
                rungs_.size() < s.device->clocks.size() && (!hasRung(int(i)) || (c.input >= 0 && !hasRung(c.input)));
            if (c.input < 0 || c.rate.value.isZero() || folded)
                continue;
            const bool path = onPath(int(i)) && onPath(c.input);
            if (path != inked)
                continue;
            const double x0 = xOf(a, c.input);
            const double x1 = xOf(a, int(i));
            const double y0 = rowY[size_t(c.input)];
            const double y1 = rowY[i];
            QColor colour = path ? t.ink : t.faint;
            if (!path && (!path_.empty() || !c.used || !runs(int(i))))
                colour.setAlphaF(0.4f);
            p.setPen(QPen(colour, path ? 1.8 : 1, runs(int(i)) ? Qt::SolidLine : Qt::DotLine));
            // Down from the parent's mark, then along the child's row to its mark.
            p.drawLine(QPointF(x0, y0 + 5), QPointF(x0, y1));
            const double run = std::abs(x1 - x0);
            if (run > 5)
                p.drawLine(QPointF(x0, y1), QPointF(x1 + (x1 > x0 ? -5 : 5), y1));
            labels.push_back({int(i), (x0 + x1) / 2, x1, y1, run, path});
        }
        // What the clock does to its input: on the run where there is room, else beside the mark.
        for (const Label& label : labels) {
            const ClockState& c = s.rates.clocks[label.clock];
            const bool select = s.device->clocks[label.clock].type == ClockNode::Type::Select;
            const bool plain = c.setting == s.device->clocks[label.clock].unit;
            if (select || (plain && !label.path))
                continue;
            const QString text = QString::fromStdString(operationText(*s.device, s.rates, label.clock));
            p.setFont(t.mono(10, label.path));
            const double width = QFontMetricsF(p.font()).horizontalAdvance(text) + 6;
            const bool onRun = label.run > width + 14;
            const QRectF box(onRun ? label.middle - width / 2 : label.mark + 7, label.y - 7, width, 14);
            if (onRun)
                p.fillRect(box, t.paper);
            p.setPen((!path_.empty() && !label.path) || !c.used || !runs(label.clock) ? t.faint : t.ink);
            drawLine(p, box, Qt::AlignCenter, text);
        }
    }
}

} // namespace bindrel
