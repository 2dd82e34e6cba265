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
    // An empty decade keeps a good part of an even share; the rest goes by how many clocks lie there, damped by the root.
    std::vector<double> weights(size_t(last - first_), 0.8);
    for (size_t d = 0; d < weights.size(); ++d) {
        const double from = std::pow(10, first_ + int(d));
        const auto inside = std::count_if(rates.begin(), rates.end(), [&](double r) { return r >= from && r < from * 10; });
        weights[d] += std::sqrt(double(inside)) * 0.5;
    }
    double sum = 0;
    for (const double w : weights)
        sum += w;
    starts_.push_back(left);
    for (const double w : weights)
        starts_.push_back(starts_.back() + (right - left) * w / sum);
    starts_.back() = right;
}

double FrequencyAxis::x(double hertz) const
{
    if (!(hertz > 0))
        return starts_.front();
    const double decades = std::log10(hertz) - first_;
    const auto index = std::clamp<double>(std::floor(decades), 0, double(starts_.size() - 2));
    const double inside = std::clamp(decades - index, 0.0, 1.0);
    return starts_[size_t(index)] + (starts_[size_t(index) + 1] - starts_[size_t(index)]) * inside;
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

std::vector<Rung> rungsOf(const Device& device)
{
    std::vector<Rung> out;
    for (const char* tier : {"source", "multiplier", "system", "kernel"}) {
        bool begins = !out.empty();
        for (size_t i = 0; i < device.clocks.size(); ++i)
            if (device.clocks[i].tier == tier) {
                out.push_back({int(i), begins});
                begins = false;
            }
    }
    return out;
}

} // namespace bindrel
