// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/roles_page.h"

#include "core/base/text.h"
#include "core/device/block_kind.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

const char* nameOf(RoleSpec::Use use)
{
    switch (use) {
    case RoleSpec::Use::Status:
        return "status";
    case RoleSpec::Use::Data:
        return "data";
    case RoleSpec::Use::Command:
        return "command";
    case RoleSpec::Use::Config:
        break;
    }
    return "config";
}

std::string meaningsOf(const RoleSpec& role)
{
    std::vector<std::string> out;
    for (const auto& [names, value] : role.meanings)
        out.push_back(fmt::format("{} = {}", joined(splitted(names, '|'), " or "), value));
    return joined(out, ", ");
}

void words(std::string& out, const char* title, const std::vector<WordSpec>& list)
{
    if (list.empty())
        return;
    out += fmt::format("\n{}:\n\n", title);
    for (const WordSpec& word : list)
        out += fmt::format("- `{}`{}{}\n", word.name, word.about.empty() ? "" : ": ", word.about);
}

} // namespace

std::string rolesPage()
{
    std::string out = R"(# Words of a device file

Made from what the kinds declare in the code; a test holds the two together. The vocabulary is closed: another word is an error that
names the nearest. In a name `#` stands for a number (`compare#`: `compare1`, `compare2`, …; of a port or of lines the bit, written with
`{bit}` in the field's name), `*` for the id of a core.

A role says which field of a block holds what: `"prescaler": "SCALE.N"`, or with an encoding `{ "field": "SCALE.N", "encoding": "minus
one" }`. *config* is written when a need is brought up, started or stopped; *status* is read, and cleared as the field's access says;
*data* goes in and out; a write to a *command* does something at once. Where a role has named values, a field whose `values` have these
names needs no encoding: the names say the codes. A *required* role that is missing is a remark of the lint (`role-missing`), and
needs on such a block are not configured. A role that is not required and missing means that the chip has no choice there: a goal that would
need it is a finding.
)";
    for (const BlockKind& kind : blockKinds()) {
        out += fmt::format("\n## {}\n", kind.id);
        if (!kind.roles.empty()) {
            out += "\n| role | use | unit or values | meaning |\n|---|---|---|---|\n";
            for (const RoleSpec& role : kind.roles)
                out += fmt::format("| `{}` | {}{} | {} | {} |\n", role.name, nameOf(role.use),
                                   !role.required        ? ""
                                   : role.unless.empty() ? ", required"
                                                         : fmt::format(", required unless there is `{}`", role.unless),
                                   role.meanings.empty() ? role.unit : meaningsOf(role),
                                   role.about + (role.onlyHeld ? std::string(role.about.empty() ? "" : " ") +
                                                                     "Where there is `hold`, changed only while held."
                                                               : std::string()));
        }
        words(out, "Abilities", kind.abilities);
        words(out, "Signals", kind.signals);
        words(out, "DMA requests", kind.requests);
        words(out, "Interrupts", kind.events);
    }
    return out;
}

} // namespace bindrel
