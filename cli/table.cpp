// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/table.h"

#include "cli/commands.h"
#include "core/base/text.h"
#include "core/interchange/csv.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>

namespace bindrel::cli {

namespace {

std::size_t columnsOf(const std::string& text)
{
    // One column a character is right for everything that we print; continuation bytes take none.
    return static_cast<std::size_t>(std::count_if(
        text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0u) != 0x80u; }));
}

/// Cells may come from files of strangers.
std::vector<std::string> shown(const std::vector<std::string>& cells)
{
    std::vector<std::string> out;
    for (const std::string& cell : cells)
        out.push_back(printable(cell));
    return out;
}

} // namespace

void Table::print(const std::string& format) const
{
    std::string out;
    if (format == "json") {
        auto list = nlohmann::ordered_json::array();
        for (const auto& row : rows) {
            nlohmann::ordered_json item;
            for (std::size_t i = 0; i < headings.size(); ++i)
                item[headings[i]] = row[i];
            list.push_back(std::move(item));
        }
        printAsJson(list);
        return;
    }
    if (format == "csv") {
        out = csvLine(headings);
        for (const auto& row : rows)
            out += csvLine(shown(row));
        printRaw(out);
        return;
    }
    std::vector<std::size_t> widths;
    for (std::size_t i = 0; i < headings.size(); ++i) {
        std::size_t width = columnsOf(headings[i]);
        for (const auto& row : rows)
            width = std::max(width, columnsOf(printable(row[i])));
        widths.push_back(width);
    }
    const auto line = [&](const std::vector<std::string>& cells) {
        std::string text;
        for (std::size_t i = 0; i < cells.size(); ++i)
            text += cells[i] + std::string(widths[i] - columnsOf(cells[i]) + 2, ' ');
        while (!text.empty() && text.back() == ' ')
            text.pop_back();
        out += text + "\n";
    };
    line(headings);
    for (const auto& row : rows)
        line(shown(row));
    printRaw(out);
}

} // namespace bindrel::cli
