// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/session/pending_text.h"
#include "app/widgets/accessible_items.h"

#include <QPointer>
#include <QWidget>

class QLineEdit;

namespace bindrel {

/// The registers of an instance (or of a pad's port) as strips of fields, with the values that the plan gives them.
/// Fields that a chosen goal decides are lit; pointing at a field says which goal decides it. A value that is typed
/// into a field, or into a whole register, changes the goal that expresses it, or is kept as set by hand; Delete drops
/// that.
class BitsView : public QWidget, public AccessibleItems {
    Q_OBJECT
public:
    BitsView(Document& document, PendingText& pending, QWidget* parent = nullptr);
    void showNeed(NeedIndex need);
    void lightGoal(const std::string& goal);
    /// Fields with their values and what decides them.
    std::vector<AccessibleItem> accessibleItems() const override;
    void chooseAccessibleItem(int item) override;
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return {240, sizeHint().height()}; }
    /// Opens the editor of a field ("UART1.CTL.PARITY") or a register ("UART1.CTL"), with `text` in it instead of the
    /// value when there is one. Nothing happens when it is not shown or keeps nothing.
    void edit(const std::string& dotted, const QString& text = {});
    /// The open editor; null when there is none.
    QLineEdit* editor() const { return editor_; }

Q_SIGNALS:
    void goalPointedAt(const std::string& goal); ///< empty when none
    void registerPicked(const std::string& dotted);
    /// Of the field that is pointed at, else of the one that the keyboard is at: what the data sheet says, what is
    /// planned and who decided it. Empty: of none.
    void described(const QString& words);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void leaveEvent(QEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void focusInEvent(QFocusEvent*) override;
    void focusOutEvent(QFocusEvent*) override;
    bool event(QEvent*) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    /// A field, or the head of a register.
    struct Box {
        QRectF rect;
        const RegisterValue* reg = nullptr;
        const Field* field = nullptr;      ///< null for the head
        FieldRef ref;                      ///< of the head: its first field
        const FieldWrite* write = nullptr; ///< what decides the field; null: it is as after reset
    };
    std::string nameOf(const Box& box) const; ///< "UART1.CTL.PARITY", "UART1.CTL"
    QString wordsOf(const Box& box) const;    ///< what the data sheet says, what is planned and why
    const Box* boxAt(const std::vector<Box>& all, const QPointF& at) const;
    const Box* current(const std::vector<Box>& all) const;
    void makeCurrent(const Box& box);
    void describe(const Box* box);
    void move(int by);
    void drop(const std::string& dotted);
    /// Why the text cannot be taken; empty when it is.
    QString commit(const std::string& need, const std::string& dotted, const QString& text);
    void close();
    void paintField(QPainter& p, const Box& box) const;
    bool decides(const FieldRef& ref) const;
    QString emptyText() const;
    std::vector<const RegisterValue*> registers() const;
    std::vector<Box> boxes() const;
    Document& document_;
    PendingText& pending_;
    QPointer<QLineEdit> editor_;
    std::string edited_;                    ///< what the editor is open for
    std::string current_;                   ///< field or register that the keyboard is at
    std::shared_ptr<const Snapshot> shown_; ///< keeps what the boxes point into alive
    NeedIndex need_ = -1;
    std::string lit_;
};

} // namespace bindrel
