// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/output/merge.h"
#include "tests/support/fixtures.h"

#include <random>
#include <sys/stat.h>

using namespace bindrel;
using namespace bindrel::test;
namespace fs = std::filesystem;

class TextFilesTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void suggestsWhatWasMeant_data()
    {
        QTest::addColumn<QString>("typed");
        QTest::addColumn<QString>("meant");
        QTest::newRow("swapped") << "UATR1"
                                 << "UART1";
        QTest::newRow("missing") << "UAR1"
                                 << "UART1";
        QTest::newRow("case") << "uart1"
                              << "UART1";
        QTest::newRow("far") << "banana"
                             << "";
        QTest::newRow("empty") << ""
                               << "";
        QTest::newRow("endless") << QString(5000, 'U') << "";
    }
    void suggestsWhatWasMeant()
    {
        QFETCH(QString, typed);
        QTEST(QString::fromStdString(nearest(typed.toStdString(), {"UART1", "I2C2", "SPI1"})), "meant");
    }

    void listsReadLikeSentences()
    {
        COMPARE_TEXT(listed({}), "");
        COMPARE_TEXT(listed({"a"}), "a");
        COMPARE_TEXT(listed({"a", "b"}), "a and b");
        COMPARE_TEXT(listed({"a", "b", "c"}), "a, b and c");
    }

    void utf8IsJudgedLikeQtDoes()
    {
        // Qt's decoder is the oracle: it replaces what is not well-formed.
        std::mt19937 random(31);
        const std::vector<std::string> pieces{"a",    "\u00e9",       "\u20ac", "\U0001F600", "\xC0",
                                              "\x80", "\xED\xA0\x80", "\xF5",   "\xE2\x82"};
        for (int i = 0; i < 20'000; ++i) {
            std::string text;
            for (unsigned k = random() % 5; k > 0; --k)
                text += pieces[random() % pieces.size()];
            const QString decoded = QString::fromUtf8(text.data(), qsizetype(text.size()));
            QCOMPARE(isUtf8(text), decoded.toUtf8().toStdString() == text);
        }
    }

    void naturalOrderIsAStrictWeakOrder()
    {
        std::mt19937 random(37);
        std::vector<std::string> names;
        for (int i = 0; i < 40; ++i)
            names.push_back(std::string(random() % 2 ? "PA" : "P") +
                            (random() % 3 ? std::to_string(random() % 30) : "0" + std::to_string(random() % 12)));
        for (const auto& a : names)
            for (const auto& b : names) {
                QVERIFY(!(naturalLess(a, b) && naturalLess(b, a)));
                QVERIFY(a == b || naturalLess(a, b) || naturalLess(b, a));
                for (const auto& c : names)
                    if (naturalLess(a, b) && naturalLess(b, c))
                        QVERIFY2(naturalLess(a, c), (a + " " + b + " " + c).c_str());
            }
    }

    void filesAreReplacedWholeAndKeepTheirMode()
    {
        QTemporaryDir dir;
        const fs::path file = dir.filePath("f").toStdString();
        QVERIFY(writeFileAtomically(file, "one").ok());
        QVERIFY(::chmod(file.c_str(), 0640) == 0);
        const std::string big(3'000'000, 'x');
        QVERIFY(writeFileAtomically(file, big).ok());
        QVERIFY(textOf(file) == big);
        struct stat info {};
        QVERIFY(::stat(file.c_str(), &info) == 0);
        QCOMPARE(info.st_mode & 0777, mode_t(0640));
        QVERIFY(writeFileAtomically(file, "").ok());
        QVERIFY(textOf(file).empty());
    }

    void whatCannotBeReadIsSaid()
    {
        QTemporaryDir dir;
        QVERIFY(!readFile(dir.filePath("none").toStdString()).ok());
        QVERIFY(!readFile(dir.path().toStdString()).ok());
        const fs::path pipe = dir.filePath("pipe").toStdString();
        QVERIFY(::mkfifo(pipe.c_str(), 0600) == 0);
        const Expected<std::string> read = readFile(pipe); // must not wait for a writer
        QVERIFY(!read.ok());
        QVERIFY(read.problem().message.find("regular file") != std::string::npos);
    }

    void mergeKeepsBothSidesOrRefuses()
    {
        const std::string base = "1\n2\n3\n4\n5\n6\n7\n8\n";
        const auto merged = mergeTexts(base, replaced(base, "2\n", "2 mine\n"), replaced(base, "7\n", "7 theirs\n"));
        QVERIFY(merged);
        COMPARE_TEXT(*merged, "1\n2 mine\n3\n4\n5\n6\n7 theirs\n8\n");
        QVERIFY(!mergeTexts(base, replaced(base, "4\n", "mine\n"), replaced(base, "4\n", "theirs\n")));
        QVERIFY(*mergeTexts(base, base, "x\n") == "x\n");
        QVERIFY(*mergeTexts(base, "y\n", base) == "y\n");
    }

    void differenceNamesLines()
    {
        COMPARE_TEXT(unifiedDiff("a\nb\n", "a\nc\n"), "@@ -1,2 +1,2 @@\n a\n-b\n+c\n");
        COMPARE_TEXT(unifiedDiff("a\n", "a\n"), "");
        QVERIFY(unifiedDiff("", "new\n").find("+new") != std::string::npos);
    }
};

BINDREL_TEST(TextFilesTest)
#include "text_files_test.moc"
