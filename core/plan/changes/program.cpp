// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of what the written program does, and of non-volatile settings.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/changes/lookup.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

Outcome SetMode::apply(Plan& plan) const
{
    if (entered)
        plan.modes.insert(mode);
    else
        plan.modes.erase(mode);
    return {};
}

Change SetMode::undo(const Plan& before) const
{
    return SetMode{mode, before.modes.contains(mode)};
}

std::string SetMode::words(const Plan&) const
{
    return say("low-power mode {}: {}", mode, entered ? say("the program enters it") : say("not entered"));
}

Outcome SetOnFailure::apply(Plan& plan) const
{
    plan.onFailure = policy;
    return {};
}

Change SetOnFailure::undo(const Plan& before) const
{
    return SetOnFailure{before.onFailure};
}

std::string SetOnFailure::words(const Plan& before) const
{
    return say("if a clock fails to start: {} \u2192 {}", nameOf(before.onFailure), nameOf(policy));
}

Outcome SetLeftOut::apply(Plan& plan) const
{
    plan.leftOut = parts;
    plan.leftOutKinds = kinds;
    return {};
}

Change SetLeftOut::undo(const Plan& before) const
{
    return SetLeftOut{before.leftOut, before.leftOutKinds};
}

std::string SetLeftOut::words(const Plan& before) const
{
    const auto words = [](const std::set<OutputPart>& some, const auto& ofKinds) {
        std::vector<std::string> names;
        for (const OutputPart part : some)
            names.push_back(nameOf(part));
        for (const std::string& kind : ofKinds)
            names.push_back(leftOutKindText(kind));
        return names.empty() ? std::string("nothing") : listed(names);
    };
    return say("left out of the project: ") + arrow(words(before.leftOut, before.leftOutKinds), words(parts, kinds));
}

Outcome SetProject::apply(Plan& plan) const
{
    plan.project = layout;
    return {};
}

Change SetProject::undo(const Plan& before) const
{
    return SetProject{before.project};
}

std::string SetProject::words(const Plan& before) const
{
    std::vector<std::string> rows;
    for (const LayoutSetting& setting : layoutSettings()) {
        const auto words = [&setting](const ProjectLayout& layout) {
            const std::string text = setting.text(layout);
            return !text.empty()             ? splitted(text, '\n').front()
                   : setting.choices.empty() ? std::string("nothing")
                                             : setting.choices.front();
        };
        if (setting.text(before.project) != setting.text(layout))
            rows.push_back(fmt::format("{}: {}", setting.title, arrow(words(before.project), words(layout))));
    }
    return rows.empty() ? say("the project's layout") : joined(rows, "; ");
}

Outcome SetStored::apply(Plan& plan) const
{
    setOrErase(plan.stored, setting, value);
    return {};
}

Change SetStored::undo(const Plan& before) const
{
    return SetStored{setting, found(before.stored, setting)};
}

std::string SetStored::words(const Plan& before) const
{
    return say(
        "{} in non-volatile memory: {}", setting,
        arrow(found(before.stored, setting).value_or(say("factory default")), value.value_or(say("factory default"))));
}

} // namespace bindrel
