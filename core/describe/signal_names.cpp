// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/signal_names.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/block_kind.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

/// What else the trade calls the signals of each kind of block; # is a number. The signals themselves are known by
/// their own words.
const std::vector<std::pair<std::string, std::vector<std::string>>>& otherWords()
{
    static const std::vector<std::pair<std::string, std::vector<std::string>>> all{
        {"TX", {"TXD", "TXDATA", "TRANSMIT"}},
        {"RX", {"RXD", "RXDATA", "RECEIVE"}},
        {"RTS", {"RTSN", "NRTS", "DE"}},
        {"CTS", {"CTSN", "NCTS"}},
        {"CK", {"CLK", "SCLK"}},
        {"CLK", {"CK", "CLOCK", "SWCLK"}},
        {"SCK", {"SCLK", "CLK", "CK", "CLOCK"}},
        {"CS", {"SS", "SSN", "CSN", "NCS", "SEL", "CS0", "SS0"}},
        {"MOSI", {"COPI", "PICO"}},
        {"MISO", {"CIPO", "POCI"}},
        {"SCL", {"CLK", "CLOCK"}},
        {"SDA", {"DATA", "DAT"}},
        {"DP", {"D+", "DPLUS", "P"}},
        {"DM", {"D-", "DN", "DMINUS", "N"}},
        {"SENSE", {"VBUS"}},
        {"IN#", {"IN#", "AIN#", "AN#", "CH#", "INPUT#", "CHANNEL#", "INP#"}},
        {"CH#", {"CH#", "PWM#", "OUT#", "CHANNEL#"}},
        {"CH#N", {"CH#N", "NCH#", "PWM#N", "PWMN#", "CHN#"}},
        {"FLT", {"FAULT", "BREAK", "TRIP"}},
        {"OUT", {"VOUT", "OUTPUT", "O"}},
        {"INP", {"INPUTP", "POS", "IN+", "+"}},
        {"INM", {"INPUTM", "NEG", "IN-", "-"}},
        {"DIO", {"SWDIO", "DATA", "IO"}},
        {"COM#", {"COM#", "BP#"}},
        {"SEG#", {"SEG#", "S#"}},
    };
    return all;
}

struct Known {
    std::string id;        ///< "IN7"
    std::string direction; ///< by default
};

/// Of the directions that a signal may have: the one that it has by its nature, both where that depends on its use.
std::string directionOf(const std::string& words)
{
    if (words.starts_with("in out"))
        return "both";
    return words.substr(0, words.find(' '));
}

/// A name without what parts its words, in capitals.
std::string tight(std::string_view text)
{
    std::string out;
    for (const char c : uppered(text))
        if (c != ' ' && c != '_' && c != '.' && c != ':')
            out += c;
    return out;
}

/// Whether a name is the pattern, with the number that stands for #.
std::optional<std::string> numberIn(const std::string& pattern, const std::string& name)
{
    const std::size_t at = pattern.find('#');
    if (at == std::string::npos)
        return pattern == name ? std::optional<std::string>("") : std::nullopt;
    const std::string head = pattern.substr(0, at), tail = pattern.substr(at + 1);
    if (name.size() <= head.size() + tail.size() || !name.starts_with(head) || !name.ends_with(tail))
        return std::nullopt;
    const std::string number = name.substr(head.size(), name.size() - head.size() - tail.size());
    return number.size() <= 2 && number.find_first_not_of("0123456789") == std::string::npos ? std::optional(number)
                                                                                             : std::nullopt;
}

/// The words that a block of this kind may use.
const std::vector<WordSpec>& wordsFor(std::string_view blockKind, NamesOf of)
{
    static const std::vector<WordSpec> none;
    const BlockKind* kind = findBlockKind(blockKind);
    return !kind                       ? none
           : of == NamesOf::Pads       ? kind->signals
           : of == NamesOf::Interrupts ? kind->events
                                       : kind->requests;
}

/// The signal that the rest of a name means, with how surely.
std::optional<std::pair<Known, double>> signalIn(std::string_view blockKind, const std::string& rest, NamesOf of)
{
    std::optional<std::pair<Known, double>> best;
    const auto offer = [&best](const std::string& pattern, const std::string& number, const std::string& direction,
                               double confidence) {
        if (best && best->second >= confidence)
            return;
        std::string id = pattern;
        if (const std::size_t at = id.find('#'); at != std::string::npos)
            id.replace(at, 1, number);
        best = {Known{id, direction}, confidence};
    };
    for (const WordSpec& word : wordsFor(blockKind, of)) {
        if (const auto number = numberIn(uppered(word.name), rest))
            offer(word.name, *number, directionOf(word.directions), 0.98);
        for (const auto& [meant, others] : otherWords())
            if (meant == word.name)
                for (const std::string& other : others)
                    if (const auto number = numberIn(other, rest))
                        offer(word.name, *number, directionOf(word.directions), 0.9);
    }
    return best;
}

/// "UART" of "UART12", "12".
std::pair<std::string, std::string> withoutNumber(const std::string& name)
{
    std::size_t digits = name.size();
    while (digits > 0 && name[digits - 1] >= '0' && name[digits - 1] <= '9')
        --digits;
    return {name.substr(0, digits), name.substr(digits)};
}

/// Kind of a block that is called so, where the trade has a word for it.
std::string kindCalled(const std::string& name)
{
    static const std::map<std::string, std::string> all{
        {"UART", "uart"},       {"USART", "uart"},  {"SERIAL", "uart"}, {"SPI", "spi"},      {"I2C", "i2c"},
        {"CAN", "can"},         {"USB", "usb"},     {"ADC", "adc"},     {"DAC", "dac"},      {"CMP", "comparator"},
        {"COMP", "comparator"}, {"TIMER", "timer"}, {"PWM", "timer"},   {"LCD", "segments"}, {"RTC", "rtc"}};
    const auto found = all.find(withoutNumber(name).first);
    return found == all.end() ? std::string() : found->second;
}

struct Meaning {
    TableSignal signal;
    double confidence;
    std::string reason;
};

void consider(const Device& device, const std::string& name, NamesOf of, std::vector<Meaning>& out)
{
    const std::string whole = tight(name);
    const auto add = [&](const std::string& instance, const std::string& kind, const std::string& rest, double factor,
                         const std::string& reason) {
        if (rest.empty()) {
            // An interrupt named after its block covers all of the block's events.
            if (of == NamesOf::Interrupts)
                out.push_back({{instance, "event", ""}, 0.9 * factor, reason});
            return;
        }
        if (const auto signal = signalIn(kind, rest, of))
            out.push_back({{instance, signal->first.id, signal->first.direction}, signal->second * factor, reason});
    };
    for (const Instance& instance : device.instances) {
        const std::string called = tight(instance.name);
        const std::string& said = device.blocks[instance.block].kind;
        const std::string kind = said.empty() ? kindCalled(called) : said;
        if (whole.starts_with(called)) {
            const std::string rest = whole.substr(called.size());
            // "UART1" is not the beginning of "UART12_TX".
            if (rest.empty() || rest[0] < '0' || rest[0] > '9')
                add(instance.name, kind, rest, 1, say("{} begins with {}", name, instance.name));
        }
        // "TXD0": the name ends with the instance number.
        const auto [letters, number] = withoutNumber(called);
        if (of == NamesOf::Pads && !number.empty() && whole.size() > number.size() && whole.ends_with(number) &&
            (whole[whole.size() - number.size() - 1] < '0' || whole[whole.size() - number.size() - 1] > '9'))
            add(instance.name, kind, whole.substr(0, whole.size() - number.size()), 0.85,
                say("{1} ends with the number of {0}", instance.name, name));
        // One alone of its kind needs no number: "SCL".
        const auto same = std::count_if(device.instances.begin(), device.instances.end(),
                                        [&](const Instance& other) { return device.blocks[other.block].kind == said; });
        if (of == NamesOf::Pads && same == 1 && !said.empty())
            add(instance.name, kind, whole, 0.8, say("{} is the only block of its kind", instance.name));
    }
    // Nothing describes its block: as the table calls it.
    const std::size_t cut = name.find_first_of("_. ");
    if (cut != std::string::npos && cut > 0) {
        const std::string instance = uppered(name.substr(0, cut));
        const bool known = std::any_of(device.instances.begin(), device.instances.end(),
                                       [&](const Instance& other) { return tight(other.name) == tight(instance); });
        const std::string kind = kindCalled(instance);
        // If the chip already describes blocks of that kind, an unknown one is more likely a misread name.
        const bool described =
            std::any_of(device.instances.begin(), device.instances.end(), [&](const Instance& other) {
                return device.blocks[other.block].kind == kind || kindCalled(tight(other.name)) == kind;
            });
        if (!known && !kind.empty() && !described)
            add(instance, kind, tight(name.substr(cut + 1)), 0.8,
                say("{} is what such a block is called; no file describes it", instance));
    }
}

} // namespace

SignalProposal proposeSignal(const Device& device, const std::string& name, const std::string& longName, NamesOf of)
{
    std::vector<Meaning> found;
    if (!longName.empty())
        consider(device, longName, of, found);
    if (found.empty())
        consider(device, name, of, found);
    SignalProposal out;
    std::stable_sort(found.begin(), found.end(),
                     [](const Meaning& a, const Meaning& b) { return a.confidence > b.confidence; });
    std::set<std::string> seen;
    for (const Meaning& one : found) {
        const std::string text = one.signal.instance + "." + one.signal.signal;
        if (!seen.insert(text).second)
            continue;
        if (!out.signal) {
            out.signal = one.signal;
            out.reason = one.reason;
            out.confidence = one.confidence;
            continue;
        }
        out.others.push_back(text);
        if (one.confidence > out.confidence - 0.1)
            out.confidence = std::min(out.confidence, 0.5); // it could be either
    }
    if (!out.signal)
        out.reason = say("no block has a signal of that name");
    return out;
}

} // namespace bindrel
