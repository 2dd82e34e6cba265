// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"
#include "core/plan/need_line.h"
#include "tests/support/fixtures.h"

#include <random>

using namespace bindrel;
using namespace bindrel::test;

class NeedLineTest : public QObject {
    Q_OBJECT

    static Expected<StatedNeed> read(const std::string& line, const LoadedPlan& work = demo())
    {
        return parseNeedLine(line, *work.device, *work.board);
    }
    /// The goals, "id=value" in order of ids; the message when the line cannot be read.
    static QString goals(const std::string& line)
    {
        const Expected<StatedNeed> stated = read(line);
        if (!stated)
            return QString::fromStdString(stated.problem().message);
        QStringList out{QString::fromStdString(stated->kind)};
        for (const auto& [goal, value] : stated->goals)
            out << QString::fromStdString(goal + "=" + value);
        return out.join(' ');
    }

private Q_SLOTS:
    void whatAPractitionerTypesIsUnderstood()
    {
        QCOMPARE(goals("uart 460.8k rts/cts for modem"), QString("uart baud=460.8k flow=RTS/CTS"));
        QCOMPARE(goals("UART 8o1 115200 dma both"), QString("uart baud=115200 dma=both frame=8O1"));
        QCOMPARE(goals("uart both"), QString("uart direction=both")); // not DMA, which is rarely stated
        QCOMPARE(goals("can 500k 87.5 %"), QString("can rate=500k sample=87.5 %"));
        QCOMPARE(goals("pwm 20 kHz 30 % complementary dead-time 650 ns"),
                 QString("pwm dead=650 ns duty1=30 % frequency=20 kHz outputs=complementary"));
        QCOMPARE(goals("interval 4 s"), QString("interval period=4 s"));
        QCOMPARE(goals("gpio out"), QString("gpio direction=output"));
        QCOMPARE(goals("adc watch yes watch-low 200 watch_high 900"),
                 QString("adc watch=yes watch_high=900 watch_low=200"));
        QCOMPARE(read("uart for modem")->part.value_or("none"), std::string("uplink-modem"));
        QCOMPARE(read("uart for the firmware")->part.value_or("none"), std::string());
        QCOMPARE(read("uart called \"Line for tests\" 9600")->title, std::string("Line for tests"));
        QCOMPARE(read("uart called Spare line for modem")->title, std::string("Spare line"));
        const LoadedPlan two = demo("pump-hall-a-done");
        const std::string second = two.device->cores[CoreIndex(1)].id;
        QCOMPARE(read("gpio on " + second, two)->core, second);
        QCOMPARE(read("gpio on " + two.device->cores[CoreIndex(0)].id, two)->core, std::string());
    }

    /// As the trade says it, and in the order that comes to mind.
    void wordsOfTheTrade()
    {
        QCOMPARE(goals("clock output 4 MHz"), QString("clockout rate=4 MHz"));
        QCOMPARE(goals("4 MHz clock output"), QString("clockout rate=4 MHz"));
        QCOMPARE(goals("segment display 4x8"), QString("segments backplanes=4 segments=8"));
        QCOMPARE(goals("i2c 0x42 target"), QString("i2c address=0x42 role=target"));
        QCOMPARE(goals("500 ms interrupt priority 3"), QString("interval interrupt=yes period=500 ms priority=3"));
        QCOMPARE(goals("adc 4 inputs 10 kHz dma"), QString("adc dma=results inputs=4 rate=10 kHz"));
        QCOMPARE(goals("uart 115,200 dma"), QString("uart baud=115200 dma=both"));
        QCOMPARE(goals("led active low"), QString("gpio direction=output level=high"));
        QCOMPARE(goals("gpio open drain no"), QString("gpio open_drain=no"));
        QCOMPARE(goals("button pull-up both edges"), QString("gpio direction=input edges=both pull=up"));
        QCOMPARE(goals("watchdog off"), QString("watchdog runs=no"));
        QVERIFY(goals("uart 1,15,200").contains("\"1,15,200\""));
        QVERIFY(goals("led input").contains("input") && goals("segment display 9x8").contains("Backplanes"));
        const std::string a = demo().device->pads[PadIndex(3)].name, b = demo().device->pads[PadIndex(7)].name;
        const Expected<StatedNeed> placed = read("uart 9600 on " + a + "/" + b);
        QVERIFY(placed && placed->pads == (std::vector<std::string>{a, b}) && placed->core.empty());
        const Expected<StatedNeed> led = read("led for firmware");
        QVERIFY(led && newNeed(*led, demo().plan, *demo().device, *demo().board).title == "LED");
        // Whatever the kind is called beside its id leads to it, with goals that it has.
        for (const KindSpec& kind : kinds()) {
            for (const PhraseSpec& name : kind.otherNames) {
                const Expected<StatedNeed> stated = read(name.words);
                QVERIFY2(stated && stated->kind == kind.id, name.words.c_str());
            }
            for (const PhraseSpec& phrase : kind.phrases)
                for (const auto& [goal, value] : phrase.goals)
                    QVERIFY2(kind.goal(goal) && checkGoal(*kind.goal(goal), value), phrase.words.c_str());
        }
    }

    void whatIsNotUnderstoodIsNamedWithTheNearest()
    {
        QVERIFY(goals("uarr 9600").contains("\"uart\""));
        QVERIFY(goals("uart rts/ctz").contains("\"RTS/CTS\""));
        QVERIFY(goals("uart 9600 115200").contains("baud is 9600 already"));
        QVERIFY(goals("uart baud").contains("no value"));
        QVERIFY(goals("uart fast").contains("Goals are baud, frame"));
        QVERIFY(goals("gpio on").contains("which core or pads"));
        QVERIFY(goals("uart for mooring").contains("no part \"mooring\""));
        QVERIFY(goals("uart for").contains("which part"));
        QVERIFY(goals("uart called").contains("title"));
        QVERIFY(goals("gpio on nowhere").contains("neither a core"));
        QVERIFY(goals("pwm dead 650 ns").contains("it applies with outputs complementary"));
        QVERIFY(goals("").contains("kind"));
        QVERIFY(!read(std::string("uart \xff")));
    }

    /// Whatever a plan states of a need can be said in a line, in any order, and comes back.
    void everyNeedOfEveryPlanCanBeTyped()
    {
        std::mt19937 random(seeded(7));
        for (const auto& entry : std::filesystem::directory_iterator(BINDREL_EXAMPLES)) {
            if (entry.path().extension() != ".bindrel")
                continue;
            const LoadedPlan work = demo(entry.path().stem().string());
            for (const Need& need : work.plan.needs) {
                std::vector<std::string> pieces;
                const KindSpec* kind = findKind(need.kind);
                for (const auto& [goal, value] : need.goals) {
                    const auto type = kind->goal(goal)->type;
                    pieces.push_back(
                        goal + " " +
                        (type == GoalSpec::Type::Text || type == GoalSpec::Type::Name ? "\"" + value + "\"" : value));
                }
                pieces.push_back("for " + (need.part.empty() ? std::string("firmware") : need.part));
                pieces.push_back("called \"" + need.title + "\"");
                std::shuffle(pieces.begin(), pieces.end(), random);
                std::string line = need.kind;
                for (const std::string& piece : pieces)
                    line += " " + piece;
                const Expected<StatedNeed> stated = read(line, work);
                QVERIFY2(stated, (line + ": " + (stated ? "" : stated.problem().message)).c_str());
                QVERIFY2(stated->goals == need.goals && stated->part == need.part && stated->title == need.title,
                         line.c_str());
            }
        }
    }

    /// A line that is made only of words that were offered is never refused for a word of it.
    void whatIsOfferedIsAccepted()
    {
        std::mt19937 random(seeded(11));
        const LoadedPlan work = demo("pump-hall-a-done");
        int read = 0;
        for (int round = 0; round < 2000; ++round) {
            std::string line;
            for (int words = 1 + int(random() % 9); words > 0; --words) {
                const NextWords next = nextWords(line, *work.device, *work.board);
                if (next.words.empty())
                    break;
                line = next.before + next.words[random() % next.words.size()] + " ";
            }
            const Expected<StatedNeed> stated = parseNeedLine(line, *work.device, *work.board);
            read += stated.ok();
            // What is left to a person: the value of the goal named last, two goals that could be meant, one that
            // another makes idle.
            if (!stated)
                QVERIFY2(QString::fromStdString(stated.problem().message)
                             .contains(QRegularExpression(
                                 "nor a value|no value|could be|could mean|does not apply|[Ww]hich part|Called "
                                 "what|[Oo]n which core|already|stated twice")),
                         (line + "-> " + stated.problem().message).c_str());
            else
                QVERIFY2(applied(work.plan,
                                 editOf("x", InsertNeed{0, newNeed(*stated, work.plan, *work.device, *work.board)})),
                         line.c_str());
        }
        QVERIFY(read > 600);
    }

    void aNewNeedFitsThePlan()
    {
        const LoadedPlan work = demo("sluice-node-c-start");
        const Need uart = newNeed(*read("uart for modem", work), work.plan, *work.device, *work.board);
        QVERIFY(!work.plan.need(uart.id) && uart.part == "uplink-modem");
        for (const Need& other : work.plan.needs)
            QVERIFY(other.title != uart.title);
        const Need crystal = newNeed(*read("crystal", work), work.plan, *work.device, *work.board);
        for (const Need& other : work.plan.needs)
            QVERIFY(other.kind != "crystal" || goalText(other, "clock") != goalText(crystal, "clock"));
    }
};

BINDREL_TEST(NeedLineTest)
#include "need_line_test.moc"
