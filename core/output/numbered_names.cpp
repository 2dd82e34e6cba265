// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/numbered_names.h"

#include "core/base/say.h"
#include "core/output/output.h"

#include <fmt/format.h>

namespace bindrel {

Expected<std::string> moveToFreeNumber(const Directory& from, const std::string& name, const Directory& to,
                                       const std::string& stem)
{
    constexpr int kMost = 1000;
    for (int n = 1; n < kMost; ++n) {
        const std::string numbered = n == 1 ? stem : fmt::format("{}-{}", stem, n);
        const Expected<bool> done = from.moveToFree(name, to, numbered);
        if (!done)
            return done.problem();
        if (*done)
            return numbered;
    }
    Problem problem = problemOf(
        say("has no free name: {} to {}-{} exist. Remove those that you no longer need.", stem, stem, kMost - 1));
    problem.file = (to.path() / stem).string();
    return problem;
}

std::vector<std::string> backupNames(const std::string& name)
{
    std::vector<std::string> out{name};
    for (int n = 2; n <= kBackups; ++n)
        out.push_back(fmt::format("{}.{}", name, n));
    return out;
}

Outcome addBackup(const Directory& from, const Directory& backups, const std::string& name, const std::string& staged)
{
    const std::vector<std::string> names = backupNames(name);
    for (std::size_t i = names.size() - 1; i > 0; --i)
        if (backups.exists(names[i - 1]))
            if (Outcome moved = backups.move(names[i - 1], backups, names[i]); !moved)
                return moved;
    return from.move(staged.empty() ? name : staged, backups, name);
}

} // namespace bindrel
