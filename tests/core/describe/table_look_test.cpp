// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/table_look.h"
#include "core/interchange/net_table.h"
#include "core/interchange/open_forms.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// What a person is shown of a table, and what is kept of what was said.
class TableLookTest : public QObject {
    Q_OBJECT

    static Grid gridOf(const std::string& text) { return *readGrid(text, "t"); }

private Q_SLOTS:
    /// Every name of every chip's own table is proposed or left open; what the file beside the table then says is what
    /// was shown, and reads the table whole.
    void namesAreProposedAndKept()
    {
        for (const auto& device : library().devices()) {
            std::vector<std::string> left;
            const Grid grid = gridOf(pinFunctionTable(*device, left));
            const Columns columns = *recogniseColumns(grid, "t");
            const Expected<TableLook> look = lookAtTable(grid, columns, *device, "t", {});
            QVERIFY2(look.ok(), look ? "" : look.problem().text().c_str());
            QVERIFY(!look->names.empty());
            const std::string text = columnsFileText(*look, columns, {}, "t", 0.7);
            const Expected<Columns> kept = readColumns(text, "c", grid, "t");
            QVERIFY2(kept.ok(), kept ? "" : kept.problem().text().c_str());
            const Expected<TableLook> again = lookAtTable(grid, *kept, *device, "t", {});
            QVERIFY(again.ok() && again->names.size() == look->names.size());
            for (std::size_t i = 0; i < look->names.size(); ++i) {
                const TableName &was = look->names[i], &is = again->names[i];
                const bool sure = !was.meaning.empty() && was.confidence >= 0.7;
                QVERIFY2(is.known == sure && (!sure || is.meaning == was.meaning), was.name.c_str());
            }
            // Once more with what is there: nothing is added, and nothing said twice.
            COMPARE_TEXT(columnsFileText(*again, *kept, text, "t", 0.7), QString::fromStdString(text));
        }
    }

    /// A person's lines stay; lines that say something else now are changed where they stand; the text says exactly
    /// what it is asked to.
    void theTextFollowsWhatIsSaid()
    {
        std::mt19937 random(seeded(351));
        const Grid grid = gridOf("Symbol,Min,Max,Unit\na,1,2,V\nb,1,2,V\nc,1,2,V\n");
        Columns said = *recogniseColumns(grid, "t");
        std::string text = columnsTextOver({}, said, "t");
        int notes = 0;
        for (int round = 0; round < 300; ++round) {
            const std::string name(1, "abcd"[random() % 4]);
            static const char* const meanings[] = {"",         "ignored", "supply", "limit of CPU", "UART1.TX out",
                                                   "range LOW"};
            const Expected<Columns> with = withMeaning(said, name, meanings[random() % 6]);
            QVERIFY(with.ok());
            said = *with;
            if (random() % 3 == 0)
                text = "# note " + std::to_string(notes++) + "\n" + text;
            if (random() % 5 == 0)
                text += "\n# behind " + std::to_string(notes++) + (random() % 2 ? "\n" : "");
            text = columnsTextOver(text, said, "t");
            const Expected<Columns> read = readColumns(text, "c", grid, "t");
            QVERIFY2(read.ok(), read ? "" : (read.problem().text() + "\n" + text).c_str());
            QVERIFY2(read->names == said.names && read->facts == said.facts, text.c_str());
            COMPARE_TEXT(columnsTextOver(text, said, "t"), QString::fromStdString(text));
        }
        for (int note = 0; note < notes; ++note)
            QVERIFY2(text.find(" " + std::to_string(note) + "\n") != std::string::npos, text.c_str());
        for (const char* wrong : {"limit", "limit of", "UART1", ".TX", "UART1.TX sideways", "range", "anything"})
            QVERIFY2(!withMeaning(said, "a", wrong), wrong);
    }

    /// The nets of a board in tables of any order of columns, with others between and headings of any language: found
    /// by what the cells are, and the same nets.
    void netsInTablesOfAnyOrder()
    {
        std::mt19937 random(seeded(352));
        const auto s = run(demo());
        const Device& device = *s->device;
        for (int round = 0; round < 120; ++round) {
            std::map<std::string, std::string> nets;
            for (const Pad& pad : device.pads)
                if (random() % 3 == 0 && !device.pinOf(device.findPad(pad.name)).empty())
                    nets[pad.name] = "LEITUNG_" + std::to_string(random() % 1000) + "_" + pad.name;
            if (nets.size() < 3)
                continue;
            std::vector<int> order{0, 1, 2, 3};
            std::shuffle(order.begin(), order.end(), random);
            const char separator = ",;\t"[random() % 3];
            const bool byNumber = random() % 2;
            std::string text;
            const auto line = [&](const std::vector<std::string>& cells) {
                for (std::size_t c = 0; c < order.size(); ++c)
                    text += (c ? std::string(1, separator) : "") + cells[std::size_t(order[c])];
                text += random() % 2 ? "\r\n" : "\n";
            };
            line({"Kontakt", "Leitung", "Blatt", "-"});
            for (const auto& [pad, net] : nets)
                line({byNumber ? device.pinOf(device.findPad(pad)) : pad, net, "", random() % 4 ? "" : "x y"});
            const Expected<Grid> grid = netGrid(text);
            QVERIFY(grid.ok());
            const NetColumns columns = recogniseNetColumns(*grid, device);
            QVERIFY2(columns.pinColumn >= 0 && columns.netColumn >= 0 && columns.body == 1, text.c_str());
            std::map<std::string, std::string> read;
            for (const NetTable::Entry& entry : readNetRows(*grid, columns, device).entries)
                read[entry.pad] = entry.net;
            QVERIFY2(read == nets, text.c_str());
            // What is kept beside the table reads it again.
            const Expected<NetColumns> kept = readNetColumns(netColumnsText(*grid, columns, "t"), "c", *grid, "t");
            QVERIFY2(kept.ok(), kept ? "" : kept.problem().text().c_str());
            QVERIFY(*kept == columns);
        }
    }
};

BINDREL_TEST(TableLookTest)
#include "table_look_test.moc"
