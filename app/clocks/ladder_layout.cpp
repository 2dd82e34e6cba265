// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/ladder_layout.h"

#include <algorithm>
#include <cmath>

namespace bindrel {

FrequencyAxis::FrequencyAxis(const std::vector<double>& rates, double left, double right)
{
    double low = 1e4;
    double high = 1e8;
    for (const double rate : rates) {
        low = std::min(low, rate);
        high = std::max(high, rate);
    }
    first_ = int(std::floor(std::log10(low)));
    const int last = std::max(first_ + 1, int(std::ceil(std::log10(high) + 1e-9)));
    // An empty decade keeps a good part of an even share; the rest goes by how many clocks lie there, damped by the
    // root.
    std::vector<double> weights(size_t(last - first_), 0.8);
    for (size_t d = 0; d < weights.size(); ++d) {
        const double from = std::pow(10, first_ + int(d));
        const auto inside =
            std::count_if(rates.begin(), rates.end(), [&](double r) { return r >= from && r < from * 10; });
        weights[d] += std::sqrt(double(inside)) * 0.5;
    }
    double sum = 0;
    for (const double w : weights)
        sum += w;
    starts_.push_back(left);
    for (const double w : weights)
        starts_.push_back(starts_.back() + (right - left) * w / sum);
    starts_.back() = right;
    left_ = left;
    right_ = right;
}

void FrequencyAxis::zoom(double scale, double shift)
{
    for (double& start : starts_)
        start = left_ + (start - left_) * scale - shift;
}

double FrequencyAxis::x(double hertz) const
{
    if (!(hertz > 0))
        return std::clamp(starts_.front(), left_, right_);
    const double decades = std::log10(hertz) - first_;
    const auto index = std::clamp<double>(std::floor(decades), 0, double(starts_.size() - 2));
    const double inside = std::clamp(decades - index, 0.0, 1.0);
    return std::clamp(starts_[size_t(index)] + (starts_[size_t(index) + 1] - starts_[size_t(index)]) * inside, left_,
                      right_);
}

double FrequencyAxis::hertz(double at) const
{
    for (size_t d = 0; d + 1 < starts_.size(); ++d)
        if (at <= starts_[d + 1] || d + 2 == starts_.size()) {
            const double inside = std::clamp((at - starts_[d]) / (starts_[d + 1] - starts_[d]), 0.0, 1.0);
            return std::pow(10, first_ + double(d) + inside);
        }
    return 0;
}

/// Whether two clocks say the same: from the same input, in the same way, with the same limits, in the same state.
static bool alike(const Device& device, const Rates& rates, ClockIndex a, ClockIndex b)
{
    const ClockState& x = rates.clocks[a];
    const ClockState& y = rates.clocks[b];
    return device.clocks[a].type == device.clocks[b].type && x.input >= 0 && x.input == y.input && x.rate == y.rate &&
           x.running == y.running && x.used == y.used && x.min == y.min && x.max == y.max;
}

std::vector<Rung> rungsOf(const Device& device, const Rates& rates, const std::set<std::string>& foldedTiers,
                          const std::vector<ClockIndex>& keep)
{
    constexpr std::size_t kFewest = 3; // one row for two saves little
    std::vector<Rung> out;
    for (const char* tier : {"source", "multiplier", "system", "kernel"}) {
        bool begins = !out.empty();
        const std::size_t tierStart = out.size();
        const auto kept = [&keep](ClockIndex clock) {
            return std::find(keep.begin(), keep.end(), clock) != keep.end();
        };
        std::vector<ClockIndex> unused;
        if (foldedTiers.contains(tier))
            for (const ClockIndex i : device.clocks.indices())
                if (device.clocks[i].tier == tier && !rates.clocks[i].used && !kept(int(i)))
                    unused.push_back(int(i));
        if (unused.size() < kFewest)
            unused.clear();
        for (const ClockIndex i : device.clocks.indices())
            if (device.clocks[i].tier == tier && std::find(unused.begin(), unused.end(), int(i)) == unused.end()) {
                const auto twin =
                    std::find_if(out.begin() + std::ptrdiff_t(tierStart), out.end(), [&](const Rung& rung) {
                        return foldedTiers.contains(tier) && !kept(int(i)) && !kept(rung.clock) &&
                               alike(device, rates, rung.clock, int(i));
                    });
                if (twin != out.end()) {
                    twin->alike.push_back(int(i));
                    continue;
                }
                out.push_back({int(i), begins, {}, {}, {}});
                begins = false;
            }
        if (!unused.empty())
            out.push_back({-1, begins, unused, {}, tier});
    }
    return out;
}

} // namespace bindrel
