// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/view_state.h"

#include "core/plan/stored_settings.h"

#include <algorithm>

namespace bindrel {

ViewState::ViewState(Document& document, QObject* parent) : QObject(parent), document_(document)
{
    connect(&document_, &Document::opened, this, [this] {
        pending_.forgetAll();
        selected_ = {};
        follow();
    });
    connect(&document_, &Document::changed, this, &ViewState::follow);
    // A change from elsewhere must not pass over what is being typed.
    connect(&document_, &Document::aboutToChange, this, [this] { pending_.settle(); });
}

Place ViewState::resolved(const Place& place) const
{
    if (!document_.isOpen())
        return {};
    const Snapshot& s = document_.snapshot();
    const Device& device = *s.device;
    switch (place.kind) {
    case Place::Kind::Need:
    case Place::Kind::Goal:
        return s.plan.need(place.id) ? place : Place();
    case Place::Kind::Signal:
        for (const NeedIndex n : s.plan.needs.indices())
            if (s.plan.needs[n].id == place.id) {
                const std::vector<Seat>& seats = s.bindings.needs[n].seats;
                const bool there = std::any_of(seats.begin(), seats.end(),
                                               [&place](const Seat& seat) { return seat.signal.id == place.sub; });
                return there ? place : Place{Place::Kind::Need, place.id, {}};
            }
        return {};
    case Place::Kind::Pad:
        if (device.findPad(place.id) < 0)
            return {};
        return {Place::Kind::Pad, place.id, s.plan.need(place.sub) ? place.sub : std::string()};
    case Place::Kind::Clock:
        return device.findClock(place.id) >= 0 ? place : Place();
    case Place::Kind::Mode:
        return device.findMode(place.id) >= 0 ? place : Place();
    case Place::Kind::Stored:
        return findStored(device, place.id) ? place : Place();
    case Place::Kind::Instance:
    case Place::Kind::Register: {
        const std::string instance = place.id.substr(0, place.id.find('.'));
        const bool there = std::any_of(device.instances.begin(), device.instances.end(),
                                       [&](const Instance& i) { return i.name == instance; });
        return there ? place : Place();
    }
    case Place::Kind::Range:
    case Place::Kind::None:
        break;
    }
    return place;
}

/// Without a signal: whoever hears of a change makes itself anew from what is here then.
void ViewState::follow()
{
    preview_.reset();
    selected_ = resolved(selected_);
    optionsShown_ = optionsShown_ && !selectedNeed().empty();
}

bool ViewState::select(const Place& wanted)
{
    const Place place = wanted; // settling may do away with whatever held it
    if (!pending_.settle()) {
        Q_EMIT selectionChanged(); // lists go back to what stays selected
        return false;
    }
    const Place there = resolved(place);
    if (there == selected_)
        return true;
    selected_ = there;
    Q_EMIT selectionChanged();
    return true;
}

void ViewState::showOptions(bool shown)
{
    shown = shown && !selectedNeed().empty();
    if (shown == optionsShown_)
        return;
    optionsShown_ = shown;
    Q_EMIT optionsChanged();
}

void ViewState::setPreview(std::shared_ptr<const Snapshot> preview)
{
    if (preview == preview_)
        return;
    preview_ = std::move(preview);
    Q_EMIT previewChanged();
}

void ViewState::jump(const Place& wanted)
{
    const Place place = wanted;
    if (select(place))
        Q_EMIT jumped(place);
}

} // namespace bindrel
