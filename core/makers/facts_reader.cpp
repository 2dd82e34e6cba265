// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/json/json_scan.h"
#include "core/makers/fact_lines.h"
#include "core/makers/fact_words.h"
#include "core/makers/makers_file.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <functional>
#include <map>
#include <optional>

// One line a fact: "clock BUS: system divide SYS by 1, 2, 4, set by CLK.DIV.BUS, code in order, at most 48 MHz".
// A line begins with what it is about; behind the colon stand clauses, parted by commas. What has no words here is said
// as "with KEY VALUE", the value in JSON, so that every device file can be written so.

namespace bindrel {

namespace {

constexpr std::size_t kMaxLines = 20'000;

class FactsReader : private FactLines {
public:
    FactsReader(const std::string& text, const std::string& name) : FactLines(name), text_(text)
    {
        file_ = out_.sections.addFile(name);
    }

    Expected<MakersFile> read()
    {
        if (!isUtf8(text_)) {
            fail(1, 1, say("is not UTF-8 text; save it as UTF-8."));
            return *failed();
        }
        int number = 0;
        const std::vector<std::string> lines = splitted(text_, '\n');
        if (lines.size() > kMaxLines) {
            fail(1, 1, say("has more lines than any description of a chip."));
            return *failed();
        }
        for (std::size_t i = 0; i < lines.size() && !failed(); ++i) {
            number = int(i) + 1;
            std::string line = withoutComment(lines[i]);
            // A line that ends with a comma goes on in the next.
            const int first = number;
            while (trimmed(line).ends_with(',') && i + 1 < lines.size()) {
                ++i;
                line = std::string(trimmed(line)) + " " + std::string(trimmed(withoutComment(lines[i])));
            }
            if (!trimmed(line).empty())
                readLine(line, first);
        }
        if (failed())
            return *failed();
        return std::move(out_);
    }

private:
    Json& root() { return out_.sections.value(); }
    void place(const std::string& pointer, const FactLine& fact) { out_.sections.put(pointer, file_, fact.line, 1); }

    void readLine(const std::string& line, int number)
    {
        const FactLine fact = factOf(line, number);
        using Reader = void (FactsReader::*)(const FactLine&, const std::string&);
        static const std::vector<std::pair<std::string, Reader>> kinds{
            {"name", &FactsReader::readName},
            {"about", &FactsReader::readAbout},
            {"clock", &FactsReader::readClock},
            {"core clock", &FactsReader::readCoreClock},
            {"wait states of", &FactsReader::readWaitStates},
            {"ranges", &FactsReader::readRangeControl},
            {"range", &FactsReader::readRange},
            {"instance", &FactsReader::readInstance},
            {"pad", &FactsReader::readPad},
            {"kind", &FactsReader::readKind},
            {"role", &FactsReader::readRole},
            {"ability", &FactsReader::readAbility},
            {"memory", &FactsReader::readMemory},
            {"supply", &FactsReader::readSupply},
            {"temperature", &FactsReader::readTemperature},
            {"lines", &FactsReader::readLines},
            {"interrupt controller", &FactsReader::readController},
            {"set", &FactsReader::readSet},
            {"correct", &FactsReader::readCorrect},
        };
        const std::pair<std::string, Reader>* best = nullptr;
        for (const auto& kind : kinds)
            if (startsWithWord(fact.head, kind.first) && (!best || kind.first.size() > best->first.size()))
                best = &kind;
        if (!best) {
            std::vector<std::string> known;
            for (const auto& [word, reader] : kinds)
                known.push_back(word);
            const std::string first = fact.head.substr(0, fact.head.find(' '));
            return fail(number, 1,
                        say("\"{}\" begins no fact; a line begins with {}.{}", printable(first.substr(0, 40)),
                            listed(known), didYouMean(first, known)));
        }
        (this->*best->second)(fact, std::string(trimmed(std::string_view(fact.head).substr(best->first.size()))));
    }

    // Kinds of lines.

    void readName(const FactLine& fact, const std::string& rest)
    {
        root()["name"] = textOf(rest);
        place("/name", fact);
    }
    void readAbout(const FactLine& fact, const std::string& rest)
    {
        root()["about"] = textOf(rest);
        place("/about", fact);
    }
    void readCoreClock(const FactLine& fact, const std::string& rest)
    {
        root()["cpu_clock"] = rest;
        place("/cpu_clock", fact);
    }
    void readLines(const FactLine& fact, const std::string& rest)
    {
        root()["lines"] = rest;
        place("/lines", fact);
    }
    void readController(const FactLine& fact, const std::string& rest)
    {
        root()["interrupt_controller"] = rest;
        place("/interrupt_controller", fact);
    }
    /// "wait states of CPU in FLASH.CTL.WS"
    void readWaitStates(const FactLine& fact, const std::string& rest)
    {
        const std::size_t in = rest.find(" in ");
        if (in == std::string::npos)
            return fail(fact.line, 1, say("write it as: wait states of CLOCK in FIELD."));
        root()["flash_timing"] = Json{{"clock", std::string(trimmed(rest.substr(0, in)))},
                                      {"field", std::string(trimmed(rest.substr(in + 4)))}};
        place("/flash_timing", fact);
    }
    static std::optional<std::pair<std::string, std::string>> fromTo(const std::string& text)
    {
        const std::size_t to = text.find(" to ");
        if (to == std::string::npos)
            return std::nullopt;
        return std::pair{std::string(trimmed(text.substr(0, to))), std::string(trimmed(text.substr(to + 4)))};
    }
    void readSupply(const FactLine& fact, const std::string& rest)
    {
        const auto ends = fromTo(rest);
        if (!ends)
            return fail(fact.line, 1, say("write it as: supply 1.8 V to 3.6 V."));
        root()["supply"] = Json::array({ends->first, ends->second});
        place("/supply", fact);
    }
    void readTemperature(const FactLine& fact, const std::string& rest)
    {
        const auto ends = fromTo(rest);
        if (!ends)
            return fail(fact.line, 1, say("write it as: temperature -40 to 85."));
        const auto low = number(ends->first, fact, 1), high = number(ends->second, fact, 1);
        if (low && high)
            root()["temperature"] = Json::array({*low, *high});
        place("/temperature", fact);
    }
    /// "memory flash at 0x0800 0000, 262144 bytes" (or KiB)
    void readMemory(const FactLine& fact, const std::string& rest)
    {
        const auto parts = cut(rest, ',', 1);
        const std::size_t at = parts[0].first.find(" at ");
        if (parts.size() != 2 || at == std::string::npos)
            return fail(fact.line, 1, say("write it as: memory flash at 0x0000 0000, 256 KiB."));
        std::string size = parts[1].first;
        std::int64_t unit = 1;
        for (const auto& [word, bytes] : {std::pair{" KiB", 1024}, {" MiB", 1024 * 1024}, {" bytes", 1}})
            if (size.ends_with(word)) {
                unit = bytes;
                size.resize(size.size() - std::string_view(word).size());
                break;
            }
        if (const std::optional<std::int64_t> bytes = number(size, fact, parts[1].second);
            bytes && *bytes < (1ll << 40)) {
            const std::string area(trimmed(parts[0].first.substr(0, at)));
            root()["memory"][area] = Json::array({std::string(trimmed(parts[0].first.substr(at + 4))), *bytes * unit});
            place("/memory/" + pointerWord(area), fact);
        }
    }
    /// "range FULL "full": supply 2.4 V to 3.6 V, code 3, wait states 32 MHz, 64 MHz"
    void readRange(const FactLine& fact, const std::string& rest)
    {
        const auto [id, name] = idAndName(rest);
        Json& range = itemOf(root()["ranges"]["list"], id);
        if (!name.empty())
            range["name"] = name;
        for (const FactClause& clause : clauses(fact, 0, {"supply", "code", "wait states", "draws", "with"})) {
            if (with(clause, fact, range))
                continue;
            if (clause.key == "supply") {
                const auto ends = fromTo(only(clause, fact));
                if (!ends)
                    return fail(fact.line, clause.column, say("write it as: supply 1.8 V to 3.6 V."));
                range["supply"] = Json::array({ends->first, ends->second});
            } else if (clause.key == "code") {
                if (const auto code = number(only(clause, fact), fact, clause.column))
                    range["code"] = *code;
            } else if (clause.key == "wait states") {
                range["wait_states"] = clause.items;
            } else {
                range["draws"] = only(clause, fact);
            }
        }
        place("/ranges/list/" + std::to_string(root()["ranges"]["list"].size() - 1), fact);
    }
    /// "ranges: set by SUP.CTL.RANGE, shown by …, ready …, after reset ECO"
    void readRangeControl(const FactLine& fact, const std::string&)
    {
        Json& ranges = root()["ranges"];
        for (const FactClause& clause : clauses(fact, 0, {"set by", "shown by", "ready", "after reset", "with"})) {
            if (with(clause, fact, ranges))
                continue;
            ranges[clause.key == "set by"     ? "control"
                   : clause.key == "shown by" ? "status"
                   : clause.key == "ready"    ? "ready"
                                              : "reset"] = only(clause, fact);
        }
        place("/ranges", fact);
    }

    void readClock(const FactLine& fact, const std::string& rest)
    {
        const auto [id, name] = idAndName(rest);
        if (id.empty() || !fact.hasColon)
            return fail(fact.line, 1, say("write it as: clock ID \"name\": source crystal 4 MHz to 40 MHz, on FIELD."));
        Json& clock = itemOf(root()["clocks"], id);
        if (!name.empty())
            clock["name"] = name;
        std::size_t used = 0;
        if (!readClockType(fact, clock, used))
            return;
        for (const FactClause& clause : clauses(fact, used, clockKeys())) {
            if (failed())
                return;
            if (with(clause, fact, clock))
                continue;
            const auto limit = [&clock]() -> Json& { return clock["limit"]; };
            if (clause.key == "set by")
                clock["control"] = only(clause, fact);
            else if (clause.key == "shown by")
                clock["status"] = only(clause, fact);
            else if (clause.key == "code")
                clock["encoding"] = encoding(clause, fact);
            else if (clause.key == "on")
                clock["enable"] = only(clause, fact);
            else if (clause.key == "ready")
                clock["ready"] = only(clause, fact);
            else if (clause.key == "starts in")
                clock["startup"] = only(clause, fact);
            else if (clause.key == "frozen by")
                clock["frozen_by"] = clause.items.size() == 1 ? Json(clause.items.front()) : Json(clause.items);
            else if (clause.key == "at most")
                limit()["max"] = only(clause, fact);
            else if (clause.key == "at least")
                limit()["min"] = only(clause, fact);
            else if (clause.key == "from") {
                const auto ends = fromTo(only(clause, fact));
                if (!ends)
                    return fail(fact.line, clause.column, say("write it as: from 200 MHz to 420 MHz."));
                limit()["min"] = ends->first;
                limit()["max"] = ends->second;
            } else if (clause.key == "because")
                limit()["because"] = textOf(joined(clause.items, ", "));
            else if (clause.key == "tolerance")
                clock["tolerance"] = only(clause, fact);
            else
                clock["draws"] = only(clause, fact);
        }
        const Json& list = root()["clocks"];
        for (std::size_t i = 0; i < list.size(); ++i)
            if (list[i]["id"] == id)
                place("/clocks/" + std::to_string(i), fact);
    }

    /// "source crystal 4 MHz to 40 MHz", "system select HFI = 0, HFX = 1", "kernel divide BUS by 1, 2, 4": the parts
    /// that belong to the type. A line that only adds to a clock begins with a clause.
    bool readClockType(const FactLine& fact, Json& clock, std::size_t& used)
    {
        std::string first = fact.parts.empty() ? std::string() : fact.parts[0];
        const auto word = [&first]() -> std::string {
            const std::string out = first.substr(0, first.find(' '));
            return out;
        };
        const auto drop = [&first](const std::string& taken) {
            first = std::string(trimmed(std::string_view(first).substr(taken.size())));
        };
        bool any = false;
        if (const std::string tier = word();
            tier == "source" || tier == "multiplier" || tier == "system" || tier == "kernel") {
            clock["tier"] = tier;
            drop(tier);
            any = true;
        }
        static const std::vector<std::string> types{"oscillator", "crystal",  "external", "select",
                                                    "divide",     "multiply", "follow",   "gate"};
        const std::string type = word();
        if (std::find(types.begin(), types.end(), type) == types.end()) {
            if (any) {
                fail(fact.line, fact.columns[0],
                     say("\"{}\" is not a type of clock; use {}.{}", printable(type.substr(0, 40)), listed(types),
                         didYouMean(type, types)));
                return false;
            }
            return true;
        }
        clock["type"] = type;
        drop(type);
        std::vector<std::string> items{first};
        used = 1;
        const auto keyword = [](const std::string& part) {
            return std::any_of(clockKeys().begin(), clockKeys().end(),
                               [&part](const std::string& key) { return startsWithWord(part, key); });
        };
        while (used < fact.parts.size() && !keyword(fact.parts[used]))
            items.push_back(fact.parts[used++]);
        if (items.size() == 1 && items[0].empty())
            items.clear();
        const int column = fact.columns[0];
        if (type == "oscillator") {
            if (items.size() == 1)
                clock["rate"] = items[0];
            else if (!items.empty())
                fail(fact.line, column, say("an oscillator has one rate; several are said as: with rates [...]."));
        } else if (type == "crystal" || type == "external") {
            if (items.empty())
                return true;
            const auto ends = items.size() == 1 ? fromTo(items[0]) : std::nullopt;
            if (!ends) {
                fail(fact.line, column, say("write it as: {} 4 MHz to 40 MHz.", type));
                return false;
            }
            clock["crystal"] = Json::array({ends->first, ends->second});
        } else if (type == "select") {
            if (!items.empty())
                clock["inputs"] = pairs(items, fact, column, false);
        } else if (type == "divide" || type == "multiply") {
            if (items.empty())
                return true;
            const std::size_t by = items[0].find(" by ");
            clock["from"] = std::string(trimmed(items[0].substr(0, by)));
            if (by != std::string::npos) {
                items[0] = std::string(trimmed(items[0].substr(by + 4)));
                if (items.size() == 1 && items[0].find("..") != std::string::npos) {
                    clock["factors"] = items[0];
                } else {
                    Json list = Json::array();
                    for (const std::string& item : items)
                        list.push_back(factor(item));
                    clock["factors"] = std::move(list);
                }
            }
        } else if (items.size() == 1) {
            clock["from"] = items[0];
        } else if (!items.empty()) {
            fail(fact.line, column, say("a clock of type {} comes from one other.", type));
        }
        return !failed();
    }

    void readInstance(const FactLine& fact, const std::string& id)
    {
        if (root()["instances"].size() >= kMaxEntries)
            return fail(fact.line, 1, say("there are more than {} instances; Bindrel reads no more.", kMaxEntries));
        Json& instance = root()["instances"][id];
        if (instance.is_null())
            instance = Json::object();
        for (const FactClause& clause : clauses(fact, 0, instanceKeys())) {
            if (failed())
                return;
            if (with(clause, fact, instance))
                continue;
            if (clause.key == "signals") {
                for (const std::string& item : clause.items) {
                    const std::size_t blank = item.rfind(' ');
                    if (blank == std::string::npos)
                        return fail(fact.line, clause.column, say("write signals as: TX out, RX in."));
                    instance["signals"][std::string(trimmed(item.substr(0, blank)))] = item.substr(blank + 1);
                }
            } else if (clause.key == "interrupts") {
                for (const std::string& item : clause.items) {
                    const std::size_t blank = item.rfind(' ');
                    const auto value =
                        blank == std::string::npos ? std::nullopt : number(item.substr(blank + 1), fact, clause.column);
                    if (!value)
                        return fail(fact.line, clause.column, say("write interrupts as: event 12, receive 13."));
                    instance["interrupts"][std::string(trimmed(item.substr(0, blank)))] = *value;
                }
            } else {
                instance[clause.key == "at"      ? "base"
                         : clause.key == "clock" ? "kernel"
                                                 : clause.key.c_str()] = only(clause, fact);
            }
        }
        place("/instances/" + pointerWord(id), fact);
    }

    void readPad(const FactLine& fact, const std::string& id)
    {
        if (root()["pads"].size() >= kMaxEntries)
            return fail(fact.line, 1, say("there are more than {} pads; Bindrel reads no more.", kMaxEntries));
        Json& pad = root()["pads"][id];
        if (pad.is_null())
            pad = Json::object();
        for (const FactClause& clause : clauses(fact, 0, padKeys())) {
            if (failed())
                return;
            if (with(clause, fact, pad))
                continue;
            if (clause.key == "port")
                pad["at"] = only(clause, fact);
            else if (clause.key == "line") {
                if (const auto line = number(only(clause, fact), fact, clause.column))
                    pad["line"] = *line;
            } else if (clause.key == "bank")
                pad["bank"] = only(clause, fact);
            else if (clause.key == "carries")
                pad["routes"] = pairs(clause.items, fact, clause.column, true);
            else if (clause.key == "fixed")
                pad["fixed"] = clause.items;
            else
                pad["at_reset"] = only(clause, fact);
        }
        place("/pads/" + pointerWord(id), fact);
    }

    /// "kind serial = uart"
    void readKind(const FactLine& fact, const std::string& rest)
    {
        const auto pair = assigned(rest);
        if (!pair)
            return fail(fact.line, 1, say("write it as: kind BLOCK = uart."));
        root()["blocks"][pair->first]["kind"] = pair->second;
        place("/blocks/" + pointerWord(pair->first) + "/kind", fact);
    }

    /// "role serial baud = RATE.DIV: code minus one"
    void readRole(const FactLine& fact, const std::string& rest)
    {
        const auto pair = assigned(rest);
        const std::size_t blank = pair ? pair->first.find(' ') : std::string::npos;
        if (!pair || blank == std::string::npos)
            return fail(fact.line, 1, say("write it as: role BLOCK ROLE = REGISTER.FIELD."));
        const std::string block = pair->first.substr(0, blank), role(trimmed(pair->first.substr(blank)));
        Json& roles = root()["blocks"][block]["roles"];
        Json value;
        if (fact.parts.empty()) {
            value = pair->second;
        } else {
            value["field"] = pair->second;
            for (const FactClause& clause : clauses(fact, 0, {"code", "with"}))
                if (!with(clause, fact, value))
                    value["encoding"] = encoding(clause, fact);
        }
        roles[role] = std::move(value);
        place("/blocks/" + pointerWord(block) + "/roles/" + pointerWord(role), fact);
    }

    /// "ability serial oversampling = 16, 8"
    void readAbility(const FactLine& fact, const std::string& rest)
    {
        const auto pair = assigned(rest);
        const std::size_t blank = pair ? pair->first.find(' ') : std::string::npos;
        if (!pair || blank == std::string::npos)
            return fail(fact.line, 1, say("write it as: ability BLOCK ABILITY = 16, 8."));
        Json list = Json::array();
        for (const auto& [item, column] : cut(pair->second, ',', 1))
            if (const auto value = number(item, fact, column))
                list.push_back(*value);
        const std::string block = pair->first.substr(0, blank), ability(trimmed(pair->first.substr(blank)));
        root()["blocks"][block]["abilities"][ability] = std::move(list);
        place("/blocks/" + pointerWord(block) + "/abilities/" + pointerWord(ability), fact);
    }

    /// "set /package/kind "quad flat""
    void readSet(const FactLine& fact, const std::string&)
    {
        const std::string rest = whole(fact).substr(3);
        const auto [pointer, value] = pointerAndValue(std::string(trimmed(rest)), fact);
        if (failed())
            return;
        try {
            root()[Json::json_pointer(pointer)] = value;
        } catch (const Json::exception&) {
            return fail(fact.line, 5, say("{} leads through a value that is no object.", printable(pointer)));
        }
        place(pointer, fact);
    }

    /// The line as it was, with its colon.
    std::string whole(const FactLine& fact) const
    {
        std::string text = fact.head;
        if (fact.hasColon)
            text += ":" + joined(fact.parts, ", ");
        return text;
    }

    std::pair<std::string, Json> pointerAndValue(const std::string& text, const FactLine& fact)
    {
        const std::size_t blank = text.find(' ');
        if (!text.starts_with('/') || blank == std::string::npos) {
            fail(fact.line, 1, say("write it as: set /POINTER VALUE, the value in JSON."));
            return {};
        }
        std::optional<Json> value = json(std::string(trimmed(std::string_view(text).substr(blank))), fact, 1);
        return {text.substr(0, blank), value ? *std::move(value) : Json()};
    }

    /// "correct /blocks/serial/registers/CTL/offset: was "0x08", is "0x04", because "erratum 3"".
    void readCorrect(const FactLine& fact, const std::string& pointer)
    {
        Json patch{{"at", pointer}};
        for (const FactClause& clause : clauses(fact, 0, {"was", "is", "because"})) {
            const std::string text = joined(clause.items, ", ");
            if (clause.key == "because") {
                patch["because"] = textOf(text);
            } else if (std::optional<Json> value = json(text, fact, clause.column)) {
                patch[clause.key] = *std::move(value);
            }
        }
        if (failed())
            return;
        if (!patch.contains("is") || !patch.contains("because"))
            return fail(fact.line, 1, say("a correction says what the value is, and because of what."));
        Json& list = root()["patches"];
        if (!list.is_array())
            list = Json::array();
        list.push_back(std::move(patch));
        place("/patches/" + std::to_string(list.size() - 1), fact);
    }

    const std::string& text_;
    MakersFile out_;
    int file_ = 0;
};

} // namespace

Expected<MakersFile> readFacts(const std::string& text, const std::string& name)
{
    return FactsReader(text, name).read();
}

} // namespace bindrel
