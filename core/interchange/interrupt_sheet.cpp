// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/interrupt_sheet.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/findings/interrupt_times.h"
#include "core/quantity/format.h"
#include "core/source/interrupt_table.h"
#include "core/source/writer.h"

#include <algorithm>

namespace bindrel {

std::vector<std::string> interruptHeadings()
{
    return {"core",  "number",  "instance", "event",       "need",     "priority", "handler",
            "takes", "at_most", "load",     "worst_delay", "function", "flag"};
}

std::vector<std::string> dmaHeadings()
{
    return {"channel", "need", "instance", "request", "code", "moves", "unit", "runs", "tells"};
}

std::string headingTitle(std::string heading)
{
    std::replace(heading.begin(), heading.end(), '_', ' ');
    if (!heading.empty())
        heading.front() = uppered(heading.substr(0, 1)).front();
    return heading;
}

NeedTable interruptSheet(const Snapshot& s)
{
    NeedTable table{interruptHeadings(), {}};
    const Facts facts = s.facts();
    const std::vector<InterruptTime> times = interruptTimes(facts);
    for (const CoreIndex core : s.device->cores.indices()) {
        const Names names = namesFor(facts, core);
        for (const InterruptVector& vector : interruptVectors(facts, names, Handlers::All))
            for (const InterruptClient& client : vector.clients) {
                const Need& need = s.plan.needs[client.need];
                const FieldRef flag = s.device->roleField(client.instance, client.flag);
                const std::optional<std::uint32_t> priority = urgencyOf(*s.device, s.plan, need).level;
                const auto time = std::find_if(times.begin(), times.end(), [&](const InterruptTime& known) {
                    return known.core == CoreIndex(int(core)) && known.number == vector.number;
                });
                std::string worst;
                if (time != times.end())
                    worst = !time->worst   ? say("no bound")
                            : time->late() ? format(*time->worst, 4) + say(", late")
                                           : format(*time->worst, 4);
                table.rows.push_back({need.id,
                                      {s.device->cores[core].id, std::to_string(vector.number),
                                       s.device->instances[client.instance].name, client.event, need.id,
                                       priority ? std::to_string(*priority) : "", vector.handler.text(),
                                       need.goals.contains("takes") ? goalText(need, "takes") : "",
                                       client.rate.value.isZero() ? "" : format(client.rate, 4),
                                       time == times.end() || time->load.value.isZero() ? "" : format(time->load, 3),
                                       worst, names.need(client.need).text() + "_" + client.function,
                                       flag.valid() ? s.device->nameOf(flag) : ""}});
            }
    }
    return table;
}

namespace {
/// A row's level with 0 as the most urgent, whatever the controller of its core counts like; what no need states is 0
/// there.
struct Level {
    const Core& core;
    std::int64_t value;
    bool upwards; ///< the highest level is the most urgent

    Level(const Device& device, const NeedTable::Row& row)
        : core(coreOf(device, row.cells[0])), value(row.cells[5].empty() ? 0 : std::stoll(row.cells[5])),
          upwards(core.interruptController >= 0 && device.ability(core.interruptController, "urgent_is_high", 0) != 0)
    {
    }
    /// Less is more urgent.
    std::int64_t rank() const { return upwards ? -value : value; }
    static const Core& coreOf(const Device& device, const std::string& id)
    {
        const auto core =
            std::find_if(device.cores.begin(), device.cores.end(), [&id](const Core& one) { return one.id == id; });
        return core == device.cores.end() ? device.cores.front() : *core;
    }
};
} // namespace

NeedTable interruptsByUrgency(const Snapshot& s)
{
    NeedTable table = interruptSheet(s);
    std::stable_sort(table.rows.begin(), table.rows.end(), [&s](const NeedTable::Row& a, const NeedTable::Row& b) {
        const Level left(*s.device, a), right(*s.device, b);
        return &left.core == &right.core && left.rank() < right.rank();
    });
    return table;
}

std::optional<std::uint32_t> priorityAt(const Snapshot& s, const NeedTable& table, std::size_t row, std::size_t at,
                                        bool between)
{
    const Level own(*s.device, table.rows[row]);
    const auto levelAt = [&](std::size_t index) -> std::optional<Level> {
        if (index >= table.rows.size())
            return std::nullopt;
        const Level level(*s.device, table.rows[index]);
        return &level.core == &own.core ? std::optional<Level>(level) : std::nullopt;
    };
    const std::int64_t step = own.upwards ? -1 : 1; // towards the less urgent
    const std::optional<Level> here = levelAt(at), before = at > 0 ? levelAt(at - 1) : std::nullopt;
    std::optional<std::int64_t> out;
    if (!between)
        out = here ? std::optional(here->value) : std::nullopt;
    else if (here && before)
        out = before->value + (here->value - before->value) / 2;
    else if (here)
        out = here->value - step;
    else if (before)
        out = before->value + step;
    return out ? std::optional(std::uint32_t(std::max<std::int64_t>(*out, 0))) : std::nullopt;
}

NeedTable dmaSheet(const Snapshot& s)
{
    NeedTable table{dmaHeadings(), {}};
    struct Line {
        int channel;
        NeedTable::Row row;
    };
    std::vector<Line> lines;
    for (const NeedIndex n : s.plan.needs.indices())
        for (const Stream& stream : s.bindings.needs[n].streams) {
            const Need& need = s.plan.needs[n];
            // A need that is not bound yet has a request all the same.
            const InstanceIndex index = s.bindings.needs[n].instance;
            const Instance* instance = index < 0 ? nullptr : &s.device->instances[index];
            std::string code;
            if (instance && instance->dma.contains(stream.request))
                for (const DmaLink& link : instance->dma.find(stream.request)->second)
                    if (link.channel == stream.channel)
                        code = std::to_string(link.code);
            Line line{stream.channel,
                      {need.id,
                       {stream.channel < 0 ? "" : std::to_string(stream.channel), need.id,
                        instance ? instance->name : "", stream.request, code, "", "", "", ""}}};
            for (const StreamSetting& setting : s.settings[n].streams)
                if (setting.spec.request == stream.request) {
                    const bool copies = setting.spec.role.empty();
                    line.row.cells[5] = copies                    ? say("memory to memory")
                                        : setting.spec.intoMemory ? say("into memory")
                                                                  : say("from memory");
                    line.row.cells[6] = std::to_string(setting.spec.bytes);
                    line.row.cells[7] = copies ? "once" : goalText(need, "dma_runs");
                    line.row.cells[8] = goalText(need, "dma_tells");
                }
            lines.push_back(std::move(line));
        }
    std::stable_sort(lines.begin(), lines.end(), [](const Line& a, const Line& b) { return a.channel < b.channel; });
    for (Line& line : lines)
        table.rows.push_back(std::move(line.row));
    return table;
}

} // namespace bindrel
