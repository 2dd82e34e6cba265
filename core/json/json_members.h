// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>

#include <string>
#include <utility>

namespace bindrel {

/// Makes room for so many members. An object that grows copies all that it has, to any depth: its keys are constant, so
/// that members cannot be moved.
inline void reserveMembers(nlohmann::ordered_json& object, std::size_t count)
{
    object.get_ref<nlohmann::ordered_json::object_t&>().reserve(count);
}

/// Adds a member of which it is known that there is none of its name: looking for it takes the time.
inline void appendMember(nlohmann::ordered_json& object, const std::string& name, nlohmann::ordered_json value)
{
    using Members = nlohmann::ordered_json::object_t::Container;
    static_cast<Members&>(*object.get_ptr<nlohmann::ordered_json::object_t*>()).emplace_back(name, std::move(value));
}

} // namespace bindrel
