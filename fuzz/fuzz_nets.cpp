// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/library.h"
#include "core/interchange/netlist.h"
#include "core/interchange/register_dump.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size)
{
    static const std::shared_ptr<const bindrel::Device> device =
        *bindrel::Library(BINDREL_SOURCE_DATA).device("se4332-c64");
    const std::string text(reinterpret_cast<const char*>(data), size);
    (void)bindrel::readNets(text, *device).ok();
    if (const bindrel::Expected<bindrel::Grid> grid = bindrel::netGrid(text)) {
        const bindrel::NetColumns columns = bindrel::recogniseNetColumns(*grid, *device);
        (void)bindrel::readNetRows(*grid, columns, *device);
        const std::string said = bindrel::netColumnsText(*grid, columns, "t");
        (void)bindrel::readNetColumns(said, "c", *grid, "t").ok();
    }
    (void)bindrel::readRegisterDump(*device, text).ok();
    return 0;
}
