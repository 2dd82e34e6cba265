// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/setting.h"

#include <fmt/format.h>

namespace bindrel {

const std::vector<KindArithmetic>& arithmetic()
{
    static const std::vector<KindArithmetic> all{{"uart", solveUart}, {"i2c", solveI2c}, {"pwm", solvePwm}};
    return all;
}

const Encoding& TuningContext::encoding(std::string_view role) const
{
    static const Encoding asIs;
    const Role* found = device.blockOf(bound.instance).role(role);
    return found ? found->encoding : asIs;
}

std::uint32_t TuningContext::maxCode(std::string_view role) const
{
    const FieldRef ref = device.roleField(bound.instance, role);
    return ref.valid() ? device.fieldOf(ref).maxCode() : 0;
}

std::vector<Setting> tune(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates)
{
    std::vector<Setting> out(plan.needs.size());
    for (size_t n = 0; n < plan.needs.size(); ++n) {
        const Need& need = plan.needs[n];
        const BoundNeed& bound = bindings.needs[n];
        Setting& setting = out[n];
        for (const KindArithmetic& kind : arithmetic()) {
            if (kind.kind != need.kind)
                continue;
            if (bound.instance < 0) {
                setting.notComputed = "no instance is chosen yet; bind the need first";
                continue;
            }
            const int kernel = device.instances[size_t(bound.instance)].kernel;
            const ClockState& clock = rates.clocks[size_t(kernel)];
            if (!clock.running || !clock.rate.defined()) {
                setting.notComputed = fmt::format("its clock {} does not run: {}", device.clocks[size_t(kernel)].name, clock.stopped);
                setting.kernel = kernel;
                continue;
            }
            setting = kind.solve({device, rates, need, bound});
            setting.kernel = kernel;
            setting.computed = setting.notComputed.empty();
        }
    }
    return out;
}

} // namespace bindrel
