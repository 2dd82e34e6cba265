// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/device_cache.h"

#include "core/device/load_device.h"

#include <algorithm>
#include <deque>
#include <mutex>

namespace bindrel {

namespace {

/// A chip takes about a megabyte; a session looks at one or two, a catalogue at all of a library once.
constexpr std::size_t kKept = 4;

struct Kept {
    DeviceFiles files; ///< what it was read from: a revision alone could be met on purpose
    std::shared_ptr<const Device> device;
};

std::mutex mutex;
std::deque<Kept> kept; ///< what was asked for last comes first

} // namespace

Expected<std::shared_ptr<const Device>> cachedDevice(const std::filesystem::path& path)
{
    Expected<DeviceFiles> files = readDeviceFiles(path);
    if (!files)
        return files.problem();
    const auto same = [&files](const Kept& entry) { return entry.files == *files; };
    {
        const std::lock_guard lock(mutex);
        if (const auto known = std::find_if(kept.begin(), kept.end(), same); known != kept.end()) {
            std::rotate(kept.begin(), known, known + 1);
            return kept.front().device;
        }
    }
    Expected<Device> device = parseDevice(*files);
    if (!device)
        return device.problem();
    const auto shared = std::make_shared<const Device>(*std::move(device));
    const std::lock_guard lock(mutex);
    std::erase_if(kept, [&path](const Kept& entry) { return entry.files.path == path; });
    kept.push_front({*std::move(files), shared});
    if (kept.size() > kKept)
        kept.pop_back();
    return shared;
}

} // namespace bindrel
