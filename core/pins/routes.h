// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"
#include "core/plan/kind.h"

#include <vector>

namespace bindrel {

/// Whether an instance's signal fits a pattern ("CH#N"); the channel is the number that # stands for, 0 without one.
struct PatternMatch {
    bool fits = false;
    int channel = 0;
};
PatternMatch matchSignal(std::string_view pattern, std::string_view signal);

/// A route that carries a need's signal.
struct RouteMatch {
    RouteIndex route = -1; ///< into Device::routes
    int channel = 0;
};

/// All routes by which `pad` carries `signal` on `instance`. There can be several: lanes with other roles, a pad that
/// two remaps lead to.
std::vector<RouteMatch> routesFor(const Device& device, InstanceIndex instance, const SignalSpec& signal, PadIndex pad);

/// Whether two routes can be used together: no field would have to hold two codes, and signals of one instance come
/// from one group. The pads' own function fields count too.
bool agree(const Device& device, const Route& a, const Route& b);

/// Why they do not agree, in words; empty when they do.
std::string disagreement(const Device& device, const Route& a, const Route& b);

/// "set 1", or the name that the field's code has.
std::string codeName(const Device& device, const FieldCode& select);

} // namespace bindrel
