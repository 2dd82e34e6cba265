// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"
#include "tests/support/fixtures.h"

#include <QDir>
#include <QProcess>
#include <QRegularExpression>

using namespace bindrel::test;

/// The program with a catalogue that gettext's own compiler has made.
class LanguageTest : public QObject {
    Q_OBJECT

    QTemporaryDir dir_;

    QByteArray cli(const QStringList& arguments, const char* language) const
    {
        QProcess process;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("LC_ALL", "C.UTF-8");
        environment.insert("LANGUAGE", language);
        environment.insert("BINDREL_LOCALE", dir_.path());
        if (*language == 'p')
            environment.insert("BINDREL_LANGUAGE", language);
        process.setProcessEnvironment(environment);
        process.start(BINDREL_CLI, arguments);
        process.waitForFinished(60'000);
        return process.readAllStandardOutput();
    }
    static QString plan(const char* name) { return QString::fromStdString(demoPath(name)); }

private Q_SLOTS:
    void initTestCase()
    {
        // A language with three forms of a number, as some have.
        const char* text = "msgid \"\"\n"
                           "msgstr \"Content-Type: text/plain; charset=UTF-8\\n\"\n"
                           "\"Plural-Forms: nplurals=3; plural=(n==1 ? 0 : n<5 ? 1 : 2);\\n\"\n"
                           "msgid \".\"\nmsgstr \",\"\n"
                           "msgid \"No clock runs above its limit.\"\nmsgstr \"Kein Takt über seiner Grenze.\"\n"
                           "msgid \"{} error\"\nmsgid_plural \"{} errors\"\n"
                           "msgstr[0] \"{} Fehlerlein\"\nmsgstr[1] \"{} Fehler\"\nmsgstr[2] \"viele Fehler ({})\"\n";
        QVERIFY(QDir(dir_.path()).mkpath("de/LC_MESSAGES"));
        QVERIFY(bindrel::writeFileAtomically(dir_.filePath("de.po").toStdString(), text));
        QProcess compiler;
        compiler.start("msgfmt", {"-o", dir_.filePath("de/LC_MESSAGES/bindrel.mo"), dir_.filePath("de.po")});
        QVERIFY(compiler.waitForFinished() && compiler.exitCode() == 0);
    }

    void textsAreTheReaders()
    {
        QVERIFY(cli({"rules"}, "de").contains("Kein Takt über seiner Grenze."));
        QVERIFY(cli({"rules"}, "fr").contains("No clock runs above its limit."));
    }

    void programsGetEnglish()
    {
        QCOMPARE(cli({"rules", "--format", "json"}, "de"), cli({"rules", "--format", "json"}, "en"));
        for (const char* format : {"json", "sarif"})
            QCOMPARE(cli({"check", plan("sluice-node-c-tangled"), "--format", format}, "pseudo"),
                     cli({"check", plan("sluice-node-c-tangled"), "--format", format}, "en"));
        QCOMPARE(cli({"sheet", plan("sluice-node-c-done"), "-"}, "pseudo"),
                 cli({"sheet", plan("sluice-node-c-done"), "-"}, "en"));
    }

    void numbersHaveTheirForms()
    {
        const QByteArray told = cli({"check", plan("sluice-node-c-tangled")}, "de");
        const QByteArray english = cli({"check", plan("sluice-node-c-tangled")}, "en");
        const int errors = int(english.count("\nerror ")) + int(english.startsWith("error "));
        QVERIFY2(errors > 1 && told.contains(errors < 5 ? QByteArray::number(errors) + " Fehler"
                                                        : "viele Fehler (" + QByteArray::number(errors) + ")"),
                 told.right(300).constData());
    }

    /// What is generated is the same bytes whoever asks.
    void theGeneratedCIsTheSame()
    {
        for (const char* name : {"sluice-node-c-done", "ditch-meter-d-done"}) {
            QStringList folders;
            for (const char* language : {"pseudo", "en", "de"}) {
                const QString folder = dir_.filePath(QString(name) + "-" + language);
                (void)cli({"write", plan(name), "--to", folder}, language);
                folders << folder;
            }
            const QStringList files = QDir(folders[1]).entryList(QDir::Files);
            QVERIFY(files.size() > 5);
            for (const QString& other : {folders[0], folders[2]}) {
                QCOMPARE(QDir(other).entryList(QDir::Files), files);
                for (const QString& file : files)
                    QCOMPARE(*bindrel::readFile((other + "/" + file).toStdString()),
                             *bindrel::readFile((folders[1] + "/" + file).toStdString()));
            }
        }
    }

    /// Edits, searches and imports leave the same bytes in plans and files.
    void whatIsSavedIsTheSame()
    {
        const QString chip = QString::fromStdString(std::string(BINDREL_EXAMPLES) + "/chip/");
        const auto afterAll = [&](const char* language) {
            const QString folder = dir_.filePath(QString("saved-") + language);
            QDir().mkpath(folder);
            QByteArray out;
            const auto keep = [&](const QStringList& arguments, const QString& file) {
                (void)cli(arguments, language);
                const auto text = bindrel::readFile(file.toStdString());
                out += arguments.join(' ').remove(folder).toUtf8() + "\n" +
                       (text ? QByteArray::fromStdString(*text) : QByteArray("nothing")) + "\n";
            };
            for (const char* name : {"sluice-node-c-start", "sluice-node-c-tangled"}) {
                const QString file = folder + "/" + name;
                QFile::copy(plan(name), file);
                keep({"add", file, "uart 9600 8E1 called Extra", "--write"}, file);
                keep({"set", file, "uplink.baud=57.6 kBd", "stack=4 KiB", "outline=100 x 80 mm", "resistors.PA0=up",
                      "wish.uplink on the left side=wish", "hold.uplink=yes"},
                     file);
                keep({"bind", file, "--write"}, file);
                keep({"untangle", file, "--apply", "1"}, file);
                keep({"repair", file, "--take", "1"}, file);
                keep({"reach", file, "--want", "SYS=75MHz", "--take", "1"}, file);
                keep({"move", file, "--device", "AL7654-F144", "--write"}, file);
                keep({"board", file, "--save", folder + "/board.json"}, folder + "/board.json");
            }
            for (const char* table :
                 {"fern-pins.csv", "fern-values.csv", "fern-wait-states.csv", "fern-interrupts.csv"})
                keep({"device", "table", chip + table, "--take", folder + "/" + table}, folder + "/" + table);
            (void)cli({"device", "export", "SE4332-C64", "--to", folder + "/forms"}, language);
            for (const QString& file : QDir(folder + "/forms").entryList(QDir::Files))
                out += QByteArray::fromStdString(*bindrel::readFile((folder + "/forms/" + file).toStdString()));
            return out + cli({"completion", "bash"}, language);
        };
        const QByteArray english = afterAll("en"), pseudo = afterAll("pseudo");
        QVERIFY(english.size() > 100'000 && english.count("nothing\n") < 3);
        const QList<QByteArray> a = english.split('\n'), b = pseudo.split('\n');
        for (qsizetype i = 0; i < std::min(a.size(), b.size()); ++i)
            QCOMPARE(b[i], a[i]);
        QCOMPARE(b.size(), a.size());
    }

    /// All commands that print, in a language that nobody speaks: what they say was said.
    void printedTextsAreSaid()
    {
        for (const QStringList& arguments :
             {QStringList{"check", plan("sluice-node-c-tangled")}, {"rehearse", plan("sluice-node-c-done")}}) {
            const QString told = QString::fromUtf8(cli(arguments, "pseudo"));
            QVERIFY2(!told.contains(QRegularExpression("\\b(the|and|with|which)\\b")), qPrintable(told));
        }
    }
};

BINDREL_TEST(LanguageTest)
#include "language_test.moc"
