// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/makers/chip_table.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <optional>
#include <set>

namespace bindrel {

namespace {

constexpr std::size_t kMaxListed = 4096;

std::vector<std::string> words(std::string_view line)
{
    std::vector<std::string> out;
    std::string word;
    for (const char c : line)
        if (c == ' ' || c == '\t') {
            if (!word.empty())
                out.push_back(std::exchange(word, {}));
        } else {
            word += c;
        }
    if (!word.empty())
        out.push_back(word);
    return out;
}

} // namespace

PowerName powerOf(std::string_view pin)
{
    const std::string name = uppered(pin);
    for (const char* word : {"VSS", "GND", "VEE", "AGND", "DGND", "PGND"})
        if (name.starts_with(word) || name.ends_with("GND"))
            return PowerName::Ground;
    for (const char* word : {"VDD", "VCC", "VBAT", "VIO", "VREF", "AVDD", "DVDD", "AVCC", "VBUS", "VPP"})
        if (name.starts_with(word))
            return PowerName::Supply;
    return PowerName::None;
}

void putPins(MakersFile& out, int file, const std::string& package, const std::vector<MakersPin>& pins)
{
    using Json = nlohmann::ordered_json;
    Json& value = out.sections.value();
    Json list = Json::object(), pads = Json::object();
    std::set<std::string> supply, ground, dedicated, padNames;
    const bool grid = std::any_of(pins.begin(), pins.end(), [](const MakersPin& pin) {
        return !pin.number.empty() && (pin.number[0] < '0' || pin.number[0] > '9');
    });
    const bool row =
        !grid && pins.size() <= 28 && pins.size() % 4 != 0 && uppered(package).find("QF") == std::string::npos;
    const std::string name = uppered(package);
    const auto has = [&name](std::initializer_list<const char*> words) {
        return std::any_of(words.begin(), words.end(),
                           [&](const char* word) { return name.find(word) != std::string::npos; });
    };
    std::vector<MakersPin> sorted = pins;
    std::stable_sort(sorted.begin(), sorted.end(),
                     [](const MakersPin& a, const MakersPin& b) { return naturalLess(a.number, b.number); });
    for (const MakersPin& pin : sorted) {
        std::string called = pin.name;
        for (char& c : called)
            if (!((c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                  std::string_view("_.+-").find(c) != std::string_view::npos))
                c = '_';
        called = called.substr(0, 48);
        if (called.empty())
            called = "NC";
        MakersPin::Kind kind = pin.kind;
        if (kind == MakersPin::Kind::Pad && !padNames.insert(called).second) {
            // One pad, two pins: a device file gives it to the first.
            Problem problem =
                problemInFile(out.sections.files()[std::size_t(file)], pin.line,
                              say("{} is on several pins; the pin {} is described as dedicated.", called, pin.number));
            out.remarks.push_back(std::move(problem));
            called = (called + "_" + pin.number).substr(0, 48);
            kind = MakersPin::Kind::Dedicated;
        }
        list[pin.number] = called;
        const std::string pointer = "/package/pins/" + pointerWord(pin.number);
        out.sections.put(pointer, file, pin.line, pin.column);
        switch (kind) {
        case MakersPin::Kind::Pad:
            pads[called] = Json::object();
            out.sections.put("/pads/" + pointerWord(called), file, pin.line, pin.column);
            break;
        case MakersPin::Kind::Supply:
            supply.insert(called);
            break;
        case MakersPin::Kind::Ground:
            ground.insert(called);
            break;
        case MakersPin::Kind::Dedicated:
            dedicated.insert(called);
            break;
        }
    }
    Json json;
    json["kind"] = grid || has({"BGA", "CSP", "GRID"})          ? "ball grid"
                   : has({"QFN", "DFN", "LCC", "NO_LEAD"})      ? "no-lead"
                   : row || has({"SOIC", "SSOP", "SOP", "DIP"}) ? "dual row"
                                                                : "quad flat";
    json["name"] = package.substr(0, 48);
    json["pins"] = std::move(list);
    for (const auto& [key, names] : {std::pair{"supply", &supply}, {"ground", &ground}, {"dedicated", &dedicated}})
        if (!names->empty())
            json[key] = std::vector<std::string>(names->begin(), names->end());
    value["package"] = std::move(json);
    value["pads"] = std::move(pads);
    const int first = pins.empty() ? 1 : pins.front().line;
    out.sections.put("/package", file, first);
    out.sections.put("/pads", file, first);
}

/// The keywords [Component] and [Pin] of an I/O buffer model (IBIS 2.1 and later): pin, signal, model. Electrical
/// tables are passed over.
Expected<MakersFile> readIbis(const std::string& text, const std::string& name)
{
    MakersFile out;
    const int file = out.sections.addFile(name);
    std::vector<MakersPin> pins;
    std::set<std::string> numbers;
    std::string component;
    char comment = '|';
    bool inPins = false, headed = false, done = false;
    int number = 0;
    for (std::string_view line : splitted(text, '\n')) {
        ++number;
        if (!line.empty() && line.back() == '\r')
            line.remove_suffix(1);
        line = line.substr(0, line.find(comment));
        std::vector<std::string> row = words(line);
        if (row.empty())
            continue;
        if (row[0].starts_with('[')) {
            const std::size_t close = line.find(']');
            if (close == std::string_view::npos)
                return problemInFile(name, number, say("a keyword has no \"]\"."));
            std::string keyword;
            for (const char c : lowered(line.substr(line.find('[') + 1, close - line.find('[') - 1)))
                keyword += c == '_' ? ' ' : c;
            keyword = std::string(trimmed(keyword));
            row = words(line.substr(close + 1));
            if (inPins)
                done = true;
            inPins = keyword == "pin" && !done;
            headed = false;
            if (keyword == "comment char" && !row.empty())
                comment = row[0][0];
            else if (keyword == "component" && !row.empty() && component.empty())
                component = row[0];
            else if (keyword == "component" && !row.empty() && done)
                out.remarks.push_back(
                    problemInFile(name, number, say("the component {} is not read; {} is.", row[0], component)));
            if (inPins && row.size() >= 2)
                headed = true; // signal_name model_name R_pin L_pin C_pin
            continue;
        }
        if (!inPins)
            continue;
        if (!headed && row.size() >= 2 && lowered(row[0]) == "signal_name") {
            headed = true;
            continue;
        }
        if (row.size() < 3)
            return problemInFile(name, number, say("a line of [Pin] has a pin, a signal and a model."));
        MakersPin pin;
        pin.number = row[0];
        pin.name = row[1];
        pin.line = number;
        pin.column = 1;
        const std::string model = uppered(row[2]);
        pin.kind = model == "POWER"                           ? MakersPin::Kind::Supply
                   : model == "GND"                           ? MakersPin::Kind::Ground
                   : model == "NC" || uppered(row[1]) == "NC" ? MakersPin::Kind::Dedicated
                                                              : MakersPin::Kind::Pad;
        if (!numbers.insert(pin.number).second)
            return problemInFile(name, number, say("the pin {} is listed twice.", printable(pin.number)));
        pins.push_back(std::move(pin));
        if (pins.size() > kMaxListed)
            return problemInFile(name, number, say("has more pins than any package."));
    }
    if (pins.empty())
        return problemInFile(name, 0, say("has no [Pin] list: it is not the model of a component (IBIS)."));
    putPins(out, file, component.empty() ? "package" : component, pins);
    return out;
}

/// Pins and pads by their headings alone. What needs to know the names of signals is read once a file of columns says
/// them.
Expected<MakersFile> readPinTable(const std::string& bytes, const std::string& name, const MakersChoice& choice)
{
    const Expected<Grid> grid = readTable(bytes, name);
    if (!grid)
        return grid.problem();
    const bool confirmed = !choice.columnsName.empty();
    Expected<Columns> columns =
        confirmed ? readColumns(choice.columns, choice.columnsName, *grid, name) : recogniseColumns(*grid, name);
    if (!columns)
        return columns.problem();
    std::vector<std::string> waiting;
    for (Column& column : columns->columns)
        if (!confirmed && column.what != Column::What::Pin && column.what != Column::What::Pad &&
            column.what != Column::What::Type && column.what != Column::What::Ignored) {
            waiting.push_back(column.heading);
            column.what = Column::What::Ignored;
        }
    Expected<ChipTable> table = readChipTable(*grid, *columns, name, choice.package);
    if (!table)
        return table.problem();
    if (!waiting.empty()) {
        if (waiting.size() > 6) {
            waiting.resize(5);
            waiting.push_back("others");
        }
        table->file.remarks.push_back(problemInFile(
            name, 0,
            say("the columns {} are not read: the layer names no columns file that maps their names to signals.",
                listed(waiting))));
    }
    if (table->rows == 0)
        return problemInFile(name, 0, say("has no data below its headings."));
    return std::move(table->file);
}

} // namespace bindrel
