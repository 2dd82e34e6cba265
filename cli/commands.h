// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"
#include "core/pins/placement.h"
#include "core/snapshot.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <functional>
#include <string>

/// Each subcommand is a file: it registers a function that adds its options to the parser and, when it is the one that
/// was called, does its work and gives the exit code.
namespace bindrel::cli {

inline constexpr int kClean = 0;    ///< nothing to complain about
inline constexpr int kFindings = 1; ///< the plan has findings of severity error, or what was asked cannot be done
inline constexpr int kUnusable = 2; ///< an argument or a file cannot be used, or the output could not be written

using AddCommand = void (*)(CLI::App& app, int& exitCode);
/// Makes a subcommand known; called by the line that BINDREL_COMMAND makes.
bool registerCommand(AddCommand add);
#define BINDREL_COMMAND(add) [[maybe_unused]] static const bool registered_##add = bindrel::cli::registerCommand(add);

// What goes to the terminal. Text of plans and files may hold anything: control characters and those that change the
// direction of writing are shown as escapes.
void printPlain(std::string_view text); ///< to standard output; line feeds pass
void warnText(std::string_view text);   ///< to standard error
/// Output that is escaped already, cell by cell.
void printRaw(std::string_view text);
void printAsJson(const nlohmann::ordered_json& json);
template <typename... Args> void printFormat(fmt::format_string<Args...> format, Args&&... args)
{
    printPlain(bindrel::say(format, std::forward<Args>(args)...));
}
template <typename... Args> void warn(fmt::format_string<Args...> format, Args&&... args)
{
    warnText(bindrel::say(format, std::forward<Args>(args)...));
}

/// What ships, the user's own, and the folders that --device-dir names: the first of these is looked into first.
Library library();

/// Tells a problem, on standard error, and with --format json also as an object on standard output; gives kUnusable.
int complain(const Problem& problem);
/// The same for something that cannot be done; gives kFindings.
int refuse(const std::string& message);

/// A plan that was read from a file, and one run of the pipeline over it.
struct OpenPlan {
    std::shared_ptr<const Snapshot> snapshot;
    std::string path;
    std::string fileText; ///< as it was read
    explicit operator bool() const { return snapshot != nullptr; }
    const Snapshot& operator*() const { return *snapshot; }
    const Snapshot* operator->() const { return snapshot.get(); }
};

/// The name for standard input, or standard output where something is written.
inline constexpr const char* kStandard = "-";
/// A file's bytes, or those of standard input for "-". Fails for what is larger than a file may be.
Expected<std::string> readInput(const std::string& path);
/// Writes a file, or to standard output for "-".
Outcome writeOutput(const std::string& path, const std::string& bytes);

/// Loads a plan by a path relative to the working folder and runs the pipeline; empty, with kUnusable, after a
/// complaint. A device file that has changed since the plan was saved is told on standard error, with what it changes.
OpenPlan openPlan(const std::string& path, int& exitCode);

/// The flags that a subcommand has which saves the plan: --force. With "-" for the plan the saved plan goes to standard
/// output and what the command tells to standard error.
void addStoreOptions(CLI::App& command);
/// Saves a plan with a note of its device file, unless its file was changed by somebody since it was read and --force
/// is not given. `snapshot` is one on the plan's device.
Outcome storePlan(const OpenPlan& opened, const Plan& plan, const Snapshot& snapshot);
inline Outcome storePlan(const OpenPlan& opened, const Plan& plan)
{
    return storePlan(opened, plan, *opened);
}

/// The flag of a subcommand that searches: --within SECONDS, `byDefault` when it is not given.
void addSearchOptions(CLI::App& command, double byDefault = 10);
/// True when the time of --within is over; counts from the first call of this function.
std::function<bool()> searchTime();
/// Whether a search since then was ended by it.
bool searchTimeIsUp();

/// The bindings that an edit sets: need, instance, pads, dma of each.
nlohmann::ordered_json bindingsJson(const Edit& edit);
/// What a placement costs, level by level, and what each level is known to be at least (null: not known).
nlohmann::ordered_json costJson(const PlacementCost& cost, const PlacementProof& proof);

} // namespace bindrel::cli
