// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement.h"
#include "core/pins/sides.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

namespace {

/// A chip and needs that are known to fit, since each need was given an instance and pads before the chip's other
/// routes were made up. Parts lie around a place on one side.
class ChipWithAWay {
public:
    ChipWithAWay(int pads, unsigned seed) : random_(seed), pads_(pads)
    {
        device.name = "MADE";
        device.cores.push_back({});
        for (const char* kind : {"port", "uart", "spi", "i2c", "can", "timer"}) {
            Block block;
            block.name = block.kind = kind;
            device.blocks.push_back(block);
        }
        Instance port;
        port.name = "PORT";
        port.block = 0;
        device.instances.push_back(port);
        for (int p = 0; p < pads; ++p) {
            Pad pad;
            pad.name = "P" + std::to_string(p);
            pad.port = 0;
            pad.bit = p % 16;
            device.pads.push_back(pad);
            device.package.pins.push_back({std::to_string(p + 1), PackagePin::Kind::Pad, p, pad.name});
        }
        const int each = pads / 12;
        add("U", 1, each, {"TX", "RX", "RTS", "CTS"});
        add("S", 2, each, {"SCK", "MOSI", "MISO", "CS"});
        add("I", 3, each, {"SCL", "SDA"});
        add("C", 4, each, {"TX", "RX"});
        add("T", 5, each, {"CH1", "CH2", "CH3", "CH4"});
        place();
        for (std::size_t i = 1; i < device.instances.size(); ++i)
            addOtherRoutes(int(i));
    }

    Device device;
    Plan plan; ///< each need where it is known to fit

    Plan blank() const
    {
        Plan out = plan;
        for (Need& need : out.needs)
            need.binding = {};
        return out;
    }
    /// Takes some needs elsewhere, wherever the chip lets them, whoever is there; `moved` counts them.
    Plan tangled(int& moved)
    {
        Plan out = plan;
        moved = 0;
        for (Need& need : out.needs) {
            if (below(4) != 0 || need.kind == "pwm")
                continue;
            const InstanceIndex instance = pick(device.blocks[BlockIndex(blockOf(need.kind))].kind);
            Binding binding;
            binding.instance = device.instances[instance].name;
            std::set<int> taken;
            for (const auto& [signal, pad] : need.binding.pads)
                for (const Route& route : device.routes)
                    if (route.instance == instance &&
                        lower(device.instances[instance].signals[std::size_t(route.signal)].name) == signal &&
                        taken.insert(int(route.pad)).second) {
                        binding.pads[signal] = device.pads[route.pad].name;
                        break;
                    }
            if (binding.pads.size() == need.binding.pads.size() && binding != need.binding) {
                need.binding = binding;
                ++moved;
            }
        }
        return out;
    }

private:
    static std::string lower(std::string text)
    {
        for (char& c : text)
            c = char(std::tolower(c));
        return text;
    }
    int below(int limit) { return int(random_() % unsigned(limit)); }
    int blockOf(const std::string& kind) const
    {
        const std::string block = kind == "pwm" ? "timer" : kind;
        return int(std::find_if(device.blocks.begin(), device.blocks.end(),
                                [&block](const Block& b) { return b.kind == block; }) -
                   device.blocks.begin());
    }
    int pick(const std::string& kind)
    {
        std::vector<int> all;
        for (InstanceIndex i = 1; i < int(device.instances.size()); ++i)
            if (device.blocks[BlockIndex(device.instances[i].block)].kind == kind)
                all.push_back(int(i));
        return all[std::size_t(below(int(all.size())))];
    }
    void add(const std::string& stem, int block, int count, const std::vector<std::string>& signals)
    {
        for (int i = 0; i < count; ++i) {
            Instance instance;
            instance.name = stem + std::to_string(i);
            instance.block = block;
            for (const std::string& signal : signals)
                instance.signals.push_back({signal, InstanceSignal::Direction::Both});
            free_[block].push_back(int(device.instances.size()));
            device.instances.push_back(instance);
        }
    }
    void addRoute(PadIndex pad, int instance, int signal)
    {
        for (const Route& route : device.routes)
            if (route.pad == pad && route.instance == instance && route.signal == signal)
                return;
        device.pads[pad].routes.push_back(int(device.routes.size()));
        device.routes.push_back({pad, instance, signal, Route::Mechanism::GroupRemap, -1, {}, -1});
    }

    void place()
    {
        struct Timer {
            int instance, rate;
            std::vector<int> channels;
        };
        std::vector<Timer> timers;
        std::set<int> open;
        for (int p = 0; p < pads_; ++p)
            open.insert(p);
        const auto nearest = [&open](int place) {
            const int pad = *std::min_element(
                open.begin(), open.end(), [place](int a, int b) { return std::abs(a - place) < std::abs(b - place); });
            open.erase(pad);
            return pad;
        };
        int place = 0;
        for (int n = 0; n<pads_&& int(open.size())> pads_ / 5; ++n) {
            if (n % 2 == 0)
                place = below(pads_);
            const char* const kind =
                std::array{"uart", "spi", "i2c", "can", "pwm", "pwm", "pwm"}[std::size_t(below(7))];
            Need need;
            need.id = need.title = "n" + std::to_string(n);
            need.kind = kind;
            need.part = "part" + std::to_string(n / 2);
            std::vector<int>& free = free_[blockOf(kind)];
            std::vector<std::pair<std::string, int>> signals; // of the need, of the instance
            InstanceIndex instance = -1;
            if (need.kind == "pwm") {
                const int rate = 1 + below(5);
                auto timer = std::find_if(timers.begin(), timers.end(),
                                          [rate](const Timer& t) { return t.rate == rate && t.channels.size() > 1; });
                if (timer == timers.end()) {
                    if (free.size() < 2)
                        continue;
                    timers.push_back({free.back(), rate, {0, 1, 2, 3}});
                    free.pop_back();
                    timer = timers.end() - 1;
                }
                instance = timer->instance;
                const int channels = 1 + below(2);
                for (int c = 0; c < channels; ++c) {
                    const int which = below(int(timer->channels.size()));
                    signals.emplace_back("out" + std::to_string(c + 1), timer->channels[std::size_t(which)]);
                    timer->channels.erase(timer->channels.begin() + which);
                }
                need.goals.state("frequency", std::to_string(rate) + " kHz");
                need.goals.state("channels", std::to_string(channels));
            } else {
                if (free.size() < 2) // one of each stays over
                    continue;
                instance = free.back();
                free.pop_back();
                if (need.kind == "uart" && below(5) == 0)
                    need.goals.state("flow", "RTS/CTS");
                for (const SignalSpec& signal : findKind(kind)->signals(need)) {
                    const auto& all = device.instances[instance].signals;
                    const auto same = std::find_if(all.begin(), all.end(), [&signal](const InstanceSignal& s) {
                        return s.name == signal.pattern;
                    });
                    signals.emplace_back(signal.id, int(same - all.begin()));
                }
            }
            need.binding.instance = device.instances[instance].name;
            for (const auto& [signal, of] : signals) {
                const PadIndex pad = nearest(place);
                addRoute(pad, instance, of);
                need.binding.pads[signal] = device.pads[pad].name;
            }
            plan.needs.push_back(need);
        }
    }

    void addOtherRoutes(InstanceIndex instance)
    {
        const int home = below(pads_);
        for (std::size_t s = 0; s < device.instances[instance].signals.size(); ++s)
            for (int more = below(4); more >= 0; --more)
                addRoute(below(2) == 0 ? (home + below(9)) % pads_ : below(pads_), instance, int(s));
    }

    std::mt19937 random_;
    int pads_;
    std::map<int, std::vector<int>> free_; ///< by block: instances
};

} // namespace

/// Chips that are made so that a way is known: one is found, and what was tangled is cleared by moving no more than was
/// tangled.
class PlacementByRuleTest : public QObject {
    Q_OBJECT

    static void isLawful(const Device& device, Plan plan, const Placement& way)
    {
        for (const auto& [need, binding] : way.bindings)
            plan.needs[need].binding = binding;
        QCOMPARE(bind(device, plan).count(BoundNeed::State::Bound), int(plan.needs.size()));
    }

private Q_SLOTS:
    void aWayThatExistsIsFound_data()
    {
        QTest::addColumn<int>("pads");
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 6; ++seed)
            QTest::addRow("64 pads, %d", seed) << 64 << seed;
        for (int seed = 1; seed <= 4; ++seed)
            QTest::addRow("160 pads, %d", seed) << 160 << seed;
        QTest::newRow("480 pads") << 480 << 1;
    }
    void aWayThatExistsIsFound()
    {
        QFETCH(int, pads);
        QFETCH(int, seed);
        const ChipWithAWay chip(pads, seeded(unsigned(seed)));
        QCOMPARE(bind(chip.device, chip.plan).count(BoundNeed::State::Bound), int(chip.plan.needs.size()));
        std::vector<NeedIndex> all;
        for (size_t n = 0; n < chip.plan.needs.size(); ++n)
            all.push_back(int(n));
        const Plan blank = chip.blank();
        const PlacementResult result = place(chip.device, Board(), blank, {.needs = all});
        QCOMPARE(result.ways.size(), size_t(1));
        isLawful(chip.device, blank, result.ways.front());
        // No way that is the best is more scattered than the one that was made up.
        if (result.ways.front().proof.provenTo(PlacementLevel::Sides, result.ways.front().cost))
            QVERIFY(result.ways.front().cost.sides <= sidesAsMade(chip));
    }

    void noMoreMoveThanWereTangled_data() { aWayThatExistsIsFound_data(); }
    void noMoreMoveThanWereTangled()
    {
        QFETCH(int, pads);
        QFETCH(int, seed);
        ChipWithAWay chip(pads, seeded(unsigned(seed)));
        int moved = 0;
        const Plan tangled = chip.tangled(moved);
        const PlacementResult result = place(chip.device, Board(), tangled, {.mayMove = true});
        QCOMPARE(result.ways.size(), size_t(1));
        isLawful(chip.device, tangled, result.ways.front());
        QVERIFY(result.ways.front().cost.moved <= moved);
        QVERIFY(result.ways.front().proof.provenTo(PlacementLevel::Moved, result.ways.front().cost));
    }

private:
    static int sidesAsMade(const ChipWithAWay& chip)
    {
        const std::vector<int> sideOf = sidesOf(chip.device.package);
        std::map<std::string, std::set<int>> sides;
        for (const Need& need : chip.plan.needs)
            for (const auto& [signal, pad] : need.binding.pads)
                sides[need.part].insert(sideOf[size_t(chip.device.findPad(pad))]);
        int out = 0;
        for (const auto& [part, used] : sides)
            out += int(used.size()) - 1;
        return out;
    }
};

BINDREL_TEST(PlacementByRuleTest)
#include "placement_by_rule_test.moc"
