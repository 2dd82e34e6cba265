// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/row_list.h"
#include "core/alternatives.h"

namespace bindrel {

/// The settings that the arithmetic chooses among, a row each. The current row is compared with what is in use; Enter
/// applies it, Escape ends the comparison.
class AlternativesList : public RowList {
    Q_OBJECT
public:
    explicit AlternativesList(QWidget* parent = nullptr);
    void setAlternatives(Alternatives alternatives);
    const Alternatives& alternatives() const { return alternatives_; }
    int rowCount() const override { return int(alternatives_.all.size()); }
    QString rowText(int row) const override;
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return {80, sizeHint().height()}; }

Q_SIGNALS:
    void compared(int row); ///< -1: none
    void applied(int row);

protected:
    int rowHeight(int row) const override;
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    Alternatives alternatives_;
};

} // namespace bindrel
