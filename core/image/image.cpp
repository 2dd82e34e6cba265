// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/device/watchdogs.h"
#include "core/image/clock_steps.h"
#include "core/plan/clock_set.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

Step stepOf(const Device& device, Step::Kind kind, std::vector<FieldWrite> fields, std::string why)
{
    Step step;
    step.kind = kind;
    step.instance = fields.front().ref.instance;
    step.reg = fields.front().ref.reg;
    for (const FieldWrite& write : fields) {
        const Field& field = device.fieldOf(write.ref);
        step.mask |= field.mask();
        step.value |= field.at(write.code);
    }
    // A register with a key ignores every write that does not carry it.
    const IndexVector<FieldIndex, Field>& all = device.registerOf(fields.front().ref).fields;
    for (FieldIndex f = 0; f < int(all.size()) && kind != Step::Kind::Wait && kind != Step::Kind::Read; ++f)
        if (all[f].access == Field::Access::Key && !(step.mask & all[f].mask())) {
            step.mask |= all[f].mask();
            step.value |= all[f].at(all[f].key);
            fields.push_back({{step.instance, step.reg, static_cast<int>(f)}, all[f].key, "key"});
        } else if (all[f].access == Field::Access::WriteZeroToClear && !(step.mask & all[f].mask()) &&
                   (kind == Step::Kind::Write || kind == Step::Kind::Update)) {
            // A flag that comes between reading and writing back must get a one, too.
            step.mask |= all[f].mask();
            step.value |= all[f].mask();
            fields.push_back({{step.instance, step.reg, static_cast<int>(f)}, all[f].maxCode(), "stays"});
        }
    step.fields = std::move(fields);
    step.why = std::move(why);
    return step;
}

/// Bits that a write leaves a trace in; writing the others has an effect but no memory.
std::uint32_t keptBits(const Register& reg)
{
    std::uint32_t mask = 0;
    for (const Field& field : reg.fields)
        if (field.keepsWrites())
            mask |= field.mask();
    return mask;
}

RegisterValue& valueAt(std::map<std::uint32_t, RegisterValue>& byAddress, const Device& device, InstanceIndex instance,
                       RegisterIndex reg)
{
    auto [at, fresh] = byAddress.try_emplace(device.addressOf(instance, reg));
    if (fresh)
        at->second = {instance, reg, device.resetOf(instance, reg), device.resetOf(instance, reg), {}};
    return at->second;
}

/// Gates that are opened by a register of their own show it in another.
void foldGates(const Device& device, const Step& step, std::map<std::uint32_t, RegisterValue>& byAddress)
{
    for (const FieldWrite& write : step.fields)
        for (const Instance& instance : device.instances)
            for (const bool open : {true, false})
                if (const FieldCode& alias = open ? instance.gateSet : instance.gateClear;
                    alias.valid() && alias.ref == write.ref && alias.code == write.code) {
                    RegisterValue& value =
                        valueAt(byAddress, device, instance.gate.ref.instance, instance.gate.ref.reg);
                    const Field& field = device.fieldOf(instance.gate.ref);
                    const std::uint32_t code = open ? instance.gate.code : instance.gate.code == 0 ? 1u : 0u;
                    value.value = (value.value & ~field.mask()) | field.at(code);
                }
}

void foldRegisters(Image& image, const Device& device)
{
    std::map<std::uint32_t, RegisterValue> byAddress;
    for (const Step& step : image.steps) {
        if (step.kind != Step::Kind::Write && step.kind != Step::Kind::Update)
            continue;
        const Register& reg = device.blockOf(step.instance).registers[step.reg];
        const std::uint32_t kept = keptBits(reg);
        if (kept == 0) {
            foldGates(device, step, byAddress);
            continue;
        }
        RegisterValue& value = valueAt(byAddress, device, step.instance, step.reg);
        const std::uint32_t mask = (step.kind == Step::Kind::Write ? ~0u : step.mask) & kept;
        value.value = (value.value & ~mask) | (step.value & mask);
        for (const FieldWrite& write : step.fields) {
            std::erase_if(value.fields, [&](const FieldWrite& old) { return old.ref == write.ref; });
            value.fields.push_back(write);
        }
    }
    for (auto& [address, value] : byAddress) {
        std::sort(value.fields.begin(), value.fields.end(),
                  [](const FieldWrite& a, const FieldWrite& b) { return a.ref < b.ref; });
        image.registers.push_back(std::move(value));
    }
}

} // namespace

Step writeStep(const Device& device, std::vector<FieldWrite> fields, std::string why)
{
    Step step = stepOf(device, Step::Kind::Write, std::move(fields), std::move(why));
    const Register& reg = device.blockOf(step.instance).registers[step.reg];
    step.value |= device.resetOf(step.instance, step.reg) & ~step.mask & keptBits(reg);
    step.mask = ~0u;
    return step;
}

Step updateStep(const Device& device, std::vector<FieldWrite> fields, std::string why)
{
    return stepOf(device, Step::Kind::Update, std::move(fields), std::move(why));
}

Step forgetStep(const Device& device, const FieldRef& flag, std::string why)
{
    const Field& field = device.fieldOf(flag);
    const std::string cause = say("clear earlier flags");
    if (field.access == Field::Access::ReadToClear)
        return stepOf(device, Step::Kind::Read, {{flag, 0, cause}}, std::move(why));
    const std::vector<FieldWrite> write{{flag, field.access == Field::Access::WriteOneToClear ? 1u : 0u, cause}};
    const IndexVector<FieldIndex, Field>& fields = device.registerOf(flag).fields;
    const bool others = std::any_of(fields.begin(), fields.end(), [&](const Field& other) {
        return other.keepsWrites() && !(other.mask() & field.mask());
    });
    return others ? updateStep(device, write, std::move(why)) : writeStep(device, write, std::move(why));
}

Step copyStep(const Device& device, const FieldRef& into, const FieldRef& from, std::string why)
{
    Step step = stepOf(device, Step::Kind::Copy, {{into, 0, device.nameOf(from)}}, std::move(why));
    step.from = from;
    return step;
}

Step gateStep(const Device& device, InstanceIndex instance, bool open, std::string cause, std::string why)
{
    const Instance& facts = device.instances[instance];
    const FieldCode& alias = open ? facts.gateSet : facts.gateClear;
    if (alias.valid())
        return writeStep(device, {{alias.ref, alias.code, std::move(cause)}}, std::move(why));
    const std::uint32_t code = open ? facts.gate.code : facts.gate.code == 0 ? 1u : 0u;
    return updateStep(device, {{facts.gate.ref, code, std::move(cause)}}, std::move(why));
}

namespace {

/// Gates that can be written once only: those of one register are opened by the first write that opens one of them.
void openTogether(Image& image, const Device& device)
{
    std::set<FieldRef> gates;
    for (const Instance& instance : device.instances)
        if (instance.gate.valid() && device.fieldOf(instance.gate.ref).access == Field::Access::Once)
            gates.insert(instance.gate.ref);
    if (gates.empty())
        return;
    std::map<std::pair<InstanceIndex, RegisterIndex>, size_t> first;
    std::vector<bool> gone(image.steps.size(), false);
    for (size_t i = 0; i < image.steps.size(); ++i) {
        Step& step = image.steps[i];
        if ((step.kind != Step::Kind::Update && step.kind != Step::Kind::Write) || step.fields.empty() ||
            !gates.contains(step.fields.front().ref))
            continue;
        const auto [at, fresh] = first.emplace(std::pair(step.instance, step.reg), i);
        if (fresh)
            continue;
        Step& into = image.steps[at->second];
        for (const FieldWrite& write : step.fields)
            if (std::none_of(into.fields.begin(), into.fields.end(),
                             [&write](const FieldWrite& known) { return known.ref == write.ref; })) {
                into.fields.push_back(write);
                into.mask |= device.fieldOf(write.ref).mask();
                into.value |= device.fieldOf(write.ref).at(write.code);
            }
        gone[i] = true;
    }
    size_t at = 0;
    std::erase_if(image.steps, [&](const Step&) { return bool(gone[at++]); });
}

} // namespace

std::vector<Step> wakeSteps(const Device& device, InstanceIndex instance)
{
    const Instance& facts = device.instances[instance];
    std::vector<Step> out;
    if (facts.domain >= 0)
        if (const PowerDomain& domain = device.domains[facts.domain];
            domain.on.valid() && device.resetCode(domain.on.ref) != domain.on.code) {
            out.push_back(updateStep(device, {{domain.on.ref, domain.on.code, domain.name + say(" on")}},
                                     say("{} on, for {}.", domain.name, facts.name)));
            if (domain.ready.valid())
                out.push_back(waitStep(device, domain.ready.ref, domain.ready.code, domain.startup * Rational(2),
                                       say("Wait until {} has power (max. {}).", domain.name, format(domain.startup))));
        }
    if (facts.gate.valid() && device.resetCode(facts.gate.ref) != facts.gate.code)
        out.push_back(gateStep(device, instance, true, facts.name + say(" clocked"), say("Clock {}.", facts.name)));
    if (facts.reset.valid() && device.resetCode(facts.reset.ref) != facts.reset.code)
        out.push_back(updateStep(device, {{facts.reset.ref, facts.reset.code, facts.name + say(" out of reset")}},
                                 say("Release {} from reset.", facts.name)));
    return out;
}

Step waitStep(const Device& device, const FieldRef& ref, std::uint32_t code, const Duration& timeout, std::string why)
{
    Step step = stepOf(device, Step::Kind::Wait, {{ref, code, ""}}, std::move(why));
    step.timeout = timeout;
    return step;
}

std::vector<const std::vector<Step>*> Image::allSteps() const
{
    std::vector<const std::vector<Step>*> out{&steps, &stops, &toSlow, &toFull};
    for (const FallBack& fallBack : fallBacks)
        out.push_back(&fallBack.steps);
    for (const ModeSteps& mode : modes) {
        out.push_back(&mode.enter);
        out.push_back(&mode.back);
    }
    return out;
}

const RegisterValue* Image::find(InstanceIndex instance, RegisterIndex reg) const
{
    for (const RegisterValue& value : registers)
        if (value.instance == instance && value.reg == reg)
            return &value;
    return nullptr;
}

std::uint32_t Image::codeOf(const Device& device, const FieldRef& ref) const
{
    const RegisterValue* found = find(ref.instance, ref.reg);
    const std::uint32_t word = found ? found->value : device.resetOf(ref.instance, ref.reg);
    return device.fieldOf(ref).in(word);
}

void appendUnlockSteps(Image& image, const Device& device)
{
    for (const Unlock& unlock : device.unlocks) {
        const FieldRef key{unlock.instance, unlock.reg, 0};
        const Field& field = device.fieldOf(key);
        Step step = writeStep(device, {{key, field.in(unlock.key), "key"}},
                              say("Unlock {} for writing.", device.instances[unlock.instance].name));
        step.phase = Step::Phase::Unlock;
        image.steps.push_back(std::move(step));
    }
    // A watchdog that runs is fed in every wait: it must be reached before the first.
    for (const FieldCode& dog : runningWatchdogs(device))
        for (Step& step : wakeSteps(device, dog.ref.instance)) {
            step.phase = Step::Phase::Unlock;
            image.steps.push_back(std::move(step));
        }
}

/// Before anything draws more than after reset: the way in which the core's voltage is made.
static void appendRegulatorSteps(Image& image, const Device& device, const Plan& plan, const ClockSnapshot& reset)
{
    const auto chosen = std::find_if(device.regulators.begin(), device.regulators.end(),
                                     [&plan](const Regulator& r) { return r.id == plan.regulator; });
    if (chosen == device.regulators.end() || chosen->code == device.resetCode(device.regulatorControl))
        return;
    std::vector<Step> steps = wakeSteps(device, device.regulatorControl.instance);
    steps.push_back(updateStep(device, {{device.regulatorControl, chosen->code, chosen->name}},
                               say("Core voltage from {}.", chosen->name)));
    if (device.regulatorReady.valid())
        steps.push_back(waitStep(device, device.regulatorReady.ref, device.regulatorReady.code,
                                 device.regulatorStartup * Rational(2),
                                 say("Wait until it supplies the core (max. {}).", format(device.regulatorStartup))));
    for (Step& step : steps) {
        step.phase = Step::Phase::Clocks;
        step.coreRate = reset.trial.clocks[device.cpuClock()].rate;
        image.steps.push_back(std::move(step));
    }
}

void appendClockSteps(Image& image, const Device& device, const Board& board, const Plan& plan,
                      const Bindings& bindings, const Rates& rates, const IndexVector<NeedIndex, Setting>& settings,
                      const std::vector<PadSetup>& pads)
{
    const ClockSnapshot reset = resetStand(device, board, plan, bindings);
    appendRegulatorSteps(image, device, plan, reset);
    const ClockSnapshot full = plannedStand(device, rates, reset);
    ClockBringUp bringUp = bringUpSteps(device, rates, reset, full);
    image.lateSources = std::move(bringUp.lateSources);
    for (Step& step : bringUp.steps)
        image.steps.push_back(std::move(step));
    if (plan.slow) {
        image.slowRates = computeRates(device, board, withClockSet(plan, *plan.slow), bindings);
        const ClockSnapshot slow = plannedStand(device, *image.slowRates, full);
        const auto change = [&](const Rates& to, const ClockSnapshot& before, const ClockSnapshot& after) {
            std::set<ClockIndex> spoiled;
            std::vector<Step> moves = clockSteps(device, to, before, after, &spoiled);
            GatesMeanwhile gates =
                gatesMeanwhile(device, bindings, spoiled,
                               say("Stopped meanwhile: the clock switch would take it outside its limits."));
            std::vector<Step> steps = std::move(gates.close);
            for (std::vector<Step>* more : {&moves, &gates.open})
                for (Step& step : *more)
                    steps.push_back(std::move(step));
            return steps;
        };
        image.toSlow = change(*image.slowRates, full, slow);
        image.toFull = change(rates, slow, plannedStand(device, rates, slow));
    }
    if (plan.onFailure != OnFailure::Stop)
        appendFallBacks(image, {device, board, plan, bindings, rates, settings, pads}, reset, bringUp.awaited);
}

Image makeImage(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                const Rates& rates, const IndexVector<NeedIndex, Setting>& settings, const std::vector<PadSetup>& pads)
{
    Image image;
    appendUnlockSteps(image, device);
    appendFenceSteps(image, device, plan, bindings);
    appendPinSteps(image, device, plan, bindings, settings, pads);
    appendClockSteps(image, device, board, plan, bindings, rates, settings, pads);
    appendModeSteps(image, device, board, plan, bindings, rates, settings, pads);
    for (const NeedIndex n : plan.needs.indices())
        image.order.push_back(n);
    std::stable_partition(image.order.begin(), image.order.end(),
                          [&plan](NeedIndex n) { return !plan.leavesOut(plan.needs[n]); });
    appendNeedSteps(image, device, plan, bindings, rates, settings, pads);
    applyOverrides(image, device, plan, bindings);
    openTogether(image, device);
    foldRegisters(image, device);
    return image;
}

} // namespace bindrel
