// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tables/grid.h"
#include "tests/support/fixtures.h"

#include <zip.h>

using namespace bindrel;
using namespace bindrel::test;

/// Workbooks as ECMA-376 has them, made part by part: what their sheet shows is read, and nothing else is opened.
class WorkbookTest : public QObject {
    Q_OBJECT

    QTemporaryDir dir_;

    using Parts = std::vector<std::pair<std::string, std::string>>;

    static std::string relation(const std::string& target, const std::string& mode = {})
    {
        return "<Relationships><Relationship Id=\"r1\" Target=\"" + target + "\"" +
               (mode.empty() ? "" : " TargetMode=\"" + mode + "\"") + "/></Relationships>";
    }
    static std::string sheet(const std::string& rows, const std::string& more = {})
    {
        return "<?xml version=\"1.0\"?><worksheet><sheetData>" + rows + "</sheetData>" + more + "</worksheet>";
    }
    std::string packed(const Parts& parts) const
    {
        const std::string path = dir_.filePath("made.xlsx").toStdString();
        std::filesystem::remove(path);
        int error = 0;
        zip_t* zip = zip_open(path.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &error);
        for (const auto& [name, text] : parts)
            zip_file_add(zip, name.c_str(), zip_source_buffer(zip, text.data(), text.size(), 0), ZIP_FL_ENC_UTF_8);
        zip_close(zip);
        return textOf(path);
    }
    static Parts book(const std::string& sheetXml, const std::string& target = "worksheets/s.xml")
    {
        return {{"xl/workbook.xml", "<workbook><sheets><sheet name=\"Pins\" r:id=\"r1\"/></sheets></workbook>"},
                {"xl/_rels/workbook.xml.rels", relation(target)},
                {"xl/worksheets/s.xml", sheetXml}};
    }
    std::vector<std::vector<std::string>> cells(const Parts& parts) const
    {
        const Expected<Grid> grid = readTable(packed(parts), "made.xlsx");
        if (!grid)
            return {{"!" + grid.problem().message}};
        std::vector<std::vector<std::string>> out;
        for (const Grid::Row& row : grid->rows)
            out.push_back(row.cells);
        return out;
    }

private Q_SLOTS:
    void everySortOfCell()
    {
        Parts parts = book(sheet(
            "<row r=\"1\"><c r=\"A1\" t=\"s\"><v>0</v></c><c r=\"B1\" t=\"s\"><v>1</v></c></row>"
            "<row r=\"3\"><c r=\"A3\"><v>17</v></c><c r=\"C3\" t=\"inlineStr\"><is><t>PA0</t></is></c></row>"
            "<row><c t=\"str\"><f>1+1</f><v>two</v></c><c t=\"e\"><v>#REF!</v></c><c t=\"b\"><v>1</v></c></row>"));
        // Strings with formatted parts are one; what is said of their reading is not theirs.
        parts.emplace_back(
            "xl/sharedStrings.xml",
            "<sst><si><t>Pin</t></si><si><r><t>Na</t></r><r><t>me</t></r><rPh><t>x</t></rPh></si></sst>");
        const auto read = cells(parts);
        QVERIFY(read == (std::vector<std::vector<std::string>>{{"Pin", "Name"}, {"17", "", "PA0"}, {"two", "", "1"}}));
        const Expected<Grid> grid = readTable(packed(parts), "made.xlsx");
        QCOMPARE(grid->rows[1].line, 3); // as the sheet numbers it
    }

    void mergedCellsSayTheSame()
    {
        const auto read = cells(
            book(sheet("<row r=\"1\"><c r=\"A1\" t=\"inlineStr\"><is><t>PA0</t></is></c><c r=\"B1\"><v>1</v></c></row>"
                       "<row r=\"2\"><c r=\"B2\"><v>2</v></c></row>",
                       "<mergeCells><mergeCell ref=\"A1:A2\"/><mergeCell ref=\"nonsense\"/>"
                       "<mergeCell ref=\"Z9:A1\"/></mergeCells>")));
        QVERIFY(read == (std::vector<std::vector<std::string>>{{"PA0", "1"}, {"PA0", "2"}}));
    }

    void nothingElseIsOpened()
    {
        Parts outside = book(sheet(""));
        outside[1].second = relation("file:///etc/hostname", "External");
        QVERIFY(cells(outside)[0][0].starts_with("!"));
        QVERIFY(cells(book(sheet(""), "../../../etc/hostname"))[0][0].starts_with("!"));
        const std::string entities = "<!DOCTYPE x [<!ENTITY a \"boom\"><!ENTITY b SYSTEM \"file:///etc/hostname\">]>";
        const auto read = cells(book(entities + sheet("<row r=\"1\"><c r=\"A1\" t=\"str\"><v>&a;&b;</v></c></row>")));
        QVERIFY(read.empty() || read[0][0].find("boom") == std::string::npos);
    }

    void whatGrowsBeyondTheLimitsIsRefused()
    {
        // A part that unpacks to more than is allowed, a column beyond the last, rows that are mostly empty.
        std::string many;
        for (int i = 0; i < 3000; ++i)
            many +=
                "<row r=\"" + std::to_string(i + 1) + "\"><c r=\"ALL" + std::to_string(i + 1) + "\"><v>1</v></c></row>";
        QVERIFY(cells(book(sheet(many)))[0][0].find("million") != std::string::npos);
        QVERIFY(cells(book(sheet("<row r=\"1\"><c r=\"XFD1\"><v>1</v></c></row>")))[0][0].starts_with("!"));
        QVERIFY(cells(book(sheet("<row r=\"9999999\"><c r=\"A9999999\"><v>1</v></c></row>")))[0][0].starts_with("!"));
        QVERIFY(cells(book(sheet(std::string(70'000'000, ' '))))[0][0].starts_with("!"));
        QVERIFY(cells(book("<worksheet><sheetData><row"))[0][0].find("XML") != std::string::npos);
    }

    void aNamedSheet()
    {
        const std::string bytes = packed(book(sheet("<row r=\"1\"><c r=\"A1\"><v>5</v></c></row>")));
        QVERIFY(readWorkbook(bytes, "x.xlsx", "Pins"));
        QVERIFY(readWorkbook(bytes, "x.xlsx", "Other").problem().message.find("Other") != std::string::npos);
        QVERIFY(!readWorkbook("PK\x03\x04", "x.xlsx"));
    }
};

BINDREL_TEST(WorkbookTest)
#include "workbook_test.moc"
