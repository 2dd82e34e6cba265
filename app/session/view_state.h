// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <QObject>

#include <memory>
#include <optional>

namespace bindrel {

/// What the person is looking at: the selection, shared by all stations, and what is hovered. Not part of the plan, not
/// undone, not saved.
class ViewState : public QObject {
    Q_OBJECT
public:
    using QObject::QObject;

    const Place& selected() const { return selected_; }
    /// Need that the selection belongs to, or an empty string.
    std::string selectedNeed() const
    {
        const auto kind = selected_.kind;
        return kind == Place::Kind::Need || kind == Place::Kind::Signal || kind == Place::Kind::Goal ? selected_.id
               : kind == Place::Kind::Pad                                                            ? selected_.sub
                                                                                                     : std::string();
    }
    void select(const Place& place)
    {
        if (place == selected_)
            return;
        selected_ = place;
        Q_EMIT selectionChanged();
    }

    /// Whether the options of the selected signal are shown as ghost wires.
    bool optionsShown() const { return optionsShown_; }
    void showOptions(bool shown)
    {
        if (shown == optionsShown_)
            return;
        optionsShown_ = shown;
        Q_EMIT optionsChanged();
    }

    /// A change that is looked at before it is made: the picture shows the plan as it would be. Null: the plan as it is.
    const std::shared_ptr<const Snapshot>& preview() const { return preview_; }
    void setPreview(std::shared_ptr<const Snapshot> preview)
    {
        if (preview == preview_)
            return;
        preview_ = std::move(preview);
        Q_EMIT previewChanged();
    }

    /// A jump asked for by a finding, the go-to field or a link: the frame brings up the station.
    void jump(const Place& place)
    {
        select(place);
        Q_EMIT jumped(place);
    }

Q_SIGNALS:
    void selectionChanged();
    void optionsChanged();
    void previewChanged();
    void jumped(const bindrel::Place& place);

private:
    Place selected_;
    bool optionsShown_ = false;
    std::shared_ptr<const Snapshot> preview_;
};

} // namespace bindrel
