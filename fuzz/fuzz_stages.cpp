// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/alternatives.h"
#include "core/base/files.h"
#include "core/device/load_device.h"
#include "core/pins/overrides.h"
#include "core/plan/clock_decision.h"
#include "core/plan/edit.h"
#include "core/plan/kind.h"
#include "core/rehearsal/rehearsal.h"
#include "core/snapshot.h"
#include "core/stacked_picture.h"

#include <fuzzer/FuzzedDataProvider.h>
#include <nlohmann/json.hpp>

#include <array>
#include <filesystem>
#include <string>
#include <vector>

namespace {

using namespace bindrel;
using Json = nlohmann::ordered_json;

/// A shipped plan with its chip's file, and the places in that file where something can be changed.
struct Ground {
    LoadedPlan work;
    std::string member;
    Json family;
    std::vector<Json::json_pointer> places;
};

std::string textAt(const std::filesystem::path& path)
{
    Expected<std::string> text = readFile(path);
    return text ? *std::move(text) : std::string();
}

const std::vector<Ground>& grounds()
{
    static const std::vector<Ground> all = [] {
        std::vector<Ground> out;
        const std::filesystem::path data(BINDREL_SOURCE_DATA);
        static const Library library{data};
        for (const auto& [plan, family, member] : {std::array{"sluice-node-c-done", "sedge/sedge", "sedge/se4332-c64"},
                                                   {"rain-post-b-done", "moss/moss", "moss/ms0816-a32"},
                                                   {"ditch-meter-d-done", "rill/rill", "rill/rl1224-q48"},
                                                   {"pump-hall-a-done", "alder/alder", "alder/al7654-f144"}}) {
            Expected<LoadedPlan> work =
                loadPlan(data.parent_path() / "examples" / (std::string(plan) + ".bindrel"), library);
            if (!work)
                __builtin_trap();
            Ground ground{*std::move(work),
                          textAt(data / "devices" / (std::string(member) + ".json")),
                          Json::parse(textAt(data / "devices" / (std::string(family) + ".json")), nullptr, true, true),
                          {}};
            const Json flat = ground.family.flatten();
            for (const auto& item : flat.items())
                ground.places.emplace_back(item.key());
            out.push_back(std::move(ground));
        }
        return out;
    }();
    return all;
}

/// Changes what a chip's file says in one place, to something of the same kind.
void damage(Json& family, const std::vector<Json::json_pointer>& places, FuzzedDataProvider& draw)
{
    const auto one = [&] { return places[draw.ConsumeIntegralInRange<std::size_t>(0, places.size() - 1)]; };
    const Json::json_pointer at = one();
    if (!family.contains(at))
        return;
    Json& value = family[at];
    if (value.is_number_integer()) {
        const std::int64_t was = value.get<std::int64_t>();
        const std::array others{was + 1,     was - 1,         was * 2,
                                was / 2,     std::int64_t(0), std::int64_t(1),
                                INT64_C(31), INT64_C(65'535), INT64_C(0xFFFFFFFF)};
        value = others[draw.ConsumeIntegralInRange<std::size_t>(0, others.size() - 1)];
    } else if (value.is_string()) {
        // What another place says, of the same last key where one is found.
        for (int tries = 0; tries < 40; ++tries) {
            const Json::json_pointer other = one();
            if (family.contains(other) && family[other].is_string() && (other.back() == at.back() || tries > 30)) {
                value = std::string(family[other]);
                return;
            }
        }
    } else if (value.is_boolean()) {
        value = !value.get<bool>();
    }
    if (draw.ConsumeIntegralInRange<int>(0, 7) == 0) {
        Json& parent = family[at.parent_pointer()];
        if (parent.is_object())
            parent.erase(at.back());
    }
}

/// A text for a goal: one of its choices, or a number that may be absurd.
std::string goalValue(const GoalSpec& goal, const Plan& plan, FuzzedDataProvider& draw)
{
    if (goal.type == GoalSpec::Type::Choice && !goal.choices.empty())
        return goal.choices[draw.ConsumeIntegralInRange<std::size_t>(0, goal.choices.size() - 1)];
    if (goal.type == GoalSpec::Type::Name && !plan.needs.empty())
        return plan.needs[NeedIndex(draw.ConsumeIntegralInRange<std::size_t>(0, plan.needs.size() - 1))].id;
    if (goal.type == GoalSpec::Type::Text)
        return draw.ConsumeRandomLengthString(24);
    static constexpr std::array kUnits{"Hz", "kHz", "MHz", "ns", "us", "ms", "s", "%", "ppm", "V", ""};
    const std::size_t digits = draw.ConsumeIntegralInRange<std::size_t>(1, 7);
    std::string number;
    for (std::size_t i = 0; i < digits; ++i)
        number += char('0' + draw.ConsumeIntegralInRange<int>(0, 9));
    const std::string unit = kUnits[draw.ConsumeIntegralInRange<std::size_t>(0, kUnits.size() - 1)];
    return number + (unit.empty() ? "" : " ") + unit;
}

std::optional<Change> changeOf(const Snapshot& s, FuzzedDataProvider& draw)
{
    const Plan& plan = s.plan;
    const Device& device = *s.device;
    if (plan.needs.empty() || device.clocks.empty())
        return std::nullopt;
    const NeedIndex n = draw.ConsumeIntegralInRange<std::size_t>(0, plan.needs.size() - 1);
    const Need& need = plan.needs[n];
    switch (draw.ConsumeIntegralInRange<int>(0, 9)) {
    case 0:
    case 1:
    case 2: {
        const KindSpec* kind = findKind(need.kind);
        if (!kind || kind->goals.empty())
            return std::nullopt;
        const GoalSpec& goal = kind->goals[draw.ConsumeIntegralInRange<std::size_t>(0, kind->goals.size() - 1)];
        return SetGoal{need.id, goal.id, goalValue(goal, plan, draw)};
    }
    case 3:
    case 4: {
        const ClockIndex clock = draw.ConsumeIntegralInRange<int>(0, int(device.clocks.size()) - 1);
        const std::vector<ClockDecision> choices = clockChoices(device, clock);
        if (choices.empty())
            return std::nullopt;
        return SetClock{device.clocks[clock].id,
                        choices[draw.ConsumeIntegralInRange<std::size_t>(0, choices.size() - 1)]};
    }
    case 5: {
        const InstanceIndex instance = s.bindings.needs[n].instance;
        if (instance < 0 || device.blockOf(instance).registers.empty())
            return std::nullopt;
        const Block& block = device.blockOf(instance);
        const Register& reg =
            block.registers[RegisterIndex(draw.ConsumeIntegralInRange<std::size_t>(0, block.registers.size() - 1))];
        if (reg.fields.empty())
            return std::nullopt;
        const Field& field = reg.fields[FieldIndex(draw.ConsumeIntegralInRange<std::size_t>(0, reg.fields.size() - 1))];
        return SetOverride{need.id, reg.name + "." + field.name, std::to_string(draw.ConsumeIntegral<std::uint16_t>())};
    }
    case 6:
        return SetBinding{need.id, {}};
    case 7: {
        Binding binding = need.binding;
        binding.instance =
            device.instances[InstanceIndex(draw.ConsumeIntegralInRange<std::size_t>(0, device.instances.size() - 1))]
                .name;
        return SetBinding{need.id, binding};
    }
    case 8:
        return SetText{SetText::What::Range,
                       device.ranges[draw.ConsumeIntegralInRange<std::size_t>(0, device.ranges.size() - 1)].id};
    default:
        if (device.modes.empty())
            return std::nullopt;
        return SetMode{device.modes[draw.ConsumeIntegralInRange<std::size_t>(0, device.modes.size() - 1)].id,
                       draw.ConsumeBool()};
    }
}

} // namespace

/// Decisions drawn from the input: a chip that is damaged in places, a plan that is changed step by step. Every stage
/// runs over what comes of it, up to the planned rehearsal.
extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size)
{
    FuzzedDataProvider draw(data, size);
    const Ground& ground = grounds()[draw.ConsumeIntegralInRange<std::size_t>(0, grounds().size() - 1)];
    LoadedPlan work = ground.work;
    if (draw.ConsumeBool()) {
        Json family = ground.family;
        for (int changes = draw.ConsumeIntegralInRange<int>(1, 4); changes > 0; --changes)
            damage(family, ground.places, draw);
        Expected<Device> device = parseDevice(ground.member, "own.json", family.dump(), "family.json");
        if (!device)
            return 0;
        work.device = std::make_shared<const Device>(*std::move(device));
    }
    std::shared_ptr<const Snapshot> s = computeSnapshot(work);
    for (int changes = draw.ConsumeIntegralInRange<int>(0, 8); changes > 0; --changes)
        if (const std::optional<Change> change = changeOf(*s, draw))
            if (Expected<Plan> next = applied(s->plan, editOf("fuzz", *change)))
                s = computeSnapshot(s->with(*std::move(next)));
    (void)s->source();
    for (std::size_t n = 0; n < s->plan.needs.size(); ++n) {
        const Alternatives all = alternativesOf(*s, n);
        if (all.all.size() > 1)
            (void)applied(s->plan, applyAlternative(*s, n, all, all.all.size() - 1));
        (void)stackedPicture(*s, n);
    }
    const std::vector<Scenario> scenarios = scenariosOf(s->facts());
    if (!scenarios.empty())
        (void)rehearsePlanned(s->facts(), scenarios[draw.ConsumeIntegralInRange<std::size_t>(0, scenarios.size() - 1)]);
    return 0;
}
