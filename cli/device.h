// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

#include <CLI/CLI.hpp>

#include <string>

namespace bindrel::cli {

/// A device by the path of its file, or by its name in the library.
Expected<Device> deviceNamed(const std::string& name);

// Subcommands of `device` that have a file of their own.
void addDeviceTable(CLI::App& app, int& exitCode);
void addDeviceExport(CLI::App& app, int& exitCode);

} // namespace bindrel::cli
