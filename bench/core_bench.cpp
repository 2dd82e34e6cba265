// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/options.h"
#include "core/snapshot.h"
#include "core/source/output.h"

#include <benchmark/benchmark.h>

#include <filesystem>
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

/// The pipeline on the demo chip with as many needs as its pads carry (bound GPIOs fill what is free).
void pipelineFullChip(benchmark::State& state)
{
    Workpiece work = demo("sluice-node-c-done");
    for (int i = 0; i < 26; ++i) {
        Need need;
        need.id = "extra-" + std::to_string(i);
        need.title = "Extra " + std::to_string(i);
        need.kind = "gpio";
        work.plan.needs.push_back(need);
        if (const Expected<Edit> edit = bindNeed(*work.device, *work.board, work.plan, need.id))
            work.plan = *applied(work.plan, *edit);
    }
    state.counters["needs"] = double(work.plan.needs.size());
    for (auto _ : state)
        benchmark::DoNotOptimize(computeSnapshot(work));
}
BENCHMARK(pipelineFullChip)->Unit(benchmark::kMillisecond);

void bindEverythingFromNothing(benchmark::State& state)
{
    const Workpiece work = demo("sluice-node-c-start");
    for (auto _ : state)
        benchmark::DoNotOptimize(bindAllOpen(*work.device, *work.board, work.plan));
}
BENCHMARK(bindEverythingFromNothing)->Unit(benchmark::kMillisecond);

void loadDeviceFile(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(loadDevice(std::string(BINDREL_SOURCE_DATA) + "/devices/sedge/se4332-c64.json"));
}
BENCHMARK(loadDeviceFile)->Unit(benchmark::kMillisecond);

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
        const Source& source = turn++ % 2 ? a->source : b->source;
        const auto preview = previewOutput(source, folder);
        if (!preview || !writeOutput(source, folder, *preview))
            state.SkipWithError("could not be written");
    }
    std::filesystem::remove_all(folder);
}
BENCHMARK(writeAllSource)->Unit(benchmark::kMillisecond);

} // namespace
