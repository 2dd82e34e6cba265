// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/describe/signal_names.h"
#include "core/interchange/open_forms.h"
#include "core/interchange/pin_sheet.h"
#include "core/makers/chip_table.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Tables as people have them: what they say is read in every form, and nothing of any other text is.
class ChipTablesTest : public QObject {
    Q_OBJECT

    using Rows = std::vector<std::vector<std::string>>;

    static Rows rowsOf(const Grid& grid)
    {
        Rows out;
        for (const Grid::Row& row : grid.rows)
            out.push_back(row.cells);
        return out;
    }
    static Rows read(const std::string& text)
    {
        const Expected<Grid> grid = readGrid(text, "t");
        return grid ? rowsOf(*grid) : Rows{{"!" + grid.problem().message}};
    }
    static nlohmann::ordered_json sections(const std::string& text, const std::string& columns,
                                           const std::string& package = {})
    {
        const Expected<Grid> grid = readGrid(text, "t.csv");
        const Expected<Columns> so = !grid             ? Expected<Columns>(grid.problem())
                                     : columns.empty() ? recogniseColumns(*grid, "t.csv")
                                                       : readColumns(columns, "t.columns", *grid, "t.csv");
        const Expected<ChipTable> table =
            so ? readChipTable(*grid, *so, "t.csv", package) : Expected<ChipTable>(so.problem());
        if (!table)
            return nlohmann::ordered_json{{"problem", table.problem().text()}};
        return table->file.sections.value();
    }
    /// The same cells in another dress.
    static std::string dressed(const Rows& rows, const std::string& form)
    {
        std::string out;
        std::vector<size_t> widths(rows[0].size(), 0);
        for (const auto& row : rows)
            for (size_t c = 0; c < row.size(); ++c)
                widths[c] = std::max(widths[c], row[c].size());
        for (size_t r = 0; r < rows.size(); ++r) {
            std::string line;
            for (size_t c = 0; c < widths.size(); ++c) {
                const std::string cell = c < rows[r].size() ? rows[r][c] : "";
                if (form == "bars")
                    line += "| " + cell + " ";
                else if (form == "blanks")
                    line += (cell.empty() ? "-" : cell) +
                            std::string(widths[c] + 3 - std::max<size_t>(cell.size(), 1), ' ');
                else if (form == "commas")
                    line += (c ? "," : "") + (cell.find(',') == std::string::npos ? cell : "\"" + cell + "\"");
                else
                    line += (c ? form : "") + cell;
            }
            out += line + (form == "bars" ? "|" : "") + (r % 2 ? "\r\n" : "\n");
            if (form == "bars" && r == 0) {
                for (size_t c = 0; c < widths.size(); ++c)
                    out += "|---";
                out += "|\n";
            }
        }
        return out;
    }

private Q_SLOTS:
    void cells()
    {
        QVERIFY(read("a,b\n1,\"x, y\"\n") == (Rows{{"a", "b"}, {"1", "x, y"}}));
        QVERIFY(read("a;b\n\"x\ny\";\"say \"\"so\"\"\"\n") == (Rows{{"a", "b"}, {"x\ny", "say \"so\""}}));
        QVERIFY(read("\xEF\xBB\xBF"
                     "a\tb\r\n1\t\t\r\n\r\n") == (Rows{{"a", "b"}, {"1", "", ""}}));
        QVERIFY(read("| a | b |\n|---|:-:|\n| 1 |  |\n") == (Rows{{"a", "b"}, {"1", ""}}));
        QVERIFY(read("Pin   Name  here\n 1    PA0\n") == (Rows{{"Pin", "Name", "here"}, {"1", "PA0"}}));
        QVERIFY(read("a\tb\n\"never\tclosed\n" + std::string(200'000, 'x'))[0][0].find("quote") != std::string::npos);
        QVERIFY(read(std::string(3000, ','))[0][0].find("columns") != std::string::npos);
        QVERIFY(read("\xff,a\n")[0][0].find("UTF-8") != std::string::npos);
        QVERIFY(read("").empty());
    }

    void thereAndBack_data()
    {
        QTest::addColumn<QString>("chip");
        QTest::addColumn<QString>("form");
        for (const auto& device : library().devices())
            for (const char* form : {"commas", "\t", ";", "bars", "blanks"})
                QTest::addRow("%s %s", device->name.c_str(), form[0] == '\t' ? "tab" : form)
                    << QString::fromStdString(device->name) << form;
    }
    /// What a chip's table of functions says is what the chip's pads say, in every form.
    void thereAndBack()
    {
        QFETCH(QString, chip);
        QFETCH(QString, form);
        const std::shared_ptr<const Device> device = *library().device(chip.toStdString());
        std::vector<std::string> left;
        const Expected<Grid> grid = readGrid(pinFunctionTable(*device, left), "t");
        QVERIFY(grid);
        const auto read = sections(dressed(rowsOf(*grid), form.toStdString()), pinFunctionColumns(*device));
        QVERIFY2(!read.contains("problem"), read.dump().c_str());
        int routes = 0;
        for (const Pad& pad : device->pads) {
            std::map<std::string, std::set<std::string>> meant, there;
            for (const RouteIndex index : pad.routes) {
                const Route& route = device->routes[index];
                const Instance& instance = device->instances[route.instance];
                const std::string name = instance.name + "." + instance.signals[size_t(route.signal)].name;
                if (route.mechanism == Route::Mechanism::Fixed)
                    meant["fixed"].insert(name);
                else if (route.mechanism == Route::Mechanism::Selector && route.selects.size() <= 1 &&
                         route.group < 0 && route.code >= 0)
                    meant[std::to_string(route.code)].insert(name);
            }
            if (!read["pads"].contains(pad.name)) {
                QVERIFY2(device->pinOf(device->findPad(pad.name)).empty(), pad.name.c_str());
                continue;
            }
            const auto& says = read["pads"][pad.name];
            const auto add = [](std::set<std::string>& into, const nlohmann::ordered_json& value) {
                if (value.is_string())
                    into.insert(value.get<std::string>());
                else
                    for (const auto& one : value)
                        into.insert(one.get<std::string>());
            };
            if (says.contains("routes"))
                for (const auto& [code, value] : says["routes"].items())
                    add(there[code], value);
            if (says.contains("fixed"))
                add(there["fixed"], says["fixed"]);
            QVERIFY2(meant == there, (pad.name + ": " + says.dump()).c_str());
            routes += int(meant.size());
        }
        QVERIFY(routes > 5);
        for (const PackagePin& pin : device->package.pins)
            QVERIFY2(read["package"]["pins"].contains(pin.number), pin.number.c_str());
    }

    /// Wrapped cells, repeated and doubled headings, groups, footnotes, several packages, several signals a cell.
    void uglyTables()
    {
        const std::string text = "Table 9,,,,\nPin,,Name,Alternate,,Analog\nQ16,B9,,AF1,AF2,\n1,A1,VDD,-,-,-\n"
                                 "Port A pads,,,,,\n2,B1,PA0(1),TIM1_CH1/CH1N,UART2_,ADC1 input 3\n,,,,TX,\n"
                                 "Pin,,Name,Alternate,,Analog\nQ16,B9,,AF1,AF2,\n3,-,PA1,RXD2,,\n4,C1,GND,,,\n"
                                 "\"(1) See 4.2, too.\",,,,,\n";
        const std::string columns =
            "column \"Pin Q16\" is pin of Q16\ncolumn \"B9\" is pin of B9\ncolumn \"Name\" is pad\n"
            "column \"Alternate AF1\" is code 1\ncolumn \"AF2\" is code 2\ncolumn \"Analog\" is fixed\n"
            "name \"TIM1_CH1\" is TIM1.CH1 both\nname \"TIM1_CH1N\" is TIM1.CH1N out\n"
            "name \"UART2_TX\" is UART2.TX out\nname \"ADC1 input 3\" is ADC1.IN3 analog\n"
            "name \"RXD2\" is UART2.RX in\n";
        const auto wide = sections(text, columns, "Q16"), balls = sections(text, columns, "B9");
        QVERIFY2(wide["pads"]["PA0"]["routes"]["1"] == nlohmann::ordered_json({"TIM1.CH1", "TIM1.CH1N"}),
                 wide.dump().c_str());
        QCOMPARE(wide["pads"]["PA0"]["routes"]["2"].get<std::string>(), std::string("UART2.TX"));
        QVERIFY(wide["pads"]["PA0"]["fixed"] == nlohmann::ordered_json({"ADC1.IN3"}));
        QCOMPARE(wide["pads"]["PA1"]["routes"]["1"].get<std::string>(), std::string("UART2.RX"));
        QCOMPARE(wide["package"]["pins"].size(), size_t(4));
        QCOMPARE(balls["package"]["pins"].size(), size_t(3));
        QVERIFY(!balls["pads"].contains("PA1")); // not on that package
        QVERIFY(wide["instances"]["UART2"]["signals"]["TX"] == "out");
        QVERIFY(sections(text, columns, "Q99").contains("problem"));
        // Without the names nothing is guessed.
        QVERIFY(!sections(text, "").dump().empty() && sections(text, "").dump().find("UART2") == std::string::npos);
        // Columns that moved are found; one that is gone is told.
        const std::string moved = "Name,AF2,Pin,Alternate AF1\nPA0,UART2_TX,7,-\n";
        const std::string few =
            "column \"Pin\" is pin\ncolumn \"Name\" is pad\ncolumn \"AF2\" is code 2\nname \"UART2_TX\" "
            "is UART2.TX out\n";
        QCOMPARE(sections(moved, few)["pads"]["PA0"]["routes"]["2"].get<std::string>(), std::string("UART2.TX"));
        QVERIFY(sections(moved, few + "column \"AF9\" is code 9\n").dump().find("AF9") != std::string::npos);
        for (const char* wrong : {"column \"Pin\" is pinn\n", "name \"X\" is UART\n", "colum \"Pin\" is pin\n",
                                  "column Pin\n", "column \"AF2\" is code x\n", "name \"X\" is A.B sideways\n"})
            QVERIFY2(sections(moved, few + wrong).contains("problem"), wrong);
    }

    void bySignalAndByNumber()
    {
        const std::string names = "name \"UART2_TX\" is UART2.TX out\nname \"ADC1_IN3\" is ADC1.IN3 analog\n";
        const auto signal = sections("Signal,Available on\nUART2_TX,\"PA2 (7), PB6 (4)\"\nADC1_IN3,PA3\n",
                                     "column \"Signal\" is signal\ncolumn \"Available on\" is pads\n" + names);
        QVERIFY2(signal["pads"]["PB6"]["routes"]["4"] == "UART2.TX" && signal["pads"]["PA3"]["fixed"][0] == "ADC1.IN3",
                 signal.dump().c_str());
        const auto irq =
            sections("No;Interrupt\n5;UART2\n6;Reserved\nx;ADC\n",
                     "column \"No\" is number\ncolumn \"Interrupt\" is interrupt\nname \"UART2\" is UART2.event\n");
        QVERIFY2(irq["instances"]["UART2"]["interrupts"]["event"] == 5, irq.dump().c_str());
        const auto dma =
            sections("Request,Source\n3,UART2_RX\n",
                     "column \"Request\" is number\ncolumn \"Source\" is request\nname \"UART2_RX\" is UART2.RX\n");
        QVERIFY2(dma["instances"]["UART2"]["dma"]["RX"] == 3, dma.dump().c_str());
    }

    void namesAreMatched_data()
    {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QString>("meant");
        const std::pair<const char*, const char*> cases[] = {{"UART1_TX", "UART1.TX"},
                                                             {"UART1.TX", "UART1.TX"},
                                                             {"TXD1", ""},
                                                             {"TXD2", "UART2.TX"},
                                                             {"UART1_RXD", "UART1.RX"},
                                                             {"TIMER1_CH2", "TIMER1.CH2"},
                                                             {"DRIVE1_CH1N", "DRIVE1.CH1N"},
                                                             {"ADC1 input 7", "ADC1.IN7"},
                                                             {"SPI1_SCLK", "SPI1.SCK"},
                                                             {"SPI2_SS", "SPI2.CS"},
                                                             {"I2C1_SDA", "I2C1.SDA"},
                                                             {"USB_D+", "USB.DP"},
                                                             {"EVENT", ""},
                                                             {"UART12_TX", ""},
                                                             {"FOO_BAR", ""}};
        for (const auto& [name, meant] : cases)
            QTest::newRow(name) << name << meant;
    }
    void namesAreMatched()
    {
        QFETCH(QString, name);
        QFETCH(QString, meant);
        const auto device = *library().device("SE4332-C64");
        const SignalProposal proposal = proposeSignal(*device, name.toStdString(), {}, NamesOf::Pads);
        const bool sure = proposal.signal && proposal.confidence >= 0.7;
        QCOMPARE(sure ? QString::fromStdString(proposal.signal->instance + "." + proposal.signal->signal) : QString(),
                 meant);
        QVERIFY(!proposal.reason.empty());
    }

    /// Every name that a chip itself uses is matched to itself.
    void ownNamesAreMatched()
    {
        for (const auto& device : library().devices())
            for (const Instance& instance : device->instances)
                for (const InstanceSignal& signal : instance.signals)
                    for (const char* between : {"_", ".", " "}) {
                        const std::string name = instance.name + between + signal.name;
                        const SignalProposal proposal = proposeSignal(*device, name, {}, NamesOf::Pads);
                        if (proposal.signal && proposal.confidence >= 0.7)
                            QCOMPARE(proposal.signal->instance + "." + proposal.signal->signal,
                                     instance.name + "." + signal.name);
                    }
    }

    /// Text that is cut, doubled, exchanged: a message or a table, never harm, and the same twice.
    void anyText()
    {
        std::mt19937 random(seeded(29));
        const auto device = *library().device("SE4332-C64");
        std::vector<std::string> left;
        const std::string table = pinFunctionTable(*device, left), columns = pinFunctionColumns(*device);
        for (int round = 0; round < 400; ++round) {
            std::string text = table.substr(0, 200 + random() % 3000),
                        said = columns.substr(0, random() % columns.size());
            for (int n = int(random() % 12); n > 0; --n) {
                std::string& hit = random() % 3 ? text : said;
                const size_t at = random() % std::max<size_t>(hit.size(), 1);
                switch (random() % 4) {
                case 0:
                    hit.insert(at, 1, "\t,;|\"\n ()-\xff"[random() % 11]);
                    break;
                case 1:
                    hit.erase(at, 1 + random() % 30);
                    break;
                case 2:
                    hit.insert(at, hit.substr(random() % std::max<size_t>(hit.size(), 1), random() % 80));
                    break;
                default:
                    if (!hit.empty())
                        hit[at] = char(random() % 256);
                }
            }
            const auto once = sections(text, said), again = sections(text, said);
            QCOMPARE(once.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace),
                     again.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
            (void)readWorkbook(text, "x.xlsx").ok();
        }
    }
};

BINDREL_TEST(ChipTablesTest)
#include "chip_tables_test.moc"
