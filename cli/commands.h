// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <filesystem>
#include <string>

/// Each subcommand is a file: it adds its options to the parser and, when it was the one that was called, does its work
/// and gives the exit code.
namespace bindrel::cli {

inline constexpr int kClean = 0;    ///< nothing to complain about
inline constexpr int kFindings = 1; ///< the plan has findings of severity error, or what was asked cannot be done
inline constexpr int kUnusable = 2; ///< an argument or a file cannot be used

void addCheck(CLI::App& app, int& exitCode);
void addShow(CLI::App& app, int& exitCode);
void addBind(CLI::App& app, int& exitCode);
void addWrite(CLI::App& app, int& exitCode);
void addLint(CLI::App& app, int& exitCode);

void addNew(CLI::App& app, int& exitCode);
void addUntangle(CLI::App& app, int& exitCode);
void addOptions(CLI::App& app, int& exitCode);
void addFit(CLI::App& app, int& exitCode);
void addMove(CLI::App& app, int& exitCode);
void addNets(CLI::App& app, int& exitCode);
void addSheet(CLI::App& app, int& exitCode);
void addReach(CLI::App& app, int& exitCode);
void addRepair(CLI::App& app, int& exitCode);

/// What ships, the user's own, and the folders that --device-dir names.
Library library();

/// Prints a problem to standard error and gives kUnusable.
int complain(const Problem& problem);

/// Loads a plan by a path relative to the working folder and runs the pipeline; null, with kUnusable, after a complaint. A device file that
/// has changed since the plan was saved is told on standard error, with what it changes.
std::shared_ptr<const Snapshot> openPlan(const std::string& path, int& exitCode);

/// The bindings that an edit sets: need, instance, pads, dma of each.
nlohmann::ordered_json bindingsJson(const Edit& edit);

/// Saves a plan with a note of its device file.
Outcome storePlan(const Plan& plan, const Snapshot& snapshot, const std::string& path);

} // namespace bindrel::cli
