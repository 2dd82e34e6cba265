// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/bind_all.h"
#include "core/quantity/parse.h"
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Several pads as a word, on ports of every make; and edges that a line ignores.
class GpioRunTest : public QObject {
    Q_OBJECT

    static LoadedPlan group(const char* plan, const char* direction,
                            const std::vector<std::pair<const char*, const char*>>& goals)
    {
        LoadedPlan work = demo(plan);
        Need need;
        need.id = need.title = "group";
        need.kind = "gpio";
        need.goals = {{"direction", direction}};
        for (const auto& [goal, value] : goals)
            need.goals.state(goal, value);
        // The board of the Rill has no three pads left.
        if (work.plan.need("lamp"))
            work = with(with(work, RemoveNeed{"lamp"}), RemoveNeed{"radio-wake"});
        work = with(work, InsertNeed{99, need});
        const Expected<BoundAll> all = bindAll(*work.device, *work.board, work.plan, {});
        if (!all)
            qFatal("%s", all.problem().message.c_str());
        work.plan = *applied(work.plan, all->edit);
        return work;
    }

    /// The levels that a port drives, read by hand: registers that set and clear leave what they did in memory.
    static std::uint32_t driven(const Snapshot& s)
    {
        std::uint32_t word = 0;
        const BoundNeed& bound = s.bindings.needs.back();
        for (size_t i = 0; i < bound.seats.size(); ++i) {
            const Pad& pad = s.device->pads[bound.seats[i].pad];
            const FieldRef level = s.device->roleField(pad.port, "level" + std::to_string(pad.bit));
            word |= (Chip::at(s.device->addressOf(level.instance, level.reg)) & s.device->fieldOf(level).mask()) != 0
                        ? 1u << i
                        : 0u;
        }
        return word;
    }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    void words_data()
    {
        QTest::addColumn<QString>("plan");
        QTest::addColumn<QString>("prefix");
        QTest::newRow("sedge") << "sluice-node-c-done"
                               << "sluice";
        QTest::newRow("alder") << "pump-hall-a-done"
                               << "pump";
        QTest::newRow("moss") << "rain-post-b-done"
                              << "rain";
        QTest::newRow("rill") << "ditch-meter-d-done"
                              << "ditch";
    }
    void words()
    {
        QFETCH(QString, plan);
        QFETCH(QString, prefix);
        const int width = plan.startsWith("pump") ? 11 : 3;
        const auto s = run(group(qPrintable(plan), "output", {{"width", width == 11 ? "11" : "3"}, {"levels", "5"}}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(s->bindings.needs.back().seats.size(), size_t(width));
        QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        for (const PadSetup& setup : s->pads)
            if (setup.need == int(s->plan.needs.size()) - 1)
                QCOMPARE(setup.levelHigh, (5 >> setup.seat & 1) != 0);
        const Compiled code(*s);
        const Chip chip(*s->device);
        const auto write = code.find<void(std::uint32_t)>(qPrintable(prefix + "_group_write"));
        const auto read = code.find<std::uint32_t()>(qPrintable(prefix + "_group_read"));
        const BoundNeed& bound = s->bindings.needs.back();
        std::mt19937 random(seeded(1));
        for (int round = 0; round < 50; ++round) {
            const std::uint32_t word = random() % (1u << width);
            // What else is in the registers stays as it is.
            std::map<std::uint32_t, std::uint32_t> before;
            for (const auto& [address, value] : chip.words())
                before[address] = value;
            write(word);
            const Pad& first = s->device->pads[bound.seats[0].pad];
            if (const FieldRef set = s->device->roleField(first.port, "set" + std::to_string(first.bit)); set.valid()) {
                for (size_t i = 0; i < bound.seats.size(); ++i) {
                    const Pad& pad = s->device->pads[bound.seats[i].pad];
                    for (const auto& [role, high] : {std::pair{"set", true}, {"clear", false}}) {
                        const FieldRef ref = s->device->roleField(pad.port, role + std::to_string(pad.bit));
                        QCOMPARE((Chip::at(s->device->addressOf(ref.instance, ref.reg)) &
                                  s->device->fieldOf(ref).mask()) != 0,
                                 ((word >> i & 1) != 0) == high);
                    }
                }
            } else {
                QCOMPARE(driven(*s), word);
                std::uint32_t own = 0;
                for (const auto& [address, value] : chip.words()) {
                    std::uint32_t mask = 0;
                    for (const Seat& seat : bound.seats) {
                        const Pad& pad = s->device->pads[seat.pad];
                        const FieldRef level = s->device->roleField(pad.port, "level" + std::to_string(pad.bit));
                        mask |= s->device->addressOf(level.instance, level.reg) == address
                                    ? s->device->fieldOf(level).mask()
                                    : 0;
                    }
                    own += mask != 0;
                    QCOMPARE(value & ~mask, before[address] & ~mask);
                }
                QVERIFY(own > 0);
            }
        }
        for (const std::uint32_t word : {0u, 5u, 2u, (1u << width) - 1}) {
            for (size_t i = 0; i < bound.seats.size(); ++i) {
                const Pad& pad = s->device->pads[bound.seats[i].pad];
                const FieldRef input = s->device->roleField(pad.port, "input" + std::to_string(pad.bit));
                volatile std::uint32_t& reg = Chip::at(s->device->addressOf(input.instance, input.reg));
                const std::uint32_t mask = s->device->fieldOf(input).mask();
                reg = (word >> i & 1) != 0 ? reg | mask : reg & ~mask;
            }
            QCOMPARE(read(), word);
        }
    }

    /// A filter of 2^n bus cycles: the shortest that is long enough at the fastest clock.
    void debounce()
    {
        for (const char* time : {"0 s", "10 us", "100 us", "5 ms"}) {
            const auto s = run(with(demo(), SetGoal{"lid-switch", "debounce", time}));
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            QCOMPARE(QString::fromStdString(hazardsText(rehearsePlanned(s->facts(), {}))), QString());
            int line = -1;
            for (const PadSetup& setup : s->pads)
                if (setup.need == needIndex(s->plan, "lid-switch"))
                    line = setup.line;
            const ClockState& clock = s->rates.clocks[s->device->findClock("CPU")];
            const Rational wanted = parseDuration(time)->value * shifted(clock.rate, clock.tolerance.high).value;
            std::uint32_t code = 0;
            while (Rational(code == 0 ? 0 : INT64_C(1) << code) < wanted)
                ++code;
            std::uint32_t found = 99;
            for (const RegisterValue& value : s->image.registers)
                if (s->device->addressOf(value.instance, value.reg) == 0x4D005B60 + 4 * std::uint32_t(line))
                    found = value.value;
            QCOMPARE(found == 99 ? 0 : found, code);
        }
        QVERIFY(hasFinding(*run(with(demo(), SetGoal{"lid-switch", "debounce", "1 s"})), "GOAL-03"));
        const LoadedPlan rain = demo("rain-post-b-done");
        for (const Need& need : rain.plan.needs)
            if (need.kind == "gpio" && need.goals.contains("edges")) {
                QVERIFY(hasFinding(*run(with(rain, SetGoal{need.id, "debounce", "1 ms"})), "GOAL-03"));
                return;
            }
    }
};

BINDREL_TEST(GpioRunTest)
#include "gpio_run_test.moc"
