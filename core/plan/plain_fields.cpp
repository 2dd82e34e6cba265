// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plain_fields.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

PlainGoals PlainGoals::of(const Need& need)
{
    PlainGoals out;
    for (std::string& word : splitted(goalName(need, "signals"), ' '))
        if (!word.empty() && std::none_of(out.wires.begin(), out.wires.end(), [&word](const std::string& known) {
                return lowered(known) == lowered(word);
            }))
            out.wires.push_back(std::move(word));
    for (const std::string& word : splitted(goalName(need, "fields"), ' '))
        if (!word.empty()) {
            const std::size_t equals = word.find('=');
            out.fields.push_back(
                {word.substr(0, equals), equals == std::string::npos ? std::string() : word.substr(equals + 1)});
        }
    return out;
}

Outcome checkPlainField(std::string_view field, std::string_view text)
{
    const auto word = [](std::string_view name) {
        return !name.empty() && name.size() <= 128 && name.find(' ') == name.npos && isPrintable(name);
    };
    const std::size_t dot = field.find('.');
    if (dot == std::string_view::npos || dot == 0 || dot + 1 == field.size() ||
        field.find('.', dot + 1) != field.npos || !word(field))
        return problemOf(say("\"{}\" is not a field; write REGISTER.FIELD.", field));
    if (!word(text))
        return problemOf(
            say("\"{}\" is not a value; write a number or the name of one of the values of {}.", text, field));
    return {};
}

std::vector<PlainField> plainFieldsOf(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    return kind && kind->goal("fields") ? goalsOf<PlainGoals>(need).fields : std::vector<PlainField>();
}

} // namespace bindrel
