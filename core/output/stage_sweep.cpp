// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/stage_sweep.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/output/folder_memory.h"
#include "core/output/numbered_names.h"
#include "core/output/parked.h"
#include "core/output/project_folder.h"
#include "core/source/keep_regions.h"
#include "core/source/seal.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

template <typename Folder> std::string textOf(const Folder& folder, const std::string& name)
{
    const Expected<std::optional<std::string>> text = folder.read(name);
    return text ? text->value_or(std::string()) : std::string();
}

/// "sluice.c" of ".sluice.c.saving-2", which an exchange in several steps leaves; other names as they are.
std::string intendedName(const std::string& staged)
{
    const std::size_t end = staged.rfind(".saving");
    return staged.starts_with('.') && end != std::string::npos && end > 1 ? staged.substr(1, end - 1) : staged;
}

/// What a person has put into a text: its keep regions, or all of it when it is not as it was generated.
std::string ownLines(const std::string& text, bool& generated)
{
    const Expected<std::map<std::string, std::string>> regions = keepRegions(text);
    generated = regions && isUntouched(text);
    if (!generated)
        return text;
    std::string out;
    for (const auto& [region, kept] : *regions)
        out += kept;
    return out;
}

/// Whether each line that is not blank is a line of one of the texts, parked or not.
bool allLinesIn(std::string_view own, const std::vector<std::string>& texts)
{
    std::set<std::string, std::less<>> lines;
    for (const std::string& text : texts)
        for (const std::string& line : splitted(withLineFeeds(text), '\n'))
            lines.insert(unparked(line));
    const std::vector<std::string> wanted = splitted(own, '\n');
    return std::all_of(wanted.begin(), wanted.end(),
                       [&lines](const std::string& line) { return trimmed(line).empty() || lines.contains(line); });
}

class Sweep {
public:
    Sweep(const Source& source, const Directory& folder, const Directory& memory, const Directory& backups)
        : source_(source), folder_(folder), memory_(memory), backups_(backups)
    {
    }

    void stage(const std::string& stageName)
    {
        const Expected<std::optional<Directory>> stage = memory_.child(stageName);
        if (!stage || !*stage)
            return;
        bool mayGo = files(**stage);
        if (const Expected<std::optional<Directory>> first = (*stage)->child("first"); first && *first)
            mayGo = files(**first) && mayGo;
        if (mayGo)
            (void)memory_.removeTree(stageName);
    }

    std::vector<std::string> notes;

private:
    /// False when something has to stay.
    bool files(const Directory& stage)
    {
        bool mayGo = true;
        for (const std::string& name : stage.names())
            if (stage.isFile(name)) {
                const Expected<std::optional<std::string>> text = stage.read(name);
                mayGo = text && (!*text || file(stage, name, **text)) && mayGo;
            }
        return mayGo;
    }

    bool file(const Directory& stage, const std::string& staged, const std::string& text)
    {
        if (staged == "owner")
            return true;
        const std::string name = intendedName(staged), path = pathOfMemory(name);
        const std::vector<std::string> placed{textOf(folder_, path), textOf(folder_, parkedFileName(source_.prefix))};
        std::vector<std::string> copies = placed;
        for (const std::string& backup : backupNames(name))
            copies.push_back(textOf(backups_, backup));
        if (const SourceFile* fresh = source_.find(path))
            copies.push_back(fresh->text());
        if (std::find(copies.begin(), copies.end(), text) != copies.end())
            return true;
        bool generated = false;
        const std::string own = ownLines(withLineFeeds(text), generated);
        if (allLinesIn(own, placed))
            return generated || keep(stage, staged, backups_, name).ok();
        const Expected<Directory> rescued = memory_.childOrMade("rescued");
        const Expected<std::string> kept =
            rescued ? moveToFreeNumber(stage, staged, *rescued, name) : Expected<std::string>(rescued.problem());
        if (kept)
            notes.push_back(say("An interrupted write left a text of {} that exists nowhere else. It is kept as "
                                "{}/rescued/{}; copy from it what you need.",
                                path, FolderMemory::kName, *kept));
        return kept.ok();
    }

    static Outcome keep(const Directory& stage, const std::string& staged, const Directory& backups,
                        const std::string& name)
    {
        if (staged != name)
            if (const Expected<bool> renamed = stage.moveToFree(staged, stage, name); !renamed || !*renamed)
                return problemOf(say("the name is taken."));
        return addBackup(stage, backups, name);
    }

    const Source& source_;
    const ProjectFolder folder_;
    const Directory& memory_;
    const Directory& backups_;
};

} // namespace

std::vector<std::string> sweepStages(const Source& source, const Directory& folder, const Directory& memory)
{
    const Expected<Directory> backups = memory.childOrMade("backup");
    if (!backups)
        return {};
    Sweep sweep(source, folder, memory, *backups);
    for (const std::string& name : memory.names())
        if (name.starts_with("stage"))
            sweep.stage(name);
    return std::move(sweep.notes);
}

} // namespace bindrel
