// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "core/device/load_device.h"

/// A device file by itself; what loads must also survive the lint.
extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size)
{
    const bindrel::Expected<bindrel::Device> device =
        bindrel::parseDevice(std::string(reinterpret_cast<const char*>(data), size), "fuzz.json", "", "");
    if (device)
        (void)bindrel::lint(*device);
    return 0;
}
