// SPDX-License-Identifier: GPL-3.0-or-later
// UART: divider and oversampling from the baud, and the error budget of the frame.
//
// An asynchronous receiver finds the start edge to within one sample (1/N bit with N samples a bit) and decides each
// bit by the samples about its middle (one sample to either side). The last bit that it must still hit is the first
// stop bit, whose middle lies (bits - 1/2) bit times behind the start edge. So the two ends' rates may differ by
//     (1/2 - 2/N) / (bits - 1/2)
// in all: 4 % for 10 bits and N = 16. That budget is shared by the divider's error, this chip's clock and the other
// end's.
#include "core/base/say.h"
#include "core/kinds/common/interrupt_load.h"
#include "core/kinds/uart/uart.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

using Frame = UartFrame;
using Parity = UartFrame::Parity;

struct Divider {
    std::int64_t oversampling = 16;
    std::int64_t divider = 0;
    Frequency baud;
    Ppm error;
    Ppm budget; ///< what the frame tolerates with so many samples a bit
    Rational margin() const { return budget.value - error.value.abs(); }
};

std::vector<Divider> dividersFor(const TuningContext& c, const Frequency& wanted, const Frame& frame)
{
    const InstanceIndex instance = c.bound.instance;
    const std::int64_t unit = dividerUnit(c.device, c.bound.instance);
    const std::int64_t least = c.device.ability(instance, "smallest_divider", 1);
    const std::int64_t most = c.encoding("divider").largest(c.maxCode("divider"));
    std::vector<Divider> out;
    const std::vector<std::int64_t>& able = c.device.abilities(instance, "oversampling");
    std::optional<std::int64_t> onlySamples = c.byHand("oversampling");
    if (onlySamples && std::find(able.begin(), able.end(), *onlySamples) == able.end())
        onlySamples.reset();
    const std::optional<std::int64_t> onlyDivider = c.byHand("divider");
    for (const std::int64_t oversampling : able) {
        if (onlySamples && *onlySamples != oversampling)
            continue;
        const Rational ideal = c.kernel().rate.value * unit / (wanted.value * oversampling);
        if (!ideal.defined() || least > most)
            continue;
        const std::int64_t divider =
            onlyDivider && *onlyDivider > 0 ? *onlyDivider : std::clamp(ideal.round(), least, most);
        Divider d{oversampling,
                  divider,
                  Frequency(c.kernel().rate.value * unit / (Rational(oversampling) * divider)),
                  {},
                  {}};
        d.error = errorOf(d.baud, wanted);
        d.budget = Ppm((Rational(1, 2) - Rational(2) / oversampling) / (Rational(frame.toStop()) - Rational(1, 2)) *
                       1'000'000);
        out.push_back(d);
    }
    // More samples a bit tolerate more, so fewer of them must be worth it. Where the other end is given the clock, the
    // rate alone counts.
    if (goalsOf<UartGoals>(c.need).line == UartGoals::Line::Synchronous)
        std::stable_sort(out.begin(), out.end(),
                         [](const Divider& a, const Divider& b) { return a.error.value.abs() < b.error.value.abs(); });
    else
        std::stable_sort(out.begin(), out.end(),
                         [](const Divider& a, const Divider& b) { return a.margin() > b.margin(); });
    return out;
}

/// `off`: how far the receiver's rate may be from the sender's, as a part of it. The bits are sampled the further
/// beside their middle the later they come; what is left of each is its part of the eye.
Waveform drawFrame(const Frame& frame, const Frequency& baud, std::int64_t oversampling, const Rational& off)
{
    // 0x53 has runs of both levels, so that every kind of edge is seen.
    constexpr unsigned kSample = 0x53;
    const Rational bit = Rational(1) / baud.value;
    Waveform wave;
    std::vector<bool> levels{false};
    bool odd = false;
    for (int i = 0; i < frame.data; ++i) {
        levels.push_back((kSample >> i & 1u) != 0);
        odd = odd != levels.back();
    }
    if (frame.parity != Parity::None)
        levels.push_back(frame.parity == Parity::Even ? odd : !odd);
    for (int i = 0; i < frame.stop; ++i)
        levels.push_back(true);
    wave.title = say("one frame, data 0x{:02X}", kSample & ((1u << frame.data) - 1));
    wave.span = Duration(bit * static_cast<std::int64_t>(levels.size() + 1));
    Waveform::Trace trace{say("line"), true, {}};
    Waveform::Band eye{say("eye"), {}};
    const Rational half(1, 2);
    for (size_t i = 0; i < levels.size(); ++i) {
        const Rational start = bit * (half + static_cast<std::int64_t>(i));
        if (levels[i] != (trace.edges.empty() ? trace.high : trace.edges.back().high))
            trace.edges.push_back({Duration(start), levels[i]});
        const bool isStop = i >= levels.size() - static_cast<size_t>(frame.stop);
        const std::string label = i == 0                   ? "start"
                                  : isStop                 ? "stop"
                                  : i > size_t(frame.data) ? "parity"
                                                           : std::to_string(i - 1);
        const Rational middle = start + bit * half;
        const Rational sample = bit / oversampling;
        wave.marks.push_back({Duration(middle - sample), Duration(middle + sample), 0, label, true});
        const Rational lost = bit * off * (half + static_cast<std::int64_t>(i)) + sample;
        if (lost < bit * half) {
            const bool last = i + static_cast<size_t>(frame.stop) >= levels.size(); // the first stop bit decides
            eye.parts.push_back({Duration(start + lost), Duration(start + bit - lost),
                                 format(Ratio(Rational(1) - lost * 2 / bit), 2), last});
        }
    }
    wave.bands.push_back(std::move(eye));
    // The end of the last data bit says what the rate is better than that of the first.
    const Rational bits(1 + frame.data);
    wave.handles.push_back(
        {"baud", Duration(bit * (half + bits)), Duration(bit * half), Waveform::Handle::States::Rate, bits, 0});
    wave.traces.push_back(std::move(trace));
    return wave;
}

/// How long the driver of the bus is on before and after a transmission, in samples of a bit.
void solveDriver(const TuningContext& c, const UartGoals& g, const Divider& best, Setting& out)
{
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (!c.has("driver_enable")) {
        out.achieved.push_back(
            {"line",
             "Line",
             "RS-485",
             say("two wires"),
             std::nullopt,
             false,
             {},
             formatIfNeeded(
                 c, "{} has no driver-enable output. Choose another port, or add an output that your program switches.",
                 name)});
        return;
    }
    out.roles.push_back({"driver_enable", 1, "line"});
    const Rational sample = Rational(1) / (best.baud.value * best.oversampling);
    // At its fastest the clock gives the shortest time.
    const Rational shortest = Rational(1) / (shifted(best.baud, c.kernel().tolerance.high).value * best.oversampling);
    for (const auto& [role, goal, title, wanted] : {std::tuple{"driver_lead", "lead", say("Driver lead time"), g.lead},
                                                    {"driver_trail", "trail", say("Driver hold time"), g.trail}}) {
        const std::int64_t least = (wanted.value / shortest).ceil();
        const std::optional<std::int64_t> samples = c.has(role)  ? c.encoding(role).atLeast(least, c.maxCode(role))
                                                    : least == 0 ? std::optional<std::int64_t>(0)
                                                                 : std::nullopt;
        Achieved row{goal,
                     title,
                     "\u2265 " + formatIfNeeded(c, wanted),
                     formatIfNeeded(c, Duration(sample * samples.value_or(0))),
                     std::nullopt,
                     samples.has_value(),
                     formatIfNeeded(c, "{} samples of {}", samples.value_or(0), formatIfNeeded(c, Duration(sample))),
                     {}};
        if (!samples) {
            const std::int64_t most = c.has(role) ? c.encoding(role).largest(c.maxCode(role)) : 0;
            row.achieved = formatIfNeeded(c, Duration(sample * most));
            row.trouble = formatIfNeeded(
                c, "{} allows at most {} at this baud rate. Choose less, or a lower baud rate.", name, row.achieved);
        } else if (c.has(role)) {
            out.roles.push_back({role, *samples, goal});
        }
        out.achieved.push_back(row);
    }
}

/// The clock that the other end gets.
void solveClock(const TuningContext& c, Setting& out)
{
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (!c.has("clocked")) {
        out.achieved.push_back({"line",
                                say("Line"),
                                "synchronous",
                                say("two wires"),
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} has no clock output. Choose another port, or SPI.", name)});
        return;
    }
    out.roles.push_back({"clocked", 1, "line"});
    for (const auto& [role, goal, title, one, zero] :
         {std::tuple{"clock_high", "clock_idle", say("Clock idle level"), "high", "low"},
          {"clock_second", "clock_edge", say("Sampling edge"), say("second edge"), say("first edge")},
          {"clock_last", "last_clock", say("Last bit clock"), "yes", "no"}}) {
        const bool isOne = goalIs(c.need, goal, one);
        const std::string wanted = isOne ? one : zero;
        Achieved row{goal, title, wanted, wanted, std::nullopt, true, {}, {}};
        if (c.has(role)) {
            out.roles.push_back({role, isOne, goal});
        } else if (const bool said = c.need.goals.contains(goal);
                   said && isOne == (std::string_view(role) != "clock_last")) {
            // Without a field it is as most would have it: low, first, with a pulse for all bits.
            row.ok = false;
            row.achieved = std::string_view(role) == "clock_last" ? one : zero;
            row.trouble = formatIfNeeded(c, "{} has only one choice. Choose {}, or another port.", name, row.achieved);
        }
        out.achieved.push_back(row);
    }
}

} // namespace

std::int64_t dividerUnit(const Device& device, InstanceIndex instance)
{
    return std::int64_t(1) << std::min<std::int64_t>(device.ability(instance, "fraction_bits", 0), 16);
}

Accuracy uartAccuracy(const TuningContext& c)
{
    Accuracy out;
    out.given = c.kernel().tolerance.worst();
    out.inGoals = true;
    const UartGoals& g = goalsOf<UartGoals>(c.need);
    const std::vector<Divider> ways = dividersFor(c, g.baud, g.frame);
    if (ways.empty())
        return out;
    out.effect =
        formatIfNeeded(c, "{} {}", baudIfNeeded(c, ways.front().baud), formatIfNeeded(c, c.kernel().tolerance));
    if (g.line == UartGoals::Line::Synchronous)
        return out; // the other end follows, whatever the rate
    const Rational left = ways.front().margin() - g.peer.value;
    out.allowed = Ppm(left > Rational(0) ? left : Rational(0));
    out.asks = formatIfNeeded(c, "{}, {} bits per frame: \u00b1{}", baudIfNeeded(c, g.baud), g.frame.toStop(),
                              formatIfNeeded(c, *out.allowed));
    return out;
}

namespace {

/// The rate, its frame, and what both ends may be off by.
void tellBaud(const TuningContext& c, const UartGoals& g, const Divider& best, Setting& out)
{
    const Frequency wanted = g.baud;
    const Frame& frame = g.frame;
    const Ppm peer = g.peer;
    const Ppm budget = best.budget;
    const Ppm total(best.error.value.abs() + c.kernel().tolerance.worst().value + peer.value);

    Achieved baud{"baud", say("Baud"), baudIfNeeded(c, wanted), baudIfNeeded(c, best.baud), best.error, true, {}, {}};
    baud.formula = formatIfNeeded(c, "{} \u00d7 {} / ({} \u00d7 {})", formatIfNeeded(c, c.kernel().rate),
                                  dividerUnit(c.device, c.bound.instance), best.oversampling, best.divider);
    const bool clocked = g.line == UartGoals::Line::Synchronous;
    baud.ok = clocked || total <= budget;
    if (!baud.ok)
        baud.trouble =
            formatIfNeeded(c,
                           "total error {} exceeds the {} allowed for a frame of {} bits ({} divider, {} clock, {} "
                           "other end). Choose a faster or more accurate clock for {}.",
                           formatIfNeeded(c, total), formatIfNeeded(c, budget), frame.toStop(),
                           formatIfNeeded(c, Ppm(best.error.value.abs())),
                           formatIfNeeded(c, c.kernel().tolerance.worst()), formatIfNeeded(c, peer), c.kernelName());
    out.achieved.push_back(baud);
    out.achieved.push_back({"frame",
                            say("Frame"),
                            goalIfNeeded(c, "frame"),
                            formatIfNeeded(c, "{} bit times", frame.toStop() - 1 + frame.stop),
                            std::nullopt,
                            true,
                            {},
                            {}});
    if (!clocked)
        out.achieved.push_back({"peer",
                                say("Error budget"),
                                formatIfNeeded(c, "\u2264 {}", formatIfNeeded(c, budget)),
                                formatIfNeeded(c, total) + say(" used"),
                                std::nullopt,
                                baud.ok,
                                formatIfNeeded(c, "(1/2 - 2/{}) / ({} - 1/2)", best.oversampling, frame.toStop()),
                                {},
                                true});
}

/// Who drives the line, and with what beside the data.
void solveLine(const TuningContext& c, const UartGoals& g, const Divider& best, Setting& out)
{
    if (g.line == UartGoals::Line::Synchronous)
        solveClock(c, out);
    else if (c.has("clocked"))
        out.roles.push_back({"clocked", 0, "line"});
    if (g.line == UartGoals::Line::OneWire)
        out.achieved.push_back({"line",
                                say("Line"),
                                say("one wire"),
                                c.has("single_wire") ? say("one wire") : say("two wires"),
                                std::nullopt,
                                c.has("single_wire"),
                                {},
                                c.has("single_wire")
                                    ? ""
                                    : formatIfNeeded(c,
                                                     "{} has no one-wire mode. Join TX and RX on the board and "
                                                     "use two wires here, or choose another port.",
                                                     c.device.instances[c.bound.instance].name)});
    else if (c.has("single_wire"))
        out.roles.push_back({"single_wire", 0, "line"});
    if (g.line == UartGoals::Line::Rs485 && g.sends) // a port that only listens has no driver to switch
        solveDriver(c, g, best, out);
}

/// What the registers get; what the line asks for is there already and comes last. `choices`: ways to divide.
void addRoles(const TuningContext& c, const UartGoals& g, const Divider& best, size_t choices, Setting& out)
{
    const Frame& frame = g.frame;
    const std::vector<RoleValue> line = std::move(out.roles);
    out.roles = {{"divider", best.divider, "baud"},    {"oversampling", best.oversampling, "baud"},
                 {"bits", frame.data, "frame"},        {"parity", static_cast<std::int64_t>(frame.parity), "frame"},
                 {"stop", frame.stop, "frame"},        {"rts", g.handshake, "flow"},
                 {"cts", g.handshake, "flow"},         {"transmit", g.sends, "direction"},
                 {"receive", g.receives, "direction"}, {"on", 1, ""}};
    out.roles.insert(out.roles.end(), line.begin(), line.end());
    if (g.line == UartGoals::Line::OneWire && c.has("single_wire"))
        out.roles.push_back({"single_wire", 1, "line"});
    // A chip with one choice needs no field for it.
    std::erase_if(out.roles, [&](const RoleValue& value) {
        return !c.has(value.role) &&
               ((value.role == "oversampling" && choices == 1) || (value.role == "bits" && value.value == 8) ||
                (value.role == "stop" && value.value == 1));
    });
}

void solveReceiveInterrupt(const TuningContext& c, const UartGoals& g, const Divider& best, Setting& out)
{
    const Frame& frame = g.frame;
    const bool can = g.receives && !goalIs(c.need, "dma", "receive") && !goalIs(c.need, "dma", "both");
    if (!can)
        out.achieved.push_back({"interrupt",
                                say("Interrupt"),
                                "receive",
                                "none",
                                std::nullopt,
                                false,
                                {},
                                g.receives ? say("DMA already reads what is received; use either DMA or the interrupt.")
                                           : say("nothing is received. Choose both directions, or no interrupt.")});
    else {
        const Frequency bytes(best.baud.value / (frame.toStop() - 1 + frame.stop));
        out.achieved.push_back(interruptLoad(c, "interrupt", bytes));
        out.events.push_back({"event", "receive_interrupt", "receive_full", "take_in",
                              say("Called by the interrupt: stores a received byte."), bytes, true});
    }
}

void solveMatch(const TuningContext& c, const UartGoals& g, Setting& out)
{
    const std::string& name = c.device.instances[c.bound.instance].name;
    const bool can = g.receives && c.has("match") && c.has("matched");
    if (can) {
        out.roles.push_back({"match", goalNumber(c.need, "match"), "match"});
        if (c.has("match_on"))
            out.roles.push_back({"match_on", 1, "match"});
        out.events.push_back({"event",
                              "match_interrupt",
                              "matched",
                              "matched",
                              say("Called by the interrupt when the match byte has been received."),
                              {},
                              false});
    } else {
        out.achieved.push_back(
            {"interrupt",
             "Interrupt",
             "match",
             "none",
             std::nullopt,
             false,
             {},
             g.receives ? formatIfNeeded(c, "{} has no byte match. Check for the byte in the program.", name)
                        : say("nothing is received. Choose both directions, or no interrupt.")});
    }
}

void solveIdle(const TuningContext& c, const UartGoals& g, Setting& out)
{
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (g.receives && c.has("idle_seen"))
        out.events.push_back({"event",
                              "idle_interrupt",
                              "idle_seen",
                              "idle",
                              say("Called by the interrupt when the line is idle after bytes."),
                              {},
                              false});
    else
        out.achieved.push_back(
            {"interrupt",
             "Interrupt",
             "idle",
             "none",
             std::nullopt,
             false,
             {},
             g.receives ? formatIfNeeded(
                              c, "{} has no idle detection. Choose another port, or check the received bytes.", name)
                        : say("nothing is received. Choose both directions, or no interrupt.")});
}

void solveWake(const TuningContext& c, const UartGoals& g, Setting& out)
{
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (const bool wakes = goalIs(c.need, "wake", "yes"); wakes && (!g.receives || !c.has("wake")))
        out.achieved.push_back(
            {"wake",
             "Wakes",
             "yes",
             "no",
             std::nullopt,
             false,
             {},
             g.receives
                 ? formatIfNeeded(
                       c, "{} does not wake the chip. Choose another port, or use a GPIO edge interrupt on its pad.",
                       name)
                 : say("nothing is received that could wake the chip.")});
    else if (c.has("wake"))
        out.roles.push_back({"wake", wakes, "wake"});
}

void show(const TuningContext& c, const UartGoals& g, const std::vector<Divider>& ways, Look& look)
{
    const Frame& frame = g.frame;
    const Divider& best = ways.front();
    for (const Divider& way : ways)
        look.alternatives.push_back({say("{} samples, \u00f7{}", way.oversampling, way.divider),
                                     formatBaud(way.baud),
                                     format(way.error, true),
                                     {{"oversampling", way.oversampling}, {"divider", way.divider}}});
    look.ranking = g.line == UartGoals::Line::Synchronous ? say("the smallest error")
                                                          : say("the most clock error left to the two ends");
    look.waveform = drawFrame(frame, best.baud, best.oversampling,
                              (best.error.value.abs() + c.kernel().tolerance.worst().value + g.peer.value) / 1'000'000);
}

} // namespace

Setting solveUart(const TuningContext& c)
{
    Setting out;
    const UartGoals& g = goalsOf<UartGoals>(c.need);
    const std::vector<Divider> ways = dividersFor(c, g.baud, g.frame);
    if (ways.empty()) {
        out.notComputed = formatIfNeeded(c, "{} cannot be divided to {}", formatIfNeeded(c, c.kernel().rate),
                                         baudIfNeeded(c, g.baud));
        return out;
    }
    const Divider& best = ways.front();
    tellBaud(c, g, best, out);
    solveLine(c, g, best, out);
    addRoles(c, g, best, ways.size(), out);
    addDmaRoles(out, c);
    if (goalIs(c.need, "interrupt", "receive"))
        solveReceiveInterrupt(c, g, best, out);
    if (goalIs(c.need, "interrupt", "match"))
        solveMatch(c, g, out);
    solveWake(c, g, out);
    if (goalIs(c.need, "interrupt", "idle"))
        solveIdle(c, g, out);
    if (c.look)
        show(c, g, ways, *c.look);
    return out;
}

} // namespace bindrel
