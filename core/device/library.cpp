// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/library.h"

#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_cache.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

/// All JSON files below a folder. A file that describes a family has no package suffix and is told apart by its
/// folder's name; unreadable folders are passed over.
std::vector<fs::path> jsonFiles(const fs::path& folder)
{
    std::vector<fs::path> files;
    std::error_code error;
    for (fs::recursive_directory_iterator it(folder, fs::directory_options::skip_permission_denied, error), end;
         !error && it != end; it.increment(error))
        if (it->path().extension() == ".json" && it->path().stem() != it->path().parent_path().filename())
            files.push_back(it->path());
    std::sort(files.begin(), files.end(),
              [](const fs::path& a, const fs::path& b) { return naturalLess(a.string(), b.string()); });
    return files;
}

/// Files of chips' makers in a folder, not below it.
std::vector<fs::path> makersFiles(const fs::path& folder)
{
    std::vector<fs::path> files;
    std::error_code error;
    for (fs::directory_iterator it(folder, fs::directory_options::skip_permission_denied, error), end;
         !error && it != end; it.increment(error)) {
        const std::string ending = lowered(it->path().extension().string());
        if (ending == ".svd" || ending == ".bsd" || ending == ".bsdl" || ending == ".ibs")
            files.push_back(it->path());
    }
    std::sort(files.begin(), files.end());
    return files;
}

} // namespace

const char* nameOf(Origin origin)
{
    switch (origin) {
    case Origin::Folder:
        return "folder";
    case Origin::BesidePlan:
        return say("beside the plan");
    case Origin::User:
        return "user";
    case Origin::Shipped:
        break;
    }
    return "shipped";
}

Library::Library(fs::path dataFolder)
{
    places_.push_back({std::move(dataFolder), Origin::Shipped});
}

namespace {

/// Below it are "bin" and "share" of an installation, or the folders of a build; empty when it cannot be told.
fs::path programsFolder()
{
    std::error_code error;
    const fs::path self = fs::read_symlink("/proc/self/exe", error);
    return error ? fs::path() : self.parent_path().parent_path();
}

/// Whether the program is installed, and does not run where it was built.
bool isInstalled()
{
    std::error_code error;
    const fs::path folder = programsFolder();
    return !folder.empty() && fs::is_directory(folder / "share" / "bindrel", error);
}

} // namespace

fs::path Library::localeFolder()
{
    if (const char* given = std::getenv("BINDREL_LOCALE"); given && *given)
        return given;
    return isInstalled() ? programsFolder() / "share" / "locale" : programsFolder() / "locale";
}

Library Library::shipped()
{
    const auto folder = []() -> fs::path {
        if (const char* given = std::getenv("BINDREL_DATA"); given && *given)
            return given;
        return isInstalled() ? programsFolder() / "share" / "bindrel" : fs::path(BINDREL_SOURCE_DATA);
    };
    Library library(folder());
    // The base directory specification: $XDG_DATA_HOME, else .local/share in the home folder.
    const char* data = std::getenv("XDG_DATA_HOME");
    const char* home = std::getenv("HOME");
    if (data && *data == '/')
        return library.with(fs::path(data) / "bindrel", Origin::User);
    if (home && *home)
        return library.with(fs::path(home) / ".local" / "share" / "bindrel", Origin::User);
    return library;
}

Library Library::with(fs::path folder, Origin origin) const
{
    Library out = *this;
    // Kept in the order of precedence, whoever adds first.
    auto at = out.places_.begin();
    while (at != out.places_.end() && at->origin < origin)
        ++at;
    out.places_.insert(at, {std::move(folder), origin});
    return out;
}

std::optional<Library::Found> Library::find(const char* kind, std::string_view name) const
{
    const std::string wanted = lowered(name);
    // A name is no path: it must not lead elsewhere.
    if (wanted.empty() || fs::path(wanted).filename() != wanted)
        return std::nullopt;
    for (const Place& place : places_) {
        std::error_code error;
        const bool direct = place.origin == Origin::Folder || place.origin == Origin::BesidePlan;
        if (const fs::path file = place.folder / (wanted + ".json"); direct && fs::is_regular_file(file, error))
            return Found{file, place.origin};
        for (const fs::path& file : jsonFiles(place.folder / kind))
            if (lowered(file.stem().string()) == wanted)
                return Found{file, place.origin};
        // A maker's file alone is a device, too, where there is no device file of its name.
        if (std::string_view(kind) == "devices")
            for (const fs::path& folder : {direct ? place.folder : fs::path(), place.folder / kind})
                if (!folder.empty())
                    for (const fs::path& file : makersFiles(folder))
                        if (lowered(file.stem().string()) == wanted)
                            return Found{file, place.origin};
    }
    return std::nullopt;
}

std::vector<std::string> Library::names(const char* kind) const
{
    std::vector<std::string> out;
    for (const Place& place : places_)
        for (const fs::path& file : jsonFiles(place.folder / kind))
            if (std::string name = file.stem().string(); std::find(out.begin(), out.end(), name) == out.end())
                out.push_back(std::move(name));
    std::sort(out.begin(), out.end(), naturalLess);
    return out;
}

std::optional<Library::Found> Library::deviceFile(std::string_view name) const
{
    return find("devices", name);
}

Provenance Library::provenance(std::string_view device, std::string_view board) const
{
    Provenance out;
    const Library shipped(folder());
    if (const std::optional<Found> found = find("devices", device)) {
        out.device = found->origin;
        out.deviceFile = found->file.string();
        out.deviceShadows = found->origin != Origin::Shipped && shipped.find("devices", device);
    }
    if (const std::optional<Found> found = find("boards", board)) {
        out.board = found->origin;
        out.boardFile = found->file.string();
        out.boardShadows = found->origin != Origin::Shipped && shipped.find("boards", board);
    }
    return out;
}

Expected<std::shared_ptr<const Device>> Library::device(std::string_view name) const
{
    const std::optional<Found> found = deviceFile(name);
    if (!found)
        return problemOf(say("there is no device \"{}\" in the library; it has {}.{}", name, listed(deviceNames()),
                             didYouMean(name, deviceNames())));
    return cachedDevice(found->file);
}

Expected<Board> Library::board(std::string_view name) const
{
    const std::optional<Found> found = find("boards", name);
    if (!found)
        return problemOf(say("there is no board \"{}\" in the library; it has {}.{}", name, listed(boardNames()),
                             didYouMean(name, boardNames())));
    return loadBoard(found->file, [this](std::string_view part) { return this->part(part); });
}

Expected<Part> Library::part(std::string_view name) const
{
    const std::optional<Found> found = find("parts", name);
    if (!found)
        return problemOf(say("there is no part \"{}\" in the library; it has {}.{}", name, listed(partNames()),
                             didYouMean(name, partNames())));
    return loadPart(found->file);
}

std::vector<std::string> Library::deviceNames() const
{
    std::vector<std::string> out;
    for (const std::string& name : names("devices")) {
        // A family's file may lie among its members; it is no device, since it has no package.
        const std::optional<Found> found = deviceFile(name);
        const Expected<std::string> text = found ? readFile(found->file) : Expected<std::string>(std::string());
        if (text && (text->find("\"package\"") != std::string::npos || text->find("\"layers\"") != std::string::npos))
            out.push_back(uppered(name));
    }
    return out;
}

std::vector<std::shared_ptr<const Device>> Library::devices() const
{
    std::vector<std::shared_ptr<const Device>> out;
    for (const std::string& name : deviceNames())
        if (Expected<std::shared_ptr<const Device>> loaded = device(name))
            out.push_back(*std::move(loaded));
    return out;
}

std::vector<std::string> Library::boardNames() const
{
    return names("boards");
}
std::vector<std::string> Library::partNames() const
{
    return names("parts");
}

} // namespace bindrel
