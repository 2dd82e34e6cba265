// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/streams.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace {

/// One channel of the controller, by its roles.
class Channel {
public:
    Channel(const Device& device, int number) : device_(device), number_(std::to_string(number)) {}

    std::string name(std::string_view role) const { return std::string(role) + number_; }
    bool has(std::string_view role) const { return device_.roleField(device_.dma.instance, name(role)).valid(); }
    bool canBe(std::string_view role, std::int64_t value) const
    {
        const Role* found = device_.blockOf(device_.dma.instance).role(name(role));
        const std::optional<std::uint32_t> code = found ? found->encoding.encode(value) : std::nullopt;
        return code && *code <= device_.fieldOf(device_.roleField(device_.dma.instance, name(role))).maxCode();
    }
    bool holdsAddress(std::string_view role) const
    {
        const FieldRef ref = has(role) ? device_.roleField(device_.dma.instance, name(role)) : FieldRef();
        return ref.valid() && device_.fieldOf(ref).width == 32 && device_.fieldOf(ref).pieces.empty();
    }
    /// Whether the need's functions can start it.
    bool isTold(bool bothEnds) const
    {
        return has("on") && has("count") &&
               ((!bothEnds && holdsAddress("memory")) || (holdsAddress("from") && holdsAddress("to")));
    }

private:
    const Device& device_;
    std::string number_;
};

} // namespace

std::optional<std::int64_t> countOffset(const Device& device, int channel)
{
    const Role* role = device.blockOf(device.dma.instance).role("count" + std::to_string(channel));
    if (!role)
        return std::nullopt;
    const std::optional<std::uint32_t> two = role->encoding.encode(2), three = role->encoding.encode(3);
    if (!two || !three || *three != *two + 1 ||
        (role->encoding.kind != Encoding::Kind::AsIs && role->encoding.kind != Encoding::Kind::MinusOne))
        return std::nullopt;
    return std::int64_t(*two) - 2;
}

void addStreams(Setting& setting, const TuningContext& c, const std::vector<StreamSpec>& specs)
{
    const bool round = goalIs(c.need, "dma_runs", "round");
    const bool tellsEnd = !goalIs(c.need, "dma_tells", "nothing"),
               tellsHalf = goalIs(c.need, "dma_tells", "half and end");
    const std::int64_t priority = goalNumber(c.need, "dma_priority");
    const bool ranked = c.need.goals.contains("dma_priority");
    for (const Stream& stream : c.bound.streams) {
        const auto spec = std::find_if(specs.begin(), specs.end(),
                                       [&stream](const StreamSpec& one) { return one.request == stream.request; });
        if (spec == specs.end() || stream.channel < 0 || c.device.dma.instance < 0)
            continue;
        const Channel channel(c.device, stream.channel);
        const std::string& controller = c.device.instances[c.device.dma.instance].name;
        const FieldRef data = c.device.roleField(c.bound.instance, spec->role);
        Achieved row{"dma",
                     say("DMA ") + lowered(spec->verb),
                     "",
                     formatIfNeeded(c, "channel {}, {} per transfer{}", stream.channel,
                                    sayCount(spec->bytes, "{} byte", "{} bytes"), round ? say(", circular") : ""),
                     std::nullopt,
                     true,
                     {},
                     {},
                     true};
        const auto fails = [&row](std::string trouble) {
            row.ok = false;
            row.trouble = row.trouble.empty() ? std::move(trouble) : row.trouble;
        };
        StreamSetting out{*spec, stream.channel, {}, 0};
        const auto put = [&](const char* role, std::int64_t value, const char* goal) {
            if (channel.has(role))
                out.roles.push_back({channel.name(role), value, goal});
        };
        const bool copies = spec->role.empty();
        if (!channel.isTold(copies) || (!data.valid() && !copies) || !countOffset(c.device, stream.channel)) {
            row.achieved = formatIfNeeded(c, "channel {}", stream.channel);
            row.formula = formatIfNeeded(
                c, "addresses and counts must be set by the program: the device file does not describe them in {}",
                controller);
            if (round || tellsEnd || ranked || copies)
                fails(formatIfNeeded(
                    c, "the device file does not describe how channel {} of {} is set up; this goal is not possible.",
                    stream.channel, controller));
            setting.achieved.push_back(std::move(row));
            continue;
        }
        if (!channel.has("width") ? c.device.ability(c.device.dma.instance, "unit_bytes", 1) != spec->bytes
                                  : !channel.canBe("width", spec->bytes))
            fails(formatIfNeeded(c, "channel {} of {} has no transfer size of {}. Choose another size, or no DMA.",
                                 stream.channel, controller, sayCount(spec->bytes, "{} byte", "{} bytes")));
        if (!copies && (c.device.fieldOf(data).lsb % 8 != 0 || !c.device.fieldOf(data).pieces.empty()))
            fails(formatIfNeeded(c, "{} does not begin at a byte, so DMA cannot access it. Choose no DMA.",
                                 c.device.nameOf(data)));
        put("direction", spec->intoMemory, "dma");
        put("width", spec->bytes, "dma");
        put("from_step", copies || !spec->intoMemory, "dma");
        put("to_step", spec->intoMemory, "dma");
        put("memory_step", 1, "dma");
        put("loop", round, "dma_runs");
        if (round && !channel.has("loop"))
            fails(formatIfNeeded(c,
                                 "channel {} of {} has no circular mode. Use one-shot mode and restart it at the end.",
                                 stream.channel, controller));
        if (ranked && (!channel.has("priority") || !channel.canBe("priority", priority)))
            fails(channel.has("priority")
                      ? formatIfNeeded(
                            c, "channel {} of {} has priorities 0 to {}.", stream.channel, controller,
                            c.device.fieldOf(c.device.roleField(c.device.dma.instance, channel.name("priority")))
                                .maxCode())
                      : formatIfNeeded(c, "the channels of {} have no priorities.", controller));
        else if (ranked)
            put("priority", priority, "dma_priority");
        const auto tell = [&](const std::string& what, const std::string& about) {
            if (!channel.has(what)) {
                fails(formatIfNeeded(c, "channel {} of {} has no flag for {}.", stream.channel, controller,
                                     what == "half" ? say("the half") : say("the end")));
                return;
            }
            const std::string own = "done" + std::to_string(stream.channel);
            setting.events.push_back({c.device.interruptOf(c.device.dma.instance, own) ? own : "done",
                                      channel.name(what + "_interrupt"),
                                      channel.name(what),
                                      formatIfNeeded(c, "{}_{}", spec->verb, what == "half" ? "half" : "end"),
                                      about,
                                      {},
                                      false,
                                      c.device.dma.instance});
        };
        if (tellsHalf)
            tell("half", copies ? say("Called by the interrupt when the first half has been copied.")
                         : spec->intoMemory
                             ? say("Called by the interrupt when the first half of the buffer is full.")
                             : say("Called by the interrupt when the first half of the buffer has been sent."));
        if (tellsEnd)
            tell("done", copies             ? say("Called by the interrupt when the copy is complete.")
                         : spec->intoMemory ? say("Called by the interrupt when the buffer is full.")
                                            : say("Called by the interrupt when the buffer has been sent."));
        out.most =
            c.device.blockOf(c.device.dma.instance)
                .role(channel.name("count"))
                ->encoding.largest(
                    c.device.fieldOf(c.device.roleField(c.device.dma.instance, channel.name("count"))).maxCode());
        row.formula = formatIfNeeded(c, "at most {} per transfer", sayCount(long(out.most), "{} unit", "{} units"));
        if (row.ok)
            setting.streams.push_back(std::move(out));
        setting.achieved.push_back(std::move(row));
    }
}

} // namespace bindrel
