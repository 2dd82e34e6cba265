// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/device.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/interchange/open_forms.h"

#include <fmt/format.h>

#include <filesystem>

namespace bindrel::cli {

void addDeviceExport(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string device, folder;
        bool force = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("export", say("Write a device in open forms: register XML, boundary-scan "
                                                         "description, tables of pins and functions, of wait "
                                                         "states, of limits and electrical values."));
    command->add_option("DEVICE", options->device, say("Name or file of a device"))->required();
    command->add_option("--to", options->folder, say("Folder, made where it is missing"))->required();
    command->add_flag("--force", options->force, say("Replace files that are there"));
    command->callback([options, &exitCode] {
        const Expected<Device> device = deviceNamed(options->device);
        if (!device) {
            exitCode = complain(device.problem());
            return;
        }
        std::vector<std::string> left;
        const std::string base = lowered(device->name);
        const std::pair<std::string, std::string> files[] = {
            {base + ".svd", registerXml(*device, left)},
            {base + ".bsd", boundaryScanText(*device)},
            {base + "-pins.csv", pinFunctionTable(*device, left)},
            {base + "-pins.csv.columns", pinFunctionColumns(*device)},
            {base + "-wait-states.csv", waitStateTable(*device)},
            {base + "-wait-states.csv.columns", waitStateColumns(*device)},
            {base + "-values.csv", valueTable(*device, left)},
            {base + "-values.csv.columns", valueColumns(*device)},
        };
        const std::filesystem::path folder(options->folder);
        std::error_code error;
        std::filesystem::create_directories(folder, error);
        for (const auto& [name, text] : files)
            if (!options->force && std::filesystem::exists(folder / name, error)) {
                exitCode =
                    complain(problemOf(say("{} already exists; use --force to replace it.", (folder / name).string())));
                return;
            }
        for (const auto& [name, text] : files) {
            if (const Outcome done = writeFileAtomically(folder / name, text); !done) {
                exitCode = complain(done.problem());
                return;
            }
            printFormat("{}\n", (folder / name).string());
        }
        for (const std::string& what : left)
            printFormat("not in these forms: {}\n", what);
    });
}

} // namespace bindrel::cli
