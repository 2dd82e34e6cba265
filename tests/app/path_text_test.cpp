// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/path_text.h"
#include "tests/support/test_program.h"

#include <QtTest>

#include <random>

using namespace bindrel;

/// Names on a disk are bytes. As text of the window and back they are the very same, whatever they are.
class PathTextTest : public QObject {
    Q_OBJECT

    static std::string thereAndBack(const std::string& bytes)
    {
        return pathOf(pathText(std::filesystem::path(bytes))).string();
    }

private Q_SLOTS:
    void plainNamesAreTheirText()
    {
        for (const char* name :
             {"plan.bindrel", "/home/ann/board 2/plan.bindrel", "Pläne/Größe.bindrel", "計画.bindrel"}) {
            QCOMPARE(pathText(std::filesystem::path(name)), QString::fromUtf8(name));
            QCOMPARE(thereAndBack(name), std::string(name));
        }
        QVERIFY(pathText({}).isEmpty() && pathOf({}).empty());
    }

    /// Every sequence of up to two bytes, and what UTF-8 forbids: over-long forms, surrogates, what is cut off.
    void everyByteComesBack()
    {
        for (int a = 1; a < 256; ++a) {
            QCOMPARE(thereAndBack(std::string(1, char(a))), std::string(1, char(a)));
            for (int b = 1; b < 256; ++b)
                if (const std::string name{char(a), char(b)}; thereAndBack(name) != name)
                    QFAIL(qPrintable(QString("%1 %2").arg(a, 0, 16).arg(b, 0, 16)));
        }
        for (const std::string& name :
             {std::string("\xC0\xAF"), std::string("\xED\xA0\x80"), std::string("\xED\xB2\x80"),
              std::string("\xF4\x90\x80\x80"), std::string("plan\xE2\x82"), std::string("\xF0\x9F\x98\x80 plan"),
              std::string("\xE2\x82\xAC\xFF\xE2\x82\xAC")})
            QCOMPARE(thereAndBack(name), name);
    }

    void randomNamesComeBackAndDiffer()
    {
        std::mt19937 random(26);
        std::map<QString, std::string> seen;
        for (int i = 0; i < 20'000; ++i) {
            std::string name;
            const int length = 1 + int(random() % 12);
            for (int k = 0; k < length; ++k)
                name += char(1 + random() % 255);
            QCOMPARE(thereAndBack(name), name);
            const QString text = pathText(std::filesystem::path(name));
            const auto [at, fresh] = seen.emplace(text, name);
            QVERIFY(fresh || at->second == name); // two names never look alike to the program
        }
    }
};

BINDREL_TEST(PathTextTest)
#include "path_text_test.moc"
