// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/waveform_view.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/widgets/picture_file.h"
#include "core/base/say.h"
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
constexpr double kMostZoom = 4096;

} // namespace

QString WaveformView::timeText(double seconds)
{
    return typeset(format(Duration(Rational(std::llround(seconds * 1e12), 1'000'000'000'000)), 4));
}

WaveformView::WaveformView(QWidget* parent) : QWidget(parent)
{
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(150);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Maximum);
    setAccessibleName(say("Waveform"));
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
        out.push_back({QString(say("Handle of %1 at %2"))
                           .arg(QString::fromStdString(handle.goal), timeText(handle.at.toDouble())),
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
        return problemOf(say("this need has no picture."));
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
