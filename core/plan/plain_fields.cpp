// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plain_fields.h"

#include "core/base/text.h"
#include "core/plan/kind.h"

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

std::vector<PlainField> plainFieldsOf(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    return kind && kind->goal("fields") ? goalsOf<PlainGoals>(need).fields : std::vector<PlainField>();
}

} // namespace bindrel
