// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

using namespace bindrel;
using namespace bindrel::test;

/// The helpers of the kinds run on memory at the chip's addresses; the test plays the hardware, and in a second run the
/// hardware is dead.
class HelpersRunTest : public QObject {
    Q_OBJECT

    static int32_t s32(uint32_t word) { return static_cast<int32_t>(word); }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    void sluiceNode()
    {
        const auto s = run(demo());
        const Compiled code(*s);
        const Chip chip(*s->device);
        // Gate encoder on TIMER2: 2000 counts a turn, begun anew by the index.
        volatile uint32_t& count = Chip::at(0x4D011100 + 0x30);
        const auto position = code.find<int32_t()>("sluice_gate_encoder_position");
        count = 1990;
        QCOMPARE(position(), 0);
        count = 10; // 20 forward, over the end
        QCOMPARE(position(), 20);
        count = 1995; // 15 backward
        QCOMPARE(position(), 5);
        count = 1000;
        QCOMPARE(position(), 5 - 995);
        QCOMPARE(code.find<uint32_t()>("sluice_gate_encoder_angle")(), 1000u);
        // 500 counts are a quarter of a turn; in 100 ms that is 2.5 turns a second.
        const auto speed = code.find<int32_t(int32_t, uint32_t)>("sluice_gate_encoder_milliturns_per_second");
        QCOMPARE(speed(500, 100'000), 2500);
        QCOMPARE(speed(-500, 100'000), -2500);
        QCOMPARE(speed(INT32_MAX, 1'000'000'000), 1'073'741);
        QCOMPARE(speed(1, 0), 0);

        // Gate bridge: centre aligned at 150 MHz, 3125 ticks of a slope; as per mille and as a time.
        const int channel = s->bindings.needs[needIndex(s->plan, "gate-bridge")].seats.front().channel;
        volatile uint32_t& compare = Chip::at(0x4D00F700 + 0x0C + 4 * uint32_t(channel - 1));
        const auto pulse = code.find<void(uint32_t)>("sluice_gate_bridge_set_pulse1");
        pulse(20'000); // 20 us of 41.67 us
        QCOMPARE(compare, 1500u);
        pulse(7); // half a tick and more
        QCOMPARE(compare, 1u);
        pulse(6);
        QCOMPARE(compare, 0u);
        pulse(UINT32_MAX);
        QCOMPARE(compare, 3125u);

        // Rain tipper: sixteen bits that wrap.
        volatile uint32_t& tips = Chip::at(0x4D012B00 + 0x08);
        const auto edges = code.find<uint32_t()>("sluice_rain_tipper_count");
        tips = 65530;
        QCOMPARE(edges(), 0u);
        tips = 4;
        QCOMPARE(edges(), 10u);
        tips = 4;
        QCOMPARE(edges(), 10u);

        // Supply sense on ADC1: two inputs; then a converter that never answers.
        const auto convert = code.find<int(uint16_t*)>("sluice_supply_sense_convert");
        uint16_t values[2] = {};
        Chip::at(0x4D013804) = 4; // DONE
        Chip::at(0x4D013818) = 2048;
        QCOMPARE(convert(values), 0);
        QCOMPARE(values[1], uint16_t(2048));
        QCOMPARE(Chip::at(0x4D013800) >> 3 & 1, 1u); // it was started
        Chip::at(0x4D013804) = 0;
        QVERIFY(convert(values) != 0);
        const auto millivolts = code.find<uint32_t(uint32_t)>("sluice_supply_sense_millivolts");
        QCOMPARE(millivolts(0), 0u);
        QCOMPARE(millivolts(2048), 1500u);
        QCOMPARE(millivolts(4095), 2999u);

        // The day's clock is held while it is set; when it is never held, that is reported.
        struct Time {
            uint32_t second, minute, hour, day, month, year;
        } time{59, 34, 12, 26, 11, 2026};
        const auto setTime = code.find<int(const Time*)>("sluice_clock_set_time");
        QCOMPARE(setTime(&time), 0);
        QCOMPARE(Chip::at(0x4D015F08), 59u << 20 | 34u << 10 | 12u);
        QCOMPARE(Chip::at(0x4D015F0C), 26u << 20 | 11u << 10 | 26u);
        QCOMPARE(code.find<Time()>("sluice_clock_time")().minute, 34u);
        QCOMPARE(code.find<Time()>("sluice_clock_time")().year, 2026u);
        // What the calendar or the register does not have changes nothing.
        for (const Time& outside : {Time{60, 0, 0, 1, 1, 2026}, Time{0, 60, 0, 1, 1, 2026}, Time{0, 0, 24, 1, 1, 2026},
                                    Time{0, 0, 0, 0, 1, 2026}, Time{0, 0, 0, 32, 1, 2026}, Time{0, 0, 0, 1, 0, 2026},
                                    Time{0, 0, 0, 1, 13, 2026}, Time{0, 0, 0, 1, 1, 1999}, Time{0, 0, 0, 1, 1, 2128}}) {
            QVERIFY(setTime(&outside) != 0);
            QCOMPARE(Chip::at(0x4D015F0C), 26u << 20 | 11u << 10 | 26u);
            QCOMPARE(Chip::at(0x4D015F08), 59u << 20 | 34u << 10 | 12u);
        }
        const Time last{0, 0, 0, 31, 12, 2127};
        QCOMPARE(setTime(&last), 0);
        QCOMPARE(Chip::at(0x4D015F0C), 31u << 20 | 12u << 10 | 127u);
        code.hardwareDies();
        QVERIFY(setTime(&time) != 0);

        code.find<void()>("sluice_watchdog_feed")();
        QCOMPARE(Chip::at(0x4D016C08), 0x5E43u);
    }

    void pumpHall()
    {
        const auto s = run(demo("pump-hall-a-done"));
        const Compiled code(*s);
        const Chip chip(*s->device);
        // Stamps of channel 2 of TIK3, in microseconds; the counter begins anew after 65536.
        volatile uint32_t &state = Chip::at(0x4700E700 + 0x30), &stamp = Chip::at(0x4700E700 + 0x10);
        const auto take = code.find<bool(uint32_t*)>("pump_inflow_take");
        uint32_t ticks = 7;
        state = 0;
        QVERIFY(!take(&ticks));
        stamp = 65000;
        state = 1u << 2;
        QVERIFY(take(&ticks));
        QCOMPARE(ticks, 0u);
        stamp = 464;
        state = 1u << 2;
        QVERIFY(take(&ticks));
        QCOMPARE(ticks, 1000u);
        QCOMPARE(code.find<uint64_t(uint32_t)>("pump_inflow_nanoseconds")(1000), uint64_t(1'000'000));
        QCOMPARE(code.find<uint64_t(uint32_t)>("pump_inflow_nanoseconds")(UINT32_MAX), uint64_t(UINT32_MAX) * 1000);

        // Eleven bits over 3 V.
        const auto level = code.find<void(uint32_t)>("pump_help_set_point_set_millivolts");
        volatile uint32_t& output = Chip::at(0x47015700 + 4);
        level(1500);
        QCOMPARE(output, 1024u);
        level(UINT32_MAX);
        QCOMPARE(output, 2047u);
        code.find<void(uint32_t)>("pump_help_set_point_set")(5000);
        QCOMPARE(output, 2047u);
    }

    void rainPost()
    {
        const auto s = run(demo("rain-post-b-done"));
        const Compiled code(*s);
        const Chip chip(*s->device);
        // Every figure lights what a reader expects: the segment lines and backplanes of the plan's map, written down
        // from the board.
        const int lines[8] = {1, 0, 2, 7, 3, 6, 5, 4};
        const auto lit = [&](int digit, char segment) {
            const int at = segment < 'e' ? segment - 'a' : segment - 'e';
            const int line = lines[2 * digit - 2 + (segment < 'e' ? 0 : 1)];
            return (Chip::at(0x48000980 + 0x10 + 4 * uint32_t(at)) >> line & 1) != 0;
        };
        const auto shown = [&](int digit) {
            std::string out;
            for (const char segment : std::string("abcdefg"))
                if (lit(digit, segment))
                    out += segment;
            return out;
        };
        const auto show = code.find<void(uint32_t)>("rain_display_show_number");
        const char* figures[10] = {"abcdef", "bc",     "abdeg", "abcdg",   "bcfg",
                                   "acdfg",  "acdefg", "abc",   "abcdefg", "abcdfg"};
        for (const uint32_t number : {0u, 7u, 42u, 305u, 9876u}) {
            show(number);
            const std::string text = std::to_string(number);
            for (int digit = 1; digit <= 4; ++digit) {
                const int at = digit - (4 - int(text.size())) - 1;
                QCOMPARE(QString::fromStdString(shown(digit)), QString(at < 0 ? "" : figures[text[size_t(at)] - '0']));
            }
        }
        // The same map as the table of a data sheet gives the same figures.
        const auto pasted =
            run(with(demo("rain-post-b-done"), SetGoal{"display", "map",
                                                       "1A 1E\t2A 2E | 3a, 3e 4a 4e\n1b 1f 2b 2f 3b 3f 4b 4f / 1c 1g "
                                                       "2c 2g 3c 3g 4c 4g / 1d 1p 2d 2p 3d 3p 4d 4p"}));
        QVERIFY2(pasted->findings.empty(), findingsText(*pasted).c_str());
        for (size_t i = 0; i < s->source().files.size(); ++i)
            if (s->source().files[i].name.find("display") != std::string::npos)
                QCOMPARE(QString::fromStdString(pasted->source().files[i].text()),
                         QString::fromStdString(s->source().files[i].text()));
        for (const char* wrong : {"1a 1e / 1b 1b", "1a / 1b / 1c / 1d / 1e", "1a 1z"})
            QVERIFY2(hasFinding(*run(with(demo("rain-post-b-done"), SetGoal{"display", "map", wrong})), "GOAL-01",
                                "display"),
                     wrong);
        show(10'000); // does not fit
        for (int digit = 1; digit <= 4; ++digit)
            QVERIFY(shown(digit).empty());

        // The values that still carry the input before are thrown away: it asks three times.
        const auto convert = code.find<int(uint32_t*)>("rain_cell_convert");
        uint32_t value = 0;
        Chip::at(0x48000884) = 2;
        Chip::at(0x48000888) = 0x800000;
        QCOMPARE(convert(&value), 0);
        QCOMPARE(value, 0x800000u);
        QCOMPARE(Chip::at(0x48000880) >> 12 & 7, 3u); // cell sense is input 3
        QCOMPARE(code.find<uint32_t(uint32_t)>("rain_cell_millivolts")(value), 1500u);
        Chip::at(0x48000884) = 0;
        QVERIFY(convert(&value) != 0);
    }

    /// Bytes that the interrupt takes in come out in their order; what finds no room is counted.
    void receptionByInterrupt()
    {
        const auto s = run(with(demo(), SetGoal{"uplink", "interrupt", "receive"}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        const InstanceIndex instance = s->bindings.needs[needIndex(s->plan, "uplink")].instance;
        const uint32_t base = s->device->instances[instance].base;
        code.startAll(*s);
        QCOMPARE(Chip::at(base + 8) & 1, 1u); // it may interrupt
        const auto receive = code.find<bool(uint8_t*)>("sluice_uplink_receive");
        const auto takeIn = code.find<void()>("sluice_uplink_take_in");
        const auto lost = code.find<uint32_t()>("sluice_uplink_lost");
        uint8_t byte = 0;
        QVERIFY(!receive(&byte));
        for (uint32_t i = 0; i < 70; ++i) {
            Chip::at(base + 0x10) = i;
            takeIn();
        }
        QCOMPARE(lost(), 7u);
        for (uint32_t i = 0; i < 63; ++i) {
            QVERIFY(receive(&byte));
            QCOMPARE(uint32_t(byte), i);
        }
        QVERIFY(!receive(&byte));
        code.find<void()>("sluice_uplink_stop")();
        QCOMPARE(Chip::at(base + 8) & 1, 0u);
    }

    /// A watched crystal that stops brings outputs to the levels that they start with, and the bridge to rest.
    void aSourceThatIsLost()
    {
        const auto s = run(with(demo(), SetClock{"HFX", clockSaid("monitored")}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        code.startAll(*s);
        QCOMPARE(Chip::at(0x4D00F700 + 0x20) & 1, 1u); // the bridge drives
        code.find<void()>("sluice_on_CLK_clock_failed")();
        QCOMPARE(Chip::at(0x4D00F700 + 0x20) & 1, 0u);
        QCOMPARE(Chip::at(0x4D00F700) & 1, 0u);
    }

    /// Priorities go where the core has them; a level that it does not have is a finding.
    void priorities()
    {
        const auto s = run(with(demo(), SetGoal{"tick", "priority", "5"}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        code.startAll(*s);
        QCOMPARE(Chip::at(0xE000E400 + 24) & 0xFF, 5u << 4); // interrupt 24, four bits
        QVERIFY(hasFinding(*run(with(demo(), SetGoal{"tick", "priority", "16"})), "GOAL-03"));
        // Above another: the nearest level; above 0, each above the other, nobody of that name are told.
        LoadedPlan above =
            with(with(demo(), SetGoal{"tick", "priority", "5"}), SetGoal{"uplink", "interrupt", "receive"});
        above = with(above, SetGoal{"uplink", "above", "tick"});
        const auto urgent = run(above);
        QVERIFY2(urgent->findings.empty(), findingsText(*urgent).c_str());
        QCOMPARE(*urgencyOf(*urgent->device, urgent->plan, *urgent->plan.need("uplink")).level, 4u);
        QVERIFY(hasFinding(*run(with(above, SetGoal{"tick", "priority", "0"})), "GOAL-03"));
        QVERIFY(hasFinding(*run(with(above, SetGoal{"tick", "above", "uplink"})), "GOAL-03"));
        QVERIFY(hasFinding(*run(with(above, SetGoal{"uplink", "above", "tock"})), "GOAL-03"));
        QVERIFY(hasFinding(*run(with(above, SetGoal{"uplink", "priority", "5"})), "GOAL-03"));
        QVERIFY(run(with(above, SetGoal{"uplink", "priority", "2"}))->findings.empty());
        // The helper's controller has a field for each: number 25, three bits.
        const auto pump = run(with(demo("pump-hall-a-done"), SetGoal{"report-tick", "priority", "6"}));
        QVERIFY2(pump->findings.empty(), findingsText(*pump).c_str());
        bool set = false;
        for (const RegisterValue& value : pump->image.registers)
            set =
                set || (pump->device->addressOf(value.instance, value.reg) == 0x47001C10 + 25 * 4 && value.value == 6);
        QVERIFY(set);
        QVERIFY(hasFinding(*run(with(demo("pump-hall-a-done"), SetGoal{"report-tick", "priority", "8"})), "GOAL-03"));
    }

    /// An alarm of the day's clock, and one of a plain count.
    void alarms()
    {
        const auto s = run(with(with(demo(), SetGoal{"clock", "alarm", "yes"}), SetGoal{"clock", "trim", "-40000"}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        {
            const Compiled code(*s);
            const Chip chip(*s->device);
            (void)code.find<int()>("sluice_clock_bring_up")();
            // 40 ppm too slow: 17 of the steps of 2.347 ppm are added.
            QCOMPARE(Chip::at(0x4D015F20), 64u + 17u);
            code.find<void()>("sluice_clock_start")();
            QCOMPARE(Chip::at(0x4D015F14), 4u);
            const auto setAlarm = code.find<int(uint32_t, uint32_t, uint32_t)>("sluice_clock_set_alarm");
            QCOMPARE(setAlarm(6, 30, 15), 0);
            QVERIFY(setAlarm(24, 0, 0) != 0);
            QCOMPARE(Chip::at(0x4D015F1C), 1u << 31 | 15u << 20 | 30u << 10 | 6u);
            code.find<void()>("sluice_clock_clear_alarm")();
            QCOMPARE(Chip::at(0x4D015F1C) >> 31, 0u);
            Chip::at(0x4D015F10) = 4 | 2;
            code.find<void()>("sluice_on_RTC_alarm")();
            QCOMPARE(Chip::at(0x4D015F10) & 4, 4u); // cleared by a one
        }
        QVERIFY(hasFinding(*run(with(demo(), SetGoal{"clock", "trim", "200000"})), "GOAL-01", "clock"));
        const LoadedPlan rain = demo("rain-post-b-done");
        for (const Need& need : rain.plan.needs)
            if (need.kind == "rtc") {
                const auto post = run(with(rain, SetGoal{need.id, "alarm", "yes"}));
                QVERIFY2(post->findings.empty(), findingsText(*post).c_str());
                const Compiled code(*post);
                const Chip chip(*post->device);
                QCOMPARE(code.find<int(uint32_t)>(("rain_" + need.id + "_set_alarm").c_str())(123456), 0);
                QCOMPARE(Chip::at(0x48000A08), 123456u);
                QVERIFY(hasFinding(*run(with(rain, SetGoal{need.id, "trim", "5"})), "GOAL-01", need.id));
            }
    }

    /// A converter that goes on by itself, averages, and tells when a value leaves two levels.
    void watchedValues()
    {
        LoadedPlan work = demo();
        for (const auto& [goal, value] : {std::pair{"trigger", "continuous"},
                                          {"average", "5"},
                                          {"watch", "yes"},
                                          {"watch_low", "500"},
                                          {"watch_high", "2500"}})
            work = with(work, SetGoal{"supply-sense", goal, value});
        const auto s = run(work);
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        const Compiled code(*s);
        const Chip chip(*s->device);
        (void)code.find<int()>("sluice_supply_sense_bring_up")();
        const uint32_t control = Chip::at(0x4D013800);
        QCOMPARE(control >> 13 & 3, 3u);                    // again, held against levels
        QCOMPARE(control >> 16 & 15, 3u);                   // eight, the fewest that are five at least
        QCOMPARE(Chip::at(0x4D013820), 683u | 3413u << 16); // of 4096 for 3 V
        code.find<void()>("sluice_supply_sense_start")();
        QCOMPARE(Chip::at(0x4D013800) >> 3 & 1, 1u);
        QCOMPARE(Chip::at(0x4D01381C), 16u);
        Chip::at(0x4D013804) = 16;
        code.find<void()>("sluice_on_ADC1_done")();
        QCOMPARE(Chip::at(0x4D013804), 16u);
        QVERIFY(code.has("sluice_supply_sense_value") && !code.has("sluice_supply_sense_convert"));
        for (const auto& [goal, value] :
             {std::pair{"watch_low", "2600"}, {"watch_high", "3001"}, {"average", "4096"}, {"rate", "100 kHz"}})
            QVERIFY2(hasFinding(*run(with(with(work, SetGoal{"supply-sense", "rate", "1 kHz"}),
                                          SetGoal{"supply-sense", goal, value})),
                                "GOAL-01", "supply-sense"),
                     goal);
        const LoadedPlan ditch = demo("ditch-meter-d-done");
        for (const auto& [goal, value] : {std::pair{"watch", "yes"}, {"average", "2"}, {"trigger", "continuous"}})
            QVERIFY2(hasFinding(*run(with(ditch, SetGoal{"supply-sense", goal, value})), "GOAL-01", "supply-sense"),
                     goal);
    }

    /// Two needs use one converter in turn: each sets it for itself, and what both take of its time is told.
    void aConverterInTurn()
    {
        LoadedPlan work = demo();
        Need need;
        need.id = need.title = "extra";
        need.kind = "adc";
        need.goals = {{"source", "400000"}, {"resolution", "10"}, {"rate", "10 kHz"}};
        work.plan.needs.push_back(need);
        bool found = false;
        for (const Binding& binding : waysToBind(*work.device, *work.board, work.plan, int(work.plan.needs.size()) - 1))
            if (binding.instance == "ADC1" && !found) {
                work.plan.needs.back().binding = binding;
                found = true;
            }
        QVERIFY(found);
        const auto s = run(work);
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QVERIFY(s->bindings.needs.back().shared);
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        const Compiled code(*s);
        const Chip chip(*s->device);
        // What each asks for in HOLD, ORDER and LEN, whatever the other has left there.
        const auto first = code.find<int(uint16_t*)>("sluice_supply_sense_convert"),
                   second = code.find<int(uint16_t*)>("sluice_extra_convert");
        uint16_t values[2] = {};
        volatile uint32_t &stat = Chip::at(0x4D013804), &sequence = Chip::at(0x4D013808),
                          &length = Chip::at(0x4D013810), &control = Chip::at(0x4D013800);
        const uint32_t input = uint32_t(s->bindings.needs.back().seats.front().channel);
        for (int turn = 0; turn < 2; ++turn) {
            stat = 4;
            QCOMPARE(first(values), 0);
            QCOMPARE(length, 1u);
            QCOMPARE(sequence & 0xFFFF, 1u | 3u << 8);
            QCOMPARE(control >> 4 & 3, 0u);
            stat = 4;
            QCOMPARE(second(values), 0);
            QCOMPARE(length, 0u);
            QCOMPARE(sequence & 255, input);
            QCOMPARE(control >> 4 & 3, 1u); // ten bits
        }
        // Together they must fit.
        const auto busy = run(with(work, SetGoal{"extra", "rate", "60 kHz"}));
        QVERIFY(hasFinding(*busy, "GOAL-01", "extra"));
        QVERIFY(hasFinding(*busy, "GOAL-01", "supply-sense") || hasFinding(*busy, "GOAL-01", "extra"));
    }

    /// A handler clears its own flag and no other, and only when it is set.
    void handlersClearTheirFlag()
    {
        const auto s = run(demo());
        const Compiled code(*s);
        const Chip chip(*s->device);
        const auto handler = code.find<void()>("sluice_on_TIMER1_update");
        volatile uint32_t& flags = Chip::at(0x4D010400 + 0x28);
        flags = 0xF0; // of the channels
        handler();
        QCOMPARE(flags, 0xF0u); // nothing of its own: nothing is written
        flags = 0xF1;
        handler();
        QCOMPARE(flags, 1u); // the one that clears it
    }
};

BINDREL_TEST(HelpersRunTest)
#include "helpers_run_test.moc"
