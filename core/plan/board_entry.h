// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/edit.h"

#include <array>
#include <string>
#include <string_view>

namespace bindrel {

/// Reads "-20 to 70", "-20 to 70 °C": whole degrees Celsius from -273 to 300, the lower first.
Expected<TemperatureRange> parseTemperatures(std::string_view text);
/// "-20 to 70 °C"
std::string temperatureText(const TemperatureRange& range);

/// What can be said of a part's terminal.
enum class TerminalProperty { Pull, Voltage, Current, Inactive };
inline constexpr std::array kTerminalProperties{TerminalProperty::Pull, TerminalProperty::Voltage,
                                                TerminalProperty::Current, TerminalProperty::Inactive};
/// "up" and "down", "high" and "low"; empty: a quantity.
std::array<const char*, 2> choicesOf(TerminalProperty property);
/// What is said; empty when nothing is.
std::string terminalText(const TerminalFact& fact, TerminalProperty property);
/// The fact with one thing said otherwise; an empty text takes it back. The message says what would be understood.
Expected<TerminalFact> withTerminal(const TerminalFact& fact, TerminalProperty property, std::string_view text);

/// The edit after which the plan's board has this part in the place of the one of its id, or as a new one. Needs of a
/// part are the plan's own and not changed.
Edit editOfPart(const Plan& plan, Part part, std::string title);

/// The terminals of a part as a list: "rxd, txd, reset", "1, 2, 3 in a row" where they stand as on a connector.
std::string terminalList(const Part& part);
/// A part with its terminals renamed, added or left out, as such a list. What is said of terminals that
/// stay is kept. Fails for names that cannot be seen or are double, or when one that a need uses is missing.
Expected<Part> withTerminals(const Plan& plan, const Part& part, std::string_view list);

} // namespace bindrel
