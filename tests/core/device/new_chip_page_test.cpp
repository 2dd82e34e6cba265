// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/lint.h"
#include "core/output/output.h"
#include "tests/support/fixtures.h"

#include <QProcess>
#include <QRegularExpression>

using namespace bindrel;
using namespace bindrel::test;

/// The page that shows how a chip is described is the chip: its pieces, put together, make a device that is clean, and a
/// plan for it that compiles.
class NewChipPageTest : public QObject {
    Q_OBJECT

    /// All pieces of one kind ("device", "board", "plan") as one JSON object.
    static QString pieces(const QString& kind)
    {
        static const QString page = QString::fromStdString(textOf(std::string(BINDREL_SOURCE_ROOT) + "/docs/a-new-chip.md"));
        const QRegularExpression fence("```json " + kind + "\n(.*?)```", QRegularExpression::DotMatchesEverythingOption);
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

private Q_SLOTS:
    void thePiecesMakeACleanDevice()
    {
        const Expected<Device> device = parseDevice(pieces("device").toStdString(), "tn0504-d20.json", "", "");
        QVERIFY2(device.ok(), device.ok() ? "" : device.problem().text().c_str());
        for (const LintRemark& remark : lint(*device))
            QVERIFY2(false, (remark.check + ": " + remark.text).c_str());
        QCOMPARE(device->package.pins.size(), size_t(20));
    }

    void thePageCanBeFollowedByHand()
    {
        QTemporaryDir folder;
        put(folder.filePath("tn0504-d20.json"), pieces("device"));
        put(folder.filePath("lantern.json"), pieces("board"));
        const auto cli = [&](const QStringList& arguments) {
            QProcess process;
            process.setWorkingDirectory(folder.path());
            process.start(BINDREL_CLI, arguments);
            process.waitForFinished(60'000);
            const QByteArray err = process.readAllStandardError();
            return std::tuple(process.exitCode(), process.readAllStandardOutput(), err);
        };
        QCOMPARE(std::get<0>(cli({"lint", "tn0504-d20.json"})), 0);
        const auto [made, said, complaint] = cli({"--device-dir", ".", "new", "lantern", "lantern.bindrel"});
        QVERIFY2(made == 0, complaint.constData());
        const auto [bound, where, why] = cli({"--device-dir", ".", "bind", "lantern.bindrel", "--write"});
        QVERIFY2(bound == 0, why.constData());
        // The two decisions, in the plan. Beside the plan the device and board are found without being told.
        const QString decisions = pieces("plan").mid(1).chopped(2).trimmed();
        QString plan = QString::fromStdString(textOf(folder.filePath("lantern.bindrel").toStdString()));
        put(folder.filePath("lantern.bindrel"), plan.replace("\n  \"needs\"", "\n" + decisions + ",\n  \"needs\""));
        const auto [checked, findings, trouble] = cli({"check", "lantern.bindrel"});
        QVERIFY2(checked == 0 && findings.contains("0 errors, 0 cautions"), (findings + trouble).constData());
        const auto [rehearsed, hazards, broken] = cli({"rehearse", "lantern.bindrel", "--machine-code"});
        QVERIFY2(rehearsed == 0, (hazards + broken).constData());
        const auto [written, last, problem] = cli({"write", "lantern.bindrel", "--to", "out"});
        QVERIFY2(written == 0, problem.constData());
        const QString command = QString::fromUtf8(last).section("Compile with: ", 1).trimmed();
        QProcess shell;
        shell.setWorkingDirectory(folder.path());
        shell.start("sh", {"-c", command});
        QVERIFY(shell.waitForFinished(60'000));
        QVERIFY2(shell.exitCode() == 0, shell.readAllStandardError().constData());
        QVERIFY(QFile::exists(folder.filePath("out/lantern.elf")));
    }
};

BINDREL_TEST(NewChipPageTest)
#include "new_chip_page_test.moc"
