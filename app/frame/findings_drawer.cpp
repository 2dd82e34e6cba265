// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/findings_drawer.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/widgets/change_dialog.h"
#include "app/widgets/marks.h"
#include "app/widgets/panel.h"
#include "core/base/say.h"
#include "core/base/text.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

FindingsList::FindingsList(Document& document, ViewState& view, QWidget* parent)
    : RowList(parent), document_(document), view_(view)
{
    setAccessibleName(say("Findings"));
    connect(&document_, &Document::changed, this, &FindingsList::refill);
    connect(&document_, &Document::findingsChanged, this, &FindingsList::refill);
    connect(this, &RowList::currentChanged, this, [this](int row) { lastRow_ = row; });
    connect(this, &RowList::activated, this, &FindingsList::goTo);
}

int FindingsList::rowCount() const
{
    return document_.isOpen() ? int(document_.findings().size()) : 0;
}

/// Of two findings with the same words at the same place one is as good as the other.
QString FindingsList::rowKey(int row) const
{
    const Finding& finding = document_.findings()[size_t(row)];
    return QString::fromStdString(fmt::format("{}\n{}\n{}\n{}\n{}", finding.rule, int(finding.place.kind),
                                              finding.place.id, finding.place.sub, finding.text));
}

void FindingsList::refill()
{
    if (currentRow() >= 0)
        lastRow_ = currentRow();
    rowsChanged();
}

const Finding* FindingsList::current() const
{
    return currentRow() >= 0 && currentRow() < rowCount() ? &document_.findings()[size_t(currentRow())] : nullptr;
}

void FindingsList::goTo(int row)
{
    if (row < 0 || row >= rowCount())
        return;
    // What jumping settles first may change the findings.
    const Place place = document_.findings()[size_t(row)].place;
    lastRow_ = row;
    view_.jump(place);
}

void FindingsList::step(int by)
{
    const int count = rowCount();
    if (count == 0)
        return;
    // When the one that was current is gone, what follows it stands in its row now.
    const int from = currentRow() >= 0 ? currentRow()
                     : lastRow_ < 0    ? (by > 0 ? -1 : count)
                     : by > 0          ? std::min(lastRow_, count) - 1
                                       : std::min(lastRow_, count);
    const int row = (from + by + count) % count;
    setCurrentRow(row);
    goTo(row);
}

void FindingsList::fixCurrent()
{
    if (!current())
        return;
    const Finding finding = *current();
    const Expected<Edit> edit = fixFor(document_.snapshot().facts(), finding);
    if (!edit) {
        Q_EMIT document_.refused(QString::fromStdString(edit.problem().message));
        return;
    }
    ChangeDialog dialog(document_, *edit, this);
    if (dialog.exec() == QDialog::Accepted)
        document_.apply(*edit);
}

void FindingsList::waysForCurrent()
{
    if (!current())
        return;
    if (const std::optional<WaysOffer> ways = current()->ways)
        Q_EMIT waysWanted(*ways);
    else
        Q_EMIT document_.refused(say("No clock setting fixes this finding. Its text says what does."));
}

static const char* const kWays = later("Solutions\u2026");

FindingsList::RowButtons FindingsList::rowButtons(int row, const QRect& rect) const
{
    const Finding& finding = document_.findings()[size_t(row)];
    const QFontMetrics metrics(Theme::get().text(12));
    int right = rect.right() - 12;
    const auto place = [&](const QString& text) {
        const int width = metrics.horizontalAdvance(text) + 16;
        right -= width;
        return QRect(right, rect.top(), width, rect.height());
    };
    RowButtons out;
    if (!finding.fixTitle.empty())
        out.fix = place(QString::fromStdString(finding.fixTitle) + "\u2026");
    if (finding.ways)
        out.ways = place(say(kWays));
    return out;
}

void FindingsList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    const Finding& finding = document_.findings()[size_t(row)];
    drawSeverityMark(p, QRectF(rect.left() + 14, rect.center().y() - 4, 9, 9), finding.severity);
    p.setFont(t.mono(11));
    p.setPen(t.muted);
    drawLine(p, rect.adjusted(32, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, QString::fromStdString(finding.rule));
    const RowButtons presses = rowButtons(row, rect);
    const QRect& first = presses.ways.isNull() ? presses.fix : presses.ways;
    const QRect text(rect.left() + 94, rect.top(),
                     (first.isNull() ? rect.right() - 12 : first.left() - 8) - rect.left() - 94, rect.height());
    p.setFont(t.text(12));
    p.setPen(t.ink);
    drawLine(p, text, Qt::AlignVCenter | Qt::AlignLeft, typeset(finding.text), Qt::ElideRight);
    p.setPen(t.accent);
    if (!presses.fix.isNull())
        drawLine(p, presses.fix, Qt::AlignVCenter | Qt::AlignRight,
                 QString::fromStdString(finding.fixTitle) + "\u2026");
    if (!presses.ways.isNull())
        drawLine(p, presses.ways, Qt::AlignVCenter | Qt::AlignRight, say(kWays));
}

QString FindingsList::rowText(int row) const
{
    return typeset(document_.findings()[size_t(row)].text);
}

void FindingsList::mousePressEvent(QMouseEvent* event)
{
    RowList::mousePressEvent(event);
    // Making it current may have changed the findings.
    const int row = currentRow();
    if (row < 0 || rowAt(event->position().toPoint()) != row)
        return;
    const RowButtons presses = rowButtons(row, rowRect(row));
    if (presses.fix.contains(event->position().toPoint()))
        fixCurrent();
    else if (presses.ways.contains(event->position().toPoint()))
        waysForCurrent();
    else
        goTo(row);
}

void FindingsList::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_F && event->modifiers() == Qt::NoModifier)
        fixCurrent();
    else if (event->key() == Qt::Key_W && event->modifiers() == Qt::NoModifier)
        waysForCurrent();
    else
        RowList::keyPressEvent(event);
}

/// The head of the drawer: a heading, the tally, the keys.
class FindingsDrawer::Head : public QWidget {
public:
    explicit Head(FindingsDrawer& drawer) : drawer_(drawer)
    {
        setFixedHeight(24);
        setCursor(Qt::PointingHandCursor);
        setAccessibleName(say("Show or hide the findings"));
    }

protected:
    void paintEvent(QPaintEvent*) override
    {
        if (!drawer_.document_.isOpen())
            return;
        const Theme& t = Theme::get();
        const int errors = drawer_.document_.count(Finding::Severity::Error);
        const int cautions = drawer_.document_.count(Finding::Severity::Caution);
        QPainter p(this);
        p.setFont(t.heading());
        p.setPen(t.muted);
        drawLine(p, rect().adjusted(12, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, say("Findings"));
        const int after = 12 + QFontMetrics(p.font()).horizontalAdvance("FINDINGS") + 18;
        p.setFont(t.text(11));
        const QString tally = errors + cautions == 0
                                  ? QString("none")
                                  : QString::fromStdString(sayCount(errors, "{} error", "{} errors") + ", " +
                                                           sayCount(cautions, "{} caution", "{} cautions"));
        drawLine(p, rect().adjusted(after, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, tally);
        if (errors + cautions > 0)
            drawLine(p, rect().adjusted(0, 0, -12, 0), Qt::AlignVCenter | Qt::AlignRight,
                     drawer_.open_ ? say("F8 next \u00b7 Enter go to \u00b7 F fix \u00b7 W solutions \u00b7 F9 hide")
                                   : say("F9 shows them"));
    }
    void mousePressEvent(QMouseEvent*) override { drawer_.setOpen(!drawer_.open_); }

private:
    FindingsDrawer& drawer_;
};

FindingsDrawer::FindingsDrawer(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(horizontalRule());
    head_ = new Head(*this);
    column->addWidget(head_);
    list_ = new FindingsList(document, view);
    column->addWidget(list_);
    connect(&document_, &Document::changed, this, &FindingsDrawer::refresh);
    connect(&document_, &Document::findingsChanged, this, &FindingsDrawer::refresh);
    refresh();
}

void FindingsDrawer::setOpen(bool open)
{
    open_ = open;
    refresh();
}

/// As tall as its findings, up to five; nothing when all is well.
void FindingsDrawer::refresh()
{
    const int rows = std::min(5, list_->rowCount());
    list_->setVisible(open_ && rows > 0);
    list_->setFixedHeight(rows * 21 + 2);
    head_->update();
}

} // namespace bindrel
