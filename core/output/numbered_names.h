// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/directory.h"

#include <string>
#include <vector>

namespace bindrel {

/// Moves a file to the first free name of "STEM", "STEM-2", "STEM-3", …; gives that name.
Expected<std::string> moveToFreeNumber(const Directory& from, const std::string& name, const Directory& to,
                                       const std::string& stem);

/// The names under which a folder of backups keeps earlier texts of a file, the youngest first: "NAME", "NAME.2", …
std::vector<std::string> backupNames(const std::string& name);

/// Puts a file among the backups as the youngest; the oldest goes when there are kBackups already.
Outcome addBackup(const Directory& from, const Directory& backups, const std::string& name,
                  const std::string& staged = {});

} // namespace bindrel
