// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/quantity_names.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <initializer_list>
#include <vector>

namespace bindrel {

namespace {

using What = TableFact::What;

/// Letters and digits in lower case, one blank between words and at both ends.
std::string spaced(std::string_view text)
{
    std::string out = " ";
    for (const char c : lowered(text)) {
        const bool letter = (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9');
        if (letter)
            out += c;
        else if (out.back() != ' ')
            out += ' ';
    }
    return out.back() == ' ' ? out : out + " ";
}

bool says(const std::string& words, std::initializer_list<const char*> any)
{
    return std::any_of(any.begin(), any.end(),
                       [&words](const char* one) { return words.find(spaced(one)) != std::string::npos; });
}

/// What a text names, by id or by name; the longest name counts, and two of the same length name nothing.
template <class List> std::string named(const List& list, const std::string& words)
{
    std::string best;
    std::size_t length = 0;
    bool twice = false;
    for (const auto& item : list)
        for (const std::string& text : {item.id, item.name}) {
            const std::string word = spaced(text);
            if (word.size() < 4 || words.find(word) == std::string::npos || (best == item.id && word.size() <= length))
                continue;
            twice = word.size() == length && best != item.id;
            if (word.size() >= length) {
                best = item.id;
                length = word.size();
            }
        }
    return twice ? std::string() : best;
}

} // namespace

FactProposal proposeFact(const Device& device, const std::string& name, const std::string& about)
{
    const std::string words = spaced(name + " " + about);
    const auto is = [](What what, std::string of, double confidence, std::string reason) {
        return FactProposal{TableFact{what, std::move(of)}, std::move(reason), confidence};
    };
    for (const OperatingRange& range : device.ranges)
        if (spaced(range.id) == spaced(name) || spaced(range.name) == spaced(name))
            return is(What::Range, range.id, 0.98, say("it is the name of the operating range {}", range.id));
    const bool power = says(words, {"current", "consumption"});
    const bool supply = says(words, {"supply voltage", "operating voltage", "supply"}) && !power;
    if (const std::string mode = named(device.modes, words); !mode.empty()) {
        if (says(words, {"wake up", "wakeup", "wake"}))
            return is(What::WakeTime, mode, 0.9, say("a time to wake up, and {}, are named", mode));
        if (power)
            return is(What::ModeCurrent, mode, 0.85, say("a current, and the mode {}, are named", mode));
    }
    if (const std::string clock = named(device.clocks, words); !clock.empty()) {
        const ClockNode& node = device.clocks[device.findClock(clock)];
        const bool oscillator = node.type == ClockNode::Type::Oscillator,
                   fitted = node.type == ClockNode::Type::Crystal || node.type == ClockNode::Type::External;
        const std::string named = say("the clock {} is named", clock);
        if (power)
            return {};
        if (says(words, {"start up", "startup", "start", "settling", "lock time", "ready"}))
            return is(What::StartUp, clock, 0.9, named + say(", and a time until it is ready"));
        if (says(words, {"accuracy", "tolerance", "deviation", "drift", "error"}))
            return oscillator || fitted ? is(What::Tolerance, clock, 0.9, named + say(", and its accuracy"))
                                        : FactProposal{{}, named + say(", which has no accuracy of its own"), 0};
        if (fitted && says(words, {"frequency", "crystal", "rate", "input"}))
            return is(What::Crystal, clock, 0.9, named + say(", and its frequency"));
        if (oscillator && says(words, {"frequency", "rate"}))
            return is(What::Rate, clock, 0.85, named + say(", and its frequency"));
        if (!oscillator && says(words, {"frequency", "rate", "clock", "speed"}))
            return is(What::Limit, clock, 0.9, named + say(", and its frequency"));
        return {{}, named + say(", but not what of it"), 0};
    }
    if (const std::string range = named(device.ranges, words); !range.empty() && supply)
        return is(What::Supply, range, 0.85, say("a supply, and the operating range {}, are named", range));
    if (says(words, {"ambient temperature", "operating temperature"}))
        return is(What::Temperature, {}, 0.9, say("an operating temperature is named"));
    if (says(words, {"toggle frequency", "toggle rate", "output frequency", "maximum frequency of pads"}))
        return is(says(words, {"slow", "slow edges"}) ? What::SlowToggle : What::Toggle, {}, 0.85,
                  "how fast an output changes is named");
    if (says(words, {"output current", "drive current", "drive strength", "current of a pad"}))
        return is(What::Drive, {}, 0.8, say("the current of an output is named"));
    if (says(words, {"load capacitance"}))
        return is(What::Load, {}, 0.8, say("the load of an output is named"));
    if (says(words, {"supply voltage", "operating voltage"}))
        return is(What::Supply, {}, 0.85, say("a supply voltage is named"));
    return {{}, say("nothing of the chip is named in it"), 0};
}

} // namespace bindrel
