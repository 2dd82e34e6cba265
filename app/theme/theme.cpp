// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme/theme.h"

#include <QApplication>
#include <QPalette>
#include <QRegularExpression>
#include <QStyleFactory>
#include <QWidget>

#include <array>

namespace bindrel {

namespace {

Theme fen()
{
    Theme t;
    t.paper = QColor("#F6F3EC");
    t.raised = QColor("#FFFEFA");
    t.sunken = QColor("#E9E3D5");
    t.ink = QColor("#1F2A37");
    t.muted = QColor("#665F52");
    t.rule = QColor("#D5CEBF");
    t.faint = QColor("#B5AD9C");
    t.accent = QColor("#0F6B6B");
    t.error = QColor("#B2361F");
    t.caution = QColor("#8A580A");
    t.band = QColor("#DCE7DE");
    t.bandBroken = QColor("#F2DAD4");
    t.bandEdge = QColor("#5E9A8E");
    return t;
}

Theme nightFen()
{
    Theme t;
    t.dark = true;
    t.paper = QColor("#171D22");
    t.raised = QColor("#1F272D");
    t.sunken = QColor("#2B353C");
    t.ink = QColor("#E7E2D6");
    t.muted = QColor("#A39C8D");
    t.rule = QColor("#38434A");
    t.faint = QColor("#5B656B");
    t.accent = QColor("#5FBDB5");
    t.error = QColor("#F0846F");
    t.caution = QColor("#DDAE5A");
    t.band = QColor("#24403D");
    t.bandBroken = QColor("#4C2B27");
    t.bandEdge = QColor("#4F8F86");
    return t;
}

Theme& current()
{
    static Theme theme = fen();
    return theme;
}

QString styleSheet(const Theme& t)
{
    return QStringLiteral(R"(
        QWidget { color: %1; }
        QLineEdit, QComboBox, QSpinBox { background: %2; border: 1px solid %3; padding: 2px 5px; selection-background-color: %4; selection-color: %2; }
        QLineEdit:focus, QComboBox:focus { border: 1px solid %4; }
        QLineEdit[wrong="true"] { border: 1px solid %6; }
        QComboBox::drop-down { border: 0; width: 16px; }
        QComboBox::down-arrow { width: 0; height: 0; border-left: 4px solid %2; border-right: 4px solid %2; }
        QComboBox::down-arrow { border-top: 5px solid %7; border-bottom: 0; }
        QComboBox QAbstractItemView { background: %2; border: 1px solid %3; selection-background-color: %5; selection-color: %1; }
        QPushButton { background: %2; border: 1px solid %3; padding: 4px 12px; }
        QPushButton:hover, QPushButton:focus { border-color: %4; }
        QPushButton:checked { background: %5; border-color: %4; }
        QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
        QPushButton:disabled { color: %7; }
        QPushButton[primary="true"] { background: %4; color: %2; border-color: %4; } QPushButton[primary="true"]:disabled { background: %2; color: %7; border-color: %3; }
        QToolTip { background: %2; color: %1; border: 1px solid %3; padding: 3px; }
        QMenuBar { background: %8; } QMenuBar::item { padding: 3px 9px; background: transparent; } QMenuBar::item:selected { background: %5; }
        QMenu { background: %2; border: 1px solid %3; } QMenu::item { padding: 4px 28px 4px 14px; } QMenu::item:selected { background: %5; color: %1; } QMenu::item:disabled { color: %7; }
        QMenu::separator { height: 1px; background: %3; margin: 3px 8px; }
        QListView, QTreeView, QTableView, QScrollArea { background: transparent; border: 0; outline: 0; }
        #completion { background: %2; color: %1; border: 1px solid %3; } #completion::item:selected { background: %5; color: %1; }
        QScrollBar:vertical { background: transparent; width: 9px; margin: 0; } QScrollBar::handle:vertical { background: %3; min-height: 24px; }
        QScrollBar:horizontal { background: transparent; height: 9px; margin: 0; } QScrollBar::handle:horizontal { background: %3; min-width: 24px; }
        QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; } QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
        QAbstractScrollArea::corner { background: transparent; border: 0; }
        QSplitter::handle { background: %3; }
    )")
        .arg(t.ink.name(), t.raised.name(), t.rule.name(), t.accent.name(), t.sunken.name(), t.error.name(),
             t.muted.name(), t.paper.name());
}

} // namespace

const Theme& Theme::get()
{
    return current();
}

QColor Theme::hue(int n) const
{
    static const std::array<const char*, 12> day{"#2F5C9E", "#B2562B", "#4A7A3D", "#7B4B94", "#0E7C86", "#98710F",
                                                 "#A23B63", "#56677A", "#2C8A68", "#84482B", "#4A4FA8", "#6B7A12"};
    static const std::array<const char*, 12> night{"#7FA8E0", "#E59A72", "#92C283", "#C39ADB", "#56C2CB", "#D9B45A",
                                                   "#E389AC", "#A5B5C6", "#6FCFAB", "#C98F70", "#9DA2EE", "#BCCB5C"};
    return QColor((dark ? night : day)[size_t(n >= 0 ? n % 12 : 7)]);
}

QFont Theme::text(int pixels, bool bold) const
{
    QFont font("Inter");
    font.setPixelSize(pixels);
    font.setWeight(bold ? QFont::DemiBold : QFont::Normal);
    return font;
}

QFont Theme::mono(int pixels, bool bold) const
{
    QFont font("JetBrains Mono");
    font.setStyleHint(QFont::Monospace);
    font.setStyleStrategy(QFont::PreferNoShaping); // "->" and "|=" must be seen as they are typed
    font.setPixelSize(pixels);
    font.setWeight(bold ? QFont::DemiBold : QFont::Normal);
    return font;
}

QFont Theme::editor(int pixels, bool bold) const
{
    // The text view shapes text on its own terms, so a face without ligatures is the only way to show "->" as typed.
    QFont font("DejaVu Sans Mono");
    font.setStyleHint(QFont::Monospace);
    font.setPointSizeF(pixels * 0.75); // at 96 dots an inch
    font.setWeight(bold ? QFont::Bold : QFont::Normal);
    return font;
}

QFont Theme::heading() const
{
    QFont font = text(10, true);
    font.setLetterSpacing(QFont::AbsoluteSpacing, 1.0);
    font.setCapitalization(QFont::AllUppercase);
    return font;
}

void Theme::apply(QApplication& app, bool dark)
{
    current() = dark ? nightFen() : fen();
    const Theme& t = current();
    app.setStyle(QStyleFactory::create("Fusion"));
    app.setFont(t.text());
    QPalette palette;
    palette.setColor(QPalette::Window, t.paper);
    palette.setColor(QPalette::Base, t.raised);
    palette.setColor(QPalette::AlternateBase, t.paper);
    palette.setColor(QPalette::Text, t.ink);
    palette.setColor(QPalette::WindowText, t.ink);
    palette.setColor(QPalette::Button, t.raised);
    palette.setColor(QPalette::ButtonText, t.ink);
    palette.setColor(QPalette::Highlight, t.accent);
    palette.setColor(QPalette::HighlightedText, t.raised);
    palette.setColor(QPalette::ToolTipBase, t.raised);
    palette.setColor(QPalette::ToolTipText, t.ink);
    palette.setColor(QPalette::PlaceholderText, t.muted);
    palette.setColor(QPalette::Link, t.accent);
    palette.setColor(QPalette::Disabled, QPalette::Text, t.muted);
    app.setPalette(palette);
    app.setStyleSheet(styleSheet(t));
}

QString typeset(const QString& text)
{
    static const QRegularExpression unit(QStringLiteral("(\\d) (%|ppm|[nµmkMG]?(?:Hz|Bd|bit/s|s|V|F)\\b)"));
    QString out = text;
    return out.replace(unit, QStringLiteral("\\1\u2009\\2"));
}

void restyle(QWidget* widget, const QString& sheet)
{
    if (widget->styleSheet() != sheet)
        widget->setStyleSheet(sheet);
}

QString typeset(const std::string& text)
{
    return typeset(QString::fromStdString(text));
}

} // namespace bindrel
