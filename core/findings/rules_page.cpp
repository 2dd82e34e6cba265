// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/findings/rules_page.h"

#include "core/findings/finding.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

const char* titleOf(Finding::Subject subject)
{
    switch (subject) {
    case Finding::Subject::Wiring:
        return "Pads, units and the board";
    case Finding::Subject::Clocks:
        return "Clocks and low-power modes";
    case Finding::Subject::Goals:
        return "Goals and stored settings";
    case Finding::Subject::Files:
        return "Files and the generated C";
    case Finding::Subject::Rehearsal:
        break;
    }
    return "Rehearsal";
}

} // namespace

std::string rulesPage()
{
    std::string out = R"(# Rules

Made from the list of rules in the code; a test holds the two together. A finding names its rule; what a rule says is
what holds where nothing is found. `bindrel-cli rules` prints them. *Fix*: for most of its findings the window offers
a change that fixes them.
)";
    const Rule* last = nullptr;
    for (const Rule& rule : rules()) {
        if (!last || last->subject != rule.subject)
            out += fmt::format("\n## {}\n\n| rule | what holds | fix |\n|---|---|---|\n", titleOf(rule.subject));
        out += fmt::format("| {} | {} | {} |\n", rule.id, rule.about, rule.fix ? "yes" : "");
        last = &rule;
    }
    return out;
}

} // namespace bindrel
