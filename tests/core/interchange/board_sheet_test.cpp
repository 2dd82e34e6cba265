// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/device/load_device.h"
#include "core/interchange/board_sheet.h"
#include "core/interchange/board_text.h"
#include "core/plan/board_entry.h"
#include "core/plan/board_facts.h"
#include "core/quantity/format.h"
#include "tests/support/fixtures.h"

using namespace bindrel;
using namespace bindrel::test;

/// The board as a list that can be stated anew, and as a file for others.
class BoardSheetTest : public QObject {
    Q_OBJECT

    static std::shared_ptr<const Snapshot> bare()
    {
        LoadedPlan work;
        work.device = *library().device("SE4332-C64");
        work.board = std::make_shared<const Board>(bareBoard(*work.device));
        work.plan.name = "bare";
        work.plan.device = work.device->name;
        return computeSnapshot(work);
    }
    static std::shared_ptr<const Snapshot> after(const Snapshot& s, const Expected<Edit>& edit)
    {
        if (!edit)
            qFatal("%s", edit.problem().message.c_str());
        const Expected<Plan> next = applied(s.plan, *edit);
        if (!next)
            qFatal("%s", next.problem().message.c_str());
        if (*applied(*next, inverse(s.plan, *edit)) != s.plan)
            qFatal("%s cannot be undone", edit->title.c_str());
        return computeSnapshot(s.with(*next));
    }
    static BoardFact fact(const Snapshot& s, const std::string& title)
    {
        for (const BoardFact& one : boardFacts(s))
            if (one.title == title || one.clock == title)
                return one;
        qFatal("no fact %s", title.c_str());
    }
    static BoardPartRow terminal(const Snapshot& s, const std::string& part, const std::string& name)
    {
        for (const BoardPartRow& row : boardParts(s))
            if (row.part == part && row.terminal == name)
                return row;
        qFatal("no terminal %s", name.c_str());
    }
    static bool sameFacts(const Board& a, const Board& b)
    {
        const auto plain = [](const Board& board) {
            std::vector<Part> parts = board.parts;
            for (Part& part : parts)
                part.needs.clear();
            return parts;
        };
        return a.crystals == b.crystals && a.nets == b.nets && a.supply == b.supply && plain(a) == plain(b) &&
               a.temperature.has_value() == b.temperature.has_value() &&
               (!a.temperature ||
                (a.temperature->low == b.temperature->low && a.temperature->high == b.temperature->high));
    }

private Q_SLOTS:
    void temperatures_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("read");
        QTest::newRow("plain") << "-20 to 70"
                               << "-20 to 70 °C";
        QTest::newRow("with the unit") << "-40 °C to 105 °C"
                                       << "-40 to 105 °C";
        QTest::newRow("a minus of typography") << "\u221220 to 60 °C"
                                               << "-20 to 60 °C";
        QTest::newRow("one degree") << "20 to 20"
                                    << "20 to 20 °C";
        QTest::newRow("the other way") << "70 to -20"
                                       << "";
        QTest::newRow("half degrees") << "0.5 to 20"
                                      << "";
        QTest::newRow("colder than cold") << "-300 to 20"
                                          << "";
        QTest::newRow("one number") << "20"
                                    << "";
        QTest::newRow("nothing") << ""
                                 << "";
        QTest::newRow("overflow") << "-20 to 99999999999999999999"
                                  << "";
    }
    void temperatures()
    {
        QFETCH(QString, text);
        QFETCH(QString, read);
        const Expected<TemperatureRange> range = parseTemperatures(text.toStdString());
        QCOMPARE(QString::fromStdString(range ? temperatureText(*range) : ""), read);
        if (range)
            QVERIFY(parseTemperatures(temperatureText(*range)));
    }

    /// From a bare chip, one cell after the other, to what the shipped board says.
    void everyBoardCanBeEntered_data()
    {
        QTest::addColumn<QString>("board");
        for (const std::string& name : library().boardNames())
            QTest::newRow(name.c_str()) << QString::fromStdString(name);
    }
    void everyBoardCanBeEntered()
    {
        QFETCH(QString, board);
        const Expected<Board> wanted = library().board(board.toStdString());
        QVERIFY(wanted);
        LoadedPlan work;
        work.device = *library().device(wanted->device);
        work.board = std::make_shared<const Board>(bareBoard(*work.device));
        work.plan.name = "bare";
        work.plan.device = work.device->name;
        auto s = computeSnapshot(work);
        s = after(*s, boardFactEdit(fact(*s, "Supply"), format(wanted->supply, 12)));
        if (wanted->temperature)
            s = after(*s, boardFactEdit(fact(*s, "Temperature"), temperatureText(*wanted->temperature)));
        for (const auto& [clock, crystal] : wanted->crystals) {
            std::string text = format(crystal.rate, 12) + ", " + format(crystal.tolerance->worst());
            if (crystal.load != Capacitance())
                text += ", load " + format(crystal.load, 12);
            if (crystal.stray != Capacitance())
                text += ", stray " + format(crystal.stray, 12);
            s = after(*s, boardFactEdit(fact(*s, clock), (crystal.external ? "external " : "") + text));
        }
        for (const Part& part : wanted->parts) {
            s = after(*s, newPartEdit(*s, part.title + ": " + terminalList(part)));
            const std::string id = s->board->parts.back().id;
            for (const auto& [name, said] : part.facts)
                for (const TerminalProperty property : kTerminalProperties)
                    if (!terminalText(said, property).empty())
                        s = after(*s, terminalEdit(*s, terminal(*s, id, name), property, terminalText(said, property)));
        }
        for (const auto& [pad, net] : wanted->nets)
            s = after(*s, editOf("net", SetNet{pad, net}));

        const Expected<Board> made = parseBoard(boardText(*s, wanted->name), "made.json", {});
        QVERIFY2(made, made ? "" : made.problem().text().c_str());
        QVERIFY(made->supply == wanted->supply && made->crystals == wanted->crystals && made->nets == wanted->nets);
        QCOMPARE(made->parts.size(), wanted->parts.size());
        for (size_t p = 0; p < made->parts.size(); ++p) {
            QCOMPARE(made->parts[p].title, wanted->parts[p].title);
            QCOMPARE(made->parts[p].row, wanted->parts[p].row);
            QVERIFY(made->parts[p].terminals == wanted->parts[p].terminals &&
                    made->parts[p].facts == wanted->parts[p].facts);
        }
        // Saved in the plan, it is there again.
        const Expected<LoadedPlan> again = parsePlan(planText(s->plan), "plan.bindrel", library());
        QVERIFY2(again, again ? "" : again.problem().text().c_str());
        QVERIFY(again->plan == s->plan && sameFacts(*computeSnapshot(*again)->board, *s->board));
    }

    /// A shipped plan's board, as a file, gives a plan with the same needs, goals and facts.
    void aBoardFileIsWhole_data()
    {
        QTest::addColumn<QString>("plan");
        for (const char* plan : {"sluice-node-c-done", "pump-hall-a-done", "rain-post-b-done", "ditch-meter-d-done"})
            QTest::newRow(plan) << plan;
    }
    void aBoardFileIsWhole()
    {
        QFETCH(QString, plan);
        const auto s = computeSnapshot(demo(plan.toStdString()));
        const Expected<Board> made = parseBoard(boardText(*s, "copy"), "copy.json", {});
        QVERIFY2(made, made ? "" : made.problem().text().c_str());
        QVERIFY(sameFacts(*made, *s->board));
        const Expected<Plan> fresh = planFromBoard(*made);
        QVERIFY2(fresh, fresh ? "" : fresh.problem().text().c_str());
        size_t ofParts = 0;
        for (const Need& need : s->plan.needs) {
            if (need.part.empty())
                continue;
            ++ofParts;
            const bool there = std::any_of(fresh->needs.begin(), fresh->needs.end(), [&need](const Need& other) {
                return other.part == need.part && other.title == need.title && other.kind == need.kind &&
                       other.terminals == need.terminals && other.goals == need.goals;
            });
            QVERIFY2(there, need.id.c_str());
        }
        QCOMPARE(fresh->needs.size(), ofParts);
    }

    void whatCannotBeIsRefused()
    {
        auto s = bare();
        const auto refused = [&](const Expected<Edit>& edit, const char* word) {
            return !edit && edit.problem().message.find(word) != std::string::npos;
        };
        QVERIFY(refused(boardFactEdit(fact(*s, "Supply"), "three"), "three"));
        QVERIFY(refused(boardFactEdit(fact(*s, "Temperature"), "warm"), "warm"));
        QVERIFY(refused(boardFactEdit(fact(*s, "HFX"), "12 MHz, soon"), "soon"));
        QVERIFY(refused(newPartEdit(*s, ": a, b"), "title"));
        QVERIFY(refused(newPartEdit(*s, "Sensor: a, a"), "twice"));
        QVERIFY(refused(newPartEdit(*s, "Sensor: a\nb"), "printable"));
        s = after(*s, newPartEdit(*s, "Sensor: a, b"));
        QVERIFY(
            refused(terminalEdit(*s, terminal(*s, "sensor", "a"), TerminalProperty::Pull, "sideways"), "down or up"));
        QVERIFY(refused(terminalEdit(*s, terminal(*s, "sensor", "a"), TerminalProperty::Voltage, "0 V"), "above zero"));
        QVERIFY(refused(terminalEdit(*s, terminal(*s, "sensor", "a"), TerminalProperty::Current, "-1 A"), ""));
        QVERIFY(refused(partTitleEdit(*s, "sensor", " "), "title"));
        QVERIFY(refused(partRemoval(*s, "nobody"), "nobody"));
        // The second of a name has another id.
        s = after(*s, newPartEdit(*s, "Sensor: a"));
        QCOMPARE(s->board->parts.back().id, std::string("sensor-2"));
        s = after(*s, partRemoval(*s, "sensor"));
        QCOMPARE(s->board->parts.size(), size_t(1));
    }

    /// A terminal that a need uses cannot vanish below it, nor the part; the plan stays one that opens.
    void whatIsUsedStays()
    {
        const auto s = computeSnapshot(demo("sluice-node-c-done"));
        QVERIFY(!partTerminalsEdit(*s, "uplink-modem", "key, ring"));
        QVERIFY(!partRemoval(*s, "uplink-modem"));
        // Said otherwise by the plan, then taken back.
        const BoardPartRow row = terminal(*s, "uplink-modem", "ring");
        const auto next = after(*s, terminalEdit(*s, row, TerminalProperty::Voltage, "5 V"));
        QVERIFY(next->board->part("uplink-modem")->facts.find("ring")->second.volts == Voltage(Rational(5)));
        QVERIFY(parsePlan(planText(next->plan), "p", library()));
        const auto back = after(*next, partRemoval(*next, "uplink-modem"));
        QVERIFY(back->plan == s->plan);
        // With a terminal of its own that a need uses, it stays.
        auto wider = after(*s, partTerminalsEdit(*s, "uplink-modem", "key, ring, cts, rts, txd, rxd, extra"));
        Need moved = *wider->plan.need("uplink");
        moved.terminals.begin()->second = "extra";
        wider = after(*wider, editOf("x", ReplaceNeed{"uplink", moved}));
        QVERIFY(!partRemoval(*wider, "uplink-modem"));
    }

    /// What is wrong with a fact stands beside it.
    void findingsStandBeside()
    {
        auto s = bare();
        s = after(*s, boardFactEdit(fact(*s, "Temperature"), "-60 to 200"));
        QVERIFY(!fact(*s, "Temperature").finding.empty());
        s = after(*s, boardFactEdit(fact(*s, "Temperature"), ""));
        QVERIFY(fact(*s, "Temperature").finding.empty() && fact(*s, "Temperature").source == "chip");
    }
};

BINDREL_TEST(BoardSheetTest)
#include "board_sheet_test.moc"
