// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/options.h"
#include "core/plan/plan_file.h"

#include <benchmark/benchmark.h>

#include <chrono>
#include <random>

using namespace bindrel;

namespace {

LoadedPlan loaded(const std::string& path, const Library& library)
{
    Expected<LoadedPlan> work = loadPlan(path, library);
    if (!work)
        std::abort();
    return *std::move(work);
}

std::vector<NeedIndex> openNeeds(const LoadedPlan& work)
{
    const Bindings bindings = bind(*work.device, work.plan);
    std::vector<NeedIndex> out;
    for (const NeedIndex n : bindings.needs.indices())
        if (bindings.needs[n].state == BoundNeed::State::Open)
            out.push_back(int(n));
    return out;
}

/// The whole search; the counters tell when the first way was there and when the level that matters was proven (-1:
/// never), in milliseconds.
void search(benchmark::State& state, const LoadedPlan& work, PlacementRequest request, PlacementLevel level)
{
    using Clock = std::chrono::steady_clock;
    for (auto _ : state) {
        const Clock::time_point begin = Clock::now();
        double first = -1, proven = -1, best = -1;
        PlacementCost before;
        request.improved = [&](const Placement& way) {
            const double now = std::chrono::duration<double, std::milli>(Clock::now() - begin).count();
            if (first < 0)
                first = now;
            if (best < 0 || way.cost.at(level) != before.at(level))
                best = now;
            if (proven < 0 && way.proof.provenTo(level, way.cost))
                proven = now;
            before = way.cost;
        };
        const PlacementResult result = place(*work.device, *work.board, work.plan, request);
        state.counters["first"] = first;
        state.counters["best"] = best;
        state.counters["proven"] = proven;
        if (!result.ways.empty()) {
            state.counters["moved"] = result.ways[0].cost.moved;
            state.counters["signals"] = result.ways[0].cost.pads;
            state.counters["sides"] = result.ways[0].cost.sides;
            state.counters["all"] = result.ways[0].proof.proven(result.ways[0].cost);
        } else {
            state.counters["culprits"] = double(result.culprits.size());
        }
    }
}

void bindEverythingFromNothing(benchmark::State& state, const char* plan)
{
    LoadedPlan work = loaded(std::string(BINDREL_EXAMPLES) + "/" + plan + ".bindrel", Library(BINDREL_SOURCE_DATA));
    for (Need& need : work.plan.needs)
        need.binding = {};
    search(state, work, {.needs = openNeeds(work)}, PlacementLevel::Spread);
}
BENCHMARK_CAPTURE(bindEverythingFromNothing, sluice, "sluice-node-c-done")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(bindEverythingFromNothing, rain, "rain-post-b-done")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(bindEverythingFromNothing, pump, "pump-hall-a-done")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(bindEverythingFromNothing, ditch, "ditch-meter-d-done")->Unit(benchmark::kMillisecond);

void placementCase(benchmark::State& state, const char* name, bool untangle)
{
    const std::string folder = BINDREL_PLACEMENT_CASES;
    const LoadedPlan work = loaded(folder + "/" + name + "-apart-1.bindrel", Library(folder));
    PlacementRequest request;
    request.mayMove = untangle;
    if (!untangle)
        request.needs = openNeeds(work);
    search(state, work, request, PlacementLevel::Sides);
}
BENCHMARK_CAPTURE(placementCase, sBlank, "s-blank", false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, sTangled, "s-tangled", true)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, sPads, "s-pads", false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, sRates, "s-rates", false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, mBlank, "m-blank", false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, mTangled, "m-tangled", true)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, mPads, "m-pads", false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, mWide, "m-wide", false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, mRates, "m-rates", false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, lBlank, "l-blank", false)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(placementCase, lTangled, "l-tangled", true)->Unit(benchmark::kMillisecond);

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
                    d.pads[PadIndex(size_t(first) + s)].routes.push_back(int(d.routes.size()));
                    d.routes.push_back(
                        {first + int(s), int(d.instances.size()), int(s), Route::Mechanism::GroupRemap, -1, {}, -1});
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
            need.goals.state("flow", "RTS/CTS");
        need.part = "part" + std::to_string(n / 4);
        plan.needs.push_back(need);
        request.needs.push_back(n);
    }
    for (auto _ : state) {
        const PlacementResult result = place(device, Board(), plan, request);
        state.counters["found"] = double(result.ways.size());
        state.counters["sides"] = result.ways.empty() ? -1 : result.ways[0].cost.sides;
    }
}
BENCHMARK(placementOf512Pads)->Unit(benchmark::kMillisecond);

void untangleFiveWays(benchmark::State& state)
{
    const LoadedPlan work =
        loaded(std::string(BINDREL_EXAMPLES) + "/sluice-node-c-tangled.bindrel", Library(BINDREL_SOURCE_DATA));
    for (auto _ : state)
        benchmark::DoNotOptimize(untangle(*work.device, *work.board, work.plan, 5));
}
BENCHMARK(untangleFiveWays)->Unit(benchmark::kMillisecond);

} // namespace
