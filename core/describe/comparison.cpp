// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/comparison.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;
using Difference = DescriptionDifference;

std::string shortened(const Json& value)
{
    std::string text = value.dump(-1, ' ', false, Json::error_handler_t::replace);
    return text.size() > 80 ? text.substr(0, 77) + "..." : text;
}

bool hasIds(const Json& list)
{
    return !list.empty() && std::all_of(list.begin(), list.end(), [](const Json& item) {
        return item.is_object() && item.contains("id") && item["id"].is_string();
    });
}

const Json* withId(const Json& list, const Json& id)
{
    for (const Json& item : list)
        if (item["id"] == id)
            return &item;
    return nullptr;
}

void compare(const Json& a, const Json& b, const std::string& pointer, std::vector<Difference>& out)
{
    if (a.is_object() && b.is_object()) {
        for (const auto& [key, value] : a.items()) {
            const std::string below = pointer + "/" + pointerWord(key);
            if (const auto other = b.find(key); other == b.end())
                out.push_back({Difference::Kind::Gone, below, shortened(value), {}});
            else
                compare(value, *other, below, out);
        }
        for (const auto& [key, value] : b.items())
            if (!a.contains(key))
                out.push_back({Difference::Kind::New, pointer + "/" + pointerWord(key), {}, shortened(value)});
        return;
    }
    if (a.is_array() && b.is_array() && hasIds(a) && hasIds(b)) {
        for (const Json& item : a) {
            const std::string below = pointer + "/" + pointerWord(item["id"].get<std::string>());
            if (const Json* other = withId(b, item["id"]))
                compare(item, *other, below, out);
            else
                out.push_back({Difference::Kind::Gone, below, shortened(item), {}});
        }
        for (const Json& item : b)
            if (!withId(a, item["id"]))
                out.push_back({Difference::Kind::New,
                               pointer + "/" + pointerWord(item["id"].get<std::string>()),
                               {},
                               shortened(item)});
        return;
    }
    if (a != b)
        out.push_back({Difference::Kind::Changed, pointer, shortened(a), shortened(b)});
}

} // namespace

std::vector<DescriptionDifference> compareDescriptions(const PlacedJson& older, const PlacedJson& newer)
{
    std::vector<Difference> out;
    compare(older.value(), newer.value(), {}, out);
    return out;
}

} // namespace bindrel
