// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint_remarks.h"

namespace bindrel {

std::vector<LintRemark> lint(const Device& device)
{
    LintRemarks out;
    lintRegisters(device, out);
    lintPads(device, out);
    lintClocks(device, out);
    lintStored(device, out);
    lintPower(device, out);
    return out.take();
}

} // namespace bindrel
