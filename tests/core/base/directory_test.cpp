// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/directory.h"
#include "core/output/numbered_names.h"
#include "core/output/output.h"
#include "tests/support/fixtures.h"

#include <QTemporaryDir>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// Files below an open folder. Each act either does all that it says or changes nothing; no link is followed; names
/// that would lead outside are refused.
class DirectoryTest : public QObject {
    Q_OBJECT

    std::unique_ptr<QTemporaryDir> dir_;
    fs::path path() const { return dir_->path().toStdString(); }
    Directory folder() const
    {
        Expected<Directory> out = Directory::open(path());
        if (!out)
            qFatal("%s", out.problem().text().c_str());
        return *std::move(out);
    }
    void put(const std::string& name, const std::string& text) const
    {
        QVERIFY(writeFileAtomically(path() / name, text));
    }
    std::string text(const std::string& name) const { return textOf(path() / name); }
    /// Names and contents of the whole folder.
    std::map<std::string, std::string> all() const
    {
        std::map<std::string, std::string> out;
        for (const auto& entry : fs::recursive_directory_iterator(path()))
            out[fs::relative(entry.path(), path()).string()] = entry.is_symlink()
                                                                   ? "-> " + fs::read_symlink(entry.path()).string()
                                                               : entry.is_regular_file() ? textOf(entry.path())
                                                                                         : "(folder)";
        return out;
    }

private Q_SLOTS:
    void init() { dir_ = std::make_unique<QTemporaryDir>(); }
    void cleanup()
    {
        setDirectoryWatcher_TESTING({});
        dir_.reset();
    }

    /// A text that is no name at all, pasted where a folder is asked for.
    void namesThatAreTooLongAreRefused()
    {
        const fs::path here(dir_->path().toStdString());
        for (const std::size_t length : {300, 5000}) {
            const Expected<Directory> made = Directory::openOrMake(here / std::string(length, 'x') / "below");
            QVERIFY(!made && made.problem().text().find("cannot be made") != std::string::npos);
        }
    }

    /// Every act with every name that is none of a file inside.
    void namesThatLeadOutsideAreRefused()
    {
        put("a", "text");
        const Directory here = folder();
        const auto before = all();
        std::string withNull = "a";
        withNull.push_back('\0');
        for (const std::string& name :
             {std::string(), std::string("."), std::string(".."), std::string("../a"), std::string("b/c"),
              std::string("/etc/passwd"), withNull, std::string(256, 'x')}) {
            QVERIFY(!here.read(name).ok());
            QVERIFY(!here.write(name, "x").ok());
            QVERIFY(!here.replace(name, "x").ok());
            QVERIFY(!here.move("a", here, name).ok());
            QVERIFY(!here.move(name, here, "b").ok());
            QVERIFY(!here.moveToFree("a", here, name).ok());
            QVERIFY(!here.exchange("a", here, name).ok());
            QVERIFY(!here.remove(name).ok());
            QVERIFY(!here.removeTree(name).ok());
            QVERIFY(!here.child(name).ok());
            QVERIFY(!here.childOrMade(name).ok());
            QVERIFY(!here.exists(name) && !here.isFile(name));
            QVERIFY(all() == before);
        }
    }

    void linksAreNotFollowed()
    {
        QTemporaryDir outside;
        const fs::path secret = fs::path(outside.path().toStdString()) / "secret";
        QVERIFY(writeFileAtomically(secret, "theirs"));
        fs::create_symlink(secret, path() / "link");
        fs::create_symlink(outside.path().toStdString(), path() / "folder");
        fs::create_symlink(path() / "nowhere", path() / "dangling");
        QVERIFY(::mkfifo((path() / "pipe").c_str(), 0600) == 0);
        const Directory here = folder();
        for (const char* name : {"link", "dangling"}) {
            const auto read = here.read(name);
            QVERIFY(!read.ok() && read.problem().message.find("is a link") != std::string::npos);
            const Outcome replaced = here.replace(name, "mine");
            QVERIFY(!replaced.ok() && replaced.problem().message.find("is a link") != std::string::npos);
            QVERIFY(!here.write(name, "mine").ok());
            QVERIFY(here.exists(name) && !here.isFile(name));
        }
        QVERIFY(!here.child("folder").ok() && !here.childOrMade("folder").ok());
        // A pipe that nobody writes to does not hang the program.
        QVERIFY(!here.replace("pipe", "mine").ok());
        const auto pipe = here.read("pipe");
        QVERIFY(!pipe.ok() || !*pipe || (*pipe)->empty());
        // What a link names is safe from removal, too.
        QVERIFY(here.removeTree("folder").ok());
        QVERIFY(here.remove("link").ok());
        COMPARE_TEXT(textOf(secret), "theirs");
        QVERIFY(!fs::exists(path() / "nowhere"));
    }

    void replacingKeepsPermissionsAndNeighbours()
    {
        put("plan", "old");
        put(".plan.saving", "somebody's own file of that name");
        put(".plan.saving-3", "and another");
        fs::permissions(path() / "plan", fs::perms(0640));
        QVERIFY(folder().replace("plan", "new").ok());
        COMPARE_TEXT(text("plan"), "new");
        QCOMPARE(int(fs::status(path() / "plan").permissions()), 0640);
        COMPARE_TEXT(text(".plan.saving"), "somebody's own file of that name");
        COMPARE_TEXT(text(".plan.saving-3"), "and another");
        QCOMPARE(all().size(), size_t(3));
        // A file that is not there yet is made.
        QVERIFY(folder().replace("fresh", "first").ok());
        COMPARE_TEXT(text("fresh"), "first");
    }

    /// A full disk at each change of each act: what was there is there.
    void aFailureChangesNothing()
    {
        const auto acts = std::vector<std::pair<const char*, std::function<bool(const Directory&)>>>{
            {"write", [](const Directory& d) { return d.write("new", "x").ok(); }},
            {"replace", [](const Directory& d) { return d.replace("a", "x").ok(); }},
            {"move", [](const Directory& d) { return d.move("a", d, "b").ok(); }},
            {"moveToFree", [](const Directory& d) { return d.moveToFree("a", d, "c").ok(); }},
            {"exchange", [](const Directory& d) { return d.exchange("a", d, "b").ok(); }},
            {"childOrMade", [](const Directory& d) { return d.childOrMade("inner").ok(); }},
        };
        for (const auto& [name, act] : acts)
            for (int failing = 0;; ++failing) {
                put("a", "first");
                put("b", "second");
                const auto before = all();
                int changes = 0;
                setDirectoryWatcher_TESTING([&changes, failing](const std::string&) { return changes++ == failing; });
                const bool done = act(folder());
                setDirectoryWatcher_TESTING({});
                if (changes <= failing) {
                    QVERIFY2(done && failing > 0, name);
                    break;
                }
                QVERIFY2(!done && all() == before, name);
            }
    }

    void whatMovesToAFreeNameMovesOverNothing()
    {
        const Directory here = folder();
        put("a", "mine");
        put("b", "theirs");
        const Expected<bool> taken = here.moveToFree("a", here, "b");
        QVERIFY(taken.ok() && !*taken);
        COMPARE_TEXT(text("a"), "mine");
        COMPARE_TEXT(text("b"), "theirs");
        const Expected<bool> moved = here.moveToFree("a", here, "c");
        QVERIFY(moved.ok() && *moved);
        QVERIFY(!fs::exists(path() / "a"));
        QVERIFY(!here.moveToFree("a", here, "d").ok());
        // The first number that is free, with holes in the row.
        put("text", "1");
        put("text-2", "2");
        put("text-4", "4");
        put("new", "n");
        const Expected<std::string> name = moveToFreeNumber(here, "new", here, "text");
        QVERIFY(name.ok());
        COMPARE_TEXT(*name, "text-3");
        COMPARE_TEXT(text("text-3"), "n");
    }

    void backupsAreAFixedNumberYoungestFirst()
    {
        QVERIFY(fs::create_directory(path() / "backup"));
        const Directory here = folder();
        const Directory backups = *here.childOrMade("backup");
        for (int i = 1; i <= kBackups + 3; ++i) {
            put("sluice.c", "text " + std::to_string(i));
            QVERIFY(addBackup(here, backups, "sluice.c").ok());
            const std::vector<std::string> names = backupNames("sluice.c");
            for (int age = 0; age < kBackups; ++age)
                COMPARE_TEXT(text("backup/" + names[size_t(age)]),
                             age < i ? QString("text %1").arg(i - age) : QString());
        }
        QCOMPARE(backups.names().size(), size_t(kBackups));
        // One that fails loses none of them.
        const auto before = all();
        put("sluice.c", "not kept");
        int changes = 0;
        setDirectoryWatcher_TESTING([&changes](const std::string&) { return changes++ == 0; });
        QVERIFY(!addBackup(here, backups, "sluice.c").ok());
        setDirectoryWatcher_TESTING({});
        for (const auto& [name, was] : before)
            COMPARE_TEXT(text(name) + (name == "backup" ? "(folder)" : ""), QString::fromStdString(was));
    }

    void exchangedFilesKeepTheirTexts()
    {
        const Directory here = folder();
        const Directory other = *here.childOrMade("stage");
        put("a", "placed");
        put("stage/a", "staged");
        const Expected<Directory::Exchange> how = other.exchange("a", here, "a");
        QVERIFY(how.ok());
        COMPARE_TEXT(text("a"), "staged");
        COMPARE_TEXT(text("stage/a"), "placed");
        QVERIFY(!other.exchange("missing", here, "a").ok());
        COMPARE_TEXT(text("a"), "staged");
    }

    void oneWriterAtATime()
    {
        const Directory here = folder();
        {
            const Expected<FolderLock> mine = FolderLock::take(here);
            QVERIFY(mine.ok());
            const Directory again = folder();
            const Expected<FolderLock> theirs = FolderLock::take(again, std::chrono::milliseconds(50));
            QVERIFY(!theirs.ok());
            QVERIFY2(theirs.problem().message.find(fmt::format("process {}", ::getpid())) != std::string::npos,
                     theirs.problem().message.c_str());
        }
        QVERIFY(FolderLock::take(here, std::chrono::milliseconds(50)).ok());
    }

    void aTreeGoesWithAllInIt()
    {
        fs::create_directories(path() / "tree" / "deep" / "deeper");
        put("tree/deep/deeper/leaf", "x");
        fs::create_symlink(path(), path() / "tree" / "up");
        put("stays", "y");
        QVERIFY(folder().removeTree("tree").ok());
        QVERIFY(!fs::exists(path() / "tree"));
        COMPARE_TEXT(text("stays"), "y");
        QVERIFY(folder().removeTree("tree").ok()); // what is missing is no failure
    }
};

BINDREL_TEST(DirectoryTest)
#include "directory_test.moc"
