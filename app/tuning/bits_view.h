// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/widgets/accessible_items.h"

#include <QWidget>

namespace bindrel {

/// The registers of an instance (or of a pad's port) as strips of fields, with the values that the plan gives them.
/// Fields that a chosen goal decides are lit; pointing at a field says which goal decides it.
class BitsView : public QWidget, public AccessibleItems {
    Q_OBJECT
public:
    BitsView(Document& document, QWidget* parent = nullptr);
    void showNeed(NeedIndex need);
    void lightGoal(const std::string& goal);
    /// Fields with their values and what decides them.
    std::vector<AccessibleItem> accessibleItems() const override;
    void chooseAccessibleItem(int item) override;
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return {240, sizeHint().height()}; }

Q_SIGNALS:
    void goalPointedAt(const std::string& goal); ///< empty when none
    void registerPicked(const std::string& dotted);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    bool event(QEvent*) override;

private:
    struct Box {
        QRectF rect;
        const RegisterValue* reg = nullptr;
        const Field* field = nullptr;
        std::string cause, goal;
    };
    bool decides(const FieldRef& ref) const;
    QString emptyText() const;
    std::vector<const RegisterValue*> registers() const;
    std::vector<Box> boxes() const;
    Document& document_;
    std::shared_ptr<const Snapshot> shown_; ///< keeps what the boxes point into alive
    int need_ = -1;
    std::string lit_;
};

} // namespace bindrel
