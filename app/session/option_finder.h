// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "app/session/view_state.h"
#include "core/pins/options.h"

#include <map>
#include <optional>

namespace bindrel {

/// The options of the signal that is selected (while they are shown) or dragged, for the picture and the inspector.
/// What is taken is priced beside the interface: whether room can be made, and who moves for it.
class OptionFinder : public QObject {
    Q_OBJECT
public:
    OptionFinder(Document& document, ViewState& view, QObject* parent = nullptr);

    /// A signal on its way to a pad; nothing: what is selected.
    void setDragged(const std::optional<Place>& place);
    const std::vector<Option>& options() const { return options_; }
    NeedIndex need() const { return need_; } ///< -1 when there are none to show
    const std::string& signal() const { return signal_; }
    /// The signal of a place, or the first open one of its need.
    std::string signalFor(const Place& place) const;

    /// What taking an option would move, worked out when first asked for.
    const Expected<Room>& roomFor(const Option& option);
    /// Takes an option as one undo step, making room where it must and can. With `contest` it is taken as it is,
    /// whoever has it. Says why when it cannot be. True when the plan changed.
    bool take(const Option& option, bool contest = false);

    bool pricing() const { return background_.busy(); }

Q_SIGNALS:
    void changed();

private:
    void refresh();
    void price();

    Document& document_;
    ViewState& view_;
    std::optional<Place> dragged_;
    NeedIndex need_;
    std::string signal_;
    std::vector<Option> options_;
    std::map<std::pair<int, int>, Expected<Room>> rooms_; ///< by pad and instance
    Background background_{this};
};

} // namespace bindrel
