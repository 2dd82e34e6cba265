// SPDX-License-Identifier: GPL-3.0-or-later
// Needs: gate of the instance, its registers (the one that switches it on last), events, and what the start function does.
#include "core/base/text.h"
#include "core/image/image.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

class NeedBringUp {
public:
    NeedBringUp(Image& image, const Device& device, const Plan& plan, int need) : image_(image), device_(device), plan_(plan), need_(need) {}

    void peripheral(const BoundNeed& bound, const Setting& setting)
    {
        const Instance& instance = device_.instances[size_t(bound.instance)];
        gate(bound.instance);
        std::vector<std::pair<int, std::vector<FieldWrite>>> registers;
        int last = -1;
        for (const RoleValue& value : setting.roles) {
            if (value.when != RoleValue::When::Config)
                continue;
            FieldWrite write;
            if (!encode(bound.instance, value, write))
                continue;
            if (value.role == "on")
                last = write.ref.reg;
            auto at = std::find_if(registers.begin(), registers.end(), [&](const auto& r) { return r.first == write.ref.reg; });
            if (at == registers.end())
                at = registers.insert(registers.end(), {write.ref.reg, {}});
            at->second.push_back(std::move(write));
        }
        // The register with the "on" bit comes last, so that nothing starts half configured.
        std::stable_sort(registers.begin(), registers.end(), [&](const auto& a, const auto& b) {
            return std::pair(a.first == last, a.first) < std::pair(b.first == last, b.first);
        });
        for (auto& [reg, fields] : registers) {
            const std::string why = fmt::format("{}.{}{}", instance.name, device_.blockOf(bound.instance).registers[size_t(reg)].name, purposeOf(fields, setting));
            add(writeStep(device_, std::move(fields), why), Step::Phase::Need);
        }
        for (const RoleValue& value : setting.roles)
            if (FieldWrite write; value.when == RoleValue::When::Event && encode(bound.instance, value, write))
                add(writeStep(device_, {write}, "Load the buffered registers."), Step::Phase::Need);
        for (const RoleValue& value : setting.roles)
            if (FieldWrite write; value.when == RoleValue::When::Start && encode(bound.instance, value, write))
                starts_.push_back(updateStep(device_, {write}, {}));
    }

    void line(const PadSetup& setup)
    {
        if (setup.line < 0 || device_.lineInstance < 0)
            return;
        const int lines = device_.lineInstance;
        const std::string n = std::to_string(setup.line);
        const Pad& pad = device_.pads[size_t(setup.pad)];
        const FieldRef port = device_.roleField(lines, "port" + n);
        if (!port.valid()) {
            image_.unplaced.push_back(fmt::format("{} has no line {}", device_.instances[size_t(lines)].name, n));
            return;
        }
        gate(lines);
        std::uint32_t portCode = 0;
        for (const EnumValue& value : device_.fieldOf(port).values)
            if (value.name == device_.instances[size_t(pad.port)].name)
                portCode = value.code;
        const std::string title = plan_.needs[size_t(need_)].title;
        add(updateStep(device_, {{port, portCode, title}}, fmt::format("Line {} watches {}.", n, pad.name)), Step::Phase::Need);
        const auto put = [&](const char* role, bool on) {
            if (const FieldRef ref = device_.roleField(lines, role + n); ref.valid())
                add(updateStep(device_, {{ref, on, title + ", edges"}}, {}), Step::Phase::Need);
        };
        put("rising", setup.rising);
        put("falling", setup.falling);
        if (const FieldRef flag = device_.roleField(lines, "flag" + n); flag.valid())
            add(writeStep(device_, {{flag, 1, "forget what came before"}}, "Forget edges that came before."), Step::Phase::Need);
        if (const FieldRef enable = device_.roleField(lines, "enable" + n); enable.valid())
            starts_.push_back(updateStep(device_, {{enable, 1, title}}, {}));
    }

    std::vector<Step> takeStarts() { return std::move(starts_); }

private:
    /// ", for dead time 650 ns": the goals that a register's fields serve, with what is achieved.
    static std::string purposeOf(const std::vector<FieldWrite>& fields, const Setting& setting)
    {
        std::vector<std::string> parts;
        for (const FieldWrite& field : fields)
            for (const Achieved& row : setting.achieved)
                if (const std::string part = lowered(row.title) + " " + row.achieved; row.goal == field.cause && std::find(parts.begin(), parts.end(), part) == parts.end())
                    parts.push_back(part);
        return parts.empty() ? "" : ", for " + joined(parts, ", ");
    }

    void add(Step step, Step::Phase phase)
    {
        step.phase = phase;
        step.need = need_;
        image_.steps.push_back(std::move(step));
    }

    void gate(int instance)
    {
        const Instance& facts = device_.instances[size_t(instance)];
        if (facts.gate.valid())
            add(updateStep(device_, {{facts.gate, 1, facts.name + " clocked"}}, fmt::format("Clock {}.", facts.name)), Step::Phase::Need);
    }

    bool encode(int instance, const RoleValue& value, FieldWrite& out)
    {
        const Role* role = device_.blockOf(instance).role(value.role);
        const std::optional<std::uint32_t> code = role ? role->encoding.encode(value.value) : std::nullopt;
        if (!role || !code) {
            // A role that is absent and wanted as 0 is simply not there.
            if (value.value != 0)
                image_.unplaced.push_back(fmt::format("{} {} {} {}", device_.instances[size_t(instance)].name, role ? "cannot express" : "has no field for",
                                                      value.role, value.value));
            return false;
        }
        out.ref = {instance, role->reg, role->field};
        out.code = *code;
        if (*code > device_.fieldOf(out.ref).maxCode()) {
            image_.unplaced.push_back(fmt::format("{} does not fit into {}", value.value, device_.nameOf(out.ref)));
            return false;
        }
        out.cause = value.goal.empty() ? plan_.needs[size_t(need_)].title : value.goal;
        return true;
    }

    Image& image_;
    const Device& device_;
    const Plan& plan_;
    int need_;
    std::vector<Step> starts_;
};

} // namespace

void appendNeedSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings,
                     const std::vector<Setting>& settings, const std::vector<PadSetup>& pads)
{
    std::vector<Step> starts;
    for (size_t n = 0; n < plan.needs.size(); ++n) {
        if (bindings.needs[n].state != BoundNeed::State::Bound)
            continue;
        NeedBringUp bringUp(image, device, plan, static_cast<int>(n));
        if (settings[n].computed)
            bringUp.peripheral(bindings.needs[n], settings[n]);
        for (const PadSetup& setup : pads)
            if (setup.need == static_cast<int>(n))
                bringUp.line(setup);
        for (Step& step : bringUp.takeStarts()) {
            step.phase = Step::Phase::Start;
            step.need = static_cast<int>(n);
            starts.push_back(std::move(step));
        }
    }
    image.steps.insert(image.steps.end(), starts.begin(), starts.end());
}

} // namespace bindrel
