// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/fixtures.h"

#include <fmt/format.h>

#include <QDir>
#include <QProcess>
#include <QTemporaryDir>

#include <algorithm>
#include <random>

using namespace bindrel;
using namespace bindrel::test;

/// Every subcommand over files that somebody has damaged: each run ends by itself with an exit code that is documented.
/// BINDREL_LONG=1 makes ten thousand runs of it; BINDREL_SEED draws others. In a build with sanitizers these look as
/// well.
class CampaignTest : public QObject {
    Q_OBJECT

    QTemporaryDir dir_;
    std::mt19937 random_{seeded(17)};

    unsigned draw(size_t below) { return unsigned(random_() % std::max<size_t>(below, 1)); }
    template <typename List> auto one(const List& list) { return list[draw(std::size(list))]; }

    /// One of the faults that files come with: cut short, a byte changed, a line doubled, gone or moved, a value of
    /// another sort.
    std::string damaged(std::string text)
    {
        for (unsigned faults = 1 + draw(3); faults > 0 && !text.empty(); --faults) {
            const size_t at = draw(text.size());
            const size_t line = text.rfind('\n', at) == std::string::npos ? 0 : text.rfind('\n', at) + 1,
                         end = std::min(text.find('\n', at), text.size());
            switch (draw(9)) {
            case 0:
                text.resize(at);
                break;
            case 1:
                text[at] = char(draw(256));
                break;
            case 2:
                text.insert(line, text.substr(line, end - line + 1));
                break;
            case 3:
                text.erase(line, end - line + 1);
                break;
            case 4: {
                static const char* const values[] = {
                    "0",       "-1",        "999999999999999999999", "1e308", "null",       "true",     "[]",
                    "{}",      "\"\"",      "\"\\u202e\"",           "\"x\"", "\"48 MHz\"", "[[[[]]]]", "0.5",
                    "\"1/0\"", "4294967296"};
                const size_t colon = text.find(": ", at),
                             stop = colon == std::string::npos ? colon : text.find_first_of(",}\n", colon);
                if (stop != std::string::npos)
                    text.replace(colon + 2, stop - colon - 2, one(values));
                break;
            }
            case 5:
                text.insert(at, std::string(1 + draw(4), one("{}[]\",:\\")));
                break;
            case 6: {
                const size_t from = draw(text.size());
                text.insert(at, text.substr(from, draw(60)));
                break;
            }
            case 7: {
                // A name that something else has.
                const size_t quote = text.find('"', at), other = text.find('"', draw(text.size()));
                if (quote == std::string::npos || other == std::string::npos)
                    break;
                const size_t close = text.find('"', quote + 1), otherClose = text.find('"', other + 1);
                if (close != std::string::npos && otherClose != std::string::npos && otherClose - other < 60)
                    text.replace(quote, close - quote + 1, text.substr(other, otherClose - other + 1));
                break;
            }
            default:
                text.erase(at, 1 + draw(8));
            }
        }
        return text;
    }
    QString put(const QString& name, const std::string& text) const
    {
        QFile file(dir_.filePath(name));
        if (file.open(QIODevice::WriteOnly))
            file.write(text.data(), qint64(text.size()));
        return file.fileName();
    }

private Q_SLOTS:
    void everySubcommandEndsByItself()
    {
        const int runs = qEnvironmentVariableIsSet("BINDREL_LONG")
                             ? 10'000 * std::max(1, qEnvironmentVariableIntValue("BINDREL_LONG"))
                             : 120;
        struct Chip {
            const char* plan;
            const char* family;
            const char* device;
            const char* board;
        };
        const std::vector<Chip> chips{{"sluice-node-c-done", "sedge/sedge", "sedge/se4332-c64", "sluice-node-c"},
                                      {"sluice-node-c-tangled", "sedge/sedge", "sedge/se4332-c64", "sluice-node-c"},
                                      {"rain-post-b-done", "moss/moss", "moss/ms0816-a32", "rain-post-b"},
                                      {"ditch-meter-d-done", "rill/rill", "rill/rl1224-q48", "ditch-meter-d"},
                                      {"pump-hall-a-done", "alder/alder", "alder/al7654-f144", "pump-hall-a"}};
        QVERIFY(QDir().mkpath(dir_.filePath("world/devices")) && QDir().mkpath(dir_.filePath("world/boards")));
        int refused = 0;
        for (int run = 0; run < runs; ++run) {
            const Chip chip = one(chips);
            std::string plan = textOf(demoPath(chip.plan)),
                        family = textOf(dataPath(std::string("devices/") + chip.family + ".json")),
                        device = textOf(dataPath(std::string("devices/") + chip.device + ".json")),
                        board = textOf(dataPath(std::string("boards/") + chip.board + ".json")),
                        table = "Pin,Net\n4,UP_TX\n5;UP_RX\nPA3\tA\n";
            const auto kind = plan.find("\"kind\": \"uart\",");
            if (kind != std::string::npos)
                plan.insert(kind, "\"overrides\": { \"CTL.OVS\": \"1\", \"RATE.DIV\": \"0x40\" }, ");
            static std::map<std::string, std::string> dumps; // what its registers hold at the end
            if (!dumps.contains(chip.plan)) {
                const auto s = bindrel::test::run(demo(chip.plan));
                for (const RegisterValue& value : s->image.registers)
                    dumps[chip.plan] +=
                        fmt::format("{:#x} {:#x}\n", s->device->addressOf(value.instance, value.reg), value.value);
            }
            std::string registers = dumps[chip.plan];
            std::string* const hit[] = {&plan, &plan, &family, &device, &board, &table, &registers};
            std::string& damagedOne = *one(hit);
            damagedOne = damaged(damagedOne);
            const auto base = [](const char* path) { return QString(path).section('/', -1) + ".json"; };
            put("world/devices/" + base(chip.family), family);
            put("world/devices/" + base(chip.device), device);
            put("world/boards/" + QString(chip.board) + ".json", board);
            put("plan.bindrel", plan);
            put("nets.csv", table);
            put("registers.txt", registers);
            QDir(dir_.filePath("out")).removeRecursively();
            const QString deviceName = QString(chip.device).section('/', -1).toUpper();
            static const char* const sheets[] = {"clocks",      "limits", "accuracy",   "current", "gates",    "modes",
                                                 "nonvolatile", "pins",   "interrupts", "dma",     "registers"};
            const std::vector<QStringList> commands{
                {"check", "plan.bindrel"},
                {"check", "plan.bindrel", "--format", "json"},
                {"show", "plan.bindrel", one(sheets)},
                {"add", "plan.bindrel", "uart 9600 for modem", "--write"},
                {"bind", "plan.bindrel", "--within", "0.2", "--write"},
                {"untangle", "plan.bindrel", "--within", "0.2"},
                {"reach", "plan.bindrel", "--want", "SYS=48MHz", "--within", "0.2"},
                {"repair", "plan.bindrel", "--within", "0.2"},
                {"options", "plan.bindrel", "uplink.tx", "--within", "0.2"},
                {"fit", "plan.bindrel", "--within", "0.3"},
                {"move", "plan.bindrel", "--device", "MS0816-A48", "--within", "0.3"},
                {"nets", "plan.bindrel", "nets.csv", "--write"},
                {"sheet", "plan.bindrel", "out.csv"},
                {"sheet", "plan.bindrel", "out.xlsx"},
                {"write", "plan.bindrel", "--to", "out", "--incomplete"},
                {"rehearse", "plan.bindrel"},
                {"rehearse", "plan.bindrel", "--what-if", "all"},
                {"lint", "world/devices/" + base(chip.device)},
                {"lint", "world/devices/" + base(chip.device), "--layers"},
                {"device", "coverage", "world/devices/" + base(chip.device)},
                {"device", "propose", "world/devices/" + base(chip.device)},
                {"device", "facts", "world/devices/" + base(chip.device)},
                {"device", "compare", "world/devices/" + base(chip.device), deviceName},
                {"set", "plan.bindrel", "HFX=12 MHz, 20 ppm", "supply=3.0 V", "--dry-run"},
                {"set", "plan.bindrel", "uplink.baud=9600"},
                {"set", "plan.bindrel", "uplink.CTL.OVS=1", "uplink.RATE=0x51", "uplink.CTL.PARITY=even"},
                {"adopt", "plan.bindrel", "registers.txt", "--write"},
                {"adopt", "plan.bindrel", "registers.txt", "--format", "json"},
                {"new", chip.board, "new.bindrel"}};
            QProcess process;
            QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
            environment.insert("XDG_STATE_HOME", dir_.filePath("state"));
            environment.insert("ASAN_OPTIONS", "detect_leaks=0");
            process.setProcessEnvironment(environment);
            process.setWorkingDirectory(dir_.path());
            const QStringList arguments = QStringList{"--device-dir", dir_.filePath("world")} + one(commands);
            process.start(BINDREL_CLI, arguments);
            const bool ended = process.waitForFinished(60'000);
            const QByteArray told = process.readAllStandardError();
            const bool clean = ended && process.exitStatus() == QProcess::NormalExit && process.exitCode() >= 0 &&
                               process.exitCode() <= 2 && !told.contains("Sanitizer") &&
                               !told.contains("runtime error");
            if (!clean) {
                // What did it is left for whoever looks into it.
                const QString kept = QDir::temp().filePath(QString("bindrel-campaign-%1").arg(run));
                QProcess::execute("cp", {"-r", dir_.path(), kept});
                QFAIL(qPrintable(QString("run %1, kept in %2: %3\nexit %4, %5")
                                     .arg(run)
                                     .arg(kept, arguments.join(' '))
                                     .arg(process.exitCode())
                                     .arg(QString::fromUtf8(told.left(2000)))));
            }
            refused += process.exitCode() == 2;
            // What is refused says where or why.
            QVERIFY2(process.exitCode() != 2 || !told.trimmed().isEmpty(), qPrintable(arguments.join(' ')));
        }
        QVERIFY(refused > runs / 20);
    }
};

BINDREL_TEST(CampaignTest)
#include "campaign_test.moc"
