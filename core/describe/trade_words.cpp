// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/trade_words.h"

#include <algorithm>
#include <functional>
#include <map>
#include <set>
#include <utility>

namespace bindrel {

namespace {

/// What the trade writes for a word of the roles, which is the first.
const std::vector<std::vector<std::string>>& groups()
{
    static const std::vector<std::vector<std::string>> all{
        {"transmit", "tx", "send", "sent", "transmitter", "transmission", "transmitting"},
        {"send", "tx", "transmit"},
        {"receive", "rx", "receiver", "reception", "received", "receiving"},
        {"enable", "en", "ena", "on", "enabled", "enables", "switch"},
        {"on", "en", "ena", "enable", "enabled", "enables", "switch"},
        {"use", "enable", "en", "used"},
        {"divider", "div", "divisor", "divide", "prescaler", "divided", "ratio"},
        {"prescaler", "prescale", "divider", "div", "divisor", "ratio"},
        {"interrupt", "irq", "int", "interrupts", "ie", "inten"},
        {"ready", "rdy"},
        {"empty", "room", "free"},
        {"full", "here", "available", "avail"},
        {"done", "complete", "completed", "finished"},
        {"ended", "end", "complete", "done"},
        {"overrun", "overflow", "lost"},
        {"framing", "frame"},
        {"seen", "detected", "detect", "det"},
        {"single", "one"},
        {"wire", "line"},
        {"idle", "quiet"},
        {"segment", "phase", "seg"},
        {"host", "controller", "master"},
        {"target", "slave"},
        {"address", "addr", "adr"},
        {"acknowledge", "ack", "acknowledged"},
        {"nack", "nak"},
        {"nacked", "nak", "nack", "refused"},
        {"period", "top", "reload"},
        {"counter", "count", "cnt"},
        {"count", "counter", "cnt"},
        {"channel", "ch"},
        {"function", "select", "mux", "fn"},
        {"select", "sel"},
        {"clear", "clr"},
        {"compare", "duty", "match"},
        {"match", "compare"},
        {"matched", "match"},
        {"window", "closed"},
        {"feed", "refresh", "fed"},
        {"sample", "sampling", "samples"},
        {"oversampling", "oversample"},
        {"trigger", "start", "trg"},
        {"start", "begin"},
        {"reference", "ref"},
        {"threshold", "level"},
        {"high", "upper", "hi"},
        {"low", "lower", "lo"},
        {"dead", "deadtime"},
        {"invert", "inverted", "polarity", "inv"},
        {"inverted", "invert", "polarity", "inv"},
        {"polarity", "pol"},
        {"calibrate", "calibration", "cal"},
        {"calibrated", "calibration"},
        {"day", "date"},
        {"minute", "minutes", "min"},
        {"second", "seconds", "sec"},
        {"hour", "hours", "hr"},
        {"year", "years", "yr"},
        {"data", "dat", "word", "byte"},
        {"word", "bits", "length", "len"},
        {"bits", "length", "len"},
        {"length", "size", "len"},
        {"size", "length", "len"},
        {"width", "size"},
        {"least", "lsb"},
        {"pull", "resistor"},
        {"drive", "strength", "drv"},
        {"speed", "slew"},
        {"flag", "pending", "pend", "flg"},
        {"step", "increment", "inc"},
        {"slot", "rank"},
        {"buffered", "preload", "shadow"},
        {"once", "oneshot"},
        {"endpoint", "ep"},
        {"extended", "ext"},
        {"capture", "cap"},
        {"captures", "capture", "cap"},
        {"captured", "capture", "cap"},
        {"updated", "update", "upd"},
        {"held", "hold"},
        {"input", "in"},
        {"output", "out"},
        {"outputs", "out", "output"},
        {"rising", "rise"},
        {"falling", "fall"},
        {"error", "err", "fault"},
        {"fault", "flt"},
        {"request", "req"},
        {"clock", "clk", "ck"},
        {"phase", "edge"},
        {"direction", "dir"},
        {"conversion", "conv"},
        {"half", "hlf"},
        {"parity", "par"},
        {"break", "brk"},
        {"stop"},
        {"filter"},
        {"alarm"},
        {"month"},
        {"weekday"},
        {"dma"},
        {"bus"},
        {"off"},
    };
    return all;
}

/// Whether the trade has the word at all.
bool isKnown(std::string_view word)
{
    static const std::set<std::string, std::less<>> known = [] {
        std::set<std::string, std::less<>> out;
        for (const std::vector<std::string>& group : groups())
            out.insert(group.begin(), group.end());
        return out;
    }();
    return known.contains(word);
}

/// Whether the trade writes the one for the other.
bool isWrittenFor(std::string_view written, std::string_view meant)
{
    static const std::map<std::string, std::set<std::string, std::less<>>, std::less<>> words = [] {
        std::map<std::string, std::set<std::string, std::less<>>, std::less<>> out;
        for (const std::vector<std::string>& group : groups())
            out[group.front()].insert(group.begin(), group.end());
        return out;
    }();
    const auto group = words.find(meant);
    return group != words.end() && group->second.contains(written);
}

std::string withoutVowels(std::string_view word)
{
    std::string out;
    for (std::size_t i = 0; i < word.size(); ++i)
        if (i == 0 || std::string_view("aeiou").find(word[i]) == std::string_view::npos)
            out += word[i];
    return out;
}

/// "FRAMEERR" is two words that the trade has, and "DMATXEN" three; nothing between them says so.
std::vector<std::string> takenApart(const std::string& word)
{
    constexpr std::size_t kLongest = 24; // a longer one is no name of a field, and the ways to part it are many
    if (word.size() < 4 || word.size() > kLongest || isKnown(word))
        return {word};
    // The longest head first; every piece must be a word.
    const std::function<std::vector<std::string>(std::string_view)> pieces = [&](std::string_view rest) {
        if (isKnown(rest))
            return std::vector<std::string>{std::string(rest)};
        for (std::size_t cut = rest.size() < 2 ? 0 : rest.size() - 2; cut >= 2; --cut) {
            if (!isKnown(rest.substr(0, cut)))
                continue;
            std::vector<std::string> tail = pieces(rest.substr(cut));
            if (!tail.empty()) {
                tail.insert(tail.begin(), std::string(rest.substr(0, cut)));
                return tail;
            }
        }
        return std::vector<std::string>();
    };
    std::vector<std::string> out = pieces(word);
    return out.empty() ? std::vector<std::string>{word} : out;
}

/// Letters of a word left out of it, as abbreviations do: the first stays, the order too.
bool leavesLettersOut(std::string_view written, std::string_view meant)
{
    if (written.size() < 3 || written.front() != meant.front() || written.size() >= meant.size())
        return false;
    std::size_t at = 0;
    for (const char c : meant)
        at += at < written.size() && written[at] == c ? 1 : 0;
    return at == written.size();
}

std::size_t sharedHead(std::string_view a, std::string_view b)
{
    return std::size_t(std::ranges::mismatch(a, b).in1 - a.begin());
}

} // namespace

std::vector<std::string> wordsOf(std::string_view text)
{
    const auto small = [](char c) { return c >= 'a' && c <= 'z'; };
    const auto capital = [](char c) { return c >= 'A' && c <= 'Z'; };
    const auto digit = [](char c) { return c >= '0' && c <= '9'; };
    std::vector<std::string> out;
    std::string word;
    const auto end = [&] {
        if (word.empty())
            return;
        for (std::string& part : takenApart(std::exchange(word, {})))
            out.push_back(std::move(part));
    };
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (!small(c) && !capital(c) && !digit(c)) {
            end();
            continue;
        }
        if (!word.empty()) {
            const char before = text[i - 1];
            const bool next = i + 1 < text.size() && small(text[i + 1]);
            if ((small(before) && capital(c)) || (digit(before) != digit(c)) || (capital(before) && capital(c) && next))
                end();
        }
        word += capital(c) ? char(c - 'A' + 'a') : c;
    }
    end();
    return out;
}

double standsFor(std::string_view written, std::string_view meant)
{
    if (written == meant)
        return 1;
    if (isWrittenFor(written, meant))
        return 0.97;
    if (written.size() >= 3 && meant.size() > written.size() && meant.starts_with(written))
        return meant.size() == written.size() + 1 ? 0.9 : 0.8;
    if (meant.size() >= 4 && written.size() > meant.size() && written.starts_with(meant) &&
        written.size() <= meant.size() + 3)
        return 0.9; // "enables", "transmitter"
    if (const std::size_t head = sharedHead(written, meant);
        head >= 5 && head * 3 >= std::max(written.size(), meant.size()) * 2)
        return 0.85; // "calibration" of "calibrate"
    if (written.size() >= 3 && written == withoutVowels(meant).substr(0, written.size()) &&
        written.size() + 3 >= withoutVowels(meant).size())
        return 0.75;
    return leavesLettersOut(written, meant) ? 0.7 : 0;
}

} // namespace bindrel
