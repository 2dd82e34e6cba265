// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/repair.h"
#include "core/pins/options.h"
#include "core/rehearsal/rehearsal.h"
#include "core/snapshot.h"
#include "core/output/output.h"
#include "core/tuning/clock_goals.h"

#include <benchmark/benchmark.h>

#include <filesystem>
#include <malloc.h>
#include <random>
#include <unistd.h>

using namespace bindrel;

namespace {

Workpiece demo(const char* name)
{
    Expected<Workpiece> work = loadPlan(std::string(BINDREL_EXAMPLES) + "/" + name + ".bindrel", Library(BINDREL_SOURCE_DATA));
    if (!work)
        std::abort();
    return *std::move(work);
}

/// One edit and the whole pipeline after it, source included: what every keystroke costs.
void pipelineAfterAnEdit(benchmark::State& state)
{
    Workpiece work = demo("sluice-node-c-done");
    int turn = 0;
    for (auto _ : state) {
        work.plan = *applied(work.plan, editOf("", SetGoal{"uplink", "baud", turn++ % 2 ? "115.2k" : "460.8k"}));
        benchmark::DoNotOptimize(computeSnapshot(work));
    }
}
BENCHMARK(pipelineAfterAnEdit)->Unit(benchmark::kMillisecond);

/// A plan on the same device family with another member, and needs (ports' bits) until there are `count`.
Workpiece grown(const char* plan, const char* device, size_t count)
{
    Workpiece work = demo(plan);
    Expected<Device> larger = Library(BINDREL_SOURCE_DATA).device(device);
    if (!larger)
        std::abort();
    work.device = std::make_shared<const Device>(*std::move(larger));
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
    const Workpiece work = grown("pump-hall-a-done", "al7654-b176", 40);
    state.counters["needs"] = double(work.plan.needs.size());
    for (auto _ : state)
        benchmark::DoNotOptimize(computeSnapshot(work));
}
BENCHMARK(pipelineLargestChip)->Unit(benchmark::kMillisecond);

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

void bindEverythingFromNothing(benchmark::State& state, const char* plan)
{
    Workpiece work = demo(plan);
    for (Need& need : work.plan.needs)
        need.binding = {};
    for (auto _ : state)
        benchmark::DoNotOptimize(bindAllOpen(*work.device, *work.board, work.plan));
}
BENCHMARK_CAPTURE(bindEverythingFromNothing, sluice, "sluice-node-c-done")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(bindEverythingFromNothing, rain, "rain-post-b-done")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(bindEverythingFromNothing, pump, "pump-hall-a-done")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(bindEverythingFromNothing, ditch, "ditch-meter-d-done")->Unit(benchmark::kMillisecond);

/// A made-up chip of 512 pads: instances whose signals each have three pads to choose from, and bits that go anywhere.
Device largeChip(std::mt19937& random)
{
    Device d;
    d.name = "LARGE";
    d.cores.push_back({});
    Block uart, spi, port;
    uart.name = uart.kind = "uart";
    spi.name = spi.kind = "spi";
    port.name = port.kind = "port";
    d.blocks = {uart, spi, port};
    Instance portInstance;
    portInstance.name = "PORT";
    portInstance.block = 2;
    d.instances = {portInstance};
    for (int p = 0; p < 512; ++p) {
        Pad pad;
        pad.name = "P" + std::to_string(p);
        pad.port = 0;
        pad.bit = p % 16;
        d.pads.push_back(pad);
        d.package.pins.push_back({std::to_string(p + 1), PackagePin::Kind::Pad, p, pad.name});
    }
    const auto add = [&](const char* stem, int block, int count, const std::vector<const char*>& signals) {
        for (int i = 0; i < count; ++i) {
            Instance instance;
            instance.name = stem + std::to_string(i);
            instance.block = block;
            for (const char* signal : signals)
                instance.signals.push_back({signal, InstanceSignal::Direction::Both});
            for (int set = 0; set < 3; ++set) {
                const int first = int(random() % (512 - signals.size()));
                for (size_t s = 0; s < signals.size(); ++s) {
                    d.pads[size_t(first) + s].routes.push_back(int(d.routes.size()));
                    d.routes.push_back({first + int(s), int(d.instances.size()), int(s), Route::Mechanism::GroupRemap, -1, {}, -1});
                }
            }
            d.instances.push_back(instance);
        }
    };
    add("U", 0, 48, {"TX", "RX", "RTS", "CTS"});
    add("S", 1, 32, {"SCK", "MOSI", "MISO", "CS"});
    return d;
}

/// 200 needs that want four pads of five, from nothing.
void placementOf512Pads(benchmark::State& state)
{
    std::mt19937 random(3);
    const Device device = largeChip(random);
    Plan plan;
    PlacementRequest request;
    for (int n = 0; n < 200; ++n) {
        Need need;
        need.id = need.title = "n" + std::to_string(n);
        need.kind = n < 40 ? "uart" : n < 68 ? "spi" : "gpio";
        if (n < 40)
            need.goals["flow"] = "RTS/CTS";
        need.part = "part" + std::to_string(n / 4);
        plan.needs.push_back(need);
        request.needs.push_back(n);
    }
    for (auto _ : state) {
        const PlacementResult result = place(device, Board(), plan, request);
        state.counters["found"] = double(result.ways.size());
        state.counters["proven"] = result.proven;
        state.counters["sides"] = result.ways.empty() ? -1 : result.ways[0].cost.sides;
    }
}
BENCHMARK(placementOf512Pads)->Unit(benchmark::kMillisecond);

void untangleFiveWays(benchmark::State& state)
{
    const Workpiece work = demo("sluice-node-c-tangled");
    for (auto _ : state)
        benchmark::DoNotOptimize(untangle(*work.device, *work.board, work.plan, 5));
}
BENCHMARK(untangleFiveWays)->Unit(benchmark::kMillisecond);

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

/// All files, each synced to the disk and kept as a backup; the goal alternates so that there is something to write.
void writeAllSource(benchmark::State& state)
{
    const auto folder = std::filesystem::temp_directory_path() / ("bindrel-bench-" + std::to_string(::getpid()));
    Workpiece work = demo("sluice-node-c-done");
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
