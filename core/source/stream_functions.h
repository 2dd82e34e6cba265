// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/source/writer.h"

namespace bindrel {

/// The functions by which a need's program lets DMA move: begin with a piece of memory, ask how far it is, halt. For
/// every channel of the need that the device's file tells in full.
void declareStreamState(Writer& source, NeedIndex need);
void resetStreamState(Writer& source, NeedIndex need);
void declareStreams(Writer& header, NeedIndex need);
void defineStreams(Writer& source, NeedIndex need);

/// Endings of their names.
const std::vector<std::string_view>& streamSuffixes();

} // namespace bindrel
