// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/trade_words.h"

#include <algorithm>
#include <map>
#include <utility>

namespace bindrel {

namespace {

/// Words that mean the same in the trade, the first one being that of the roles.
const std::vector<std::vector<std::string>>& groups()
{
    static const std::vector<std::vector<std::string>> all{
        {"transmit", "tx", "send", "sent", "transmitter", "transmission", "transmitting"},
        {"receive", "rx", "receiver", "reception", "received", "receiving"},
        {"enable", "en", "on", "enabled", "enables", "switch"},
        {"divider", "div", "divisor", "divide", "prescaler", "divided", "ratio"},
        {"parity"},
        {"stop"},
        {"interrupt", "irq", "int", "interrupts"},
        {"ready", "rdy"},
        {"empty", "room", "free"},
        {"full", "here", "available"},
        {"done", "complete", "completed", "finished", "ended"},
        {"overrun", "overflow", "lost"},
        {"framing", "frame"},
        {"break"},
        {"idle", "quiet"},
        {"phase", "edge"},
        {"controller", "master"},
        {"target", "slave"},
        {"address", "addr"},
        {"acknowledge", "ack", "acknowledged"},
        {"refused", "nack", "nak"},
        {"period", "top", "reload"},
        {"count", "counter", "cnt"},
        {"channel", "ch"},
        {"select", "sel"},
        {"clear", "clr", "cleared"},
        {"compare", "duty", "match"},
        {"window", "closed"},
        {"feed", "refresh", "fed"},
        {"sample", "sampling", "samples"},
        {"trigger", "start", "started"},
        {"reference", "ref"},
        {"threshold", "level"},
        {"filter"},
        {"dead", "deadtime"},
        {"invert", "inverted", "polarity"},
        {"calibrate", "calibration", "cal"},
        {"alarm"},
        {"month"},
        {"weekday"},
        {"minute", "minutes"},
        {"second", "seconds"},
        {"hour", "hours"},
        {"year", "years"},
        {"data", "dat", "word", "byte"},
        {"bits", "length", "len"},
        {"width", "size"},
        {"least", "lsb"},
        {"pull", "resistor"},
        {"drive", "strength"},
        {"input", "in"},
        {"output", "out"},
        {"rising", "rise"},
        {"falling", "fall"},
        {"error", "err"},
        {"fault", "flt"},
        {"dma"},
        {"request", "req"},
        {"bus"},
        {"off"},
        {"conversion", "conv"},
    };
    return all;
}

const std::vector<std::string>* groupOf(std::string_view word)
{
    for (const std::vector<std::string>& group : groups())
        if (std::find(group.begin(), group.end(), word) != group.end())
            return &group;
    return nullptr;
}

std::string withoutVowels(std::string_view word)
{
    std::string out;
    for (std::size_t i = 0; i < word.size(); ++i)
        if (i == 0 || std::string_view("aeiou").find(word[i]) == std::string_view::npos)
            out += word[i];
    return out;
}

/// "FRAMEERR" is two words that the trade has; nothing between them says so.
std::vector<std::string> takenApart(const std::string& word)
{
    if (word.size() < 4 || groupOf(word))
        return {word};
    for (std::size_t cut = word.size() - 2; cut >= 2; --cut) {
        const std::string head = word.substr(0, cut), tail = word.substr(cut);
        if (groupOf(head) && groupOf(tail))
            return {head, tail};
    }
    return {word};
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
    if (const std::vector<std::string>* group = groupOf(meant);
        group && std::find(group->begin(), group->end(), written) != group->end())
        return 1;
    if (written.size() >= 3 && meant.size() > written.size() + 1 && meant.starts_with(written))
        return 0.8;
    if (meant.size() >= 4 && written.size() > meant.size() && written.starts_with(meant) &&
        written.size() <= meant.size() + 3)
        return 0.9; // "enables", "transmitter"
    if (written.size() >= 3 && written == withoutVowels(meant).substr(0, written.size()) &&
        written.size() + 3 >= withoutVowels(meant).size())
        return 0.75;
    return 0;
}

} // namespace bindrel
