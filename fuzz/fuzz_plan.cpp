// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot.h"

/// A plan for whichever shipped device and board it names; what loads goes through the whole pipeline, and its text
/// reads back as the same plan.
extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size)
{
    static const bindrel::Library library{BINDREL_SOURCE_DATA};
    const bindrel::Expected<bindrel::LoadedPlan> work =
        bindrel::parsePlan(std::string(reinterpret_cast<const char*>(data), size), "fuzz.bindrel", library);
    if (!work)
        return 0;
    (void)bindrel::computeSnapshot(*work);
    const bindrel::Expected<bindrel::LoadedPlan> again =
        bindrel::parsePlan(bindrel::planText(work->plan), "again.bindrel", library);
    if (!again || !(again->plan == work->plan))
        __builtin_trap();
    return 0;
}
