// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/device/lint_remarks.h"

#include "core/base/text.h"

#include <algorithm>
#include <set>

namespace bindrel {

std::vector<LintRemark> lint(const Device& device)
{
    LintRemarks out;
    lintRegisters(device, out);
    lintPads(device, out);
    if (device.hasClocks()) {
        lintClocks(device, out);
        lintStored(device, out);
        lintPower(device, out);
    }
    std::vector<LintRemark> remarks = out.take();
    if (device.undescribed.empty())
        return remarks;
    // What follows from something that is not described yet is no mistake.
    static const std::set<std::string, std::less<>> follows{
        "role-missing", "address-collision", "unreachable-signal", "pad-on-no-pin",       "line-missing",
        "reset-claim",  "interrupt-name",    "part-wanted-whole",  "crystal-without-pads"};
    if (!device.canBeWritten())
        std::erase_if(remarks, [](const LintRemark& remark) { return follows.contains(remark.check); });
    remarks.insert(remarks.begin(),
                   {"not-described", say("the files of {} do not say: {}", device.name, listed(device.undescribed))});
    return remarks;
}

} // namespace bindrel
