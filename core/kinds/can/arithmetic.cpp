// SPDX-License-Identifier: GPL-3.0-or-later
// CAN: the bit timing of can_timing.h as registers, and a bit drawn.
#include "core/kinds/can/can.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

Waveform drawBit(const CanTiming& t, bool apart)
{
    const Rational quantum = Rational(1) / t.rate.value / t.quanta();
    Waveform wave;
    wave.title = fmt::format("a bit of {} quanta", t.quanta());
    wave.span = Duration(quantum * t.quanta());
    Waveform::Trace quanta{"quanta", true, {}};
    for (std::int64_t i = 0; i < t.quanta(); ++i) {
        quanta.edges.push_back({Duration(quantum * i + quantum / 2), false});
        if (i + 1 < t.quanta())
            quanta.edges.push_back({Duration(quantum * (i + 1)), true});
    }
    wave.traces = {quanta};
    const auto part = [&](std::int64_t from, std::int64_t to, std::string label, bool shade) { wave.marks.push_back({Duration(quantum * from), Duration(quantum * to), -1, std::move(label), shade}); };
    const std::int64_t sample = t.quanta() - t.segment2;
    part(0, 1, "sync", true);
    // Shaded by turns, so that each is told from the next.
    if (apart)
        part(1 + t.propagation, sample, "segment 1", true);
    part(sample, t.quanta(), "segment 2", true);
    if (apart)
        part(1, 1, "propagation", false);
    wave.marks.push_back({Duration(quantum * sample), Duration(quantum * sample), -1, "sample", false});
    return wave;
}

} // namespace

Setting solveCan(const TuningContext& c)
{
    Setting out;
    const Frequency wanted = goalRate(c.need, "rate");
    const std::optional<CanTiming> timing = canTiming(c);
    if (!timing) {
        const CanFields fields = canFields(c);
        out.notComputed = fmt::format("{} at {} cannot be split into a bit of {}: it must give 8 to {} quanta a bit with a prescaler of at most {}", c.kernelName(), format(c.kernel().rate), formatBaud(wanted),
                                      1 + fields.propagation + fields.segment1 + fields.segment2, fields.prescaler);
        return out;
    }
    const Expected<Ratio> sample = parseRatio(goalText(c.need, "sample"));
    Achieved rate{"rate", "Bit rate", formatBaud(wanted), formatBaud(timing->rate), timing->error, timing->error.value.abs() <= timing->tolerance().value,
                  fmt::format("{} / ({} \u00d7 {})", format(c.kernel().rate), timing->prescaler, timing->quanta()), {}};
    if (!rate.ok)
        rate.trouble = fmt::format("the nearest is {} off, more than the bus bears. Give {} a rate that is a multiple of {}.", format(timing->error, true), c.kernelName(), formatBaud(wanted));
    out.achieved.push_back(rate);
    const Rational off = (timing->samplePoint().value - sample->value).abs();
    Achieved point{"sample", "Sample point", format(*sample), format(timing->samplePoint()), std::nullopt, off <= Rational(1, 20), fmt::format("1 - {} / {}", timing->segment2, timing->quanta()), {}};
    if (!point.ok)
        point.trouble = "the fields of the controller give none that is nearer. Give it a clock that makes more quanta a bit, or ask for another sample point.";
    out.achieved.push_back(point);
    const bool apart = c.has("propagation");
    out.achieved.push_back({"rate", "Quanta a bit", "", std::to_string(timing->quanta()), std::nullopt, true,
                            apart ? fmt::format("1 + {} + {} + {}", timing->propagation, timing->segment1, timing->segment2) : fmt::format("1 + {} + {}", timing->propagation + timing->segment1, timing->segment2), {}, true});
    out.achieved.push_back({"jump", "Jump width", goalText(c.need, "jump"), fmt::format("{} quanta", timing->jump), std::nullopt, true, {}, {}});
    const bool listens = goalText(c.need, "listen") == "yes";
    if (listens && !c.has("silent"))
        out.achieved.push_back({"listen", "Only listens", "yes", "no", std::nullopt, false, {}, fmt::format("{} always acknowledges. Leave its TX away from the transceiver.", c.device.instances[size_t(c.bound.instance)].name)});

    if (c.has("on"))
        out.before.push_back({RoleStep::Kind::Set, "on", 1, "Switch the controller on."});
    if (c.has("hold"))
        out.before.push_back({RoleStep::Kind::Set, "hold", 1, "The timing can be set while the controller is held."});
    if (c.has("hold") && c.has("held"))
        out.before.push_back({RoleStep::Kind::Await, "held", 1, "Until it is."});
    out.roles.push_back({"prescaler", timing->prescaler, "rate"});
    if (apart)
        out.roles.push_back({"propagation", timing->propagation, "sample"});
    out.roles.push_back({"segment1", apart ? timing->segment1 : timing->propagation + timing->segment1, "sample"});
    out.roles.push_back({"segment2", timing->segment2, "sample"});
    out.roles.push_back({"jump", timing->jump, "jump"});
    if (c.has("silent"))
        out.roles.push_back({"silent", listens, "listen"});
    if (c.has("hold"))
        out.roles.push_back({"hold", 0, "", RoleValue::When::Start, 1});
    out.waveform = drawBit(*timing, apart);
    return out;
}

void declareCan(Writer& w, size_t need)
{
    const Facts& f = w.facts;
    const Setting& setting = f.settings[need];
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const std::int64_t quanta = 1 + setting.role("propagation").value_or(0) + setting.role("segment1").value_or(0) + setting.role("segment2").value_or(0);
    const std::int64_t prescaler = setting.role("prescaler").value_or(1);
    w.comment(fmt::format("{}; sample point {}. Frames are yours to put into its message memory.", setting.goal("rate")->formula + " = " + setting.goal("rate")->achieved, setting.goal("sample")->achieved));
    w.linef("#define {}_PRESCALER {}u", NAME, prescaler);
    w.linef("#define {}_QUANTA {}u {}", NAME, quanta, cComment("a bit"));
    w.linef("#define {}_BITS_PER_SECOND {}u", NAME, (Rational(f.rates.clocks[size_t(setting.kernel)].rate.value.floor()) / (prescaler * quanta)).floor());
    w.linef("_Static_assert({0} / ({1}_PRESCALER * {1}_QUANTA) == {1}_BITS_PER_SECOND, {2});", rateMacro(f, w.names, setting.kernel), NAME, cString(w.names.needs[need].text() + " bit rate from its clock"));
    if (!f.device.roleField(f.bindings.needs[need].instance, "off_bus").valid())
        return;
    w.line();
    w.comment("Whether too many errors have taken the controller off the bus; stop and start let it come back, after 128 times 11 recessive bits.");
    w.linef("bool {}_off_bus(void);", name);
}

void defineCan(Writer& w, size_t need)
{
    const int instance = w.facts.bindings.needs[need].instance;
    if (!w.facts.device.roleField(instance, "off_bus").valid())
        return;
    w.line();
    w.linef("bool {}_off_bus(void)", w.names.need(need));
    w.line("{");
    w.linef("    return ({} & {}) != 0u;", roleRegister(w.facts, w.names, instance, "off_bus"), roleMacro(w.facts, w.names, instance, "off_bus"));
    w.line("}");
}

} // namespace bindrel
