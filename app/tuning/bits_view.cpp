// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/bits_view.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/device/field_code.h"
#include "core/field_entry.h"

#include <fmt/format.h>

#include <QHelpEvent>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>
#include <QStyle>
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

std::string registerName(const Snapshot& s, const RegisterValue& value)
{
    return s.device->instances[value.instance].name + "." + s.device->blockOf(value.instance).registers[value.reg].name;
}

/// As the access is said in a data sheet.
const char* accessWords(Field::Access access)
{
    switch (access) {
    case Field::Access::ReadWrite:
        return say("read and written");
    case Field::Access::ReadOnly:
        return "read-only";
    case Field::Access::WriteOnly:
        return say("write-only; reads as nothing of use");
    case Field::Access::WriteOneToClear:
        return say("a flag: writing 1 clears it");
    case Field::Access::WriteZeroToClear:
        return say("a flag: writing 0 clears it");
    case Field::Access::WriteOneToSet:
        return say("writing 1 sets a bit, 0 leaves it");
    case Field::Access::WriteOneToToggle:
        return say("writing 1 toggles a bit, 0 leaves it");
    case Field::Access::ReadToClear:
        return say("a flag: reading its register clears it");
    case Field::Access::Once:
        return say("written once after reset; later writes are ignored");
    case Field::Access::Key:
        return say("a key that every write of the register must carry");
    }
    return "";
}
} // namespace

BitsView::BitsView(Document& document, PendingText& pending, QWidget* parent)
    : QWidget(parent), document_(document), pending_(pending)
{
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(say("Register fields"));
}

void BitsView::showNeed(NeedIndex need)
{
    const bool other = !shown_ || need < 0 || need_ < 0 || !document_.isOpen() ||
                       shown_->plan.needs[need_].id != document_.snapshot().plan.needs[need].id;
    shown_ = document_.sharedSnapshot();
    need_ = need;
    if (other)
        current_.clear();
    // What is typed has gone where it belongs before another need is shown; a field that is gone has no editor.
    if (editor_ && (other || std::none_of(shown_->image.registers.begin(), shown_->image.registers.end(),
                                          [this](const RegisterValue& value) {
                                              return edited_.starts_with(registerName(*shown_, value));
                                          })))
        close();
    const std::vector<Box> all = boxes();
    describe(current(all));
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
    const BoundNeed& bound = shown_->bindings.needs[need_];
    if (bound.instance >= 0)
        return ref.instance == bound.instance;
    // A need without an instance of its own is seen in its pads and its interrupt line.
    for (const Step& step : shown_->image.steps)
        if (step.need == need_ && (step.instance == shown_->device->lineInstance || shown_->device->linesInPorts))
            for (const FieldWrite& write : step.fields)
                if (write.ref == ref)
                    return true;
    for (const PadSetup& setup : shown_->pads) {
        const Pad& pad = shown_->device->pads[setup.pad];
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
    const QString nothing = say("No register is set for this need yet.");
    if (!shown_ || need_ < 0)
        return nothing;
    const Need& need = shown_->plan.needs[need_];
    const BoundNeed& bound = shown_->bindings.needs[need_];
    const KindSpec* kind = findKind(need.kind);
    const bool known = tuningOf(need.kind).solve != nullptr;
    if (known || !kind || bound.instance < 0 || shown_->device->blockOf(bound.instance).registers.empty())
        return nothing;
    return QString(
               say("The registers of a %1 need are not computed by this version. Its clock, pads and DMA channels are "
                   "set up; the program must set the registers of %2 itself."))
        .arg(QString::fromStdString(say(kind->title)),
             QString::fromStdString(shown_->device->instances[bound.instance].name));
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
    for (const Box& box : boxes()) {
        const std::string name =
            box.field ? say("{}, bits {}: {}{}", nameOf(box), box.field->bitsText(), box.field->in(box.reg->value),
                            box.write ? ", " + std::string(box.write->byHand ? say("set by hand") : box.write->cause)
                                      : std::string())
                      : say("{}, register: 0x{:X}", nameOf(box), box.reg->value);
        out.push_back({QString::fromStdString(name), box.rect.toAlignedRect()});
    }
    return out;
}

void BitsView::chooseAccessibleItem(int item)
{
    const std::vector<Box> all = boxes();
    if (item < 0 || item >= int(all.size()))
        return;
    makeCurrent(all[size_t(item)]);
    Q_EMIT registerPicked(registerName(*shown_, *all[size_t(item)].reg));
}

std::string BitsView::nameOf(const Box& box) const
{
    const std::string reg = registerName(*shown_, *box.reg);
    return box.field ? reg + "." + box.field->name : reg;
}

std::vector<BitsView::Box> BitsView::boxes() const
{
    std::vector<Box> out;
    const auto list = registers();
    double y = 0;
    for (size_t i = 0; i < list.size(); ++i) {
        const Register& reg = shown_->device->blockOf(list[i]->instance).registers[list[i]->reg];
        std::vector<const Field*> fields;
        for (const Field& field : reg.fields)
            fields.push_back(&field);
        std::sort(fields.begin(), fields.end(), [](const Field* a, const Field* b) { return a->lsb < b->lsb; });
        // A port's register has a field a pad; those of other needs are no business of this one.
        if (shown_->bindings.needs[need_].instance < 0)
            std::erase_if(fields, [&](const Field* field) {
                return std::none_of(list[i]->fields.begin(), list[i]->fields.end(), [&](const FieldWrite& w) {
                    return &shown_->device->fieldOf(w.ref) == field && decides(w.ref);
                });
            });
        // Wide enough for the name and the value, on as many lines as that takes; what is left goes to the wide fields.
        const QFontMetricsF metrics(Theme::get().mono(9));
        const double room = std::max(120, width() - 2);
        out.push_back(
            {QRectF(0, y + 1, width() - 2, kTop - 3), list[i], nullptr, {list[i]->instance, list[i]->reg, 0}});
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
                const FieldRef ref{list[i]->instance, list[i]->reg, int(fields[k] - reg.fields.data())};
                const FieldWrite* decided = nullptr;
                for (const FieldWrite& write : list[i]->fields)
                    if (write.ref == ref)
                        decided = &write;
                out.push_back({QRectF(x, y, w, kBox), list[i], fields[k], ref, decided});
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
    const std::vector<Box> all = boxes();
    for (const Box& box : all)
        if (box.field) {
            paintField(p, box);
        } else {
            p.setFont(t.mono(11, true));
            p.setPen(t.ink);
            drawLine(p, box.rect, Qt::AlignLeft | Qt::AlignVCenter, QString::fromStdString(nameOf(box)));
            p.setFont(t.mono(11));
            p.setPen(t.muted);
            drawLine(p, box.rect, Qt::AlignRight | Qt::AlignVCenter, wordText(box.reg->value));
        }
    if (const Box* at = current(all); at && hasFocus()) {
        p.setPen(QPen(t.accent, 2));
        p.drawRect(at->field ? at->rect.adjusted(1, 1, -1, -1) : at->rect.adjusted(-1, -1, 1, 2));
    }
}

/// What keeps what is written has a ground; what does not has none and a broken outline, a flag with a notch, a key
/// with a bar. What is set by hand has a filled corner.
void BitsView::paintField(QPainter& p, const Box& box) const
{
    const Theme& t = Theme::get();
    const bool lit = !lit_.empty() && box.write && box.write->goal == lit_;
    const bool byHand = box.write && box.write->byHand;
    const std::uint32_t code = box.field->in(box.reg->value);
    const bool kept = box.field->keepsWrites();
    if (kept)
        p.fillRect(box.rect, lit ? t.sunken : t.raised);
    p.setPen(QPen(lit      ? t.accent
                  : byHand ? t.caution
                           : t.rule,
                  lit || byHand ? 1.6 : 1, kept ? Qt::SolidLine : Qt::DotLine));
    p.drawRect(box.rect.adjusted(0.5, 0.5, -0.5, -0.5));
    const QPointF corner = box.rect.topRight();
    if (byHand) {
        p.setPen(Qt::NoPen);
        p.setBrush(t.caution);
        p.drawPolygon(QPolygonF{corner, corner + QPointF(-8, 0), corner + QPointF(0, 8)});
        p.setBrush(Qt::NoBrush);
    } else if (box.field->access == Field::Access::Key) {
        p.fillRect(QRectF(box.rect.left() + 1, box.rect.top() + 1, 2, box.rect.height() - 2), t.muted);
    } else if (!kept && box.field->access != Field::Access::ReadOnly && box.field->access != Field::Access::WriteOnly) {
        p.setPen(QPen(t.muted, 1));
        p.drawLine(corner + QPointF(-6, 0.5), corner + QPointF(-0.5, 6));
    }
    p.setFont(t.mono(9, lit || byHand));
    p.setPen(box.write ? t.ink : t.muted);
    const QString text = QString::fromStdString(box.field->name) + " " + QString::number(code);
    const bool fits = QFontMetricsF(p.font()).horizontalAdvance(text) + 4 <= box.rect.width();
    drawLine(p, box.rect, Qt::AlignCenter, fits ? text : QString::number(code));
}

const BitsView::Box* BitsView::boxAt(const std::vector<Box>& all, const QPointF& at) const
{
    for (const Box& box : all)
        if (box.rect.contains(at))
            return &box;
    return nullptr;
}

const BitsView::Box* BitsView::current(const std::vector<Box>& all) const
{
    for (const Box& box : all)
        if (nameOf(box) == current_)
            return &box;
    return nullptr;
}

void BitsView::makeCurrent(const Box& box)
{
    current_ = nameOf(box);
    for (QWidget* above = parentWidget(); above; above = above->parentWidget())
        if (auto* area = qobject_cast<QScrollArea*>(above)) {
            const QPoint at = mapTo(area->widget(), box.rect.center().toPoint());
            area->ensureVisible(at.x(), at.y(), 4, 30);
            break;
        }
    Q_EMIT goalPointedAt(box.write ? box.write->goal : std::string());
    describe(&box);
    update();
}

void BitsView::describe(const Box* box)
{
    Q_EMIT described(box ? wordsOf(*box) : QString());
}

void BitsView::mouseMoveEvent(QMouseEvent* event)
{
    const std::vector<Box> all = boxes();
    const Box* box = boxAt(all, event->position());
    Q_EMIT goalPointedAt(box && box->write ? box->write->goal : std::string());
    describe(box ? box : current(all));
}

void BitsView::leaveEvent(QEvent*)
{
    const std::vector<Box> all = boxes();
    Q_EMIT goalPointedAt({});
    describe(current(all));
}

void BitsView::mousePressEvent(QMouseEvent* event)
{
    const std::vector<Box> all = boxes();
    if (const Box* box = boxAt(all, event->position())) {
        makeCurrent(*box);
        Q_EMIT registerPicked(registerName(*shown_, *box->reg));
    }
}

void BitsView::mouseDoubleClickEvent(QMouseEvent* event)
{
    const std::vector<Box> all = boxes();
    if (const Box* box = boxAt(all, event->position()))
        edit(nameOf(*box));
}

void BitsView::focusInEvent(QFocusEvent* event)
{
    const std::vector<Box> all = boxes();
    if (!current(all) && !all.empty())
        makeCurrent(all.front());
    QWidget::focusInEvent(event);
    update();
}

void BitsView::focusOutEvent(QFocusEvent* event)
{
    QWidget::focusOutEvent(event);
    update();
}

void BitsView::move(int by)
{
    const std::vector<Box> all = boxes();
    const Box* at = current(all);
    if (all.empty())
        return;
    const int index = at ? int(at - all.data()) + by : 0;
    makeCurrent(all[size_t(std::clamp(index, 0, int(all.size()) - 1))]);
}

void BitsView::keyPressEvent(QKeyEvent* event)
{
    const std::vector<Box> all = boxes();
    const Box* at = current(all);
    const bool plain = !(event->modifiers() & (Qt::ControlModifier | Qt::AltModifier | Qt::MetaModifier));
    switch (plain ? event->key() : 0) {
    case Qt::Key_Left:
        return move(-1);
    case Qt::Key_Right:
        return move(1);
    case Qt::Key_Up:
    case Qt::Key_Down: {
        // The next row's box below or above.
        const double y = at ? at->rect.center().y() : 0, x = at ? at->rect.center().x() : 0;
        const bool down = event->key() == Qt::Key_Down;
        const Box* best = nullptr;
        const auto far = [&](const Box& box) {
            const double off = x < box.rect.left() ? box.rect.left() - x : std::max(0.0, x - box.rect.right());
            return std::abs(box.rect.center().y() - y) * 1'000 + off;
        };
        for (const Box& box : all)
            if (down ? box.rect.top() > y : box.rect.bottom() < y)
                if (!best || far(box) < far(*best))
                    best = &box;
        if (best)
            makeCurrent(*best);
        return;
    }
    case Qt::Key_Home:
        return move(-int(all.size()));
    case Qt::Key_End:
        return move(int(all.size()));
    case Qt::Key_Return:
    case Qt::Key_Enter:
    case Qt::Key_F2:
        if (at)
            edit(nameOf(*at));
        return;
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
        if (at && at->field)
            drop(nameOf(*at));
        return;
    default:
        break;
    }
    if (at && plain && event->text().size() == 1 && (event->text()[0].isLetterOrNumber()))
        return edit(nameOf(*at), event->text());
    QWidget::keyPressEvent(event);
}

void BitsView::edit(const std::string& dotted, const QString& text)
{
    if (!shown_ || need_ < 0)
        return;
    const std::vector<Box> all = boxes();
    const auto box = std::find_if(all.begin(), all.end(), [&](const Box& known) { return nameOf(known) == dotted; });
    if (box == all.end())
        return;
    if (box->field)
        if (const std::string why = whyNotEntered(*shown_, need_, box->ref); !why.empty()) {
            Q_EMIT document_.refused(QString::fromStdString(dotted + " " + why + "."));
            return;
        }
    close();
    makeCurrent(*box);
    const std::uint32_t code = box->field ? box->field->in(box->reg->value) : box->reg->value;
    editor_ = new QLineEdit(this);
    editor_->setObjectName("field-editor");
    editor_->setFont(Theme::get().mono(11));
    editor_->setAccessibleName(QString::fromStdString(dotted));
    editor_->setToolTip(wordsOf(*box));
    editor_->setText(!text.isEmpty() ? text
                     : box->field    ? QString::fromStdString(fieldCodeText(*box->field, code))
                                     : QString("0x%1").arg(code, 0, 16));
    QStringList names;
    if (box->field)
        for (const std::string& name : valueNames(*box->field))
            names << QString::fromStdString(name);
    const QFontMetrics metrics(editor_->font());
    int wide = std::max(96, metrics.horizontalAdvance(editor_->text()) + 24);
    for (const QString& name : names)
        wide = std::max(wide, metrics.horizontalAdvance(name) + 24);
    wide = std::min(wide, width());
    const int x = std::clamp(int(box->field ? box->rect.left() : box->rect.right() - wide), 0, width() - wide);
    const int y = std::max(0, int(box->rect.center().y()) - 12);
    editor_->setGeometry(x, y, wide, 24);
    edited_ = dotted;
    const std::string need = shown_->plan.needs[need_].id;
    const auto typed = [this, need, dotted, field = editor_] {
        pending_.typed(field, [this, need, dotted, field] { return commit(need, dotted, field->text()); });
    };
    connect(editor_, &QLineEdit::textEdited, this, typed);
    connect(editor_, &QLineEdit::editingFinished, this, [this, field = editor_] {
        if (field && pending_.settle(field) && field == editor_)
            close();
    });
    editor_->installEventFilter(this);
    editor_->show();
    editor_->setFocus(Qt::OtherFocusReason);
    if (text.isEmpty())
        editor_->selectAll();
    else
        typed();
}

bool BitsView::eventFilter(QObject* watched, QEvent* event)
{
    // Not on to the view, which would open the field again.
    if (watched == editor_ && event->type() == QEvent::KeyPress)
        if (const int key = static_cast<QKeyEvent*>(event)->key(); key == Qt::Key_Return || key == Qt::Key_Enter) {
            if (pending_.settle(editor_))
                close();
            return true;
        }
    if (watched == editor_ && (event->type() == QEvent::KeyPress || event->type() == QEvent::ShortcutOverride) &&
        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
        event->accept();
        if (event->type() == QEvent::KeyPress) {
            close();
            setFocus(Qt::OtherFocusReason);
        }
        return true;
    }
    return QWidget::eventFilter(watched, event);
}

void BitsView::close()
{
    if (!editor_)
        return;
    QLineEdit* old = editor_;
    const bool had = old->hasFocus();
    pending_.forget(old);
    editor_ = nullptr;
    edited_.clear();
    old->hide();
    old->deleteLater();
    if (had)
        setFocus(Qt::OtherFocusReason);
    update();
}

QString BitsView::commit(const std::string& id, const std::string& dotted, const QString& text)
{
    const auto refuse = [this](const QString& why) {
        if (editor_) {
            editor_->setProperty("wrong", true);
            editor_->style()->polish(editor_);
        }
        return why + say(" Correct it, or press Esc to discard it.");
    };
    const Snapshot* s = document_.isOpen() ? &document_.snapshot() : nullptr;
    NeedIndex need = -1;
    for (NeedIndex n = 0; s && n < int(s->plan.needs.size()); ++n)
        if (s->plan.needs[n].id == id)
            need = int(n);
    const std::optional<FieldRef> field = need >= 0 ? s->device->findField(dotted) : std::nullopt;
    const size_t dot = dotted.find('.');
    const InstanceIndex instance = need >= 0 ? s->device->findInstance(dotted.substr(0, dot)) : InstanceIndex(-1);
    RegisterIndex reg = -1;
    if (instance >= 0)
        for (const RegisterIndex r : s->device->blockOf(instance).registers.indices())
            if (s->device->blockOf(instance).registers[r].name == dotted.substr(dot + 1))
                reg = int(r);
    if (!field && reg < 0) {
        Q_EMIT document_.refused(
            QString(say("\"%1\" was discarded: the register that it was typed for is no longer there.")).arg(text));
        return {};
    }
    Expected<FieldEntry> entry = FieldEntry();
    if (field) {
        entry = enterField(*s, need, *field, std::string_view(text.toStdString()));
    } else {
        const Expected<std::uint32_t> word = wordValue(s->device->blockOf(instance).registers[reg], text.toStdString());
        if (!word)
            return refuse(QString::fromStdString(word.problem().message));
        entry = enterRegister(*s, need, instance, reg, *word);
    }
    if (!entry)
        return refuse(QString::fromStdString(entry.problem().message));
    if (entry->edit.changes.empty())
        return {};
    // What refuses an edit says so itself.
    if (document_.apply(entry->edit))
        Q_EMIT document_.told(typeset(entry->told));
    return {};
}

void BitsView::drop(const std::string& dotted)
{
    const std::optional<FieldRef> field = shown_->device->findField(dotted);
    if (!field)
        return;
    const Expected<FieldEntry> entry = enterField(*shown_, need_, *field, std::string_view());
    if (!entry)
        return;
    if (entry->edit.changes.empty())
        Q_EMIT document_.refused(QString::fromStdString(entry->told));
    else if (document_.apply(entry->edit))
        Q_EMIT document_.told(typeset(entry->told));
}

QString BitsView::wordsOf(const Box& box) const
{
    const Register& reg = shown_->device->blockOf(box.reg->instance).registers[box.reg->reg];
    if (!box.field) {
        QString text =
            QString("%1 = 0x%2").arg(QString::fromStdString(nameOf(box))).arg(box.reg->value, 8, 16, QChar('0'));
        if (!reg.about.empty())
            text += "\n" + QString::fromStdString(reg.about);
        return text + QString(say("\n0x%1 after reset")).arg(box.reg->reset, 8, 16, QChar('0'));
    }
    const std::uint32_t code = box.field->in(box.reg->value), reset = box.field->in(box.reg->reset);
    const auto named = [&](std::uint32_t value) {
        for (const EnumValue& known : box.field->values)
            if (known.code == value)
                return " (" + QString::fromStdString(known.name) + ")";
        return QString();
    };
    QString text = QString(say("%1, bits %2 = %3%4"))
                       .arg(QString::fromStdString(nameOf(box)), QString::fromStdString(box.field->bitsText()))
                       .arg(code)
                       .arg(named(code));
    if (code > 9)
        text += QString(" = 0x%1 = 0b%2").arg(code, 0, 16).arg(code, 0, 2);
    if (!box.field->about.empty())
        text += "\n" + QString::fromStdString(box.field->about);
    if (box.field->access != Field::Access::ReadWrite)
        text += QString("\n") + accessWords(box.field->access);
    text += QString(say("\n%1%2 after reset")).arg(reset).arg(named(reset));
    if (box.write && box.write->byHand)
        text += box.write->asked ? QString(say("\nset by hand; the goals ask for %1%2"))
                                       .arg(*box.write->asked)
                                       .arg(named(*box.write->asked))
                                 : QString(say("\nset by hand"));
    else if (box.write)
        text += say("\nset by ") + QString::fromStdString(box.write->cause);
    else
        text += say("\nleft as after reset");
    QStringList values;
    for (const EnumValue& value : box.field->values)
        values << QString("%1 = %2").arg(value.code).arg(QString::fromStdString(value.name));
    if (!values.isEmpty())
        text += "\n" + values.join("\n");
    return text;
}

bool BitsView::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const std::vector<Box> all = boxes();
        if (const Box* box = boxAt(all, help->pos()))
            QToolTip::showText(help->globalPos(), wordsOf(*box), this);
        else
            QToolTip::hideText();
        return true;
    }
    return QWidget::event(event);
}

} // namespace bindrel
