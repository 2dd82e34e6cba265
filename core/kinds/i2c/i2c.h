// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/kind.h"

namespace bindrel {

enum class I2cSpeed { Standard, Fast, FastPlus };

/// The goals of a need as values. REQUIRES: they were checked.
struct I2cGoals {
    Frequency most; ///< SCL is never faster
    I2cSpeed speed = I2cSpeed::Fast;
    Duration rise, fall, spike;
    bool target = false; ///< it answers to its own address instead of calling others
    int address = 0;     ///< its own, of 7 bits
    bool generalCall = false;
    bool tenBits = false;    ///< addresses that it calls
    Duration patience;       ///< longest that a device may hold the clock low
    bool interrupts = false; ///< as a target

    static I2cGoals of(const Need& need);
};

Setting solveI2c(const TuningContext& context);
void declareI2c(Writer& header, NeedIndex need);
void defineI2c(Writer& source, NeedIndex need);

} // namespace bindrel
