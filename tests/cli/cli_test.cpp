// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"
#include "core/plan/kind.h"
#include "core/plan/plan_file.h"
#include "tests/support/fixtures.h"

#include <QDir>
#include <QFileInfo>

#include <QDirIterator>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QRegularExpression>

using namespace bindrel::test;

/// The real program, from a folder of its own, with relative paths.
class CliTest : public QObject {
    Q_OBJECT

    /// A plan file that a test changes before the program sees it.
    struct Workpieces {
        explicit Workpieces(const QString& path) : path_(path.toStdString()) {}
        void unbind(const char* need) const
        {
            bindrel::Expected<bindrel::LoadedPlan> work = bindrel::loadPlan(path_, library());
            work->plan.need(need)->binding = {};
            if (!bindrel::savePlan(work->plan, path_))
                qFatal("could not be saved");
        }
        std::string path_;
    };

    struct Result {
        int code = -1;
        QByteArray out, err;
    };

    QTemporaryDir dir_;

    Result cli(const QStringList& arguments, const QByteArray& input = {}) const
    {
        QProcess process;
        process.setWorkingDirectory(dir_.path());
        process.start(BINDREL_CLI, arguments);
        process.write(input);
        process.closeWriteChannel();
        process.waitForFinished(60'000);
        return {process.exitCode(), process.readAllStandardOutput(), process.readAllStandardError()};
    }

private Q_SLOTS:
    void initTestCase()
    {
        for (const char* name : {"start", "done", "tangled"})
            QVERIFY(QFile::copy(QString::fromStdString(demoPath(std::string("sluice-node-c-") + name)),
                                dir_.filePath(QString(name) + ".bindrel")));
    }

    void exitCodesSayHowItStands()
    {
        QCOMPARE(cli({"check", "done.bindrel"}).code, 0);
        QCOMPARE(cli({"check", "tangled.bindrel"}).code, 1);
        QCOMPARE(cli({"check", "missing.bindrel"}).code, 2);
        QCOMPARE(cli({"check"}).code, 2);
        QCOMPARE(cli({"frobnicate"}).code, 2);
        QCOMPARE(cli({"check", "done.bindrel", "--format", "xml"}).code, 2);
        QCOMPARE(cli({"--help"}).code, 0);
        QCOMPARE(cli({"check", "."}).code, 2);
    }

    void everyCommandIsExplained()
    {
        const Result all = cli({"--help"});
        QVERIFY(all.code == 0);
        const Result page = cli({"manual"}), bash = cli({"completion", "bash"}), zsh = cli({"completion", "zsh"});
        int commands = 0;
        const QString text = QString::fromUtf8(all.out);
        static const QRegularExpression row("^  ([a-z]+) {2,}", QRegularExpression::MultilineOption);
        for (auto it = row.globalMatch(text.mid(text.indexOf("Subcommands:"))); it.hasNext();) {
            const QString name = it.next().captured(1);
            ++commands;
            const Result help = cli({"help", name});
            QVERIFY2(help.code == 0 && help.out.contains("--help"), qPrintable(name));
            QVERIFY2(page.out.contains((".SS " + name + "\n").toUtf8()), qPrintable(name));
            QVERIFY2(bash.out.contains(name.toUtf8()) && zsh.out.contains(("'" + name + ":").toUtf8()),
                     qPrintable(name));
        }
        QVERIFY(commands > 15);
        QCOMPARE(cli({"help", "device", "table"}).code, 0);
        QCOMPARE(cli({"help", "frobnicate"}).code, 2);
        // The shell itself reads the script, and completes by it.
        QProcess shell;
        shell.start(
            "bash",
            {"-c", QString::fromUtf8(bash.out) +
                       "\nCOMP_WORDS=(bindrel-cli dev); COMP_CWORD=1; _bindrel_cli; echo ${COMPREPLY[@]}"
                       "\nCOMP_WORDS=(bindrel-cli device ta); COMP_CWORD=2; _bindrel_cli; echo ${COMPREPLY[@]}"
                       "\nCOMP_WORDS=(bindrel-cli bind --wr); COMP_CWORD=2; _bindrel_cli; echo ${COMPREPLY[@]}"});
        QVERIFY(shell.waitForFinished());
        QCOMPARE(QString::fromUtf8(shell.readAllStandardOutput()).split('\n').mid(0, 3),
                 QStringList({"device", "table", "--write"}));
    }

    /// A plan goes through a pipe: standard output has the plan and nothing else.
    void plansGoThroughPipes()
    {
        const auto whole = [](const Result& result) {
            const auto read = bindrel::parsePlan(result.out.toStdString(), "piped", library());
            return result.code == 0 && read.ok();
        };
        const Result made = cli({"new", "--device", "SE4332-C64", "-"});
        QVERIFY2(whole(made) && made.err.isEmpty(), made.out + made.err);
        const Result added = cli({"add", "-", "uart", "115,200", "called", "Uplink", "--write"}, made.out);
        QVERIFY2(whole(added), added.out + added.err);
        const Result set = cli({"set", "-", "HFX=12 MHz, 20 ppm", "temperature=-20 to 60"}, added.out);
        QVERIFY2(whole(set) && set.err.contains("12 MHz"), set.out + set.err);
        const Result bound = cli({"bind", "-", "--write"}, set.out);
        QVERIFY2(whole(bound), bound.out + bound.err);
        QVERIFY(cli({"check", "-"}, bound.out).code <= 1 && cli({"check", "-"}, "{").code == 2);
        QVERIFY(cli({"show", "-", "pins"}, bound.out).out.contains("Uplink"));
        // What a command writes beside the plan, too.
        QVERIFY(cli({"sheet", "-", "-"}, bound.out).out.contains("PA0"));
        const Result nets = cli({"nets", "done.bindrel", "-"}, "PA2,SPARE_NET\n");
        QVERIFY2(nets.code == 0 && nets.out.contains("SPARE_NET"), nets.out + nets.err);
        QCOMPARE(cli({"nets", "-", "-"}, bound.out).code, 2);
        const Result board = cli({"board", "-", "--save", "-"}, bound.out);
        QVERIFY2(board.code == 0 && board.out.contains("\"20 ppm\""), board.out + board.err);
    }

    void theBoardIsListed()
    {
        const Result text = cli({"board", "done.bindrel"});
        QVERIFY2(text.code == 0 && text.out.contains("12 MHz, 20 ppm") && text.out.contains("Uplink modem"), text.out);
        const Result json = cli({"board", "done.bindrel", "--format", "json"});
        const QJsonObject root = QJsonDocument::fromJson(json.out).object();
        QCOMPARE(root["parts"].toArray().size(), 15);
        QCOMPARE(cli({"board", "done.bindrel", "--save", "boards/none/b.json"}).code, 2);
        QCOMPARE(cli({"board", "done.bindrel", "--save", "b.txt"}).code, 2);
        QCOMPARE(cli({"board", "done.bindrel", "--save", "b.json"}).code, 0);
        QCOMPARE(cli({"board", "done.bindrel", "--save", "b.json"}).code, 2);
        QCOMPARE(cli({"board", "done.bindrel", "--save", "b.json", "--force"}).code, 0);
    }

    void setChangesAllOrNothing()
    {
        const QString plan = dir_.filePath("set.bindrel");
        QFile::remove(plan);
        QCOMPARE(cli({"new", "--device", "SE4332-C64", "set.bindrel"}).code, 0);
        QCOMPARE(cli({"add", "set.bindrel", "uart", "115,200", "on", "PD0/PD1", "called", "Uplink", "--write"}).code,
                 0);
        const std::string before = textOf(plan.toStdString());
        const Result refused = cli({"set", "set.bindrel", "uplink.baud=9600", "uplink.nothing=1"});
        QCOMPARE(refused.code, 2);
        QVERIFY2(refused.err.contains("uplink.nothing"), refused.err.constData());
        QCOMPARE(textOf(plan.toStdString()), before);
        // Bits: the goal that says the same, else by hand; nothing behind the sign drops it.
        const Result goal = cli({"set", "set.bindrel", "uplink.CTL.PARITY=even", "--dry-run"});
        QVERIFY2(goal.code == 0 && goal.out.contains("frame"), (goal.out + goal.err).constData());
        const Result byHand = cli({"set", "set.bindrel", "uplink.CTL.OVS=1", "--dry-run"});
        QVERIFY2(byHand.code == 0 && byHand.out.contains("set by hand"), (byHand.out + byHand.err).constData());
        QCOMPARE(
            cli({"set", "set.bindrel", "uplink.CTL.OVS=1", "uplink.CTL.OVS=", "--dry-run"}).out.count("as the goals"),
            2);
        for (const char* wrong :
             {"uplink.CTL.NOPE=1", "uplink.CTL.OVS=9", "uplink.CTL=0x1FFFFFFFF", "uplink.STAT.RXF=1"})
            QCOMPARE(cli({"set", "set.bindrel", wrong}).code, 2);
        const Result dry = cli({"set", "set.bindrel", "uplink.baud=9600", "--dry-run"});
        QVERIFY(dry.code == 0 && dry.out.contains("9600") && textOf(plan.toStdString()) == before);
        const Result done =
            cli({"set", "set.bindrel", "uplink.baud=9600", "HFX=12 MHz, 20 ppm", "SYS=HFX", "--format", "json"});
        QVERIFY2(done.code == 0, done.err.constData());
        const QJsonObject told = QJsonDocument::fromJson(done.out).object();
        QVERIFY(told["saved"].toBool() && told["changes"].toArray().size() == 3 && told["errors"].toInt() == 0);
        QVERIFY(textOf(plan.toStdString()).find("\"SYS\": \"HFX\"") != std::string::npos);
        QCOMPARE(cli({"check", "set.bindrel"}).code, 0);
    }

    void checkForServicesThatReviewChanges()
    {
        const QJsonObject json =
            QJsonDocument::fromJson(cli({"check", "tangled.bindrel", "--format", "json"}).out).object();
        const Result said = cli({"check", "tangled.bindrel", "--format", "sarif"});
        QCOMPARE(said.code, 1);
        const QJsonObject log = QJsonDocument::fromJson(said.out).object();
        QCOMPARE(log["version"].toString(), "2.1.0");
        const QJsonObject run = log["runs"].toArray().at(0).toObject();
        const QJsonArray known = run["tool"]["driver"]["rules"].toArray(), results = run["results"].toArray();
        const QJsonArray findings = json["findings"].toArray();
        QVERIFY(!findings.isEmpty());
        QCOMPARE(results.size(), findings.size());
        for (int i = 0; i < results.size(); ++i) {
            const QJsonObject result = results.at(i).toObject(), finding = findings.at(i).toObject();
            QCOMPARE(result["ruleId"], finding["rule"]);
            QCOMPARE(known.at(result["ruleIndex"].toInt()).toObject()["id"], finding["rule"]);
            QCOMPARE(result["message"]["text"], finding["text"]);
            QCOMPARE(result["level"].toString(), finding["severity"].toString() == "error" ? "error" : "warning");
            QCOMPARE(result["locations"].toArray().at(0)["physicalLocation"]["artifactLocation"]["uri"].toString(),
                     "tangled.bindrel");
        }
        // A rule is listed as it is named there.
        const QJsonArray listed = QJsonDocument::fromJson(cli({"rules", "--format", "json"}).out).array();
        QCOMPARE(listed.size(), known.size());
        for (int i = 0; i < known.size(); ++i)
            QCOMPARE(listed.at(i)["rule"], known.at(i)["id"]);
    }

    void checkIsTheSameInTextAndJson()
    {
        const Result text = cli({"check", "tangled.bindrel"});
        const Result json = cli({"check", "tangled.bindrel", "--format", "json"});
        const QJsonObject root = QJsonDocument::fromJson(json.out).object();
        QCOMPARE(root["contested"].toInt(), 6);
        QCOMPARE(root["errors"].toInt(), 7);
        const QJsonArray findings = root["findings"].toArray();
        QCOMPARE(findings.size(), root["errors"].toInt() + root["cautions"].toInt());
        for (const auto& finding : findings)
            QVERIFY(text.out.contains(finding.toObject()["text"].toString().toUtf8()));
    }

    void outputIsPinnedByteForByte()
    {
        QCOMPARE(cli({"check", "tangled.bindrel"}).out,
                 QByteArray(
                     "error PIN-01: PD3 is assigned to Probe alert input and Uplink request to send, but a pad carries "
                     "only one signal. Move one of them.\nerror PIN-01: PD12 is assigned to Frost heater output and "
                     "Debug clock, but a pad carries only one signal. Move one of them.\nerror PIN-03: Interrupt line "
                     "6 is assigned to Modem ring input and Lid switch input, but the line watches only one pad. Move "
                     "one to a pad on another line.\nerror PIN-06: Frost heater output is on PD12, which is routed to "
                     "DBG_CLK on the board. Move it.\nerror CLK-01: Bus 1 runs at 150 MHz, 75 MHz above its limit of "
                     "75 MHz in range 1. Slow it down, or choose a faster operating range.\nerror CLK-01: I2C2 runs at "
                     "150 MHz, 75 MHz above its limit of 75 MHz in range 1. Slow it down, or choose a faster operating "
                     "range.\nerror GOAL-01: Gate bridge, Dead time: 6 \u00b5s is not possible: the longest at 150 MHz "
                     "is 4.58667 \u00b5s. The bridge could shoot through; use a slower clock for Motor timer.\ncaution "
                     "PIN-05: Frost heater output uses PD12, which is SWD.CLK after reset: a debugger can then attach "
                     "only under reset.\nsluice-node-c: 24 needs, 0 unbound, 6 in conflict, 7 errors, 1 caution\n"));
        // The locale of the caller changes nothing.
        QProcess german;
        german.setWorkingDirectory(dir_.path());
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("LC_ALL", "de_DE.UTF-8");
        german.setProcessEnvironment(environment);
        german.start(BINDREL_CLI, {"check", "tangled.bindrel"});
        QVERIFY(german.waitForFinished(60'000));
        QCOMPARE(german.readAllStandardOutput(), cli({"check", "tangled.bindrel"}).out);
    }

    void bindTellsWhereEverythingGoes()
    {
        QVERIFY(QFile::copy(QString::fromStdString(demoPath("sluice-node-c-done")), dir_.filePath("half.bindrel")));
        Workpieces half(dir_.filePath("half.bindrel"));
        half.unbind("level-probes");
        const QByteArray out = cli({"bind", "half.bindrel"}).out;
        QVERIFY2(out.startsWith("Level probes: I2C2, scl PB8, sda PB9\n"), out.constData());
        // And how good that is.
        QVERIFY2(out.contains("extra sides (the fewest)") && out.contains("No solution is better."), out.constData());
        const QJsonObject json =
            QJsonDocument::fromJson(cli({"bind", "half.bindrel", "--format", "json"}).out).object();
        QVERIFY(json["extra_sides"].toInt() > 0);
        QCOMPARE(json["at_least"].toObject()["extra_sides"].toInt(), json["extra_sides"].toInt());
    }

    void showPrintsTextJsonAndCsv()
    {
        const Result json = cli({"show", "done.bindrel", "clocks", "--format", "json"});
        QJsonObject cpu;
        for (const auto& row : QJsonDocument::fromJson(json.out).array())
            if (row.toObject()["clock"] == "CPU")
                cpu = row.toObject();
        QCOMPARE(cpu["exact_hz"].toString(), "150000000");
        const Result csv = cli({"show", "done.bindrel", "pins", "--format", "csv"});
        QCOMPARE(csv.out.count("\r\n"), 65); // a heading and 64 pins
        QVERIFY(csv.out.contains("49,PD0,UART1.TX,Uplink,,,8,out,none,weak,,,no,VDD,Uplink modem"));
        QVERIFY(cli({"show", "done.bindrel", "registers"}).out.contains("DRIVE1.TOP    0x4D00F708"));
        QCOMPARE(cli({"show", "done.bindrel", "weather"}).code, 2);
    }

    void addTellsWhatItUnderstoodAndWritesOnlyWhenAsked()
    {
        QVERIFY(QFile::copy(QString::fromStdString(demoPath("sluice-node-c-done")), dir_.filePath("more.bindrel")));
        const std::string before = textOf(dir_.filePath("more.bindrel").toStdString());
        QCOMPARE(cli({"add", "more.bindrel", "uart 9600 for modem called Second line"}).out,
                 QByteArray("Second line: UART, baud 9600, for Uplink modem\n"));
        QCOMPARE(textOf(dir_.filePath("more.bindrel").toStdString()), before);
        // The words may come as several arguments too.
        QCOMPARE(cli({"add", "more.bindrel", "uart", "9600", "called", "Second line", "--write"}).code, 0);
        QVERIFY(textOf(dir_.filePath("more.bindrel").toStdString()).find("\"baud\": \"9600\"") != std::string::npos);
        const Result wrong = cli({"add", "more.bindrel", "uart 8n3"});
        QCOMPARE(wrong.code, 2);
        QVERIFY2(wrong.err.contains("\"8n3\"") && wrong.err.contains("Did you mean"), wrong.err.constData());
    }

    void bindListsAndWritesOnlyWhenAsked()
    {
        const QString plan = dir_.filePath("start.bindrel");
        const std::string before = textOf(plan.toStdString());
        const Result listed = cli({"bind", "start.bindrel"});
        QCOMPARE(listed.code, 0);
        QCOMPARE(listed.out.count('\n'), 26); // 24 needs, how good it is, and why not better
        QVERIFY(listed.out.contains(": 2 sides. The chip has no side with pads for all its signals."));
        QCOMPARE(textOf(plan.toStdString()), before);
        QCOMPARE(cli({"bind", "start.bindrel", "--write"}).code, 0);
        QCOMPARE(cli({"check", "start.bindrel"}).code, 0);
        QVERIFY(cli({"bind", "start.bindrel"}).out.contains("no need is unbound"));
    }

    void writeRefusesAnIncompletePlanUnlessTold()
    {
        QCOMPARE(cli({"write", "tangled.bindrel", "--to", "out-a"}).code, 1);
        QVERIFY(!QFileInfo::exists(dir_.filePath("out-a")));
        QCOMPARE(cli({"write", "tangled.bindrel", "--to", "out-a", "--incomplete"}).code, 0);
        QVERIFY(QFileInfo::exists(dir_.filePath("out-a/sluice_clocks.c")));
        const Result dry = cli({"write", "done.bindrel", "--to", "out-b", "--dry-run"});
        QCOMPARE(dry.code, 0);
        QVERIFY(dry.out.contains("sluice_clocks.c") && !QFileInfo::exists(dir_.filePath("out-b")));
        const Result done = cli({"write", "done.bindrel", "--to", "out-b"});
        QCOMPARE(done.code, 0);
        QVERIFY(done.out.contains("arm-none-eabi-gcc"));
    }

    /// The source in a repository is that of the plan, or it is said which files are not; nothing is written.
    void writeChecksWhatIsCommitted()
    {
        const auto check = [this] { return cli({"write", "own.bindrel", "--to", "committed", "--check"}); };
        const auto bytes = [this] {
            std::map<QString, QByteArray> out;
            QDirIterator files(dir_.filePath("committed"), QDir::Files | QDir::Hidden, QDirIterator::Subdirectories);
            while (files.hasNext()) {
                QFile file(files.next());
                if (file.open(QIODevice::ReadOnly))
                    out[file.fileName()] = file.readAll();
            }
            return out;
        };
        QVERIFY(QFile::copy(dir_.filePath("done.bindrel"), dir_.filePath("own.bindrel")));
        const Result none = check();
        QCOMPARE(none.code, 1);
        QVERIFY(none.out.contains("new        sluice_clocks.c") && !QFileInfo::exists(dir_.filePath("committed")));
        QCOMPARE(cli({"write", "own.bindrel", "--to", "committed"}).code, 0);
        const Result same = check();
        QVERIFY2(same.code == 0 && same.out.isEmpty() && same.err.isEmpty(), same.err.constData());
        // As a repository has it: without the memory, with a person's text in a region and beside one.
        QVERIFY(QDir(dir_.filePath("committed/.bindrel")).removeRecursively());
        const QString file = dir_.filePath("committed/sluice_uplink.c");
        std::string text = textOf(file.toStdString());
        const size_t region = text.find('\n', text.find("/*~ keep ")) + 1;
        text.insert(region, "/* mine */\n");
        QVERIFY(bindrel::writeFileAtomically(file.toStdString(), text));
        QCOMPARE(check().code, 0);
        text += "/* added at the end */\n";
        QVERIFY(bindrel::writeFileAtomically(file.toStdString(), text));
        QCOMPARE(check().code, 0);
        // Another decision differs in the files that it reaches.
        QCOMPARE(cli({"set", "own.bindrel", "uplink.baud=115200"}).code, 0);
        const auto before = bytes();
        const Result differs = check();
        QCOMPARE(differs.code, 1);
        QVERIFY2(differs.out.contains("sluice_uplink.c") && !differs.out.contains("same") &&
                     !differs.out.contains("sluice_rain_tipper.c"),
                 differs.out.constData());
        QVERIFY(differs.err.contains("files differ from the plan"));
        QCOMPARE(bytes(), before);
        QCOMPARE(cli({"write", "own.bindrel", "--to", "committed", "--check", "--dry-run"}).code, 2);
    }

    void lintFindsShippedDevicesByNameAndFilesByPath()
    {
        QCOMPARE(cli({"lint", "se4332-c64"}).code, 0);
        QCOMPARE(cli({"lint", QString::fromStdString(dataPath("devices/sedge/se4332-c64.json").string())}).code, 0);
        const Result none = cli({"lint", "SE4332-C46"});
        QCOMPARE(none.code, 2);
        QVERIFY(none.err.contains("Did you mean \"SE4332-C64\"?"));
    }

    void untangleListsAndTakesWays()
    {
        const Result text = cli({"untangle", "tangled.bindrel", "--count", "3"});
        QCOMPARE(text.code, 0);
        QVERIFY(text.out.startsWith("1. Untangle: 3 needs move") && text.out.contains("\n3. ") &&
                text.out.endsWith("Fewest moves (proven).\n"));
        const QJsonObject json =
            QJsonDocument::fromJson(cli({"untangle", "tangled.bindrel", "--format", "json"}).out).object();
        QVERIFY(json["proven"].toBool());
        QCOMPARE(json["ways"].toArray().size(), 5);
        QCOMPARE(json["ways"].toArray()[0].toObject()["needs_moved"].toInt(), 3);
        QCOMPARE(cli({"untangle", "tangled.bindrel", "--apply", "2"}).code, 0);
        const QJsonObject after =
            QJsonDocument::fromJson(cli({"check", "tangled.bindrel", "--format", "json"}).out).object();
        QCOMPARE(after["contested"].toInt(), 0);
        QVERIFY(cli({"untangle", "tangled.bindrel"}).out.contains("no conflict"));
        QCOMPARE(cli({"untangle", "tangled.bindrel", "--count", "0"}).code, 2);
    }

    void reachListsAndTakesWays()
    {
        const QJsonObject json =
            QJsonDocument::fromJson(cli({"reach", "done.bindrel", "--want", "USBK=48MHz\u00b10.25%", "--want",
                                         "CANK=40MHz", "--format", "json"})
                                        .out)
                .object();
        QVERIFY(json["complete"].toBool());
        const QJsonArray ways = json["ways"].toArray();
        QVERIFY(ways.size() >= 3);
        for (const auto& way : ways)
            QCOMPARE(way.toObject()["achieved"].toArray()[1].toObject()["rate_hz"].toString(), QString("40000000"));
        // What is out of reach: the nearest, and what is in the way.
        const Result none = cli({"reach", "done.bindrel", "--want", "SYS=200MHz"});
        QCOMPARE(none.code, 1);
        QVERIFY2(none.out.contains("in the way") &&
                     none.out.contains("above its 160\u2009MHz") == none.out.contains("\u2009") &&
                     none.out.contains("nearest for SYS"),
                 none.out.constData());
        const Result held = cli({"reach", "done.bindrel", "--want", "BUS1=40MHz", "--hold", "BUS1"});
        QVERIFY(!held.out.contains("Bus 1 \u00f7"));
        for (const char* wrong : {"SYS", "SYSX=1MHz", "SYS=quick", "SYS=0", "SYS>=1MHz\u00b11%"})
            QCOMPARE(cli({"reach", "done.bindrel", "--want", wrong}).code, 2);
        QCOMPARE(cli({"reach", "done.bindrel", "--want", "SYS=max", "--want", "SYS=80MHz"}).code, 2);
        QCOMPARE(cli({"reach", "done.bindrel", "--want", "BUS1=40MHz", "--take", "1"}).code, 0);
        QVERIFY(cli({"show", "done.bindrel", "clocks", "--format", "csv"}).out.contains("BUS1,40 MHz,40000000,"));
    }

    void repairMendsAndModesAreShown()
    {
        bindrel::LoadedPlan work = demo();
        work.plan.clocks["BUS1"] = clockSaid("1");
        QVERIFY(bindrel::savePlan(work.plan, dir_.filePath("broken.bindrel").toStdString()));
        QVERIFY(cli({"check", "broken.bindrel", "--format", "json"}).out.contains("\"ways\": \"repair\""));
        const Result list = cli({"repair", "broken.bindrel"});
        QCOMPARE(list.code, 0);
        QVERIFY2(list.out.startsWith("wrong: Bus 1 is 150 MHz"), list.out.constData());
        QCOMPARE(cli({"repair", "broken.bindrel", "--take", "1"}).code, 0);
        QVERIFY(cli({"repair", "broken.bindrel"}).out.contains("no limit is broken"));
        QVERIFY(cli({"show", "broken.bindrel", "limits"}).out.contains("tuning range"));
        QVERIFY(cli({"show", "done.bindrel", "accuracy", "--format", "csv"})
                    .out.contains("clock,RTCK,32.768 kHz,20 ppm,100 ppm,"));
        QVERIFY(cli({"show", "done.bindrel", "gates"}).out.contains("Uplink"));

        const QJsonArray modes =
            QJsonDocument::fromJson(cli({"show", "broken.bindrel", "modes", "--format", "json"}).out).array();
        QCOMPARE(modes.size(), 2);
        QVERIFY(modes[1].toObject()["alive"].toString().contains("RTCK") &&
                !modes[1].toObject()["alive"].toString().contains("CPU"));
    }

    void optionsSayWhatEachWouldCost()
    {
        const Result csv = cli({"options", "done.bindrel", "uplink.tx", "--format", "csv"});
        QCOMPARE(csv.code, 0);
        QVERIFY2(csv.out.startsWith("pad,pin,instance,cost,reason\r\nPD0,49,UART1,current,here now\r\n"),
                 csv.out.constData());
        QVERIFY(csv.out.contains("room,taken by Log flash; "));
        const Result wrong = cli({"options", "done.bindrel", "uplink.txx"});
        QCOMPARE(wrong.code, 2);
        QVERIFY(wrong.err.contains("Did you mean \"uplink.tx\"?"));
    }

    void fitTriesEveryChip()
    {
        const QJsonArray rows = QJsonDocument::fromJson(cli({"fit", "done.bindrel", "--format", "json"}).out).array();
        QCOMPARE(rows.size(), 7);
        for (const auto& value : rows) {
            const QJsonObject row = value.toObject();
            const bool fits = row["fits"].toString() == "yes";
            QCOMPARE(fits, !row["device"].toString().startsWith("MS") && !row["device"].toString().startsWith("RL"));
            QCOMPARE(row["why"].toString().isEmpty(), fits);
        }
    }

    void moveSaysWhatBecomesOfEveryNeedAndDoesItOnlyWhenAsked()
    {
        const QByteArray before = QByteArray::fromStdString(textOf(dir_.filePath("done.bindrel").toStdString()));
        const Result dry = cli({"move", "done.bindrel", "--device", "SE4332-C100", "--format", "json"});
        QCOMPARE(dry.code, 0);
        const QJsonArray rows = QJsonDocument::fromJson(dry.out).array();
        QCOMPARE(rows.size(), 24);
        for (const auto& row : rows)
            QCOMPARE(row.toObject()["fate"].toString(), QString("stays"));
        QCOMPARE(QByteArray::fromStdString(textOf(dir_.filePath("done.bindrel").toStdString())), before);
        const Result lossy = cli({"move", "done.bindrel", "--device", "MS0816-A48"});
        QVERIFY(lossy.code == 1 && lossy.out.contains("cannot be placed") && lossy.out.contains("lost"));
        QCOMPARE(cli({"move", "done.bindrel"}).code, 2);
        QVERIFY(cli({"move", "done.bindrel", "--device", "SE4332-C65"}).err.contains("Did you mean \"SE4332-C64\"?"));
        QVERIFY(QFile::copy(dir_.filePath("done.bindrel"), dir_.filePath("moved.bindrel")));
        QCOMPARE(cli({"move", "moved.bindrel", "--board", "pump-hall-a", "--write"}).code, 0);
        const QJsonObject after =
            QJsonDocument::fromJson(cli({"check", "moved.bindrel", "--format", "json"}).out).object();
        QCOMPARE(after["device"].toString(), QString("AL7654-F144"));
        QCOMPARE(after["contested"].toInt(), 0);
        QVERIFY(after["needs"].toInt() > 30);
    }

    void registersAreTakenOver()
    {
        QFile::remove(dir_.filePath("adopt.bindrel"));
        QVERIFY(QFile::copy(dir_.filePath("done.bindrel"), dir_.filePath("adopt.bindrel")));
        const Result dump = cli({"show", "adopt.bindrel", "registers", "--format", "csv"});
        QCOMPARE(dump.code, 0);
        const std::string before = textOf(dir_.filePath("adopt.bindrel").toStdString());
        const Result same = cli({"adopt", "adopt.bindrel", "-", "--write"}, dump.out);
        QVERIFY2(same.code == 0 && same.out.contains("says all of it already"), (same.out + same.err).constData());
        QVERIFY(textOf(dir_.filePath("adopt.bindrel").toStdString()) == before);
        QCOMPARE(cli({"set", "adopt.bindrel", "uplink.baud=9600", "BUS1=8"}).code, 0);
        const Result told = cli({"adopt", "adopt.bindrel", "-"}, dump.out);
        QVERIFY2(told.out.contains("baud") && told.out.contains("BUS1"), (told.out + told.err).constData());
        QCOMPARE(cli({"adopt", "adopt.bindrel", "-", "--write"}, dump.out).code, 0);
        QCOMPARE(cli({"show", "adopt.bindrel", "registers", "--format", "csv"}).out, dump.out);
        const Result wrong = cli({"adopt", "adopt.bindrel", "-"}, "hello\n");
        QVERIFY2(wrong.code == 2 && wrong.err.contains("nothing in it"), wrong.err.constData());
    }

    void netsAndSheetsComeAndGo()
    {
        QVERIFY(QFile::copy(dir_.filePath("done.bindrel"), dir_.filePath("nets.bindrel")));
        const auto table = [this](const char* text) {
            QFile file(dir_.filePath("nets.csv"));
            QVERIFY(file.open(QIODevice::WriteOnly));
            file.write(text);
        };
        table("Pin,Net\n1,3V3\n4,SPARE\n46,XHF_IN\n");
        const Result listed = cli({"nets", "nets.bindrel", "nets.csv"});
        QVERIFY2(listed.code == 0 && listed.out.contains("SPARE") && !listed.out.contains("XHF_IN") &&
                     listed.err.contains("line 2: pin 1 is VDD"),
                 listed.out.constData());
        QVERIFY(!cli({"show", "nets.bindrel", "pins"}).out.contains("SPARE"));
        QCOMPARE(cli({"nets", "nets.bindrel", "nets.csv", "--write"}).code, 0);
        QVERIFY(cli({"show", "nets.bindrel", "pins"}).out.contains("SPARE"));
        table("4,SPARE\n400,X\n");
        const Result wrong = cli({"nets", "nets.bindrel", "nets.csv"});
        QVERIFY(wrong.code == 2 && wrong.err.contains("nets.csv, line 2: \"400\" is neither a pin"));
        QCOMPARE(cli({"sheet", "nets.bindrel", "pins.csv"}).code, 0);
        QVERIFY(QString::fromStdString(textOf(dir_.filePath("pins.csv").toStdString()))
                    .startsWith("Pin,Pad,Signal,Need,Name,Net,"));
        QCOMPARE(cli({"sheet", "nets.bindrel", "pins.xlsx"}).code, 0);
        QCOMPARE(cli({"sheet", "nets.bindrel", "pins.doc"}).code, 2);
        QCOMPARE(cli({"sheet", "nets.bindrel", "none/pins.xlsx"}).code, 2);
    }

    void bindAndUntangleSpeakJson()
    {
        QVERIFY(QFile::copy(QString::fromStdString(demoPath("sluice-node-c-start")), dir_.filePath("unbound.bindrel")));
        const QJsonObject bound =
            QJsonDocument::fromJson(cli({"bind", "unbound.bindrel", "--format", "json"}).out).object();
        QCOMPARE(bound["changes"].toArray().size(), 24);
        for (const auto& change : bound["changes"].toArray())
            QVERIFY(change.toObject().contains("need") && change.toObject().contains("pads"));
        // Two that are both held and want one pad: nothing untangles it, and what would free it is said.
        bindrel::LoadedPlan work = demo();
        work.plan.need("lid-switch")->binding.pads["pin"] = "PD0";
        work.plan.holds = {holdOfNeed("lid-switch"), holdOfNeed("uplink")};
        QVERIFY(bindrel::savePlan(work.plan, dir_.filePath("held.bindrel").toStdString()));
        const Result result = cli({"untangle", "held.bindrel", "--format", "json"});
        QCOMPARE(result.code, 1);
        const QJsonObject json = QJsonDocument::fromJson(result.out).object();
        QVERIFY2(json["why"].toString().contains("Lid switch") && json["why"].toString().contains("Uplink"),
                 result.out.constData());
        QString free;
        for (const auto& way : json["would_free"].toArray())
            free += way.toString() + "\n";
        QVERIFY2(free.contains("release Lid switch") && free.contains("SE4332-C100"), qPrintable(free));
    }

    void newStatesTheNeedsOfABoard()
    {
        const Result made = cli({"new", "rain-post-b", "fresh.bindrel"});
        QVERIFY2(made.code == 0 && made.out.contains("9 needs for Rain post B on MS0816-A32"), made.err.constData());
        QCOMPARE(cli({"new", "rain-post-b", "fresh.bindrel"}).code, 2);
        QVERIFY(cli({"new", "rain-post-x", "other.bindrel"}).err.contains("Did you mean \"rain-post-b\"?"));
    }

    void brokenPlansGiveFileLineAndPointer()
    {
        QFile file(dir_.filePath("broken.bindrel"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(QByteArray::fromStdString(
            replaced(textOf(demoPath("sluice-node-c-done")), "\"BUS1\": \"2\"", "\"BUS1\": \"5\"")));
        file.close();
        const Result result = cli({"check", "broken.bindrel"});
        QCOMPARE(result.code, 2);
        QVERIFY2(result.err.startsWith("bindrel-cli: broken.bindrel:11:13: /clocks/BUS1: "), result.err.constData());
    }

    /// Lost output is a failure, whoever closed or filled the other end.
    void lostOutputIsTold()
    {
        QProcess shell;
        const auto code = [&](const QString& rest) {
            shell.setWorkingDirectory(dir_.path());
            shell.start("sh", {"-c", QString("\"%1\" check done.bindrel %2").arg(BINDREL_CLI, rest)});
            shell.waitForFinished(60'000);
            return shell.exitCode();
        };
        QCOMPARE(code("> /dev/full"), 2);
        QVERIFY(shell.readAllStandardError().contains("could not be written"));
        QCOMPARE(code(">&-"), 2);
        QCOMPARE(code("<&- 2>&-"), 0);
        QCOMPARE(code("> all.txt"), 0);
    }

    void aWorkingFolderThatIsGone()
    {
        QProcess shell;
        shell.setWorkingDirectory(dir_.path());
        shell.start("sh", {"-c", QString("mkdir gone && cd gone && rmdir ../gone && \"%1\" --device-dir x check "
                                         "\"%2\"; a=$?; \"%1\" check \"%2\"; echo $a $?")
                                     .arg(BINDREL_CLI, dir_.filePath("done.bindrel"))});
        QVERIFY(shell.waitForFinished(60'000));
        QVERIFY2(shell.readAllStandardOutput().endsWith("2 0\n"), "an error, or the plan by its whole path");
    }

    void argumentsThatCannotBeRightAreTold()
    {
        QCOMPARE(cli({"--device-dir", "", "check", "done.bindrel"}).code, 2);
        QVERIFY(cli({"--device-dir", "nowhere", "check", "done.bindrel"}).err.contains("\"nowhere\" is not a folder"));
        QVERIFY(cli({"chek", "done.bindrel"}).err.contains("Did you mean \"check\"?"));
        QVERIFY(cli({"check", "done.bindrel", "--fromat", "json"}).err.contains("Did you mean \"--format\"?"));
        const Result json = cli({"check", "missing.bindrel", "--format", "json"});
        QCOMPARE(json.code, 2);
        const QJsonObject error = QJsonDocument::fromJson(json.out).object()["error"].toObject();
        QCOMPARE(error["file"].toString(), QString("missing.bindrel"));
        QVERIFY(error["message"].toString().contains("cannot be opened"));
        QVERIFY(!QJsonDocument::fromJson(cli({"chek", "--format", "json"}).out).object()["error"].toObject().isEmpty());
    }

    void theFirstDeviceFolderWins()
    {
        for (const char* folder : {"one", "two"}) {
            QVERIFY(QDir(dir_.path()).mkpath(folder));
            for (const char* file : {"sedge.json", "se4332-c64.json"})
                QVERIFY(QFile::copy(QString::fromStdString((dataPath("devices/sedge") / file).string()),
                                    dir_.filePath(QString("%1/%2").arg(folder, file))));
        }
        QFile own(dir_.filePath("two/se4332-c64.json"));
        QVERIFY(own.open(QIODevice::WriteOnly));
        own.write("{");
        own.close();
        QCOMPARE(cli({"--device-dir", "one", "--device-dir", "two", "check", "done.bindrel"}).code, 0);
        QCOMPARE(cli({"--device-dir", "two", "--device-dir", "one", "check", "done.bindrel"}).code, 2);
        // It takes the place of the one that ships: that is told.
        QVERIFY(cli({"--device-dir", "one", "check", "done.bindrel"})
                    .out.contains("caution DEV-01: SE4332-C64 is read from"));
    }

    void messagesDoNotObeyWhatTheyQuote()
    {
        QFile file(dir_.filePath("evil.bindrel"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(QByteArray::fromStdString(
            replaced(replaced(textOf(demoPath("sluice-node-c-tangled")), "\"title\": \"Lid switch\"",
                              "\"title\": \"Lid \\u001b[2J\\u202eswitch\\nerror: none\""),
                     "\"name\": \"sluice-node-c\"", "\"name\": \"x\\u0007\"")));
        file.close();
        for (const QStringList& arguments : {QStringList{"check", "evil.bindrel"},
                                             {"show", "evil.bindrel", "pins"},
                                             {"check", "evil.bindrel", "--format", "json"},
                                             {"show", "evil.bindrel", "pins", "--format", "csv"},
                                             {"untangle", "evil.bindrel"}}) {
            const Result result = cli(arguments);
            for (const QByteArray& text : {result.out, result.err}) {
                QVERIFY2(!text.contains('\x1b') && !text.contains('\x07') && !text.contains("\u202e"),
                         text.constData());
            }
            if (arguments.contains("json"))
                QVERIFY(!QJsonDocument::fromJson(result.out).isNull());
        }
    }

    void searchesEndInTime()
    {
        // Thirty needs want one pad: sets of movers are too many to be looked at one by one, yet all but one must move.
        bindrel::Plan plan = demo("sluice-node-c-start").plan;
        plan.needs.clear();
        plan.holds.clear();
        for (int i = 0; i < 45; ++i) {
            bindrel::Need need;
            need.id = need.title = "g" + std::to_string(i);
            need.kind = "gpio";
            need.binding.pads["pin"] = "PC8";
            plan.needs.push_back(need);
        }
        QVERIFY(bindrel::savePlan(plan, dir_.filePath("crowd.bindrel").toStdString()).ok());
        plan.needs.resize(30);
        QVERIFY(bindrel::savePlan(plan, dir_.filePath("thirty.bindrel").toStdString()).ok());
        const Result ways = cli({"untangle", "thirty.bindrel", "--within", "2"});
        QVERIFY2(ways.code == 0 && ways.out.contains("Fewest moves (proven)."), ways.err.constData());
        QCOMPARE(cli({"untangle", "crowd.bindrel", "--within", "2"}).code, 1);
        for (const QStringList& arguments : {QStringList{"bind", "thirty.bindrel"},
                                             {"fit", "thirty.bindrel"},
                                             {"move", "thirty.bindrel", "--device", "RL1224-Q48"},
                                             {"options", "thirty.bindrel", "g0.pin"},
                                             {"repair", "tangled.bindrel"},
                                             {"reach", "done.bindrel", "--want", "CPU=max"}})
            QVERIFY(cli(arguments + QStringList{"--within", "1"}).code < 2);
    }

    void manyEntriesAreRefusedAtOnce()
    {
        QFile file(dir_.filePath("many.bindrel"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        std::string keys;
        for (int i = 0; i < 200'000; ++i)
            keys += (i ? ",\"k" : "\"k") + std::to_string(i) + "\":\"x\"";
        file.write(QByteArray::fromStdString(replaced(textOf(demoPath("sluice-node-c-done")), "\"needs\": [",
                                                      "\"nets\": {" + keys + "}, \"needs\": [")));
        file.close();
        const Result result = cli({"check", "many.bindrel"});
        QVERIFY2(result.code == 2 && result.err.contains("more than 4096 entries"), result.err.constData());
    }

    void rehearsalsAreTold()
    {
        const Result clean = cli({"rehearse", "done.bindrel"});
        QCOMPARE(clean.code, 0);
        QVERIFY2(clean.out.contains("Reset while everything runs: up after") &&
                     clean.out.contains("without LF crystal; Rain tipper and Clock come from it"),
                 clean.out.constData());
        const Result hazards = cli({"rehearse", "tangled.bindrel"});
        QVERIFY2(hazards.code == 1 && hazards.out.contains("hazard limit"), hazards.out.constData());
        // A dead clock ends in a status, which is what is wanted; the plan decides whether the rest comes up.
        const Result dead = cli({"rehearse", "done.bindrel", "--what-if", "HFX", "--format", "json"});
        const QJsonArray runs = QJsonDocument::fromJson(dead.out).object()["runs"].toArray();
        QCOMPARE(runs.size(), 2); // never starts, fails later
        QVERIFY(runs[0].toObject()["gave_up"].toString().contains("HFXRDY") &&
                runs[0].toObject()["went_on"].toString().isEmpty());
        QFile file(dir_.filePath("on.bindrel"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(QByteArray::fromStdString(replaced(textOf(demoPath("sluice-node-c-done")), "\"needs\": [",
                                                      "\"on_failure\": \"go on\", \"needs\": [")));
        file.close();
        const QJsonArray on =
            QJsonDocument::fromJson(cli({"rehearse", "on.bindrel", "--what-if", "HFX", "--format", "json"}).out)
                .object()["runs"]
                .toArray();
        QVERIFY(on[0].toObject()["went_on"].toString().contains("without Gate bridge"));
        const Result supply = cli({"rehearse", "done.bindrel", "--what-if", "supply"});
        QVERIFY2(supply.code == 1 && supply.out.contains("the supply falls below 2.7"), supply.out.constData());
        const Result unknown = cli({"rehearse", "done.bindrel", "--what-if", "HFXX"});
        QVERIFY2(unknown.code == 2 && unknown.err.contains("Did you mean HFX?"), unknown.err.constData());
        QCOMPARE(cli({"rehearse", "done.bindrel", "--machine-code", "--what-if", "PLLA.VCO"}).code, 0);
    }

    void aFolderBelongsToItsPlan()
    {
        QVERIFY(QFile::copy(QString::fromStdString(demoPath("rain-post-b-done")), dir_.filePath("rain.bindrel")));
        QCOMPARE(cli({"write", "done.bindrel", "--to", "a folder; x"}).code, 0);
        const Result again = cli({"write", "done.bindrel", "--to", "a folder; x"});
        QVERIFY2(again.out.contains("Compile with: cd 'a folder; x' && arm-none-eabi-gcc"), again.out.constData());
        const Result refused = cli({"write", "rain.bindrel", "--to", "a folder; x"});
        QVERIFY2(refused.code == 2 && refused.err.contains("belongs to the plan \"sluice-node-c\""),
                 refused.err.constData());
        QCOMPARE(cli({"write", "rain.bindrel", "--to", "a folder; x", "--take-over"}).code, 0);
    }

    /// What somebody has put in the place of an output is not written through; what has its neighbour's name is not
    /// touched.
    void outputsGoThroughNoLink()
    {
        const QString folder = dir_.filePath("links");
        QVERIFY(QDir().mkpath(folder));
        const auto text = [&](const char* name) { return textOf((folder + "/" + name).toStdString()); };
        const auto put = [&](const char* name, const char* what) {
            QFile file(folder + "/" + name);
            return file.open(QIODevice::WriteOnly) && file.write(what) > 0;
        };
        for (const char* ending : {"csv", "xlsx"}) {
            const QString target = folder + "/pins." + ending;
            QVERIFY(put("victim", "PRECIOUS") && put((std::string("pins.") + ending + ".part").c_str(), "MINE") &&
                    put((std::string(".pins.") + ending + ".saving").c_str(), "MINE TOO"));
            QVERIFY(QFile::link(folder + "/victim", target));
            const Result through = cli({"sheet", "done.bindrel", target});
            QVERIFY2(through.code != 0 && through.err.contains("is a link"), through.err.constData());
            COMPARE_TEXT(text("victim"), "PRECIOUS");
            QVERIFY(QFile::remove(target));
            QCOMPARE(cli({"sheet", "done.bindrel", target}).code, 0);
            QVERIFY(QFileInfo(target).size() > 1000);
            COMPARE_TEXT(text((std::string("pins.") + ending + ".part").c_str()), "MINE");
            COMPARE_TEXT(text((std::string(".pins.") + ending + ".saving").c_str()), "MINE TOO");
            QVERIFY(QFile::remove(target));
        }
    }

    /// A program that a stranger's device file names is not run before somebody has agreed, and then for that text of
    /// the file alone.
    void aStrangersCompilerIsAskedFor()
    {
        const QString folder = dir_.filePath("stranger"), bin = folder + "/bin", log = folder + "/ran";
        QVERIFY(QDir().mkpath(folder + "/devices") && QDir().mkpath(bin));
        std::string device = textOf(dataPath("devices/sedge/se4332-c64.json"));
        if (device.empty())
            QSKIP("the device has another place");
        std::string family = textOf(dataPath("devices/sedge/sedge.json"));
        std::string& holder = device.find("arm-none-eabi-") != std::string::npos ? device : family;
        QVERIFY(holder.find("arm-none-eabi-") != std::string::npos);
        holder.replace(holder.find("arm-none-eabi-"), 14, "evil-");
        const auto put = [](const QString& path, const std::string& text) {
            QFile file(path);
            return file.open(QIODevice::WriteOnly) &&
                   file.write(text.data(), qint64(text.size())) == qint64(text.size());
        };
        QVERIFY(put(folder + "/devices/se4332-c64.json", device) && put(folder + "/devices/sedge.json", family));
        QVERIFY(put(bin + "/evil-gcc", "#!/bin/sh\necho ran >> " + log.toStdString() + "\nexit 1\n"));
        QFile::setPermissions(bin + "/evil-gcc", QFile::ReadOwner | QFile::WriteOwner | QFile::ExeOwner);
        const auto rehearse = [&](const QStringList& more) {
            QProcess process;
            QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
            environment.insert("PATH", bin + ":" + environment.value("PATH"));
            environment.insert("XDG_STATE_HOME", folder + "/state");
            process.setProcessEnvironment(environment);
            process.setWorkingDirectory(dir_.path());
            process.start(BINDREL_CLI,
                          QStringList{"--device-dir", folder, "rehearse", "done.bindrel", "--machine-code"} + more);
            process.waitForFinished(60'000);
            return Result{process.exitCode(), process.readAllStandardOutput(), process.readAllStandardError()};
        };
        const Result asked = rehearse({});
        QVERIFY2(asked.code == 1 && asked.err.contains("evil-gcc") && asked.err.contains("--allow-compiler"),
                 asked.err.constData());
        QVERIFY(asked.err.indexOf("which does not ship") < asked.err.indexOf("was not run"));
        QVERIFY(!QFile::exists(log));
        QVERIFY(rehearse({"--allow-compiler"}).err.contains("rejects the generated C"));
        QVERIFY(QFile::exists(log));
        QVERIFY(rehearse({}).err.contains("rejects the generated C")); // it is remembered
        QVERIFY(put(folder + "/devices/se4332-c64.json", device + "\n"));
        QVERIFY(rehearse({}).err.contains("--allow-compiler")); // and not for another text
    }

    /// A DMA request of a need that is not bound has neither a channel nor an instance yet.
    void whatIsNotBoundIsShownAllTheSame()
    {
        for (const char* name : {"start", "tangled", "done"}) {
            bindrel::Expected<bindrel::LoadedPlan> work =
                bindrel::loadPlan(dir_.filePath(QString(name) + ".bindrel").toStdString(), library());
            QVERIFY(work.ok());
            std::vector<bindrel::Change> changes;
            for (bindrel::Need& need : work->plan.needs) {
                need.binding = {};
                if (need.kind == "uart")
                    changes.emplace_back(bindrel::SetGoal{need.id, "dma", "receive"});
            }
            for (const bindrel::Change& change : changes)
                work->plan = *bindrel::applied(work->plan, bindrel::editOf("test", change));
            QFile file(dir_.filePath("unbound.bindrel"));
            const std::string text = bindrel::planText(work->plan);
            QVERIFY(file.open(QIODevice::WriteOnly) && file.write(text.data(), qint64(text.size())) > 0);
            file.close();
            for (const char* what : {"clocks", "limits", "accuracy", "current", "gates", "modes", "nonvolatile", "pins",
                                     "interrupts", "dma", "registers"})
                for (const char* format : {"text", "json", "csv"})
                    if (const Result shown = cli({"show", "unbound.bindrel", what, "--format", format});
                        shown.code < 0 || shown.code > 2)
                        QFAIL(qPrintable(QString("show %1 %2: %3").arg(what, format).arg(shown.code)));
        }
    }

    void tablesOfNetsAreSafeToRead()
    {
        const auto nets = [&](const QByteArray& table) {
            QFile file(dir_.filePath("nets.csv"));
            if (!file.open(QIODevice::WriteOnly) || file.write(table) != table.size())
                return Result{};
            file.close();
            return cli({"nets", "done.bindrel", "nets.csv", "--write"});
        };
        const std::string before = textOf(dir_.filePath("done.bindrel").toStdString());
        const auto stamp = QFileInfo(dir_.filePath("done.bindrel")).lastModified();
        QCOMPARE(nets("").code, 0);
        QCOMPARE(nets("pin,net\n").code, 0);
        QCOMPARE(QFileInfo(dir_.filePath("done.bindrel")).lastModified(), stamp);
        for (const char* text : {"1,NET\u202e\n", "1,NE\u200bT\n", "1,NE\u2066T\n"})
            QVERIFY(nets(text).err.contains("cannot be seen"));
        COMPARE_TEXT(textOf(dir_.filePath("done.bindrel").toStdString()), QString::fromStdString(before));
    }
};

BINDREL_TEST(CliTest)
#include "cli_test.moc"
