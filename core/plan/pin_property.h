// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/edit.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// Something that can be said of the pad that carries a signal. What is not said follows from the signal.
struct PinProperty {
    std::string id;                   ///< "pull"
    std::string title;                ///< "Pull"
    std::vector<std::string> choices; ///< empty: free text
};

/// name, net, pull, drive, speed, open_drain, level.
const std::vector<PinProperty>& pinProperties();
const PinProperty* findPinProperty(std::string_view id);

/// Checks a text against a property; the message says what would be right. Names and nets are single words.
Expected<std::string> checkPinProperty(std::string_view property, std::string_view text);

/// Whether a need states a property as a goal of its own; then it cannot also be said of the pin.
bool isPinGoal(const Need& need, std::string_view property);

/// What is said of a signal; nothing when it follows from the signal. A need for a port's bit says pull, drive, level
/// and open drain as goals.
std::optional<std::string> pinProperty(const Need& need, std::string_view signal, std::string_view property);
/// The change that says it; nothing as a value: back to what follows from the signal.
Change pinPropertyChange(const Need& need, const std::string& signal, const std::string& property,
                         std::optional<std::string> value);

} // namespace bindrel
