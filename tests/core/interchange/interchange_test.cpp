// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/csv.h"
#include "core/interchange/net_table.h"
#include "core/interchange/pin_sheet.h"
#include "tests/support/fixtures.h"

#include <QProcess>

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Tables that go out and come in.
class InterchangeTest : public QObject {
    Q_OBJECT

    /// An RFC 4180 reader by itself, to hold the writer against.
    static std::vector<std::vector<std::string>> readCsv(const std::string& text)
    {
        std::vector<std::vector<std::string>> rows(1, std::vector<std::string>(1));
        bool quoted = false;
        for (size_t i = 0; i < text.size(); ++i) {
            if (quoted) {
                if (text[i] == '"' && i + 1 < text.size() && text[i + 1] == '"')
                    rows.back().back() += text[++i];
                else if (text[i] == '"')
                    quoted = false;
                else
                    rows.back().back() += text[i];
            } else if (text[i] == '"') {
                quoted = true;
            } else if (text[i] == ',') {
                rows.back().emplace_back();
            } else if (text[i] == '\r' && i + 1 < text.size() && text[i + 1] == '\n') {
                ++i;
                rows.emplace_back(1);
            } else {
                rows.back().back() += text[i];
            }
        }
        rows.pop_back(); // after the last line end
        return rows;
    }
    static const SheetRow& rowOf(const std::vector<SheetRow>& rows, const std::string& pad)
    {
        return *std::find_if(rows.begin(), rows.end(), [&pad](const SheetRow& r) { return r.cells[1] == pad; });
    }
    static int column(const char* id)
    {
        for (size_t c = 0; c < sheetColumns().size(); ++c)
            if (std::string(sheetColumns()[c].id) == id)
                return int(c);
        return -1;
    }

private Q_SLOTS:
    void theSheetTellsEveryPinOnce()
    {
        for (const char* name : {"sluice-node-c-done", "sluice-node-c-tangled", "rain-post-b-done", "pump-hall-a-done",
                                 "ditch-meter-d-done"}) {
            const auto s = run(demo(name));
            const std::vector<SheetRow> rows = pinSheet(*s);
            QCOMPARE(rows.size(), s->device->package.pins.size());
            size_t signals_ = 0;
            for (const SheetRow& row : rows) {
                QCOMPARE(row.cells.size(), sheetColumns().size());
                signals_ += row.need >= 0;
            }
            size_t seats = 0;
            for (const auto& claims : s->bindings.padClaims)
                seats += claims.size() == 1;
            QCOMPARE(signals_, seats);
        }
        const auto s = run(demo());
        const SheetRow row = rowOf(pinSheet(*s), "PD0");
        COMPARE_TEXT(row.cells[size_t(column("signal"))], "UART1.TX");
        COMPARE_TEXT(row.cells[size_t(column("need"))], "Uplink");
        COMPARE_TEXT(row.cells[size_t(column("code"))], "8");
        COMPARE_TEXT(row.cells[size_t(column("direction"))], "out");
        COMPARE_TEXT(rowOf(pinSheet(*s), "PC11").cells[size_t(column("net"))], "XHF_IN");
    }

    void csvIsReadBackCellForCell()
    {
        LoadedPlan work = demo();
        work.plan.need("uplink")->title = "Uplink, \"main\"\nline";
        work.plan.need("beacon")->title = "=1+1";
        const auto s = run(work);
        const std::vector<SheetRow> rows = pinSheet(*s);
        const auto read = readCsv(pinSheetCsv(rows));
        QCOMPARE(read.size(), rows.size() + 1);
        for (size_t r = 0; r < rows.size(); ++r)
            for (size_t c = 0; c < rows[r].cells.size(); ++c) {
                const std::string& cell = rows[r].cells[c];
                // A spreadsheet must not compute what a plan says.
                COMPARE_TEXT(read[r + 1][c], QString::fromStdString(cell.starts_with("=") ? "'" + cell : cell));
            }
    }

    /// By whichever character a reader separates, no cell begins with what it would work out; and what is harmless is
    /// left alone.
    void noReaderFindsAFormula()
    {
        const std::vector<std::string> hostile{"=1+1",
                                               " =1+1",
                                               "A;=1+1",
                                               "A,=1+1",
                                               "A\t=1+1",
                                               "A\n=1+1",
                                               "A;B;@cmd",
                                               "+cmd|' /C calc'!A0",
                                               "-1+1",
                                               "\uff1d1+1",
                                               "\uff20SUM(1)",
                                               "\uff0b1",
                                               "\u00a0=1",
                                               "\u3000\uff1d1",
                                               "A; -2+3",
                                               "A;\t=1",
                                               "\"=1",
                                               "\t=1",
                                               "\r=1",
                                               "a;b,c\td\n=x",
                                               "=",
                                               "x;="};
        const auto begins = [](std::string_view cell) {
            for (bool more = true; more;) {
                more = false;
                for (const std::string_view blank : {" ", "\t", "\r", "\n", "\"", "\u00a0", "\u3000"})
                    if (cell.starts_with(blank)) {
                        cell.remove_prefix(blank.size());
                        more = true;
                    }
            }
            for (const std::string_view sign : {"=", "@", "+", "-", "\uff1d", "\uff20", "\uff0b", "\uff0d"})
                if (cell.starts_with(sign))
                    return true;
            return false;
        };
        for (const std::string& cell : hostile) {
            const std::string line = csvLine({"name", cell, "end"});
            for (const char separator : {',', ';', '\t'})
                for (const bool quotes : {true, false}) {
                    // A reader that knows quotes, and one that does not.
                    std::vector<std::string> cells(1);
                    bool quoted = false;
                    for (const char c : line) {
                        if (c == '"' && quotes)
                            quoted = !quoted;
                        else if (!quoted && (c == separator || c == '\n'))
                            cells.emplace_back();
                        else
                            cells.back() += c;
                    }
                    for (const std::string& read : cells)
                        QVERIFY2(
                            !begins(read),
                            qPrintable(
                                QString("%1 by %2 is read as %3").arg(cell.c_str()).arg(separator).arg(read.c_str())));
                }
        }
        for (const char* plain : {"-40 \u00b0C", "+5 V", "-", "A-B", "a = b", "PA3", "3.3 V, 5 V", "1/2", "x; y"})
            COMPARE_TEXT(cellText(plain), QString::fromUtf8(plain));
    }

    void aWorkbookHoldsTheSameCells()
    {
        QTemporaryDir dir;
        const std::string path = dir.filePath("pins.xlsx").toStdString();
        const auto s = run(demo());
        QVERIFY(writePinSheetXlsx(pinSheet(*s), "x", path));
        // Its parts are stored or deflated files; python's own reader is the judge, where there is one.
        QProcess python;
        python.start("python3", {"-c",
                                 "import sys,zipfile,re\n"
                                 "z=zipfile.ZipFile(sys.argv[1])\n"
                                 "assert z.testzip() is None\n"
                                 "shared=re.findall(r'<t[^>]*>([^<]*)</t>', z.read('xl/sharedStrings.xml').decode())\n"
                                 "sheet=z.read('xl/worksheets/sheet1.xml').decode()\n"
                                 "print(len(re.findall('<row ', sheet)), 'UART1.TX' in shared, 'Gate bridge' in "
                                 "shared, 'autoFilter' in sheet)",
                                 QString::fromStdString(path)});
        if (!python.waitForFinished() || python.exitCode() == 127)
            QSKIP("no python3 to read it with");
        QCOMPARE(QString(python.readAllStandardOutput()).trimmed(),
                 QString("%1 True True True").arg(s->device->package.pins.size() + 1));
        // A place that cannot be written says so and leaves nothing.
        const Outcome refused = writePinSheetXlsx(pinSheet(*s), "x", dir.filePath("none/pins.xlsx").toStdString());
        QVERIFY(!refused && refused.problem().message.find("cannot be written") != std::string::npos);
        QCOMPARE(QDir(dir.path()).entryList(QDir::Files).size(), 1);
        // Twice the same bytes.
        const std::string again = dir.filePath("again.xlsx").toStdString();
        QVERIFY(writePinSheetXlsx(pinSheet(*s), "x", again));
        QVERIFY(textOf(path) == textOf(again));
    }

    void cellsAreWrittenOrSayWhyNot()
    {
        const auto s = run(demo("sluice-node-c-tangled"));
        const std::vector<SheetRow> rows = pinSheet(*s);
        const auto write = [&](const char* pad, const char* id, const char* text) {
            return cellChange(*s, rowOf(rows, pad), id, text);
        };
        QVERIFY(write("PA7", "pull", "up") && write("PA7", "name", "FLASH_SO") && write("PA7", "net", "FL_SO") &&
                write("PA7", "pull", ""));
        for (const auto& [pad, id, text, why] :
             std::vector<std::tuple<const char*, const char*, const char*, const char*>>{
                 {"PA7", "pull", "sideways", "is not possible for pull"},
                 {"PA7", "name", "two words", "is not a name"},
                 {"PA7", "signal", "X", "follows from the wiring"},
                 {"PA2", "pull", "up", "no need uses PA2"},
                 {"PD3", "pull", "up", "is in conflict"},
                 {"VDD", "net", "X", "is no pad"},
                 {"PA7", "nonsense", "X", "follows from the wiring"}}) {
            const Expected<Change> change = write(pad, id, text);
            QVERIFY2(!change && change.problem().message.find(why) != std::string::npos,
                     change ? pad : change.problem().message.c_str());
        }
        // A net that the board's file tells, cleared: it is told otherwise, not forgotten.
        QVERIFY(*write("PC9", "net", "") == Change(SetNet{"PC9", std::string()}));
        QVERIFY(*write("PA2", "net", "") == Change(SetNet{"PA2", std::nullopt}));
    }

    void netTablesComeInManyDresses()
    {
        const Device device = *shippedDevice("se4332-c64");
        const std::vector<std::string> same{
            "4,UP_TX\n5,UP_RX\n",
            "PA2;UP_TX\r\nPA3;UP_RX\r\n",
            "# nets of the board\n\nPA2\tUP_TX\npa3\tUP_RX",
            "PA2   UP_TX\nPA3   UP_RX\n",
            "\xEF\xBB\xBFNet,Designator,Pin\nUP_TX,U1,4\nUP_RX,U1,5\n",
            "\"Pin\",\"Net name\"\n\"4\",\"UP_TX\"\n\"5\",\"UP_RX\"\n",
        };
        for (const std::string& text : same) {
            const Expected<NetTable> table = readNetTable(text, device);
            QVERIFY2(table, (text + (table ? "" : table.problem().message)).c_str());
            QCOMPARE(table->entries.size(), size_t(2));
            COMPARE_TEXT(table->entries[0].pad + table->entries[0].net + table->entries[1].pad + table->entries[1].net,
                         "PA2UP_TXPA3UP_RX");
        }
        const Expected<NetTable> supplies = readNetTable("1,3V3\n4,X\n", device);
        QVERIFY(supplies && supplies->entries.size() == 1 && supplies->notes.size() == 1);
        const Device grid = *shippedDevice("al7654-b176");
        const std::string ball = [&] {
            for (const PackagePin& pin : grid.package.pins)
                if (pin.pad >= 0)
                    return pin.number;
            return std::string();
        }();
        QVERIFY(readNetTable(ball + " SIG\n", grid)->entries.size() == 1);
    }

    void brokenNetTablesAreRefusedWithTheirLine()
    {
        const Device device = *shippedDevice("se4332-c64");
        for (const auto& [text, why] : std::vector<std::pair<std::string, const char*>>{
                 {"PA2,X\nPA99,Y\n", "line 2: \"PA99\" is neither a pin of QF64 nor a pad of SE4332-C64. Did you mean"},
                 {"PA2,X\nPA2,Y\n", "line 2: PA2 is on Y here and on X in line 1."},
                 {"PA2\n", "line 1: \"PA2\" has no net"},
                 {"PA2,a b\n", "line 1: \"a b\" is not a net"},
                 {"PA2,\xFF\n", "not UTF-8"}}) {
            const Expected<NetTable> table = readNetTable(text, device);
            QVERIFY2(!table && table.problem().message.find(why) != std::string::npos,
                     table ? "read" : table.problem().message.c_str());
        }
        // Any bytes whatever: no crash, and nothing that is not of the chip.
        std::mt19937 random(7);
        for (int i = 0; i < 3000; ++i) {
            std::string text;
            for (unsigned n = random() % 60; n-- > 0;)
                text += "PA2,;\t \"\n13XY#\x80="[random() % 17];
            if (const Expected<NetTable> table = readNetTable(text, device))
                for (const NetTable::Entry& entry : table->entries)
                    QVERIFY(device.findPad(entry.pad) >= 0 && !entry.net.empty());
        }
    }

    void onlyWhatIsNewIsAnEdit()
    {
        const auto s = run(demo());
        const Expected<NetTable> table = readNetTable("PC11,XHF_IN\nPA2,NEW\nPC9,OTHER\n", *s->device);
        QVERIFY(table);
        const Edit edit = editOfNets(*s, *table);
        QCOMPARE(edit.changes.size(), size_t(2));
        const auto after = computeSnapshot(s->with(*applied(s->plan, edit)));
        QVERIFY(after->board->nets.at("PA2") == "NEW" && after->board->nets.at("PC9") == "OTHER" &&
                after->board->nets.at("PC11") == "XHF_IN");
        QVERIFY(editOfNets(*after, *table).changes.empty());
    }
};

BINDREL_TEST(InterchangeTest)
#include "interchange_test.moc"
