// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/facts.h"

#include "core/base/text.h"
#include "core/json/placed_json.h"
#include "core/makers/fact_words.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;

/// A word that can stand in a line as it is.
bool plain(const Json& value, const std::vector<std::string>& keys)
{
    if (!value.is_string())
        return false;
    const std::string& text = value.get_ref<const std::string&>();
    if (text.empty() || std::string(trimmed(text)) != text ||
        text.find_first_of(",:\"#{}[]\\\n") != std::string::npos || text.find(" by ") != std::string::npos ||
        text.find(" to ") != std::string::npos || text.find('=') != std::string::npos)
        return false;
    return std::none_of(keys.begin(), keys.end(),
                        [&text](const std::string& key) { return startsWithWord(text, key); });
}

std::string headed(const std::string& id, const Json& item)
{
    return id + (item.contains("name") && item["name"].is_string() && !item["name"].get<std::string>().empty()
                     ? " " + item["name"].dump()
                     : "");
}

class FactsWriter {
public:
    std::string write(const Json& device)
    {
        for (const auto& [key, value] : device.items()) {
            if (key == "$schema" || key == "format")
                continue;
            if (key == "clocks" && value.is_array())
                for (const Json& clock : value)
                    writeClock(clock, key);
            else if (key == "instances" && value.is_object())
                for (const auto& [id, instance] : value.items())
                    writeInstance(id, instance);
            else if (key == "pads" && value.is_object())
                for (const auto& [id, pad] : value.items())
                    writePad(id, pad);
            else if (key == "cpu_clock" && plain(value, {}))
                line("core clock " + value.get<std::string>());
            else if (key == "supply" && value.is_array() && value.size() == 2 && plain(value[0], {}) &&
                     plain(value[1], {}))
                line(fmt::format("supply {} to {}", value[0].get<std::string>(), value[1].get<std::string>()));
            else
                set("/" + pointerWord(key), value);
        }
        return out_;
    }

private:
    void line(const std::string& text) { out_ += text + "\n"; }
    void set(const std::string& pointer, const Json& value) { line(fmt::format("set {} {}", pointer, value.dump())); }
    static std::string with(const std::string& key, const Json& value)
    {
        return fmt::format("with {} {}", key, value.dump());
    }

    void writeClock(const Json& clock, const std::string&)
    {
        if (!clock.is_object() || !clock.contains("id") || !plain(clock["id"], {})) {
            return;
        }
        std::vector<std::string> clauses;
        std::string type;
        std::vector<std::string> told{"id"};
        const auto& keys = clockKeys();
        if (clock.contains("name") && clock["name"].is_string() && !clock["name"].get<std::string>().empty())
            told.push_back("name");
        if (clock.contains("tier") && clock.contains("type")) {
            const std::string kind = clock["type"].is_string() ? clock["type"].get<std::string>() : "";
            type = clock["tier"].get<std::string>() + " " + kind;
            told.insert(told.end(), {"tier", "type"});
            if (kind == "oscillator" && clock.contains("rate") && plain(clock["rate"], keys)) {
                type += " " + clock["rate"].get<std::string>();
                told.push_back("rate");
            } else if ((kind == "crystal" || kind == "external") && clock.contains("crystal") &&
                       clock["crystal"].is_array() && clock["crystal"].size() == 2 &&
                       plain(clock["crystal"][0], keys) && plain(clock["crystal"][1], keys)) {
                type += fmt::format(" {} to {}", clock["crystal"][0].get<std::string>(),
                                    clock["crystal"][1].get<std::string>());
                told.push_back("crystal");
            } else if (kind == "select" && clock.contains("inputs") && clock["inputs"].is_object() &&
                       !clock["inputs"].empty()) {
                std::vector<std::string> inputs;
                bool fine = true;
                for (const auto& [name, code] : clock["inputs"].items()) {
                    fine = fine && plain(Json(name), keys) && code.is_number_integer();
                    inputs.push_back(name + " = " + code.dump());
                }
                if (fine) {
                    type += " " + joined(inputs, ", ");
                    told.push_back("inputs");
                }
            } else if ((kind == "divide" || kind == "multiply") && clock.contains("from") &&
                       plain(clock["from"], keys)) {
                type += " " + clock["from"].get<std::string>();
                told.push_back("from");
                if (clock.contains("factors") && clock["factors"].is_string() &&
                    clock["factors"].get<std::string>().find("..") != std::string::npos) {
                    type += " by " + clock["factors"].get<std::string>();
                    told.push_back("factors");
                } else if (clock.contains("factors") && clock["factors"].is_array()) {
                    std::vector<std::string> list;
                    bool fine = !clock["factors"].empty();
                    for (const Json& factor : clock["factors"]) {
                        // A text that looks like a whole number would come back as one.
                        const bool whole =
                            factor.is_string() && factor.get<std::string>().find('.') == std::string::npos;
                        fine = fine && (factor.is_number_integer() || (plain(factor, keys) && !whole));
                        list.push_back(factor.is_string() ? factor.get<std::string>() : factor.dump());
                    }
                    if (fine) {
                        type += " by " + joined(list, ", ");
                        told.push_back("factors");
                    }
                }
            } else if ((kind == "follow" || kind == "gate") && clock.contains("from") && plain(clock["from"], keys)) {
                type += " " + clock["from"].get<std::string>();
                told.push_back("from");
            }
            clauses.push_back(type);
        }
        for (const auto& [word, key] : {std::pair{"set by", "control"},
                                        {"shown by", "status"},
                                        {"code", "encoding"},
                                        {"starts in", "startup"},
                                        {"tolerance", "tolerance"},
                                        {"draws", "draws"}})
            if (clock.contains(key) && plain(clock[key], keys)) {
                clauses.push_back(fmt::format("{} {}", word, clock[key].get<std::string>()));
                told.push_back(key);
            }
        for (const auto& [word, key] : {std::pair{"on", "enable"}, {"ready", "ready"}})
            if (clock.contains(key) && clock[key].is_string() &&
                clock[key].get<std::string>().find_first_of(",:\"#") == std::string::npos) {
                clauses.push_back(fmt::format("{} {}", word, clock[key].get<std::string>()));
                told.push_back(key);
            }
        if (clock.contains("limit") && clock["limit"].is_object()) {
            const Json& limit = clock["limit"];
            const bool words = std::all_of(limit.items().begin(), limit.items().end(), [&](const auto& item) {
                return ((item.key() == "min" || item.key() == "max") && plain(item.value(), keys)) ||
                       (item.key() == "because" && item.value().is_string());
            });
            if (words && !limit.empty()) {
                if (limit.contains("min") && limit.contains("max"))
                    clauses.push_back(
                        fmt::format("from {} to {}", limit["min"].get<std::string>(), limit["max"].get<std::string>()));
                else if (limit.contains("max"))
                    clauses.push_back("at most " + limit["max"].get<std::string>());
                else if (limit.contains("min"))
                    clauses.push_back("at least " + limit["min"].get<std::string>());
                if (limit.contains("because"))
                    clauses.push_back("because " + limit["because"].dump());
                told.push_back("limit");
            }
        }
        finish("clock " + headed(clock["id"].get<std::string>(), clock), clauses, clock, told);
    }

    void writeInstance(const std::string& id, const Json& instance)
    {
        std::vector<std::string> clauses, told;
        const auto& keys = instanceKeys();
        for (const auto& [word, key] : {std::pair{"block", "block"},
                                        {"kind", "kind"},
                                        {"at", "base"},
                                        {"bus", "bus"},
                                        {"clock", "kernel"},
                                        {"unit", "unit"}})
            if (instance.contains(key) && plain(instance[key], keys)) {
                clauses.push_back(fmt::format("{} {}", word, instance[key].get<std::string>()));
                told.push_back(key);
            }
        for (const char* key : {"gate", "reset"})
            if (instance.contains(key) && instance[key].is_string() &&
                instance[key].get<std::string>().find_first_of(",:\"#") == std::string::npos) {
                clauses.push_back(fmt::format("{} {}", key, instance[key].get<std::string>()));
                told.push_back(key);
            }
        for (const char* key : {"signals", "interrupts"}) {
            if (!instance.contains(key) || !instance[key].is_object() || instance[key].empty())
                continue;
            std::vector<std::string> items;
            bool fine = true;
            for (const auto& [name, value] : instance[key].items()) {
                fine = fine && plain(Json(name), keys) && (value.is_number_integer() || plain(value, keys));
                items.push_back(name + " " + (value.is_string() ? value.get<std::string>() : value.dump()));
            }
            if (fine) {
                clauses.push_back(fmt::format("{} {}", key, joined(items, ", ")));
                told.emplace_back(key);
            }
        }
        finish("instance " + id, clauses, instance, told);
    }

    void writePad(const std::string& id, const Json& pad)
    {
        std::vector<std::string> clauses, told;
        const auto& keys = padKeys();
        for (const auto& [word, key] : {std::pair{"port", "at"}, {"bank", "bank"}, {"after reset", "at_reset"}})
            if (pad.contains(key) && plain(pad[key], keys)) {
                clauses.push_back(fmt::format("{} {}", word, pad[key].get<std::string>()));
                told.push_back(key);
            }
        if (pad.contains("line") && pad["line"].is_number_integer()) {
            clauses.push_back("line " + pad["line"].dump());
            told.push_back("line");
        }
        if (pad.contains("routes") && pad["routes"].is_object() && !pad["routes"].empty()) {
            std::vector<std::string> items;
            bool fine = true;
            for (const auto& [code, signals] : pad["routes"].items())
                for (const Json& signal : signals.is_array() ? signals : Json::array({signals})) {
                    fine = fine && plain(signal, keys) && (!signals.is_array() || signals.size() > 1);
                    items.push_back(code + " = " + (signal.is_string() ? signal.get<std::string>() : ""));
                }
            if (fine) {
                clauses.push_back("carries " + joined(items, ", "));
                told.push_back("routes");
            }
        }
        if (pad.contains("fixed") && pad["fixed"].is_array() && !pad["fixed"].empty() &&
            std::all_of(pad["fixed"].begin(), pad["fixed"].end(),
                        [&](const Json& signal) { return plain(signal, keys); })) {
            std::vector<std::string> items;
            for (const Json& signal : pad["fixed"])
                items.push_back(signal.get<std::string>());
            clauses.push_back("fixed " + joined(items, ", "));
            told.push_back("fixed");
        }
        finish("pad " + id, clauses, pad, told);
    }

    void finish(const std::string& head, std::vector<std::string> clauses, const Json& item,
                const std::vector<std::string>& told)
    {
        for (const auto& [key, value] : item.items())
            if (std::find(told.begin(), told.end(), key) == told.end())
                clauses.push_back(with(key, value));
        line(clauses.empty() ? head : head + ": " + joined(clauses, ", "));
    }

    std::string out_;
};

} // namespace

std::string factsText(const Json& device)
{
    return FactsWriter().write(device);
}

} // namespace bindrel
