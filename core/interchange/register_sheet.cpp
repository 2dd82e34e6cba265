// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/register_sheet.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/interchange/csv.h"
#include "core/source/writer.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace bindrel {

namespace {

const Register& registerOf(const Facts& f, const RegisterValue& value)
{
    return f.device.blockOf(value.instance).registers[value.reg];
}

} // namespace

const std::vector<std::string>& registerHeadings()
{
    static const std::vector<std::string> all{"register", "address", "reset", "value", "fields"};
    return all;
}

std::vector<RegisterRow> registerRows(const Facts& f)
{
    std::vector<RegisterRow> out;
    for (const RegisterValue& value : f.image.registers) {
        std::vector<std::string> fields;
        for (const FieldWrite& write : value.fields)
            fields.push_back(fmt::format("{}={}", f.device.fieldOf(write.ref).name, write.code));
        out.push_back({f.device.instances[value.instance].name + "." + registerOf(f, value).name,
                       fmt::format("0x{:08X}", f.device.addressOf(value.instance, value.reg)),
                       fmt::format("0x{:08X}", value.reset), fmt::format("0x{:08X}", value.value),
                       joined(fields, " ")});
    }
    return out;
}

std::string registerSheetCsv(const Facts& f)
{
    std::string out = csvLine(registerHeadings());
    for (const RegisterRow& row : registerRows(f)) {
        std::vector<std::string> cells;
        for (const std::string& cell : row.cells())
            cells.push_back(printable(cell));
        out += csvLine(cells);
    }
    return out;
}

std::string registerSheetJson(const Facts& f)
{
    auto list = nlohmann::ordered_json::array();
    for (const RegisterRow& row : registerRows(f)) {
        nlohmann::ordered_json item;
        for (std::size_t i = 0; i < registerHeadings().size(); ++i)
            item[registerHeadings()[i]] = row.cells()[i];
        list.push_back(std::move(item));
    }
    return list.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace) + "\n";
}

std::string registerSheetHeader(const Facts& f)
{
    const Names names = namesFor(f, 0);
    Writer w(f, names, names.fileName(names.name(WordLiteral("values")), ".h"),
             say("Register values as the plan has them: address, value, and the mask of the bits that it decides."));
    const Word guard = names.macro("VALUES_H");
    w.linef("#ifndef {}", guard);
    w.linef("#define {}", guard);
    for (const RegisterValue& value : f.image.registers) {
        const Register& reg = registerOf(f, value);
        const Word begin = instanceMacro(f, names, value.instance) + "_" + Word::spelled(reg.name);
        std::vector<std::string> fields;
        std::uint32_t mask = 0;
        for (const FieldWrite& write : value.fields) {
            const Field& field = f.device.fieldOf(write.ref);
            mask |= field.mask();
            fields.push_back(fmt::format("{} {}", field.name, write.code));
        }
        w.line();
        w.comment(fmt::format("{}.{}{}", f.device.instances[value.instance].name, reg.name,
                              fields.empty() ? "" : ": " + joined(fields, ", ")));
        w.linef("#define {}_ADDRESS 0x{:08X}u", begin, f.device.addressOf(value.instance, value.reg));
        w.linef("#define {}_VALUE 0x{:08X}u", begin, value.value);
        w.linef("#define {}_MASK 0x{:08X}u", begin, mask);
    }
    w.line();
    w.linef("#endif /* {} */", guard);
    SourceFile file = w.take();
    setSeal(file);
    return file.text();
}

} // namespace bindrel
