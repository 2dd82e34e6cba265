// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/output/parked.h"
#include "core/plan/plan_file.h"
#include "tests/support/fixtures.h"

#include <QProcess>
#include <QTemporaryDir>

#include <filesystem>
#include <fstream>
#include <set>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

namespace {

/// A folder of source that a person has typed into, and the plan that is written over it next.
struct Case {
    const char* name;
    Plan before, after;
};

std::vector<Case> cases()
{
    Plan all = demo("rain-post-b-done").plan;
    // A few files tell as much as many.
    if (all.needs.size() > 3)
        all.needs.erase(all.needs.begin() + 3, all.needs.end());
    all.holds.clear();
    const std::string first = all.needs.front().id, second = all.needs[NeedIndex(1)].id;
    Plan removed = all, renamed = all, prefix = all, changed = all;
    removed.needs.erase(removed.needs.begin());
    renamed.needs.front().id = renamed.needs.front().id + "-anew";
    renamed.needs.front().title += " anew";
    prefix.prefix = "other";
    changed.needs.erase(changed.needs.begin() + 1);
    changed.needs.front().title = "Quite another title";
    // Backwards as well: what was parked comes home.
    return {{"removed", all, removed}, {"comes back", removed, all}, {"renamed", all, renamed},
            {"prefix", all, prefix},   {"changed", all, changed},    {"another", removed, changed}};
}

} // namespace

/// The program is killed before each call that changes the folder, one after the other, on file systems of three sorts;
/// the next write then has every line that a person had typed, where the next look finds it, and every file as an
/// undisturbed write would have it.
class KilledWriteTest : public QObject {
    Q_OBJECT

    QTemporaryDir home_;

    struct Ran {
        int code = -1; ///< -1: killed
        QByteArray out, told;
    };
    Ran cli(const QStringList& arguments, const QMap<QString, QString>& world = {}) const
    {
        QProcess process;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("XDG_STATE_HOME", home_.path() + "/state");
        if (!world.isEmpty())
            environment.insert("LD_PRELOAD", BINDREL_INTERPOSER);
        for (auto it = world.begin(); it != world.end(); ++it)
            environment.insert(it.key(), it.value());
        process.setProcessEnvironment(environment);
        process.start(BINDREL_CLI, arguments);
        if (!process.waitForFinished(60'000))
            return {};
        return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1, process.readAllStandardOutput(),
                process.readAllStandardError()};
    }
    Ran write(const fs::path& plan, const fs::path& folder, const QMap<QString, QString>& world = {}) const
    {
        return cli({"write", plan.c_str(), "--to", folder.c_str(), "--incomplete"}, world);
    }

    static std::map<std::string, std::string> filesOf(const fs::path& folder)
    {
        std::map<std::string, std::string> out;
        for (const auto& entry : fs::directory_iterator(folder))
            if (entry.is_regular_file())
                out[entry.path().filename().string()] = textOf(entry.path());
        return out;
    }
    /// Lines that stand somewhere among the files, or parked in one of them.
    static std::set<std::string> linesOf(const fs::path& folder)
    {
        std::set<std::string> out;
        for (const auto& [name, text] : filesOf(folder))
            for (const std::string& line : splitted(text, '\n'))
                out.insert(unparked(line));
        return out;
    }
    /// Types a line of its own into each keep region, and one outside of them into a file.
    static std::set<std::string> typeInto(const fs::path& folder)
    {
        std::set<std::string> typed;
        for (const auto& [name, text] : filesOf(folder)) {
            std::string out;
            int number = 0;
            for (const std::string& line : splitted(text, '\n')) {
                out += line + "\n";
                if (!line.starts_with("/*~ keep ") && line.find("/*~ keep ") == std::string::npos)
                    continue;
                const std::string mine = "/* typed by hand: " + name + " " + std::to_string(++number) + " */";
                typed.insert(mine);
                out += mine + "\n";
            }
            if (number > 0)
                std::ofstream(folder / name) << out.substr(0, out.size() - 1);
        }
        return typed;
    }

    /// A file system that can exchange two files at once, one that has second names, or one that has neither.
    static QMap<QString, QString> fileSystem(const QString& system)
    {
        QMap<QString, QString> world;
        if (system != "exchanges")
            world["BINDREL_NO_EXCHANGE"] = "1";
        if (system == "neither")
            world["BINDREL_NO_LINKS"] = "1";
        return world;
    }

private Q_SLOTS:
    void initTestCase() { QVERIFY(home_.isValid()); }

    void noKillLosesALine_data()
    {
        QTest::addColumn<int>("number");
        QTest::addColumn<QString>("system");
        const std::vector<Case> all = cases();
        const bool long_ = qEnvironmentVariableIsSet("BINDREL_LONG");
        for (size_t i = 0; i < all.size(); ++i)
            for (const char* system : {"exchanges", "links", "neither"})
                if (long_ || i == 0)
                    QTest::addRow("%s, %s", all[i].name, system) << int(i) << QString(system);
    }
    void noKillLosesALine()
    {
        QFETCH(int, number);
        QFETCH(QString, system);
        const Case chosen = cases()[size_t(number)];
        const QMap<QString, QString> world = fileSystem(system);
        QTemporaryDir dir;
        const fs::path root = dir.path().toStdString();
        QVERIFY(savePlan(chosen.before, root / "before.bindrel"));
        QVERIFY(savePlan(chosen.after, root / "after.bindrel"));
        const Ran first = write(root / "before.bindrel", root / "made", world);
        QVERIFY2(first.code == 0, first.told.constData());
        const std::set<std::string> typed = typeInto(root / "made");
        QVERIFY(typed.size() > 1);
        const auto kept = [&typed](const fs::path& folder) {
            const std::set<std::string> lines = linesOf(folder);
            return std::all_of(typed.begin(), typed.end(),
                               [&lines](const std::string& line) { return lines.contains(line); });
        };
        fs::copy(root / "made", root / "calm", fs::copy_options::recursive);
        auto counting = world;
        counting["BINDREL_COUNT"] = QString::fromStdString((root / "count").string());
        const Ran calm = write(root / "after.bindrel", root / "calm", counting);
        QVERIFY2(calm.code == 0, calm.told.constData());
        QVERIFY(kept(root / "calm"));
        const int calls = QString::fromStdString(textOf(root / "count")).toInt();
        QVERIFY(calls > 30);
        const auto wanted = filesOf(root / "calm");
        const int step = qEnvironmentVariableIsSet("BINDREL_LONG") || system == "exchanges" ? 1 : 7;
        int died = 0;
        for (int call = 0; call < calls; call += step) {
            fs::remove_all(root / "hit");
            fs::copy(root / "made", root / "hit", fs::copy_options::recursive);
            auto killing = world;
            killing["BINDREL_KILL_AT"] = QString::number(call);
            died += write(root / "after.bindrel", root / "hit", killing).code == -1;
            QVERIFY2(kept(root / "hit"), qPrintable(QString("a line is gone after a kill before call %1").arg(call)));
            // Looking at it changes nothing, and the next write brings it in order.
            const Ran next = write(root / "after.bindrel", root / "hit", world);
            QVERIFY2(next.code == 0, qPrintable(QString("call %1: %2").arg(call).arg(QString::fromUtf8(next.told))));
            QVERIFY2(
                kept(root / "hit"),
                qPrintable(QString("a line is gone after the write that followed a kill before call %1").arg(call)));
            const auto now = filesOf(root / "hit");
            for (const auto& [name, text] : wanted)
                QVERIFY2(now.contains(name) && now.at(name) == text,
                         qPrintable(QString("call %1: %2 is not as an undisturbed write leaves it\n%3")
                                        .arg(call)
                                        .arg(name.c_str())
                                        .arg(QString::fromStdString(now.contains(name) ? now.at(name) : "missing"))));
            for (const auto& [name, text] : now)
                QVERIFY2(wanted.contains(name), qPrintable(QString("call %1 leaves %2").arg(call).arg(name.c_str())));
            for (const auto& entry : fs::directory_iterator(root / "hit" / ".bindrel"))
                QVERIFY2(!entry.path().filename().string().starts_with("stage"),
                         qPrintable(QString("call %1 leaves a stage").arg(call)));
        }
        QVERIFY(died > 10);
    }

    /// A call fails, or is done and says that it failed: the folder is as before or as it shall be, and the next write
    /// says and does the truth.
    void noFailureMixesOldAndNew_data()
    {
        QTest::addColumn<QString>("how");
        QTest::addColumn<QString>("system");
        for (const char* how : {"BINDREL_FAIL_AT", "BINDREL_LIE_AT"})
            for (const char* system : {"exchanges", "links", "neither"})
                QTest::addRow("%s, %s", how, system) << QString(how) << QString(system);
    }
    void noFailureMixesOldAndNew()
    {
        QFETCH(QString, how);
        QFETCH(QString, system);
        const Case chosen = cases()[0];
        const QMap<QString, QString> world = fileSystem(system);
        QTemporaryDir dir;
        const fs::path root = dir.path().toStdString();
        QVERIFY(savePlan(chosen.before, root / "before.bindrel"));
        QVERIFY(savePlan(chosen.after, root / "after.bindrel"));
        QCOMPARE(write(root / "before.bindrel", root / "made", world).code, 0);
        const std::set<std::string> typed = typeInto(root / "made");
        const auto before = filesOf(root / "made");
        fs::copy(root / "made", root / "calm", fs::copy_options::recursive);
        auto counting = world;
        counting["BINDREL_COUNT"] = QString::fromStdString((root / "count").string());
        QCOMPARE(write(root / "after.bindrel", root / "calm", counting).code, 0);
        const auto wanted = filesOf(root / "calm");
        const int calls = QString::fromStdString(textOf(root / "count")).toInt();
        // The system with second names has the most calls of its own: every third of them, one kind of failure each.
        const bool all = qEnvironmentVariableIsSet("BINDREL_LONG"), links = system == "links";
        for (int call = !all && links && how == "BINDREL_LIE_AT" ? 1 : 0; call < calls; call += all     ? 1
                                                                                                : links ? 3
                                                                                                        : 7) {
            fs::remove_all(root / "hit");
            fs::copy(root / "made", root / "hit", fs::copy_options::recursive);
            auto failing = world;
            failing[how] = QString::number(call);
            const Ran ran = write(root / "after.bindrel", root / "hit", failing);
            const auto now = filesOf(root / "hit");
            QVERIFY2(
                ran.code == 0 ? now == wanted : now == before,
                qPrintable(QString("call %1, exit %2: %3").arg(call).arg(ran.code).arg(QString::fromUtf8(ran.told))));
            // What did not happen is not listed.
            QVERIFY2(ran.code == 0 || !ran.out.contains("new "), ran.out.constData());
            const Ran next = write(root / "after.bindrel", root / "hit", world);
            QVERIFY2(next.code == 0, qPrintable(QString("call %1: %2").arg(call).arg(QString::fromUtf8(next.told))));
            QVERIFY(filesOf(root / "hit") == wanted);
        }
    }
};

BINDREL_TEST(KilledWriteTest)
#include "killed_write_test.moc"
