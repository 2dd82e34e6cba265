// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/text.h"

#include <array>
#include <map>
#include <string>
#include <vector>

namespace bindrel::test {

/// How data sheets spell the names of fields.
enum class NamingStyle {
    Words,        ///< TRANSMIT_EMPTY
    OtherWords,   ///< SendRoom
    Glued,        ///< TXEMP
    BlockInFront, ///< UART_TX_EMP
    Abbreviated,  ///< TX_EMP
};

/// A short and another long word for the words of roles, as a second person would choose them: not the product's list.
inline const std::map<std::string, std::array<std::string, 2>>& fieldWords()
{
    static const std::map<std::string, std::array<std::string, 2>> words{
        {"transmit", {"TX", "SEND"}},
        {"receive", {"RX", "RECEIVER"}},
        {"send", {"TX", "TRANSMIT"}},
        {"enable", {"EN", "ON"}},
        {"on", {"EN", "ENABLE"}},
        {"interrupt", {"IE", "IRQ"}},
        {"empty", {"EMP", "ROOM"}},
        {"full", {"FUL", "AVAILABLE"}},
        {"error", {"ERR", "FAULT"}},
        {"parity", {"PAR", "PARITY"}},
        {"framing", {"FRM", "FRAME"}},
        {"overrun", {"OVR", "OVERFLOW"}},
        {"divider", {"DIV", "DIVISOR"}},
        {"prescaler", {"PSC", "PRESCALE"}},
        {"oversampling", {"OVS", "OVERSAMPLE"}},
        {"break", {"BRK", "BREAK"}},
        {"idle", {"IDL", "IDLE"}},
        {"seen", {"DET", "DETECTED"}},
        {"single", {"SGL", "ONE"}},
        {"wire", {"WR", "LINE"}},
        {"driver", {"DRV", "DRIVER"}},
        {"clock", {"CLK", "CLOCK"}},
        {"clocked", {"CLK", "CLOCKED"}},
        {"second", {"SEC", "SECOND"}},
        {"match", {"MAT", "COMPARE"}},
        {"matched", {"MATF", "MATCH"}},
        {"data", {"DAT", "DATA"}},
        {"address", {"ADDR", "ADR"}},
        {"own", {"OWN", "OWN"}},
        {"target", {"TGT", "TARGET"}},
        {"trigger", {"TRG", "TRIGGER"}},
        {"sample", {"SMP", "SAMPLING"}},
        {"continuous", {"CONT", "CONTINUOUS"}},
        {"resolution", {"RES", "RESOLUTION"}},
        {"length", {"LEN", "SIZE"}},
        {"reference", {"REF", "REFERENCE"}},
        {"calibrate", {"CAL", "CALIBRATION"}},
        {"calibrated", {"CALD", "CALIBRATED"}},
        {"ready", {"RDY", "READY"}},
        {"start", {"STRT", "START"}},
        {"done", {"DN", "COMPLETE"}},
        {"watch", {"WD", "WATCH"}},
        {"watched", {"WDF", "WATCHED"}},
        {"high", {"HI", "UPPER"}},
        {"low", {"LO", "LOWER"}},
        {"input", {"IN", "INPUT"}},
        {"output", {"OUT", "OUTPUT"}},
        {"outputs", {"OUTS", "OUTPUTS"}},
        {"period", {"PER", "RELOAD"}},
        {"compare", {"CMP", "MATCH"}},
        {"counter", {"CNT", "COUNT"}},
        {"count", {"CNT", "COUNTER"}},
        {"filter", {"FLT", "FILTER"}},
        {"update", {"UPD", "UPDATE"}},
        {"updated", {"UPDF", "UPDATED"}},
        {"capture", {"CAP", "CAPTURE"}},
        {"captures", {"CAP", "CAPTURE"}},
        {"captured", {"CAPF", "CAPTURED"}},
        {"edge", {"EDG", "EDGE"}},
        {"edges", {"EDGS", "EDGE"}},
        {"fault", {"FLT", "FAULT"}},
        {"dead", {"DED", "DEAD"}},
        {"time", {"TM", "TIME"}},
        {"invert", {"INV", "POLARITY"}},
        {"inverted", {"INV", "INVERT"}},
        {"segment", {"SEG", "PHASE"}},
        {"jump", {"JMP", "JUMP"}},
        {"extended", {"EXT", "EXTENDED"}},
        {"mask", {"MSK", "MASK"}},
        {"use", {"USE", "ENABLE"}},
        {"flexible", {"FLEX", "FLEXIBLE"}},
        {"word", {"WRD", "WORD"}},
        {"next", {"NXT", "NEXT"}},
        {"delay", {"DLY", "DELAY"}},
        {"offset", {"OFS", "OFFSET"}},
        {"window", {"WIN", "WINDOW"}},
        {"feed", {"FEED", "REFRESH"}},
        {"alarm", {"ALM", "ALARM"}},
        {"minute", {"MIN", "MINUTES"}},
        {"hour", {"HR", "HOURS"}},
        {"month", {"MON", "MONTH"}},
        {"year", {"YR", "YEAR"}},
        {"day", {"DAY", "DATE"}},
        {"tick", {"TCK", "TICK"}},
        {"hold", {"HLD", "HOLD"}},
        {"held", {"HLDF", "HELD"}},
        {"half", {"HLF", "HALF"}},
        {"direction", {"DIR", "DIRECTION"}},
        {"memory", {"MEM", "MEMORY"}},
        {"step", {"STP", "INCREMENT"}},
        {"priority", {"PRI", "PRIORITY"}},
        {"request", {"REQ", "REQUEST"}},
        {"width", {"WID", "SIZE"}},
        {"function", {"FN", "SELECT"}},
        {"pull", {"PUL", "PULL"}},
        {"drive", {"DRV", "STRENGTH"}},
        {"speed", {"SPD", "SLEW"}},
        {"level", {"LVL", "LEVEL"}},
        {"rising", {"RISE", "RISING"}},
        {"falling", {"FALL", "FALLING"}},
        {"flag", {"FLG", "PENDING"}},
        {"polarity", {"POL", "POLARITY"}},
        {"phase", {"PHA", "PHASE"}},
        {"host", {"HST", "CONTROLLER"}},
        {"least", {"LSB", "LSB"}},
        {"first", {"FST", "FIRST"}},
        {"buffer", {"BUF", "BUFFER"}},
        {"buffered", {"BUFD", "PRELOAD"}},
        {"endpoint", {"EP", "ENDPOINT"}},
        {"reset", {"RST", "RESET"}},
        {"bus", {"BUS", "BUS"}},
        {"size", {"SZ", "LENGTH"}},
        {"type", {"TYP", "TYPE"}},
        {"bits", {"BITS", "LENGTH"}},
        {"stop", {"STP", "STOP"}},
        {"once", {"ONCE", "ONESHOT"}},
        {"average", {"AVG", "AVERAGE"}},
        {"slot", {"SLOT", "RANK"}},
        {"threshold", {"THR", "THRESHOLD"}},
        {"hysteresis", {"HYS", "HYSTERESIS"}},
        {"contrast", {"CON", "CONTRAST"}},
        {"plane", {"PLN", "PLANE"}},
        {"line", {"LN", "LINE"}},
    };
    return words;
}

/// The name of the field that has a role, in a style.
inline std::string fieldNameOf(NamingStyle style, const std::string& block, const std::string& role)
{
    const auto isDigit = [](char c) { return c >= '0' && c <= '9'; };
    std::vector<std::string> parts;
    for (const std::string& word : splitted(role, '_'))
        for (std::size_t i = 0; i < word.size(); ++i)
            if (i == 0 || isDigit(word[i]) != isDigit(word[i - 1]))
                parts.push_back(word.substr(i, 1));
            else
                parts.back() += word[i];
    const auto spelt = [](const std::string& word, std::size_t which) {
        const auto found = fieldWords().find(word);
        return found == fieldWords().end() ? uppered(word) : found->second[which];
    };
    std::string out = style == NamingStyle::BlockInFront ? uppered(block) : std::string();
    for (const std::string& part : parts) {
        if (!out.empty() && style != NamingStyle::Glued && style != NamingStyle::OtherWords && !isDigit(part.front()))
            out += '_';
        if (style == NamingStyle::OtherWords) {
            std::string word = lowered(spelt(part, 1));
            word.front() = uppered(word.substr(0, 1)).front();
            out += word;
        } else {
            out += style == NamingStyle::Words ? uppered(part) : spelt(part, 0);
        }
    }
    return out;
}

} // namespace bindrel::test
