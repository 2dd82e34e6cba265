// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/reach.h"
#include "tests/support/fixtures.h"

#include <cmath>
#include <map>
#include <random>

using namespace bindrel;
using namespace bindrel::test;

namespace {

/// Every way that leads from a source to a clock on a shipped chip, in floating point and with nothing left out: all
/// selects, all factors. Of one fraction, whose settings are millions, the two that stand around what the other factors
/// leave to it.
class EveryPath {
public:
    EveryPath(const Device& device, const Board& board, int range) : device_(device), board_(board), range_(range) {}

    /// The least error, as a part of the wanted rate; empty when nothing lies within `permitted`.
    std::optional<double> nearest(int clock, double wanted, double permitted)
    {
        wanted_ = wanted;
        best_.reset();
        chain_.clear();
        up(clock);
        if (best_ && *best_ > permitted * (1 + 1e-12))
            best_.reset();
        return best_;
    }
    long tried() const { return tried_; }

private:
    void up(ClockIndex clock)
    {
        const ClockNode& node = device_.clocks[clock];
        chain_.push_back(clock);
        if (node.isSource()) {
            const std::vector<int> chain(chain_.rbegin(), chain_.rend());
            for (size_t choice = 0; choice < std::max<size_t>(1, node.rates.size()); ++choice) {
                const SourceFacts facts = sourceFacts(device_, board_, node, std::int64_t(choice));
                // A trim by another clock is taken where it is there to be had: it only widens what the limits permit.
                for (const bool trimmed : {false, true}) {
                    if (trimmed &&
                        (!node.trim ||
                         (node.trim->by >= 0 &&
                          sourceFacts(device_, board_, device_.clocks[node.trim->by], 0).rate.value.isZero())))
                        continue;
                    const Tolerance by = trimmed && node.trim->by >= 0
                                             ? sourceFacts(device_, board_, device_.clocks[node.trim->by], 0).tolerance
                                             : Tolerance{};
                    const Tolerance own = trimmed ? Tolerance{Ppm(node.trim->tolerance.low.value + by.low.value),
                                                              Ppm(node.trim->tolerance.high.value + by.high.value)}
                                                  : facts.tolerance;
                    // What a clock on the way adds counts from there on.
                    spans_.clear();
                    Tolerance span = own;
                    for (const ClockIndex at : chain) {
                        const Tolerance& adds = device_.clocks[at].adds;
                        span = {Ppm(span.low.value + adds.low.value), Ppm(span.high.value + adds.high.value)};
                        spans_[at] = {span.worst() <= device_.limitSlack, 1 + span.low.toDouble() * 1e-6,
                                      1 + span.high.toDouble() * 1e-6};
                    }
                    if (const double rate = facts.rate.toDouble(); rate > 0 && inside(clock, rate))
                        down(chain, 1, rate, -1, 1);
                }
            }
        } else {
            for (const ClockInput& input : node.inputs)
                if (input.node >= 0)
                    up(input.node);
        }
        chain_.pop_back();
    }

    bool inside(ClockIndex clock, double rate) const
    {
        const RateLimit limit = limitIn(device_, device_.clocks[clock], range_);
        const auto& [slack, low, high] = spans_.at(clock);
        const double fast = slack ? rate : rate * high, slow = slack ? rate : rate * low;
        return (!limit.max || fast <= limit.max->toDouble() * (1 + 1e-12)) &&
               (!limit.min || slow >= limit.min->toDouble() * (1 - 1e-12));
    }

    /// `fraction`: place in the chain whose setting is still open, with the factors after it gathered in `after`.
    void down(const std::vector<int>& chain, size_t at, double rate, int fraction, double after)
    {
        if (at == chain.size()) {
            ++tried_;
            if (fraction >= 0)
                settle(chain, size_t(fraction), rate, after);
            else
                keep(rate);
            return;
        }
        const ClockNode& node = device_.clocks[ClockIndex(chain[at])];
        const auto go = [&](double factor) {
            if (fraction >= 0)
                gathered_.push_back(factor), down(chain, at + 1, rate, fraction, after * factor), gathered_.pop_back();
            else if (inside(chain[at], rate * factor))
                down(chain, at + 1, rate * factor, -1, 1);
        };
        if (node.type == ClockNode::Type::Multiply && node.unit > 64) {
            down(chain, at + 1, rate, int(at), 1);
        } else if (node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply) {
            for (const std::int64_t factor : node.factors)
                for (std::int64_t part = 0; part < (node.dense ? node.unit : 1); ++part)
                    if (const std::int64_t setting = node.settingOf(factor) + part; node.canBe(setting))
                        go(node.type == ClockNode::Type::Divide ? double(node.unit) / double(setting)
                                                                : double(setting) / double(node.unit));
        } else {
            // Timers that follow a bus's divider are not asked for here.
            go(1);
        }
    }

    void settle(const std::vector<int>& chain, size_t at, double rate, double after)
    {
        const ClockNode& node = device_.clocks[ClockIndex(chain[at])];
        // What would be right, and where a limit on the way begins.
        std::vector<double> ideals{wanted_ / (rate * after) * double(node.unit)};
        double gathered = 1;
        for (size_t k = 0; k <= gathered_.size(); ++k) {
            gathered *= k == 0 ? 1 : gathered_[k - 1];
            const RateLimit limit = limitIn(device_, device_.clocks[ClockIndex(chain[at + k])], range_);
            for (const std::optional<Frequency>& end : {limit.min, limit.max})
                if (end)
                    for (const double by :
                         {1.0, std::get<1>(spans_.at(chain[at + k])), std::get<2>(spans_.at(chain[at + k]))})
                        ideals.push_back(end->toDouble() / by / (rate * gathered) * double(node.unit));
        }
        for (const std::int64_t end : {node.factors.front(), node.factors.back()})
            ideals.push_back(double(node.settingOf(end)));
        std::vector<double> settings;
        for (const double ideal : ideals)
            for (const double setting : {std::floor(ideal), std::ceil(ideal)})
                settings.push_back(setting);
        for (const double setting : settings) {
            if (!node.canBe(std::int64_t(setting)))
                continue;
            double now = rate * setting / double(node.unit);
            bool good = inside(chain[at], now);
            for (size_t k = 0; k < gathered_.size() && good; ++k) {
                now *= gathered_[k];
                good = inside(chain[at + 1 + k], now);
            }
            if (good)
                keep(now);
        }
    }

    void keep(double rate)
    {
        const double error = std::abs(rate / wanted_ - 1);
        if (!best_ || error < *best_)
            best_ = error;
    }

    const Device& device_;
    const Board& board_;
    int range_;
    double wanted_ = 0;
    std::map<int, std::tuple<bool, double, double>>
        spans_; ///< by clock of the chain: whether its tolerance is allowed for, how slow and fast it may be
    std::vector<int> chain_;
    std::vector<double> gathered_; ///< factors after the open fraction
    std::optional<double> best_;
    long tried_ = 0;
};

} // namespace

class ExhaustiveTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void reachMissesNoPathOfAShippedChip_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QStringList>("clocks");
        QTest::newRow("Sedge") << "sluice-node-c-done" << QStringList{"USBK", "PLLA.MAIN", "PLLB", "SYS", "CPU"};
        QTest::newRow("Alder") << "pump-hall-a-done" << QStringList{"R.OUT", "P.B", "FAST", "LEAD"};
        QTest::newRow("Moss") << "rain-post-b-done" << QStringList{"FLL", "MAIN", "CORE", "SEGK"};
        QTest::newRow("Rill") << "ditch-meter-d-done" << QStringList{"PLL", "T1", "T3"};
    }
    /// With no needs, so that nothing but limits stands in the way, the first way is as near as anything is.
    void reachMissesNoPathOfAShippedChip()
    {
        QFETCH(QString, name);
        QFETCH(QStringList, clocks);
        LoadedPlan work = demo(name.toStdString());
        work.plan.needs.clear();
        work.plan.holds.clear();
        work.plan.clocks.clear();
        const auto s = run(work);
        const Device& device = *s->device;
        EveryPath every(device, *s->board, s->rates.range);
        std::mt19937 random(seeded(7));
        int reached = 0, refused = 0;
        for (const QString& id : clocks) {
            const ClockIndex clock = device.findClock(id.toStdString());
            QVERIFY2(clock >= 0, qPrintable(id));
            const RateLimit limit = limitIn(device, device.clocks[clock], s->rates.range);
            const double most = limit.max ? limit.max->toDouble() : 100e6;
            for (int round = 0; round < (qEnvironmentVariableIsSet("BINDREL_LONG") ? 16 : 8); ++round) {
                // From a hundredth of what it may be to a little more than that, within 1 ppm to 10 %.
                const auto wanted = std::int64_t(most * std::pow(10, -2 + 2.1 * double(random() % 1000) / 1000));
                const std::int64_t permitted = std::array{1, 100, 10'000, 100'000}[size_t(round % 4)];
                ReachTarget target;
                target.clock = clock;
                target.kind = ReachTarget::Kind::Rate;
                target.rate = Frequency(Rational(wanted));
                target.permitted = Ppm(permitted);
                ReachRequest request;
                request.targets = {target};
                request.most = 1;
                const ReachResult result = reach(device, *s->board, s->plan, s->bindings, request);
                QVERIFY(result.complete);
                const std::optional<double> oracle = every.nearest(clock, double(wanted), double(permitted) * 1e-6);
                const std::string where = id.toStdString() + " " + std::to_string(wanted) + " Hz within " +
                                          std::to_string(permitted) + " ppm";
                QVERIFY2(oracle.has_value() == !result.ways.empty(),
                         (where + (oracle ? ": missed, " + std::to_string(*oracle * 1e6) + " ppm is there"
                                          : ": more than there is"))
                             .c_str());
                if (!oracle) {
                    ++refused;
                    continue;
                }
                ++reached;
                const double got = std::abs(errorOf(result.ways.front().achieved.front(), target.rate).toDouble());
                QVERIFY2(std::abs(got - *oracle * 1e6) < 1e-6, (where + ": " + std::to_string(got) + " ppm, but " +
                                                                std::to_string(*oracle * 1e6) + " is there")
                                                                   .c_str());
            }
        }
        QVERIFY2(reached >= 4, std::to_string(reached).c_str());
        QVERIFY(every.tried() > 1000);
    }
};

BINDREL_TEST(ExhaustiveTest)
#include "exhaustive_test.moc"
