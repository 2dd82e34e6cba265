// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/coverage.h"
#include "core/describe/proposals.h"
#include "core/describe/table_look.h"
#include "core/device/layer_entry.h"
#include "core/device/lint.h"
#include "core/device/load_device.h"
#include "core/makers/chip_table.h"
#include "core/makers/makers_file.h"

#include <cstdlib>

namespace {

/// A table, and behind a line "====" what its columns say: looked at, and laid under a device.
void readTableOf(const std::string& text)
{
    const size_t cut = text.find("\n====\n");
    const bindrel::Expected<bindrel::Grid> grid = bindrel::readTable(text.substr(0, cut), "t");
    if (!grid)
        return;
    const bindrel::Expected<bindrel::Columns> columns =
        cut == std::string::npos ? bindrel::recogniseColumns(*grid, "t")
                                 : bindrel::readColumns(text.substr(cut + 6), "c", *grid, "t");
    if (!columns)
        return;
    const bindrel::Expected<bindrel::TableLook> look =
        bindrel::lookAtTable(*grid, *columns, bindrel::Device(), "t", "");
    if (!look)
        return;
    const std::string said = bindrel::columnsFileText(*look, *columns, {}, "t", 0.5);
    (void)bindrel::columnsTextOver(text, *columns, "t");
    bindrel::DeviceFiles files;
    files.path = "device.json";
    const bindrel::Expected<std::string> named = bindrel::withLayer("{ \"name\": \"T\" }", "device.json", "t.csv", "c");
    if (!named)
        std::abort();
    files.text = *named;
    files.layers = {{"t.csv", text.substr(0, cut)}, {"c", said}};
    const bindrel::Expected<bindrel::Device> device = bindrel::parseDevice(files);
    if (device)
        (void)bindrel::lint(*device);
}

} // namespace

/// The first byte says the format; what was read is laid down and loaded as a device.
extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size)
{
    if (size == 0)
        return 0;
    static const char* names[]{"chip.svd", "chip.bsd", "chip.ibs", "chip.csv", "chip.facts"};
    if (data[0] % 6 == 5) {
        readTableOf(std::string(reinterpret_cast<const char*>(data + 1), size - 1));
        return 0;
    }
    const std::string name = names[data[0] % 6];
    const std::string text(reinterpret_cast<const char*>(data + 1), size - 1);
    bindrel::DeviceFiles files;
    files.path = "device.json";
    files.text = bindrel::deviceTextFor(name);
    files.layers.push_back({name, text});
    const bindrel::Expected<bindrel::Device> device = bindrel::parseDevice(files);
    if (device) {
        (void)bindrel::lint(*device);
        (void)bindrel::coverageOf(*device);
        (void)bindrel::proposalsFor(*device);
    }
    return 0;
}
