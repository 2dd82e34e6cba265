// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/panel.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"

#include <QEvent>
#include <QFontMetrics>
#include <QLabel>
#include <QPainter>
#include <QVBoxLayout>
#include <QWidget>

#include <algorithm>

namespace bindrel {

namespace {

class RuleLine : public QWidget {
public:
    explicit RuleLine(bool vertical)
    {
        if (vertical)
            setFixedWidth(1);
        else
            setFixedHeight(1);
    }

protected:
    void paintEvent(QPaintEvent*) override { QPainter(this).fillRect(rect(), Theme::get().rule); }
};

/// Takes its colour at painting time, so that a change of theme needs nothing more.
class Heading : public QLabel {
public:
    using QLabel::QLabel;

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter p(this);
        p.setFont(Theme::get().heading());
        p.setPen(Theme::get().muted);
        drawLine(p, rect().adjusted(12, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, text());
    }
};

} // namespace

QLabel* panelHeading(const QString& text)
{
    auto* label = new Heading(text);
    label->setFixedHeight(18);
    constexpr int kIndent = 12, kNarrowest = 100;
    label->setMinimumWidth(
        std::max(kNarrowest, QFontMetrics(Theme::get().heading()).horizontalAdvance(text.toUpper()) + 2 * kIndent));
    return label;
}

SidePanel sidePanel(const QString& heading, int width)
{
    auto* widget = new QWidget;
    widget->setFixedWidth(width);
    auto* column = new QVBoxLayout(widget);
    column->setContentsMargins(0, 10, 0, 0);
    column->setSpacing(4);
    column->addWidget(panelHeading(heading));
    return {widget, column};
}

QWidget* verticalRule()
{
    return new RuleLine(true);
}
QWidget* horizontalRule()
{
    return new RuleLine(false);
}

} // namespace bindrel
