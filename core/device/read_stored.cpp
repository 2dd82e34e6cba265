// SPDX-License-Identifier: GPL-3.0-or-later
// "nonvolatile": words of memory from which the chip takes settings at each reset.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"

#include <algorithm>

namespace bindrel {

StoredSetting DeviceReader::readStoredSetting(const StoredWord& word, const std::string& name, const JsonNode& node)
{
    node.allowOnly({"bits", "values", "about", "decides", "holds_below"});
    StoredSetting out;
    Field& bits = out.bits;
    bits.name = name;
    node.requireWord(name);
    std::tie(bits.lsb, bits.width) = readBits(node.child("bits"));
    if (bits.lsb + bits.width > word.width) {
        node.child("bits").fail(say("lies beyond the {} bits of the word.", word.width));
        bits.lsb = 0;
        bits.width = 1;
    }
    bits.about = node.string("about", "");
    std::vector<std::string> names;
    for (const auto& [value, code] : node.child("values").members()) {
        bits.values.push_back({value, static_cast<std::uint32_t>(code.asInteger(0, bits.maxCode()))});
        names.push_back(value);
        for (size_t i = 0; i + 1 < bits.values.size(); ++i)
            if (bits.values[i].code == bits.values.back().code)
                code.fail(say("the code {} is that of \"{}\" already.", bits.values[i].code, bits.values[i].name));
    }
    if (bits.values.size() < 2)
        node.child("values").fail(say("must name at least two values to choose from."));
    const auto codeOf = [&](const std::string& value, const JsonNode& at) -> std::uint32_t {
        for (const EnumValue& known : bits.values)
            if (known.name == value)
                return known.code;
        at.fail(say("\"{}\" is not a value of {}; use {}.{}", value, name, listed(names), didYouMean(value, names)));
        return 0;
    };
    for (const auto& [dotted, codes] : node.optionalChild("decides").members()) {
        StoredSetting::Decides decides{fieldNamed(dotted, codes), {}};
        if (!ok())
            return out;
        const std::uint32_t most = device_.fieldOf(decides.ref).maxCode();
        if (codes.isObject())
            for (const auto& [value, code] : codes.members())
                decides.codes[codeOf(value, code)] = static_cast<std::uint32_t>(code.asInteger(0, most));
        else if (codes.asString() != "same")
            codes.fail(say("must be \"same\", or say the field's code for each value."));
        for (const EnumValue& value : bits.values)
            if (decides.codeFor(value.code) > most)
                codes.fail(say("the code {} of \"{}\" does not fit into {}.", decides.codeFor(value.code), value.name,
                               dotted));
        out.decides.push_back(std::move(decides));
    }
    for (const auto& [value, volts] : node.optionalChild("holds_below").members())
        out.holdsBelow[codeOf(value, volts)] = volts.asVoltage();
    return out;
}

void DeviceReader::readStored()
{
    UniqueWords words;
    for (const JsonNode& row : section("nonvolatile").items()) {
        row.allowOnly({"name", "address", "width", "factory", "inverse_at", "about", "settings"});
        StoredWord word;
        word.name = row.string("name");
        words.add(word.name, row.child("name"));
        row.child("name").requireWord(word.name);
        word.about = row.string("about", "");
        word.width = readWidth(row, 32);
        word.address = row.child("address").asWord();
        word.factory = row.child("factory").asWord();
        if (row.has("inverse_at"))
            word.inverseAt = row.child("inverse_at").asWord();
        if (word.address % word.bytes() != 0 || word.inverseAt.value_or(0) % word.bytes() != 0)
            row.fail(say("of {} bits, its address must be a multiple of {}.", word.width, word.bytes()));
        if (word.inverseAt == word.address)
            row.child("inverse_at").fail(say("is the word's own address."));
        if (word.width < 32 && word.factory >> word.width != 0)
            row.child("factory").fail(say("does not fit into {} bits.", word.width));
        for (const StoredWord& other : device_.stored)
            if (other.name == word.name)
                row.child("name").fail(say("the word \"{}\" is described twice.", word.name));
        std::uint32_t taken = 0;
        for (const auto& [name, node] : row.child("settings").members()) {
            word.settings.push_back(readStoredSetting(word, name, node));
            if (!ok())
                return;
            if (taken & word.settings.back().bits.mask())
                node.child("bits").fail(say("overlaps another setting of the word."));
            taken |= word.settings.back().bits.mask();
        }
        device_.stored.push_back(std::move(word));
    }
    // A byte belongs to one word, and to no register.
    const auto places = [](const StoredWord& word) {
        std::vector<std::uint32_t> out{word.address};
        if (word.inverseAt)
            out.push_back(*word.inverseAt);
        return out;
    };
    const std::vector<JsonNode> rows = section("nonvolatile").items();
    for (size_t a = 0; a < device_.stored.size(); ++a)
        for (size_t b = 0; b < a; ++b)
            for (const std::uint32_t x : places(device_.stored[a]))
                for (const std::uint32_t y : places(device_.stored[b]))
                    if (x < y + device_.stored[b].bytes() && y < x + device_.stored[a].bytes())
                        rows[a].fail(say("lies where {} is.", device_.stored[b].name));
}

} // namespace bindrel
