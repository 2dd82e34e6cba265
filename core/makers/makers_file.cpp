// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/makers_file.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

namespace bindrel {

MakersFormat formatOf(std::string_view text, std::string_view name)
{
    const std::string low = lowered(name);
    const auto ends = [&low](std::initializer_list<const char*> endings) {
        for (const char* ending : endings)
            if (low.ends_with(ending))
                return true;
        return false;
    };
    if (ends({".json"}))
        return MakersFormat::Device;
    if (ends({".svd", ".xml"}))
        return MakersFormat::Registers;
    if (ends({".bsd", ".bsdl", ".bsm"}))
        return MakersFormat::BoundaryScan;
    if (ends({".ibs"}))
        return MakersFormat::Ibis;
    if (ends({".csv", ".tsv", ".xlsx"}))
        return MakersFormat::PinTable;
    if (ends({".facts"}))
        return MakersFormat::Facts;
    const std::string_view start = trimmed(text.substr(0, 4096));
    if (start.starts_with('<'))
        return MakersFormat::Registers;
    if (start.starts_with('{'))
        return MakersFormat::Device;
    const std::string low2 = lowered(text.substr(0, 65536));
    if (low2.find("[ibis ver]") != std::string::npos)
        return MakersFormat::Ibis;
    if (low2.find("entity") != std::string::npos && low2.find("generic") != std::string::npos)
        return MakersFormat::BoundaryScan;
    return MakersFormat::Facts;
}

const char* nameOf(MakersFormat format)
{
    switch (format) {
    case MakersFormat::Registers:
        return say("register description (SVD)");
    case MakersFormat::BoundaryScan:
        return say("boundary-scan description (BSDL)");
    case MakersFormat::Ibis:
        return say("pin list of an I/O buffer model (IBIS)");
    case MakersFormat::PinTable:
        return "table";
    case MakersFormat::Facts:
        return say("lines of facts");
    case MakersFormat::Device:
        return say("device file");
    }
    return "";
}

Expected<MakersFile> readMakersFile(const std::string& text, const std::string& name, const MakersChoice& choice)
{
    switch (formatOf(text, name)) {
    case MakersFormat::Registers:
        return readRegisterDescription(text, name);
    case MakersFormat::BoundaryScan:
        return readBoundaryScan(text, name, choice);
    case MakersFormat::Ibis:
        return readIbis(text, name);
    case MakersFormat::PinTable:
        return readPinTable(text, name, choice);
    case MakersFormat::Facts:
        return readFacts(text, name);
    case MakersFormat::Device:
        break;
    }
    Problem problem = problemOf(say("is a device file, which is read as one."));
    problem.file = name;
    return problem;
}

std::string wordFor(std::string_view name)
{
    std::string out;
    for (const char c : name)
        out += (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' ? c : '_';
    if (!out.empty() && out.front() >= '0' && out.front() <= '9')
        out.insert(0, "_");
    return out.substr(0, 48);
}

std::string sentenceFor(std::string_view text)
{
    std::string out;
    bool blank = false;
    for (const char c : text) {
        if (c == ' ' || c == '\n' || c == '\r' || c == '\t') {
            blank = !out.empty();
            continue;
        }
        if (blank)
            out += ' ';
        blank = false;
        out += c;
    }
    out = printable(out);
    if (out.size() > 900) {
        std::size_t end = 900;
        while (end > 0 && (static_cast<unsigned char>(out[end]) & 0xC0) == 0x80)
            --end;
        out.resize(end);
    }
    return out;
}

} // namespace bindrel
