// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/source_difference.h"
#include "core/output/write_summary.h"
#include "tests/support/output_fixture.h"

#include <QRegularExpression>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// What a write is said to change is what it changes.
class WriteSummaryTest : public QObject, public OutputFixture {
    Q_OBJECT

    static std::string said(const Snapshot& s, const fs::path& folder)
    {
        return joined(writeSummary(s, *previewOutput(s.source(), folder)), "\n");
    }

private Q_SLOTS:
    void nothingChanges()
    {
        QTemporaryDir dir;
        const auto s = run(demo());
        COMPARE_TEXT(said(*s, folderOf(dir)), "");
        write(*s, folderOf(dir));
        COMPARE_TEXT(said(*s, folderOf(dir)), "");
    }

    void oneGoal()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const auto next = run(with(demo(), SetGoal{"uplink", "baud", "9600"}));
        const std::string text = said(*next, folderOf(dir));
        QVERIFY2(text.starts_with("1 register and "), text.c_str());
        QVERIFY2(text.find("SLUICE_UPLINK_BAUD 460123u \u2192 9599u") != std::string::npos, text.c_str());
    }

    /// A bus that runs slower moves what is timed by it, and the sentence names the bus.
    void aClock()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const auto next = run(with(demo(), SetClock{"BUS1", clockSaid("4")}));
        const std::string text = said(*next, folderOf(dir));
        QVERIFY2(QRegularExpression("^[0-9]+ registers and [0-9]+ functions change: ").match(text.c_str()).hasMatch(),
                 text.c_str());
        QVERIFY2(text.find(next->device->clocks[next->device->findClock("BUS1")].name + " (") != std::string::npos,
                 text.c_str());
        QVERIFY2(text.find("SLUICE_BUS1_HZ ") != std::string::npos, text.c_str());
    }

    /// Each line of the difference is one of the text that it is taken from, and none that stays is in it.
    void theDifferenceOfTheC()
    {
        const auto before = run(demo()), after = run(with(demo(), SetClock{"BUS1", clockSaid("4")}));
        COMPARE_TEXT(sourceDifference(before->source(), run(demo())->source()), "");
        const std::string text = sourceDifference(before->source(), after->source());
        const SourceFile *was = nullptr, *is = nullptr;
        int changed = 0;
        for (const std::string& line : splitted(text, '\n')) {
            if (line.starts_with("--- ")) {
                was = before->source().find(line.substr(4));
            } else if (line.starts_with("+++ ")) {
                is = after->source().find(line.substr(4));
            } else if (line.starts_with('+') || line.starts_with('-')) {
                const SourceFile* file = line[0] == '+' ? is : was;
                QVERIFY2(file && file->text().find(line.substr(1) + "\n") != std::string::npos, line.c_str());
                QVERIFY2(line.find("Bindrel seal") == std::string::npos, line.c_str());
                ++changed;
            }
        }
        QVERIFY(changed > 10 && text.find("\n-#define SLUICE_BUS1_HZ ") != std::string::npos);
    }

    /// For every shipped plan and every goal that is taken back to its default: each register that is counted differs
    /// in value, and none that differs is left out.
    void registersAreThoseThatDiffer()
    {
        int compared = 0;
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "ditch-meter-d-done"}) {
            const LoadedPlan work = demo(plan);
            const auto s = run(work);
            QTemporaryDir dir;
            write(*s, folderOf(dir));
            for (const Need& need : work.plan.needs) {
                if (need.kind != "uart" && need.kind != "pwm" && need.kind != "spi")
                    continue;
                const std::string goal = need.kind == "uart" ? "baud" : need.kind == "pwm" ? "frequency" : "rate";
                const std::string value = need.kind == "uart" ? "4800" : need.kind == "pwm" ? "5 kHz" : "250 kHz";
                const auto next = run(with(work, SetGoal{need.id, goal, value}));
                std::set<std::pair<int, int>> differ;
                const auto values = [](const Snapshot& from) {
                    std::map<std::pair<int, int>, std::uint32_t> out;
                    for (const RegisterValue& one : from.image.registers)
                        out[{one.instance, one.reg}] = one.value;
                    return out;
                };
                const auto before = values(*s), after = values(*next);
                for (const auto& [reg, now] : after)
                    if (const auto was = before.find(reg); was == before.end() || was->second != now)
                        differ.insert(reg);
                const QString text = QString::fromStdString(said(*next, folderOf(dir)));
                const auto match = QRegularExpression("^([0-9]+) register").match(text);
                // A register can be written otherwise and end at the same value, never the other way round.
                QVERIFY2(differ.empty() || (match.hasMatch() && match.captured(1).toInt() >= int(differ.size())),
                         qPrintable(text));
                compared += !differ.empty();
            }
        }
        QVERIFY2(compared > 3, qPrintable(QString::number(compared)));
    }
};

BINDREL_TEST(WriteSummaryTest)
#include "write_summary_test.moc"
