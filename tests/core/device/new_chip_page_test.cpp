// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "core/output/output.h"
#include "tests/support/fixtures.h"

#include <QProcess>
#include <QRegularExpression>

using namespace bindrel;
using namespace bindrel::test;

/// The pages that show how a chip is described are the chip: their pieces, put together, make a device that is clean,
/// and a plan for it that compiles and comes up.
class NewChipPageTest : public QObject {
    Q_OBJECT

    /// All pieces of one kind ("device", "board", "plan") as one JSON object.
    static QString pieces(const QString& name, const QString& kind)
    {
        const QString page =
            QString::fromStdString(textOf(std::string(BINDREL_SOURCE_ROOT) + "/docs/" + name.toStdString()));
        const QRegularExpression fence("```json " + kind + "\n(.*?)```",
                                       QRegularExpression::DotMatchesEverythingOption);
        QStringList out;
        for (auto it = fence.globalMatch(page); it.hasNext();)
            out << it.next().captured(1).trimmed();
        return "{\n" + out.join(",\n") + "\n}\n";
    }

    static void put(const QString& path, const QString& text)
    {
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(text.toUtf8());
    }

    static void pages()
    {
        QTest::addColumn<QString>("page");
        QTest::addColumn<QString>("device");
        QTest::addColumn<QString>("board");
        QTest::addColumn<QStringList>("needs");
        QTest::newRow("words") << "a-new-chip.md"
                               << "tn0504-d20"
                               << "lantern" << QStringList();
        QTest::newRow("bytes") << "a-chip-of-bytes.md"
                               << "ob0702-d20"
                               << "doorstep" << QStringList{"watchdog 1 s", "interval 20 ms"};
    }

private Q_SLOTS:
    void thePiecesMakeACleanDevice_data() { pages(); }
    void thePiecesMakeACleanDevice()
    {
        QFETCH(QString, page);
        QFETCH(QString, device);
        const Expected<Device> made =
            parseDevice(pieces(page, "device").toStdString(), device.toStdString() + ".json", "", "");
        QVERIFY2(made.ok(), made.ok() ? "" : made.problem().text().c_str());
        for (const LintRemark& remark : lint(*made))
            QVERIFY2(false, (remark.check + ": " + remark.text).c_str());
        QCOMPARE(made->package.pins.size(), size_t(20));
    }

    void thePageCanBeFollowedByHand_data() { pages(); }
    void thePageCanBeFollowedByHand()
    {
        QFETCH(QString, page);
        QFETCH(QString, device);
        QFETCH(QString, board);
        QFETCH(QStringList, needs);
        const QString file = board + ".bindrel";
        QTemporaryDir folder;
        put(folder.filePath(device + ".json"), pieces(page, "device"));
        put(folder.filePath(board + ".json"), pieces(page, "board"));
        const auto cli = [&](const QStringList& arguments) {
            QProcess process;
            process.setWorkingDirectory(folder.path());
            process.start(BINDREL_CLI, arguments);
            process.waitForFinished(60'000);
            const QByteArray err = process.readAllStandardError();
            return std::tuple(process.exitCode(), process.readAllStandardOutput(), err);
        };
        QCOMPARE(std::get<0>(cli({"lint", device + ".json"})), 0);
        const auto [made, said, complaint] = cli({"--device-dir", ".", "new", board, file});
        QVERIFY2(made == 0, complaint.constData());
        for (const QString& need : needs) {
            const auto [added, what, wrong] = cli({"--device-dir", ".", "add", file, need, "--write"});
            QVERIFY2(added == 0, wrong.constData());
        }
        const auto [bound, where, why] = cli({"--device-dir", ".", "bind", file, "--write"});
        QVERIFY2(bound == 0, why.constData());
        // The decisions that are left, in the plan. Beside the plan the device and board are found without being told.
        const QString decisions = pieces(page, "plan").mid(1).chopped(2).trimmed();
        QString plan = QString::fromStdString(textOf(folder.filePath(file).toStdString()));
        put(folder.filePath(file), plan.replace("\n  \"needs\"", "\n" + decisions + ",\n  \"needs\""));
        const auto [checked, findings, trouble] = cli({"check", file});
        QVERIFY2(checked == 0 && findings.contains("0 errors, 0 cautions"), (findings + trouble).constData());
        const auto [rehearsed, hazards, broken] = cli({"rehearse", file, "--machine-code"});
        QVERIFY2(rehearsed == 0, (hazards + broken).constData());
        const auto [written, last, problem] = cli({"write", file, "--to", "out"});
        QVERIFY2(written == 0, problem.constData());
        const QString command = QString::fromUtf8(last).section("Compile with: ", 1).trimmed();
        QProcess shell;
        shell.setWorkingDirectory(folder.path());
        shell.start("sh", {"-c", command});
        QVERIFY(shell.waitForFinished(60'000));
        QVERIFY2(shell.exitCode() == 0, shell.readAllStandardError().constData());
        QVERIFY(QFile::exists(folder.filePath("out/" + board + ".elf")));
    }
};

BINDREL_TEST(NewChipPageTest)
#include "new_chip_page_test.moc"
