// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/session/pending_text.h"

#include <QObject>

#include <memory>

namespace bindrel {

/// What the person is looking at: the selection, shared by all stations, what is hovered, and what is typed but not in
/// the plan yet. Not part of the plan, not undone, not saved. It holds ids, never indices, and hears of each change of
/// the document before any view does: what the new plan does not have is then selected no longer, and what was
/// previewed is not shown over another plan. REQUIRES: made before the views.
class ViewState : public QObject {
    Q_OBJECT
public:
    explicit ViewState(Document& document, QObject* parent = nullptr);

    /// Names something that the plan or its chip has, or nothing.
    const Place& selected() const { return selected_; }
    /// Need that the selection belongs to, or an empty string.
    std::string selectedNeed() const
    {
        const auto kind = selected_.kind;
        return kind == Place::Kind::Need || kind == Place::Kind::Signal || kind == Place::Kind::Goal ? selected_.id
               : kind == Place::Kind::Pad                                                            ? selected_.sub
                                                                                                     : std::string();
    }
    /// Settles what is being typed first; false when that is refused, and then the selection stays.
    bool select(const Place& place);

    PendingText& pending() { return pending_; }

    /// Whether the options of the selected signal are shown as ghost wires.
    bool optionsShown() const { return optionsShown_; }
    void showOptions(bool shown);

    /// A change that is looked at before it is made: the picture shows the plan as it would be. Null: the plan as it
    /// is.
    const std::shared_ptr<const Snapshot>& preview() const { return preview_; }
    void setPreview(std::shared_ptr<const Snapshot> preview);

    /// A jump asked for by a finding, the go-to field or a link: the frame brings up the station.
    void jump(const Place& place);

Q_SIGNALS:
    void selectionChanged();
    void optionsChanged();
    void previewChanged();
    void jumped(const bindrel::Place& place);

private:
    /// The place as the open plan has it; nothing where it does not.
    Place resolved(const Place& place) const;
    void follow();

    Document& document_;
    PendingText pending_;
    Place selected_;
    bool optionsShown_ = false;
    std::shared_ptr<const Snapshot> preview_;
};

} // namespace bindrel
