// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/image/image.h"
#include "core/pins/overrides.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

bool writesRegister(const Step& step)
{
    return step.kind == Step::Kind::Write || step.kind == Step::Kind::Update;
}

void putInto(Step& step, const Device& device, const Override& set)
{
    const Field& field = device.fieldOf(set.ref);
    step.mask |= field.mask();
    step.value = (step.value & ~field.mask()) | field.at(set.code);
    const auto known =
        std::find_if(step.fields.begin(), step.fields.end(), [&](const FieldWrite& w) { return w.ref == set.ref; });
    const bool asked = known != step.fields.end();
    FieldWrite& write = asked ? *known : step.fields.emplace_back();
    if (asked && !write.asked)
        write.asked = write.code;
    write.ref = set.ref;
    write.code = set.code;
    write.cause = say("set by hand");
    write.byHand = true;
}

/// Where a write of its own goes: before the last register of the instance that the need configures, which switches it
/// on; else behind all that the need does.
size_t placeOf(const Image& image, const Override& set)
{
    size_t last = image.steps.size(), end = image.steps.size();
    for (size_t i = 0; i < image.steps.size(); ++i) {
        const Step& step = image.steps[i];
        if (step.phase != Step::Phase::Need || step.need != set.need)
            continue;
        end = i + 1;
        if (step.instance == set.ref.instance && writesRegister(step))
            last = i;
    }
    return last < image.steps.size() ? last : end;
}

} // namespace

void applyOverrides(Image& image, const Device& device, const Plan& plan, const Bindings& bindings)
{
    for (const Override& set : overridesOf(device, plan, bindings)) {
        if (!set.ref.valid() || bindings.needs[set.need].state != BoundNeed::State::Bound)
            continue;
        bool written = false;
        for (Step& step : image.steps) {
            if (!writesRegister(step) || step.need < 0 || step.instance != set.ref.instance || step.reg != set.ref.reg)
                continue;
            const bool names = std::any_of(step.fields.begin(), step.fields.end(),
                                           [&](const FieldWrite& write) { return write.ref == set.ref; });
            // A whole register's write would clear it.
            if (!names && step.kind == Step::Kind::Update)
                continue;
            putInto(step, device, set);
            written = true;
        }
        if (written)
            continue;
        Step step = updateStep(device, {{set.ref, set.code, say("set by hand")}},
                               say("{} is set by hand.", device.nameOf(set.ref)));
        step.fields.front().byHand = true;
        step.phase = Step::Phase::Need;
        step.need = set.need;
        image.steps.insert(image.steps.begin() + static_cast<std::ptrdiff_t>(placeOf(image, set)), std::move(step));
    }
}

} // namespace bindrel
