// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/stored_settings.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/reset_state.h"

#include <fmt/format.h>

#include <mutex>

namespace bindrel {

const StoredSetting* findStored(const Device& device, std::string_view id)
{
    for (const StoredWord& word : device.stored)
        for (const StoredSetting& setting : word.settings)
            if (id == word.name + "." + setting.bits.name)
                return &setting;
    return nullptr;
}

std::vector<std::string> storedIds(const Device& device)
{
    std::vector<std::string> out;
    for (const StoredWord& word : device.stored)
        for (const StoredSetting& setting : word.settings)
            out.push_back(word.name + "." + setting.bits.name);
    return out;
}

Expected<std::uint32_t> storedCode(const Device& device, std::string_view id, std::string_view value)
{
    const StoredSetting* setting = findStored(device, id);
    if (!setting) {
        const std::vector<std::string> ids = storedIds(device);
        return problemOf(say("\"{}\" is not a non-volatile setting of {}{}.{}", id, device.name,
                             ids.empty() ? say(", which has none") : "", didYouMean(id, ids)));
    }
    std::vector<std::string> names;
    for (const EnumValue& known : setting->bits.values) {
        if (known.name == value)
            return known.code;
        names.push_back(known.name);
    }
    return problemOf(say("\"{}\" is not a value of {}; use {}.{}", value, id, listed(names), didYouMean(value, names)));
}

std::optional<std::uint32_t> storedValue(const Device& device, const Plan& plan, const StoredWord& word)
{
    std::optional<std::uint32_t> out;
    for (const StoredSetting& setting : word.settings)
        if (const auto chosen = plan.stored.find(word.name + "." + setting.bits.name); chosen != plan.stored.end())
            if (const Expected<std::uint32_t> code = storedCode(device, chosen->first, chosen->second))
                out = (out.value_or(word.factory) & ~setting.bits.mask()) | *code << setting.bits.lsb;
    return out;
}

std::vector<StoredPlace> storedPlaces(const Device& device, const Plan& plan)
{
    std::vector<StoredPlace> out;
    for (const StoredWord& word : device.stored)
        if (const std::optional<std::uint32_t> value = storedValue(device, plan, word)) {
            const std::uint32_t all = word.width == 32 ? ~0u : (1u << word.width) - 1;
            out.push_back({&word, word.address, *value, false});
            if (word.inverseAt)
                out.push_back({&word, *word.inverseAt, ~*value & all, true});
        }
    return out;
}

std::shared_ptr<const Device> withStored(std::shared_ptr<const Device> device, const Plan& plan)
{
    if (plan.stored.empty() || device->stored.empty())
        return device;
    // Edit after edit asks for the same chip with the same settings.
    static std::mutex guard;
    static std::weak_ptr<const Device> lastFrom;
    static decltype(Plan::stored) lastChosen;
    static std::weak_ptr<const Device> lastMade;
    const std::lock_guard lock(guard);
    if (const std::shared_ptr<const Device> made = lastMade.lock();
        made && lastFrom.lock() == device && lastChosen == plan.stored)
        return made;
    auto out = std::make_shared<Device>(*device);
    for (const auto& [id, value] : plan.stored)
        if (const Expected<std::uint32_t> code = storedCode(*device, id, value))
            for (const StoredSetting::Decides& decides : findStored(*device, id)->decides)
                resetTo(*out, decides.ref, decides.codeFor(*code));
    lastFrom = device;
    lastChosen = plan.stored;
    lastMade = out;
    return out;
}

} // namespace bindrel
