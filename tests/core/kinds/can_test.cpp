// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can_filters.h"
#include "core/kinds/can/can_timing.h"
#include "tests/support/chip_memory.h"
#include "tests/support/rehearse.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

class CanTest : public QObject {
    Q_OBJECT

    static std::uint32_t baseOf(const Snapshot& s, const char* need)
    {
        return s.device->instances[s.bindings.needs[needIndex(s.plan, need)].instance].base;
    }
    static std::uint32_t valueAt(const Snapshot& s, std::uint32_t address)
    {
        for (const RegisterValue& value : s.image.registers)
            if (s.device->addressOf(value.instance, value.reg) == address)
                return value.value;
        return 0;
    }
    /// The need that is a CAN one, and its plan with its goal set.
    static std::string canOf(const LoadedPlan& work)
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

    /// Every identifier of 11 bits is put through the filters: all that are asked for pass, and exactly so many others
    /// as are told.
    void filtersAgainstAllIdentifiers()
    {
        std::mt19937 random(seeded(5));
        int exact = 0;
        for (int round = 0; round < 1500; ++round) {
            std::string text;
            std::vector<bool> asked(2048);
            for (int n = 1 + int(random() % 6); n > 0; --n) {
                const std::uint32_t first = random() % 2048,
                                    last = std::min<std::uint32_t>(
                                        2047, random() % 3 ? first : first + random() % (random() % 2 ? 16 : 400));
                text += first == last ? fmt::format("0x{:X} ", first) : fmt::format("{}-{} ", first, last);
                for (std::uint32_t id = first; id <= last; ++id)
                    asked[id] = true;
            }
            const std::size_t most = 1 + random() % 10;
            const CanFilters cover = coverByMasks(*parseCanFilters(text), most);
            QVERIFY(!cover.filters.empty() && cover.filters.size() <= most);
            std::uint64_t more = 0;
            for (std::uint32_t id = 0; id < 2048; ++id) {
                const bool passes = std::any_of(cover.filters.begin(), cover.filters.end(),
                                                [id](const CanFilter& filter) { return filter.passes(id, false); });
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
                const std::uint32_t first = random() % 0x1FFF0000,
                                    last = first + (random() % 3 ? 0 : random() % 60'000);
                asked.push_back({first, last, true});
                text += fmt::format("x{}-{} ", first, last);
            }
            const CanFilters cover = coverByMasks(*parseCanFilters(text), 1 + random() % 12);
            for (const CanRange& range : asked)
                for (const std::uint32_t id :
                     {range.first, range.last, range.first + std::uint32_t(random() % (range.last - range.first + 1))})
                    QVERIFY(std::any_of(cover.filters.begin(), cover.filters.end(),
                                        [id](const CanFilter& filter) { return filter.passes(id, true); }));
            QVERIFY(std::none_of(cover.filters.begin(), cover.filters.end(),
                                 [](const CanFilter& filter) { return filter.passes(5, false); }));
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
        for (const Layout& layout : {Layout{"sluice-node-c-done", 0x20, 0x40, 8, 29, 31},
                                     {"pump-hall-a-done", 0x20, 0, 24, 31, 30},
                                     {"ditch-meter-d-done", 0x20, 0x30, 4, 31, 29}}) {
            const LoadedPlan work = demo(layout.plan);
            const std::string need = canOf(work);
            for (const char* text : {"0x120-0x123, 0x700", "0x18FF50E5 5", ""}) {
                const auto s =
                    run(with(with(work, SetGoal{need, "filters", text}), SetGoal{need, "interrupt", "received"}));
                QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
                QCOMPARE(QString::fromStdString(hazardsText(rehearsePlanned(s->facts(), {}))), QString());
                std::vector<CanFilter> filters;
                for (int i = 0; i < layout.count; ++i) {
                    const std::uint32_t value =
                        valueAt(*s, baseOf(*s, need.c_str()) + layout.filters + 4 * std::uint32_t(i));
                    const bool isLong = (value >> layout.longBit & 1) != 0;
                    if (value >> layout.useBit & 1)
                        filters.push_back(
                            {value & 0x1FFFFFFF,
                             layout.masks ? valueAt(*s, baseOf(*s, need.c_str()) + layout.masks + 4 * std::uint32_t(i))
                                          : 0x1FFFFFFF,
                             isLong});
                }
                const auto passes = [&filters](std::uint32_t id, bool isLong) {
                    return filters.empty() || std::any_of(filters.begin(), filters.end(), [&](const CanFilter& filter) {
                               return filter.passes(id, isLong);
                           });
                };
                const std::string_view asked = text;
                for (const std::uint32_t id : {0x11Fu, 0x120u, 0x121u, 0x123u, 0x124u, 0x700u, 0x701u, 5u, 0u})
                    QCOMPARE(passes(id, false),
                             asked.empty() ||
                                 (asked.starts_with("0x120") ? (id >= 0x120 && id <= 0x123) || id == 0x700 : id == 5));
                QCOMPARE(passes(0x18FF50E5, true), !asked.starts_with("0x120"));
            }
        }
        // Single identifiers cannot be a wide range; masks can, and more.
        const LoadedPlan pump = demo("pump-hall-a-done"), ditch = demo("ditch-meter-d-done");
        QVERIFY(hasFinding(*run(with(pump, SetGoal{canOf(pump), "filters", "0x100-0x1FF"})), "GOAL-01", canOf(pump)));
        QVERIFY(run(with(ditch, SetGoal{canOf(ditch), "filters", "1 18 291 1110 1300"}))->findings.empty());
        QVERIFY(hasFinding(*run(with(ditch, SetGoal{canOf(ditch), "filters", "0x100-"})), "GOAL-01", canOf(ditch)));
    }

    void framesGoAndCome()
    {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
        const LoadedPlan work = demo();
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

    /// Both bits of a flexible frame against plain enumeration of all register settings, by rate, sample points and the
    /// clauses' five bounds.
    void flexibleTimingAgainstEnumeration()
    {
        std::mt19937 random(seeded(17));
        const auto upTo = [&random](int most) { return 1 + std::int64_t(random() % unsigned(most)); };
        int found = 0, none = 0;
        for (int round = 0; round < 600; ++round) {
            const CanFields nf{upTo(4), round % 3 ? 0 : upTo(6), 4 + upTo(10), 2 + upTo(5), upTo(4)},
                df{upTo(4), 0, 2 + upTo(6), 2 + upTo(3), upTo(3)};
            const Frequency kernel(Rational(1'000'000 * (8 + std::int64_t(random() % 40))));
            const CanWish nominal{Frequency(Rational(250'000 * upTo(4))),
                                  Ratio(Rational(70 + std::int64_t(random() % 20), 100)),
                                  std::min<std::int64_t>(nf.jump, upTo(3))};
            const CanWish data{Frequency(Rational(1'000'000 * upTo(3))),
                               Ratio(Rational(70 + std::int64_t(random() % 20), 100)),
                               std::int64_t(random() % 3) == 0 ? 0 : std::min<std::int64_t>(df.jump, upTo(2))};
            struct Bit {
                double error, off;
                std::int64_t pre, nbt, ps1, ps2, sjw;
            };
            const auto all = [&kernel](const CanWish& wish, const CanFields& f, int least) {
                std::vector<Bit> out;
                for (std::int64_t pre = 1; pre <= f.prescaler; ++pre)
                    for (std::int64_t prop = f.propagation ? 1 : 0; prop <= std::max<std::int64_t>(f.propagation, 0);
                         ++prop)
                        for (std::int64_t seg1 = 1; seg1 <= f.segment1; ++seg1)
                            for (std::int64_t ps2 = 2; ps2 <= f.segment2; ++ps2) {
                                const std::int64_t nbt = 1 + prop + seg1 + ps2;
                                // Without a field of its own the propagation takes one quantum or more of segment 1;
                                // what is as long as segment 2 is all that counts of the rest.
                                const std::int64_t ps1 = f.propagation ? seg1 : std::min(seg1 - 1, ps2);
                                const std::int64_t sjw = wish.jump ? wish.jump : std::min({ps1, ps2, f.jump});
                                if (nbt < least || ps1 < 1 || ps2 < sjw ||
                                    prop + seg1 < 1 + std::max<std::int64_t>(sjw, 1) ||
                                    (wish.jump && prop + seg1 < 1 + wish.jump))
                                    continue;
                                const double rate = kernel.value.toDouble() / double(pre * nbt),
                                             wanted = wish.rate.value.toDouble();
                                out.push_back(
                                    {std::abs(rate - wanted) / wanted,
                                     std::abs(double(nbt - ps2) / double(nbt) - wish.samplePoint.value.toDouble()), pre,
                                     nbt, ps1, ps2, sjw});
                            }
                return out;
            };
            const std::vector<Bit> ns = all(nominal, nf, 8), ds = all(data, df, 5);
            const std::optional<FlexibleTiming> got = bestFlexibleTiming(kernel, nominal, data, nf, df);
            const auto nearest = [](const std::vector<Bit>& bits) {
                return *std::min_element(bits.begin(), bits.end(), [](const Bit& a, const Bit& b) {
                    return std::abs(a.error - b.error) > 1e-12 ? a.error < b.error : a.off < b.off - 1e-12;
                });
            };
            // Rates far off are not looked for.
            if (!got) {
                QVERIFY(ns.empty() || ds.empty() || nearest(ns).error > 0.02 || nearest(ds).error > 0.02);
                ++none;
                continue;
            }
            ++found;
            const Bit n0 = nearest(ns), d0 = nearest(ds);
            QVERIFY(std::abs(got->nominal.error.value.abs().toDouble() / 1e6 - n0.error) < 1e-9);
            QVERIFY(std::abs(got->data.error.value.abs().toDouble() / 1e6 - d0.error) < 1e-9);
            QVERIFY(
                std::abs(std::abs(got->nominal.samplePoint().value.toDouble() - nominal.samplePoint.value.toDouble()) -
                         n0.off) < 1e-9);
            QVERIFY(std::abs(std::abs(got->data.samplePoint().value.toDouble() - data.samplePoint.value.toDouble()) -
                             d0.off) < 1e-9);
            double best = 0;
            for (const Bit& n : ns)
                for (const Bit& d : ds) {
                    if (n.error > n0.error + 1e-12 || n.off > n0.off + 1e-12 || d.error > d0.error + 1e-12 ||
                        d.off > d0.off + 1e-12)
                        continue;
                    const double scale = double(n.pre) / double(d.pre);
                    const double bounds[] = {
                        double(n.sjw) / double(20 * n.nbt),
                        double(std::min(n.ps1, n.ps2)) / double(2 * (13 * n.nbt - n.ps2)),
                        double(d.sjw) / double(20 * d.nbt),
                        double(std::min(n.ps1, n.ps2)) /
                            (2 * (double(6 * d.nbt - d.ps2) * double(d.pre) / double(n.pre) + 7 * double(n.nbt))),
                        (double(d.sjw) - std::max(0.0, scale - 1)) /
                            (2 * (double(2 * n.nbt - n.ps2) * scale + double(d.ps2) + 4 * double(d.nbt)))};
                    best = std::max(best, *std::min_element(std::begin(bounds), std::end(bounds)));
                }
            QVERIFY2(
                std::abs(got->tolerance().value.toDouble() / 1e6 - best) < 1e-9,
                fmt::format("round {}: {} against {}", round, got->tolerance().value.toDouble() / 1e6, best).c_str());
        }
        QVERIFY2(found > 60 && none > 5, fmt::format("{} found, {} without", found, none).c_str());
    }

    /// Registers by the chapter of the family that has it, the delay only where a bit is over before it comes back, and
    /// frames of 64 bytes.
    void flexibleDataRate()
    {
        LoadedPlan work = demo("pump-hall-a-done");
        const std::string id = canOf(work);
        Need need = *work.plan.need(id);
        need.core.clear();
        need.goals.state("rate", "500 kbit/s");
        need.goals.state("data_rate", "2 Mbit/s");
        work = with(work, ReplaceNeed{id, need});
        const auto s = run(work);
        QVERIFY2(s->findings.empty(), findingsText(*s).c_str());
        QCOMPARE(QString::fromStdString(hazardsText(rehearsePlanned(s->facts(), {}))), QString());
        const std::uint32_t base = baseOf(*s, id.c_str());
        const std::uint32_t mode = valueAt(*s, base), data = valueAt(*s, base + 0x0C), echo = valueAt(*s, base + 0x10);
        QCOMPARE(mode >> 27 & 3, 3u);
        const std::uint32_t quanta = 1 + ((data & 0x1F) + 1) + ((data >> 8 & 7) + 1), scale = (data >> 16 & 15) + 1;
        const double kernel = s->rates.clocks[s->device->findClock("CANK")].rate.value.toDouble();
        QCOMPARE(kernel / double(quanta * scale), 2e6);
        QCOMPARE(echo, 0u); // 0.8 of 500 ns is later than 255 ns
        const auto quick = run(with(work, SetGoal{id, "data_rate", "4 Mbit/s"}));
        const std::uint32_t bit = valueAt(*quick, base + 0x0C), late = (bit >> 8 & 7) + 1,
                            whole = 1 + ((bit & 0x1F) + 1) + late;
        QCOMPARE(valueAt(*quick, base + 0x10), 1u << 31 | ((bit >> 16 & 15) + 1) * (whole - late));
        QVERIFY(hasFinding(*run(with(work, SetGoal{id, "data_rate", "100 kbit/s"})), "GOAL-01", id));
        const LoadedPlan ditch = demo("ditch-meter-d-done");
        QVERIFY(hasFinding(*run(with(ditch, SetGoal{canOf(ditch), "data_rate", "1 Mbit/s"})), "GOAL-01", canOf(ditch)));
#ifdef __SANITIZE_ADDRESS__
        QSKIP("the sanitizer keeps its own memory where the chip's registers would lie");
#endif
        const Compiled code(*s);
        const Chip chip(*s->device);
        struct Frame {
            std::uint32_t id;
            bool extended, flexible;
            std::uint8_t length;
            std::uint8_t bytes[64];
        };
        std::string name = "pump_" + id;
        std::replace(name.begin(), name.end(), '-', '_');
        const auto send = code.find<bool(const Frame*)>((name + "_send").c_str());
        const auto receive = code.find<bool(Frame*)>((name + "_receive").c_str());
        Frame frame{0x155, false, true, 48, {}};
        for (int i = 0; i < 64; ++i)
            frame.bytes[i] = std::uint8_t(3 * i + 1);
        Chip::at(base + 8) = 1u << 29;
        QVERIFY(send(&frame));
        QCOMPARE(Chip::at(base + 0x80), 3u << 29 | 0x155u);
        QCOMPARE(Chip::at(base + 0x8C) & 0xF, 14u);
        QCOMPARE(Chip::at(base + 0x84), 0x0A070401u);
        QCOMPARE(Chip::at(base + 0xA8), std::uint32_t(frame.bytes[8] | frame.bytes[9] << 8 | frame.bytes[10] << 16) |
                                            std::uint32_t(frame.bytes[11]) << 24);
        QCOMPARE(Chip::at(base + 0xA8 + 4 * 9),
                 std::uint32_t(frame.bytes[44] | frame.bytes[45] << 8 | frame.bytes[46] << 16) |
                     std::uint32_t(frame.bytes[47]) << 24);
        for (const int length : {9, 13, 63, 65}) { // lengths that no code stands for
            frame.length = std::uint8_t(length);
            QVERIFY(!send(&frame));
        }
        frame.length = 12;
        QVERIFY(send(&frame));
        frame.flexible = false;
        QVERIFY(!send(&frame));
        Chip::at(base + 8) = 1u << 28;
        Chip::at(base + 0x90) = 1u << 30 | 0x22;
        Chip::at(base + 0x9C) = 15;
        for (int word = 2; word < 16; ++word)
            Chip::at(base + 0xE8 + 4 * std::uint32_t(word - 2)) = 0x01010101u * std::uint32_t(word);
        Frame in{};
        QVERIFY(receive(&in));
        QVERIFY(in.flexible && in.id == 0x22 && in.length == 64 && in.bytes[8] == 2 && in.bytes[63] == 15);
    }
};

BINDREL_TEST(CanTest)
#include "can_test.moc"
