// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/compiler_consent.h"

#include "core/base/files.h"
#include "core/base/say.h"
#include "core/device/device_memory.h"

#include <algorithm>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

/// The tools that the scripts of this project install and test with.
constexpr const char* kKnownTools[] = {"arm-none-eabi-", "riscv64-unknown-elf-"};

fs::path fileOf(const Device& device, const fs::path& memory)
{
    return memory.empty() || !isRevision(device.revision) ? fs::path()
                                                          : memory.parent_path() / "compilers" / device.revision;
}

/// What was agreed to, so that a digest that two files share, by whatever accident, allows no other program.
std::string agreement(const Device& device)
{
    std::string out;
    for (const Core& core : device.cores)
        out += core.toolPrefix + "gcc\n";
    return out;
}

} // namespace

std::vector<std::string> unusualCompilers(const Device& device, Origin origin)
{
    std::vector<std::string> out;
    for (const Core& core : device.cores)
        if (origin != Origin::Shipped &&
            std::find(std::begin(kKnownTools), std::end(kKnownTools), core.toolPrefix) == std::end(kKnownTools) &&
            std::find(out.begin(), out.end(), core.toolPrefix + "gcc") == out.end())
            out.push_back(core.toolPrefix + "gcc");
    return out;
}

bool compilersAllowed(const Device& device, const fs::path& memory)
{
    const fs::path file = fileOf(device, memory);
    const Expected<std::string> text = file.empty() ? Expected<std::string>(problemOf("none")) : readFile(file);
    return text && *text == agreement(device);
}

Outcome allowCompilers(const Device& device, const fs::path& memory)
{
    const fs::path file = fileOf(device, memory);
    if (file.empty())
        return problemOf(say("Your consent cannot be stored: there is no home folder. Set HOME."));
    std::error_code error;
    fs::create_directories(file.parent_path(), error);
    return writeFileAtomically(file, agreement(device));
}

} // namespace bindrel
