// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/source/names.h"
#include "core/source/source.h"

#include <set>
#include <vector>

namespace bindrel {

/// PREFIX_clock_hz.h and .c: a function for each of the chip's clocks that gives its rate from the registers as they
/// are. Nothing for other cores than the first, or where the plan leaves it out.
std::vector<SourceFile> clockRateFiles(const Facts& facts, const Names& names);
/// Their names, by clock; empty where there are none.
std::vector<Word> clockRateFunctions(const Facts& facts, const Names& names);
/// The instances whose registers these functions read.
void addClockRateInstances(const Facts& facts, const Names& names, std::set<int>& instances);

} // namespace bindrel
