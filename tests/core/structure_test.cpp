// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/fixtures.h"

#include <QDirIterator>
#include <QRegularExpression>

using namespace bindrel::test;

/// The layers hold: no Qt under core/, stages use only those before them, the command line uses no window.
class StructureTest : public QObject {
    Q_OBJECT

    static QStringList includesOf(const QString& path)
    {
        static const QRegularExpression include("^\\s*#\\s*include\\s*[<\"]([^>\"]+)[>\"]",
                                                QRegularExpression::MultilineOption);
        QStringList out;
        auto it = include.globalMatch(QString::fromStdString(textOf(path.toStdString())));
        while (it.hasNext())
            out << it.next().captured(1);
        return out;
    }

    static QStringList sourcesBelow(const QString& folder)
    {
        QStringList out;
        QDirIterator it(QString(BINDREL_SOURCE_ROOT) + "/" + folder, {"*.h", "*.cpp"}, QDir::Files,
                        QDirIterator::Subdirectories);
        while (it.hasNext())
            out << it.next();
        return out;
    }

private Q_SLOTS:
    void coreAndCommandLineAreWithoutQt()
    {
        const QStringList files = sourcesBelow("core") + sourcesBelow("cli");
        QVERIFY(files.size() > 60);
        for (const QString& file : files)
            for (const QString& include : includesOf(file))
                QVERIFY2(!include.startsWith('Q') && !include.startsWith("app/") && !include.startsWith("Qt"),
                         qPrintable(file + ": " + include));
    }

    /// Every file that the program writes goes through one place (core/base/directory.h), which follows no link and
    /// replaces in one step.
    void nothingElseOpensForWriting()
    {
        static const QRegularExpression opens(
            "\\b(ofstream|fstream|fopen|freopen|creat|O_CREAT|O_WRONLY|O_RDWR|QSaveFile|QTemporaryFile|QTextStream|"
            "QIODevice::(WriteOnly|ReadWrite|Append)|rename|renameat|copy_file|QFile::copy|mkstemp)\\b");
        const QMap<QString, QString> allowed{
            {"core/base/directory.cpp", "the place itself"},
            {"core/base/child_process.cpp", "what a compiler says, in a scratch folder"},
            {"app/widgets/picture_file.cpp", "into memory"},
            {"cli/main.cpp", "no file: /dev/null, where a standard stream is closed"},
            {"app/frame/end_signals.cpp", "no file: a pipe"},
            {"app/session/journal.cpp", "sets a damaged journal aside, in its own folder"},
        };
        for (const QString& file : sourcesBelow("core") + sourcesBelow("cli") + sourcesBelow("app")) {
            const QString name = QString(file).remove(QString(BINDREL_SOURCE_ROOT) + "/");
            QString text = QString::fromStdString(textOf(file.toStdString()));
            text.remove(QRegularExpression("//[^\n]*")).remove(QRegularExpression("\"(\\\\.|[^\"\\\\])*\""));
            const QRegularExpressionMatch found = opens.match(text);
            QVERIFY2(!found.hasMatch() || allowed.contains(name), qPrintable(name + ": " + found.captured()));
        }
    }

    /// A name that is too long, a folder that has gone: std::filesystem throws where it is not given a code to fill.
    void filesAreAskedWithoutExceptions()
    {
        static const QRegularExpression asks(
            "\\b(?:fs|filesystem)::(?!path\\b|directory_options|perms|filesystem_error|file_type)\\w+(?: \\w+)?\\(");
        for (const char* folder : {"core", "cli", "app"})
            for (const QString& file : sourcesBelow(folder)) {
                const QString text = QString::fromStdString(textOf(file.toStdString()));
                for (auto it = asks.globalMatch(text); it.hasNext();) {
                    const qsizetype start = it.next().capturedEnd();
                    qsizetype end = start;
                    for (int depth = 1; depth > 0 && end < text.size(); ++end)
                        depth += text[end] == '(' ? 1 : text[end] == ')' ? -1 : 0;
                    static const QRegularExpression code("\\b(?:error|ignored|unknown)\\)$");
                    QVERIFY2(code.match(text.mid(start, end - start)).hasMatch(),
                             qPrintable(file + ": " + text.mid(start - 40, 80)));
                }
            }
    }

    void stagesUseOnlyThoseBeforeThem()
    {
        const QStringList order{"base",   "quantity",  "json",   "tables", "makers",      "device",
                                "plan",   "pins",      "clocks", "tuning", "image",       "findings",
                                "source", "rehearsal", "kinds",  "output", "interchange", "describe"};
        for (const QString& stage : order)
            for (const QString& file : sourcesBelow("core/" + stage))
                for (const QString& include : includesOf(file)) {
                    const QStringList parts = include.split('/');
                    if (parts.size() < 3 || parts[0] != "core")
                        continue;
                    // What goes out is made from the whole picture: the snapshot lies beside the stages.
                    QVERIFY2(order.indexOf(parts[1]) >= 0 && order.indexOf(parts[1]) <= order.indexOf(stage),
                             qPrintable(file + ": " + include));
                }
    }

    /// Of two rooms of the window at most one knows the other.
    void roomsOfTheWindowDoNotKnowEachOther()
    {
        QMap<QString, QString> knows; // "from to" -> by which file
        for (const QString& file : sourcesBelow("app")) {
            const QString from = QString(file).remove(QString(BINDREL_SOURCE_ROOT) + "/").section('/', 1, 1);
            for (const QString& include : includesOf(file))
                if (include.startsWith("app/") && include.count('/') == 2 && include.section('/', 1, 1) != from)
                    knows[from + " " + include.section('/', 1, 1)] = file + ": " + include;
        }
        QVERIFY(knows.size() > 20);
        for (auto it = knows.begin(); it != knows.end(); ++it) {
            const QString back = it.key().section(' ', 1) + " " + it.key().section(' ', 0, 0);
            QVERIFY2(!knows.contains(back), qPrintable(it.value() + " and " + knows.value(back)));
        }
    }

    /// The sources of a folder compile as one unit or apart: what a file keeps to itself must not meet its
    /// neighbours' names.
    void whatAFileKeepsToItselfMeetsNoNeighbour()
    {
        static const QRegularExpression type("^(?:struct|class|enum class|enum) (\\w+)\\b(?!;)");
        static const QRegularExpression alias("^using (\\w+) =");
        static const QRegularExpression constant(
            "^(?:inline |static |constexpr |const |constinit )+[^=({]*?\\b(\\w+)(?:\\[[^\\]]*\\])?\\s*(?:=|\\{|;)");
        static const QRegularExpression function(
            "^(?=[A-Za-z_])(?!return|namespace|using|typedef)[\\w:<>,&*\\s]+?[\\s&*](\\w+)(\\([^;{]*\\))"
            "(?: const)?(?:\\n\\{| \\{)",
            QRegularExpression::MultilineOption);
        static const QRegularExpression spaces("\\s+");
        QMap<QString, QString> owner, aliases; // by folder and name
        int seen = 0;
        for (const char* layer : {"core", "cli", "app"})
            for (const QString& file : sourcesBelow(layer)) {
                if (!file.endsWith(".cpp"))
                    continue;
                const QString folder = file.left(file.lastIndexOf('/'));
                QString own, text = QString::fromStdString(textOf(file.toStdString()));
                for (qsizetype at = 0; (at = text.indexOf("\nnamespace {\n", at)) >= 0;) {
                    const qsizetype end = text.indexOf("\n} // namespace\n", at);
                    QVERIFY2(end > at, qPrintable(file));
                    own += text.mid(at + 12, end - at - 11);
                    at = end;
                }
                // And what is static beside it.
                for (const QString& line : text.split('\n'))
                    if (line.startsWith("static ") && line.contains('('))
                        own += "\n" + line + "\n{\n";
                QSet<QString> names;
                for (const QString& line : own.split('\n')) {
                    for (const QRegularExpression& pattern : {type, constant})
                        if (const auto found = pattern.match(line); found.hasMatch())
                            names << found.captured(1);
                    // Two may give one type the same name.
                    if (const auto found = alias.match(line); found.hasMatch()) {
                        QString& meaning = aliases[folder + " " + found.captured(1)];
                        QVERIFY2(meaning.isEmpty() || meaning == line, qPrintable(file + ": " + line));
                        meaning = line;
                    }
                }
                for (auto it = function.globalMatch(own); it.hasNext();) {
                    const auto found = it.next();
                    names << found.captured(1) + found.captured(2).replace(spaces, " ");
                }
                seen += int(names.size());
                for (const QString& name : names) {
                    const QString key = folder + " " + name;
                    QVERIFY2(!owner.contains(key) || owner[key] == file,
                             qPrintable(QString("%1: %2 is also in %3").arg(file, name, owner[key])));
                    owner[key] = file;
                }
            }
        QVERIFY2(seen > 900, qPrintable(QString::number(seen)));
    }

    void indicesInHeadersHaveTypes()
    {
        static const QRegularExpression bare(
            "\\b(?:int|size_t) (?:pad|pin|clock|need|instance|block|reg|field|core|route|domain)\\b *[=;,){]");
        for (const char* folder : {"core", "app", "cli"})
            for (const QString& file : sourcesBelow(folder))
                if (file.endsWith(".h"))
                    if (const auto found = bare.match(QString::fromStdString(textOf(file.toStdString())));
                        found.hasMatch())
                        QFAIL(qPrintable(file + ": " + found.captured() + " (see core/base/index.h)"));
        static_assert(!std::is_convertible_v<bindrel::PadIndex, bindrel::ClockIndex> &&
                      !std::is_constructible_v<bindrel::NeedIndex, bindrel::InstanceIndex>);
    }

    void everyFileCarriesTheLicence()
    {
        for (const char* folder : {"core", "cli", "app", "tests", "bench", "tools"})
            for (const QString& file : sourcesBelow(folder))
                QVERIFY2(textOf(file.toStdString()).starts_with("// SPDX-License-Identifier: GPL-3.0-or-later\n"),
                         qPrintable(file));
    }
};

BINDREL_TEST(StructureTest)
#include "structure_test.moc"
