// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/waveform_view.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/widgets/picture_file.h"
#include "core/quantity/format.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QImage>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace bindrel {

namespace {

constexpr double kNames = 58, kNeedNames = 118; ///< also with titles of needs
constexpr double kLine = 25, kNeedLine = 28;    ///< with a title of two rows
constexpr double kNear = 5;                     ///< pixels within which the pointer takes an edge
constexpr double kRampShare = 0.26;
constexpr double kMostZoom = 4096;

/// A time for people from drawing arithmetic, four digits.
QString timeText(double seconds)
{
    return typeset(format(Duration(Rational(std::llround(seconds * 1e12), 1'000'000'000'000)), 4));
}

/// 1, 2 or 5 times a power of ten, so that four to nine divisions fit.
double division(double span)
{
    double step = std::pow(10, std::floor(std::log10(span)));
    for (const double f : {0.1, 0.2, 0.5, 1.0})
        if (span / (step * f) <= 9)
            return step * f;
    return step;
}

/// A title at the left of its line; "need\nsignal" in two rows, cut where it is too long.
void drawName(QPainter& p, const QRectF& box, const std::string& title)
{
    const QStringList rows = QString::fromStdString(title).split('\n');
    const double high = 13;
    double y = box.center().y() - high * double(rows.size()) / 2;
    for (const QString& row : rows) {
        drawLine(p, QRectF(box.left() + 2, y, box.width() - 2, high), Qt::AlignVCenter | Qt::AlignRight, row,
                 Qt::ElideRight);
        y += high;
    }
}

} // namespace

WaveformView::WaveformView(QWidget* parent) : QWidget(parent)
{
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(150);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Maximum);
    setAccessibleName("Waveform");
}

void WaveformView::show(const std::optional<Waveform>& waveform, const QColor& hue, const QString& otherwise)
{
    if (dragged_)
        endDrag(false);
    // Another picture is seen whole; the same with other numbers stays as it is zoomed.
    if (!waveform || !wave_ || waveform->title != wave_->title || waveform->handles.size() != wave_->handles.size()) {
        zoom_ = 1;
        from_ = 0;
        chosen_ = -1;
    }
    wave_ = waveform;
    compared_.reset();
    hue_ = hue;
    otherwise_ = otherwise;
    zoom(1, 0);
    update();
}

void WaveformView::compare(const std::optional<Waveform>& other)
{
    compared_ = other;
    update();
}

void WaveformView::preview(const std::optional<Waveform>& waveform, const QString& label)
{
    if (!dragged_)
        return;
    label_ = label;
    if (waveform)
        wave_ = waveform;
    update();
}

double WaveformView::names() const
{
    const auto ofOthers = [](const auto& line) { return line.title.find('\n') != std::string::npos; };
    return wave_ && (std::any_of(wave_->traces.begin(), wave_->traces.end(), ofOthers) ||
                     std::any_of(wave_->bands.begin(), wave_->bands.end(), ofOthers))
               ? kNeedNames
               : kNames;
}

int WaveformView::leastHeight() const
{
    if (!wave_)
        return 150;
    const double lines = double(wave_->traces.size() + wave_->bands.size()) * (names() > kNames ? kNeedLine : kLine);
    return int(lines / (wave_->ramp ? 1 - kRampShare : 1)) + 34;
}

QRectF WaveformView::plot() const
{
    return QRectF(names(), 10, width() - names() - 14, height() - 34);
}
double WaveformView::span() const
{
    return (dragged_ ? draggedSpan_ : wave_->span.toDouble()) / zoom_;
}
double WaveformView::xAt(double seconds) const
{
    return plot().left() + plot().width() * (seconds - from_) / span();
}
double WaveformView::timeAt(double x) const
{
    return wave_ ? from_ + std::clamp((x - plot().left()) / plot().width(), 0.0, 1.0) * span() : 0;
}

double WaveformView::snapped(double x) const
{
    double best = timeAt(x), off = kNear;
    const auto near = [&](const Duration& at) {
        if (const double distance = std::abs(xAt(at.toDouble()) - x); distance < off)
            best = at.toDouble(), off = distance;
    };
    for (const Waveform::Trace& trace : wave_->traces)
        for (const Waveform::Edge& edge : trace.edges)
            near(edge.at);
    for (const Waveform::Band& band : wave_->bands)
        for (const Waveform::Band::Part& part : band.parts) {
            near(part.from);
            near(part.to);
        }
    return best;
}

std::pair<double, double> WaveformView::traceArea() const
{
    const QRectF area = plot();
    const double top = area.top() + area.height() * (wave_->ramp ? kRampShare : 0);
    return {top, (area.bottom() - top) / double(std::max<size_t>(1, wave_->traces.size() + wave_->bands.size()))};
}

QPointF WaveformView::placeOf(const Waveform::Handle& handle) const
{
    const auto [top, each] = traceArea();
    const double y = handle.trace < 0 ? top + 8 : top + each * (handle.trace + 0.5);
    return {xAt(handle.at.toDouble()), y};
}

int WaveformView::handleAt(const QPointF& at) const
{
    int best = -1;
    double off = kNear + 2;
    for (size_t h = 0; wave_ && h < wave_->handles.size(); ++h) {
        const QPointF place = placeOf(wave_->handles[h]);
        // The whole edge of its trace can be taken, nearest in height first.
        const double distance = std::abs(place.x() - at.x()) + std::abs(place.y() - at.y()) / 40;
        if (std::abs(place.x() - at.x()) <= kNear && distance < off && plot().contains(place))
            best = int(h), off = distance;
    }
    return best;
}

QPoint WaveformView::handleOf(const std::string& goal) const
{
    for (size_t h = 0; wave_ && h < wave_->handles.size(); ++h)
        if (wave_->handles[h].goal == goal)
            return placeOf(wave_->handles[h]).toPoint();
    return {-1, -1};
}

std::vector<AccessibleItem> WaveformView::accessibleItems() const
{
    std::vector<AccessibleItem> out;
    for (size_t h = 0; wave_ && h < wave_->handles.size(); ++h) {
        const Waveform::Handle& handle = wave_->handles[h];
        out.push_back(
            {QString("Handle of %1 at %2").arg(QString::fromStdString(handle.goal), timeText(handle.at.toDouble())),
             QRectF(placeOf(handle) - QPointF(5, 5), QSizeF(10, 10)).toAlignedRect()});
    }
    return out;
}

void WaveformView::zoom(double factor, double around)
{
    if (!wave_ || !(wave_->span.toDouble() > 0))
        return;
    const double share = (around - from_) / span();
    zoom_ = std::clamp(zoom_ * factor, 1.0, kMostZoom);
    from_ =
        std::clamp(factor == 1 ? from_ : around - share * span(), 0.0, std::max(0.0, wave_->span.toDouble() - span()));
}

void WaveformView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    draw(p, false);
}

Outcome WaveformView::exportPicture(const QString& path, const QString& title)
{
    if (!hasPicture())
        return problemOf("this need has no picture.");
    return writePicture(path, title, size(), [this](QPainter& p, double scale) {
        p.scale(scale, scale);
        draw(p, true);
    });
}

void WaveformView::copyPicture()
{
    if (!hasPicture())
        return;
    constexpr double kScale = 2;
    QImage image(size() * kScale, QImage::Format_ARGB32_Premultiplied);
    image.setDevicePixelRatio(kScale);
    QPainter p(&image);
    draw(p, true);
    p.end();
    QGuiApplication::clipboard()->setImage(image);
}

void WaveformView::draw(QPainter& p, bool bare) const
{
    const Theme& t = Theme::get();
    p.fillRect(rect(), t.raised);
    p.setPen(t.rule);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
    if (!wave_ || !(wave_->span.toDouble() > 0)) {
        p.setPen(t.muted);
        p.setFont(t.text(12));
        p.drawText(rect().adjusted(20, 0, -20, 0), Qt::AlignCenter | Qt::TextWordWrap, otherwise_);
        return;
    }
    p.setRenderHint(QPainter::Antialiasing, true);
    const QRectF area = plot();
    const double step = division(span());
    p.setFont(t.mono(10));
    for (double at = std::ceil(from_ / step - 1e-9) * step; at <= (from_ + span()) * 1.0000001; at += step) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(xAt(at), area.top()), QPointF(xAt(at), area.bottom() + 4));
    }
    p.setPen(t.muted);
    drawLine(p, QRectF(area.left(), area.bottom() + 5, area.width(), 16), Qt::AlignHCenter,
             timeText(step) + " per division" + (zoom_ > 1 ? QString(", from %1").arg(timeText(from_)) : QString()));

    const auto [top, each] = traceArea();
    // Zoomed in, what lies beyond is cut off at the plot; names stand beside it.
    const QRectF inside = area.adjusted(-1, -10, 1, 10);
    if (wave_->ramp) {
        const QRectF box = rampBox();
        p.setPen(t.muted);
        drawLine(p, QRectF(0, box.top(), names() - 10, box.height()), Qt::AlignVCenter | Qt::AlignRight,
                 QString::fromStdString(wave_->ramp->title));
        QPolygonF line;
        for (const auto& [at, level] : wave_->ramp->points)
            line << QPointF(xAt(at.toDouble()), box.bottom() - box.height() * level.toDouble());
        p.setPen(QPen(t.muted, 1.2));
        p.setClipRect(inside);
        p.drawPolyline(line);
        p.setClipping(false);
        double last = -100;
        bool atRight = true;
        for (const auto& [label, level] : wave_->ramp->levels) {
            const double y = box.bottom() - box.height() * level.toDouble();
            p.setPen(QPen(t.caution, 1, Qt::DashLine));
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
            atRight = std::abs(y - last) < 12 ? !atRight : true;
            last = y;
            p.setPen(t.caution);
            const QString text = QString::fromStdString(label);
            const double width = QFontMetricsF(p.font()).horizontalAdvance(text) + 8;
            const QRectF place(atRight ? area.right() - width : area.left() + 2, y - 6, width, 12);
            p.fillRect(place, t.raised);
            drawLine(p, place, Qt::AlignCenter, text);
        }
    }
    for (const Waveform::Mark& mark : wave_->marks) {
        const double left = xAt(mark.from.toDouble());
        const double right = std::max(left + 1.5, xAt(mark.to.toDouble()));
        // A mark on the high side of a pair covers the low side too: dead time is about both.
        const bool pair =
            mark.trace >= 0 && size_t(mark.trace) + 1 < wave_->traces.size() && wave_->ramp && wave_->traces.size() > 1;
        const double y0 = mark.trace < 0 ? top : top + each * mark.trace + 4;
        const double y1 = mark.trace < 0 ? area.bottom() : y0 + each * (pair ? 2 : 1) - 8;
        QColor fill = t.caution;
        fill.setAlphaF(mark.shade ? 0.28f : 0.12f);
        p.fillRect(QRectF(left, y0, right - left, y1 - y0) & inside, fill);
    }
    for (size_t i = 0; i < wave_->traces.size(); ++i) {
        const Waveform::Trace& trace = wave_->traces[i];
        p.setFont(t.mono(10));
        p.setPen(t.ink);
        drawName(p, QRectF(0, top + each * double(i), names() - 10, each), trace.title);
        p.setClipRect(inside);
        p.setPen(QPen(hue_, 1.8, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(lineOf(trace, i));
        p.setClipping(false);
    }
    if (compared_ && !bare) {
        p.setClipRect(inside);
        drawCompared(p);
        p.setClipping(false);
    }
    for (size_t b = 0; b < wave_->bands.size(); ++b)
        drawBand(p, wave_->bands[b],
                 QRectF(area.left(), top + each * double(wave_->traces.size() + b), area.width(), each));
    if (!bare)
        drawHandles(p);
    p.setFont(t.mono(10));
    // By line, how far its labels reach: those that have no room above their line stand at its foot, if they have room
    // there.
    std::map<int, std::array<double, 2>> reach;
    for (const Waveform::Mark& mark : wave_->marks) {
        if (mark.label.empty())
            continue;
        const QString text = typeset(mark.label);
        const double width = QFontMetricsF(p.font()).horizontalAdvance(text) + 4;
        const double centre = (xAt(mark.from.toDouble()) + xAt(mark.to.toDouble())) / 2;
        if (centre < area.left() - 1 || centre > area.right() + 1)
            continue;
        const double x = std::clamp(centre - width / 2, area.left(), area.right() - width);
        const int line = std::max(0, mark.trace);
        std::array<double, 2>& known = reach[line];
        const bool foot = x < known[0];
        if (foot && x < known[1])
            continue; // the neighbours' labels say enough
        known[foot] = x + width;
        p.setPen(t.caution);
        drawLine(p, QRectF(x, foot ? top + each * (line + 1) - 15 : top + each * line - 6, width, 13), Qt::AlignCenter,
                 text);
    }
    if (bare)
        return;
    const auto drawCursor = [&](double at, const QColor& colour) {
        p.setPen(QPen(colour, 1));
        if (xAt(at) >= area.left() && xAt(at) <= area.right())
            p.drawLine(QPointF(xAt(at), area.top()), QPointF(xAt(at), area.bottom()));
    };
    if (anchor_)
        drawCursor(*anchor_, t.accent);
    if (cursor_) {
        drawCursor(*cursor_, t.error);
        QString text = timeText(*cursor_);
        if (anchor_ && *anchor_ != *cursor_) {
            const double apart = std::abs(*cursor_ - *anchor_);
            text += QString("   \u0394 %1, %2")
                        .arg(timeText(apart),
                             typeset(format(Frequency(Rational(1'000'000'000'000,
                                                               std::max<std::int64_t>(1, std::llround(apart * 1e12)))),
                                            4)));
        }
        p.setPen(t.ink);
        p.setFont(t.mono(10, true));
        drawLine(p, QRectF(area.left(), area.bottom() + 5, area.width(), 16), Qt::AlignRight, text);
    }
    if (dragged_ && !label_.isEmpty()) {
        p.setFont(t.text(12, true));
        const double width = QFontMetricsF(p.font()).horizontalAdvance(label_) + 16;
        const QRectF box(std::clamp(pointer_.x() + 12, area.left(), std::max(area.left(), area.right() - width)),
                         std::clamp(pointer_.y() - 30, area.top(), area.bottom() - 22), width, 22);
        p.fillRect(box, t.raised);
        p.setPen(t.accent);
        p.drawRect(box);
        p.setPen(t.ink);
        drawLine(p, box, Qt::AlignCenter, label_);
    }
}

QRectF WaveformView::rampBox() const
{
    const QRectF area = plot();
    return {area.left(), area.top(), area.width(), area.height() * kRampShare - 8};
}

QPolygonF WaveformView::lineOf(const Waveform::Trace& trace, std::size_t row) const
{
    const auto [top, each] = traceArea();
    const auto y = [top = top, each = each, row](bool high) {
        return top + each * double(row) + each * (high ? 0.24 : 0.78);
    };
    QPolygonF line{QPointF(plot().left(), y(trace.high))};
    bool level = trace.high;
    for (const Waveform::Edge& edge : trace.edges) {
        line << QPointF(xAt(edge.at.toDouble()), y(level)) << QPointF(xAt(edge.at.toDouble()), y(edge.high));
        level = edge.high;
    }
    line << QPointF(std::max(plot().right(), line.back().x()), y(level));
    return line;
}

void WaveformView::drawCompared(QPainter& p) const
{
    p.setPen(QPen(Theme::get().ink, 1.4, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    if (compared_->ramp && wave_->ramp) {
        const QRectF box = rampBox();
        QPolygonF line;
        for (const auto& [at, level] : compared_->ramp->points)
            line << QPointF(xAt(at.toDouble()), box.bottom() - box.height() * level.toDouble());
        p.drawPolyline(line);
    }
    for (size_t i = 0; i < std::min(compared_->traces.size(), wave_->traces.size()); ++i)
        p.drawPolyline(lineOf(compared_->traces[i], i));
}

/// Boxes side by side; a label that has no room is left out.
void WaveformView::drawBand(QPainter& p, const Waveform::Band& band, const QRectF& row) const
{
    const Theme& t = Theme::get();
    p.setFont(t.mono(10));
    p.setPen(t.ink);
    drawName(p, QRectF(0, row.top(), names() - 10, row.height()), band.title);
    const double high = std::min(34.0, row.height() * 0.7);
    for (const Waveform::Band::Part& part : band.parts) {
        const double left = std::max(row.left(), xAt(part.from.toDouble()));
        const double right = std::min(row.right(), xAt(part.to.toDouble()));
        if (right <= left)
            continue;
        const QRectF box(left, row.center().y() - high / 2, right - left, high);
        QColor fill = hue_;
        fill.setAlphaF(part.strong ? 0.34f : 0.10f);
        p.fillRect(box, Theme::get().raised); // no grid through the label
        p.fillRect(box, fill);
        p.setPen(QPen(hue_, 1));
        p.drawRect(box);
        const QString text = typeset(part.label);
        if (QFontMetricsF(p.font()).horizontalAdvance(text) + 6 > box.width())
            continue;
        p.setPen(t.ink);
        drawLine(p, box, Qt::AlignCenter, text);
    }
}

/// Small diamonds; the one that is dragged, or that the keyboard is at, is filled.
void WaveformView::drawHandles(QPainter& p) const
{
    const Theme& t = Theme::get();
    for (size_t h = 0; h < wave_->handles.size(); ++h) {
        const QPointF at = placeOf(wave_->handles[h]);
        if (!plot().adjusted(-1, 0, 1, 0).contains(at))
            continue;
        const bool now = dragged_
                             ? dragged_->goal == wave_->handles[h].goal && dragged_->trace == wave_->handles[h].trace
                             : hasFocus() && int(h) == chosen_;
        p.setPen(QPen(t.accent, 1.4));
        p.setBrush(now ? t.accent : t.raised);
        p.drawPolygon(QPolygonF{at + QPointF(0, -5), at + QPointF(5, 0), at + QPointF(0, 5), at + QPointF(-5, 0)});
    }
    p.setBrush(Qt::NoBrush);
}

void WaveformView::mouseMoveEvent(QMouseEvent* event)
{
    if (!wave_)
        return;
    pointer_ = event->position();
    if (dragged_) {
        cursor_ = timeAt(event->position().x());
        const Duration at(Rational(std::llround(*cursor_ * 1e12), 1'000'000'000'000));
        const Waveform::Handle handle = *dragged_; // a copy: a slot of this signal may end the drag
        Q_EMIT dragged(handle, at);
        update();
        return;
    }
    cursor_ = snapped(event->position().x());
    const int handle = handleAt(event->position());
    setCursor(handle >= 0 ? Qt::SizeHorCursor : Qt::ArrowCursor);
    Q_EMIT goalPointedAt(handle >= 0 ? wave_->handles[size_t(handle)].goal : std::string());
    update();
}

void WaveformView::mousePressEvent(QMouseEvent* event)
{
    if (!wave_ || event->button() != Qt::LeftButton)
        return;
    if (const int handle = handleAt(event->position()); handle >= 0) {
        draggedSpan_ = wave_->span.toDouble();
        dragged_ = wave_->handles[size_t(handle)];
        chosen_ = handle;
        label_.clear();
        return;
    }
    anchor_ = snapped(event->position().x());
    update();
}

void WaveformView::mouseReleaseEvent(QMouseEvent* event)
{
    if (dragged_ && event->button() == Qt::LeftButton)
        endDrag(!label_.isEmpty());
}

void WaveformView::endDrag(bool drop)
{
    dragged_.reset();
    label_.clear();
    if (drop)
        Q_EMIT dropped();
    else
        Q_EMIT dragCancelled();
    update();
}

void WaveformView::wheelEvent(QWheelEvent* event)
{
    if (!wave_ || dragged_ || event->angleDelta().y() == 0)
        return event->ignore();
    const bool up = event->angleDelta().y() > 0;
    if (const int handle = handleAt(event->position()); handle >= 0)
        Q_EMIT stepped(std::string(wave_->handles[size_t(handle)].goal), up);
    else
        zoom(up ? 1.25 : 0.8, timeAt(event->position().x()));
    update();
}

void WaveformView::keyPressEvent(QKeyEvent* event)
{
    if (!wave_ || (event->modifiers() & (Qt::ControlModifier | Qt::AltModifier)))
        return QWidget::keyPressEvent(event);
    const int many = int(wave_->handles.size());
    const bool chosen = chosen_ >= 0 && chosen_ < many;
    const double middle = from_ + span() / 2;
    switch (event->key()) {
    case Qt::Key_Escape:
        if (!dragged_)
            return QWidget::keyPressEvent(event);
        endDrag(false);
        break;
    case Qt::Key_Up:
    case Qt::Key_Down:
        if (many > 0)
            chosen_ = (chosen_ + (event->key() == Qt::Key_Down ? 1 : many - 1) + many) % many;
        Q_EMIT goalPointedAt(many > 0 ? wave_->handles[size_t(chosen_)].goal : std::string());
        break;
    case Qt::Key_Left:
    case Qt::Key_Right:
        if (chosen && !dragged_) {
            // To the right is later: for a rate that is less.
            const Waveform::Handle& handle = wave_->handles[size_t(chosen_)];
            const bool right = event->key() == Qt::Key_Right;
            Q_EMIT stepped(std::string(handle.goal), right != (handle.states == Waveform::Handle::States::Rate));
        } else {
            from_ = std::clamp(from_ + span() / (event->key() == Qt::Key_Left ? -8 : 8), 0.0,
                               std::max(0.0, wave_->span.toDouble() - span()));
        }
        break;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        zoom(1.25, cursor_.value_or(middle));
        break;
    case Qt::Key_Minus:
        zoom(0.8, cursor_.value_or(middle));
        break;
    case Qt::Key_0:
    case Qt::Key_F:
        zoom(1 / kMostZoom, 0);
        break;
    default:
        return QWidget::keyPressEvent(event);
    }
    update();
}

void WaveformView::focusInEvent(QFocusEvent* event)
{
    if (chosen_ < 0 && wave_ && !wave_->handles.empty())
        chosen_ = 0;
    QWidget::focusInEvent(event);
    update();
}

void WaveformView::focusOutEvent(QFocusEvent* event)
{
    QWidget::focusOutEvent(event);
    update();
}

void WaveformView::leaveEvent(QEvent*)
{
    if (dragged_)
        return;
    cursor_.reset();
    Q_EMIT goalPointedAt({});
    update();
}

bool WaveformView::event(QEvent* event)
{
    // Esc gives up what is dragged before it means anything else.
    if (event->type() == QEvent::ShortcutOverride && dragged_ &&
        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
        event->accept();
        return true;
    }
    // Gone in the middle of it: another station, a dialog.
    if (event->type() == QEvent::Hide && dragged_)
        endDrag(false);
    return QWidget::event(event);
}

} // namespace bindrel
