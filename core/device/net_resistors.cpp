// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/net_resistors.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

namespace bindrel {

namespace {
constexpr std::string_view kInSeries = " in series";
constexpr std::size_t kLongestNet = 60;
} // namespace

std::string resistorsText(const NetResistors& resistors)
{
    std::string out = !resistors.pull ? "" : *resistors.pull == TerminalFact::Level::High ? "up" : "down";
    if (resistors.series) {
        out += (out.empty() ? "" : ", ") + exactly(resistors.series->value, parseResistance) + std::string(kInSeries);
        if (!resistors.series->beyond.empty())
            out += " to " + resistors.series->beyond;
    }
    return out.empty() ? "none" : out;
}

Expected<NetResistors> resistorsFrom(std::string_view text)
{
    NetResistors out;
    const std::vector<std::string> pieces = splitted(text, ',');
    for (const std::string& piece : pieces) {
        const std::string_view said = trimmed(piece);
        const std::size_t series = said.find(kInSeries);
        if (said == "none" && pieces.size() == 1)
            return out;
        if (said == "up" || said == "down") {
            if (out.pull)
                return problemOf(say("the pull is given twice."));
            out.pull = said == "up" ? TerminalFact::Level::High : TerminalFact::Level::Low;
        } else if (series != std::string_view::npos) {
            if (out.series)
                return problemOf(say("the resistor in series is given twice."));
            const Expected<Resistance> value = parseResistance(said.substr(0, series));
            if (!value)
                return value.problem();
            const std::string_view rest = trimmed(said.substr(series + kInSeries.size()));
            if (!rest.empty() && !rest.starts_with("to "))
                return problemOf(say("\"{}\" is not understood behind \"in series\"; write: to NET.",
                                     std::string(rest.substr(0, kLongestNet))));
            const std::string_view net = rest.empty() ? rest : trimmed(rest.substr(3));
            if (net.size() > kLongestNet || !isPrintable(net))
                return problemOf(say("a net has at most {} characters that can be printed.", kLongestNet));
            out.series = SeriesResistor{*value, std::string(net)};
        } else {
            return problemOf(say("\"{}\" is not understood; write up, down, \"33 ohm in series to NET\", several "
                                 "of them with commas, or none.",
                                 std::string(said.substr(0, kLongestNet))));
        }
    }
    return out;
}

} // namespace bindrel
