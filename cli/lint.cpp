// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "cli/commands.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <filesystem>

namespace bindrel::cli {

static void addLint(CLI::App& app, int& exitCode)
{
    auto device = std::make_shared<std::string>();
    CLI::App* command = app.add_subcommand("lint", "Check a device description.");
    command->add_option("DEVICE", *device, "Device file, or the name of a shipped device")->required();
    command->callback([device, &exitCode] {
        std::error_code error;
        std::vector<Problem> problems;
        const auto found = library().deviceFile(*device);
        const Expected<Device> loaded = std::filesystem::exists(*device, error) ? loadDevice(*device, &problems)
                                        : found                                 ? loadDevice(found->file, &problems)
                                                : Expected<Device>(library().device(*device).problem());
        if (!loaded) {
            // All at once: a person mends a file in one go.
            for (size_t i = 0; i + 1 < problems.size(); ++i)
                warn("bindrel-cli: {}\n", problems[i].text());
            exitCode = complain(problems.empty() ? loaded.problem() : problems.back());
            if (problems.size() > 1)
                warn("{}; anything that depends on these was not checked.\n",
                     counted(long(problems.size()), "problem"));
            return;
        }
        const std::vector<LintRemark> remarks = lint(*loaded);
        for (const LintRemark& remark : remarks)
            say("{}: {}\n", remark.check, remark.text);
        say("{}: {}, {}, {}, {}\n", loaded->name, counted(long(loaded->pads.size()), "pad"),
            counted(long(loaded->instances.size()), "instance"), counted(long(loaded->clocks.size()), "clock"),
            counted(long(remarks.size()), "remark"));
        exitCode = remarks.empty() ? kClean : kFindings;
    });
}

BINDREL_COMMAND(addLint)

} // namespace bindrel::cli
