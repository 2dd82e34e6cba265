// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/interrupt_run.h"

#include "core/base/say.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// So many flags are tried in every combination.
constexpr std::size_t kAllCombinations = 5;
/// A function is interrupted at so many places at most, from its beginning on.
constexpr std::uint64_t kMostPlaces = 400;

} // namespace

InterruptRun::InterruptRun(const Facts& facts, CoreIndex core, SimulatedChip& chip, EmulatedCore& emulated,
                           const std::set<NeedIndex>& without)
    : f_(facts), names_(namesFor(facts, core)), chip_(chip), core_(emulated), without_(without),
      vectors_(interruptVectors(facts, names_, Handlers::All))
{
}

void InterruptRun::run()
{
    for (const InterruptVector& vector : vectors_)
        if (std::none_of(vector.clients.begin(), vector.clients.end(),
                         [this](const InterruptClient& client) { return without_.contains(client.need); }))
            arrive(vector);
}

std::string InterruptRun::functionOf(const InterruptClient& client) const
{
    return (names_.need(client.need) + "_" + Word::of(client.function)).text();
}

std::string InterruptRun::toggleOf(NeedIndex need) const
{
    return (names_.need(size_t(need)) + "_toggle").text();
}

void InterruptRun::report(const InterruptClient& client, std::string text)
{
    chip_.report(Hazard::Kind::Program, std::move(text), {Place::Kind::Need, f_.plan.needs[client.need].id, {}});
}

bool InterruptRun::returned(EmulatedCore::Ended how, const std::string& function)
{
    if (how == EmulatedCore::Ended::Returned)
        return true;
    chip_.report(Hazard::Kind::Program,
                 how == EmulatedCore::Ended::Fault ? say("{}: the core {}.", function, core_.faultText())
                                                   : say("{} does not return.", function),
                 {});
    return false;
}

void InterruptRun::arrive(const InterruptVector& vector)
{
    std::vector<Flag> flags;
    const auto has = [&flags](const FieldRef& ref) {
        return std::any_of(flags.begin(), flags.end(), [&ref](const Flag& flag) { return flag.ref == ref; });
    };
    for (const InterruptClient& client : vector.clients)
        if (const FieldRef ref = f_.device.roleField(client.instance, client.flag); ref.valid() && !has(ref)) {
            const Field::Access access = f_.device.fieldOf(ref).access;
            flags.push_back({ref, access != Field::Access::ReadOnly && access != Field::Access::WriteOnly});
        }
    // Flags of other interrupts in the same registers: they are set as well, and must stay.
    std::vector<FieldRef> others;
    for (const InterruptVector& other : vectors_)
        for (const InterruptClient& client : other.clients)
            if (const FieldRef ref = f_.device.roleField(client.instance, client.flag);
                ref.valid() && !has(ref) && std::find(others.begin(), others.end(), ref) == others.end() &&
                std::any_of(flags.begin(), flags.end(), [&ref](const Flag& flag) {
                    return flag.ref.instance == ref.instance && flag.ref.reg == ref.reg;
                }))
                others.push_back(ref);

    const std::size_t count = flags.size();
    std::vector<std::vector<bool>> combinations;
    if (count <= kAllCombinations)
        for (unsigned bits = count == 0 ? 0 : 1; bits < 1u << count; ++bits) {
            combinations.emplace_back(count);
            for (std::size_t i = 0; i < count; ++i)
                combinations.back()[i] = bits >> i & 1u;
        }
    else {
        combinations.emplace_back(count, true);
        for (std::size_t i = 0; i < count; ++i) {
            combinations.emplace_back(count, false);
            combinations.back()[i] = true;
        }
    }
    for (const std::vector<bool>& set : combinations)
        judgeCombination(vector, flags, others, set);

    // What nobody takes is disabled by the program's own default, which the functions below would see.
    if (std::any_of(flags.begin(), flags.end(), [](const Flag& flag) { return !flag.cleared; }) || flags.empty())
        return;
    std::set<std::string> functions;
    for (const InterruptClient& client : vector.clients)
        for (const char* ending : {"_start", "_stop"})
            if (const std::string function = names_.need(client.need).text() + ending;
                core_.program().symbols.contains(function) && functions.insert(function).second)
                interrupt(vector, flags, function);
}

void InterruptRun::judgeCombination(const InterruptVector& vector, const std::vector<Flag>& flags,
                                    const std::vector<FieldRef>& others, const std::vector<bool>& set)
{
    SimulatedRegisters& registers = chip_.registers();
    const std::vector<SimulatedRegisters::Cell> before = registers.cells();
    for (std::size_t i = 0; i < flags.size(); ++i)
        registers.put(flags[i].ref, set[i]);
    for (const FieldRef& other : others)
        registers.put(other, 1);
    std::set<std::string> functions;
    for (const InterruptClient& client : vector.clients)
        functions.insert(functionOf(client));
    const auto isDue = [&](const InterruptClient& client) {
        const FieldRef own = f_.device.roleField(client.instance, client.flag);
        const auto at =
            std::find_if(flags.begin(), flags.end(), [&own](const Flag& known) { return known.ref == own; });
        return at == flags.end() || set[std::size_t(at - flags.begin())];
    };
    std::map<NeedIndex, int> toggles;
    for (const InterruptClient& client : vector.clients)
        if (client.toggled >= 0)
            toggles[client.toggled] += isDue(client);
    for (const auto& [need, due] : toggles)
        functions.insert(toggleOf(need));
    core_.countCallsOf(functions);
    if (returned(core_.call(vector.handler.text()), vector.handler.text())) {
        for (const InterruptClient& client : vector.clients) {
            const FieldRef ref = f_.device.roleField(client.instance, client.flag);
            const auto flag =
                std::find_if(flags.begin(), flags.end(), [&ref](const Flag& known) { return known.ref == ref; });
            // Several events of one need can end in one function: it is called for each.
            const auto due =
                std::count_if(vector.clients.begin(), vector.clients.end(), [&](const InterruptClient& one) {
                    return functionOf(one) == functionOf(client) && isDue(one);
                });
            const int calls = core_.callsOf(functionOf(client));
            const std::string when = flag == flags.end()
                                         ? std::string(say("it is entered"))
                                         : say("{} is {}", f_.device.nameOf(ref),
                                               set[std::size_t(flag - flags.begin())] ? "set" : say("not set"));
            if (calls < due)
                report(client, say("{} does not call {} when {}.", vector.handler.text(), functionOf(client), when));
            else if (calls > due && due == 0)
                report(client, say("{} calls {} although nothing is due.", vector.handler.text(), functionOf(client)));
            else if (calls > due)
                report(client, say("{} calls {} {} times instead of {}.", vector.handler.text(), functionOf(client),
                                   calls, due));
            if (flag != flags.end() && flag->cleared && registers.code(ref) != 0)
                report(client, say("{} leaves {} set: the interrupt would fire again at once.", vector.handler.text(),
                                   f_.device.nameOf(ref)));
        }
        for (const auto& [need, due] : toggles)
            if (const int calls = core_.callsOf(toggleOf(need)); calls != due)
                report(vector.clients.front(),
                       say("{} calls {} {} times instead of {}.", vector.handler.text(), toggleOf(need), calls, due));
        for (const FieldRef& other : others)
            if (registers.code(other) == 0)
                report(vector.clients.front(), say("{} clears {}, which belongs to another interrupt.",
                                                   vector.handler.text(), f_.device.nameOf(other)));
    }
    core_.countCallsOf({});
    registers.restore(before);
}

void InterruptRun::interrupt(const InterruptVector& vector, const std::vector<Flag>& flags, const std::string& function)
{
    SimulatedRegisters& registers = chip_.registers();
    const std::vector<SimulatedRegisters::Cell> before = registers.cells();
    std::vector<FieldRef> levels;
    for (const InterruptClient& client : vector.clients)
        for (const PadSetup& setup : f_.pads)
            if (client.toggled >= 0 && setup.need == client.toggled)
                if (const Pad& pad = f_.device.pads[setup.pad]; pad.port >= 0)
                    levels.push_back(f_.device.roleField(pad.port, "level" + std::to_string(pad.bit)));
    const auto settings = [&] {
        std::vector<std::uint32_t> out;
        for (std::size_t cell = 0; cell < registers.cells().size(); ++cell) {
            std::uint32_t kept = 0;
            for (const Field& field : registers.shape(registers.faceOf(int(cell))).fields)
                if (field.keepsWrites())
                    kept |= field.mask();
            // A flag that is written like a setting is none.
            for (const Flag& flag : flags)
                if (registers.cellOf(flag.ref.instance, flag.ref.reg) == int(cell))
                    kept &= ~f_.device.fieldOf(flag.ref).mask();
            // Nor is the level of an output that the handler inverts.
            for (const FieldRef& level : levels)
                if (registers.cellOf(level.instance, level.reg) == int(cell))
                    kept &= ~f_.device.fieldOf(level).mask();
            out.push_back(registers.cells()[cell].value & kept);
        }
        return out;
    };
    const auto arrives = [&] {
        for (const Flag& flag : flags)
            registers.put(flag.ref, 1);
    };
    if (!returned(core_.call(function), function))
        return registers.restore(before);
    const std::vector<std::uint32_t> planned = settings();
    for (std::uint64_t after = 0; after < kMostPlaces; ++after) {
        registers.restore(before);
        const std::optional<EmulatedCore::Ended> how =
            core_.callInterrupted(function, after, arrives, vector.handler.text());
        if (!how || !returned(*how, function))
            break;
        if (settings() != planned) {
            report(vector.clients.front(),
                   say("{} between two instructions of {} changes the result: both modify the same register, "
                       "and one overwrites the other's write.",
                       vector.handler.text(), function));
            break;
        }
    }
    registers.restore(before);
}

} // namespace bindrel
