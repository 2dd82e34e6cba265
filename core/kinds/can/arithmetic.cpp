// SPDX-License-Identifier: GPL-3.0-or-later
// CAN: the bit timing of can_timing.h as registers, and a bit drawn.
#include "core/base/say.h"
#include "core/kinds/can/can.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

Waveform drawBit(const CanTiming& t, bool apart)
{
    const Rational quantum = Rational(1) / t.rate.value / t.quanta();
    Waveform wave;
    wave.title = say("a bit of {} quanta", t.quanta());
    wave.span = Duration(quantum * t.quanta());
    const std::int64_t sample = t.quanta() - t.segment2;
    Waveform::Band quanta{say("quanta"), {}}, segments{say("bit"), {}};
    for (std::int64_t i = 0; i < t.quanta(); ++i)
        quanta.parts.push_back({Duration(quantum * i), Duration(quantum * (i + 1)), std::to_string(i + 1), i % 2 == 1});
    const auto part = [&](std::int64_t from, std::int64_t to, const char* label, bool strong) {
        if (to > from)
            segments.parts.push_back(
                {Duration(quantum * from), Duration(quantum * to), fmt::format("{}, {}", label, to - from), strong});
    };
    segments.parts.push_back({Duration(), Duration(quantum), say("sync"), true});
    if (apart) {
        part(1, 1 + t.propagation, "propagation", false);
        part(1 + t.propagation, sample, say("segment 1"), true);
    } else {
        part(1, sample, say("propagation and segment 1"), false);
    }
    part(sample, t.quanta(), say("segment 2"), !apart);
    // Within which a receiver moves the sample point to follow an edge.
    Waveform::Band jump{say("jump"), {}};
    jump.parts.push_back({Duration(quantum * std::max<std::int64_t>(1, sample - t.jump)),
                          Duration(quantum * std::min(t.quanta(), sample + t.jump)), fmt::format("\u00b1{}", t.jump),
                          true});
    wave.bands = {segments, quanta, jump};
    wave.handles.push_back(
        {"sample", Duration(quantum * sample), Duration(), Waveform::Handle::States::Share, wave.span.value, -1});
    wave.marks.push_back({Duration(quantum * sample), Duration(quantum * sample), -1, say("sample"), false});
    return wave;
}

/// The roles of a bit's timing and what it sets them to.
std::vector<std::pair<std::string, std::int64_t>> rolesOf(const TuningContext& c, const CanTiming& t,
                                                          const std::string& phase)
{
    const bool apart = c.has(phase + "propagation");
    std::vector<std::pair<std::string, std::int64_t>> out{{phase + "prescaler", t.prescaler}};
    if (apart)
        out.emplace_back(phase + "propagation", t.propagation);
    out.emplace_back(phase + "segment1", apart ? t.segment1 : t.propagation + t.segment1);
    out.emplace_back(phase + "segment2", t.segment2);
    out.emplace_back(phase + "jump", t.jump);
    return out;
}

std::string choiceOf(const CanTiming& t)
{
    return say("\u00f7{}, {} quanta", t.prescaler, t.quanta());
}

void listAlternatives(const TuningContext& c)
{
    constexpr std::size_t kShown = 4;
    c.look->ranking = say("the rate, then the sample point, then the oscillator tolerance");
    if (wantsFlexible(c.need)) {
        for (const FlexibleTiming& both : flexibleTimingsFor(c, kShown)) {
            auto roles = rolesOf(c, both.nominal, "");
            for (auto& role : rolesOf(c, both.data, "data_"))
                roles.push_back(std::move(role));
            c.look->alternatives.push_back({choiceOf(both.nominal) + say("; data ") + choiceOf(both.data),
                                            formatBitRate(both.nominal.rate),
                                            say("{} and {}, \u00b1{}", format(both.nominal.samplePoint(), 3),
                                                format(both.data.samplePoint(), 3), format(both.tolerance())),
                                            std::move(roles)});
        }
        return;
    }
    for (const CanTiming& timing : canTimingsFor(c, kShown))
        c.look->alternatives.push_back(
            {choiceOf(timing), formatBitRate(timing.rate),
             say("at {}, clocks \u00b1{}", format(timing.samplePoint(), 3), format(timing.tolerance())),
             rolesOf(c, timing, "")});
}

/// Filters for the identifiers that are wanted, as the controller has them.
void solveFilters(const TuningContext& c, Setting& out)
{
    const std::string text = goalName(c.need, "filters");
    const CanFilterPlan plan = canFilterPlan(c.device, c.bound.instance, c.need);
    const std::string& name = c.device.instances[c.bound.instance].name;
    for (int i = 0; i < plan.available; ++i) {
        const std::string n = std::to_string(plan.first + i);
        const bool used = size_t(i) < plan.filters.filters.size();
        const CanFilter filter = used ? plan.filters.filters[size_t(i)] : CanFilter();
        out.roles.push_back({"filter_use" + n, used, "filters"});
        if (!used)
            continue;
        out.roles.push_back({"filter_id" + n, filter.id, "filters"});
        if (c.has("filter_mask" + n))
            out.roles.push_back({"filter_mask" + n, filter.mask, "filters"});
        if (c.has("filter_extended" + n))
            out.roles.push_back({"filter_extended" + n, filter.extended, "filters"});
    }
    if (text.empty())
        return;
    Achieved row{"filters",
                 say("Filters"),
                 text,
                 plan.filters.more == 0
                     ? formatIfNeeded(c, "{} of {}", plan.filters.filters.size(), plan.available)
                     : formatIfNeeded(c, "{} of {}, {}{} more pass", plan.filters.filters.size(), plan.available,
                                      plan.filters.counted ? "" : say("at most "), plan.filters.more),
                 std::nullopt,
                 plan.trouble.empty(),
                 {},
                 plan.trouble};
    if (!row.ok)
        row.achieved = formatIfNeeded(c, "{} of {}", plan.available, name);
    out.achieved.push_back(row);
}

/// The data phase, and how the controller copes with the delay of the transceiver.
void solveFlexible(const TuningContext& c, Setting& out)
{
    const Block& block = c.device.blockOf(c.bound.instance);
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (!wantsFlexible(c.need)) {
        if (c.has("flexible"))
            out.roles.push_back({"flexible", 0, "data_rate"});
        return;
    }
    const Frequency wanted = goalRate(c.need, "data_rate");
    Achieved rate{"data_rate", say("Data rate"), bitRateIfNeeded(c, wanted), "none", std::nullopt, false, {}, {}};
    const std::optional<FlexibleTiming> both = flexibleTiming(c);
    if (!both) {
        rate.trouble =
            hasFlexible(block)
                ? formatIfNeeded(
                      c,
                      "{} at {} cannot be split into a bit of {} for the data. Give it a rate that is a multiple of "
                      "that.",
                      c.kernelName(), formatIfNeeded(c, c.kernel().rate), bitRateIfNeeded(c, wanted))
                : formatIfNeeded(
                      c, "{} supports only classic frames. Choose a controller with CAN FD, or no data rate.", name);
        out.achieved.push_back(rate);
        return;
    }
    const CanTiming& data = both->data;
    rate.achieved = bitRateIfNeeded(c, data.rate);
    rate.error = data.error;
    rate.formula =
        formatIfNeeded(c, "{} / ({} \u00d7 {})", formatIfNeeded(c, c.kernel().rate), data.prescaler, data.quanta());
    rate.ok = data.error.value.abs() <= both->tolerance().value && goalRate(c.need, "rate") <= wanted;
    if (!rate.ok)
        rate.trouble =
            wanted < goalRate(c.need, "rate")
                ? say("the data phase must not be slower than the arbitration phase. Choose a data rate above the bit "
                      "rate, or none.")
                : formatIfNeeded(
                      c, "the nearest is {} off, more than the bus tolerates. Give {} a rate that is a multiple of {}.",
                      formatIfNeeded(c, data.error, true), c.kernelName(), bitRateIfNeeded(c, wanted));
    out.achieved.push_back(rate);
    const std::optional<Ratio> sample = goalAs<Ratio>(c.need, "data_sample");
    Achieved point{"data_sample",
                   say("Data sample point"),
                   formatIfNeeded(c, *sample),
                   formatIfNeeded(c, data.samplePoint()),
                   std::nullopt,
                   (data.samplePoint().value - sample->value).abs() <= Rational(1, 20),
                   formatIfNeeded(c, "1 - {} / {}", data.segment2, data.quanta()),
                   {}};
    if (!point.ok)
        point.trouble = say(
            "the controller has no nearer one. Use a clock with more quanta per bit, or choose another sample point.");
    out.achieved.push_back(point);
    const bool apart = c.has("data_propagation");
    out.roles.push_back({"flexible", 1, "data_rate"});
    if (c.has("switching"))
        out.roles.push_back({"switching", 1, "data_rate"});
    out.roles.push_back({"data_prescaler", data.prescaler, "data_rate"});
    if (apart)
        out.roles.push_back({"data_propagation", data.propagation, "data_sample"});
    out.roles.push_back({"data_segment1", apart ? data.segment1 : data.propagation + data.segment1, "data_sample"});
    out.roles.push_back({"data_segment2", data.segment2, "data_sample"});
    out.roles.push_back({"data_jump", data.jump, "data_jump"});
    // A sender compares each bit at its sample point with what comes back; the data bits may be over before that (ISO
    // 11898-1, transmitter delay compensation).
    const Duration loop = goalTime(c.need, "loop");
    const bool late = loop > both->dataSample();
    const std::int64_t offset = data.prescaler * (data.quanta() - data.segment2);
    Achieved delay{"loop",
                   say("Transceiver delay"),
                   formatIfNeeded(c, loop),
                   late ? "measured" : formatIfNeeded(c, "sampled after {}", formatIfNeeded(c, both->dataSample())),
                   std::nullopt,
                   true,
                   {},
                   {},
                   true};
    if (late && !c.has("delay"))
        delay.trouble =
            formatIfNeeded(c,
                           "{} cannot measure it, and compares a bit {} after its start. Choose a lower data rate, or "
                           "a later sample point.",
                           name, formatIfNeeded(c, both->dataSample()));
    else if (late && data.prescaler > 2)
        delay.trouble =
            say("it is measured only with a data prescaler of 1 or 2. Use a slower clock, or a lower data rate.");
    else if (late && c.has("delay_offset") && !c.encoding("delay_offset").encode(offset))
        delay.trouble = formatIfNeeded(c, "the offset of {} cycles does not fit into the controller's field.", offset);
    delay.ok = delay.trouble.empty();
    out.achieved.push_back(delay);
    if (c.has("delay"))
        out.roles.push_back({"delay", late && delay.ok, "loop"});
    if (late && delay.ok && c.has("delay_offset"))
        out.roles.push_back({"delay_offset", offset, "loop"});
}

} // namespace

CanFilterPlan canFilterPlan(const Device& device, InstanceIndex instance, const Need& need)
{
    CanFilterPlan out;
    const Block& block = device.blockOf(instance);
    const auto has = [&block](const std::string& role) { return block.role(role) != nullptr; };
    out.first = has("filter_use0") ? 0 : 1;
    while (has("filter_use" + std::to_string(out.first + out.available)) &&
           has("filter_id" + std::to_string(out.first + out.available)))
        ++out.available;
    const std::string& name = device.instances[instance].name;
    const Expected<std::vector<CanRange>>& ranges = goalsOf<CanGoals>(need).identifiers;
    if (!ranges) {
        out.trouble = ranges.problem().message;
        return out;
    }
    if (ranges->empty())
        return out;
    if (out.available == 0) {
        out.trouble = say("{} has no filters. Check the identifiers in the program.", name);
        return out;
    }
    if (!has("filter_extended" + std::to_string(out.first)) &&
        std::any_of(ranges->begin(), ranges->end(), [](const CanRange& range) { return range.extended; })) {
        out.trouble = say("{} filters only standard identifiers (11 bits).", name);
        return out;
    }
    if (has("filter_mask" + std::to_string(out.first))) {
        out.filters = coverByMasks(*ranges, size_t(out.available));
        if (out.filters.filters.size() > size_t(out.available))
            out.trouble =
                say("{} has {} filters, too few for both standard and extended identifiers.", name, out.available);
        return out;
    }
    std::uint64_t count = 0;
    for (const CanRange& range : *ranges)
        count += std::uint64_t(range.last) - range.first + 1;
    if (count > std::uint64_t(out.available)) {
        out.trouble = say(
            "{} filters {} single identifiers, but {} are listed. List fewer, or none and check them in the program.",
            name, out.available, count);
        return out;
    }
    for (const CanRange& range : *ranges)
        for (std::uint32_t id = range.first; id <= range.last; ++id)
            out.filters.filters.push_back({id, range.extended ? 0x1FFFFFFFu : 0x7FFu, range.extended});
    return out;
}

Setting solveCan(const TuningContext& c)
{
    Setting out;
    const Frequency wanted = goalRate(c.need, "rate");
    const std::optional<CanTiming> timing = canTiming(c);
    if (!timing) {
        const CanFields fields = canFields(c);
        if (const std::int64_t jump = goalNumber(c.need, "jump"); jump > 0)
            if (const std::optional<CanTiming> free = canTimingOfAnyJump(c)) {
                out.notComputed = formatIfNeeded(
                    c,
                    "an SJW of {} quanta does not fit into a bit of {} at {}: {} allows at most {}. "
                    "Use that, or leave SJW empty",
                    jump, bitRateIfNeeded(c, wanted), formatIfNeeded(c, c.kernel().rate), c.kernelName(), free->jump);
                return out;
            }
        out.notComputed =
            formatIfNeeded(c,
                           "{} at {} cannot be split into a bit of {}: it must give 8 to {} quanta per bit with a "
                           "prescaler of at most {}",
                           c.kernelName(), formatIfNeeded(c, c.kernel().rate), bitRateIfNeeded(c, wanted),
                           1 + fields.propagation + fields.segment1 + fields.segment2, fields.prescaler);
        return out;
    }
    const std::optional<Ratio> sample = goalAs<Ratio>(c.need, "sample");
    Achieved rate{"rate",
                  say("Bit rate"),
                  bitRateIfNeeded(c, wanted),
                  bitRateIfNeeded(c, timing->rate),
                  timing->error,
                  timing->error.value.abs() <= timing->tolerance().value,
                  formatIfNeeded(c, "{} / ({} \u00d7 {})", formatIfNeeded(c, c.kernel().rate), timing->prescaler,
                                 timing->quanta()),
                  {}};
    if (!rate.ok)
        rate.trouble = formatIfNeeded(
            c, "the nearest is {} off, more than the bus tolerates. Give {} a rate that is a multiple of {}.",
            formatIfNeeded(c, timing->error, true), c.kernelName(), bitRateIfNeeded(c, wanted));
    out.achieved.push_back(rate);
    const Rational off = (timing->samplePoint().value - sample->value).abs();
    Achieved point{"sample",
                   say("Sample point"),
                   formatIfNeeded(c, *sample),
                   formatIfNeeded(c, timing->samplePoint()),
                   std::nullopt,
                   off <= Rational(1, 20),
                   formatIfNeeded(c, "1 - {} / {}", timing->segment2, timing->quanta()),
                   {}};
    if (!point.ok)
        point.trouble = say(
            "the controller has no nearer one. Use a clock with more quanta per bit, or choose another sample point.");
    out.achieved.push_back(point);
    const bool apart = c.has("propagation");
    out.achieved.push_back(
        {"rate",
         say("Quanta per bit"),
         "",
         std::to_string(timing->quanta()),
         std::nullopt,
         true,
         apart ? formatIfNeeded(c, "1 + {} + {} + {}", timing->propagation, timing->segment1, timing->segment2)
               : formatIfNeeded(c, "1 + {} + {}", timing->propagation + timing->segment1, timing->segment2),
         {},
         true});
    out.achieved.push_back({"jump",
                            say("SJW"),
                            goalIfNeeded(c, "jump"),
                            c.worded ? sayCount(timing->jump, "{} quantum", "{} quanta") : std::string(kUnsaid),
                            std::nullopt,
                            true,
                            {},
                            {}});
    const bool listens = goalIs(c.need, "listen", "yes");
    if (listens && !c.has("silent"))
        out.achieved.push_back({"listen",
                                say("Listen only"),
                                "yes",
                                "no",
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} always acknowledges. Disconnect its TX from the transceiver.",
                                               c.device.instances[c.bound.instance].name)});

    if (c.has("on"))
        out.before.push_back({RoleStep::Kind::Set, "on", 1, say("Switch the controller on.")});
    if (c.has("hold"))
        out.before.push_back(
            {RoleStep::Kind::Set, "hold", 1, say("Hold the controller: the timing can only be set then.")});
    if (c.has("hold") && c.has("held"))
        out.before.push_back({RoleStep::Kind::Await, "held", 1, say("Wait until it is held.")});
    out.roles.push_back({"prescaler", timing->prescaler, "rate"});
    if (apart)
        out.roles.push_back({"propagation", timing->propagation, "sample"});
    out.roles.push_back({"segment1", apart ? timing->segment1 : timing->propagation + timing->segment1, "sample"});
    out.roles.push_back({"segment2", timing->segment2, "sample"});
    out.roles.push_back({"jump", timing->jump, "jump"});
    if (c.has("silent"))
        out.roles.push_back({"silent", listens, "listen"});
    solveFlexible(c, out);
    solveFilters(c, out);
    if (goalIs(c.need, "interrupt", "received")) {
        const bool own = c.device.interruptOf(c.bound.instance, "received").has_value();
        // The shortest frame that carries a byte: 55 bits with the space behind it.
        out.events.push_back({own ? "received" : "event", "receive_interrupt", "receive_full", "received",
                              say("Called by the interrupt while frames are pending: read them all."),
                              Frequency(timing->rate.value / 55)});
        if (!c.has("receive_full"))
            out.achieved.push_back(
                {"interrupt",
                 "Interrupt",
                 "received",
                 "none",
                 std::nullopt,
                 false,
                 {},
                 formatIfNeeded(c, "the device file does not describe where {} signals a received frame.",
                                c.device.instances[c.bound.instance].name)});
    }
    if (c.has("hold"))
        out.roles.push_back({"hold", 0, "", RoleValue::When::Start, 1});
    if (c.look) {
        c.look->waveform = drawBit(*timing, apart);
        listAlternatives(c);
    }
    return out;
}

} // namespace bindrel
