// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/edit.h"
#include "core/plan/plan_file.h"

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// Reads WHAT=VALUE and gives the edit that does it; an empty value goes back to the default. WHAT is one of
///     name, supply, range, regulator, prefix, on_failure     of the plan
///     CLOCK                 a setting, or for an oscillator what is fitted: HFX=12 MHz, 20 ppm
///     net.PAD               the net on the board
///     project.SETTING       how the project is laid out: project.sources_in=src
///     mode.MODE             yes or no: whether the program enters it
///     nonvolatile.WORD.SETTING
///     hold.CLOCK, hold.NEED, hold.NEED.SIGNAL                yes or no
///     NEED.GOAL, NEED.title, NEED.core
///     NEED.SIGNAL           the pad, at no cost to other needs
///     NEED.instance         what serves it
///     NEED.SIGNAL.PROPERTY  what is said of the pad: uplink.rx.pull=up
/// Needs are named by id. The message names what is not understood and the nearest that would be.
Expected<Edit> readAssignment(const LoadedPlan& work, std::string_view text);

/// The plan after several, one after the other, so that a later one may build on an earlier one. The message begins
/// with the WHAT of the one that fails. What each changes is told in words to `told`, where that is given.
Expected<Plan> assigned(const LoadedPlan& work, const std::vector<std::string>& assignments,
                        std::vector<std::string>* told = nullptr);

} // namespace bindrel
