// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/kind.h"

namespace bindrel {

/// The goals of a need as values. REQUIRES: they were checked.
struct AdcGoals {
    int inputs = 1;
    Frequency rate; ///< of whole sequences
    int bits = 12;
    std::int64_t ohms = 0;
    bool byTimer = false;
    bool continuous = false;                  ///< begins anew by itself
    std::int64_t average = 1;                 ///< conversions that make a value
    bool watch = false;                       ///< tells when a value leaves what lies between these
    std::int64_t watchLow = 0, watchHigh = 0; ///< millivolts
    std::string by;                           ///< id of the need whose timer starts it; empty: any that fits
    bool dma = false;
    bool interrupt = false;
    std::int64_t millivolts = 0; ///< of the reference

    static AdcGoals of(const Need& need);
};

/// Input numbers of a need in its own order; -1 where the pad is not chosen yet.
std::vector<int> adcInputs(const BoundNeed& bound);
/// The smallest resolution of the converter that has at least so many bits, else its largest.
std::int64_t adcResolution(const Device& device, InstanceIndex instance, int bits);
/// Kernel cycles of one conversion, sample time included.
std::int64_t adcCycles(const Device& device, InstanceIndex instance, const Setting& setting);

Setting solveAdc(const TuningContext& context);
void declareAdc(Writer& header, NeedIndex need);
void defineAdc(Writer& source, NeedIndex need);

} // namespace bindrel
