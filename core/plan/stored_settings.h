// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/device.h"
#include "core/plan/plan.h"

#include <memory>

namespace bindrel {

/// "WORD.SETTING" of a chip's non-volatile memory; null when it has none of that name. Valid as long as the device.
const StoredSetting* findStored(const Device& device, std::string_view id);
/// All of them, in the file's order.
std::vector<std::string> storedIds(const Device& device);

/// The code of a value that a plan names; the message says what would be right.
Expected<std::uint32_t> storedCode(const Device& device, std::string_view id, std::string_view value);

/// What a word is to hold: the plan's choices, the factory's bits for the rest. Empty when the plan chooses nothing of
/// it.
std::optional<std::uint32_t> storedValue(const Device& device, const Plan& plan, const StoredWord& word);

/// Where a word, or its inverse, lies and what it is to hold.
struct StoredPlace {
    const StoredWord* word = nullptr;
    std::uint32_t address = 0;
    std::uint32_t value = 0;
    bool inverse = false;
};
/// Of all words of which the plan chooses something.
std::vector<StoredPlace> storedPlaces(const Device& device, const Plan& plan);

/// The chip with these settings in its memory: what they decide comes out of reset otherwise. The same device when the
/// plan chooses nothing. Choices that the device does not have are passed over (NVM-01 tells of them).
std::shared_ptr<const Device> withStored(std::shared_ptr<const Device> device, const Plan& plan);

} // namespace bindrel
