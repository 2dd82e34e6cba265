// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/interchange/pin_sheet.h"

#include "core/base/files.h"
#include "core/base/scratch_folder.h"

#include <fmt/format.h>
#include <xlsxwriter.h>

#include <algorithm>

namespace bindrel {

Outcome writePinSheetXlsx(const std::vector<SheetRow>& rows, const std::string& title,
                          const std::filesystem::path& path)
{
    // The library writes by name: in a folder that nobody else can reach, and from there to its place as every other
    // file.
    const Expected<ScratchFolder> scratch = ScratchFolder::make();
    if (!scratch)
        return scratch.problem();
    const std::filesystem::path aside = scratch->path() / "sheet.xlsx";
    lxw_workbook* book = workbook_new(aside.c_str());
    if (!book)
        return problemOf(say("{} cannot be written: there is not enough memory.", path.string()));
    lxw_doc_properties properties{};
    std::string heading = title;
    properties.title = heading.data();
    // The same plan gives the same file.
    properties.created = 946684800;
    workbook_set_properties(book, &properties);
    lxw_worksheet* sheet = workbook_add_worksheet(book, "Pins");
    lxw_format* bold = workbook_add_format(book);
    format_set_bold(bold);
    format_set_bottom(bold, LXW_BORDER_THIN);
    const auto& columns = sheetColumns();
    std::vector<std::size_t> width(columns.size());
    for (std::size_t c = 0; c < columns.size(); ++c) {
        worksheet_write_string(sheet, 0, lxw_col_t(c), columns[c].title, bold);
        width[c] = std::string_view(columns[c].title).size() + 2;
    }
    for (std::size_t r = 0; r < rows.size(); ++r)
        for (std::size_t c = 0; c < rows[r].cells.size(); ++c) {
            const std::string& text = rows[r].cells[c];
            // Pin numbers and codes are numbers to a spreadsheet, so that they sort as such.
            const bool number = !text.empty() && text.size() < 6 &&
                                std::all_of(text.begin(), text.end(), [](char d) { return d >= '0' && d <= '9'; });
            if (number)
                worksheet_write_number(sheet, lxw_row_t(r + 1), lxw_col_t(c), std::stod(text), nullptr);
            else if (!text.empty())
                worksheet_write_string(sheet, lxw_row_t(r + 1), lxw_col_t(c), text.c_str(), nullptr);
            width[c] = std::max(width[c], std::min<std::size_t>(40, text.size() + 1));
        }
    for (std::size_t c = 0; c < columns.size(); ++c)
        worksheet_set_column(sheet, lxw_col_t(c), lxw_col_t(c), double(width[c]), nullptr);
    worksheet_freeze_panes(sheet, 1, 2);
    if (!rows.empty())
        worksheet_autofilter(sheet, 0, 0, lxw_row_t(rows.size()), lxw_col_t(columns.size() - 1));
    const lxw_error error = workbook_close(book);
    if (error != LXW_NO_ERROR)
        return problemOf(say("{} cannot be written: {}. Choose another place, or make room there.", path.string(),
                             lxw_strerror(error)));
    const Expected<std::string> bytes = readFile(aside);
    return bytes ? writeFileAtomically(path, *bytes) : Outcome(bytes.problem());
}

} // namespace bindrel
