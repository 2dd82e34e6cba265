// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/merge.h"
#include "core/output/output.h"
#include "core/output/parked.h"
#include "core/source/keep_regions.h"
#include "core/source/seal.h"
#include "tests/support/output_fixture.h"

#include <QProcess>

#include <random>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// What a write does with what stands in the folder: the user's files, keep regions, other edits, parked text.
class OutputTest : public QObject, public OutputFixture {
    Q_OBJECT
private Q_SLOTS:
    void secondWriteChangesNothing()
    {
        QTemporaryDir dir;
        const auto s = run(demo());
        write(*s, folderOf(dir));
        const auto preview = previewOutput(s->source(), folderOf(dir));
        for (const FileChange& change : preview->files)
            QVERIFY(change.state == (change.name == "main.c" ? FileChange::State::Yours : FileChange::State::Same));
    }

    void theUsersFileIsNeverWrittenAgain()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        put(folderOf(dir) / "main.c", "int main(void) { return 7; }\n");
        write(*run(with(demo(), SetClock{"BUS1", clockSaid("4")})), folderOf(dir));
        COMPARE_TEXT(textOf(folderOf(dir) / "main.c"), "int main(void) { return 7; }\n");
    }

    void keepRegionsAreCarriedOver()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        put(file, replaced(textOf(file), "/*~ keep uplink_bring_up */\n",
                           "/*~ keep uplink_bring_up */\n    sluice_uplink_send(0x55u);\n"));
        const auto next = run(with(demo(), SetGoal{"uplink", "baud", "57600"}));
        QCOMPARE(stateOf(*next, folderOf(dir), "sluice_uplink.c"), FileChange::State::Changed);
        write(*next, folderOf(dir));
        QVERIFY(textOf(file).find("sluice_uplink_send(0x55u);") != std::string::npos);
        QVERIFY(textOf(file).find("DIV 1302") != std::string::npos);
        QVERIFY(textOf(folderOf(dir) / ".bindrel/backup/sluice_uplink.c").find("0x55u") != std::string::npos);
        // And once more, since the memory of the last write now holds the region too.
        write(*run(demo()), folderOf(dir));
        QVERIFY(textOf(file).find("sluice_uplink_send(0x55u);") != std::string::npos);
    }

    void otherEditsAreMerged()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        put(file, textOf(file) + "\n/* my own helper */\n");
        const auto next = run(with(demo(), SetGoal{"uplink", "baud", "57600"}));
        QCOMPARE(stateOf(*next, folderOf(dir), "sluice_uplink.c"), FileChange::State::Merged);
        write(*next, folderOf(dir));
        QVERIFY(textOf(file).find("my own helper") != std::string::npos);
        QVERIFY(textOf(file).find("DIV 1302") != std::string::npos);
        write(*run(demo()), folderOf(dir));
        QVERIFY(textOf(file).find("my own helper") != std::string::npos);
        compile(*run(demo()), folderOf(dir));
    }

    void conflictsHoldTheWholeWriteBack()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.h";
        put(file, replaced(textOf(file), "SLUICE_UPLINK_BAUD 460123u", "SLUICE_UPLINK_BAUD 1u"));
        const std::string edited = textOf(file), clocks = textOf(folderOf(dir) / "sluice_clocks.c");
        const auto next = run(with(with(demo(), SetGoal{"uplink", "baud", "57600"}), SetClock{"BUS1", clockSaid("4")}));
        const auto preview = previewOutput(next->source(), folderOf(dir));
        const auto done = writeOutput(next->source(), folderOf(dir), *preview);
        QVERIFY(!done.ok());
        COMPARE_TEXT(textOf(file), QString::fromStdString(edited));
        COMPARE_TEXT(textOf(folderOf(dir) / "sluice_clocks.c"), QString::fromStdString(clocks));
    }

    void foreignAndBrokenFilesAreConflicts()
    {
        QTemporaryDir dir;
        put(folderOf(dir) / "sluice_pins.c", "/* mine */\n");
        QCOMPARE(stateOf(*run(demo()), folderOf(dir), "sluice_pins.c"), FileChange::State::Conflict);
        fs::remove(folderOf(dir) / "sluice_pins.c");
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        put(file, replaced(textOf(file), "    /*~ */\n", ""));
        QCOMPARE(stateOf(*run(with(demo(), SetGoal{"uplink", "baud", "57600"})), folderOf(dir), "sluice_uplink.c"),
                 FileChange::State::Conflict);
    }

    void filesNoLongerNeededGoUnlessEdited()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        put(folderOf(dir) / "sluice_beacon.c", textOf(folderOf(dir) / "sluice_beacon.c") + "/* mine */\n");
        const fs::path header = folderOf(dir) / "sluice_uplink.c";
        put(header, replaced(textOf(header), "/*~ keep uplink_bring_up */\n",
                             "/*~ keep uplink_bring_up */\n    kept_text();\n"));
        const auto less = run(with(with(demo(), SetBinding{"beacon", {}}), SetBinding{"uplink", {}}));
        write(*less, folderOf(dir));
        QVERIFY(!fs::exists(folderOf(dir) / "sluice_beacon.h"));
        QVERIFY(textOf(folderOf(dir) / "sluice_beacon.c").find("/* mine */") != std::string::npos);
        QVERIFY(!fs::exists(folderOf(dir) / "sluice_uplink.c"));
        QVERIFY(textOf(folderOf(dir) / "sluice_orphans.c").find("kept_text();") != std::string::npos);
        QVERIFY(textOf(folderOf(dir) / "sluice_orphans.c").find("#if 0") != std::string::npos);
    }

    void linksAreNotFollowedOut()
    {
        QTemporaryDir dir, outside;
        write(*run(demo()), folderOf(dir));
        const fs::path target = folderOf(outside) / "victim.c";
        put(target, "untouched\n");
        fs::remove(folderOf(dir) / "sluice_pins.c");
        fs::create_symlink(target, folderOf(dir) / "sluice_pins.c");
        QVERIFY(!previewOutput(run(demo())->source(), folderOf(dir)).ok());
        COMPARE_TEXT(textOf(target), "untouched\n");
    }

    void aFolderThatCannotBeWrittenGivesAWord()
    {
        QTemporaryDir dir;
        put(folderOf(dir) / "file", "x");
        QVERIFY(!previewOutput(run(demo())->source(), folderOf(dir) / "file").ok());
        const auto preview = previewOutput(run(demo())->source(), folderOf(dir) / "fresh");
        QVERIFY(preview.ok());
        put(folderOf(dir) / "fresh", "a file now");
        QVERIFY(!writeOutput(run(demo())->source(), folderOf(dir) / "fresh", *preview).ok());
    }

    void theNewestBackupsAreKept()
    {
        QTemporaryDir dir;
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        write(*run(demo()), folderOf(dir));
        for (int n = 0; n < 12; ++n) {
            put(file, replaced(textOf(file), "/*~ keep uplink_bring_up */\n",
                               "/*~ keep uplink_bring_up */\n    round(" + std::to_string(n) + ");\n"));
            write(*run(with(demo(), SetGoal{"uplink", "baud", n % 2 ? "57600" : "9600"})), folderOf(dir));
        }
        int kept = 0;
        for (int n = 1; n <= 20; ++n)
            kept += fs::exists(folderOf(dir) / ".bindrel/backup" /
                               (n == 1 ? "sluice_uplink.c" : "sluice_uplink.c." + std::to_string(n)));
        QCOMPARE(kept, kBackups);
        QVERIFY(textOf(folderOf(dir) / ".bindrel/backup/sluice_uplink.c").find("round(11)") != std::string::npos);
        QVERIFY(textOf(folderOf(dir) / ".bindrel/backup/sluice_uplink.c.8").find("round(4)") != std::string::npos);
    }

    void parkedTextComesBackWithItsHome()
    {
        QTemporaryDir dir;
        const fs::path file = folderOf(dir) / "sluice_uplink.c", orphans = folderOf(dir) / "sluice_orphans.c";
        write(*run(demo()), folderOf(dir));
        // Text that would end the group it is parked in, swallow what follows, or join lines.
        const std::string text = "    one();\n#endif\n#else\n    /* open\n  \\\n//| x ~|\n?"
                                 "?/\n\n\t tail \n";
        put(file, replaced(textOf(file), "/*~ keep uplink_bring_up */\n", "/*~ keep uplink_bring_up */\n" + text));
        const auto without = run(with(demo(), SetBinding{"uplink", {}}));
        write(*without, folderOf(dir));
        QVERIFY(!fs::exists(file));
        QVERIFY(textOf(orphans).find("#if 0") != std::string::npos);
        compile(*without, folderOf(dir));
        // Nothing new is parked at the next write, and the user's own lines in that file stay.
        const std::string parked = textOf(orphans);
        write(*without, folderOf(dir));
        COMPARE_TEXT(textOf(orphans), QString::fromStdString(parked));
        put(orphans, parked + "/* my note */\n");
        write(*run(demo()), folderOf(dir));
        const auto regions = keepRegions(textOf(file));
        QVERIFY(regions.ok());
        COMPARE_TEXT(regions->at("uplink_bring_up"), QString::fromStdString(text));
        QVERIFY(textOf(orphans).find("one();") == std::string::npos &&
                textOf(orphans).find("my note") != std::string::npos);
    }

    void parkedTextGoesWhereTheRegionGoes()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        put(file, replaced(textOf(file), "/*~ keep uplink_bring_up */\n",
                           "/*~ keep uplink_bring_up */\n    moved_with_the_prefix();\n"));
        const auto other = run(with(demo(), SetText{SetText::What::Prefix, "gate"}));
        write(*other, folderOf(dir));
        QVERIFY(!fs::exists(file) && !fs::exists(folderOf(dir) / "gate_orphans.c"));
        QVERIFY(textOf(folderOf(dir) / "gate_uplink.c").find("moved_with_the_prefix();") != std::string::npos);
    }

    void parkedFilesAreReadAsTheyWereWritten()
    {
        std::mt19937 random(4711);
        const std::string alphabet = "ab \\/*?#|~\t\r\"";
        for (int round = 0; round < 500; ++round) {
            ParkedFile file("", "p");
            std::vector<Parked> wanted;
            for (int k = int(random() % 4); k >= 0; --k) {
                Parked entry{"p_x.c", "region " + std::to_string(k), {}};
                for (int l = int(random() % 5); l >= 0; --l) {
                    for (int c = int(random() % 8); c > 0; --c)
                        entry.text += alphabet[random() % alphabet.size()];
                    entry.text += random() % 6 ? "\n" : "#endif\n";
                }
                file.park(entry);
                wanted.push_back(entry);
            }
            const ParkedFile again(file.text(), "p");
            QVERIFY(again.entries() == wanted);
            COMPARE_TEXT(again.text(), QString::fromStdString(file.text()));
        }
    }

    void aRegionOfTheUsersOwnStaysWhereItIs()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        put(file, textOf(file) + "/*~ keep mine */\nint mine(void);\n/*~ */\n");
        for (const char* baud : {"9600", "57600", "9600"}) {
            write(*run(with(demo(), SetGoal{"uplink", "baud", baud})), folderOf(dir));
            QVERIFY(textOf(file).find("int mine(void);") != std::string::npos);
            QVERIFY(!fs::exists(folderOf(dir) / "sluice_orphans.c"));
        }
        // When the file is no longer generated it stays, since it was edited.
        write(*run(with(demo(), SetBinding{"uplink", {}})), folderOf(dir));
        QVERIFY(textOf(file).find("int mine(void);") != std::string::npos);
    }

    void nestedMarksLoseNothing()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c";
        const std::string nested = replaced(textOf(file), "/*~ keep uplink_bring_up */\n",
                                            "/*~ keep uplink_bring_up */\n/*~ keep uplink_bring_up */\n    text();\n");
        put(file, nested);
        const auto without = run(with(demo(), SetBinding{"uplink", {}}));
        const auto preview = previewOutput(without->source(), folderOf(dir));
        QVERIFY(preview.ok());
        write(*without, folderOf(dir));
        COMPARE_TEXT(textOf(file), QString::fromStdString(nested));
        // Back again: a conflict with a line, nothing guessed.
        QCOMPARE(stateOf(*run(demo()), folderOf(dir), "sluice_uplink.c"), FileChange::State::Conflict);
        COMPARE_TEXT(textOf(file), QString::fromStdString(nested));
    }

    void lineEndsAndClonesAreNoConflicts()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const fs::path file = folderOf(dir) / "sluice_uplink.c", edited = folderOf(dir) / "sluice_beacon.c";
        put(file,
            replaced(textOf(file), "/*~ keep uplink_bring_up */\n", "/*~ keep uplink_bring_up */\n    kept();\n"));
        put(edited, textOf(edited) + "/* edited by hand */\n");
        for (const auto& entry : fs::directory_iterator(folderOf(dir)))
            if (entry.is_regular_file())
                put(entry.path(), withLineEndsOf("\r\n", withLineFeeds(textOf(entry.path()))));
        fs::remove_all(folderOf(dir) / ".bindrel");
        // The same plan: nothing is to be done to any file.
        const auto same = previewOutput(run(demo())->source(), folderOf(dir));
        QVERIFY(same.ok());
        for (const FileChange& change : same->files)
            QVERIFY2(change.state == FileChange::State::Same || change.state == FileChange::State::Yours,
                     change.name.c_str());
        const auto next = run(with(demo(), SetGoal{"uplink", "baud", "57600"}));
        write(*next, folderOf(dir));
        QVERIFY(textOf(file).find("    kept();\r\n") != std::string::npos);
        QVERIFY(textOf(file).find("DIV 1302") != std::string::npos);
        QCOMPARE(withLineEndsOf("\r\n", withLineFeeds(textOf(file))), textOf(file));
        QVERIFY(textOf(edited).find("edited by hand") != std::string::npos);
    }

    void aFolderBelongsToAPlan()
    {
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        const auto before = filesOf(folderOf(dir));
        const auto rain = run(demo("rain-post-b-done"));
        const auto refused = previewOutput(rain->source(), folderOf(dir));
        QVERIFY(!refused.ok() &&
                refused.problem().message.find("belongs to the plan \"sluice-node-c\"") != std::string::npos);
        QVERIFY(filesOf(folderOf(dir)) == before);
        const auto taken = previewOutput(rain->source(), folderOf(dir), Ownership::TakeOver);
        QVERIFY(taken.ok() && writeOutput(rain->source(), folderOf(dir), *taken, Ownership::TakeOver).ok());
        COMPARE_TEXT(folderOwner(folderOf(dir)), "rain-post-b");
        QVERIFY(!fs::exists(folderOf(dir) / "sluice_clocks.c") &&
                fs::exists(folderOf(dir) / ".bindrel/backup/sluice_clocks.c"));
    }

    void theSealKnowsEveryEdit()
    {
        const auto s = run(demo());
        for (const SourceFile& generated : s->source().files) {
            if (generated.owner == SourceFile::Owner::User)
                continue;
            const std::string text = generated.text();
            QVERIFY2(isUntouched(text), generated.name.c_str());
            std::string other = text;
            other[text.size() / 2] = other[text.size() / 2] == 'x' ? 'y' : 'x';
            QVERIFY2(!keepRegions(other) || !isUntouched(other), generated.name.c_str());
        }
    }

    /// Random plans, random edits, marks nested and repeated, regions that come and go: what a person typed is
    /// somewhere, always.
    void noRoundOfEditsLosesText()
    {
        const int rounds =
            qEnvironmentVariableIntValue("BINDREL_ROUNDS") > 0 ? qEnvironmentVariableIntValue("BINDREL_ROUNDS") : 240;
        std::mt19937 random(99);
        QTemporaryDir dir;
        std::vector<std::shared_ptr<const Snapshot>> plans;
        for (const LoadedPlan& work :
             {demo(), with(demo(), SetGoal{"uplink", "baud", "57600"}), with(demo(), SetBinding{"uplink", {}}),
              with(with(demo(), SetBinding{"beacon", {}}), SetClock{"BUS1", clockSaid("4")}),
              with(demo(), SetGoal{"beacon", "frequency", "300 Hz"})})
            plans.push_back(run(work));
        write(*plans[0], folderOf(dir));
        std::vector<std::string> typed;
        int written = 0, conflicts = 0;
        for (int round = 0; round < rounds; ++round) {
            for (const char* name : {"sluice_uplink.c", "sluice_beacon.c", "sluice_board.c"}) {
                const fs::path file = folderOf(dir) / name;
                if (!fs::exists(file) || random() % 2)
                    continue;
                std::vector<std::string> lines = splitted(textOf(file), '\n');
                const std::string mine = "/* typed " + std::to_string(typed.size()) + " */";
                const std::size_t at = random() % lines.size();
                switch (random() % 8) {
                case 0:
                    lines.insert(lines.begin() + long(at),
                                 {"/*~ keep own_" + std::to_string(typed.size()) + " */", mine, "/*~ */"});
                    break;
                case 1: // a mark that does not pair up, taken back below when it held the write up
                    lines.insert(lines.begin() + long(at),
                                 {random() % 2 ? "/*~ keep uplink_bring_up */" : "/*~ */", mine});
                    break;
                default: {
                    std::size_t into = at;
                    for (std::size_t i = 0; i < lines.size(); ++i)
                        if (random() % 3 && lines[i].find("/*~ keep") != std::string::npos)
                            into = i + 1;
                    lines.insert(lines.begin() + long(into), mine);
                }
                }
                put(file, joined(lines, "\n"));
                typed.push_back(mine);
            }
            const auto& plan = plans[random() % plans.size()];
            const auto preview = previewOutput(plan->source(), folderOf(dir));
            QVERIFY(preview.ok());
            if (writeOutput(plan->source(), folderOf(dir), *preview)) {
                ++written;
            } else {
                ++conflicts;
                // The person mends it: the files in conflict are moved away.
                for (const FileChange& change : preview->files)
                    if (change.state == FileChange::State::Conflict)
                        fs::rename(folderOf(dir) / change.name,
                                   folderOf(dir) / (change.name + ".moved-" + std::to_string(round)));
            }
            std::string all;
            for (const auto& [name, text] : filesOf(folderOf(dir)))
                all += text;
            for (const std::string& mine : typed)
                QVERIFY2(all.find(mine) != std::string::npos,
                         (mine + " is lost in round " + std::to_string(round)).c_str());
        }
        qInfo("%d writes, %d conflicts, %zu edits", written, conflicts, typed.size());
        QVERIFY(written > rounds / 4);
    }
};

BINDREL_TEST(OutputTest)
#include "output_test.moc"
