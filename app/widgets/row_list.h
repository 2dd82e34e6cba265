// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QListView>

namespace bindrel {

/// A list of rows that its subclass paints: scrolling, the current row, keys and clicks are done here. Rows may be of
/// different heights, and some may not be selectable (headings). Below it is a Qt list over a model of the rows' texts,
/// so that assistive technology sees each of them; letters that are typed stay with the subclass and the window's
/// shortcuts.
class RowList : public QListView {
    Q_OBJECT
public:
    explicit RowList(QWidget* parent = nullptr);
    ~RowList() override;

    int currentRow() const { return current_; }
    /// Makes a row current and brings it into view; -1 for none.
    void setCurrentRow(int row);
    /// A row's place in the viewport, for tests and for popups.
    QRect rowRect(int row) const;
    int rowAt(const QPoint& viewportPoint) const;

    virtual int rowCount() const = 0;
    /// Text read out for a row.
    virtual QString rowText(int row) const = 0;
    /// What a row stands for, whatever else the list comes to hold; empty: nothing that lasts. The current row stays
    /// with its key.
    virtual QString rowKey(int row) const
    {
        (void)row;
        return {};
    }

Q_SIGNALS:
    void currentChanged(int row); ///< by key or click, not by setCurrentRow
    void activated(int row);      ///< Enter or double click

protected:
    virtual int rowHeight(int row) const = 0;
    virtual bool selectable(int row) const
    {
        (void)row;
        return true;
    }
    virtual void paintRow(QPainter& painter, int row, const QRect& rect, bool current) = 0;
    /// To be called when the rows are others than before, and before anything asks for one of them. The current row is
    /// then the one with the same key, and none where that is gone or rows have no keys.
    void rowsChanged();

    void resizeEvent(QResizeEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void focusInEvent(QFocusEvent*) override;
    void focusOutEvent(QFocusEvent*) override;
    bool viewportEvent(QEvent*) override;
    bool event(QEvent*) override;

private:
    class Model;
    class Delegate;
    bool has(int row) const { return row >= 0 && row < rowCount(); }
    int topOf(int row) const;
    void moveTo(int row);
    void tellCurrent();

    Model* model_;
    int current_ = -1;
    QString currentKey_;
};

} // namespace bindrel
