// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/part.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size)
{
    (void)bindrel::parsePart(std::string(reinterpret_cast<const char*>(data), size), "fuzz.json").ok();
    return 0;
}
