// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

#include <string>
#include <vector>

namespace bindrel {

// A device in the open forms that other tools read. What a form cannot say is a line in `left`.

/// Arm's System View Description, schema 1.3.
std::string registerXml(const Device& device, std::vector<std::string>& left);
/// IEEE 1149.1: the entity, its ports and the pin map; no scan chain, which a device file does not know.
std::string boundaryScanText(const Device& device);
/// Pins with the functions of each code: what readChipTable() reads.
std::string pinFunctionTable(const Device& device, std::vector<std::string>& left);
/// The file of columns that belongs to that table.
std::string pinFunctionColumns(const Device& device);
/// The fastest flash clock by number of wait states and operating range: what readValueTable() reads.
std::string waitStateTable(const Device& device);
std::string waitStateColumns(const Device& device);
/// Limits, start-up times, supplies and electrical values, a row for each: what readValueTable() reads.
std::string valueTable(const Device& device, std::vector<std::string>& left);
std::string valueColumns(const Device& device);

} // namespace bindrel
