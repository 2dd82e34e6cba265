// SPDX-License-Identifier: GPL-3.0-or-later
// Needs: gate of the instance, its registers (the one that switches it on last), events, and what the start function
// does.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/field_code.h"
#include "core/image/image.h"
#include "core/plan/kind.h"
#include "core/plan/plain_fields.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <tuple>

namespace bindrel {

namespace {

/// Of a flag that follows at once or whose time the file does not give.
const Duration kShortestWait{Rational(1, 10'000)};

class NeedBringUp {
public:
    NeedBringUp(Image& image, const Device& device, const Plan& plan, const Rates& rates, NeedIndex need)
        : image_(image), device_(device), plan_(plan), rates_(rates), need_(need)
    {
    }

    /// Clock, mode of the unit and DMA channels of the instance: all that can be set for it without its arithmetic.
    void instance(const BoundNeed& bound)
    {
        gate(bound.instance);
        for (const FieldCode& select : selectsOf(bound))
            if (select.ref.instance != bound.instance)
                add(updateStep(device_, {{select.ref, select.code, plan_.needs[need_].title}},
                               say("{} becomes {}.", device_.instances[bound.instance].unit,
                                   device_.instances[bound.instance].name)),
                    Step::Phase::Need);
        for (const Stream& stream : bound.streams)
            if (device_.dma.instance >= 0 && stream.channel >= 0) {
                gate(device_.dma.instance);
                const FieldRef router = device_.requestField(stream.channel);
                if (!router.valid())
                    continue;
                gate(router.instance);
                add(updateStep(device_, {{router, linkCode(bound, stream), plan_.needs[need_].title + ", DMA"}},
                               say("DMA channel {}: request {}.{}.", stream.channel,
                                   device_.instances[bound.instance].name, stream.request)),
                    Step::Phase::Need);
            }
    }

    /// Fields of the instance's own registers that the mode of its unit and its lanes' roles need, where no arithmetic
    /// writes them.
    void ownSelects(const BoundNeed& bound)
    {
        for (const FieldCode& select : selectsOf(bound))
            if (select.ref.instance == bound.instance)
                add(updateStep(device_, {{select.ref, select.code, plan_.needs[need_].title}}, say("Lane functions.")),
                    Step::Phase::Need);
    }

    std::vector<std::string> fieldNames(InstanceIndex instance) const
    {
        std::vector<std::string> out;
        for (const Register& reg : device_.blockOf(instance).registers)
            for (const Field& field : reg.fields)
                out.push_back(reg.name + "." + field.name);
        return out;
    }

    /// Values of fields, as a custom need gives them: "CTL.MODE=2 CTL.ON=1 CTL.WAY=into_memory".
    void plainFields(const BoundNeed& bound)
    {
        const std::string& name = device_.instances[bound.instance].name;
        for (const auto& [plain, value] : plainFieldsOf(plan_.needs[need_])) {
            const std::optional<FieldRef> ref = device_.findField(name + "." + plain);
            if (!ref) {
                image_.unplaced.push_back(
                    say("{} has no field \"{}\" (write REGISTER.FIELD=1, or =NAME of one of its values){}", name, plain,
                        didYouMean(plain, fieldNames(bound.instance))));
                continue;
            }
            const Field& field = device_.fieldOf(*ref);
            const Expected<std::uint32_t> code = fieldCode(device_, *ref, value);
            if (!code)
                image_.unplaced.push_back(fmt::format("{}: {}", name, code.problem().message));
            else if (field.access == Field::Access::ReadOnly)
                image_.unplaced.push_back(say("{} is read-only", device_.nameOf(*ref)));
            else
                add(updateStep(device_, {{*ref, *code, "fields"}}, {}), Step::Phase::Need);
        }
    }

    void peripheral(const BoundNeed& bound, const Setting& setting)
    {
        const Instance& instance = device_.instances[bound.instance];
        std::vector<std::pair<int, std::vector<FieldWrite>>> registers;
        for (const FieldCode& select : selectsOf(bound))
            if (select.ref.instance == bound.instance)
                registerOf(registers, select.ref.reg).push_back({select.ref, select.code, plan_.needs[need_].title});
        int last = -1;
        for (const RoleValue& value : setting.roles) {
            if (value.when != RoleValue::When::Config)
                continue;
            FieldWrite write;
            if (!encode(bound.instance, value, write))
                continue;
            if (value.role == "on")
                last = write.ref.reg;
            registerOf(registers, write.ref.reg).push_back(std::move(write));
        }
        // What the registers of a unit mean depends on what the unit is: that comes first. The one with the "on" bit
        // comes last, so that nothing starts half configured.
        const auto tells = [&](RegisterIndex reg) {
            return std::any_of(instance.selects.begin(), instance.selects.end(), [&](const FieldCode& select) {
                return select.ref.instance == bound.instance && select.ref.reg == reg;
            });
        };
        std::stable_sort(registers.begin(), registers.end(), [&](const auto& a, const auto& b) {
            return std::tuple(a.first == last, !tells(a.first), a.first) <
                   std::tuple(b.first == last, !tells(b.first), b.first);
        });
        for (const FieldCode& select : instance.selects)
            if (select.ref.instance == bound.instance && select.ref.reg == last && registers.size() > 1 &&
                device_.resetCode(select.ref) != select.code)
                add(updateStep(device_, {{select.ref, select.code, plan_.needs[need_].title}},
                               say("{} becomes {}.", instance.unit, instance.name)),
                    Step::Phase::Need);
        std::set<int> touched;
        // A state is asked for once, also where several needs use the instance.
        const bool first = std::none_of(image_.steps.begin(), image_.steps.end(), [&](const Step& step) {
            return step.phase == Step::Phase::Need && step.instance == bound.instance && step.need != need_;
        });
        for (const RoleStep& step : first ? setting.before : std::vector<RoleStep>())
            touched.insert(operation(bound.instance, step));
        for (auto& [reg, fields] : registers) {
            const std::string why = fmt::format("{}.{}{}", instance.name,
                                                device_.blockOf(bound.instance).registers[RegisterIndex(reg)].name,
                                                purposeOf(fields, setting));
            // Registers of a shared instance hold what its other needs have set; those of a state that was asked for
            // hold that.
            Step step = bound.shared || touched.contains(reg) ? updateStep(device_, std::move(fields), why)
                                                              : writeStep(device_, std::move(fields), why);
            if (setting.atStart)
                starts_.push_back({std::move(step), {}});
            else
                add(std::move(step), Step::Phase::Need);
        }
        for (const RoleValue& value : setting.roles)
            if (FieldWrite write; value.when == RoleValue::When::Event && encode(bound.instance, value, write))
                add(writeStep(device_, {write}, say("Load the buffered registers.")), Step::Phase::Need);
        for (const RoleStep& step : first ? setting.after : std::vector<RoleStep>())
            operation(bound.instance, step);
        for (const StreamSetting& stream : setting.streams)
            channel(stream);
        for (const NeedEvent& event : setting.events) {
            priority(event.instance, event);
            if (!device_.interruptOf(event.instance, event.event))
                image_.unplaced.push_back(say("{} has no interrupt \"{}\" for {}",
                                              device_.instances[event.instance].name, event.event,
                                              plan_.needs[need_].title));
            if (const FieldRef flag = device_.roleField(event.instance, event.flag);
                flag.valid() && canBeForgotten(flag))
                starts_.push_back({forgetStep(device_, flag, {}), {}});
            if (const FieldRef enable = device_.roleField(event.instance, event.enable); enable.valid())
                starts_.push_back(
                    {updateStep(device_, {{enable, 1, plan_.needs[need_].title + say(", interrupt")}}, {}), 0});
        }
        // An instance that others use too runs already; what starts is the need's own outputs.
        for (const Seat& seat : bound.shared ? bound.seats : std::vector<Seat>())
            if (const FieldRef output = device_.roleField(bound.instance, "output" + std::to_string(seat.channel));
                output.valid() && seat.channel > 0 && seat.signal.direction == SignalSpec::Direction::Out)
                starts_.push_back({updateStep(device_, {{output, 1, "start"}}, {}), 0});
        for (const RoleValue& value : setting.roles)
            if (FieldWrite write;
                value.when == RoleValue::When::Use) // the functions write it; here it must only be possible
                encode(bound.instance, value, write);
        for (const RoleValue& value : setting.roles)
            if (FieldWrite write; value.when == RoleValue::When::Start && encode(bound.instance, value, write))
                starts_.push_back(
                    {updateStep(device_, {write}, {}),
                     device_.blockOf(bound.instance).role(value.role)->encoding.encode(value.back).value_or(0)});
    }

    void handOver(std::vector<PadStep> parts)
    {
        for (PadStep& part : parts)
            add(std::move(part.step), Step::Phase::Need);
    }

    void line(const PadSetup& setup)
    {
        const Pad& pad = device_.pads[setup.pad];
        const InstanceIndex lines = device_.linesInPorts ? pad.port : device_.lineInstance;
        if (setup.line < 0 || lines < 0) {
            if (setup.rising || setup.falling)
                image_.unplaced.push_back(say("{} cannot detect edges for {}: no interrupt line is connected to it",
                                              pad.name, plan_.needs[need_].title));
            return;
        }
        const std::string n = std::to_string(setup.line);
        const FieldRef port = device_.roleField(lines, "port" + n);
        if (!port.valid() && !device_.linesInPorts) {
            image_.unplaced.push_back(say("{} has no line {}", device_.instances[lines].name, n));
            return;
        }
        if (!device_.linesInPorts)
            gate(lines);
        const std::string title = plan_.needs[need_].title;
        if (port.valid()) {
            std::optional<std::uint32_t> portCode;
            for (const EnumValue& value : device_.fieldOf(port).values)
                if (value.name == device_.instances[pad.port].name || value.name == pad.name)
                    portCode = value.code;
            if (portCode)
                add(updateStep(device_, {{port, *portCode, title}}, say("Line {} from {}.", n, pad.name)),
                    Step::Phase::Need);
            else
                image_.unplaced.push_back(say("{} has no value named {} that connects {} to line {}",
                                              device_.nameOf(port), device_.instances[pad.port].name, pad.name, n));
        }
        const auto put = [&](const char* role, bool on) {
            if (const FieldRef ref = device_.roleField(lines, role + n); ref.valid())
                add(updateStep(device_, {{ref, on, title + say(", edges")}}, {}), Step::Phase::Need);
            else if (on)
                image_.unplaced.push_back(
                    say("{} has no field for {} edges of line {}", device_.instances[lines].name, role, n));
        };
        // Where each core has an enable of its own, the one of the core that owns the need counts.
        const std::string& core = plan_.needs[need_].core;
        FieldRef enable = device_.roleField(lines, "enable" + n);
        if (const FieldRef own = device_.roleField(lines, "enable_" + core + "_" + n); !core.empty() && own.valid())
            enable = own;
        std::optional<Start> watched; // what lets edges through by being watched
        if (const Role* edges = device_.blockOf(lines).role("edges" + n)) {
            const std::optional<std::uint32_t> code =
                edges->encoding.encode((setup.rising ? 1 : 0) + (setup.falling ? 2 : 0));
            const FieldRef ref{lines, edges->reg, edges->field};
            if (!code || *code > device_.fieldOf(ref).maxCode())
                image_.unplaced.push_back(say("{} has no code for {} edges of line {}", device_.nameOf(ref),
                                              setup.rising && setup.falling ? "both"
                                              : setup.rising                ? "rising"
                                                                            : "falling",
                                              n));
            else if (enable.valid())
                add(updateStep(device_, {{ref, *code, title + say(", edges")}}, {}), Step::Phase::Need);
            else
                watched = Start{updateStep(device_, {{ref, *code, title + say(", edges")}}, {}),
                                edges->encoding.encode(0).value_or(0)};
        } else {
            put("rising", setup.rising);
            put("falling", setup.falling);
        }
        quiet(setup, lines, n);
        if (const FieldRef flag = device_.roleField(lines, "flag" + n); flag.valid() && canBeForgotten(flag))
            add(forgetStep(device_, flag, say("Clear earlier edges.")), Step::Phase::Need);
        if (enable.valid())
            starts_.push_back({updateStep(device_, {{enable, 1, title}}, {}), 0});
        else if (watched)
            starts_.push_back(std::move(*watched));
        if (const auto interrupt = device_.lineInterrupt(lines, setup.line))
            priority(lines, {interrupt->first, {}, {}, {}, {}, {}});
        else if (setup.rising || setup.falling)
            image_.unplaced.push_back(
                say("{} has no interrupt for line {}, which {} needs", device_.instances[lines].name, n, title));
        if (!enable.valid() && !device_.blockOf(lines).role("edges" + n))
            image_.unplaced.push_back(
                say("{} has no field that enables the interrupt of line {}", device_.instances[lines].name, n));
    }

    /// The filter of a line: at least so many cycles of its fastest clock as are asked for.
    void quiet(const PadSetup& setup, InstanceIndex lines, const std::string& n)
    {
        const Role* role = device_.blockOf(lines).role("filter" + n);
        const ClockState& clock = rates_.clocks[device_.instances[lines].kernel];
        const Rational cycles = setup.quiet.value * shifted(clock.rate, clock.tolerance.high).value;
        const std::int64_t least = cycles.defined() ? cycles.ceil() : INT64_MAX;
        if (least == 0 && !role)
            return;
        const FieldRef ref = device_.roleField(lines, "filter" + n);
        const std::optional<std::int64_t> value =
            role ? role->encoding.atLeast(least, device_.fieldOf(ref).maxCode()) : std::nullopt;
        const std::optional<std::uint32_t> code = value ? role->encoding.encode(*value) : std::nullopt;
        const std::string title = plan_.needs[need_].title;
        if (code)
            add(updateStep(device_, {{ref, *code, title + say(", debounce")}}, {}), Step::Phase::Need);
        else if (role)
            image_.unplaced.push_back(say(
                "line {} can filter at most {}, less than the debounce time of {}; debounce in the program", n,
                format(Duration(Rational(role->encoding.largest(device_.fieldOf(ref).maxCode())) / clock.rate.value)),
                title));
        else
            image_.unplaced.push_back(say("line {} has no filter to debounce {}; debounce in the program", n, title));
    }

    /// Whether software clears the flag; others follow the hardware alone.
    bool canBeForgotten(const FieldRef& flag) const
    {
        const Field::Access access = device_.fieldOf(flag).access;
        return access != Field::Access::ReadOnly && access != Field::Access::WriteOnly && access != Field::Access::Key;
    }

    /// What lets the need run, and what takes that back. An instance that others use too goes on running; only what is
    /// the need's own stops.
    void startAndStop(std::vector<Step>& starts, std::vector<Step>& stops, const BoundNeed& bound)
    {
        const auto ownOutput = [&](const FieldRef& ref) {
            return std::any_of(bound.seats.begin(), bound.seats.end(), [&](const Seat& seat) {
                return seat.channel > 0 &&
                       device_.roleField(bound.instance, "output" + std::to_string(seat.channel)) == ref;
            });
        };
        for (auto it = starts_.rbegin(); it != starts_.rend(); ++it) {
            if (!it->off ||
                std::any_of(it->step.fields.begin(), it->step.fields.end(), [this](const FieldWrite& write) {
                    return device_.fieldOf(write.ref).access == Field::Access::Once;
                }))
                continue;
            if (bound.shared && it->step.instance == bound.instance && !ownOutput(it->step.fields.front().ref))
                continue;
            std::vector<FieldWrite> back;
            for (const FieldWrite& write : it->step.fields)
                if (device_.fieldOf(write.ref).access != Field::Access::Key)
                    back.push_back({write.ref, *it->off, write.cause, write.goal});
            stops.push_back(updateStep(device_, std::move(back), {}));
            stops.back().phase = Step::Phase::Stop;
            stops.back().need = need_;
        }
        for (auto& [step, off] : starts_) {
            step.phase = Step::Phase::Start;
            step.need = need_;
            starts.push_back(std::move(step));
        }
    }

private:
    /// ", for dead time 650 ns": the goals that a register's fields serve, with what is achieved.
    static std::string purposeOf(const std::vector<FieldWrite>& fields, const Setting& setting)
    {
        std::vector<std::string> parts;
        for (const FieldWrite& field : fields)
            for (const Achieved& row : setting.achieved)
                if (const std::string part = achievedText(row);
                    row.goal == field.cause && !row.unknown &&
                    std::find(parts.begin(), parts.end(), part) == parts.end())
                    parts.push_back(part);
        return parts.empty() ? "" : say(", for ") + joined(parts, ", ");
    }

    void add(Step step, Step::Phase phase)
    {
        step.phase = phase;
        step.need = need_;
        image_.steps.push_back(std::move(step));
    }

    void gate(InstanceIndex instance)
    {
        if (!opened_.insert(instance).second)
            return;
        for (Step& step : wakeSteps(device_, instance)) {
            if (step.kind == Step::Kind::Wait)
                step.coreRate = coreRate();
            add(std::move(step), Step::Phase::Need);
        }
    }

    /// The fastest that the core which waits can run.
    Frequency coreRate() const
    {
        const CoreIndex core = device_.ownerCore(plan_.needs[need_].core);
        return fastestRate(image_, rates_, device_.cores[core].clock);
    }

    /// What makes the unit this instance, and what its seats' routes need beyond the pads.
    std::vector<FieldCode> selectsOf(const BoundNeed& bound) const
    {
        std::vector<FieldCode> out = device_.instances[bound.instance].selects;
        for (const Seat& seat : bound.seats)
            for (const FieldCode& select :
                 seat.route < 0 ? std::vector<FieldCode>() : device_.routes[seat.route].selects)
                if (select.ref.instance == bound.instance)
                    out.push_back(select);
        std::sort(out.begin(), out.end());
        out.erase(std::unique(out.begin(), out.end()), out.end());
        return out;
    }

    /// How a channel of the DMA controller moves what a need asks it to; the need's functions say what and where.
    void channel(const StreamSetting& stream)
    {
        std::vector<std::pair<int, std::vector<FieldWrite>>> registers;
        for (const RoleValue& value : stream.roles)
            if (FieldWrite write; encode(device_.dma.instance, value, write))
                registerOf(registers, write.ref.reg).push_back(std::move(write));
        for (auto& [reg, fields] : registers)
            add(updateStep(device_, std::move(fields),
                           say("DMA channel {}: {} {} per transfer.", stream.channel,
                               stream.spec.role.empty() ? say("memory to memory,")
                               : stream.spec.intoMemory ? say("into memory,")
                                                        : say("from memory,"),
                               sayCount(stream.spec.bytes, "{} byte", "{} bytes"))),
                Step::Phase::Need);
    }

    /// Where the core's controller is the chip's own it has a field for each interrupt; that of an Arm core is part of
    /// the core.
    void priority(InstanceIndex instance, const NeedEvent& event)
    {
        const Need& need = plan_.needs[need_];
        const Urgency urgency = urgencyOf(device_, plan_, need);
        const std::optional<std::uint32_t>& level = urgency.level;
        if (!urgency.trouble.empty() &&
            std::find(image_.unplaced.begin(), image_.unplaced.end(), urgency.trouble) == image_.unplaced.end())
            image_.unplaced.push_back(urgency.trouble);
        const std::optional<int> number = device_.interruptOf(instance, event.event);
        if (!level || !number)
            return;
        const Core& core = device_.cores[device_.ownerCore(need.core)];
        const FieldRef field = core.interruptController < 0
                                   ? FieldRef()
                                   : device_.roleField(core.interruptController, "priority" + std::to_string(*number));
        const std::uint32_t most = field.valid() ? device_.fieldOf(field).maxCode()
                                   : core.architecture == Core::Architecture::ArmM && core.priorityBits > 0
                                       ? (1u << std::min(core.priorityBits, 8)) - 1
                                       : 0;
        if (*level > most)
            image_.unplaced.push_back(
                most == 0 ? say("the {} has no interrupt priorities for {}", core.name, need.title)
                          : say("the {} has priorities 0 to {}; {} asks for {}", core.name, most, need.title, *level));
        else if (field.valid())
            starts_.push_back({updateStep(device_, {{field, *level, need.title + say(", priority")}}, {}), {}});
    }

    /// Asks for a state or waits for one; gives the register.
    int operation(InstanceIndex instance, const RoleStep& step)
    {
        FieldWrite write;
        if (!encode(instance, {step.role, step.value, {}, {}, 0}, write))
            return -1;
        const std::string why = step.why;
        if (step.kind == RoleStep::Kind::Set) {
            add(updateStep(device_, {write}, why), Step::Phase::Need);
        } else {
            const Field& field = device_.fieldOf(write.ref);
            Step wait = waitStep(device_, write.ref, write.code,
                                 std::max(field.followsAfter * Rational(2), kShortestWait), why);
            wait.coreRate = coreRate();
            add(std::move(wait), Step::Phase::Need);
        }
        return write.ref.reg;
    }

    static std::vector<FieldWrite>& registerOf(std::vector<std::pair<int, std::vector<FieldWrite>>>& registers,
                                               RegisterIndex reg)
    {
        auto at = std::find_if(registers.begin(), registers.end(), [reg](const auto& r) { return r.first == reg; });
        if (at == registers.end())
            at = registers.insert(registers.end(), {reg, {}});
        return at->second;
    }

    std::uint32_t linkCode(const BoundNeed& bound, const Stream& stream) const
    {
        const auto& dma = device_.instances[bound.instance].dma;
        if (const auto links = dma.find(stream.request); links != dma.end())
            for (const DmaLink& link : links->second)
                if (link.channel == stream.channel)
                    return link.code;
        return 0;
    }

    bool encode(InstanceIndex instance, const RoleValue& value, FieldWrite& out)
    {
        const Role* role = device_.blockOf(instance).role(value.role);
        const std::optional<std::uint32_t> code = role ? role->encoding.encode(value.value) : std::nullopt;
        if (!role || !code) {
            // A role that is absent and wanted as 0 is simply not there.
            if (value.value != 0)
                image_.unplaced.push_back(fmt::format("{} {} {} {}", device_.instances[instance].name,
                                                      role ? say("cannot express") : say("has no field for"),
                                                      value.role, value.value));
            return false;
        }
        out.ref = {instance, role->reg, role->field};
        out.code = *code;
        if (*code > device_.fieldOf(out.ref).maxCode()) {
            image_.unplaced.push_back(say("{} does not fit into {}", value.value, device_.nameOf(out.ref)));
            return false;
        }
        if (value.asked)
            out.asked = role->encoding.encode(*value.asked);
        out.goal = value.goal;
        out.role = value.role;
        out.cause = value.goal.empty() ? plan_.needs[need_].title : value.goal;
        return true;
    }

    Image& image_;
    const Device& device_;
    const Plan& plan_;
    const Rates& rates_;
    NeedIndex need_;
    std::set<InstanceIndex> opened_; ///< instances whose gate this need has opened
    struct Start {
        Step step;
        std::optional<std::uint32_t> off; ///< code that takes it back; empty: nothing does
    };
    std::vector<Start> starts_;
};

} // namespace

void appendNeedSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                     const IndexVector<NeedIndex, Setting>& settings, const std::vector<PadSetup>& pads)
{
    std::vector<Step> starts;
    SharedRegisters shared(device);
    for (const NeedIndex n : image.order) {
        if (bindings.needs[n].state != BoundNeed::State::Bound)
            continue;
        NeedBringUp bringUp(image, device, plan, rates, static_cast<int>(n));
        if (bindings.needs[n].instance >= 0 && settings[n].notComputed.empty()) {
            bringUp.instance(bindings.needs[n]);
            if (settings[n].computed)
                bringUp.peripheral(bindings.needs[n], settings[n]);
            else
                bringUp.ownSelects(bindings.needs[n]);
            if (const KindSpec* kind = findKind(plan.needs[n].kind); kind && kind->statesFields)
                bringUp.plainFields(bindings.needs[n]);
        }
        for (const PadSetup& setup : pads)
            if (setup.need == static_cast<int>(n)) {
                if (isHandedOver(bindings, settings, setup))
                    bringUp.handOver(padSteps(image, device, plan, bindings, setup, shared));
                bringUp.line(setup);
            }
        bringUp.startAndStop(starts, image.stops, bindings.needs[n]);
    }
    image.steps.insert(image.steps.end(), starts.begin(), starts.end());
}

} // namespace bindrel
