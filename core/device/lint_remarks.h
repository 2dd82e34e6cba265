// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"
#include "core/device/lint.h"

#include <fmt/format.h>

namespace bindrel {

/// Collects remarks; each group of checks is in a file of its own.
class LintRemarks {
public:
    template <typename... Args> void addRemark(const char* check, fmt::format_string<Args...> text, Args&&... args)
    {
        remarks_.push_back({check, say(text, std::forward<Args>(args)...)});
    }
    std::vector<LintRemark> take() { return std::move(remarks_); }

private:
    std::vector<LintRemark> remarks_;
};

void lintRegisters(const Device& device, LintRemarks& out);
void lintPads(const Device& device, LintRemarks& out);
void lintClocks(const Device& device, LintRemarks& out);
/// A chip that comes out of reset beyond its own limits cannot be: a rate, a factor or a limit is wrong.
void lintReset(const Device& device, LintRemarks& out);
void lintPower(const Device& device, LintRemarks& out);
void lintStored(const Device& device, LintRemarks& out);

} // namespace bindrel
