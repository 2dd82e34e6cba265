// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can_filters.h"
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

class CanTest : public QObject {
    Q_OBJECT

    static std::uint32_t baseOf(const Snapshot& s, const char* need) { return s.device->instances[size_t(s.bindings.needs[size_t(needIndex(s.plan, need))].instance)].base; }
    static std::uint32_t valueAt(const Snapshot& s, std::uint32_t address)
    {
        for (const RegisterValue& value : s.image.registers)
            if (s.device->addressOf(value.instance, value.reg) == address)
                return value.value;
        return 0;
    }
    /// The need that is a CAN one, and its plan with its goal set.
    static std::string canOf(const Workpiece& work)
    {
        for (const Need& need : work.plan.needs)
            if (need.kind == "can")
                return need.id;
        return {};
    }

private Q_SLOTS:
    void identifiersAreRead()
    {
        const auto read = parseCanFilters("0x120, 0x200-0x20F 0x210,x0x100 0x18FF50E5 17");
        QVERIFY(read);
        QStringList out;
        for (const CanRange& range : *read)
            out << QString::asprintf("%X-%X%s", range.first, range.last, range.extended ? "x" : "");
        QCOMPARE(out.join(' '), QString("11-11 120-120 200-210 100-100x 18FF50E5-18FF50E5x"));
        QVERIFY(parseCanFilters("") && parseCanFilters("")->empty());
        for (const char* wrong : {"0x", "abc", "0x20000000", "5-3", "0x1-", "-5", "x", "1 2 q"})
            QVERIFY2(!parseCanFilters(wrong), wrong);
        std::string many;
        for (int i = 0; i < 65; ++i)
            many += std::to_string(2 * i) + " ";
        QVERIFY(!parseCanFilters(many));
    }

    /// Every identifier of 11 bits is put through the filters: all that are asked for pass, and exactly so many others as are told.
    void filtersAgainstAllIdentifiers()
    {
        std::mt19937 random(seeded(5));
        int exact = 0;
        for (int round = 0; round < 1500; ++round) {
            std::string text;
            std::vector<bool> asked(2048);
            for (int n = 1 + int(random() % 6); n > 0; --n) {
                const std::uint32_t first = random() % 2048, last = std::min<std::uint32_t>(2047, random() % 3 ? first : first + random() % (random() % 2 ? 16 : 400));
                text += first == last ? fmt::format("0x{:X} ", first) : fmt::format("{}-{} ", first, last);
                for (std::uint32_t id = first; id <= last; ++id)
                    asked[id] = true;
            }
            const std::size_t most = 1 + random() % 10;
            const CanFilters cover = coverByMasks(*parseCanFilters(text), most);
            QVERIFY(!cover.filters.empty() && cover.filters.size() <= most);
            std::uint64_t more = 0;
            for (std::uint32_t id = 0; id < 2048; ++id) {
                const bool passes = std::any_of(cover.filters.begin(), cover.filters.end(), [id](const CanFilter& filter) { return filter.passes(id, false); });
                QVERIFY2(passes || !asked[id], text.c_str());
                more += passes && !asked[id];
            }
            QVERIFY(cover.counted);
            QCOMPARE(cover.more, more);
            exact += more == 0;
            // With as many filters as one could wish nothing else passes.
            QCOMPARE(coverByMasks(*parseCanFilters(text), 1000).more, std::uint64_t(0));
        }
        QVERIFY(exact > 300);
    }

    /// The same of 29 bits, with identifiers drawn at random; long lists end.
    void longIdentifiers()
    {
        std::mt19937 random(seeded(6));
        for (int round = 0; round < 60; ++round) {
            std::vector<CanRange> asked;
            std::string text;
            for (int n = 1 + int(random() % 64); n > 0; --n) {
                const std::uint32_t first = random() % 0x1FFF0000, last = first + (random() % 3 ? 0 : random() % 60'000);
                asked.push_back({first, last, true});
                text += fmt::format("x{}-{} ", first, last);
            }
            const CanFilters cover = coverByMasks(*parseCanFilters(text), 1 + random() % 12);
            for (const CanRange& range : asked)
                for (const std::uint32_t id : {range.first, range.last, range.first + std::uint32_t(random() % (range.last - range.first + 1))})
                    QVERIFY(std::any_of(cover.filters.begin(), cover.filters.end(), [id](const CanFilter& filter) { return filter.passes(id, true); }));
            QVERIFY(std::none_of(cover.filters.begin(), cover.filters.end(), [](const CanFilter& filter) { return filter.passes(5, false); }));
        }
    }

    /// What is in the registers lets through what is asked for: read by hand from the chapters of three families.
    void filtersInTheRegisters()
    {
        struct Layout {
            const char* plan;
            std::uint32_t filters, masks; ///< offsets; masks 0: single identifiers
            int count, useBit, longBit;
        };
        for (const Layout& layout : {Layout{"sluice-node-c-done", 0x20, 0x40, 8, 29, 31}, {"pump-hall-a-done", 0x20, 0, 24, 31, 30}, {"ditch-meter-d-done", 0x20, 0x30, 4, 31, 29}}) {
            const Workpiece work = demo(layout.plan);
            const std::string need = canOf(work);
            for (const char* text : {"0x120-0x123, 0x700", "0x18FF50E5 5", ""}) {
                const auto s = run(with(with(work, SetGoal{need, "filters", text}), SetGoal{need, "interrupt", "received"}));
                QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
                QCOMPARE(QString::fromStdString(hazardsText(rehearsePlanned(s->facts(), {}))), QString());
                std::vector<CanFilter> filters;
                for (int i = 0; i < layout.count; ++i) {
                    const std::uint32_t value = valueAt(*s, baseOf(*s, need.c_str()) + layout.filters + 4 * std::uint32_t(i));
                    const bool isLong = (value >> layout.longBit & 1) != 0;
                    if (value >> layout.useBit & 1)
                        filters.push_back({value & 0x1FFFFFFF, layout.masks ? valueAt(*s, baseOf(*s, need.c_str()) + layout.masks + 4 * std::uint32_t(i)) : 0x1FFFFFFF, isLong});
                }
                const auto passes = [&filters](std::uint32_t id, bool isLong) { return filters.empty() || std::any_of(filters.begin(), filters.end(), [&](const CanFilter& filter) { return filter.passes(id, isLong); }); };
                const std::string_view asked = text;
                for (const std::uint32_t id : {0x11Fu, 0x120u, 0x121u, 0x123u, 0x124u, 0x700u, 0x701u, 5u, 0u})
                    QCOMPARE(passes(id, false), asked.empty() || (asked.starts_with("0x120") ? (id >= 0x120 && id <= 0x123) || id == 0x700 : id == 5));
                QCOMPARE(passes(0x18FF50E5, true), !asked.starts_with("0x120"));
            }
        }
        // Single identifiers cannot be a wide range; masks can, and more.
        const Workpiece pump = demo("pump-hall-a-done"), ditch = demo("ditch-meter-d-done");
        QVERIFY(hasFinding(*run(with(pump, SetGoal{canOf(pump), "filters", "0x100-0x1FF"})), "GOAL-01", canOf(pump)));
        QVERIFY(run(with(ditch, SetGoal{canOf(ditch), "filters", "1 18 291 1110 1300"}))->findings.empty());
        QVERIFY(hasFinding(*run(with(ditch, SetGoal{canOf(ditch), "filters", "0x100-"})), "GOAL-01", canOf(ditch)));
    }

    void framesGoAndCome()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
        const Workpiece work = demo();
        const std::string need = canOf(work);
        const auto s = run(work);
        const Compiled code(*s);
        const Chip chip(*s->device);
        const std::uint32_t base = baseOf(*s, need.c_str());
        struct Frame {
            std::uint32_t id;
            bool extended;
            std::uint8_t length;
            std::uint8_t bytes[8];
        };
        std::string name = "sluice_" + need;
        std::replace(name.begin(), name.end(), '-', '_');
        const auto send = code.find<bool(const Frame*)>((name + "_send").c_str());
        const auto receive = code.find<bool(Frame*)>((name + "_receive").c_str());
        const Frame frame{0x18FF50E5, true, 7, {1, 2, 3, 4, 0x85, 6, 7, 8}};
        Chip::at(base + 8) = 0;
        QVERIFY(!send(&frame)); // no room
        Chip::at(base + 8) = 1u << 9;
        QVERIFY(send(&frame));
        QCOMPARE(Chip::at(base + 0x60), 0x18FF50E5u | 1u << 31);
        QCOMPARE(Chip::at(base + 0x64), 7u);
        QCOMPARE(Chip::at(base + 0x68), 0x04030201u);
        QCOMPARE(Chip::at(base + 0x6C), 0x08070685u);
        QCOMPARE(Chip::at(base + 0x70), 1u);
        for (const Frame& wrong : {Frame{0x800, false, 1, {}}, Frame{0x20000000, true, 1, {}}, Frame{1, false, 9, {}}})
            QVERIFY(!send(&wrong));
        Frame in{};
        QVERIFY(!receive(&in));
        Chip::at(base + 8) = 1u << 10;
        Chip::at(base + 0x80) = 0x123;
        Chip::at(base + 0x84) = 3;
        Chip::at(base + 0x88) = 0xA1B2C3D4;
        Chip::at(base + 0x90) = 0;
        QVERIFY(receive(&in));
        QVERIFY(in.id == 0x123 && !in.extended && in.length == 3 && in.bytes[0] == 0xD4 && in.bytes[2] == 0xB2);
        QCOMPARE(Chip::at(base + 0x90), 1u); // let go of
        QVERIFY(!Compiled(*run(with(work, SetGoal{need, "listen", "yes"}))).has((name + "_send").c_str()));
    }
};

BINDREL_TEST(CanTest)
#include "can_test.moc"
