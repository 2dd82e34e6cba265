// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/folder_memory.h"
#include "core/output/numbered_names.h"
#include "core/output/stage_sweep.h"
#include "tests/support/output_fixture.h"

#include <sys/stat.h>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// What writes that died have left in a folder's memory. A text whose lines are all elsewhere goes or becomes a backup;
/// one that exists nowhere else is rescued and told; nothing comes among the files by itself.
class StageSweepTest : public QObject, public OutputFixture {
    Q_OBJECT

    std::unique_ptr<QTemporaryDir> dir_;
    std::shared_ptr<const Snapshot> s_;

    fs::path folder() const { return folderOf(*dir_); }
    fs::path memory() const { return folder() / FolderMemory::kName; }
    std::vector<std::string> sweep() const
    {
        const Directory out = *Directory::open(folder());
        const Directory memory = *Directory::open(this->memory());
        return sweepStages(s_->source(), out, memory);
    }
    std::string generated(const char* name) const { return s_->source().find(name)->text(); }
    static std::string withRegion(std::string text, const std::string& line)
    {
        const size_t end = text.find("/*~ */");
        return end == std::string::npos ? text : text.insert(text.rfind('\n', end) + 1, line + "\n");
    }
    std::set<std::string> namesIn(const fs::path& where) const
    {
        std::set<std::string> out;
        if (fs::exists(where))
            for (const auto& entry : fs::directory_iterator(where))
                out.insert(entry.path().filename().string());
        return out;
    }

private Q_SLOTS:
    void initTestCase() { s_ = run(demo()); }
    void init()
    {
        dir_ = std::make_unique<QTemporaryDir>();
        write(*s_, folder());
    }
    void cleanup() { dir_.reset(); }

    void aCleanFolderStaysAsItIs()
    {
        const auto before = filesOf(folder());
        QVERIFY(sweep().empty());
        QVERIFY(filesOf(folder()) == before);
        QVERIFY(namesIn(memory() / "rescued").empty());
    }

    /// A copy of what is placed, of what would be written, or of a backup: nobody misses it.
    void copiesGo()
    {
        put(memory() / "backup" / "sluice_clocks.c", "an earlier text\n");
        for (const std::string& text : {generated("sluice_clocks.c"), std::string("an earlier text\n")}) {
            put(memory() / "stage-1" / "sluice_clocks.c", text);
            put(memory() / "stage-1" / "first" / "sluice_clocks.c", text);
            put(memory() / "stage-1" / "owner", "sluice-node-c");
            QVERIFY(sweep().empty());
            QVERIFY(!fs::exists(memory() / "stage-1"));
        }
        COMPARE_TEXT(textOf(memory() / "backup" / "sluice_clocks.c"), "an earlier text\n");
    }

    /// Generated text with a region that stands in the file already, or is parked: its lines are safe.
    void linesThatAreElsewhereMayGo()
    {
        const std::string mine = withRegion(generated("sluice_uplink.c"), "    watch_the_line();");
        put(folder() / "sluice_uplink.c", mine + "\n");
        put(memory() / "stage-7" / "sluice_uplink.c", mine);
        QVERIFY(sweep().empty());
        QVERIFY(!fs::exists(memory() / "stage-7"));
        QVERIFY(namesIn(memory() / "rescued").empty());
    }

    /// An edit that exists nowhere else, wherever the dead write left it and under whichever name.
    void whatIsNowhereElseIsRescued()
    {
        const std::vector<std::pair<std::string, std::string>> places{
            {"stage-1/sluice_uplink.c", "sluice_uplink.c"},
            {"stage-1/first/sluice_uplink.c", "sluice_uplink.c"},
            {"stage/.sluice_uplink.c.saving", "sluice_uplink.c"},
            {"stage-2/.sluice_uplink.c.saving-3", "sluice_uplink.c"},
            {"stage-2/main.c", "main.c"}};
        int number = 0;
        std::set<std::string> wanted;
        for (const auto& [place, name] : places) {
            const std::string text = "a line that only exists in " + place + "\n";
            put(memory() / place, text);
            const auto before = filesOf(folder());
            const std::vector<std::string> notes = sweep();
            QCOMPARE(notes.size(), size_t(1));
            QVERIFY2(notes.front().find(name) != std::string::npos &&
                         notes.front().find(".bindrel/rescued/") != std::string::npos,
                     notes.front().c_str());
            QVERIFY(filesOf(folder()) == before); // not among the files
            wanted.insert(text);
            std::set<std::string> kept;
            for (const std::string& rescued : namesIn(memory() / "rescued"))
                kept.insert(textOf(memory() / "rescued" / rescued));
            QVERIFY(kept == wanted); // none over another
            QCOMPARE(int(kept.size()), ++number);
            QVERIFY(!fs::exists((memory() / place).parent_path()) || place.find("first") != std::string::npos);
        }
    }

    /// An own region in generated text: only its lines matter.
    void ownLinesOfARegionAreRescued()
    {
        put(memory() / "stage-4" / "sluice_uplink.c", withRegion(generated("sluice_uplink.c"), "    only_here();"));
        QCOMPARE(sweep().size(), size_t(1));
        bool found = false;
        for (const std::string& name : namesIn(memory() / "rescued"))
            found = found || textOf(memory() / "rescued" / name).find("only_here();") != std::string::npos;
        QVERIFY(found);
    }

    /// When the disk is full nothing goes that was not kept first; the next sweep has it still.
    void whatCannotBeKeptStays()
    {
        for (int failing = 0;; ++failing) {
            const std::string text = "only here " + std::to_string(failing) + "\n";
            put(memory() / "stage-5" / "sluice_uplink.c", text);
            int changes = 0;
            setDirectoryWatcher_TESTING([&changes, failing](const std::string&) { return changes++ == failing; });
            (void)sweep();
            setDirectoryWatcher_TESTING({});
            bool there = fs::exists(memory() / "stage-5" / "sluice_uplink.c") &&
                         textOf(memory() / "stage-5" / "sluice_uplink.c") == text;
            for (const std::string& name : namesIn(memory() / "rescued"))
                there = there || textOf(memory() / "rescued" / name) == text;
            QVERIFY2(there, std::to_string(failing).c_str());
            if (changes <= failing)
                break;
        }
    }

    /// What a stranger may have put there: links, pipes, folders, absurd names. Nothing outside changes, nothing hangs.
    void strangersStages()
    {
        QTemporaryDir outside;
        const fs::path theirs = fs::path(outside.path().toStdString()) / "theirs";
        put(theirs, "theirs");
        fs::create_directories(memory() / "stage-9" / "first" / "deep");
        fs::create_symlink(theirs, memory() / "stage-9" / "sluice_uplink.c");
        fs::create_symlink(outside.path().toStdString(), memory() / "stage-8");
        QVERIFY(::mkfifo((memory() / "stage-9" / "pipe").c_str(), 0600) == 0);
        put(memory() / "stage-9" / "..saving", "odd name\n");
        put(memory() / "stage-9" / ".saving", "odder name\n");
        put(memory() / "stage-9" / std::string(255, 'n'), "long name\n");
        const auto before = filesOf(folder());
        (void)sweep();
        COMPARE_TEXT(textOf(theirs), "theirs");
        QVERIFY(filesOf(folder()) == before);
        // What they hold is somewhere.
        std::set<std::string> texts;
        for (const auto& entry : fs::recursive_directory_iterator(memory()))
            if (entry.is_regular_file())
                texts.insert(textOf(entry.path()));
        for (const char* text : {"odd name\n", "odder name\n", "long name\n"})
            QVERIFY2(texts.contains(text), text);
    }
};

BINDREL_TEST(StageSweepTest)
#include "stage_sweep_test.moc"
