// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/accessible_items.h"

#include <QAccessible>
#include <QAccessibleWidget>
#include <QPointer>
#include <QWidget>

namespace bindrel {

namespace {

class ItemInterface : public QAccessibleInterface, public QAccessibleActionInterface {
public:
    ItemInterface(QWidget* widget, int number) : widget_(widget), number_(number) {}

    bool isValid() const override { return widget_ && number_ < int(items().size()); }
    QObject* object() const override { return nullptr; }
    QAccessibleInterface* parent() const override { return QAccessible::queryAccessibleInterface(widget_); }
    QAccessibleInterface* child(int) const override { return nullptr; }
    QAccessibleInterface* childAt(int, int) const override { return nullptr; }
    int childCount() const override { return 0; }
    int indexOfChild(const QAccessibleInterface*) const override { return -1; }
    QString text(QAccessible::Text text) const override
    {
        return text == QAccessible::Name && isValid() ? items()[size_t(number_)].name : QString();
    }
    void setText(QAccessible::Text, const QString&) override {}
    QRect rect() const override
    {
        return isValid() ? QRect(widget_->mapToGlobal(items()[size_t(number_)].rect.topLeft()),
                                 items()[size_t(number_)].rect.size())
                         : QRect();
    }
    QAccessible::Role role() const override { return QAccessible::ListItem; }
    QAccessible::State state() const override
    {
        QAccessible::State state;
        state.selectable = true;
        state.invisible = !isValid() || !widget_->isVisible();
        return state;
    }
    void* interface_cast(QAccessible::InterfaceType type) override
    {
        return type == QAccessible::ActionInterface ? static_cast<QAccessibleActionInterface*>(this) : nullptr;
    }
    QStringList actionNames() const override { return {pressAction()}; }
    void doAction(const QString& action) override
    {
        if (auto* owner = dynamic_cast<AccessibleItems*>(widget_.data()); owner && action == pressAction() && isValid())
            owner->chooseAccessibleItem(number_);
    }
    QStringList keyBindingsForAction(const QString&) const override { return {}; }

private:
    std::vector<AccessibleItem> items() const
    {
        const auto* owner = dynamic_cast<const AccessibleItems*>(widget_.data());
        return owner ? owner->accessibleItems() : std::vector<AccessibleItem>();
    }
    QPointer<QWidget> widget_;
    int number_;
};

class ItemsInterface : public QAccessibleWidget {
public:
    explicit ItemsInterface(QWidget* widget) : QAccessibleWidget(widget, QAccessible::List, widget->accessibleName()) {}
    ~ItemsInterface() override
    {
        for (const QAccessible::Id id : children_)
            QAccessible::deleteAccessibleInterface(id);
    }

    int childCount() const override { return int(items().size()); }
    QAccessibleInterface* child(int index) const override
    {
        if (index < 0 || index >= childCount())
            return nullptr;
        while (int(children_.size()) <= index)
            // Qt owns it from here on. NOLINTNEXTLINE(clang-analyzer-cplusplus.NewDeleteLeaks)
            children_.push_back(
                QAccessible::registerAccessibleInterface(new ItemInterface(widget(), int(children_.size()))));
        return QAccessible::accessibleInterface(children_[size_t(index)]);
    }
    QAccessibleInterface* childAt(int x, int y) const override
    {
        const QPoint at = widget()->mapFromGlobal(QPoint(x, y));
        const std::vector<AccessibleItem> all = items();
        for (size_t i = 0; i < all.size(); ++i)
            if (all[i].rect.contains(at))
                return child(int(i));
        return nullptr;
    }
    int indexOfChild(const QAccessibleInterface* wanted) const override
    {
        for (size_t i = 0; i < children_.size(); ++i)
            if (QAccessible::accessibleInterface(children_[i]) == wanted)
                return int(i);
        return -1;
    }

private:
    std::vector<AccessibleItem> items() const
    {
        return dynamic_cast<const AccessibleItems*>(widget())->accessibleItems();
    }
    mutable std::vector<QAccessible::Id> children_;
};

QAccessibleInterface* interfaceFor(const QString&, QObject* object)
{
    return dynamic_cast<AccessibleItems*>(object) ? new ItemsInterface(static_cast<QWidget*>(object)) : nullptr;
}

} // namespace

void installAccessibleItems()
{
    static const bool installed = (QAccessible::installFactory(interfaceFor), true);
    (void)installed;
}

} // namespace bindrel
