// SPDX-License-Identifier: GPL-3.0-or-later
// What a write would do: each file's text on the disk, what was generated last, and what is generated now.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/output/folder_memory.h"
#include "core/output/merge.h"
#include "core/output/parked.h"
#include "core/output/project_folder.h"
#include "core/source/keep_regions.h"
#include "core/source/seal.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <unordered_map>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

using State = FileChange::State;
using Regions = std::map<std::string, std::string>;

std::unordered_map<std::string_view, int> linesOf(std::string_view text)
{
    std::unordered_map<std::string_view, int> out;
    while (!text.empty()) {
        const std::size_t end = std::min(text.find('\n'), text.size());
        ++out[text.substr(0, end)];
        text.remove_prefix(std::min(end + 1, text.size()));
    }
    return out;
}

/// How many lines of `a` stand in `b` too.
int commonLines(std::string_view a, std::string_view b)
{
    const auto have = linesOf(b);
    int out = 0;
    for (const auto& [line, times] : linesOf(a))
        if (const auto found = have.find(line); found != have.end())
            out += std::min(times, found->second);
    return out;
}

/// Whether every line that a person has added to `base` in `mine` stands in one of the texts; merging must never lose
/// one.
bool keepsAdditions(const std::string& base, const std::string& mine, const std::string& merged,
                    const std::vector<Parked>& parked)
{
    const auto had = linesOf(base);
    auto has = linesOf(merged);
    for (const Parked& entry : parked)
        for (const auto& [line, times] : linesOf(entry.text))
            has[line] += times;
    for (const auto& [line, times] : linesOf(mine)) {
        const auto old = had.find(line);
        const int added = times - (old == had.end() ? 0 : old->second);
        if (added <= 0 || trimmed(line).empty())
            continue;
        const auto now = has.find(line);
        if (now == has.end() || now->second < added)
            return false;
    }
    return true;
}

class Preview {
public:
    Preview(const Source& source, const Directory* folder, FolderMemory memory, const Settlements& settlements)
        : source_(source), settlements_(settlements), memory_(std::move(memory)), known_(memory_.names())
    {
        if (folder)
            folder_.emplace(*folder);
    }

    Expected<OutputPreview> run()
    {
        for (const SourceFile& file : source_.files)
            if (Outcome outcome = consider(file); !outcome)
                return outcome.problem();
        if (Outcome outcome = considerObsolete(); !outcome)
            return outcome.problem();
        if (Outcome outcome = settleParked(); !outcome)
            return outcome.problem();
        if (!memory_.stages().empty())
            out_.notes.push_back(
                say("A write was interrupted in this folder. The next one brings every file to what is listed here."));
        return std::move(out_);
    }

private:
    Expected<std::optional<std::string>> onDisk(const std::string& name) const
    {
        return folder_ ? folder_->read(name) : Expected<std::optional<std::string>>(std::optional<std::string>());
    }

    Outcome consider(const SourceFile& file)
    {
        const Expected<std::optional<std::string>> disk = onDisk(file.name);
        if (!disk)
            return disk.problem();
        FileChange change;
        change.name = file.name;
        change.before = disk->value_or(std::string());
        change.after = inLineEnds({}, file.text());
        const std::optional<std::string> former = *disk ? std::nullopt : formerPlace(file);
        if (file.owner == SourceFile::Owner::User) {
            change.state = *disk ? State::Yours : State::New;
            if (*disk)
                change.after = change.before;
            else if (former)
                moveFrom(*former, change, **onDisk(*former));
        } else if (*disk || former) {
            const Expected<std::vector<std::string>> bases = memory_.generated(former.value_or(file.name));
            if (!bases)
                return bases.problem();
            const std::string old = former ? **onDisk(*former) : change.before;
            change.after = file.text();
            settle(change, old, *bases);
            if (former && change.state == State::Conflict)
                change.note = say("{}, where it comes from: {}", *former, change.note);
            else if (former)
                moveFrom(*former, change, change.after);
        }
        out_.files.push_back(std::move(change));
        return {};
    }

    void moveFrom(const std::string& former, FileChange& change, std::string text)
    {
        change.state = State::Moved;
        change.after = std::move(text);
        change.note = say("from {}", former);
        movedTo_[former] = change.name;
    }

    /// Where a file that is not at its place lies: after a change of folders or of the way that names are spelled.
    std::optional<std::string> formerPlace(const SourceFile& file) const
    {
        const auto sameFile = [](std::string_view a, std::string_view b) {
            return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) {
                return x == y || ((x == '-' || x == '_') && (y == '-' || y == '_'));
            });
        };
        const std::string name = file.name.substr(file.name.rfind('/') + 1);
        std::vector<std::string> places;
        for (const std::string& path : known_) {
            const std::string old = path.substr(path.rfind('/') + 1);
            if (file.owner == SourceFile::Owner::Generated ? sameFile(old, name) : old.ends_with(".c")) {
                // Of the user's own files nothing is remembered: they lie where the sources do.
                const std::string folder = path.substr(0, path.size() - old.size());
                places.push_back(file.owner == SourceFile::Owner::Generated ? path : folder + name);
                if (std::string other = folder + name; file.owner == SourceFile::Owner::User) {
                    std::replace(other.begin() + std::ptrdiff_t(folder.size()), other.end(), '_', '-');
                    places.push_back(other);
                    other = folder + name;
                    std::replace(other.begin() + std::ptrdiff_t(folder.size()), other.end(), '-', '_');
                    places.push_back(other);
                }
            }
        }
        std::sort(places.begin(), places.end());
        places.erase(std::unique(places.begin(), places.end()), places.end());
        std::erase_if(places, [&](const std::string& path) {
            const Expected<std::optional<std::string>> disk = onDisk(path);
            return path == file.name || source_.find(path) || movedTo_.contains(path) || !disk || !*disk;
        });
        return places.size() == 1 ? std::optional(places.front()) : std::nullopt;
    }

    /// The text with the line ends that the plan asks for, or else those of the file on the disk.
    std::string inLineEnds(const std::string& like, const std::string& text) const
    {
        switch (source_.lineEnds) {
        case ProjectLayout::LineEnds::AsFound:
            return withLineEndsOf(like, text);
        case ProjectLayout::LineEnds::Lf:
            return text;
        case ProjectLayout::LineEnds::CrLf:
            break;
        }
        return withLineEndsOf("\r\n", text);
    }

    static void conflict(FileChange& change, std::string note)
    {
        change.state = State::Conflict;
        change.note = std::move(note);
    }

    /// `old` is the text on the disk, which lies elsewhere when the file moves.
    void settle(FileChange& change, const std::string& old, const std::vector<std::string>& bases)
    {
        const std::string mine = withLineFeeds(old);
        const std::string generated = change.after;
        // Line ends are the user's unless the plan asks for some: only what stands on the lines is compared.
        const auto finish = [&](const std::string& text, State otherwise) {
            const bool asFound = source_.lineEnds == ProjectLayout::LineEnds::AsFound;
            change.after = text == mine && asFound ? old : inLineEnds(old, text);
            change.state = change.after == old ? State::Same : text == mine ? State::Changed : otherwise;
        };
        if (generated == mine)
            return finish(mine, State::Same);
        const Expected<Regions> regions = keepRegions(mine);
        if (!regions)
            return conflict(change, say("line {}: {}", regions.problem().line, regions.problem().message));
        const std::optional<Seal> seal = sealOf(mine);
        const std::optional<Seal> fresh = sealOf(generated);
        if (bases.empty() && !seal)
            return conflict(change, say("there is a file of this name that Bindrel did not write; move it away"));
        if (bases.empty() && fresh && seal->plan != fresh->plan)
            return conflict(change, say("was written for the plan \"{}\"; move it away, or choose another folder",
                                        printable(seal->plan)));

        Regions homeless = *regions;
        const std::string freshText = withRegions(generated, homeless);
        const std::string bare = withoutRegions(mine);
        const bool untouched =
            isUntouched(mine) || std::any_of(bases.begin(), bases.end(), [&bare](const std::string& base) {
                return keepRegions(base).ok() && withoutRegions(base) == bare;
            });
        if (untouched) {
            for (const auto& [name, text] : homeless)
                park(change.name, name, text);
            return finish(freshText, State::Changed);
        }

        // Of several texts that may have been the last, that one which the file is nearest to.
        std::vector<std::string> ancestors = bases;
        if (seal && fresh && seal->digest == fresh->digest)
            ancestors.push_back(generated);
        // The file says itself which text it came from. Another would be taken for what the person wanted, and the old
        // text for new.
        if (seal)
            std::erase_if(ancestors, [&seal](const std::string& text) {
                const std::optional<Seal> other = sealOf(text);
                return other && other->digest != seal->digest;
            });
        if (ancestors.empty()) {
            change.pieces = piecesOf(std::nullopt, mine, freshText);
            if (settle(change, *regions, finish))
                return;
            return conflict(change, say("edited by hand, and what was generated before is not known here (the folder "
                                        ".bindrel is missing or another's); settle each place, or move the file away"));
        }
        std::stable_sort(ancestors.begin(), ancestors.end(), [&mine](const std::string& a, const std::string& b) {
            return commonLines(a, mine) > commonLines(b, mine);
        });
        for (const std::string& ancestor : ancestors) {
            if (!keepRegions(ancestor))
                continue;
            Regions again = *regions;
            const std::string base = withRegions(ancestor, again);
            const std::optional<std::string> merged = mergeTexts(base, mine, freshText);
            const Expected<Regions> left = merged ? keepRegions(*merged) : Expected<Regions>(problemOf({}));
            if (!left)
                continue;
            std::vector<Parked> parked;
            for (const auto& [name, text] : *regions)
                if (const auto kept = left->find(name);
                    !trimmed(text).empty() && (kept == left->end() || kept->second != text))
                    parked.push_back({change.name, name, text});
            if (!keepsAdditions(base, mine, *merged, parked))
                continue;
            parked_.insert(parked_.end(), parked.begin(), parked.end());
            return finish(*merged, State::Merged);
        }
        for (const std::string& ancestor : ancestors)
            if (keepRegions(ancestor)) {
                Regions again = *regions;
                change.pieces = piecesOf(withRegions(ancestor, again), mine, freshText);
                break;
            }
        // Where the two can be put together line by line, but a line of the person's would be lost.
        if (conflicts(change.pieces) == 0)
            change.pieces = piecesOf(std::nullopt, mine, freshText);
        if (!settle(change, *regions, finish))
            conflict(change,
                     say("edited by hand where the new text changes too; settle each place, or move your change "
                         "into a keep region"));
    }

    /// Puts a file together as the person has settled its pieces. False while one is open, or when what they make has
    /// marks that do not pair up.
    template <typename Finish> bool settle(FileChange& change, const Regions& regions, Finish finish)
    {
        const auto choices = settlements_.find(change.name);
        const std::optional<std::string> text =
            choices == settlements_.end() ? std::nullopt : settled(change.pieces, choices->second);
        const Expected<Regions> kept = text ? keepRegions(*text) : Expected<Regions>(problemOf({}));
        if (!kept)
            return false;
        for (const auto& [name, own] : regions)
            if (const auto now = kept->find(name); now == kept->end() || now->second != own)
                if (text->find(own) == std::string::npos)
                    park(change.name, name, own);
        finish(*text, State::Merged);
        change.note = say("as you settled it");
        return true;
    }

    Outcome considerObsolete()
    {
        std::vector<std::string> names = known_;
        // A person's own file that moves was never remembered.
        for (const auto& [former, now] : movedTo_)
            if (!std::binary_search(known_.begin(), known_.end(), former))
                names.push_back(former);
        for (const std::string& name : names) {
            if (source_.find(name) || name == parkedFileName(source_.prefix))
                continue;
            const Expected<std::optional<std::string>> disk = onDisk(name);
            if (!disk || !*disk)
                continue; // gone, or a link: none of ours
            FileChange change;
            change.name = name;
            change.before = **disk;
            const std::string mine = withLineFeeds(change.before);
            const Expected<Regions> regions = keepRegions(mine);
            // Memory alone is not believed here: what is removed must itself say that it was generated, and be as it
            // was.
            if (const auto moved = movedTo_.find(name); moved != movedTo_.end()) {
                change.state = State::Obsolete;
                change.note = say("moves to {}", moved->second);
            } else if (regions && isUntouched(mine)) {
                change.state = State::Obsolete;
                for (const auto& [region, text] : *regions)
                    park(name, region, text);
            } else {
                change.state = State::Left;
                change.after = change.before;
                change.note =
                    regions ? say("no longer generated, but you have edited it; remove it when you no longer need it")
                            : say("no longer generated; its keep marks do not pair up (line {}: {}), so it stays",
                                  regions.problem().line, regions.problem().message);
            }
            out_.files.push_back(std::move(change));
        }
        return {};
    }

    void park(const std::string& file, const std::string& region, const std::string& text)
    {
        if (!trimmed(text).empty())
            parked_.push_back({file, region, text});
    }

    /// Fills empty regions of generated files from parked text: of the same file, or the only one of that name.
    void bringBack(std::vector<Parked>& from)
    {
        std::map<std::string, std::vector<std::size_t>> homes; // of a region's name, into the files
        for (std::size_t i = 0; i < out_.files.size(); ++i) {
            const FileChange& change = out_.files[i];
            const SourceFile* file = source_.find(change.name);
            if (!file || file->owner == SourceFile::Owner::User || change.state == State::Conflict)
                continue;
            if (const Expected<Regions> regions = keepRegions(withLineFeeds(change.after)))
                for (const auto& [name, text] : *regions)
                    if (trimmed(text).empty())
                        homes[name].push_back(i);
        }
        std::vector<Parked> staying;
        for (Parked& entry : from) {
            const auto found = homes.find(entry.region);
            std::optional<std::size_t> home;
            if (found != homes.end()) {
                for (const std::size_t i : found->second)
                    if (out_.files[i].name == entry.file)
                        home = i;
                if (!home && found->second.size() == 1)
                    home = found->second.front();
            }
            if (!home) {
                staying.push_back(std::move(entry));
                continue;
            }
            FileChange& change = out_.files[*home];
            Regions kept = *keepRegions(withLineFeeds(change.after));
            // Two texts of one region follow each other.
            kept[entry.region] = trimmed(kept[entry.region]).empty() ? entry.text : kept[entry.region] + entry.text;
            change.after = inLineEnds(change.before, withRegions(withLineFeeds(change.after), kept));
            if (change.state == State::Same)
                change.state = State::Changed;
            change.note = say("the kept text of {} is back", printable(entry.region));
        }
        from = std::move(staying);
    }

    /// After a write that died, parked text that stands word for word in a region of its name is there twice: it was
    /// brought home already.
    void dropWhatIsHome(std::vector<Parked>& entries) const
    {
        std::map<std::string, std::vector<std::string>> homes;
        for (const FileChange& change : out_.files)
            if (const SourceFile* file = source_.find(change.name);
                file && file->owner == SourceFile::Owner::Generated && change.state != State::Conflict &&
                !entries.empty() && !memory_.stages().empty())
                if (const Expected<Regions> regions = keepRegions(withLineFeeds(change.after)))
                    for (const auto& [name, text] : *regions)
                        homes[name].push_back(text);
        std::erase_if(entries, [&homes](const Parked& entry) {
            const auto found = homes.find(entry.region);
            return found != homes.end() &&
                   std::find(found->second.begin(), found->second.end(), entry.text) != found->second.end();
        });
    }

    Outcome settleParked()
    {
        const Expected<std::optional<std::string>> disk = onDisk(parkedFileName(source_.prefix));
        if (!disk)
            return disk.problem();
        FileChange change;
        change.name = parkedFileName(source_.prefix);
        change.before = disk->value_or(std::string());
        ParkedFile file(withLineFeeds(change.before), source_.prefix);
        const std::size_t had = file.entries().size();
        // Until all else is in place every text that leaves a file stands here as well, wherever it goes.
        ParkedFile first = file;
        for (const Parked& entry : parked_)
            first.park(entry);
        if (!parked_.empty() && first.text() != withLineFeeds(change.before))
            out_.first = {change.name, inLineEnds(change.before, first.text())};
        bringBack(parked_);
        bringBack(file.entries());
        dropWhatIsHome(file.entries());
        dropWhatIsHome(parked_);
        const std::size_t stayed = file.entries().size();
        for (const Parked& entry : parked_)
            file.park(entry);
        if (parked_.empty() && stayed == had)
            return {};
        const std::string text = file.text();
        change.after = inLineEnds(change.before, text);
        change.state = text.empty() ? State::Obsolete : !*disk ? State::New : State::Changed;
        if (change.after == change.before)
            return {};
        change.note = say("keeps the text of {} region(s) that have no home at present", file.entries().size());
        out_.files.push_back(std::move(change));
        return {};
    }

    const Source& source_;
    const Settlements& settlements_;
    std::optional<ProjectFolder> folder_; ///< empty: it does not exist yet
    FolderMemory memory_;
    const std::vector<std::string> known_;       ///< files that were generated before, sorted
    std::map<std::string, std::string> movedTo_; ///< from where a file lay to where it will
    OutputPreview out_;
    std::vector<Parked> parked_;
};

} // namespace

const char* nameOf(FileChange::State state)
{
    switch (state) {
    case State::New:
        return "new";
    case State::Moved:
        return "moved";
    case State::Changed:
        return "changed";
    case State::Merged:
        return say("merged with your edits");
    case State::Same:
        return "same";
    case State::Yours:
        return "yours";
    case State::Conflict:
        return "conflict";
    case State::Obsolete:
        return say("no longer needed");
    case State::Left:
        break;
    }
    return say("left as edited");
}

Expected<OutputPreview> previewOutput(const Source& source, const fs::path& folder, Ownership ownership,
                                      const Settlements& settlements)
{
    std::error_code error;
    if (!fs::exists(folder, error))
        return Preview(source, nullptr, {}, settlements).run();
    const Expected<Directory> open = Directory::open(folder);
    if (!open)
        return open.problem();
    Expected<FolderMemory> memory = FolderMemory::of(*open);
    if (!memory)
        return memory.problem();
    if (Outcome own = checkOwner(memory->owner(), source.plan, *open, ownership); !own)
        return own.problem();
    return Preview(source, &*open, *std::move(memory), settlements).run();
}

} // namespace bindrel
