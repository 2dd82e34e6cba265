// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/library.h"
#include "core/plan/plan_file.h"

/// A board file with the shipped parts; what loads must also give a plan or say why not.
extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size)
{
    static const bindrel::Library library{BINDREL_SOURCE_DATA};
    const bindrel::Expected<bindrel::Board> board =
        bindrel::parseBoard(std::string(reinterpret_cast<const char*>(data), size), "fuzz.json",
                            [](std::string_view name) { return library.part(name); });
    if (board)
        (void)bindrel::planFromBoard(*board).ok();
    return 0;
}
