// SPDX-License-Identifier: GPL-3.0-or-later
// SPI: SCK from the kernel clock, never above the wanted rate, and the margin with which the part's data is taken.
//
// A part shifts its data out on one edge of SCK and the controller takes it on the next, half a period later (with a
// sample delay of n kernel cycles: n / f after that). So the data, which is valid `valid` after the edge, has
//     1 / (2 SCK) + n / f - valid
// to settle. The next bit comes a whole period after the shift, which bounds n.
#include "core/base/say.h"
#include "core/kinds/spi/spi.h"
#include "core/pins/overrides.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// The smallest factor of a role that is at least so much; 1 stands for a role that the block does not have. `heeds`:
/// what is set by hand.
std::optional<std::int64_t> factorAtLeast(const TuningContext& c, bool heeds, std::string_view role, std::int64_t least)
{
    if (!c.has(role))
        return least <= 1 ? std::optional<std::int64_t>(1) : std::nullopt;
    if (const std::optional<std::int64_t> only = heeds ? c.byHand(role) : std::nullopt)
        return *only >= least ? only : std::nullopt;
    return c.encoding(role).atLeast(std::max<std::int64_t>(least, 1), c.maxCode(role));
}

Waveform drawWord(const SpiGoals& g, const Frequency& sck, const Duration& sampleDelay)
{
    const int bits = std::min(g.bits, 8);
    constexpr unsigned kOut = 0xB2, kIn = 0x4D; // every kind of edge is seen
    const Rational bit = Rational(1) / sck.value, half = bit / 2;
    Waveform wave;
    wave.title = g.bits > 8 ? say("the first 8 of {} bits", g.bits) : say("a word of {} bits", g.bits);
    wave.span = Duration(bit * (bits + 1));
    Waveform::Trace clock{"SCK", g.idleHigh, {}}, out{g.controller ? "MOSI" : "MISO", false, {}},
        in{g.controller ? "MISO" : "MOSI", false, {}},
        select{"CS", true, {{Duration(bit / 4), false}, {Duration(bit * bits + half + bit / 4), true}}};
    const auto level = [](Waveform::Trace& trace, const Rational& at, bool high) {
        if ((trace.edges.empty() ? trace.high : trace.edges.back().high) != high)
            trace.edges.push_back({Duration(at), high});
    };
    for (int i = 0; i < bits; ++i) {
        const Rational start =
            half + bit * i; // the first edge of SCK for this bit stands half a period later in mode 0
        const Rational first = start + half / 2, second = first + half;
        clock.edges.push_back({Duration(first), !g.idleHigh});
        clock.edges.push_back({Duration(second), g.idleHigh});
        const int shown = g.leastFirst ? i : bits - 1 - i;
        const Rational shift = g.late ? first : first - half;
        level(out, std::max(shift, Rational(0), [](const Rational& a, const Rational& b) { return a < b; }),
              (kOut >> shown & 1u) != 0);
        level(in, shift + g.valid.value, (kIn >> shown & 1u) != 0);
        const Rational sample = (g.late ? second : first) + sampleDelay.value;
        if (!g.receives)
            continue;
        wave.marks.push_back({Duration(sample), Duration(sample), -1, std::to_string(shown), false});
        // How long what is received stands before it is sampled, and after.
        const Rational valid = shift + g.valid.value;
        const int trace = g.sends ? 2 : 1;
        if (i == 0 && sample > valid && sample < valid + bit) {
            wave.marks.push_back(
                {Duration(valid), Duration(sample), trace, say("set-up ") + format(Duration(sample - valid), 3), true});
            wave.marks.push_back({Duration(sample), Duration(valid + bit), trace,
                                  say("hold ") + format(Duration(valid + bit - sample), 3), false});
        }
    }
    // The first edge of the last bit that is shown.
    if (bits > 1)
        wave.handles.push_back({"rate", Duration(half + half / 2 + bit * (bits - 1)), Duration(half + half / 2),
                                Waveform::Handle::States::Rate, bits - 1, 0});
    wave.traces = {clock};
    if (g.sends)
        wave.traces.push_back(out);
    if (g.receives)
        wave.traces.push_back(in);
    if (g.hardwareSelect)
        wave.traces.push_back(select);
    return wave;
}

} // namespace

static std::optional<SpiRate> bestRateAmong(const TuningContext& c, bool heeds, const Frequency& most)
{
    const Rational kernel = c.kernel().rate.value;
    const Rational fastest = shifted(c.kernel().rate, c.kernel().tolerance.high).value;
    const Rational needed = fastest / most.value;
    if (!needed.defined())
        return std::nullopt;
    const bool halves = c.has("half_period");
    std::optional<SpiRate> best;
    // The prescalers upwards: with none the first is all there is.
    for (std::optional<std::int64_t> pre = factorAtLeast(c, heeds, "prescaler", 1); pre;
         pre = factorAtLeast(c, heeds, "prescaler", *pre + 1)) {
        const std::int64_t least = std::max<std::int64_t>(1, (needed / (*pre * (halves ? 2 : 1))).ceil());
        const std::optional<std::int64_t> count = factorAtLeast(c, heeds, halves ? "half_period" : "divider", least);
        if (count) {
            const std::int64_t divider = halves ? 2 * *count : *count;
            const SpiRate rate{*pre, divider, Frequency(kernel / (Rational(*pre) * divider))};
            if (!best || rate.sck > best->sck)
                best = rate;
        }
        if (!c.has("prescaler") || Rational(*pre) > needed)
            break;
    }
    return best;
}

std::optional<SpiRate> bestSpiRate(const TuningContext& c, const Frequency& most)
{
    // What is set by hand and too fast for the goal is not heeded; what is achieved is then not known.
    const std::optional<SpiRate> heeding = bestRateAmong(c, true, most);
    return heeding || !hasOverrides(c.plan) ? heeding : bestRateAmong(c, false, most);
}

namespace {

/// The delay after which a controller samples, and the margin that leaves; zero where it does not receive.
Duration solveReceiving(const TuningContext& c, const SpiGoals& g, const SpiRate& rate, Setting& out)
{
    if (!g.receives)
        return {};
    const Rational half = Rational(1) / rate.sck.value / 2, cycle = Rational(1) / c.kernel().rate.value;
    const Rational lack = g.valid.value - half;
    // The delay that makes up for a late part, as long as the bit still stands.
    const std::int64_t wanted = lack < Rational(0) ? 0 : (lack / cycle).floor() + 1;
    const std::int64_t cycles =
        c.has("sample_delay") ? std::min(wanted, c.encoding("sample_delay").largest(c.maxCode("sample_delay"))) : 0;
    const Duration delay(cycle * cycles);
    const Rational margin = half + delay.value - g.valid.value;
    Achieved row{"valid",
                 say("Receive margin"),
                 "> 0 s",
                 formatIfNeeded(c, Duration(margin)),
                 std::nullopt,
                 margin > Rational(0) && delay.value < half,
                 formatIfNeeded(c, "1 / (2 \u00d7 {}){} - {}", formatIfNeeded(c, rate.sck),
                                cycles > 0 ? formatIfNeeded(c, " + {} cycles", cycles) : std::string(),
                                formatIfNeeded(c, g.valid)),
                 {},
                 true};
    if (!row.ok)
        row.trouble = formatIfNeeded(
            c,
            "the part's data is valid {} after the edge, too late for a clock of {}. Choose at most {}, or "
            "a faster part.",
            formatIfNeeded(c, g.valid), formatIfNeeded(c, rate.sck),
            formatIfNeeded(c, Frequency(Rational(1) / (g.valid.value * 2)), 4));
    out.achieved.push_back(row);
    if (c.has("sample_delay"))
        out.roles.push_back({"sample_delay", cycles, "valid"});
    return delay;
}

/// The rate and the next slower ones, for whoever wonders what they would be.
void show(const TuningContext& c, const SpiGoals& g, const SpiRate& rate, const Duration& delay, Look& look)
{
    look.waveform = drawWord(g, rate.sck, delay);
    look.ranking = say("the fastest that the goal allows");
    std::optional<SpiRate> way = rate;
    for (int shown = 0; way && shown < 3; ++shown) {
        look.alternatives.push_back({fmt::format("\u00f7{}", way->prescaler * way->divider),
                                     format(way->sck),
                                     format(errorOf(way->sck, g.most), true),
                                     {{"prescaler", way->prescaler},
                                      {c.has("half_period") ? "half_period" : "divider",
                                       c.has("half_period") ? way->divider / 2 : way->divider}}});
        way = bestSpiRate(c, Frequency(way->sck.value * Rational(999, 1000)));
    }
}

void solveController(const TuningContext& c, const SpiGoals& g, Setting& out)
{
    if (!c.has("divider") && !c.has("half_period")) {
        out.notComputed = formatIfNeeded(
            c, "the block of {} has neither the role \"divider\" nor \"half_period\"; add one in the device file",
            c.device.instances[c.bound.instance].name);
        return;
    }
    const std::optional<SpiRate> rate = bestSpiRate(c, g.most);
    if (!rate) {
        out.notComputed = formatIfNeeded(c, "{} cannot be divided down to {}; give {} a slower clock",
                                         formatIfNeeded(c, c.kernel().rate), formatIfNeeded(c, g.most), c.kernelName());
        return;
    }
    Achieved sck{
        "rate", say("SCK"), formatIfNeeded(c, g.most), formatIfNeeded(c, rate->sck), errorOf(rate->sck, g.most), true,
        {},     {}};
    sck.formula = rate->prescaler > 1 ? formatIfNeeded(c, "{} / ({} \u00d7 {})", formatIfNeeded(c, c.kernel().rate),
                                                       rate->prescaler, rate->divider)
                                      : formatIfNeeded(c, "{} / {}", formatIfNeeded(c, c.kernel().rate), rate->divider);
    if (isFarBelow(rate->sck, g.most)) {
        sck.ok = false;
        sck.trouble = formatIfNeeded(
            c, "{} reaches only {}, less than half of the goal. Give {} a faster clock, or lower the goal.",
            formatIfNeeded(c, c.kernel().rate), formatIfNeeded(c, rate->sck), c.kernelName());
    }
    out.pace = rate->sck.value / g.most.value;
    out.achieved.push_back(sck);
    const Duration delay = solveReceiving(c, g, *rate, out);
    if (c.has("prescaler"))
        out.roles.push_back({"prescaler", rate->prescaler, "rate"});
    out.roles.push_back({c.has("half_period") ? "half_period" : "divider",
                         c.has("half_period") ? rate->divider / 2 : rate->divider, "rate"});
    if (c.look)
        show(c, g, *rate, delay, *c.look);
}

/// A peripheral: the controller gives the clock, and the block must follow it.
void solvePeripheral(const TuningContext& c, const SpiGoals& g, Setting& out)
{
    if (g.sends && !c.has("transmit_empty")) {
        out.notComputed =
            formatIfNeeded(c,
                           "the block of {} has no role \"transmit_empty\", which a sending peripheral needs. "
                           "Receive only, or make it the controller",
                           c.device.instances[c.bound.instance].name);
        return;
    }
    const std::int64_t ratio = c.device.ability(c.bound.instance, "peripheral_ratio", 0);
    Achieved sck{"rate", say("SCK"), formatIfNeeded(c, g.most), say("given by the controller"), std::nullopt, true,
                 {},     {}};
    if (ratio > 0) {
        const Frequency able(shifted(c.kernel().rate, c.kernel().tolerance.low).value / ratio);
        sck.achieved = say("up to ") + formatIfNeeded(c, able);
        sck.formula = formatIfNeeded(c, "{} / {}", formatIfNeeded(c, c.kernel().rate), ratio);
        sck.ok = g.most <= able;
        if (!sck.ok)
            sck.trouble = formatIfNeeded(
                c, "it can follow at most {}. Give {} a faster clock, or use a slower SCK at the controller.",
                formatIfNeeded(c, able), c.kernelName());
    }
    out.achieved.push_back(sck);
    if (c.look)
        c.look->waveform = drawWord(g, g.most, {});
}

/// The size of a word, against those that the block has. Gives whether it has several.
bool solveWord(const TuningContext& c, const SpiGoals& g, Setting& out)
{
    const std::vector<std::int64_t> wordBits = c.device.abilities(c.bound.instance, "word_bits");
    const std::int64_t fewest = wordBits.empty() ? 8 : wordBits.front(), most = wordBits.empty() ? 8 : wordBits.back();
    Achieved word{"word",
                  say("Word"),
                  formatIfNeeded(c, "{} bits", g.bits),
                  formatIfNeeded(c, "{} bits", g.bits),
                  std::nullopt,
                  g.bits >= fewest && g.bits <= most,
                  {},
                  {}};
    if (!word.ok)
        word.trouble = formatIfNeeded(c, "{} has words of {}. Choose one of these, or send the word in parts.",
                                      c.device.instances[c.bound.instance].name,
                                      fewest == most ? formatIfNeeded(c, "{} bits", fewest)
                                                     : formatIfNeeded(c, "{} to {} bits", fewest, most));
    out.achieved.push_back(word);
    return fewest != most;
}

} // namespace

Setting solveSpi(const TuningContext& c)
{
    Setting out;
    const SpiGoals& g = goalsOf<SpiGoals>(c.need);
    if (g.controller)
        solveController(c, g, out);
    else
        solvePeripheral(c, g, out);
    if (!out.notComputed.empty())
        return out;
    out.achieved.push_back({"mode",
                            say("Mode"),
                            formatIfNeeded(c, "SPI mode {}", (g.idleHigh ? 2 : 0) + (g.late ? 1 : 0)),
                            formatIfNeeded(c, "{}, {} edge", g.idleHigh ? "high" : "low", g.late ? "2nd" : "1st"),
                            std::nullopt,
                            true,
                            {},
                            {}});
    const bool severalWords = solveWord(c, g, out);
    out.roles.push_back({"host", g.controller, "role"});
    out.roles.push_back({"polarity", g.idleHigh, "mode"});
    out.roles.push_back({"phase", g.late, "mode"});
    // A chip with one size of word needs no field for it.
    if (c.has("word") || severalWords)
        out.roles.push_back({"word", g.bits, "word"});
    out.roles.push_back({"least_first", g.leastFirst, "order"});
    out.roles.push_back({"select_by_hardware", g.hardwareSelect, "select"});
    addDmaRoles(out, c);
    out.roles.push_back({"on", c.has("on"), "", RoleValue::When::Start});
    return out;
}

} // namespace bindrel
