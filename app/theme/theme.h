// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QColor>
#include <QFont>
#include <QString>

class QApplication;

namespace bindrel {

/// Colours and typefaces of the window: Fen by day, Night fen by night. One object for the whole program, since every
/// painted thing needs it; it changes only when the person switches.
struct Theme {
    bool dark = false;
    QColor paper;  ///< behind everything
    QColor raised; ///< cards, fields, the chip
    QColor sunken; ///< selected rows, hovered things
    QColor ink;    ///< text and lines that matter
    QColor muted;  ///< text of second rank; readable on paper (4.5 : 1)
    QColor rule;   ///< hairlines
    QColor faint;  ///< grids, outlines of what is not used
    QColor accent; ///< what is selected, what can be clicked
    QColor error;
    QColor caution;
    QColor band; ///< range in which a clock may lie
    QColor bandBroken;
    QColor bandEdge;

    /// Hue of the n-th part; twelve that colour-blind eyes can tell apart by hue and lightness, then from the start.
    QColor hue(int n) const;

    QFont text(int pixels = 12, bool bold = false) const;
    QFont mono(int pixels = 11, bool bold = false) const;
    /// For the text view, which takes points and would join characters of the other face into ligatures.
    QFont editor(int pixels = 12, bool bold = false) const;
    /// Capitals with spacing, for the headings of panels.
    QFont heading() const;

    static const Theme& get();
    /// Switches palette, fonts and style sheet of the program.
    static void apply(QApplication& app, bool dark);
};

/// A thin space between number and unit, as the interface wants it; core texts have a plain one.
QString typeset(const QString& text);
QString typeset(const std::string& text);

/// Gives a widget a style sheet of its own; nothing when it has it already, since that costs more than most edits.
void restyle(QWidget* widget, const QString& sheet);

} // namespace bindrel
