// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/library.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

/// All JSON files below a folder. A file that describes a family has no package suffix and is told apart by its folder's
/// name; unreadable folders are passed over.
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

} // namespace

Library Library::shipped()
{
    if (const char* folder = std::getenv("BINDREL_DATA"); folder && *folder)
        return Library(folder);
    std::error_code error;
    if (const fs::path self = fs::read_symlink("/proc/self/exe", error); !error) {
        const fs::path installed = self.parent_path().parent_path() / "share" / "bindrel";
        if (fs::is_directory(installed, error))
            return Library(installed);
    }
    return Library(BINDREL_SOURCE_DATA);
}

fs::path Library::deviceFile(std::string_view name) const
{
    const std::string wanted = lowered(name);
    for (const fs::path& file : jsonFiles(folder_ / "devices"))
        if (lowered(file.stem().string()) == wanted)
            return file;
    return {};
}

Expected<Device> Library::device(std::string_view name) const
{
    const fs::path file = deviceFile(name);
    if (file.empty())
        return problemOf(fmt::format("there is no device \"{}\" in the library; it has {}.{}", name, listed(deviceNames()),
                                     didYouMean(name, deviceNames())));
    return loadDevice(file);
}

Expected<Board> Library::board(std::string_view name) const
{
    for (const fs::path& file : jsonFiles(folder_ / "boards"))
        if (lowered(file.stem().string()) == lowered(name))
            return loadBoard(file);
    return problemOf(fmt::format("there is no board \"{}\" in the library; it has {}.{}", name, listed(boardNames()),
                                 didYouMean(name, boardNames())));
}

std::vector<std::string> Library::deviceNames() const
{
    std::vector<std::string> names;
    for (const fs::path& file : jsonFiles(folder_ / "devices"))
        names.push_back(uppered(file.stem().string()));
    return names;
}

std::vector<std::string> Library::boardNames() const
{
    std::vector<std::string> names;
    for (const fs::path& file : jsonFiles(folder_ / "boards"))
        names.push_back(file.stem().string());
    return names;
}

} // namespace bindrel
