// SPDX-License-Identifier: GPL-3.0-or-later
// Prints the texts of tables that are made while the program runs, as calls of say(), for scripts/messages: titles of
// kinds, goals, signals and pin properties stand in declarations, where no reader of C++ could tell them from other
// texts.
#include "core/interchange/interrupt_sheet.h"
#include "core/plan/kind.h"
#include "core/plan/pin_property.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <set>

namespace bindrel {

namespace {

/// Titles of all signals that a kind can have: of its default goals, and with any one or two of them chosen otherwise.
void addSignals(const KindSpec& kind, std::set<std::string>& texts)
{
    std::vector<Need> seen(1);
    seen.front().kind = kind.id;
    for (int chosen = 0; chosen < 2; ++chosen) {
        const std::vector<Need> before = seen;
        for (const Need& need : before)
            for (const GoalSpec& goal : kind.goals)
                for (const std::string& choice : goal.choices) {
                    Need other = need;
                    other.goals.state(goal.id, choice);
                    seen.push_back(std::move(other));
                }
    }
    for (const Need& need : seen)
        for (const SignalSpec& signal : kind.signals(need))
            texts.insert(signal.title);
}

std::set<std::string> textsOfTables()
{
    std::set<std::string> texts;
    for (const KindSpec& kind : kinds()) {
        texts.insert(kind.title);
        for (const GoalSpec& goal : kind.goals) {
            texts.insert(goal.title);
            texts.insert(goal.about);
        }
        if (kind.signals)
            addSignals(kind, texts);
    }
    for (const PinProperty& property : pinProperties())
        texts.insert(property.title);
    for (const std::vector<std::string>& headings : {interruptHeadings(), dmaHeadings()})
        for (const std::string& heading : headings)
            texts.insert(headingTitle(heading));
    texts.erase("");
    return texts;
}

} // namespace

} // namespace bindrel

int main()
{
    for (const std::string& text : bindrel::textsOfTables())
        fmt::print("say({});\n", nlohmann::json(text).dump());
}
