// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"
#include "core/clocks/repair.h"
#include "core/device/device_cache.h"
#include "core/field_entry.h"
#include "core/interchange/adopt.h"
#include "core/output/output.h"
#include "core/pins/options.h"
#include "core/plan/board_facts.h"
#include "core/rehearsal/rehearsal.h"
#include "core/snapshot.h"
#include "core/tuning/clock_goals.h"

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <filesystem>
#include <malloc.h>
#include <random>
#include <unistd.h>

using namespace bindrel;

namespace {

LoadedPlan demo(const char* name)
{
    Expected<LoadedPlan> work =
        loadPlan(std::string(BINDREL_EXAMPLES) + "/" + name + ".bindrel", Library(BINDREL_SOURCE_DATA));
    if (!work)
        std::abort();
    return *std::move(work);
}

/// One edit and the whole pipeline after it, source included: what every keystroke costs.
void pipelineAfterAnEdit(benchmark::State& state)
{
    LoadedPlan work = demo("sluice-node-c-done");
    int turn = 0;
    for (auto _ : state) {
        work.plan = *applied(work.plan, editOf("", SetGoal{"uplink", "baud", turn++ % 2 ? "115.2k" : "460.8k"}));
        benchmark::DoNotOptimize(computeSnapshot(work));
    }
}
BENCHMARK(pipelineAfterAnEdit)->Unit(benchmark::kMillisecond);

/// A plan on the same device family with another member, and needs (ports' bits) until there are `count`.
LoadedPlan grown(const char* plan, const char* device, size_t count)
{
    LoadedPlan work = demo(plan);
    Expected<std::shared_ptr<const Device>> larger = Library(BINDREL_SOURCE_DATA).device(device);
    if (!larger)
        std::abort();
    work.device = *std::move(larger);
    for (size_t i = work.plan.needs.size(); i < count; ++i) {
        Need need;
        need.id = "extra-" + std::to_string(i);
        need.title = "Extra " + std::to_string(i);
        need.kind = "gpio";
        work.plan.needs.push_back(need);
        if (const Expected<Edit> edit = bindNeed(*work.device, *work.board, work.plan, need.id))
            work.plan = *applied(work.plan, *edit);
    }
    return work;
}

/// The planned operations of the largest plan, from reset until all is up, judged at every step.
void rehearsePlannedOperations(benchmark::State& state)
{
    const auto s = computeSnapshot(grown("pump-hall-a-done", "al7654-b176", 40));
    for (auto _ : state)
        benchmark::DoNotOptimize(rehearsePlanned(s->facts(), {}));
}
BENCHMARK(rehearsePlannedOperations)->Unit(benchmark::kMillisecond);

/// The machine code of both its cores, compiled once beforehand.
void rehearseMachineCodeOfBothCores(benchmark::State& state)
{
    const auto s = computeSnapshot(demo("pump-hall-a-done"));
    std::string folder = (std::filesystem::temp_directory_path() / "bindrel-bench-XXXXXX").string();
    if (!mkdtemp(folder.data()) || !rehearseMachineCode(s->facts(), s->source(), {}, folder))
        std::abort();
    for (auto _ : state)
        benchmark::DoNotOptimize(rehearseMachineCode(s->facts(), s->source(), {}, folder));
    std::filesystem::remove_all(folder);
}
BENCHMARK(rehearseMachineCodeOfBothCores)->Unit(benchmark::kMillisecond);

/// The pipeline on the largest chip, 176 balls and two cores, with 40 needs.
void pipelineLargestChip(benchmark::State& state)
{
    const LoadedPlan work = grown("pump-hall-a-done", "al7654-b176", 40);
    state.counters["needs"] = double(work.plan.needs.size());
    for (auto _ : state)
        benchmark::DoNotOptimize(computeSnapshot(work));
}
BENCHMARK(pipelineLargestChip)->Unit(benchmark::kMillisecond);

/// The same when the plan wants to go on after the failure of each of its clocks.
void pipelineWithFallBacks(benchmark::State& state)
{
    LoadedPlan work = grown("pump-hall-a-done", "al7654-b176", 40);
    work.plan.onFailure = OnFailure::GoOn;
    for (auto _ : state)
        benchmark::DoNotOptimize(computeSnapshot(work));
}
BENCHMARK(pipelineWithFallBacks)->Unit(benchmark::kMillisecond);

/// A value typed into a divider of a plan's UART: the goal that says the same is looked for and tried.
void enterADivider(benchmark::State& state)
{
    const auto s = computeSnapshot(demo("sluice-node-c-done"));
    NeedIndex uplink = -1;
    for (const NeedIndex n : s->plan.needs.indices())
        if (s->plan.needs[n].id == "uplink")
            uplink = n;
    const FieldRef divider = s->device->roleField(s->bindings.needs[uplink].instance, "divider");
    const std::uint32_t code = s->image.codeOf(*s->device, divider);
    std::uint32_t turn = 0;
    for (auto _ : state)
        benchmark::DoNotOptimize(enterField(*s, uplink, divider, code + 1 + turn++ % 64));
}
BENCHMARK(enterADivider)->Unit(benchmark::kMillisecond);

/// A move of a dragged edge: the goal, what it makes, and the picture of that.
void dragAnEdge(benchmark::State& state)
{
    const auto s = computeSnapshot(demo("pump-hall-a-done"));
    NeedIndex pump = -1;
    for (const NeedIndex n : s->plan.needs.indices())
        if (s->plan.needs[n].kind == "pwm" && pump < 0)
            pump = n;
    const Waveform wave = *s->lookAt(pump).waveform;
    std::int64_t at = 0;
    for (auto _ : state) {
        at = (at + 37) % 20'000;
        const std::optional<Edit> edit =
            dragTo(*s, pump, wave, wave.handles.front(), Duration(Rational(at, 1'000'000'000)));
        if (edit)
            benchmark::DoNotOptimize(computeSnapshot(s->with(*applied(s->plan, *edit)))->lookAt(pump));
    }
}
BENCHMARK(dragAnEdge)->Unit(benchmark::kMillisecond);

/// All registers of the largest plan, for a plan that has lost its clocks and rates.
void adoptTheRegisters(benchmark::State& state)
{
    const auto s = computeSnapshot(demo("pump-hall-a-done"));
    RegisterDump dump;
    for (const RegisterValue& value : s->image.registers)
        dump.values[{value.instance, value.reg}] = value.value;
    Plan lost = s->plan;
    lost.clocks.clear();
    for (Need& need : lost.needs)
        need.goals.erase("baud"), need.goals.erase("frequency");
    const auto start = computeSnapshot(s->with(lost));
    for (auto _ : state)
        benchmark::DoNotOptimize(adoptRegisters(*start, dump));
}
BENCHMARK(adoptTheRegisters)->Unit(benchmark::kMillisecond);

/// Three wishes at once on the tree with two multipliers; all ways.
void reachThreeTargets(benchmark::State& state)
{
    const auto s = computeSnapshot(demo("sluice-node-c-done"));
    ReachRequest request;
    for (const char* wish : {"USBK=48MHz\u00b10.25%", "CPU=max", "CANK=40MHz"})
        request.targets.push_back(*readReachTarget(*s->device, wish));
    request.missedGoals = newlyMissed(*s->device, s->plan, s->bindings, s->rates);
    for (auto _ : state) {
        const ReachResult result = reach(*s->device, *s->board, s->plan, s->bindings, request);
        state.counters["ways"] = double(result.ways.size());
        state.counters["complete"] = result.complete;
    }
}
BENCHMARK(reachThreeTargets)->Unit(benchmark::kMillisecond);

void repairTangled(benchmark::State& state)
{
    const auto s = computeSnapshot(demo("sluice-node-c-tangled"));
    RepairRequest request;
    request.missedGoals = askedOnce(*s->device, s->plan, s->bindings);
    for (auto _ : state)
        benchmark::DoNotOptimize(repairClocks(*s->device, *s->board, s->plan, s->bindings, request));
}
BENCHMARK(repairTangled)->Unit(benchmark::kMillisecond);

/// Bytes that a loaded device keeps, by the allocator's own account.
void loadDeviceFile(benchmark::State& state, const char* file)
{
    const size_t before = mallinfo2().uordblks;
    const Expected<Device> kept = loadDevice(std::string(BINDREL_SOURCE_DATA) + "/devices/" + file);
    state.counters["bytes"] = double(mallinfo2().uordblks - before);
    for (auto _ : state)
        benchmark::DoNotOptimize(loadDevice(std::string(BINDREL_SOURCE_DATA) + "/devices/" + file));
}
BENCHMARK_CAPTURE(loadDeviceFile, sedge, "sedge/se4332-c64.json")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(loadDeviceFile, moss, "moss/ms0816-a48.json")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(loadDeviceFile, alder, "alder/al7654-b176.json")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(loadDeviceFile, rill, "rill/rl1224-q48.json")->Unit(benchmark::kMillisecond);

/// A register description of 2,000 registers and 25,000 fields with their words, about 5 MB.
std::string largeRegisterFile()
{
    std::string out =
        "<?xml version=\"1.0\"?>\n<device><name>LARGE</name><width>32</width><size>32</size><peripherals>\n";
    for (int p = 0; p < 50; ++p) {
        out += fmt::format("<peripheral><name>UNIT{0}</name><description>Unit {0} of the large chip.</description>"
                           "<baseAddress>0x{1:X}</baseAddress><registers>\n",
                           p, 0x5100'0000 + p * 0x1000);
        for (int r = 0; r < 40; ++r) {
            out += fmt::format(
                "<register><name>WORD{0}</name><description>Word {0} of unit {1}, as the manual's chapter on "
                "that unit tells it at some length.</description><addressOffset>0x{2:X}</addressOffset>"
                "<fields>\n",
                r, p, r * 4);
            for (int f = 0; f < 25 / 2; ++f)
                out += fmt::format(
                    "<field><name>PART{0}</name><description>Part {0} of word {1}: what it does, when it may "
                    "be written, and what it reads.</description><bitOffset>{2}</bitOffset>"
                    "<bitWidth>2</bitWidth><access>read-write</access></field>\n",
                    f, r, f * 2);
            out +=
                "<field><name>LAST</name><bitOffset>31</bitOffset><bitWidth>1</bitWidth></field></fields></register>\n";
        }
        out += "</registers></peripheral>\n";
    }
    return out + "</peripherals></device>\n";
}

/// Reading such a file: every time anew, or while it is the same (`unchanged`); and the pipeline on the chip.
void registerFile(benchmark::State& state, bool unchanged)
{
    const auto path = std::filesystem::temp_directory_path() / ("bindrel-bench-" + std::to_string(::getpid()) + ".svd");
    const std::string text = largeRegisterFile();
    if (!writeFileAtomically(path, text))
        std::abort();
    for (auto _ : state)
        if (unchanged)
            benchmark::DoNotOptimize(cachedDevice(path));
        else
            benchmark::DoNotOptimize(loadDevice(path));
    state.counters["MB"] = double(text.size()) / 1e6;
    std::filesystem::remove(path);
}
BENCHMARK_CAPTURE(registerFile, cold, false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(registerFile, unchanged, true)->Unit(benchmark::kMillisecond);

void pipelineOnALargeRegisterFile(benchmark::State& state)
{
    const auto path = std::filesystem::temp_directory_path() / ("bindrel-bench-" + std::to_string(::getpid()) + ".svd");
    if (!writeFileAtomically(path, largeRegisterFile()))
        std::abort();
    LoadedPlan work;
    work.device = *cachedDevice(path);
    work.board = std::make_shared<const Board>(bareBoard(*work.device));
    work.plan.name = "large";
    work.plan.device = work.device->name;
    for (auto _ : state)
        benchmark::DoNotOptimize(computeSnapshot(work));
    std::filesystem::remove(path);
}
BENCHMARK(pipelineOnALargeRegisterFile)->Unit(benchmark::kMillisecond);

/// All files, each synced to the disk and kept as a backup; the goal alternates so that there is something to write.
void writeAllSource(benchmark::State& state)
{
    const auto folder = std::filesystem::temp_directory_path() / ("bindrel-bench-" + std::to_string(::getpid()));
    LoadedPlan work = demo("sluice-node-c-done");
    const auto a = computeSnapshot(work);
    work.plan = *applied(work.plan, editOf("", SetGoal{"uplink", "baud", "115.2k"}));
    const auto b = computeSnapshot(work);
    int turn = 0;
    for (auto _ : state) {
        const Source& source = turn++ % 2 ? a->source() : b->source();
        const auto preview = previewOutput(source, folder);
        if (!preview || !writeOutput(source, folder, *preview))
            state.SkipWithError("could not be written");
    }
    std::filesystem::remove_all(folder);
}
BENCHMARK(writeAllSource)->Unit(benchmark::kMillisecond);

} // namespace
