// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "app/widgets/entry_list.h"
#include "core/pins/relocate.h"

#include <QDialog>

class QLabel;
class QPushButton;
class QTextBrowser;

namespace bindrel {

/// A chip or a board that the plan could go to.
struct Destination {
    enum class Kind { Heading, Device, Board } kind = Kind::Heading;
    QString title;
    QString detail;
    std::shared_ptr<const Device> device;
    std::shared_ptr<const Board> board; ///< its file as it is
};

class DestinationList : public EntryList {
    Q_OBJECT
public:
    using EntryList::EntryList;
    void setDestinations(std::vector<Destination> destinations);
    const std::vector<Destination>& destinations() const { return destinations_; }
    int rowCount() const override { return int(destinations_.size()); }
    QString rowKey(int row) const override { return look(row).title + "\n" + look(row).detail; }

protected:
    Look look(int row) const override
    {
        const Destination& destination = destinations_[size_t(row)];
        return {destination.kind == Destination::Kind::Heading, destination.title, destination.detail};
    }

private:
    std::vector<Destination> destinations_;
};

/// Change of chip, package or board: what stays, what moves, what cannot be kept, for whichever is looked at. Nothing
/// is done until it is taken, and then as one undo step.
class MoveDialog : public QDialog {
    Q_OBJECT
public:
    explicit MoveDialog(Document& document, QWidget* parent = nullptr);
    DestinationList* list() const { return list_; }
    /// The move that is shown; null while it is worked out.
    const Relocation* shown() const { return shown_ ? &*shown_ : nullptr; }
    Edit edit() const { return shown_ ? shown_->edit : Edit{}; }
    /// Shows a chip at once, by its name.
    void showDevice(const std::string& name);

private:
    void look(int row);
    void tell(const Relocation& there);

    Document& document_;
    DestinationList* list_ = nullptr;
    QTextBrowser* text_ = nullptr;
    QPushButton* take_ = nullptr;
    std::optional<Relocation> shown_;
    Background background_{this};
};

} // namespace bindrel
