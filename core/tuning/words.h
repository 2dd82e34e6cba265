// SPDX-License-Identifier: GPL-3.0-or-later
// What a kind's arithmetic says beside its numbers. A search asks for thousands of answers and reads no words, so they
// are made only where somebody reads them; elsewhere a stand-in takes their place, so that a text that is there is
// there in both.
#pragma once

#include "core/base/say.h"
#include "core/quantity/format.h"
#include "core/tuning/setting.h"

#include <fmt/format.h>

#include <string>
#include <utility>

namespace bindrel {

inline constexpr const char* kUnsaid = "?";

/// As say().
template <typename... Args>
std::string formatIfNeeded(const TuningContext& c, fmt::format_string<Args...> pattern, Args&&... args)
{
    return c.worded ? say(pattern, std::forward<Args>(args)...) : kUnsaid;
}

/// A quantity as format() writes it.
template <typename Tag, typename... Digits>
std::string formatIfNeeded(const TuningContext& c, const Quantity<Tag>& value, Digits... digits)
{
    return c.worded ? format(value, digits...) : kUnsaid;
}
inline std::string formatIfNeeded(const TuningContext& c, const Tolerance& value)
{
    return c.worded ? format(value) : kUnsaid;
}
inline std::string baudIfNeeded(const TuningContext& c, const Frequency& value)
{
    return c.worded ? formatBaud(value) : kUnsaid;
}

inline std::string bitRateIfNeeded(const TuningContext& c, const Frequency& value)
{
    return c.worded ? formatBitRate(value) : kUnsaid;
}

/// A goal as the plan has it.
inline std::string goalIfNeeded(const TuningContext& c, std::string_view goal)
{
    return c.worded ? goalText(c.need, goal) : kUnsaid;
}

} // namespace bindrel
