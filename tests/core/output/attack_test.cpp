// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/directory.h"
#include "core/output/output.h"
#include "tests/support/output_fixture.h"

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// A folder that somebody prepared: nothing outside it is touched, nothing is written by looking, nothing staged is
/// believed.
class AttackTest : public QObject, public OutputFixture {
    Q_OBJECT

    /// A write that looks as if it had been interrupted, in the form that is written today and in older ones.
    static void stage(const fs::path& folder, const std::string& list, const std::map<std::string, std::string>& files)
    {
        for (const char* name : {"stage", "stage-1"}) {
            put(folder / ".bindrel" / name / "list", list);
            for (const auto& [file, text] : files)
                put(folder / ".bindrel" / name / file, text);
        }
    }

private Q_SLOTS:
    void lookingWritesNothing()
    {
        QTemporaryDir dir;
        const auto s = run(demo());
        write(*s, folderOf(dir));
        stage(folderOf(dir), "g sluice_clocks.c\ng ../victim.c\n- sluice_beacon.h\n- main.c\n",
              {{"sluice_clocks.c", "/* evil */\n"}, {"base/sluice_clocks.c", "/* evil */\n"}});
        put(fs::path(dir.path().toStdString()) / "victim.c", "untouched\n");
        const auto before = treeOf(dir.path().toStdString());
        const auto preview = previewOutput(s->source(), folderOf(dir));
        QVERIFY(preview.ok());
        QVERIFY(!preview->notes.empty()); // the person is told
        QVERIFY(treeOf(dir.path().toStdString()) == before);
    }

    void nothingStagedIsBelieved()
    {
        QTemporaryDir dir;
        const auto s = run(demo());
        write(*s, folderOf(dir));
        put(folderOf(dir) / "notes.txt", "mine\n");
        stage(folderOf(dir), "g sluice_clocks.c\ng notes.txt\nm ../victim.c\n- main.c\n- notes.txt\n",
              {{"sluice_clocks.c", "/* evil */\n"},
               {"notes.txt", "/* evil */\n"},
               {"base/notes.txt", "mine\n"},
               {"base/main.c", textOf(folderOf(dir) / "main.c")}});
        put(fs::path(dir.path().toStdString()) / "victim.c", "untouched\n");
        const std::string main = textOf(folderOf(dir) / "main.c");
        write(*run(with(demo(), SetClock{"BUS1", clockSaid("4")})), folderOf(dir));
        COMPARE_TEXT(textOf(fs::path(dir.path().toStdString()) / "victim.c"), "untouched\n");
        COMPARE_TEXT(textOf(folderOf(dir) / "notes.txt"), "mine\n");
        COMPARE_TEXT(textOf(folderOf(dir) / "main.c"), QString::fromStdString(main));
        for (const auto& [name, text] : filesOf(folderOf(dir)))
            QVERIFY2(text.find("evil") == std::string::npos, name.c_str());
        QVERIFY(!fs::exists(folderOf(dir) / ".bindrel/stage") && !fs::exists(folderOf(dir) / ".bindrel/stage-1"));
    }

    void memoryAloneRemovesNothing()
    {
        // base/ claims that a file of the user's was generated: it does not say so itself, so it stays.
        QTemporaryDir dir;
        write(*run(demo()), folderOf(dir));
        put(folderOf(dir) / "secret.c", "int secret;\n");
        put(folderOf(dir) / ".bindrel/base/secret.c", "int secret;\n");
        write(*run(with(demo(), SetClock{"BUS1", clockSaid("4")})), folderOf(dir));
        COMPARE_TEXT(textOf(folderOf(dir) / "secret.c"), "int secret;\n");
    }

    void noLinkIsFollowed_data()
    {
        QTest::addColumn<QString>("at");
        for (const char* at :
             {".bindrel", ".bindrel/base", ".bindrel/backup", ".bindrel/base/sluice_clocks.c", ".bindrel/owner",
              "sluice_clocks.c", "main.c", "sluice_orphans.c", ".bindrel/stage-1", ".bindrel/stage-9/base",
              ".bindrel/backup/sluice_clocks.c", ".bindrel/backup/sluice_clocks.c.2"})
            QTest::newRow(at) << at;
    }
    void noLinkIsFollowed()
    {
        QFETCH(QString, at);
        QTemporaryDir dir, outside;
        const fs::path folder = folderOf(dir), target = outside.path().toStdString();
        write(*run(demo()), folder);
        write(*run(with(demo(), SetClock{"BUS1", clockSaid("4")})), folder);
        put(target / "victim", "untouched\n");
        for (const char* name : {"base", "backup", "stage-1"})
            put(target / "folder" / name / "sluice_clocks.c", "untouched\n");
        const fs::path link = folder / at.toStdString();
        fs::create_directories(link.parent_path());
        const bool isFolder =
            at == ".bindrel" || at.endsWith("base") || at.endsWith("backup") || at.endsWith("stage-1");
        fs::remove_all(link);
        fs::create_symlink(isFolder ? target / "folder" : target / "victim", link);
        const auto before = treeOf(target);
        // Whatever it says, nothing outside is another.
        (void)tryWrite(*run(with(demo(), SetClock{"BUS1", clockSaid("1")})), folder);
        QVERIFY(treeOf(target) == before);
        QVERIFY(fs::is_symlink(link) || at.contains("backup/") || at.contains("stage"));
    }

    void aFolderSwappedForALinkMeanwhile()
    {
        QTemporaryDir dir, outside;
        const fs::path folder = folderOf(dir), target = outside.path().toStdString();
        for (int n = 0; n < 60; n += 3) {
            fs::remove_all(folder);
            fs::remove_all(fs::path(dir.path().toStdString()) / "moved");
            write(*run(demo()), folder);
            const auto before = treeOf(target);
            int calls = 0;
            setDirectoryWatcher_TESTING([&](const std::string&) {
                if (calls++ == n) {
                    fs::rename(folder / ".bindrel", fs::path(dir.path().toStdString()) / "moved");
                    fs::create_symlink(target, folder / ".bindrel");
                }
                return false;
            });
            (void)tryWrite(*run(with(demo(), SetClock{"BUS1", clockSaid("4")})), folder);
            setDirectoryWatcher_TESTING({});
            QVERIFY(treeOf(target) == before);
        }
    }

    void namesStayInside()
    {
        QTemporaryDir dir;
        const auto open = Directory::open(dir.path().toStdString());
        QVERIFY(open.ok());
        for (const std::string& name : {std::string(), std::string("."), std::string(".."), std::string("a/b"),
                                        std::string("/etc/passwd"), std::string("a\0b", 3), std::string(300, 'x')}) {
            QVERIFY(!open->write(name, "x").ok());
            QVERIFY(!open->read(name).ok());
        }
    }
};

BINDREL_TEST(AttackTest)
#include "attack_test.moc"
