// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <string>

namespace bindrel {

/// The text of a device file with one more entry in its "layers", at their end; everything else, comments too, stays as
/// it is. Both names are relative to the device file; `columns` may be empty. The same text where the layer is there
/// already with these columns. Fails where it stands there otherwise, where the device stands on a family instead of
/// layers, and where the text is no device file.
Expected<std::string> withLayer(const std::string& deviceText, const std::string& deviceFile, const std::string& file,
                                const std::string& columns);

} // namespace bindrel
