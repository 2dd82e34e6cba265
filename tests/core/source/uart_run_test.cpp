// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/bind_all.h"
#include "core/quantity/parse.h"
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

using namespace bindrel;
using namespace bindrel::test;

/// Lines of a UART beside the plain two wires: registers read by hand, functions run on memory.
class UartRunTest : public QObject {
    Q_OBJECT

    static std::shared_ptr<const Snapshot> lineOf(const char* plan, const char* need,
                                                  const std::vector<std::pair<const char*, const char*>>& goals)
    {
        LoadedPlan work = demo(plan);
        for (const auto& [goal, value] : goals)
            work = with(work, SetGoal{need, goal, value});
        if (run(work)->bindings.count(BoundNeed::State::Open) == 0)
            return run(work);
        const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
        if (!all)
            qFatal("%s", all.problem().message.c_str());
        work.plan = *applied(work.plan, all->edit);
        return run(work);
    }
    static std::uint32_t valueAt(const Snapshot& s, const char* need, std::uint32_t offset)
    {
        const std::uint32_t base = baseOf(s, need);
        for (const RegisterValue& value : s.image.registers)
            if (s.device->addressOf(value.instance, value.reg) == base + offset)
                return value.value;
        return 0;
    }
    static std::uint32_t baseOf(const Snapshot& s, const char* need)
    {
        return s.device->instances[s.bindings.needs[needIndex(s.plan, need)].instance].base;
    }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    /// A byte with a wrong parity or without a stop bit is dropped and counted; one that was lost is counted.
    void whatCameDamagedIsDropped()
    {
        constexpr std::uint32_t kHere = 1, kFraming = 0x10, kParity = 0x40, kOverrun = 0x80;
        for (const bool byInterrupt : {false, true}) {
            const auto s = lineOf("sluice-node-c-done", "uplink",
                                  {{"frame", "8E1"}, {"interrupt", byInterrupt ? "receive" : "none"}});
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            const Compiled code(*s);
            const Chip chip(*s->device);
            const std::uint32_t base = baseOf(*s, "uplink");
            volatile std::uint32_t &state = Chip::at(base + 0x0C), &data = Chip::at(base + 0x10);
            const auto receive = code.find<bool(std::uint8_t*)>("sluice_uplink_receive");
            const auto damaged = code.find<std::uint32_t()>("sluice_uplink_damaged");
            const auto overruns = code.find<std::uint32_t()>("sluice_uplink_overruns");
            // By polling there is nothing to start.
            const auto start = byInterrupt ? code.find<void()>("sluice_uplink_start") : nullptr;
            if (start)
                start();
            std::uint8_t byte = 0xEE;
            const auto comes = [&](std::uint32_t flags, std::uint8_t value) {
                state = kHere | flags;
                data = value;
                if (byInterrupt) {
                    code.find<void()>("sluice_uplink_take_in")();
                    return receive(&byte);
                }
                const bool came = receive(&byte);
                return came;
            };
            state = 0;
            QVERIFY(!receive(&byte));
            QVERIFY(comes(0, 0x41));
            QCOMPARE(int(byte), 0x41);
            std::uint32_t dropped = 0, lost = 0;
            // Every combination; the flags are cleared by the ones that are written.
            for (std::uint32_t bits = 1; bits < 8; ++bits) {
                const std::uint32_t flags =
                    (bits & 1 ? kFraming : 0) | (bits & 2 ? kParity : 0) | (bits & 4 ? kOverrun : 0);
                byte = 0xEE;
                const bool good = (bits & 3) == 0;
                QCOMPARE(comes(flags, std::uint8_t(0x50 + bits)), good);
                QCOMPARE(int(byte), good ? int(0x50 + bits) : 0xEE);
                dropped += good ? 0 : 1;
                lost += bits & 4 ? 1 : 0;
                QCOMPARE(damaged(), dropped);
                QCOMPARE(overruns(), lost);
                QVERIFY((state & (kFraming | kParity | kOverrun)) != 0);
            }
            // Counts begin anew with a start.
            if (start) {
                start();
                QCOMPARE(damaged(), 0u);
                QCOMPARE(overruns(), 0u);
            }
        }
        // Without parity its flag means nothing; DMA moves what comes, and the program asks.
        const auto plain = lineOf("sluice-node-c-done", "uplink", {});
        QVERIFY(plain->source().find("sluice_uplink.c")->text().find("PARITYERR") == std::string::npos);
        const auto moved = lineOf("sluice-node-c-done", "uplink", {{"dma", "receive"}});
        const Compiled code(*moved);
        const Chip chip(*moved->device);
        volatile std::uint32_t& state = Chip::at(baseOf(*moved, "uplink") + 0x0C);
        const auto seen = code.find<bool()>("sluice_uplink_error_seen");
        state = kHere;
        QVERIFY(!seen());
        state = kOverrun;
        QVERIFY(seen());
        QVERIFY(!code.has("sluice_uplink_damaged"));
    }

    /// The other end gets a clock: its level, its edge, its last pulse, and the lane that it goes by.
    void theClockOfASynchronousLine()
    {
        for (const auto& [idle, edge, last, bits] : {std::tuple{"low", "first edge", "yes", 0b1001u},
                                                     {"high", "first edge", "no", 0b0011u},
                                                     {"low", "second edge", "yes", 0b1101u},
                                                     {"high", "second edge", "no", 0b0111u}}) {
            LoadedPlan work = demo("ditch-meter-d-done");
            for (const char* gone : {"log-flash", "fence-bus"})
                work = with(work, RemoveNeed{gone});
            Need need;
            need.id = "shift";
            need.title = "Shift";
            need.kind = "uart";
            need.goals = {{"baud", "1 MBd"},
                          {"line", "synchronous"},
                          {"clock_idle", idle},
                          {"clock_edge", edge},
                          {"last_clock", last}};
            work = with(work, InsertNeed{99, need});
            const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
            QVERIFY2(all.ok(), all ? "" : all.problem().message.c_str());
            work.plan = *applied(work.plan, all->edit);
            const auto s = run(work);
            QCOMPARE(s->bindings.count(BoundNeed::State::Open), 0);
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
            QCOMPARE(valueAt(*s, "shift", 4) >> 15 & 0xF, bits);
            QCOMPARE(valueAt(*s, "shift", 0) >> 4 & 7, 5u);
            const BoundNeed& bound = s->bindings.needs[needIndex(s->plan, "shift")];
            QCOMPARE(bound.seats.size(), size_t(3));
            // How far the other end's own clock is off is nobody's business.
            QVERIFY(!s->settings[needIndex(s->plan, "shift")].goal("peer"));
            QVERIFY(s->settings[needIndex(s->plan, "shift")].goal("baud")->ok);
        }
        // A port without a clock says so.
        const LoadedPlan none =
            with(with(demo(), SetGoal{"uplink", "flow", "none"}), SetGoal{"uplink", "line", "synchronous"});
        const Expected<BoundAll> all = bindAll(*none.device, *none.board, none.plan, {});
        QVERIFY(!all.ok());
        QVERIFY2(all.problem().message.find("asks for clock (CK), which no UART of SE4332-C64 has") !=
                     std::string::npos,
                 all.problem().message.c_str());
    }

    /// The shortest times that are long enough: by all samples from none on.
    void theDriverOfABus()
    {
        for (const auto& [lead, trail] : {std::pair{"0 s", "0 s"}, {"4 us", "1.5 us"}, {"12 us", "20 us"}}) {
            const auto s =
                lineOf("sluice-node-c-done", "uplink",
                       {{"flow", "none"}, {"line", "RS-485"}, {"lead", lead}, {"trail", trail}, {"interrupt", "idle"}});
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
            const std::uint32_t control = valueAt(*s, "uplink", 0), guard = valueAt(*s, "uplink", 0x14),
                                divider = valueAt(*s, "uplink", 4);
            QVERIFY((control >> 12 & 1) == 1 && (control >> 13 & 1) == 0 && (control >> 10 & 3) == 0);
            const BoundNeed& bound = s->bindings.needs[needIndex(s->plan, "uplink")];
            const ClockState& clock = s->rates.clocks[s->device->instances[bound.instance].kernel];
            // A sample lasts divider / 16 cycles, whichever number of them makes a bit.
            const Rational shortest = Rational(divider, 16) / shifted(clock.rate, clock.tolerance.high).value;
            const auto least = [&](const char* text) {
                std::uint32_t n = 0;
                while (shortest * std::int64_t(n) < parseDuration(text)->value)
                    ++n;
                return n;
            };
            QCOMPARE(guard & 255, least(lead));
            QCOMPARE(guard >> 8 & 255, least(trail));
        }
        QVERIFY(hasFinding(
            *lineOf("sluice-node-c-done", "uplink", {{"flow", "none"}, {"line", "RS-485"}, {"lead", "1 ms"}}),
            "GOAL-01", "uplink"));
        // One that only listens takes no pad for a driver, and needs none.
        const auto listens =
            lineOf("sluice-node-c-done", "uplink", {{"flow", "none"}, {"line", "RS-485"}, {"direction", "receive"}});
        QVERIFY2(listens->findings.empty(), findingsText(*listens).c_str());
        QCOMPARE(listens->bindings.needs[needIndex(listens->plan, "uplink")].seats.size(), size_t(1));
        QCOMPARE(valueAt(*listens, "uplink", 0) >> 12 & 1, 0u);
        // Moss has ports that cannot.
        QVERIFY(
            hasFinding(*run(with(demo("rain-post-b-done"), SetGoal{"radio", "line", "RS-485"})), "GOAL-01", "radio"));
    }

    void oneWire()
    {
        for (const auto& [plan, need, offset, bit] :
             {std::tuple{"pump-hall-a-done", "station-bus", 0u, 21}, {"rain-post-b-done", "radio", 0u, 11}}) {
            const auto s = lineOf(plan, need, {{"line", "one wire"}});
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
            QCOMPARE(valueAt(*s, need, offset) >> bit & 1, 1u);
            const BoundNeed& bound = s->bindings.needs[needIndex(s->plan, need)];
            QCOMPARE(bound.seats.size(), size_t(1));
            for (const PadSetup& setup : s->pads)
                if (setup.need == needIndex(s->plan, need))
                    QVERIFY(setup.openDrain && setup.pull == PadSetup::Pull::Up);
        }
        QVERIFY(hasFinding(*run(with(demo("ditch-meter-d-done"), SetGoal{"fence-bus", "line", "one wire"})), "GOAL-01",
                           "fence-bus"));
    }

    void aByteThatIsLookedFor()
    {
        const auto s = lineOf("sluice-node-c-done", "uplink", {{"interrupt", "match"}, {"match", "13"}});
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(valueAt(*s, "uplink", 0x18), 0x100u | 13u);
        QCOMPARE(valueAt(*s, "uplink", 0x08), 16u);
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        QVERIFY(hasFinding(*run(with(demo("rain-post-b-done"), SetGoal{"radio", "interrupt", "match"})), "GOAL-01",
                           "radio"));
        QVERIFY(hasFinding(*run(with(demo(), SetGoal{"uplink", "wake", "yes"})), "GOAL-01", "uplink"));
    }

    void breaksAndQuiet()
    {
        const auto s = lineOf("sluice-node-c-done", "uplink", {{"interrupt", "idle"}});
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        const std::uint32_t base = baseOf(*s, "uplink");
        code.find<void()>("sluice_uplink_bring_up")();
        code.find<void()>("sluice_uplink_start")();
        QCOMPARE(Chip::at(base + 8), 4u); // only the quiet line interrupts
        const std::uint32_t before = Chip::at(base);
        code.find<void()>("sluice_uplink_send_break")();
        QCOMPARE(Chip::at(base), before | 1u << 15);
        const auto seen = code.find<bool()>("sluice_uplink_break_seen");
        Chip::at(base + 0x0C) = 2;
        QVERIFY(!seen());
        Chip::at(base + 0x0C) = 2 | 8;
        QVERIFY(seen());
        QCOMPARE(Chip::at(base + 0x0C), 8u); // the one that clears it, and no other
        // The handler clears the quiet flag.
        Chip::at(base + 0x0C) = 4 | 8;
        const std::string handler =
            "sluice_on_" + s->device->instances[s->bindings.needs[needIndex(s->plan, "uplink")].instance].name +
            "_event";
        code.find<void()>(handler.c_str())();
        QCOMPARE(Chip::at(base + 0x0C), 4u);
    }
};

BINDREL_TEST(UartRunTest)
#include "uart_run_test.moc"
