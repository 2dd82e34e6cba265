// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/tables/grid.h"

#include "core/base/text.h"

#include <fmt/format.h>
#include <pugixml.hpp>
#include <zip.h>

#include <algorithm>
#include <cstring>
#include <memory>
#include <optional>

namespace bindrel {

namespace {

constexpr zip_uint64_t kMaxPart = 64u << 20; ///< of a part of the workbook, unpacked
constexpr int kMostSheetRows = 100'000, kMostSheetColumns = 1000;
constexpr std::size_t kMostSheetCells = 1'000'000;

class Archive {
public:
    explicit Archive(const std::string& bytes)
    {
        zip_error_t error;
        zip_error_init(&error);
        if (zip_source_t* source = zip_source_buffer_create(bytes.data(), bytes.size(), 0, &error)) {
            zip_.reset(zip_open_from_source(source, ZIP_RDONLY, &error));
            if (!zip_)
                zip_source_free(source);
        }
        zip_error_fini(&error);
    }
    explicit operator bool() const { return zip_ != nullptr; }

    /// Empty when there is none of that name or it is too large.
    std::optional<std::string> part(const std::string& path) const
    {
        zip_stat_t facts;
        zip_stat_init(&facts);
        if (zip_stat(zip_.get(), path.c_str(), 0, &facts) != 0 || !(facts.valid & ZIP_STAT_SIZE) ||
            facts.size > kMaxPart)
            return std::nullopt;
        const std::unique_ptr<zip_file_t, int (*)(zip_file_t*)> file(zip_fopen(zip_.get(), path.c_str(), 0),
                                                                     zip_fclose);
        if (!file)
            return std::nullopt;
        std::string out(std::size_t(facts.size), '\0');
        // The size in the archive's directory may be wrong.
        const zip_int64_t got = zip_fread(file.get(), out.data(), facts.size);
        if (got < 0 || zip_uint64_t(got) != facts.size)
            return std::nullopt;
        return out;
    }

private:
    struct Close {
        void operator()(zip_t* zip) const { zip_discard(zip); }
    };
    std::unique_ptr<zip_t, Close> zip_;
};

/// "BC12" as column and row, from 0; nothing when it is none.
std::optional<std::pair<int, int>> cellAt(std::string_view reference)
{
    int column = 0, row = 0;
    std::size_t i = 0;
    for (; i < reference.size() && reference[i] >= 'A' && reference[i] <= 'Z' && column < 100'000; ++i)
        column = column * 26 + (reference[i] - 'A' + 1);
    for (; i < reference.size() && reference[i] >= '0' && reference[i] <= '9' && row < 10'000'000; ++i)
        row = row * 10 + (reference[i] - '0');
    if (i != reference.size() || column == 0 || row == 0)
        return std::nullopt;
    return std::pair(column - 1, row - 1);
}

/// The text of a string with formatted parts: all <t> below it but those of readings (<rPh>).
void addTexts(const pugi::xml_node& node, std::string& out, int depth = 0)
{
    for (const pugi::xml_node& child : node.children()) {
        if (std::strcmp(child.name(), "t") == 0)
            out += child.text().get();
        else if (depth < 4 && std::strcmp(child.name(), "rPh") != 0)
            addTexts(child, out, depth + 1);
    }
}

std::optional<std::string> sheetPath(const Archive& archive, const std::string& wanted)
{
    const std::optional<std::string> book = archive.part("xl/workbook.xml"),
                                     links = archive.part("xl/_rels/workbook.xml.rels");
    pugi::xml_document bookXml, linksXml;
    if (!book || !links || !bookXml.load_buffer(book->data(), book->size(), pugi::parse_default) ||
        !linksXml.load_buffer(links->data(), links->size(), pugi::parse_default))
        return std::nullopt;
    for (const pugi::xml_node& sheet : bookXml.child("workbook").child("sheets").children("sheet")) {
        if (!wanted.empty() && wanted != sheet.attribute("name").value())
            continue;
        const std::string id = sheet.attribute("r:id").value();
        for (const pugi::xml_node& link : linksXml.child("Relationships").children("Relationship"))
            if (id == link.attribute("Id").value() &&
                std::string_view(link.attribute("TargetMode").value()) != "External") {
                std::string target = link.attribute("Target").value();
                return target.starts_with('/') ? target.substr(1) : "xl/" + target;
            }
    }
    return std::nullopt;
}

} // namespace

Expected<Grid> readWorkbook(const std::string& bytes, const std::string& name, const std::string& wanted)
{
    const Archive archive(bytes);
    if (!archive)
        return problemInFile(name, 0, say("is not a workbook (.xlsx)."));
    const std::optional<std::string> path = sheetPath(archive, wanted);
    const std::optional<std::string> sheet = path ? archive.part(*path) : std::nullopt;
    if (!sheet)
        return problemInFile(name, 0,
                             wanted.empty()
                                 ? std::string(say("has no sheet that can be read, or one of more than 64 MiB."))
                                 : say("has no sheet \"{}\" that can be read.", printable(wanted)));
    std::vector<std::string> shared;
    if (const std::optional<std::string> strings = archive.part("xl/sharedStrings.xml")) {
        pugi::xml_document xml;
        if (!xml.load_buffer(strings->data(), strings->size(), pugi::parse_default))
            return problemInFile(name, 0, say("has texts that are not XML."));
        for (const pugi::xml_node& item : xml.child("sst").children("si")) {
            shared.emplace_back();
            addTexts(item, shared.back());
        }
    }
    pugi::xml_document xml;
    if (!xml.load_buffer(sheet->data(), sheet->size(), pugi::parse_default))
        return problemInFile(name, 0, say("has a sheet that is not XML."));
    Grid out;
    std::size_t cells = 0;
    const auto put = [&](int row, int column, const std::string& text) -> Outcome {
        // Empty cells before it use memory too.
        const std::size_t there0 = std::size_t(row) < out.rows.size() ? out.rows[std::size_t(row)].cells.size() : 0;
        cells += std::max<std::size_t>(1, std::size_t(column) + 1 - std::min(there0, std::size_t(column)));
        if (row >= kMostSheetRows || column >= kMostSheetColumns || cells > kMostSheetCells)
            return problemInFile(name, 0, say("has more than 100,000 rows, 1000 columns or a million cells."));
        if (out.rows.size() <= std::size_t(row))
            out.rows.resize(std::size_t(row) + 1);
        std::vector<std::string>& there = out.rows[std::size_t(row)].cells;
        if (there.size() <= std::size_t(column))
            there.resize(std::size_t(column) + 1);
        there[std::size_t(column)] = std::string(trimmed(text));
        return {};
    };
    const pugi::xml_node root = xml.child("worksheet");
    int nextRow = 0;
    for (const pugi::xml_node& row : root.child("sheetData").children("row")) {
        const int number = row.attribute("r").as_int(nextRow + 1) - 1;
        nextRow = number + 1;
        int nextColumn = 0;
        for (const pugi::xml_node& cell : row.children("c")) {
            const auto at = cellAt(cell.attribute("r").value());
            const int column = at ? at->first : nextColumn;
            nextColumn = column + 1;
            const std::string_view type = cell.attribute("t").value();
            std::string text = cell.child("v").text().get();
            if (type == "s") {
                const std::size_t index = std::size_t(cell.child("v").text().as_ullong(~0ull));
                text = index < shared.size() ? shared[index] : std::string();
            } else if (type == "inlineStr") {
                text.clear();
                addTexts(cell.child("is"), text);
            } else if (type == "e") {
                text.clear(); // "#REF!" says nothing
            }
            if (number < 0 || !isUtf8(text))
                return problemInFile(name, 0, say("has a cell that cannot be read."));
            if (const Outcome done = text.empty() ? Outcome() : put(number, column, text); !done)
                return done.problem();
        }
    }
    for (const pugi::xml_node& merge : root.child("mergeCells").children("mergeCell")) {
        const std::string_view range = merge.attribute("ref").value();
        const std::size_t colon = range.find(':');
        const auto from = cellAt(range.substr(0, colon)),
                   to = colon == std::string_view::npos ? std::nullopt : cellAt(range.substr(colon + 1));
        if (!from || !to || from->second >= int(out.rows.size()))
            continue;
        const std::vector<std::string>& head = out.rows[std::size_t(from->second)].cells;
        const std::string text =
            std::size_t(from->first) < head.size() ? head[std::size_t(from->first)] : std::string();
        const int lastRow = std::min(to->second, int(out.rows.size()) - 1);
        for (int r = from->second; r <= lastRow && !text.empty(); ++r)
            for (int c = from->first; c <= std::min(to->first, kMostSheetColumns - 1); ++c)
                if (const Outcome done = put(r, c, text); !done)
                    return done.problem();
    }
    for (std::size_t r = 0; r < out.rows.size(); ++r)
        out.rows[r].line = int(r) + 1;
    std::erase_if(out.rows, [](const Grid::Row& row) {
        return std::all_of(row.cells.begin(), row.cells.end(), [](const std::string& cell) { return cell.empty(); });
    });
    return out;
}

} // namespace bindrel
