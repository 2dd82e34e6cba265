// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

using namespace bindrel;
using namespace bindrel::test;

namespace {

/// A bus with one device, played at the registers of a Sedge controller: what is on the wire is written down as a
/// person would.
struct Bus {
    std::uint32_t base = 0;
    std::string wire;          ///< "S A4+ 07+ Sr A5+ 11+ 22- P": bytes with what they were answered
    std::uint32_t address = 0; ///< of the device
    bool tenBits = false;
    std::vector<std::uint8_t> gives;
    int takes = 1000; ///< bytes that it acknowledges
    bool dead = false;
    int recovered = 0;
    int losesAt = -1; ///< number of the command at which another controller wins the bus
    int commands = 0;

    enum class Heard { Nothing, Head, Other } heard = Heard::Nothing;
    bool reading = false, chosen = false, open = false;
    std::size_t given = 0;

    static Bus*& now()
    {
        static Bus* bus = nullptr;
        return bus;
    }

    /// A command is a word; between commands the register holds this.
    static constexpr std::uint32_t kNone = 0x80000000;
    void play()
    {
        volatile std::uint32_t &command = Chip::at(base + 0x0C), &state = Chip::at(base + 0x10),
                               &data = Chip::at(base + 0x14), &mend = Chip::at(base + 0x1C);
        if (dead) {
            state = 0; // plain memory keeps the ones that clear
            return;
        }
        if (mend & 1) {
            mend = 0;
            ++recovered;
            state = 1;
            return;
        }
        if (command == kNone)
            return;
        const std::uint32_t did = command;
        command = kNone;
        bool acknowledged = true;
        const std::uint32_t byte = data & 255;
        if (commands++ == losesAt) {
            wire += "lost ";
            open = chosen = reading = false;
            state = 1u | 4u;
            return;
        }
        if (did & 1) { // a start condition and the byte behind it
            wire += open ? "Sr " : "S ";
            open = true;
            if (!tenBits) {
                chosen = byte >> 1 == address;
                reading = (byte & 1) != 0;
            } else if (byte & 1) {
                chosen = chosen && byte == (0xF1u | (address >> 7 & 6u));
                reading = true;
            } else {
                chosen = byte == (0xF0u | (address >> 7 & 6u));
                reading = false;
                heard = Heard::Head;
            }
            acknowledged = chosen;
            wire += QString::asprintf("%02X%c ", byte, chosen ? '+' : '-').toStdString();
        } else if (did & 2) {
            wire += "P ";
            open = chosen = reading = false;
        } else if (did & 4) {
            data = given < gives.size() ? gives[given++] : 0xFF;
            wire += QString::asprintf("%02X%c ", unsigned(data), did & 8 ? '-' : '+').toStdString();
            acknowledged = (did & 8) == 0; // the controller's own answer is seen as one
        } else {
            if (tenBits && heard == Heard::Head) {
                chosen = chosen && byte == (address & 255);
                heard = Heard::Nothing;
                acknowledged = chosen;
            } else {
                acknowledged = chosen && takes-- > 0;
            }
            wire += QString::asprintf("%02X%c ", byte, acknowledged ? '+' : '-').toStdString();
        }
        state = 1u | (acknowledged ? 0u : 2u);
    }
};

} // namespace

class I2cRunTest : public QObject {
    Q_OBJECT

    using Write = int(std::uint32_t, const std::uint8_t*, std::uint32_t);
    using Read = int(std::uint32_t, std::uint8_t*, std::uint32_t);
    using WriteRead = int(std::uint32_t, const std::uint8_t*, std::uint32_t, std::uint8_t*, std::uint32_t);

    static std::uint32_t baseOf(const Snapshot& s, const char* need)
    {
        return s.device->instances[s.bindings.needs[needIndex(s.plan, need)].instance].base;
    }
    /// The number of a status, counted in the header.
    static int statusOf(const Snapshot& s, const QString& ending)
    {
        const QString header = QString::fromStdString(s.source().find(s.source().prefix + "_board.h")->text());
        const QStringList rows = header.section("_status {", 1, 1).section("};", 0, 0).split('\n');
        int number = 0;
        for (const QString& row : rows) {
            const QString name = row.trimmed().section(QRegularExpression("[ ,=]"), 0, 0);
            if (name.endsWith(ending))
                return number;
            number += name.isEmpty() || name.startsWith("/*") || name.startsWith("*") ? 0 : 1;
        }
        return -1;
    }
    static Bus busFor(const Snapshot& s, const Compiled& code, std::uint32_t address, bool tenBits)
    {
        Bus bus;
        bus.base = baseOf(s, "level-probes");
        bus.address = address;
        bus.tenBits = tenBits;
        bus.gives = {0x11, 0x22, 0x33};
        Chip::at(bus.base + 0x0C) = Bus::kNone;
        code.hardwareIs([] { Bus::now()->play(); });
        return bus;
    }

private Q_SLOTS:
    void initTestCase()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
    }

    void sevenBits()
    {
        const auto s = run(demo());
        const Compiled code(*s);
        const Chip chip(*s->device);
        Bus bus = busFor(*s, code, 0x52, false);
        Bus::now() = &bus;
        const std::uint8_t out[3] = {0x07, 0x80, 0x01};
        std::uint8_t in[3] = {};
        const auto write = code.find<Write>("sluice_level_probes_write");
        const auto read = code.find<Read>("sluice_level_probes_read");
        const auto both = code.find<WriteRead>("sluice_level_probes_write_read");
        const int timeout = statusOf(*s, "TIMEOUT_TRANSFER"), refused = statusOf(*s, "NOT_ACKNOWLEDGED"),
                  lost = statusOf(*s, "ARBITRATION_LOST");
        const auto wire = [&heard = bus.wire] { return QString::fromStdString(std::exchange(heard, {})); };
        QCOMPARE(write(0x52, out, 3), 0);
        QCOMPARE(wire(), QString("S A4+ 07+ 80+ 01+ P "));
        QCOMPARE(read(0x52, in, 2), 0);
        QCOMPARE(wire(), QString("S A5+ 11+ 22- P "));
        QVERIFY(in[0] == 0x11 && in[1] == 0x22);
        bus.given = 0;
        QCOMPARE(both(0x52, out, 1, in, 3), 0);
        QCOMPARE(wire(), QString("S A4+ 07+ Sr A5+ 11+ 22+ 33- P "));
        // Nobody is there; the bus is let go of.
        QCOMPARE(write(0x53, out, 3), refused);
        QCOMPARE(wire(), QString("S A6- P "));
        QCOMPARE(both(0x53, out, 1, in, 1), refused);
        QCOMPARE(wire(), QString("S A6- P "));
        // Only the address: is anybody there?
        QCOMPARE(write(0x52, out, 0), 0);
        QCOMPARE(wire(), QString("S A4+ P "));
        bus.takes = 1;
        QCOMPARE(write(0x52, out, 3), refused);
        QCOMPARE(wire(), QString("S A4+ 07+ 80- P "));
        QCOMPARE(code.find<int()>("sluice_level_probes_recover")(), 0);
        QCOMPARE(bus.recovered, 1);
        bus.dead = true;
        QCOMPARE(write(0x52, out, 1), timeout);
        QCOMPARE(code.find<int()>("sluice_level_probes_recover")(), timeout);
        // Where another controller wins the bus, at whichever step: no stop condition, and nothing further is sent.
        bus.dead = false;
        wire();
        for (int at = 0; at < 6; ++at) {
            bus.commands = 0;
            bus.losesAt = at;
            bus.takes = 1000;
            bus.given = 0;
            QCOMPARE(both(0x52, out, 2, in, 2), lost);
            const QString heard = wire();
            QVERIFY2(heard.endsWith("lost ") && !heard.contains('P') && bus.commands == at + 1, qPrintable(heard));
        }
        bus.losesAt = -1;
        QCOMPARE(write(0x52, out, 1), 0);
    }

    void tenBits()
    {
        const auto s = run(with(demo(), SetGoal{"level-probes", "addresses", "10 bits"}));
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        const Compiled code(*s);
        const Chip chip(*s->device);
        Bus bus = busFor(*s, code, 0x2A5, true);
        Bus::now() = &bus;
        const std::uint8_t out[2] = {0x07, 0x80};
        std::uint8_t in[2] = {};
        QCOMPARE(code.find<WriteRead>("sluice_level_probes_write_read")(0x2A5, out, 2, in, 2), 0);
        QCOMPARE(QString::fromStdString(bus.wire), QString("S F4+ A5+ 07+ 80+ Sr F4+ A5+ Sr F5+ 11+ 22- P "));
        bus.wire.clear();
        QCOMPARE(code.find<Read>("sluice_level_probes_read")(0x2A5, in, 1), 0);
        QCOMPARE(QString::fromStdString(bus.wire), QString("S F4+ A5+ Sr F5+ 33- P "));
        QVERIFY(code.find<Write>("sluice_level_probes_write")(0x1A5, out, 2) != 0);
    }

    /// As a target: registers, what is told in which order, and that flags are taken one by one.
    void target()
    {
        for (const auto& [plan, need, prefix] :
             {std::tuple{"sluice-node-c-done", "level-probes", "sluice_level_probes"},
              {"pump-hall-a-done", "moss-bus", ""}}) {
            LoadedPlan work = demo(plan);
            if (!work.plan.need(need) || work.plan.need(need)->kind != "i2c")
                continue;
            for (const auto& [goal, value] :
                 {std::pair{"role", "target"}, {"address", "42"}, {"general_call", "yes"}, {"interrupt", "yes"}})
                work = with(work, SetGoal{need, goal, value});
            const auto s = run(work);
            QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
            QCOMPARE(QString::fromStdString(rehearsed(*s)), QString());
        }
        LoadedPlan work = demo();
        for (const auto& [goal, value] : {std::pair{"role", "target"}, {"address", "42"}, {"interrupt", "yes"}})
            work = with(work, SetGoal{"level-probes", goal, value});
        const auto s = run(work);
        const Compiled code(*s);
        const Chip chip(*s->device);
        const std::uint32_t base = baseOf(*s, "level-probes");
        code.find<void()>("sluice_level_probes_bring_up")();
        code.find<void()>("sluice_level_probes_start")();
        QCOMPARE(Chip::at(base) & 15, 1u | 2u | 8u); // on, a target, not for all, interrupts
        QCOMPARE(Chip::at(base + 0x18), 42u);
        const auto happened = code.find<int()>("sluice_level_probes_happened");
        volatile std::uint32_t& state = Chip::at(base + 0x10);
        state = 0;
        QCOMPARE(happened(), 0);
        state = 0x10 | 0x20 | 0x80; // called, a byte, ended
        QCOMPARE(happened(), 1);
        QCOMPARE(state, 0x10u); // the one that clears it
        state = 0x20 | 0x80;
        QCOMPARE(happened(), 2);
        QCOMPARE(state, 0xA0u); // the byte is still to be taken
        Chip::at(base + 0x14) = 0x5A;
        QCOMPARE(code.find<std::uint8_t()>("sluice_level_probes_take")(), std::uint8_t(0x5A));
        state = 0x40 | 0x80;
        QCOMPARE(happened(), 3);
        code.find<void(std::uint8_t)>("sluice_level_probes_give")(0xC3);
        QCOMPARE(Chip::at(base + 0x14), 0xC3u);
        state = 0x80;
        QCOMPARE(happened(), 4);
        QVERIFY(!code.has("sluice_level_probes_write"));
        // Moss has a controller that is nothing else.
        LoadedPlan moss = demo("rain-post-b-done");
        for (const Need& need : demo("rain-post-b-done").plan.needs)
            if (need.kind == "i2c") {
                const auto no = run(with(moss, SetGoal{need.id, "role", "target"}));
                QVERIFY2(!no->findings.empty() &&
                             QString::fromStdString(findingsText(*no)).contains("cannot be a target"),
                         findingsText(*no).c_str());
            }
    }
};

BINDREL_TEST(I2cRunTest)
#include "i2c_run_test.moc"
