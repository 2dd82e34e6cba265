// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"

#include <fmt/format.h>

#include <cstdio>

namespace bindrel::cli {

int complain(const Problem& problem)
{
    fmt::print(stderr, "bindrel-cli: {}\n", problem.text());
    return kUnusable;
}

std::shared_ptr<const Snapshot> openPlan(const std::string& path)
{
    Expected<Workpiece> work = loadPlan(path, Library::shipped());
    if (!work) {
        complain(work.problem());
        return nullptr;
    }
    return computeSnapshot(*work);
}

} // namespace bindrel::cli

int main(int argc, char** argv)
{
    CLI::App app{"Plans pins, clocks and registers of a microcontroller and writes the C that sets them up."};
    app.name("bindrel-cli");
    app.require_subcommand(1);
    app.set_version_flag("--version", "bindrel-cli " BINDREL_VERSION);
    app.footer("Exit codes: 0 clean, 1 findings of severity error, 2 unusable input.");
    int exitCode = bindrel::cli::kClean;
    for (const auto add : {bindrel::cli::addCheck, bindrel::cli::addShow, bindrel::cli::addBind, bindrel::cli::addWrite, bindrel::cli::addLint})
        add(app, exitCode);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        // Help and version are "errors" of code 0 to the parser; all others are unusable input.
        return app.exit(error) == 0 ? bindrel::cli::kClean : bindrel::cli::kUnusable;
    }
    return exitCode;
}
