// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json_fwd.hpp>

#include <string>

namespace bindrel {

/// A device file, or a part of one, as lines of facts (docs/formats/facts.md): what readFacts() reads as the same
/// values.
std::string factsText(const nlohmann::ordered_json& device);

} // namespace bindrel
