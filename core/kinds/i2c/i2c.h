// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/kind.h"

namespace bindrel {

/// The goals of a need as values. REQUIRES: they were checked.
struct I2cGoals {
    Frequency most; ///< SCL is never faster
    std::string speedClass;
    Duration rise, fall, spike;

    static I2cGoals of(const Need& need);
};

Setting solveI2c(const TuningContext& context);
void declareI2c(Writer& header, size_t need);
void defineI2c(Writer& source, size_t need);

} // namespace bindrel
