// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity/quantity.h"

#include <string>

namespace bindrel {

/// Engineering notation with up to `digits` significant digits, trailing zeros dropped, a plain space before the unit:
/// "45.7143 MHz". Rounds halves away from zero. "undefined" when there is no value. In the reader's notation: what a
/// plan or a file gets is exactText(), which is the same for all.
std::string format(const Frequency& f, int digits = 6);
std::string formatBaud(const Frequency& f, int digits = 6);
std::string formatBitRate(const Frequency& f, int digits = 6); ///< "250 kbit/s"
std::string format(const Duration& t, int digits = 6);
std::string format(const Voltage& v, int digits = 4);
std::string format(const Capacitance& c, int digits = 4);
std::string format(const Resistance& r, int digits = 4); ///< "4.7 kΩ"
std::string format(const Current& i, int digits = 4);
std::string format(const Ratio& r, int digits = 4); ///< in per cent
/// Below 1000 ppm as "20 ppm", else in per cent. `plus` puts a sign before positive values.
std::string format(const Ppm& p, bool plus = false, int digits = 3);
/// "±20 ppm", or "-1 % … +0.5 %" when not symmetric; "exact" when zero.
std::string format(const Tolerance& t);

/// The shortest text that parseFrequency and its siblings read back as exactly the same value.
std::string exactText(const Frequency& f);
std::string exactText(const Duration& t);

} // namespace bindrel
