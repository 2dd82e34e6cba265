// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_nonvolatile.c: words that are programmed with the program, and from which the chip takes settings at each
// reset.
#include "core/plan/stored_settings.h"
#include "core/source/register_access.h"
#include "core/source/writer.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

Word wordName(const Names& names, const StoredWord& word)
{
    return names.prefix + WordLiteral("_nonvolatile_") + Word::of(word.name);
}

/// Of the region in the linker script and of the section in it.
Word regionOf(const StoredPlace& place)
{
    const Word name = WordLiteral("nonvolatile_") + Word::of(place.word->name);
    return place.inverse ? name + WordLiteral("_inverse") : name;
}

/// "LEVEL mid, DOG stopped (factory)": what the word's bits say.
std::string contents(const Facts& f, const StoredWord& word, std::uint32_t value)
{
    std::string text;
    for (const StoredSetting& setting : word.settings) {
        const std::uint32_t code = (value & setting.bits.mask()) >> setting.bits.lsb;
        std::string name = std::to_string(code);
        for (const EnumValue& known : setting.bits.values)
            if (known.code == code)
                name = known.name;
        text += fmt::format("{}{} {}", text.empty() ? "" : ", ", setting.bits.name, name);
        if (!f.plan.stored.contains(word.name + "." + setting.bits.name))
            text += " (factory)";
    }
    return text;
}

} // namespace

void declareStored(Writer& w)
{
    if (w.names.core != 0 || storedPlaces(w.facts.device, w.facts.plan).empty())
        return;
    w.comment("True if the non-volatile memory holds the settings that this program was made for. They take effect at "
              "the next reset after programming.");
    w.linef("bool {}_nonvolatile_as_planned(void);", w.names.prefix);
}

std::optional<SourceFile> storedSource(const Facts& f, const Names& names)
{
    const std::vector<StoredPlace> places = storedPlaces(f.device, f.plan);
    if (places.empty())
        return std::nullopt;
    Writer w(f, names, names.path(WordLiteral("nonvolatile"), ".c"),
             "Settings in non-volatile memory, programmed together with the code.");
    w.line(names.include(WordLiteral("board")));
    for (const StoredPlace& place : places) {
        const StoredWord& word = *place.word;
        const auto type = typeOf(word.width);
        w.line();
        w.because({Place::Kind::Stored, word.name + "." + word.settings.front().bits.name, {}}, "non-volatile setting");
        w.comment(place.inverse
                      ? fmt::format("{} with each bit inverted, as the chip requires.", word.name)
                      : fmt::format("{} at 0x{:08X}: {}.", word.name, place.address, contents(f, word, place.value)));
        const Word name = place.inverse ? wordName(names, word) + WordLiteral("_inverse") : wordName(names, word);
        w.linef("extern const {} {};", type, name);
        w.linef("const {} {} __attribute__((section(\".{}\"), used)) = 0x{:0{}X}u;", type, name, regionOf(place),
                place.value, word.bytes() * 2);
    }
    w.noCause();
    w.line();
    w.linef("bool {}_nonvolatile_as_planned(void)", names.prefix);
    w.line("{");
    w.comment("Read through volatile: the memory may differ from the constants compiled in.", 4);
    for (const StoredPlace& place : places) {
        const auto type = typeOf(place.word->width);
        w.linef("    if (*(const volatile {} *)0x{:08X}u != 0x{:0{}X}u) {{", type, place.address, place.value,
                place.word->bytes() * 2);
        w.line("        return false;");
        w.line("    }");
    }
    w.line("    return true;");
    w.line("}");
    return w.take();
}

void linkStored(Writer& w, bool regions)
{
    if (w.names.core != 0)
        return;
    for (const StoredPlace& place : storedPlaces(w.facts.device, w.facts.plan)) {
        const Word name = regionOf(place);
        if (regions)
            w.linef("    {} (r) : ORIGIN = 0x{:08X}, LENGTH = {}", name, place.address, place.word->bytes());
        else
            w.linef("    .{0} : {{ KEEP(*(.{0})) }} > {0}", name);
    }
}

} // namespace bindrel
