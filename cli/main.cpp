// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/device/device_memory.h"
#include "core/snapshot_change.h"

#include <fmt/format.h>

#include <cstdio>

namespace bindrel::cli {

namespace {
std::vector<std::string> deviceFolders;
} // namespace

Library library()
{
    Library out = Library::shipped();
    for (const std::string& folder : deviceFolders)
        out = out.with(std::filesystem::absolute(folder), Origin::Folder);
    return out;
}

Outcome storePlan(const Plan& plan, const Snapshot& snapshot, const std::string& path)
{
    std::error_code error;
    const Library beside = library().with(std::filesystem::absolute(path, error).parent_path(), Origin::BesidePlan);
    const auto found = beside.deviceFile(plan.device);
    if (Outcome saved = savePlan(stamped(plan, *snapshot.device, found ? found->origin : Origin::Shipped), path); !saved)
        return saved;
    (void)rememberDevice(*snapshot.device, deviceMemory());
    return {};
}

nlohmann::ordered_json bindingsJson(const Edit& edit)
{
    nlohmann::ordered_json out = nlohmann::ordered_json::array();
    for (const Change& change : edit.changes)
        if (const auto* set = std::get_if<SetBinding>(&change))
            out.push_back({{"need", set->need}, {"instance", set->binding.instance}, {"pads", set->binding.pads}, {"dma", set->binding.dma}});
    return out;
}

int complain(const Problem& problem)
{
    fmt::print(stderr, "bindrel-cli: {}\n", problem.text());
    return kUnusable;
}

std::shared_ptr<const Snapshot> openPlan(const std::string& path, int& exitCode)
{
    Expected<Workpiece> work = loadPlan(path, library());
    if (!work) {
        exitCode = complain(work.problem());
        return nullptr;
    }
    const std::vector<std::string> changes = deviceChanges(*work, deviceMemory());
    if (!changes.empty())
        fmt::print(stderr, "bindrel-cli: the file of {} has changed since {} was saved:\n", work->device->name, path);
    for (const std::string& change : changes)
        fmt::print(stderr, "  {}\n", change);
    return computeSnapshot(*work);
}

} // namespace bindrel::cli

int main(int argc, char** argv)
{
    CLI::App app{"Plans pins, clocks and registers of a microcontroller and writes the C that sets them up."};
    app.name("bindrel-cli");
    app.require_subcommand(1);
    app.set_version_flag("--version", "bindrel-cli " BINDREL_VERSION);
    app.add_option("--device-dir", bindrel::cli::deviceFolders, "Folder with device, board and part files that is looked into first; may be given several times");
    app.footer("Exit codes: 0 clean, 1 findings of severity error, 2 unusable input.");
    int exitCode = bindrel::cli::kClean;
    for (const auto add : {bindrel::cli::addCheck, bindrel::cli::addShow, bindrel::cli::addBind, bindrel::cli::addWrite, bindrel::cli::addLint, bindrel::cli::addNew,
                           bindrel::cli::addUntangle, bindrel::cli::addOptions, bindrel::cli::addFit, bindrel::cli::addMove, bindrel::cli::addNets, bindrel::cli::addSheet,
                           bindrel::cli::addReach, bindrel::cli::addRepair})
        add(app, exitCode);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        // Help and version are "errors" of code 0 to the parser; all others are unusable input.
        return app.exit(error) == 0 ? bindrel::cli::kClean : bindrel::cli::kUnusable;
    }
    return exitCode;
}
