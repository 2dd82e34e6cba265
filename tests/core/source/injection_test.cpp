// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/names.h"
#include "core/source/safe_text.h"
#include "core/source/seal.h"
#include "tests/support/output_fixture.h"

#include <nlohmann/json.hpp>

#include <QRegularExpression>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

/// Text of strangers in every place that reaches what is written: the readers refuse it, or it arrives as plain text.
class InjectionTest : public QObject, public OutputFixture {
    Q_OBJECT

    /// Every text of a JSON file replaced in turn would take hours; each key once is enough, since a key is read in one
    /// place.
    static std::vector<std::pair<size_t, size_t>> textsByKey(const std::string& json)
    {
        std::vector<std::pair<size_t, size_t>> out;
        std::set<QString> keys;
        static const QRegularExpression pair("\"([^\"]+)\": \"([^\"]*)\"");
        auto it = pair.globalMatch(QString::fromStdString(json));
        while (it.hasNext()) {
            const auto match = it.next();
            if (keys.insert(match.captured(1)).second)
                out.emplace_back(size_t(match.capturedStart(2)), size_t(match.capturedLength(2)));
        }
        return out;
    }

    /// What the program consists of, without words of comments and strings.
    static QString skeleton(const std::string& c)
    {
        QString text = QString::fromStdString(c);
        text.remove(QRegularExpression("/\\*.*?\\*/", QRegularExpression::DotMatchesEverythingOption));
        text.replace(QRegularExpression("\"(\\\\.|[^\"\\\\\n])*\""), "\"\"");
        text.remove(QRegularExpression("#[^\n]*digest[^\n]*"));
        return text.simplified();
    }

private Q_SLOTS:
    void textsOfDeviceFilesAreHarmless_data()
    {
        QTest::addColumn<QString>("evil");
        QTest::newRow("assert") << "A\\\"); int x; _Static_assert(1, \\\"z";
        QTest::newRow("comment") << "A */ int x; /* ";
        QTest::newRow("line") << "A\\nfile(WRITE evil x)\\n";
        QTest::newRow("splice") << "A ?"
                                   "?/";
        QTest::newRow("cmake") << "A) file(WRITE ${CMAKE_SOURCE_DIR}/evil x) #";
        QTest::newRow("shell") << "A; touch evil; $(touch evil) `touch evil`";
        QTest::newRow("linker") << "A = .; evil = 1;";
        QTest::newRow("direction") << "A\\u202Eevil";
        QTest::newRow("long") << QString(5000, 'x');
    }
    void textsOfDeviceFilesAreHarmless()
    {
        QFETCH(QString, evil);
        const fs::path data = dataPath("devices/sedge");
        const std::string family = textOf(data / "sedge.json"), own = textOf(data / "se4332-c64.json");
        const auto plain = run(demo());
        int accepted = 0, refused = 0;
        for (int which = 0; which < 2; ++which) {
            const std::string& given = which == 0 ? family : own;
            for (const auto& [at, length] : textsByKey(given)) {
                std::string changed = given;
                changed.replace(at, length, evil.toStdString());
                Expected<Device> device = which == 0 ? parseDevice(own, "own", changed, "family")
                                                     : parseDevice(changed, "own", family, "family");
                if (!device) {
                    QVERIFY(device.problem().line > 0);
                    ++refused;
                    continue;
                }
                ++accepted;
                LoadedPlan work = demo();
                work.device = std::make_shared<const Device>(*std::move(device));
                const auto s = run(work);
                for (const SourceFile& file : s->source().files) {
                    const SourceFile* same = plain->source().find(file.name);
                    QVERIFY2(same, file.name.c_str());
                    for (const SourceLine& line : file.lines)
                        QVERIFY2(line.text.find('\n') == std::string::npos &&
                                     line.text.find("\?\?/") == std::string::npos,
                                 line.text.c_str());
                    if (file.name.ends_with(".c") || file.name.ends_with(".h") || file.name.ends_with(".ld"))
                        QCOMPARE(skeleton(file.text()), skeleton(same->text()));
                    if (file.name.ends_with(".cmake") || file.name.ends_with(".gdb") || file.name == "CMakeLists.txt" ||
                        file.name == "Makefile")
                        for (const SourceLine& line : file.lines)
                            QVERIFY2(line.text.starts_with("#") || line.text.find("evil") == std::string::npos,
                                     line.text.c_str());
                }
                COMPARE_TEXT(s->source().buildCommand, QString::fromStdString(plain->source().buildCommand));
            }
        }
        qInfo("%d texts were refused, %d arrived as text", refused, accepted);
        QVERIFY(refused > 10);
    }

    void textsOfPlansAndBoardsAreHarmless()
    {
        const auto plain = run(demo());
        const std::string evil = "A\"); int x; */ int y; /* ?\?/ \\ \x1b[2J \u202e $(touch evil) \n#include <evil>\n";
        LoadedPlan work = demo();
        auto board = std::make_shared<Board>(*work.board);
        board->title = evil;
        for (Part& part : board->parts)
            part.title = part.about = evil;
        work.board = board;
        for (Need& need : work.plan.needs)
            need.title = evil + need.id;
        work.plan.need("uplink")->pins["tx"]["name"] = evil;
        work.plan.need("uplink")->pins["tx"]["net"] = evil;
        work.plan.prefix = "sluice";
        work.plan.name = evil;
        const auto s = run(work);
        for (const SourceFile& file : s->source().files) {
            const SourceFile* same = plain->source().find(file.name);
            QVERIFY2(same, file.name.c_str());
            if (file.name.ends_with(".c") || file.name.ends_with(".h") || file.name.ends_with(".ld"))
                QCOMPARE(skeleton(file.text()), skeleton(same->text()));
            for (const SourceLine& line : file.lines)
                for (const char c : line.text)
                    QVERIFY2((c >= ' ' && c <= '~') || (c == '\t' && file.name == "Makefile"), line.text.c_str());
            // Whose it is can be read again.
            if (const std::optional<Seal> seal = sealOf(file.text()); seal && !file.name.ends_with(".md"))
                QVERIFY2(seal->plan == commentText(evil), (file.name + ": " + seal->plan).c_str());
            if (file.name.ends_with(".json"))
                QVERIFY2(nlohmann::json::accept(file.text()), file.text().c_str());
            // Nothing of it is markup.
            if (file.name.ends_with(".md"))
                QVERIFY2(file.text().find("<evil>") == std::string::npos, file.text().c_str());
        }
        QTemporaryDir dir;
        write(*s, folderOf(dir));
        compile(*s, folderOf(dir));
    }

    void toolsAndOptionsFollowAGrammar_data()
    {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        const QString tools = "\"tools\": \"arm-none-eabi-\"", flag = "\"-mthumb\"";
        for (const char* bad : {"/tmp/evil-", "evil; rm -rf / -", "../evil-", "Evil-", "a b-", "arm", "-", "$(evil)-"})
            QTest::newRow(bad) << tools << QString("\"tools\": \"%1\"").arg(bad);
        for (const char* bad : {"-fplugin=evil.so", "-wrapper", "-o", "evil.c", "-mcpu=a b", "-mcpu=$(evil)", "-B/tmp",
                                "@file", "-mcpu=", "-specs=evil"})
            QTest::newRow(bad) << flag << QString("\"%1\"").arg(bad);
    }
    void toolsAndOptionsFollowAGrammar()
    {
        QFETCH(QString, from);
        QFETCH(QString, to);
        const fs::path data = dataPath("devices/sedge");
        const std::string family = replaced(textOf(data / "sedge.json"), from.toStdString(), to.toStdString());
        const auto device = parseDevice(textOf(data / "se4332-c64.json"), "own", family, "family");
        QVERIFY(!device.ok());
        QVERIFY2(device.problem().pointer.starts_with("/core/"), device.problem().text().c_str());
    }

    void namesOfNeedsNeverMeet_data()
    {
        QTest::addColumn<QString>("id");
        for (const char* id :
             {"data",       "bss",      "stack",     "orphans",     "main",         "start",        "board",
              "regs",       "clocks",   "pins",      "status",      "wait",         "reset",        "unhandled",
              "vectors",    "bring-up", "interrupt", "interrupts",  "on",           "enter",        "release",
              "ok",         "timeout",  "stdint",    "stdbool",     "errno",        "int",          "while",
              "uart",       "gpio",     "clk",       "uplink-send", "uplink-bring", "beacon-clear", "beacon-dead",
              "beacon-set", "core",     "toolchain", "slow",        "data-start"})
            QTest::newRow(id) << id;
    }
    void namesOfNeedsNeverMeet()
    {
        QFETCH(QString, id);
        // A PWM and a UART under the name: between them they have all suffixes.
        for (const char* which : {"gate-bridge", "uplink"}) {
            LoadedPlan work = demo();
            work.plan.need(which)->id = id.toStdString();
            work.plan.holds.clear();
            const auto s = run(work);
            std::set<std::string> files;
            std::map<std::string, std::string> defined;
            static const QRegularExpression symbol(
                "^(?:#define (\\w+)|(?:void|bool|enum \\w+|uint32_t) (\\w+)\\(|\\s*(\\w+) = )");
            for (const SourceFile& file : s->source().files) {
                QVERIFY2(files.insert(file.name).second, file.name.c_str());
                if (!file.name.ends_with(".h") && !file.name.ends_with(".ld"))
                    continue;
                for (const SourceLine& line : file.lines) {
                    const auto match = symbol.match(QString::fromStdString(line.text));
                    const std::string name = (match.captured(1) + match.captured(2) + match.captured(3)).toStdString();
                    if (name.empty() || line.text.starts_with("    "
                                                              "enum"))
                        continue;
                    const auto [known, fresh] = defined.emplace(name, file.name);
                    QVERIFY2(fresh || (known->second == file.name && line.text.find('(') == std::string::npos),
                             (name + " in " + file.name + " and " + known->second).c_str());
                }
            }
            std::string plain = id.toStdString();
            std::replace(plain.begin(), plain.end(), '-', '_');
            const NeedIndex need = size_t(needIndex(work.plan, id.toStdString()));
            QCOMPARE(hasFinding(*s, "SRC-01", id.toStdString()), namesFor(s->facts(), 0).needs[need].text() != plain);
        }
    }

    void collidingNamesCompileAndLink()
    {
        QTemporaryDir dir;
        LoadedPlan work = demo();
        const char* ids[] = {"data", "bss", "orphans", "main", "status", "uplink-send", "start", "on", "stdint"};
        size_t next = 0;
        for (Need& need : work.plan.needs)
            if (need.kind == "pwm" || need.kind == "uart" || need.kind == "gpio" || need.kind == "i2c")
                if (next < std::size(ids))
                    need.id = ids[next++];
        work.plan.holds.clear();
        const auto s = run(work);
        QCOMPARE(s->count(Finding::Severity::Error), 0);
        write(*s, folderOf(dir));
        compile(*s, folderOf(dir));
    }

    void prefixesNeverMeet()
    {
        for (const char* prefix : {"main", "all", "test", "gcc", "install", "errno", "while", "9", "\u2603"}) {
            QTemporaryDir dir;
            const auto s = run(with(demo(), SetText{SetText::What::Prefix, prefix}));
            write(*s, folderOf(dir));
            QProcess shell;
            shell.setWorkingDirectory(QString::fromStdString(folderOf(dir).string()));
            shell.setProcessChannelMode(QProcess::MergedChannels);
            shell.start("sh", {"-c", QString("cmake -B build -DCMAKE_TOOLCHAIN_FILE=%1_toolchain.cmake")
                                         .arg(QString::fromStdString(s->source().prefix))});
            QVERIFY(shell.waitForFinished(120'000));
            QVERIFY2(shell.exitCode() == 0, shell.readAll().constData());
        }
    }

    void everySuffixIsInTheList()
    {
        for (const char* plan : {"sluice-node-c-done", "rain-post-b-done", "pump-hall-a-done", "ditch-meter-d-done"}) {
            const auto s = run(demo(plan));
            for (size_t core = 0; core < s->device->cores.size(); ++core) {
                const Names names = namesFor(s->facts(), core);
                for (const NeedIndex n : s->plan.needs.indices()) {
                    const SourceFile* header = s->source().find(names.path(n, ".h"));
                    if (!header)
                        continue;
                    const QRegularExpression symbol(
                        QString("\\b%1_(\\w+)").arg(QString::fromStdString(names.need(n).text())),
                        QRegularExpression::CaseInsensitiveOption);
                    auto it = symbol.globalMatch(QString::fromStdString(header->text()));
                    while (it.hasNext()) {
                        QString suffix = it.next().captured(1).toLower();
                        suffix.remove(QRegularExpression("\\d+$"));
                        const std::string text = suffix.toStdString();
                        bool ofAnother = false; // the name of another need that goes on like this one
                        for (const NeedIndex other : s->plan.needs.indices())
                            ofAnother = ofAnother ||
                                        (other != n && names.needs[other].starts_with(names.needs[n].text() + "_"));
                        QVERIFY2(ofAnother || std::find(needSuffixes().begin(), needSuffixes().end(), text) !=
                                                  needSuffixes().end(),
                                 text.c_str());
                    }
                }
            }
        }
    }
};

BINDREL_TEST(InjectionTest)
#include "injection_test.moc"
