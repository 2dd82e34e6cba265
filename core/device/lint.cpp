// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

class Linter {
public:
    explicit Linter(const Device& device) : device_(device) {}

    std::vector<LintRemark> run()
    {
        blocks();
        addresses();
        pads();
        signals();
        interrupts();
        clocks();
        return std::move(out_);
    }

private:
    template <typename... Args> void say(const char* check, fmt::format_string<Args...> text, Args&&... args)
    {
        out_.push_back({check, fmt::format(text, std::forward<Args>(args)...)});
    }

    void blocks()
    {
        for (const Block& block : device_.blocks) {
            std::map<std::uint32_t, std::string> offsets;
            for (const Register& reg : block.registers) {
                if (const auto [at, fresh] = offsets.emplace(reg.offset, reg.name); !fresh)
                    say("register-overlap", "{}: {} and {} are both at offset 0x{:02X}", block.name, at->second, reg.name, reg.offset);
                std::uint32_t seen = 0;
                for (const Field& field : reg.fields) {
                    if (seen & field.mask())
                        say("overlapping-fields", "{}.{}: {} overlaps a field before it", block.name, reg.name, field.name);
                    seen |= field.mask();
                    std::set<std::uint32_t> codes;
                    for (const EnumValue& value : field.values)
                        if (!codes.insert(value.code).second)
                            say("duplicate-code", "{}.{}.{}: the code {} has two names", block.name, reg.name, field.name, value.code);
                }
                if (reg.reset & ~seen)
                    say("reset-outside-fields", "{}.{} resets to 0x{:08X}, which sets bits of no field", block.name, reg.name, reg.reset);
            }
        }
    }

    void addresses()
    {
        // Two registers of one block at one offset are said once, for the block.
        std::map<std::uint32_t, size_t> taken;
        for (size_t i = 0; i < device_.instances.size(); ++i)
            for (size_t r = 0; r < device_.blockOf(int(i)).registers.size(); ++r)
                if (const auto [at, fresh] = taken.emplace(device_.addressOf(int(i), int(r)), i); !fresh && at->second != i) {
                    say("address-collision", "{} and {} both have a register at 0x{:08X}", device_.instances[at->second].name, device_.instances[i].name, at->first);
                    break;
                }
    }

    void pads()
    {
        std::map<std::pair<int, int>, std::string> bits;
        for (size_t p = 0; p < device_.pads.size(); ++p) {
            const Pad& pad = device_.pads[p];
            if (device_.pinOf(int(p)).empty())
                say("pad-on-no-pin", "{} is on no pin of {}", pad.name, device_.package.name);
            if (pad.port >= 0)
                if (const auto [at, fresh] = bits.emplace(std::pair(pad.port, pad.bit), pad.name); !fresh)
                    say("port-bit-twice", "{} and {} are the same bit of {}", at->second, pad.name, device_.instances[size_t(pad.port)].name);
            if (pad.resetClaim.empty())
                continue;
            const bool known = std::any_of(pad.routes.begin(), pad.routes.end(), [&](int r) { return device_.signalName(device_.routes[size_t(r)]) == pad.resetClaim; });
            if (!known)
                say("reset-claim", "{} is {} at reset, but is not connected to it", pad.name, pad.resetClaim);
        }
    }

    void signals()
    {
        std::set<std::pair<int, int>> reached;
        for (const Route& route : device_.routes)
            if (!device_.pinOf(route.pad).empty())
                reached.insert({route.instance, route.signal});
        for (size_t i = 0; i < device_.instances.size(); ++i)
            for (size_t s = 0; s < device_.instances[i].signals.size(); ++s)
                if (!reached.contains({int(i), int(s)}))
                    say("unreachable-signal", "{}.{} reaches no pin of {}", device_.instances[i].name, device_.instances[i].signals[s].name, device_.package.name);
    }

    void interrupts()
    {
        std::map<int, std::string> numbers;
        for (const Instance& instance : device_.instances)
            for (const auto& [event, number] : instance.interrupts)
                if (const auto [at, fresh] = numbers.emplace(number, instance.name + " " + event); !fresh)
                    say("interrupt-twice", "{} and {} {} are both interrupt {}", at->second, instance.name, event, number);
    }

    void clocks()
    {
        std::map<FieldRef, std::string> controls;
        for (const ClockNode& node : device_.clocks) {
            std::set<std::uint32_t> codes;
            for (const ClockInput& input : node.inputs)
                if (node.type == ClockNode::Type::Select && !codes.insert(input.code).second)
                    say("duplicate-code", "{}: two inputs have the code {}", node.id, input.code);
            if (node.control.valid())
                if (const auto [at, fresh] = controls.emplace(node.control, node.id); !fresh)
                    say("control-twice", "{} and {} are controlled by the same field {}", at->second, node.id, device_.nameOf(node.control));
        }
    }

    const Device& device_;
    std::vector<LintRemark> out_;
};

} // namespace

std::vector<LintRemark> lint(const Device& device) { return Linter(device).run(); }

} // namespace bindrel
