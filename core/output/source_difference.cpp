// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/source_difference.h"

#include "core/base/text.h"
#include "core/output/merge.h"
#include "core/source/seal.h"

#include <set>

namespace bindrel {

namespace {

/// The text without the line of its seal, which differs whenever anything does.
std::string unsealed(const SourceFile& file)
{
    std::string out;
    for (const SourceLine& line : file.lines)
        if (!sealOf(line.text + "\n"))
            out += line.text + "\n";
    return out;
}

} // namespace

std::string sourceDifference(const Source& before, const Source& after)
{
    std::string out;
    std::set<std::string> names;
    for (const Source* source : {&after, &before})
        for (const SourceFile& file : source->files) {
            if (file.owner != SourceFile::Owner::Generated || !names.insert(file.name).second)
                continue;
            const SourceFile* was = before.find(file.name);
            const SourceFile* is = after.find(file.name);
            const std::string difference =
                unifiedDiff(was ? unsealed(*was) : std::string(), is ? unsealed(*is) : std::string());
            if (!difference.empty())
                out += "--- " + (was ? file.name : "/dev/null") + "\n+++ " + (is ? file.name : "/dev/null") + "\n" +
                       difference;
        }
    return out;
}

} // namespace bindrel
