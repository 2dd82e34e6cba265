// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/text.h"
#include "core/device/lint.h"

#include <fmt/format.h>

#include <filesystem>

namespace bindrel::cli {

static void addLint(CLI::App& app, int& exitCode)
{
    auto device = std::make_shared<std::string>();
    CLI::App* command = app.add_subcommand("lint", "Look for mistakes in a device description.");
    command->add_option("DEVICE", *device, "Device file, or the name of a shipped device")->required();
    command->callback([device, &exitCode] {
        std::error_code error;
        const Expected<Device> loaded = std::filesystem::exists(*device, error) ? loadDevice(*device) : library().device(*device);
        if (!loaded) {
            exitCode = complain(loaded.problem());
            return;
        }
        const std::vector<LintRemark> remarks = lint(*loaded);
        for (const LintRemark& remark : remarks)
            say("{}: {}\n", remark.check, remark.text);
        say("{}: {}, {}, {}, {}\n", loaded->name, counted(long(loaded->pads.size()), "pad"), counted(long(loaded->instances.size()), "instance"),
                   counted(long(loaded->clocks.size()), "clock"), counted(long(remarks.size()), "remark"));
        exitCode = remarks.empty() ? kClean : kFindings;
    });
}

BINDREL_COMMAND(addLint)

} // namespace bindrel::cli
