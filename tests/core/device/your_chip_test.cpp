// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/fixtures.h"

#include <QDir>
#include <QProcess>
#include <QRegularExpression>

using namespace bindrel;
using namespace bindrel::test;

/// The page that goes from a maker's files to firmware, done as it says, with what a person has to write counted.
class YourChipTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;

    struct Block {
        QString kind, file, text;
    };
    static QList<Block> blocks()
    {
        const QString page = QString::fromStdString(textOf(std::string(BINDREL_SOURCE_ROOT) + "/docs/your-chip.md"));
        static const QRegularExpression fence("```(json|facts|columns|console) ?([^\n]*)\n(.*?)```",
                                              QRegularExpression::DotMatchesEverythingOption);
        QList<Block> out;
        for (auto it = fence.globalMatch(page); it.hasNext();) {
            const auto match = it.next();
            out.append({match.captured(1), match.captured(2).trimmed(), match.captured(3)});
        }
        return out;
    }

    struct Result {
        int code;
        QString out, err;
    };
    Result run(const QString& command) const
    {
        QStringList words = QProcess::splitCommand(command);
        words.removeFirst();
        QProcess process;
        process.setWorkingDirectory(folder_.path());
        process.start(BINDREL_CLI, words);
        process.waitForFinished(120'000);
        return {process.exitCode(), QString::fromUtf8(process.readAllStandardOutput()),
                QString::fromUtf8(process.readAllStandardError())};
    }
    void write(const QString& name, const QString& text, bool append) const
    {
        QFile file(folder_.filePath(name));
        QVERIFY(file.open(append ? QIODevice::Append : QIODevice::WriteOnly | QIODevice::Truncate));
        file.write(text.toUtf8());
    }

private Q_SLOTS:
    void thePageIsDone()
    {
        const QDir chip(QString(BINDREL_EXAMPLES) + "/chip");
        for (const QString& name : chip.entryList(QDir::Files))
            QVERIFY(QFile::copy(chip.filePath(name), folder_.filePath(name)));
        int lines = 0;
        QMap<QString, Result> last;
        const QList<Block> all = blocks();
        QVERIFY(all.size() > 8);
        for (const Block& block : all) {
            if (block.kind != "console") {
                // The device file is written anew; what it had already is not counted twice.
                static QSet<QString> counted;
                for (const QString& line : block.text.split('\n', Qt::SkipEmptyParts))
                    if (!counted.contains(line)) {
                        counted.insert(line);
                        ++lines;
                    }
                write(block.file, block.text, block.kind != "json");
                continue;
            }
            for (const QString& line : block.text.split('\n', Qt::SkipEmptyParts)) {
                QVERIFY2(line.startsWith("$ bindrel-cli "), qPrintable(line));
                const QString command = line.mid(2);
                const Result done = run(command);
                // lint says by its code that something is not described yet.
                QVERIFY2(done.code == 0 || (done.code == 1 && command.contains(" lint ")),
                         qPrintable(command + "\n" + done.out + done.err));
                last[command.section(' ', 1).section(" first", 0, 0)] = done;
            }
        }
        QVERIFY2(lines <= 150, qPrintable(QString("%1 lines by hand").arg(lines)));
        qInfo("%d lines by hand", lines);
        QVERIFY2(last["lint fn0812-d28.json"].out.contains("0 remarks"), qPrintable(last["lint fn0812-d28.json"].out));
        QVERIFY(last["--device-dir . check"].out.contains("0 errors, 0 cautions"));
        QVERIFY(last["--device-dir . rehearse"].out.contains("0 hazards"));
    }

    /// The other package of the same table.
    void theOtherPackage()
    {
        QFile file(folder_.filePath("fn0812-d28.json"));
        QVERIFY(file.open(QIODevice::ReadOnly));
        QString text = QString::fromUtf8(file.readAll());
        text.replace("FN0812-D28", "FN0812-Q32").replace("\"D28\"", "\"Q32\"");
        write("fn0812-q32.json", text, false);
        const Result lint = run("bindrel-cli lint fn0812-q32.json");
        QVERIFY2(lint.code == 0 && lint.out.contains("0 remarks"), qPrintable(lint.out + lint.err));
        // The same text under another name, as it was pasted.
        QVERIFY(QFile::copy(folder_.filePath("fern-pins.csv"), folder_.filePath("pasted.txt")));
        write("pasted.json", text.replace("\"fern-pins.csv\",", "\"pasted.txt\",").replace("FN0812-Q32", "PASTED"),
              false);
        const Result pasted = run("bindrel-cli lint pasted.json");
        QVERIFY2(pasted.code == 0 && pasted.out.contains("0 remarks"), qPrintable(pasted.out + pasted.err));
    }
};

BINDREL_TEST(YourChipTest)
#include "your_chip_test.moc"
