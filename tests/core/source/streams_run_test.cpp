// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/bind_all.h"
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

using namespace bindrel;
using namespace bindrel::test;

namespace {

/// What a channel's registers say, read by hand from each family's chapter: nothing here comes from the roles of the
/// device's file.
struct ChannelState {
    bool on = false, round = false;
    uint32_t request = 0, priority = 0;
    uint32_t from = 0, to = 0, units = 0, bytes = 1;
    bool fromSteps = false, toSteps = false, tellsEnd = false, tellsHalf = false;
};

struct Controller {
    uint32_t base = 0;
    ChannelState (*look)(uint32_t base, uint32_t n) = nullptr;
    void (*end)(uint32_t base, uint32_t n) = nullptr; ///< what it leaves when all is moved
};

const Controller kSedge{0x4D006800,
                        [](uint32_t base, uint32_t n) {
                            const uint32_t control = Chip::at(base + 0x40 + 16 * n);
                            return ChannelState{(control & 1) != 0,
                                                (control >> 6 & 1) != 0,
                                                Chip::at(base + 4 * n) & 63,
                                                control >> 8 & 3,
                                                Chip::at(base + 0x44 + 16 * n),
                                                Chip::at(base + 0x48 + 16 * n),
                                                Chip::at(base + 0x4C + 16 * n) & 0xFFFF,
                                                1u << (control >> 2 & 3),
                                                (control >> 4 & 1) != 0,
                                                (control >> 5 & 1) != 0,
                                                (control >> 12 & 1) != 0,
                                                (control >> 13 & 1) != 0};
                        },
                        [](uint32_t base, uint32_t n) {
                            Chip::at(base + 0x4C + 16 * n) = 0;
                            Chip::at(base + 0xC0) = 1u << n;
                        }};
const Controller kAlder{0x47004D00,
                        [](uint32_t base, uint32_t n) {
                            const uint32_t way = Chip::at(base + 16 * n);
                            const uint32_t width = way & 3;
                            return ChannelState{way >> 31 != 0,
                                                (way >> 29 & 1) != 0,
                                                way >> 4 & 127,
                                                way >> 12 & 3,
                                                Chip::at(base + 4 + 16 * n),
                                                Chip::at(base + 8 + 16 * n),
                                                (Chip::at(base + 12 + 16 * n) & 0xFFFF) + 1,
                                                width == 1   ? 1u
                                                : width == 2 ? 2u
                                                : width == 3 ? 4u
                                                             : 0u,
                                                (way >> 26 & 1) != 0,
                                                (way >> 25 & 1) != 0,
                                                (way >> 28 & 1) != 0,
                                                (way >> 27 & 1) != 0};
                        },
                        [](uint32_t base, uint32_t n) {
                            Chip::at(base + 12 + 16 * n) = 0;
                            Chip::at(base + 0xE0) = 1u << n;
                        }};
const Controller kRill{0x7C018C00,
                       [](uint32_t base, uint32_t n) {
                           const uint32_t control = Chip::at(base + 16 * n);
                           return ChannelState{(control & 1) != 0,
                                               false,
                                               control >> 8 & 31,
                                               0,
                                               Chip::at(base + 4 + 16 * n),
                                               Chip::at(base + 8 + 16 * n),
                                               Chip::at(base + 12 + 16 * n) & 0xFFFF,
                                               1u << (control >> 2 & 3),
                                               (control >> 4 & 1) != 0,
                                               (control >> 5 & 1) != 0,
                                               (control >> 6 & 1) != 0,
                                               false};
                       },
                       [](uint32_t base, uint32_t n) {
                           Chip::at(base + 12 + 16 * n) = 0;
                           Chip::at(base + 0x60) = 1u << n;
                       }};

/// Memory that a 32-bit address reaches.
class Memory {
public:
    Memory()
        : bytes_(static_cast<uint8_t*>(
              mmap(nullptr, 4096, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS | MAP_32BIT, -1, 0)))
    {
        if (bytes_ == MAP_FAILED)
            qFatal("no memory below 4 GiB");
    }
    ~Memory() { munmap(bytes_, 4096); }
    uint8_t* at(size_t offset) const { return bytes_ + offset; }

private:
    uint8_t* bytes_;
};

/// Moves as the channel says; `feed` puts the next unit into the register that is read.
template <typename Feed> void moveAll(const Controller& c, uint32_t n, Feed feed)
{
    const ChannelState state = c.look(c.base, n);
    for (uint32_t i = 0; i < state.units; ++i) {
        feed(i);
        std::memcpy(reinterpret_cast<void*>(uintptr_t(state.to + (state.toSteps ? i * state.bytes : 0))),
                    reinterpret_cast<const void*>(uintptr_t(state.from + (state.fromSteps ? i * state.bytes : 0))),
                    state.bytes);
    }
    c.end(c.base, n);
}

} // namespace

/// The functions that let DMA move, with a controller played by the test.
class StreamsRunTest : public QObject {
    Q_OBJECT

    static LoadedPlan bound(LoadedPlan work)
    {
        const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
        if (!all)
            qFatal("%s", all.problem().message.c_str());
        work.plan = *applied(work.plan, all->edit);
        return work;
    }
    static LoadedPlan withCopy(LoadedPlan work, const std::string& unit)
    {
        Need copy;
        copy.id = copy.title = "mover";
        copy.kind = "copy";
        copy.goals = {{"unit", unit}};
        return bound(with(work, InsertNeed{99, copy}));
    }
    static uint32_t channelOf(const Snapshot& s, const char* need, const char* request)
    {
        for (const Stream& stream : s.bindings.needs[needIndex(s.plan, need)].streams)
            if (stream.request == request)
                return uint32_t(stream.channel);
        qFatal("no stream %s of %s", request, need);
    }

    /// Copies 24 bytes on one family.
    static void copies(const char* plan, const Controller& controller, uint32_t request, const std::string& prefix,
                       const std::vector<uint32_t>& units)
    {
        for (const uint32_t bytes : units) {
            const auto s = run(withCopy(demo(plan), bytes == 1 ? "1 byte" : std::to_string(bytes) + " bytes"));
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            if (bytes == 2)
                QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
            const Compiled code(*s);
            const Chip chip(*s->device);
            const Memory memory;
            code.find<int()>((prefix + "_mover_bring_up").c_str())();
            const uint32_t n = channelOf(*s, "mover", "COPY");
            const auto copy = code.find<bool(void*, const void*, uint32_t)>((prefix + "_mover_copy").c_str());
            for (uint8_t i = 0; i < 24; ++i)
                *memory.at(64 + i) = uint8_t(i * 7 + 1);
            QVERIFY(!copy(memory.at(128), memory.at(64), 0) && !copy(memory.at(128), memory.at(64), 70'000));
            QVERIFY(bytes == 1 || !copy(memory.at(129), memory.at(64), 1));
            QVERIFY(!controller.look(controller.base, n).on);
            QVERIFY(copy(memory.at(128), memory.at(64), 24 / bytes));
            const ChannelState state = controller.look(controller.base, n);
            QVERIFY(state.on && !state.round);
            QCOMPARE(state.request, request);
            QCOMPARE(state.bytes, bytes);
            QCOMPARE(state.units, 24 / bytes);
            Chip::at(controller.base + (controller.base == kSedge.base   ? 0xC0
                                        : controller.base == kAlder.base ? 0xE0
                                                                         : 0x60)) =
                0; // a write of ones has cleared the flags
            QVERIFY(!code.find<bool()>((prefix + "_mover_copy_done").c_str())());
            moveAll(controller, n, [](uint32_t) {});
            QVERIFY(std::memcmp(memory.at(64), memory.at(128), 24) == 0 && *memory.at(152) == 0);
            QVERIFY(code.find<bool()>((prefix + "_mover_copy_done").c_str())());
            QCOMPARE(code.find<uint32_t()>((prefix + "_mover_copy_moved").c_str())(), 24 / bytes);
            code.find<void()>((prefix + "_mover_copy_halt").c_str())();
            QVERIFY(!controller.look(controller.base, n).on);
        }
    }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    void memoryToMemory()
    {
        copies("sluice-node-c-done", kSedge, 48, "sluice", {1, 2, 4});
        copies("pump-hall-a-done", kAlder, 96, "pump", {1, 2});
        copies("ditch-meter-d-done", kRill, 30, "ditch", {2, 4});
        // Moss has channels that are wired to their requests.
        Need copy;
        copy.id = copy.title = "mover";
        copy.kind = "copy";
        const LoadedPlan work = with(demo("rain-post-b-done"), InsertNeed{99, copy});
        const Expected<BoundAll> none = bindAll(*work.device, *work.board, work.plan, {});
        QVERIFY(!none && QString::fromStdString(none.problem().message).contains("COPY"));
    }

    /// A UART both ways on Sedge, going round, with interrupts at half and end; priorities as asked for.
    void bothWaysAndRound()
    {
        LoadedPlan work = demo();
        for (const auto& [goal, value] :
             {std::pair{"dma", "both"}, {"dma_runs", "round"}, {"dma_tells", "half and end"}, {"dma_priority", "2"}})
            work = with(work, SetGoal{"uplink", goal, value});
        const auto s = run(bound(work));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        const Compiled code(*s);
        const Chip chip(*s->device);
        const Memory memory;
        code.find<void()>("sluice_uplink_bring_up")();
        code.find<void()>("sluice_uplink_start")();
        const uint32_t in = channelOf(*s, "uplink", "RX"), out = channelOf(*s, "uplink", "TX");
        const uint32_t data =
            s->device->instances[s->bindings.needs[needIndex(s->plan, "uplink")].instance].base + 0x10;
        QVERIFY(code.find<bool(uint8_t*, uint32_t)>("sluice_uplink_receive_into")(memory.at(0), 100));
        ChannelState state = kSedge.look(kSedge.base, in);
        QVERIFY(state.on && state.round && state.tellsEnd && state.tellsHalf && state.toSteps && !state.fromSteps);
        QCOMPARE(state.from, data);
        QCOMPARE(state.priority, 2u);
        Chip::at(kSedge.base + 0x4C + 16 * in) = 40; // sixty have come
        QCOMPARE(code.find<uint32_t()>("sluice_uplink_receive_moved")(), 60u);
        Chip::at(kSedge.base + 0x4C + 16 * in) = 100;
        moveAll(kSedge, in, [data](uint32_t i) { Chip::at(data) = i ^ 0x5A; });
        for (uint32_t i = 0; i < 100; ++i)
            QCOMPARE(uint32_t(*memory.at(i)), i ^ 0x5A);

        for (uint8_t i = 0; i < 10; ++i)
            *memory.at(200 + i) = uint8_t(100 + i);
        QVERIFY(code.find<bool(const uint8_t*, uint32_t)>("sluice_uplink_send_from")(memory.at(200), 10));
        state = kSedge.look(kSedge.base, out);
        QVERIFY(state.on && state.fromSteps && !state.toSteps);
        QCOMPARE(state.to, data);
        std::vector<uint32_t> sent;
        for (uint32_t i = 0; i < state.units; ++i)
            sent.push_back(*reinterpret_cast<uint8_t*>(uintptr_t(state.from + i * state.bytes)));
        QCOMPARE(sent.front(), 100u);
        QCOMPARE(sent.back(), 109u);
        // The handler clears what it has seen and nothing else.
        Chip::at(kSedge.base + 0xC0) = 1u << in;
        code.find<void()>("sluice_on_DMA_done")();
        QCOMPARE(Chip::at(kSedge.base + 0xC0), 1u << in);
        QVERIFY(!code.has("sluice_uplink_receive") &&
                !code.has("sluice_uplink_receive_done")); // DMA has the bytes, the interrupt the flag
    }

    /// Values of a converter: units of two bytes; of a port on the second core: a counter that holds one less.
    void valuesAndTheSecondCore()
    {
        const auto s = run(demo("pump-hall-a-done"));
        const Compiled code(*s);
        const Chip chip(*s->device);
        const Memory memory;
        code.find<int()>("pump_phase_currents_bring_up")();
        code.find<void()>("pump_help_station_bus_bring_up")();
        const uint32_t values = channelOf(*s, "phase-currents", "RESULT"), bytes = channelOf(*s, "station-bus", "RX");
        QVERIFY(code.find<bool(uint16_t*, uint32_t)>("pump_phase_currents_results_into")(
            reinterpret_cast<uint16_t*>(memory.at(0)), 9));
        const ChannelState state = kAlder.look(kAlder.base, values);
        QVERIFY(state.on && state.bytes == 2 && state.units == 9 && state.toSteps && !state.fromSteps);
        moveAll(kAlder, values, [from = state.from](uint32_t i) { Chip::at(from) = 1000 + i; });
        for (uint32_t i = 0; i < 9; ++i)
            QCOMPARE(uint32_t(reinterpret_cast<uint16_t*>(memory.at(0))[i]), 1000 + i);
        QVERIFY(code.find<bool()>("pump_phase_currents_results_done")());
        QCOMPARE(code.find<uint32_t()>("pump_phase_currents_results_moved")(), 9u);
        const auto receive = code.find<bool(uint8_t*, uint32_t)>("pump_help_station_bus_receive_into");
        QVERIFY(receive(memory.at(64), 65'536) && !receive(memory.at(64), 65'537));
        QCOMPARE(kAlder.look(kAlder.base, bytes).units, 65'536u);
    }

    /// A wave from memory: levels of two bytes, each at the end of a timer's period.
    void aWave()
    {
        LoadedPlan work = demo();
        Need wave;
        wave.id = wave.title = "wave";
        wave.kind = "dac";
        wave.goals = {{"rate", "4 Hz"}, {"trigger", "timer"}, {"dma", "levels"}, {"dma_runs", "round"}};
        // Its output is a pad that the probe's needs have.
        for (const char* other : {"probe-alert", "supply-sense", "shunt-amplifier", "log-flash"})
            if (work.plan.need(other))
                work = with(work, RemoveNeed{other});
        work = bound(with(work, InsertNeed{99, wave}));
        const auto s = run(work);
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        const Compiled code(*s);
        const Chip chip(*s->device);
        const Memory memory;
        code.find<void()>("sluice_wave_bring_up")();
        QCOMPARE(Chip::at(0x4D015200) >> 4 & 15, 2u); // by TIMER1, whose need ticks four times a second
        QCOMPARE(Chip::at(0x4D015200) >> 12 & 1, 1u);
        QVERIFY(code.find<bool(const uint16_t*, uint32_t)>("sluice_wave_levels_from")(
            reinterpret_cast<const uint16_t*>(memory.at(0)), 50));
        const ChannelState state = kSedge.look(kSedge.base, channelOf(*s, "wave", "LEVEL"));
        QVERIFY(state.on && state.round && state.bytes == 2 && state.units == 50 && state.fromSteps && !state.toSteps);
        QCOMPARE(state.to, 0x4D015204u);
        QCOMPARE(state.request, 25u);
        QVERIFY(hasFinding(*run(with(work, SetGoal{"wave", "rate", "5 Hz"})), "GOAL-01", "wave"));
        QVERIFY(hasFinding(*run(with(work, SetGoal{"wave", "trigger", "software"})), "GOAL-01", "wave"));
    }

    /// On Moss the far end of a channel follows from its request.
    void wiredChannels()
    {
        const auto s = run(bound(with(demo("rain-post-b-done"), SetGoal{"radio", "dma", "receive"})));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        const Compiled code(*s);
        const Chip chip(*s->device);
        const Memory memory;
        code.find<void()>("rain_radio_bring_up")();
        const uint32_t n = channelOf(*s, "radio", "RX"), base = 0x48000B00;
        QVERIFY(code.find<bool(uint8_t*, uint32_t)>("rain_radio_receive_into")(memory.at(32), 4095));
        QVERIFY(!code.find<bool(uint8_t*, uint32_t)>("rain_radio_receive_into")(memory.at(32), 4096));
        QCOMPARE(Chip::at(base + 16 * n) & 7, 1u | 4u); // on, into memory, going up
        QCOMPARE(Chip::at(base + 4 + 16 * n), uint32_t(uintptr_t(memory.at(32))));
        QCOMPARE(Chip::at(base + 8 + 16 * n), 4095u);
    }

    /// What a controller cannot do is said.
    void whatCannotBe()
    {
        const LoadedPlan ditch = demo("ditch-meter-d-done");
        std::string uart;
        for (const Need& need : ditch.plan.needs)
            if (need.kind == "uart" && need.goals.contains("dma"))
                uart = need.id;
        QVERIFY(run(with(ditch, SetGoal{uart, "dma_tells", "end"}))->findings.empty());
        QVERIFY(hasFinding(*run(with(ditch, SetGoal{uart, "dma_runs", "round"})), "GOAL-01", uart));
        QVERIFY(hasFinding(*run(with(ditch, SetGoal{uart, "dma_tells", "half and end"})), "GOAL-01", uart));
        QVERIFY(hasFinding(*run(with(ditch, SetGoal{uart, "dma_priority", "1"})), "GOAL-01", uart));
        const LoadedPlan pump = demo("pump-hall-a-done");
        QVERIFY(run(with(pump, SetGoal{"station-bus", "dma_priority", "3"}))->findings.empty());
        QVERIFY(hasFinding(*run(with(pump, SetGoal{"station-bus", "dma_priority", "4"})), "GOAL-01", "station-bus"));
    }
};

BINDREL_TEST(StreamsRunTest)
#include "streams_run_test.moc"
