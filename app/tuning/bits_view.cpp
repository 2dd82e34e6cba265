// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/bits_view.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"

#include <fmt/format.h>

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>

namespace bindrel {

namespace {
constexpr double kTop = 17; ///< name and value of the register
constexpr double kBox = 21;
constexpr double kGap = 6;

QString wordText(std::uint32_t value)
{
    const QString hex = QString("%1").arg(value, 8, 16, QChar('0')).toUpper();
    return "0x" + hex.left(4) + "\u2009" + hex.mid(4);
}
} // namespace

BitsView::BitsView(Document& document, QWidget* parent) : QWidget(parent), document_(document)
{
    setMouseTracking(true);
    setAccessibleName("Register fields");
}

void BitsView::showNeed(NeedIndex need)
{
    shown_ = document_.sharedSnapshot();
    need_ = need;
    updateGeometry();
    update();
}

void BitsView::lightGoal(const std::string& goal)
{
    lit_ = goal;
    update();
}

bool BitsView::decides(const FieldRef& ref) const
{
    const BoundNeed& bound = shown_->bindings.needs[size_t(need_)];
    if (bound.instance >= 0)
        return ref.instance == bound.instance;
    // A need without an instance of its own is seen in its pads and its interrupt line.
    for (const Step& step : shown_->image.steps)
        if (step.need == need_ && (step.instance == shown_->device->lineInstance || shown_->device->linesInPorts))
            for (const FieldWrite& write : step.fields)
                if (write.ref == ref)
                    return true;
    for (const PadSetup& setup : shown_->pads) {
        const Pad& pad = shown_->device->pads[size_t(setup.pad)];
        if (setup.need != need_ || pad.port < 0)
            continue;
        if (pad.isPickedBy(ref))
            return true;
        for (const char* name : {"output", "pull", "open_drain", "drive", "speed", "level"})
            if (const Role* role = shown_->device->blockOf(pad.port).role(name + std::to_string(pad.bit));
                role && (setup.output || name != std::string_view("level")))
                for (const FieldCode& slice : shown_->device->codesOf(pad.port, *role, 0))
                    if (slice.ref == ref)
                        return true;
    }
    return false;
}

/// Why there is nothing to show, and whose the registers are then.
QString BitsView::emptyText() const
{
    const QString nothing = "No register is set for this need yet.";
    if (!shown_ || need_ < 0)
        return nothing;
    const Need& need = shown_->plan.needs[size_t(need_)];
    const BoundNeed& bound = shown_->bindings.needs[size_t(need_)];
    const KindSpec* kind = findKind(need.kind);
    const bool known = tuningOf(need.kind).solve != nullptr;
    if (known || !kind || bound.instance < 0 || shown_->device->blockOf(bound.instance).registers.empty())
        return nothing;
    return QString("The registers of a %1 need are not computed by this version. Its clock, pads and DMA channels are "
                   "set up; the program must set the registers of %2 itself.")
        .arg(QString::fromStdString(kind->title),
             QString::fromStdString(shown_->device->instances[size_t(bound.instance)].name));
}

std::vector<const RegisterValue*> BitsView::registers() const
{
    std::vector<const RegisterValue*> out;
    if (!shown_ || need_ < 0)
        return out;
    for (const RegisterValue& value : shown_->image.registers)
        if (std::any_of(value.fields.begin(), value.fields.end(),
                        [&](const FieldWrite& write) { return decides(write.ref); }))
            out.push_back(&value);
    return out;
}

QSize BitsView::sizeHint() const
{
    const std::vector<Box> all = boxes();
    if (!all.empty())
        return {300, int(all.back().rect.bottom() + 8)};
    // What is said instead is seen whole.
    const QFontMetrics metrics(Theme::get().text(12));
    return {300, metrics.boundingRect(QRect(0, 0, std::max(220, width()), 10'000), Qt::AlignLeft | Qt::TextWordWrap,
                                      emptyText())
                         .height() +
                     12};
}

std::vector<AccessibleItem> BitsView::accessibleItems() const
{
    std::vector<AccessibleItem> out;
    for (const Box& box : boxes())
        out.push_back(
            {QString::fromStdString(fmt::format(
                 "{}.{}.{}, bits {}: {}{}", shown_->device->instances[size_t(box.reg->instance)].name,
                 shown_->device->blockOf(box.reg->instance).registers[size_t(box.reg->reg)].name, box.field->name,
                 box.field->bitsText(), box.field->in(box.reg->value), box.cause.empty() ? "" : ", " + box.cause)),
             box.rect.toAlignedRect()});
    return out;
}

void BitsView::chooseAccessibleItem(int item)
{
    const std::vector<Box> all = boxes();
    if (item >= 0 && item < int(all.size()))
        Q_EMIT registerPicked(shown_->device->instances[size_t(all[size_t(item)].reg->instance)].name + "." +
                              shown_->device->blockOf(all[size_t(item)].reg->instance)
                                  .registers[size_t(all[size_t(item)].reg->reg)]
                                  .name);
}

std::vector<BitsView::Box> BitsView::boxes() const
{
    std::vector<Box> out;
    const auto list = registers();
    double y = 0;
    for (size_t i = 0; i < list.size(); ++i) {
        const Register& reg = shown_->device->blockOf(list[i]->instance).registers[size_t(list[i]->reg)];
        std::vector<const Field*> fields;
        for (const Field& field : reg.fields)
            fields.push_back(&field);
        std::sort(fields.begin(), fields.end(), [](const Field* a, const Field* b) { return a->lsb < b->lsb; });
        // A port's register has a field a pad; those of other needs are no business of this one.
        if (shown_->bindings.needs[size_t(need_)].instance < 0)
            std::erase_if(fields, [&](const Field* field) {
                return std::none_of(list[i]->fields.begin(), list[i]->fields.end(), [&](const FieldWrite& w) {
                    return &shown_->device->fieldOf(w.ref) == field && decides(w.ref);
                });
            });
        // Wide enough for the name and the value, on as many lines as that takes; what is left goes to the wide fields.
        const QFontMetricsF metrics(Theme::get().mono(9));
        const double room = std::max(120, width() - 2);
        y += kTop;
        for (size_t f = 0; f < fields.size();) {
            std::vector<double> widths;
            double sum = 0;
            int bits = 0;
            size_t end = f;
            for (; end < fields.size(); ++end) {
                const std::uint32_t code = fields[end]->in(list[i]->value);
                const double w =
                    metrics.horizontalAdvance(QString::fromStdString(fields[end]->name) + " " + QString::number(code)) +
                    9;
                if (end > f && sum + w > room)
                    break;
                widths.push_back(w);
                sum += w;
                bits += fields[end]->width;
            }
            double x = 1;
            for (size_t k = f; k < end; ++k) {
                const double w = widths[k - f] + std::max(0.0, room - sum) * fields[k]->width / std::max(1, bits);
                std::string cause, goal;
                for (const FieldWrite& write : list[i]->fields)
                    if (&shown_->device->fieldOf(write.ref) == fields[k])
                        cause = write.cause, goal = write.goal;
                out.push_back({QRectF(x, y, w, kBox), list[i], fields[k], cause, goal});
                x += w;
            }
            y += kBox;
            f = end;
        }
        y += kGap;
    }
    return out;
}

void BitsView::resizeEvent(QResizeEvent*)
{
    updateGeometry();
}

void BitsView::paintEvent(QPaintEvent*)
{
    const Theme& t = Theme::get();
    QPainter p(this);
    if (registers().empty()) {
        p.setPen(t.muted);
        p.setFont(t.text(12));
        p.drawText(rect().adjusted(0, 4, 0, 0), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, emptyText());
        return;
    }
    const RegisterValue* last = nullptr;
    for (const Box& box : boxes()) {
        if (box.reg != last) {
            last = box.reg;
            const QString name =
                QString::fromStdString(shown_->device->instances[size_t(box.reg->instance)].name + "." +
                                       shown_->device->blockOf(box.reg->instance).registers[size_t(box.reg->reg)].name);
            const QRectF head(0, box.rect.top() - kTop + 1, width() - 2, 14);
            p.setFont(t.mono(11, true));
            p.setPen(t.ink);
            drawLine(p, head, Qt::AlignLeft | Qt::AlignVCenter, name);
            p.setFont(t.mono(11));
            p.setPen(t.muted);
            drawLine(p, head, Qt::AlignRight | Qt::AlignVCenter, wordText(box.reg->value));
        }
        const bool lit = !lit_.empty() && (box.goal == lit_);
        const std::uint32_t code = box.field->in(box.reg->value);
        p.fillRect(box.rect, lit ? t.sunken : t.raised);
        p.setPen(QPen(lit ? t.accent : t.rule, lit ? 1.6 : 1));
        p.drawRect(box.rect.adjusted(0.5, 0.5, -0.5, -0.5));
        p.setFont(t.mono(9, lit));
        p.setPen(box.cause.empty() ? t.muted : t.ink);
        const QString text = QString::fromStdString(box.field->name) + " " + QString::number(code);
        const bool fits = QFontMetricsF(p.font()).horizontalAdvance(text) + 4 <= box.rect.width();
        drawLine(p, box.rect, Qt::AlignCenter, fits ? text : QString::number(code));
    }
}

void BitsView::mouseMoveEvent(QMouseEvent* event)
{
    for (const Box& box : boxes())
        if (box.rect.contains(event->position())) {
            Q_EMIT goalPointedAt(box.goal);
            return;
        }
    Q_EMIT goalPointedAt({});
}

void BitsView::mousePressEvent(QMouseEvent* event)
{
    for (const Box& box : boxes())
        if (box.rect.contains(event->position()))
            Q_EMIT registerPicked(shown_->device->instances[size_t(box.reg->instance)].name + "." +
                                  shown_->device->blockOf(box.reg->instance).registers[size_t(box.reg->reg)].name);
}

bool BitsView::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        for (const Box& box : boxes())
            if (box.rect.contains(help->pos())) {
                const std::uint32_t code = box.field->in(box.reg->value);
                QString text =
                    QString("%1, bits %2 = %3")
                        .arg(QString::fromStdString(box.field->name), QString::fromStdString(box.field->bitsText()))
                        .arg(code);
                for (const EnumValue& value : box.field->values)
                    if (value.code == code)
                        text += " (" + QString::fromStdString(value.name) + ")";
                if (!box.field->about.empty())
                    text += "\n" + QString::fromStdString(box.field->about);
                text += box.cause.empty() ? QString("\nreset value") : "\nset by " + QString::fromStdString(box.cause);
                QToolTip::showText(help->globalPos(), text, this);
                return true;
            }
        QToolTip::hideText();
        return true;
    }
    return QWidget::event(event);
}

} // namespace bindrel
