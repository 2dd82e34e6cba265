// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/device_memory.h"

#include "core/base/files.h"
#include "core/base/say.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace fs = std::filesystem;

bool isRevision(const std::string& text)
{
    return text.size() == 16 && std::all_of(text.begin(), text.end(),
                                            [](char c) { return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'f'); });
}

fs::path deviceMemory()
{
    const char* state = std::getenv("XDG_STATE_HOME");
    const char* home = std::getenv("HOME");
    const fs::path base = state && *state == '/' ? fs::path(state)
                          : home && *home        ? fs::path(home) / ".local" / "state"
                                                 : fs::path();
    return base.empty() ? base : base / "bindrel" / "devices";
}

Outcome rememberDevice(const Device& device, const fs::path& memory)
{
    if (device.file.empty() || memory.empty() || !isRevision(device.revision))
        return {};
    const fs::path folder = memory / device.revision;
    std::error_code error;
    if (fs::exists(folder / "device.json", error))
        return {};
    const Expected<DeviceFiles> files = readDeviceFiles(device.file);
    if (!files)
        return files.problem();
    const fs::path home = fs::path(device.file).parent_path();
    for (const LayerFile& layer : files->layers) {
        const fs::path there = folder / layer.path.lexically_relative(home);
        fs::create_directories(there.parent_path(), error);
        if (Outcome kept = writeFileAtomically(there, layer.text); !kept)
            return kept;
    }
    fs::create_directories(folder, error);
    // Last, so that its presence says that all is there.
    return writeFileAtomically(folder / "device.json", files->text);
}

Expected<Device> recallDevice(const std::string& revision, const fs::path& memory)
{
    std::error_code error;
    const fs::path file = memory / revision / "device.json";
    if (!isRevision(revision) || !fs::exists(file, error))
        return problemOf(say("the device file that the plan was saved with is not kept on this machine."));
    Expected<Device> device = loadDevice(file);
    if (device && device->revision != revision)
        return problemOf(say("the copy that is kept of the device file has been changed."));
    return device;
}

} // namespace bindrel
