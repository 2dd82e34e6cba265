// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_project.md: what the project is, for people who open its folder.
#include "core/base/text.h"
#include "core/plan/pin_property.h"
#include "core/quantity/format.h"
#include "core/source/interrupt_table.h"
#include "core/source/seal.h"
#include "core/source/writer.h"
#include "core/tuning/pads.h"

#include <algorithm>

namespace bindrel {

namespace {

using Markdown = Piece<Language::Markdown>;

/// Collects the lines of the page.
class Page {
public:
    explicit Page(std::string name) { file_.name = std::move(name); }

    void line(const Markdown& text) { file_.lines.push_back({text.text(), -1}); }
    void line() { file_.lines.push_back({{}, -1}); }
    template <std::size_t N> void line(const char (&text)[N]) { file_.lines.push_back({text, -1}); }
    template <typename... Args> void linef(fmt::format_string<Args...> format, Args&&... args)
    {
        line(piece<Language::Markdown>(format, std::forward<Args>(args)...));
    }
    void row(const std::vector<std::string>& cells)
    {
        Markdown out = Markdown::trusted("|");
        for (const std::string& cell : cells)
            out = piece<Language::Markdown>("{} {} |", out, markdownText(cell));
        line(out);
    }
    void table(const std::vector<std::string>& heading, const std::vector<std::vector<std::string>>& rows)
    {
        row(heading);
        Markdown rule = Markdown::trusted("|");
        for (size_t i = 0; i < heading.size(); ++i)
            rule = piece<Language::Markdown>("{}---|", rule);
        line(rule);
        for (const std::vector<std::string>& cells : rows)
            row(cells);
    }
    SourceFile take() { return std::move(file_); }

private:
    SourceFile file_;
};

void writePins(Page& page, const Facts& f)
{
    std::vector<std::vector<std::string>> rows;
    for (const PackagePin& pin : f.device.package.pins)
        for (const PadSetup& setup : f.pads) {
            if (pin.kind != PackagePin::Kind::Pad || setup.pad != pin.pad)
                continue;
            const Need& need = f.plan.needs[setup.need];
            const Seat& seat = f.bindings.needs[setup.need].seats[size_t(setup.seat)];
            const std::string carried = seat.route >= 0 ? f.device.signalName(f.device.routes[seat.route])
                                        : setup.output
                                            ? std::string("output, starts ") + (setup.levelHigh ? "high" : "low")
                                            : std::string("input");
            rows.push_back({pin.number, pin.name, need.title, seat.signal.title, carried, nameOf(setup.pull),
                            pinProperty(need, seat.signal.id, "net").value_or("")});
        }
    page.line("## Pins");
    page.line();
    page.table({"pin", "pad", "need", "signal", "carries", "pull", "net"}, rows);
    page.line();
}

void writeClocks(Page& page, const Facts& f)
{
    std::vector<std::vector<std::string>> rows;
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockState& state = f.rates.clocks[i];
        if (!state.used || !state.running)
            continue;
        std::vector<std::string> users;
        for (const NeedIndex need : state.users)
            users.push_back(f.plan.needs[need].title);
        rows.push_back({f.device.clocks[i].name, format(state.rate),
                        state.input >= 0 ? f.device.clocks[state.input].name : "", joined(users, ", ")});
    }
    page.line("## Clocks");
    page.line();
    page.table({"clock", "rate", "from", "used by"}, rows);
    page.line();
}

void writeNeeds(Page& page, const Facts& f)
{
    std::vector<std::vector<std::string>> rows;
    for (const NeedIndex n : f.plan.needs.indices()) {
        const Need& need = f.plan.needs[n];
        const BoundNeed& bound = f.bindings.needs[n];
        std::vector<std::string> achieved;
        for (const Achieved& row : f.settings[n].achieved)
            if (!row.check)
                achieved.push_back(
                    row.title + " " + row.achieved +
                    (row.wanted.empty() || row.wanted == row.achieved ? "" : " (requested " + row.wanted + ")"));
        const std::string title = f.plan.leavesOut(need) ? need.title + " (your own code)" : need.title;
        rows.push_back({title, need.kind, bound.instance < 0 ? "" : f.device.instances[bound.instance].name,
                        f.device.cores[coreOf(f, n)].id, joined(achieved, "; ")});
    }
    page.line("## Needs");
    page.line();
    page.table({"need", "kind", "instance", "core", "achieved"}, rows);
    page.line();
}

void writeInterrupts(Page& page, const Facts& f, const std::vector<Names>& programs)
{
    std::vector<std::vector<std::string>> rows;
    for (const Names& names : programs)
        for (const InterruptVector& vector : interruptVectors(f, names, Handlers::Written))
            for (const InterruptClient& client : vector.clients) {
                const std::optional<std::uint32_t> level = urgencyOf(f.device, f.plan, f.plan.needs[client.need]).level;
                rows.push_back({f.device.cores[names.core].id, std::to_string(vector.number),
                                f.plan.needs[client.need].title, client.event,
                                level ? std::to_string(*level) : "as after reset",
                                client.own ? "" : (names.need(client.need) + "_" + Word::of(client.function)).text()});
            }
    if (rows.empty())
        return;
    page.line("## Interrupts");
    page.line();
    page.line("Define the function named in the last column to act on the event.");
    page.line();
    page.table({"core", "number", "need", "event", "priority", "function"}, rows);
    page.line();
}

void writeDma(Page& page, const Facts& f)
{
    std::vector<std::vector<std::string>> rows;
    for (const NeedIndex n : f.plan.needs.indices())
        for (const Stream& stream : f.bindings.needs[n].streams)
            if (stream.channel >= 0)
                rows.push_back({std::to_string(stream.channel), f.plan.needs[n].title, stream.request});
    if (rows.empty())
        return;
    page.line("## DMA");
    page.line();
    page.table({"channel", "need", "request"}, rows);
    page.line();
}

void writeBuild(Page& page, const Facts& f, const std::vector<Names>& programs)
{
    std::vector<std::vector<std::string>> rows;
    for (const Names& names : programs) {
        const Core& core = f.device.cores[names.core];
        rows.push_back({core.name, fmt::format("0x{:08X}", core.flashBase),
                        fmt::format("{} KiB", core.flashBytes / 1024), fmt::format("0x{:08X}", core.ramBase),
                        fmt::format("{} KiB", core.ramBytes / 1024)});
    }
    page.line("## Memory");
    page.line();
    page.table({"core", "flash at", "flash", "RAM at", "RAM"}, rows);
    page.line();
    const Names& names = programs.front();
    const Word& p = names.prefix;
    const auto trustedName = [](std::string file) { return Piece<Language::Markdown>::trusted(std::move(file)); };
    page.line("## Build");
    page.line();
    page.line("By CMake, with ELF, HEX, BIN, a map of the memory and the sizes; or by make:");
    page.line();
    page.linef("    cmake -B build -DCMAKE_TOOLCHAIN_FILE={} && cmake --build build",
               trustedName(names.pathOf(names.name(WordLiteral("toolchain")), ".cmake")));
    page.line("    make");
    page.line();
    page.linef("`-DCMAKE_BUILD_TYPE=MinSizeRel`, or `make OPTIMISE=-Os`, makes it smaller. `{0}` has commands for the "
               "GNU debugger:",
               trustedName(names.pathOf(p, ".gdb")));
    page.linef(
        "`{0}_load` writes the program to the chip and stops at `main`; `{0}_NEED_show` prints a need's registers.", p);
    page.linef("`{0}_verify()` of `{1}` names the first register that does not hold what the plan says.", p,
               trustedName(names.path(WordLiteral("verify"), ".h")));
}

} // namespace

SourceFile projectPage(const Facts& f, const std::vector<Names>& programs)
{
    Page page(programs.front().path(WordLiteral("project"), ".md"));
    page.linef("# {}", markdownText(f.plan.name));
    page.line();
    page.linef("{}", markdownText(headText(f, "An overview of the project.")));
    page.line();
    page.linef("{}", markdownText(sealLine(commentText(f.plan.name))));
    page.line();
    page.linef("{} in {}, supply {}, operating range {}.", markdownText(f.device.name),
               markdownText(f.device.package.name), markdownText(format(f.rates.supply)),
               markdownText(f.device.ranges[size_t(f.rates.range)].name));
    page.line();
    writePins(page, f);
    writeClocks(page, f);
    writeNeeds(page, f);
    writeInterrupts(page, f, programs);
    writeDma(page, f);
    writeBuild(page, f, programs);
    return page.take();
}

} // namespace bindrel
