// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/test_program.h"

#include <QtTest>
#ifdef BINDREL_TEST_WINDOW
#include <QApplication>
using Application = QApplication;
#else
#include <QCoreApplication>
using Application = QCoreApplication;
#endif

#include <algorithm>
#include <cstdio>

namespace bindrel::test {
std::vector<TestClass>& testClasses()
{
    static std::vector<TestClass> classes;
    return classes;
}
} // namespace bindrel::test

int main(int argc, char** argv)
{
    Application application(argc, argv);
    std::vector<bindrel::test::TestClass>& classes = bindrel::test::testClasses();
    std::sort(classes.begin(), classes.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
    const std::string wanted = argc > 1 ? argv[1] : "";
    const bool named =
        std::any_of(classes.begin(), classes.end(), [&](const auto& known) { return known.name == wanted; });
    if (!named && !wanted.empty() && wanted.front() != '-') {
        std::fprintf(stderr, "There is no test class %s here; there are:\n", argv[1]);
        for (const auto& known : classes)
            std::fprintf(stderr, "  %s\n", known.name.c_str());
        return 2;
    }
    // What follows the name goes to Qt Test: names of single tests, its options.
    QStringList rest{QString::fromLocal8Bit(argv[0])};
    for (int i = named ? 2 : 1; i < argc; ++i)
        rest << QString::fromLocal8Bit(argv[i]);
    int failed = 0;
    for (const auto& known : classes)
        if (!named || known.name == wanted)
            failed += QTest::qExec(known.make().get(), rest);
    return std::min(failed, 127);
}
