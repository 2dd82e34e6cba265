// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/directory.h"
#include "core/output/backups.h"
#include "core/output/merge.h"
#include "core/output/output.h"
#include "core/output/pieces.h"
#include "core/source/keep_regions.h"
#include "tests/support/output_fixture.h"

#include <csignal>
#include <random>
#include <sys/wait.h>
#include <unistd.h>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// Conflicts that a person settles piece by piece, and earlier texts that come back.
class SettleTest : public QObject, public OutputFixture {
    Q_OBJECT

    using Take = PieceChoice::Take;

    static PieceChoices all(const std::vector<MergePiece>& pieces, PieceChoice choice)
    {
        PieceChoices out;
        for (const MergePiece& piece : pieces)
            if (!piece.agreed)
                out[piece.key()] = choice;
        return out;
    }
    /// A file of lines, some of which are alike, and some look like marks.
    static std::string someLines(std::mt19937& random, int count)
    {
        static const std::vector<std::string> kLines{
            "a = 1;",      "b = 2;",       "",        "}",          "<<<<<<< mine", "=======",
            ">>>>>>> new", "||||||| base", "/* x */", "    return;"};
        std::string out;
        for (int i = 0; i < count; ++i)
            out += kLines[random() % kLines.size()] + "\n";
        return out;
    }
    static std::string edited(std::string text, std::mt19937& random)
    {
        std::vector<std::string> lines = splitted(text, '\n');
        lines.pop_back();
        for (int n = int(random() % 4); n >= 0; --n) {
            const std::size_t at = random() % (lines.size() + 1);
            switch (random() % 3) {
            case 0:
                lines.insert(lines.begin() + std::ptrdiff_t(at), "new " + std::to_string(random() % 1000));
                break;
            case 1:
                if (at < lines.size())
                    lines.erase(lines.begin() + std::ptrdiff_t(at));
                break;
            default:
                if (at < lines.size())
                    lines[at] += " changed " + std::to_string(random() % 1000);
            }
        }
        std::string out;
        for (const std::string& line : lines)
            out += line + "\n";
        return out;
    }
    /// A folder with a file that is in conflict with what `next` writes: the divider that a person has set by hand.
    struct Conflicted {
        QTemporaryDir dir;
        std::shared_ptr<const Snapshot> next = run(with(demo(), SetGoal{"uplink", "baud", "9600"}));
        std::string file = "sluice_uplink.c", mine;
        fs::path folder;
        Conflicted()
        {
            folder = folderOf(dir);
            write(*run(demo()), folder);
            mine = replaced(textOf(folder / file), "DIV 163", "DIV 164, by hand");
            put(folder / file, mine);
        }
        FileChange look(const Settlements& settlements = {}) const
        {
            const auto preview = previewOutput(next->source(), folder, Ownership::OwnOnly, settlements);
            for (const FileChange& change : preview->files)
                if (change.name == file)
                    return change;
            qFatal("no %s", file.c_str());
        }
    };

private Q_SLOTS:
    /// What is agreed is put together, and each side alone is a whole text: all mine has every line of mine that stands
    /// in a piece, and no mark is ever taken for a line of somebody's.
    void randomFilesInPieces()
    {
        std::mt19937 random(3);
        int conflictPieces = 0, clean = 0;
        for (int round = 0; round < 3000; ++round) {
            const std::string base = someLines(random, int(random() % 12) + 1), mine = edited(base, random),
                              fresh = edited(base, random);
            const std::vector<MergePiece> pieces = piecesOf(base, mine, fresh);
            // With what both came from in the places in conflict, nobody's other change is lost.
            std::string everything;
            int number = 0;
            for (const MergePiece& piece : pieces) {
                everything += piece.agreed ? piece.text : piece.mine + piece.fresh;
                number += !piece.agreed;
                QVERIFY(piece.agreed || piece.mine != piece.fresh);
            }
            conflictPieces += number;
            QCOMPARE(conflicts(pieces), number);
            for (const std::string& side : {mine, fresh})
                for (const std::string& line : splitted(side, '\n'))
                    if (base.find(line + "\n") == std::string::npos)
                        QVERIFY2(line.empty() || everything.find(line + "\n") != std::string::npos, line.c_str());
            const std::optional<std::string> merged = mergeTexts(base, mine, fresh);
            QCOMPARE(merged.has_value(), number == 0);
            if (merged) {
                ++clean;
                COMPARE_TEXT(*settled(pieces, {}), QString::fromStdString(*merged));
                continue;
            }
            QVERIFY(!settled(pieces, {}));
            QCOMPARE(open(pieces, {}), number);
            QCOMPARE(open(pieces, all(pieces, {})), 0);
            // The lines of a person's text are counted where the piece begins.
            const std::vector<std::string> own = splitted(mine, '\n');
            for (const MergePiece& piece : pieces)
                if (!piece.agreed && !piece.mine.empty())
                    COMPARE_TEXT(own[size_t(piece.line - 1)],
                                 QString::fromStdString(splitted(piece.mine, '\n').front()));
            // Without a base the two alone: all of one side gives that side.
            const std::vector<MergePiece> two = piecesOf(std::nullopt, mine, fresh);
            COMPARE_TEXT(*settled(two, all(two, {Take::Mine, {}})), QString::fromStdString(mine));
            COMPARE_TEXT(*settled(two, all(two, {Take::New, {}})), QString::fromStdString(fresh));
        }
        QVERIFY2(conflictPieces > 800 && clean > 300, qPrintable(QString("%1 %2").arg(conflictPieces).arg(clean)));
    }

    /// No mark fits between lines that are nothing but marks: then the file is one piece, and no text is lost.
    void linesThatAreAllMarks()
    {
        for (const std::size_t length : {std::size_t(100), std::size_t(65'530), std::size_t(200'000)})
            for (const char mark : {'<', '=', '>', '|'}) {
                const std::string run(length, mark), base = run + "\na\n", mine = run + " mine\nb\n" + run + " new\n",
                                                     fresh = run + "\nc\n";
                const std::vector<MergePiece> pieces = piecesOf(base, mine, fresh);
                COMPARE_TEXT(*settled(pieces, all(pieces, {Take::Mine, {}})), QString::fromStdString(mine));
                COMPARE_TEXT(*settled(pieces, all(pieces, {Take::New, {}})), QString::fromStdString(fresh));
            }
    }

    void aConflictIsSettledInFourWays()
    {
        const std::vector<std::pair<PieceChoice, std::vector<const char*>>> ways{
            {{Take::Mine, {}}, {"DIV 164, by hand"}},
            {{Take::New, {}}, {"DIV 7813"}},
            {{Take::Both, {}}, {"DIV 164, by hand", "DIV 7813"}},
            {{Take::Text, "    /* my own words */\n"}, {"my own words"}}};
        for (const auto& [choice, expected] : ways) {
            Conflicted c;
            const FileChange open = c.look();
            QCOMPARE(open.state, FileChange::State::Conflict);
            QVERIFY(conflicts(open.pieces) >= 1);
            const Settlements said{{c.file, all(open.pieces, choice)}};
            const FileChange after = c.look(said);
            QCOMPARE(after.state, FileChange::State::Merged);
            for (const char* text : expected)
                QVERIFY2(after.after.find(text) != std::string::npos, text);
            const auto preview = previewOutput(c.next->source(), c.folder, Ownership::OwnOnly, said);
            QVERIFY(writeOutput(c.next->source(), c.folder, *preview).ok());
            COMPARE_TEXT(textOf(c.folder / c.file), QString::fromStdString(after.after));
            COMPARE_TEXT(textOf(c.folder / ".bindrel/backup" / c.file), QString::fromStdString(c.mine));
            // It is settled: the next write has nothing to ask.
            QVERIFY(c.look().state != FileChange::State::Conflict);
        }
    }

    /// A choice holds for the texts that were looked at: another edit in that place is asked about again.
    void aChoiceIsForWhatWasSeen()
    {
        Conflicted c;
        const Settlements said{{c.file, all(c.look().pieces, {Take::New, {}})}};
        put(c.folder / c.file, replaced(c.mine, "by hand", "by other hands"));
        QCOMPARE(c.look(said).state, FileChange::State::Conflict);
    }

    void brokenMarksAreNotSettled()
    {
        Conflicted c;
        const Settlements said{{c.file, all(c.look().pieces, {Take::Text, "/*~ keep lost */\n"})}};
        QCOMPARE(c.look(said).state, FileChange::State::Conflict);
    }

    /// In a copy of the folder without its memory the two texts are set against each other.
    void withoutAMemory()
    {
        Conflicted c;
        fs::remove_all(c.folder / ".bindrel");
        const FileChange open = c.look();
        QCOMPARE(open.state, FileChange::State::Conflict);
        const Settlements mine{{c.file, all(open.pieces, {Take::Mine, {}})}};
        COMPARE_TEXT(c.look(mine).after, QString::fromStdString(c.mine));
        const Settlements fresh{{c.file, all(open.pieces, {Take::New, {}})}};
        COMPARE_TEXT(c.look(fresh).after, QString::fromStdString(c.next->source().find(c.file)->text()));
    }

    void backupsComeBack()
    {
        QTemporaryDir dir;
        const fs::path folder = folderOf(dir);
        QVERIFY(backupsIn(folder).ok() && backupsIn(folder)->empty());
        std::vector<std::string> stood;
        for (const char* baud : {"460800", "9600", "19200", "38400"}) {
            write(*run(with(demo(), SetGoal{"uplink", "baud", baud})), folder);
            stood.push_back(textOf(folder / "sluice_uplink.c"));
        }
        const auto backups = backupsIn(folder);
        QVERIFY(backups.ok());
        std::vector<Backup> own;
        std::copy_if(backups->begin(), backups->end(), std::back_inserter(own),
                     [](const Backup& b) { return b.file == "sluice_uplink.c"; });
        QCOMPARE(own.size(), size_t(3));
        for (size_t i = 0; i < own.size(); ++i) {
            QCOMPARE(own[i].ago, int(i) + 1);
            COMPARE_TEXT(own[i].text, QString::fromStdString(stood[2 - i]));
        }
        // What somebody has changed meanwhile is not overwritten.
        QVERIFY(!restoreBackup(folder, own[1], "something else").ok());
        COMPARE_TEXT(textOf(folder / "sluice_uplink.c"), QString::fromStdString(stood[3]));
        QVERIFY(restoreBackup(folder, own[1], stood[3]).ok());
        COMPARE_TEXT(textOf(folder / "sluice_uplink.c"), QString::fromStdString(stood[1]));
        const auto again = backupsIn(folder);
        const auto newest = std::find_if(again->begin(), again->end(),
                                         [](const Backup& b) { return b.file == "sluice_uplink.c" && b.ago == 1; });
        COMPARE_TEXT(newest->text, QString::fromStdString(stood[3]));
        // A file that is gone comes back too.
        fs::remove(folder / "sluice_uplink.c");
        QVERIFY(restoreBackup(folder, own[0], "").ok());
        COMPARE_TEXT(textOf(folder / "sluice_uplink.c"), QString::fromStdString(stood[2]));
        // And the plan's text is the next write's.
        write(*run(demo()), folder);
    }

    /// Wherever the disk fills up or the process is killed while a backup comes back, both texts are in the folder.
    void aRestoreThatDiesLosesNothing()
    {
        QTemporaryDir dir;
        const fs::path folder = folderOf(dir);
        write(*run(demo()), folder);
        write(*run(with(demo(), SetGoal{"uplink", "baud", "9600"})), folder);
        for (const bool killed : {false, true})
            for (int n = 0; n < 12; ++n) {
                const std::string mine = "/* typed " + std::to_string(n) + (killed ? "k" : "f") + " */\n";
                put(folder / "sluice_uplink.c", mine);
                const auto backups = backupsIn(folder);
                const auto own = std::find_if(backups->begin(), backups->end(),
                                              [](const Backup& b) { return b.file == "sluice_uplink.c"; });
                QVERIFY(own != backups->end());
                const pid_t child = fork();
                if (child == 0) {
                    int calls = 0;
                    setDirectoryWatcher_TESTING([&](const std::string&) {
                        if (calls++ != n)
                            return false;
                        if (killed)
                            kill(getpid(), SIGKILL);
                        return true;
                    });
                    (void)restoreBackup(folder, *own, mine);
                    _exit(0);
                }
                int status = 0;
                waitpid(child, &status, 0);
                std::string all;
                for (const auto& [path, text] : treeOf(folder))
                    all += text;
                QVERIFY2(all.find(mine) != std::string::npos, qPrintable(QString::number(n)));
                QVERIFY2(all.find(own->text) != std::string::npos, qPrintable(QString::number(n)));
                // The next one works, and loses nothing either.
                QVERIFY(restoreBackup(folder, *own, textOf(folder / "sluice_uplink.c")).ok());
                std::string later;
                for (const auto& [path, text] : treeOf(folder))
                    later += text;
                QVERIFY2(later.find(mine) != std::string::npos, qPrintable(QString::number(n)));
            }
    }
};

BINDREL_TEST(SettleTest)
#include "settle_test.moc"
