// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/option_finder.h"

#include "core/base/say.h"

namespace bindrel {

OptionFinder::OptionFinder(Document& document, ViewState& view, QObject* parent)
    : QObject(parent), document_(document), view_(view)
{
    connect(&document_, &Document::changed, this, &OptionFinder::refresh);
    connect(&view_, &ViewState::selectionChanged, this, &OptionFinder::refresh);
    connect(&view_, &ViewState::optionsChanged, this, &OptionFinder::refresh);
}

void OptionFinder::setDragged(const std::optional<Place>& place)
{
    if (place == dragged_)
        return;
    dragged_ = place;
    refresh();
}

std::string OptionFinder::signalFor(const Place& place) const
{
    if (place.kind == Place::Kind::Signal)
        return place.sub;
    const Snapshot& s = document_.snapshot();
    const std::string id = place.kind == Place::Kind::Pad ? place.sub : place.id;
    for (const NeedIndex n : s.plan.needs.indices()) {
        if (s.plan.needs[n].id != id)
            continue;
        const auto& seats = s.bindings.needs[n].seats;
        for (const Seat& seat : seats)
            if (seat.pad < 0)
                return seat.signal.id;
        for (const Seat& seat : seats)
            if (place.kind == Place::Kind::Pad && seat.pad >= 0 && s.device->pads[seat.pad].name == place.id)
                return seat.signal.id;
        return seats.empty() ? std::string() : seats.front().signal.id;
    }
    return {};
}

void OptionFinder::refresh()
{
    background_.cancel();
    options_.clear();
    rooms_.clear();
    need_ = -1;
    signal_.clear();
    if (document_.isOpen() && (dragged_ || view_.optionsShown())) {
        const Snapshot& s = document_.snapshot();
        const Place place = dragged_ ? *dragged_ : view_.selected();
        const std::string id = place.kind == Place::Kind::Pad ? place.sub : place.id;
        for (const NeedIndex n : s.plan.needs.indices())
            if (s.plan.needs[n].id == id)
                need_ = int(n);
        if (need_ >= 0) {
            signal_ = signalFor(place);
            options_ = optionsFor(*s.device, *s.board, s.plan, s.bindings, need_, signal_);
            price();
        }
    }
    Q_EMIT changed();
}

void OptionFinder::price()
{
    background_.run<std::vector<Option>>(
        say("Pricing the options"),
        [s = document_.sharedSnapshot(), need = need_, signal = signal_,
         options = options_](const Background::Stopped& stopped) mutable {
            for (Option& option : options)
                if (!stopped())
                    priceOption(option, *s->device, *s->board, s->plan, s->bindings, need, signal, stopped);
            return options;
        },
        [this](std::vector<Option> priced) {
            // Each stays in its place, so that the number under the finger is the option that was read.
            options_ = std::move(priced);
            Q_EMIT changed();
        });
}

const Expected<Room>& OptionFinder::roomFor(const Option& option)
{
    const Snapshot& s = document_.snapshot();
    const std::pair key(option.pad, option.instance);
    const auto known = rooms_.find(key);
    if (known != rooms_.end())
        return known->second;
    // A pointer hovers over many pads: a search that takes longer than a blink is given up here.
    const auto until = std::chrono::steady_clock::now() + std::chrono::milliseconds(150);
    return rooms_
        .emplace(key, makeRoom(*s.device, *s.board, s.plan, s.bindings, need_, signal_, option,
                               [until] { return std::chrono::steady_clock::now() > until; }))
        .first->second;
}

bool OptionFinder::take(const Option& given, bool contest)
{
    const Option option = given;
    const auto snapshot = document_.sharedSnapshot();
    const Snapshot& s = *snapshot;
    const std::string pad = s.device->pads[option.pad].name;
    const std::string need = s.plan.needs[need_].id;
    const std::string signal = signal_;
    if (option.cost == Option::Cost::Current)
        return false;
    const bool taken = option.cost == Option::Cost::Contends || option.cost == Option::Cost::Room;
    Edit edit;
    if (taken && !contest) {
        const Expected<Room>& room = roomFor(option);
        if (!room) {
            Q_EMIT document_.refused(QString::fromStdString(pad + ": " + option.reason +
                                                            say(". No room can be made: ") + room.problem().message));
            return false;
        }
        edit = room->edit;
    } else if (option.cost == Option::Cost::Impossible && !(contest && option.taken)) {
        Q_EMIT document_.refused(QString::fromStdString(pad + ": " + option.reason + "."));
        return false;
    } else {
        edit = takeOption(*s.device, *s.board, s.plan, s.bindings, need_, signal, option);
    }
    view_.showOptions(false);
    if (!document_.apply(edit))
        return false;
    view_.select({Place::Kind::Signal, need, signal});
    return true;
}

} // namespace bindrel
